"""Neighbouring lines of text, and the measures that its study shares."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box

PAD_CAPS = 0.45
"""White around a table's writing that belongs to it (heights of a capital)."""


@dataclass(frozen=True, eq=False)
class Block:
    """Neighbouring text lines: ``rows`` holds the pieces of each, shape (n, 4).

    ``letters`` are those of the whole page, shape (m, 4).
    """

    rows: tuple[NDArray[np.float64], ...]
    cap_px: float
    letters: NDArray[np.float64]

    @property
    def box(self) -> Box:
        """The box around all pieces."""
        every = np.concatenate(self.rows)
        x0, y0 = every[:, :2].min(axis=0).tolist()
        x1, y1 = every[:, 2:].max(axis=0).tolist()
        return (x0, y0, x1, y1)
