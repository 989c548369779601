"""The recogniser: a convolutional stem that folds the line's height away, then residual blocks."""

from __future__ import annotations

import torch
from torch import Tensor, nn


class Residual(nn.Module):
    """A block along the line: a wide convolution, a pointwise one, and the way around them."""

    def __init__(self, channels: int, width: int, dilation: int = 1) -> None:
        super().__init__()
        pad = dilation * (width // 2)
        self.body = nn.Sequential(
            nn.Conv2d(
                channels, channels, (1, width), padding=(0, pad), dilation=(1, dilation), bias=False
            ),
            nn.BatchNorm2d(channels),
            nn.ReLU(inplace=True),
            nn.Conv2d(channels, channels, 1, bias=False),
            nn.BatchNorm2d(channels),
        )

    def forward(self, x: Tensor) -> Tensor:
        """Map (batch, channels, 1, steps) to the same shape."""
        return torch.relu(x + self.body(x))


class LineNet(nn.Module):
    """Lines of shape (batch, 1, 24, width) in, logits of shape (batch, steps, classes) out.

    One step is two columns. Pixels run from 0 (paper) to 1 (ink).
    """

    def __init__(self, classes: int, channels: int = 144) -> None:
        super().__init__()

        def stage(
            a: int, b: int, kernel: int, stride: tuple[int, int], padding: tuple[int, int]
        ) -> list[nn.Module]:
            return [
                nn.Conv2d(a, b, kernel, stride, padding, bias=False),
                nn.BatchNorm2d(b),
                nn.ReLU(inplace=True),
            ]

        self.stem = nn.Sequential(
            *stage(1, 24, 5, (2, 2), (2, 2)),
            *stage(24, 48, 3, (2, 1), (1, 1)),
            *stage(48, 96, 3, (2, 1), (1, 1)),
            *stage(96, channels, 3, (1, 1), (0, 1)),
        )
        self.blocks = nn.Sequential(
            Residual(channels, 5),
            Residual(channels, 7),
            Residual(channels, 5, 2),
            Residual(channels, 7),
        )
        self.drop = nn.Dropout(0.1)
        self.head = nn.Conv2d(channels, classes, 1)

    def forward(self, x: Tensor) -> Tensor:
        """Return logits, shape (batch, steps, classes)."""
        features = self.blocks(self.stem(x))
        return self.head(self.drop(features)).squeeze(2).transpose(1, 2)
