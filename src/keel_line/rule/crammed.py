"""Finds ruled grids with whole table parts in single cells.

A frame with one rule under the heading makes two cells, the second with every row in it.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import Grid
from keel_line.rule.writing import Writing

_LEAST_HIGH_IN = 0.25  # three lines of the smallest print
_LEAST_PIECES = 4
_FEW_LINES, _MANY_LINES = 3, 4
_MOSTLY = 0.5
_END_ALIKE = 0.6
_SAME_HEIGHT_CAPS = 0.6
_COVERED = 0.5


def may_cram(grid: Grid, dpi: float) -> bool:
    """Return whether any of a grid's cells is high enough to hold several rows."""
    return any(c.box[3] - c.box[1] >= _LEAST_HIGH_IN * dpi for c in grid.cells)


def is_crammed(grid: Grid, writing: Writing) -> bool:
    """Return whether most of a grid's writing lies in cells that hold several rows of it.

    Such a cell holds three lines or more, with pieces beside each other on them; or four lines or
    more, with as many at the same heights in its neighbours. Text that wraps in several columns
    ends at another height in each.
    """
    middles = (writing.boxes[:, :2] + writing.boxes[:, 2:]) / 2
    own = [_pieces_in(cell.box, middles) for cell in grid.cells]
    level = _find_level(grid, own, writing)
    held = sum(len(pieces) for pieces in own)
    crammed = sum(
        len(pieces)
        for number, pieces in enumerate(own)
        if number in level or _holds_rows(pieces, writing)
    )
    return held > 0 and crammed >= _MOSTLY * held


def takes_place_of(found: Grid, ruled: Grid) -> bool:
    """Return whether a grid that alignment shows covers a ruled one, with more rows or columns."""
    x0, y0 = max(found.box[0], ruled.box[0]), max(found.box[1], ruled.box[1])
    x1, y1 = min(found.box[2], ruled.box[2]), min(found.box[3], ruled.box[3])
    shared = max(0.0, x1 - x0) * max(0.0, y1 - y0)
    area = (ruled.box[2] - ruled.box[0]) * (ruled.box[3] - ruled.box[1])
    return shared >= _COVERED * area and found.rows * found.cols > ruled.rows * ruled.cols


def _pieces_in(box: Box, middles: NDArray[np.float64]) -> NDArray[np.int64]:
    inside = ((middles >= box[:2]) & (middles <= box[2:])).all(axis=1)
    return np.flatnonzero(inside)


def _holds_rows(pieces: NDArray[np.int64], writing: Writing) -> bool:
    """Return whether pieces stand on several lines, beside each other on most of them."""
    if len(pieces) < _LEAST_PIECES:
        return False
    _, counts = np.unique(writing.lines[pieces], return_counts=True)
    beside = int((counts > 1).sum())
    return len(counts) >= _FEW_LINES and beside >= max(2, _MOSTLY * len(counts))


def _find_level(grid: Grid, own: list[NDArray[np.int64]], writing: Writing) -> set[int]:
    """Return the cells of many lines that stand at the heights of a neighbour's; by number.

    None where the cells of a row mostly end at different heights, as wrapped text does.
    """
    rows: dict[int, list[int]] = {}
    for number, cell in enumerate(grid.cells):
        if len(np.unique(writing.lines[own[number]])) >= _MANY_LINES:
            rows.setdefault(cell.row, []).append(number)
    level: set[int] = set()
    others = ends_alike = 0
    for numbers in rows.values():
        heights = [_heights(own[n], writing) for n in numbers]
        last = max(h.max() for h in heights)
        near = _SAME_HEIGHT_CAPS * writing.cap_px
        others += len(numbers) - 1
        ends_alike += sum(h.max() >= last - near for h in heights) - 1
        level.update(
            n
            for n, h in zip(numbers, heights, strict=True)
            if any(_are_level(h, other, near) for other in heights if other is not h)
        )
    return level if ends_alike >= _END_ALIKE * others else set()


def _are_level(heights: NDArray[np.float64], others: NDArray[np.float64], near: float) -> bool:
    off = np.abs(heights[:, None] - others[None, :]).min(axis=1)
    return bool((off <= near).mean() > _MOSTLY)


def _heights(pieces: NDArray[np.int64], writing: Writing) -> NDArray[np.float64]:
    boxes = writing.boxes[pieces]
    return np.asarray((boxes[:, 1] + boxes[:, 3]) / 2, np.float64)
