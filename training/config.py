"""What the recogniser reads and how it is trained: the one place for these figures."""

from __future__ import annotations

from dataclasses import dataclass, field

from keel_line.read.prepare import LineRecipe

_ASCII = "".join(chr(c) for c in range(32, 127))
_LATIN = "".join(chr(c) for c in range(0xC0, 0x100)) + "ŒœŠšŽž"
_SIGNS = "£€¥¢°±½¼¾²³¹µ§¶†‡•–—‘’“”…№✓«»¿¡ªº©®¦¬"
ALPHABET = _ASCII + _LATIN + _SIGNS
"""Characters in class order; class 0 is the CTC blank, class i + 1 is ``ALPHABET[i]``."""

MATERIAL_VERSION = 2
_FOUR = ((5, 1), (7, 1), (5, 2), (7, 1))
_SIX = (*_FOUR, (5, 4), (5, 8))
_EIGHT = (*_SIX, (7, 1), (5, 2))


@dataclass(frozen=True)
class Design:
    """What a network is made of: (width, dilation) of each block along the line.

    ``inner`` is the number of channels between a block's two convolutions, 0 for as many as
    ``channels``; ``style_after`` the number of blocks before the line's style is told, -1 for
    never; ``fine`` the channels of the first convolution where it sees the line at its full
    resolution, 0 for one that sees it at half; ``upright`` the number of blocks over height and
    width after each of the stem's first three convolutions, while the line still has rows.
    """

    channels: int = 144
    blocks: tuple[tuple[int, int], ...] = _EIGHT
    style_after: int = 2
    inner: int = 256
    fine: int = 40
    upright: tuple[int, ...] = (0, 0, 0)


DESIGNS: dict[str, Design] = {
    "near": Design(blocks=_FOUR, style_after=-1, inner=0, fine=0),
    "far": Design(blocks=_SIX, style_after=-1, inner=0, fine=0),
    "styled": Design(blocks=_SIX, inner=0, fine=0),
    "slim": Design(channels=96, blocks=_SIX, inner=0, fine=0),
    "broad": Design(blocks=_SIX, fine=0),
    "fine": Design(blocks=_SIX),
    "deep": Design(),
    "tall": Design(upright=(1, 2, 1)),
}
"""Designs that were trained (see README.md): "near" sees 12 steps along the line to either side,
"far" 36, "styled" also what the whole line looks like, "slim" the same with fewer channels, "broad"
with more of them inside a block; "fine" sees every line at twice the resolution, "deep" with two
blocks more, "tall" with four blocks in its stem that see letters up and down as well as along."""


@dataclass(frozen=True)
class TrainConfig:
    """One training run.

    ``batch_columns`` bounds a batch by its padded columns, so that wide and narrow batches cost
    the same; ``still_norms`` keeps the batch norms as they are, so that a network opened from a
    model file begins as it reads; ``frame_weight`` is the weight of the per-step cross entropy at
    the start, faded out over ``frame_fade`` of the run.
    """

    seed: int = 1974
    steps: int = 12000
    design: Design = field(default_factory=Design)
    block_shards: int = 10
    check_every: int = 500
    val_lines: int = 1500
    batch_columns: int = 19200
    peak_rate: float = 3e-3
    warmup: float = 0.03
    weight_decay: float = 0.02
    clip: float = 5.0
    still_norms: bool = False
    frame_weight: float = 0.6
    frame_fade: float = 0.5
    recipe: LineRecipe = field(default_factory=LineRecipe)
