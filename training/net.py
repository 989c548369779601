"""The recogniser: a convolutional stem that folds the line's height away, then residual blocks."""

from __future__ import annotations

import torch
from torch import Tensor, nn
from torch.nn import functional

from training.config import Design

_COARSE = 24
_STAGE = 3  # modules of a stage of the stem
_HEARERS = ("body.3.weight", "stem.3.weight")  # convolutions whose inputs may have grown


class Residual(nn.Module):
    """A block along the line: a wide convolution, a pointwise one, and the way around them."""

    def __init__(self, channels: int, inner: int, width: int, dilation: int = 1) -> None:
        super().__init__()
        pad = dilation * (width // 2)
        self.body = nn.Sequential(
            nn.Conv2d(
                channels, inner, (1, width), padding=(0, pad), dilation=(1, dilation), bias=False
            ),
            nn.BatchNorm2d(inner),
            nn.ReLU(inplace=True),
            nn.Conv2d(inner, channels, 1, bias=False),
            nn.BatchNorm2d(channels),
        )

    def forward(self, x: Tensor) -> Tensor:
        """Map (batch, channels, 1, steps) to the same shape."""
        return torch.relu(x + self.body(x))


class Upright(nn.Module):
    """A block over height and width: two convolutions of 3x3, and the way around them."""

    def __init__(self, channels: int) -> None:
        super().__init__()
        self.body = nn.Sequential(
            nn.Conv2d(channels, channels, 3, padding=1, bias=False),
            nn.BatchNorm2d(channels),
            nn.ReLU(inplace=True),
            nn.Conv2d(channels, channels, 3, padding=1, bias=False),
            nn.BatchNorm2d(channels),
        )

    def forward(self, x: Tensor) -> Tensor:
        """Map (batch, channels, rows, steps) to the same shape."""
        return torch.relu(x + self.body(x))


class Style(nn.Module):
    """Tell every step what the whole line looks like, and scale and shift its features by that.

    The mean over the inked steps says how letters are set, how bold they are and how worn
    (feature-wise modulation after Perez and others, "FiLM", AAAI 2018). Padding has no ink, so the
    width of the batch does not matter. Begins as the identity.
    """

    def __init__(self, channels: int, inner: int = 64) -> None:
        super().__init__()
        self.squeeze = nn.Linear(channels, inner)
        self.spread = nn.Linear(inner, 2 * channels)
        nn.init.zeros_(self.spread.weight)
        nn.init.zeros_(self.spread.bias)

    def forward(self, x: Tensor, ink: Tensor) -> Tensor:
        """Map (batch, channels, 1, steps); ``ink`` (batch, 1, 1, steps) weighs the steps."""
        mean = (x * ink).sum(dim=(2, 3)) / (ink.sum(dim=(2, 3)) + 1e-3)
        scale, shift = self.spread(torch.relu(self.squeeze(mean)))[:, :, None, None].chunk(2, 1)
        return torch.relu(x * (1 + scale) + shift)


class LineNet(nn.Module):
    """Lines of shape (batch, 1, 48, width) in, logits of shape (batch, steps, classes) out.

    One step is four columns. Pixels run from 0 (paper) to 1 (ink).
    """

    def __init__(self, classes: int, design: Design) -> None:
        super().__init__()
        channels = design.channels

        def stage(
            a: int, b: int, kernel: int, stride: tuple[int, int], padding: tuple[int, int]
        ) -> list[nn.Module]:
            return [
                nn.Conv2d(a, b, kernel, stride, padding, bias=False),
                nn.BatchNorm2d(b),
                nn.ReLU(inplace=True),
            ]

        # A coarse network sees every line at half its resolution.
        self.halve = nn.Identity() if design.fine else nn.AvgPool2d(2)
        first = design.fine or _COARSE
        opening = (10, (4, 4), (4, 4)) if design.fine else (5, (2, 2), (2, 2))
        self.stem = nn.Sequential(
            *stage(1, first, *opening),
            *stage(first, 48, 3, (2, 1), (1, 1)),
            *stage(48, 96, 3, (2, 1), (1, 1)),
            *stage(96, channels, 3, (1, 1), (0, 1)),
        )
        self.upright = nn.ModuleList(
            nn.Sequential(*(Upright(width) for _ in range(count)))
            for width, count in zip((first, 48, 96), design.upright, strict=True)
        )
        inner = design.inner or channels
        self.blocks = nn.ModuleList(Residual(channels, inner, w, d) for w, d in design.blocks)
        self.style_after = design.style_after
        if design.style_after >= 0:
            self.style = Style(channels)
        self.drop = nn.Dropout(0.1)
        self.head = nn.Conv2d(channels, classes, 1)

    def forward(self, x: Tensor) -> Tensor:
        """Return logits, shape (batch, steps, classes)."""
        features = self.halve(x)
        for number, upright in enumerate(self.upright):
            features = upright(self.stem[_STAGE * number : _STAGE * (number + 1)](features))
        features = self.stem[_STAGE * len(self.upright) :](features)
        for number, block in enumerate(self.blocks):
            if number == self.style_after:
                ink = functional.avg_pool2d(x.mean(dim=2, keepdim=True), (1, 4))
                features = self.style(features, ink)
            features = block(features)
        return self.head(self.drop(features)).squeeze(2).transpose(1, 2)


def grow(net: LineNet, weights: dict[str, Tensor]) -> None:
    """Load the weights of a smaller network: fewer blocks, narrower ones, or a coarser stem.

    What is new adds nothing at first, so that ``net`` reads as the smaller one did.

    Raises
    ------
    RuntimeError
        When the weights hold something that ``net`` has no place for.
    """
    own = net.state_dict()
    widened = {
        name: _widen(own[name], _refine(own[name], value), unheard=name.endswith(_HEARERS))
        if name in own and own[name].shape != value.shape
        else value
        for name, value in weights.items()
    }
    missing, unexpected = net.load_state_dict(widened, strict=False)
    if unexpected:
        raise RuntimeError(f"no place for {unexpected}")
    for name in missing:
        if name.endswith("body.4.weight"):  # the norm at the end of a block that is new
            nn.init.zeros_(net.get_parameter(name))


def _refine(fresh: Tensor, weights: Tensor) -> Tensor:
    """Spread the first kernel of a coarse stem over twice the pixels: what it saw was their mean.

    A kernel of any other size is given back as it is.
    """
    if fresh.dim() < 4 or fresh.shape[2] != 2 * weights.shape[2]:
        return weights
    return weights.repeat_interleave(2, 2).repeat_interleave(2, 3) / 4


def _widen(fresh: Tensor, weights: Tensor, *, unheard: bool) -> Tensor:
    """Put narrower weights into the corner of wider ones.

    ``unheard`` weights listen to channels some of which are new: those are not heard at first.
    """
    if any(a < b for a, b in zip(fresh.shape, weights.shape, strict=True)):
        raise RuntimeError(f"no place for weights of shape {tuple(weights.shape)}")
    out = torch.zeros_like(fresh) if unheard else fresh.clone()
    out[tuple(slice(n) for n in weights.shape)] = weights
    return out
