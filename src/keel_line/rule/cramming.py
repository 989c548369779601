"""Finds ruled grids whose cells hold several rows or columns of a table.

A frame with one rule under the heading makes two cells, the second with every row in it.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Grid
from keel_line.rule.roles import Roles
from keel_line.rule.writing import Writing

_LIKELY = 0.5
_MOST_ROWS, _MOST_COLS = 0.25, 0.5
_COVERED = 0.5


def is_crammed(grid: Grid, writing: Writing, roles: Roles) -> bool:
    """Return whether many of a ruled grid's cells hold writing that roles keep apart.

    So it is where lines that do not go on with each other share cells on a quarter of the lines, or
    where cells hold pieces beside each other on half of them.
    """
    cells = _find_cells(grid, writing)
    numbers = np.unique(writing.lines[cells >= 0])
    if len(numbers) == 0:
        return False
    beside = shared = 0
    before: set[int] = set()
    for number in numbers.tolist():
        own = np.flatnonzero((writing.lines == number) & (cells >= 0))
        held = cells[own].tolist()
        beside += len(set(held)) < len(held)
        apart = float(roles.joins[own].mean()) <= _LIKELY
        shared += apart and bool(before & set(held))
        before = set(held)
    return shared > _MOST_ROWS * len(numbers) or beside > _MOST_COLS * len(numbers)


def _find_cells(grid: Grid, writing: Writing) -> NDArray[np.int64]:
    """Return the number of the cell that each piece has its middle in, -1 for none."""
    middles = (writing.boxes[:, :2] + writing.boxes[:, 2:]) / 2
    out = np.full(len(middles), -1, np.int64)
    for k, cell in enumerate(grid.cells):
        out[((middles >= cell.box[:2]) & (middles <= cell.box[2:])).all(axis=1)] = k
    return out


def takes_place_of(found: Grid, ruled: Grid) -> bool:
    """Return whether a grid that roles show covers a ruled one, with more rows or columns."""
    x0, y0 = max(found.box[0], ruled.box[0]), max(found.box[1], ruled.box[1])
    x1, y1 = min(found.box[2], ruled.box[2]), min(found.box[3], ruled.box[3])
    shared = max(0.0, x1 - x0) * max(0.0, y1 - y0)
    area = (ruled.box[2] - ruled.box[0]) * (ruled.box[3] - ruled.box[1])
    return shared >= _COVERED * area and found.rows * found.cols > ruled.rows * ruled.cols
