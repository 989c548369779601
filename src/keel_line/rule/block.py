"""Neighbouring lines of text, and the measures that its study shares."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box

LEAST_ROWS = 3
"""Fewer lines are no table, and fewer values keep no edge."""

HEADING_ROWS = 2
"""So many rows at the top may be headings."""

EDGED = 0.8
"""A column keeps an edge where so many of its values do."""

TITLE_SPACE_CAPS = 1.5
"""The most that words of one text stand apart (heights of a capital)."""

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

    @property
    def columned(self) -> int:
        """How many lines have several pieces."""
        return sum(len(row) >= 2 for row in self.rows)
