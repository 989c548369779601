"""The ink account: assigns each dark pixel of a cell to a character, to dirt, or to unread ink."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.reading import CharReading
from keel_line.read.ink import CellInk

_REACH_CAPS = 0.35
_SIDE_CAPS = 0.15
_LEAST_PART = 0.12
_COVERED = 0.35
_NARROW = frozenset(".,:;'’‘!|lI1i")
_APART_CAPS, _STRAND_CAPS = 0.08, 0.3


@dataclass(frozen=True)
class InkAccount:
    """How a cell's ink is accounted for.

    Attributes
    ----------
    read_px, unread_px, dirt_px
        Pixels that stand where characters were read, elsewhere, and that were judged dirt.
    unread
        Boxes on the page (px) around pieces of writing that no character stands on.
    stray_stroke
        Whether one of them is a stroke that was passed over beside a narrow character.
    """

    read_px: int
    unread_px: int
    dirt_px: int
    unread: tuple[Box, ...]
    stray_stroke: bool = False

    @property
    def unexplained(self) -> float:
        """Share of the writing that no character explains, 0 to 1."""
        writing = self.read_px + self.unread_px
        return self.unread_px / writing if writing else 0.0


def account_ink(
    ink: CellInk, chars: Sequence[CharReading], origin: tuple[int, int], cap_px: float
) -> InkAccount:
    """Compare a cell's ink with the characters that were read from it.

    A character explains the ink around its box: ascenders, descenders and accents reach over it.

    Parameters
    ----------
    ink
        The cell's ink.
    chars
        What was read, with boxes on the page.
    origin
        The cell picture's top left corner on the page (px).
    cap_px
        Height of the capitals (px).
    """
    explained = np.zeros(ink.mask.shape, bool)
    for char in chars:
        x0, y0, x1, y1 = char.box
        rows = _span(
            y0 - _REACH_CAPS * cap_px - origin[1],
            y1 + _REACH_CAPS * cap_px - origin[1],
            ink.mask.shape[0],
        )
        cols = _span(
            x0 - _SIDE_CAPS * cap_px - origin[0],
            x1 + _SIDE_CAPS * cap_px - origin[0],
            ink.mask.shape[1],
        )
        explained[rows, cols] = True
    strands = _strands_beside(ink, chars, origin, cap_px)
    for x, y, width, height in strands:
        explained[y : y + height, x : x + width] = False
    total, read = int(ink.mask.sum()), int((ink.mask & explained).sum())
    unread = tuple(
        (
            float(x + origin[0]),
            float(y + origin[1]),
            float(x + width + origin[0]),
            float(y + height + origin[1]),
        )
        for x, y, width, height, _ in ink.parts.tolist()
        if max(width, height) >= _LEAST_PART * cap_px
        and _covered(ink.mask, explained, x, y, width, height) < _COVERED
    )
    return InkAccount(read, total - read, ink.dirt_px, unread, bool(strands))


def _strands_beside(
    ink: CellInk, chars: Sequence[CharReading], origin: tuple[int, int], cap_px: float
) -> list[tuple[int, int, int, int]]:
    """Return the ink (x, y, width, height) beside a narrow character that is not its own.

    A comma or a 1 is one strand: what stands next to it, and nearer to it than to any other
    character, is the rest of one that was not read.
    """
    seen = [c for c in chars if c.char != " "]
    if not seen:
        return []
    middles = np.array([(c.box[0] + c.box[2]) / 2 - origin[0] for c in seen])
    tops = np.array([c.box[1] - origin[1] for c in seen])
    lows = np.array([c.box[3] - origin[1] for c in seen])
    own: dict[int, list[tuple[int, int, int, int]]] = {}
    for x, y, width, height, _ in ink.parts.tolist():
        middle = y + height / 2
        away = np.abs(middles - x - width / 2)
        # Of the line that it stands on, the nearest.
        off = np.maximum(np.maximum(tops - middle, middle - lows), 0)
        nearest = int(np.lexsort((away, off))[0])
        if seen[nearest].char in _NARROW:
            own.setdefault(nearest, []).append((x, y, width, height))
    out = []
    for number, parts in own.items():
        main = min(parts, key=lambda p: abs(p[0] + p[2] / 2 - middles[number]))
        out += [
            p
            for p in parts
            if max(p[0] - main[0] - main[2], main[0] - p[0] - p[2]) >= _APART_CAPS * cap_px
            and p[3] >= _STRAND_CAPS * cap_px
        ]
    return out


def _covered(
    mask: NDArray[np.bool_], explained: NDArray[np.bool_], x: int, y: int, width: int, height: int
) -> float:
    """Return the share of the ink in a box that characters explain."""
    own = mask[y : y + height, x : x + width]
    return float((own & explained[y : y + height, x : x + width]).sum() / max(1, own.sum()))


def _span(low: float, high: float, size: int) -> slice:
    return slice(int(np.clip(low, 0, size)), int(np.clip(np.ceil(high), 0, size)))
