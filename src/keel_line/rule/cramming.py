"""Finds ruled grids, and joined cells of them, that hold several rows or columns of a table.

A frame with one rule under the heading makes two cells, the second with every row in it; where a
copier lost a piece of a rule, two cells become one.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Cell, Grid
from keel_line.rule.mend import add_line
from keel_line.rule.roles import Roles
from keel_line.rule.writing import Writing, line_middle

_LIKELY = 0.5
_MOST = 0.5
_COVERED = 0.5
_LEAST_PIECES = 2
_SLACK = 0.25
_APART_CAPS = 1.5
_MOST_BLANK = 60
_NEAREST = 0.85


def is_crammed(grid: Grid, writing: Writing, roles: Roles) -> bool:
    """Return whether many of a ruled grid's cells hold writing that roles keep apart.

    So it is where, on most lines, cells hold pieces beside each other, or hold those of the line
    before, too, although the two lines do not go on with each other. Text that wraps is left: it
    ends on another line in each cell of a row.
    """
    cells = _find_cells(grid, writing)
    if _end_apart(grid, cells, writing.lines):
        return False
    numbers = np.unique(writing.lines[cells >= 0])
    if len(numbers) == 0:
        return False
    beside = shared = 0
    before: set[int] = set()
    for number in numbers.tolist():
        own = np.flatnonzero((writing.lines == number) & (cells >= 0))
        held = cells[own].tolist()
        beside += _stand_beside(writing.boxes[own], cells[own], _APART_CAPS * writing.cap_px)
        apart = float(roles.joins[own].mean()) <= _LIKELY
        shared += apart and bool(before & set(held))
        before = set(held)
    return max(shared, beside) > _MOST * len(numbers)


def is_squared_paper(grid: Grid, writing: Writing) -> bool:
    """Return whether a ruled grid has many cells and all of them are blank."""
    return len(grid.cells) > _MOST_BLANK and bool((_find_cells(grid, writing) < 0).all())


def part_rows(grid: Grid, writing: Writing, roles: Roles) -> Grid:
    """Part a ruled grid's rows whose cells hold lines that do not go on with each other.

    At least two cells, and half of those written in, hold both lines, and these stand as far apart
    as rows do: otherwise text wraps.
    """
    held = _find_cells(grid, writing)
    if _end_apart(grid, held, writing.lines):
        return grid
    pitch = _usual_pitch(writing, held)
    single = np.array([c.row_span == 1 for c in grid.cells])
    inside = held >= 0
    inside[inside] = single[held[inside]]
    before: NDArray[np.int64] = np.zeros(0, np.int64)
    cuts = []
    for number in np.unique(writing.lines[inside]).tolist():
        own = np.flatnonzero((writing.lines == number) & inside)
        upper, lower = set(held[before].tolist()), set(held[own].tolist())
        shared = upper & lower
        several = len(shared) >= max(_LEAST_PIECES, _MOST * len(lower))
        if several and float(roles.joins[own].mean()) <= _LIKELY:
            above = [k for k in before.tolist() if held[k] in shared]
            below = [k for k in own.tolist() if held[k] in shared]
            apart = line_middle(writing.boxes[below]) - line_middle(writing.boxes[above])
            low, top = writing.boxes[above, 3].max(), writing.boxes[below, 1].min()
            if apart >= _NEAREST * pitch:
                cuts.append(float(low + top) / 2)
        before = own
    for cut in cuts:
        grid = add_line(grid, "across", cut)
    return grid


def _usual_pitch(writing: Writing, held: NDArray[np.int64]) -> float:
    """Return how far (px) lines stand below those that they share no cell with; 0 if none do."""
    own = held >= 0
    numbers = np.unique(writing.lines[own]).tolist()
    middles = [line_middle(writing.boxes[own & (writing.lines == n)]) for n in numbers]
    cells = [set(held[own & (writing.lines == n)].tolist()) for n in numbers]
    steps = [
        b - a
        for a, b, upper, lower in zip(middles, middles[1:], cells, cells[1:], strict=False)
        if not upper & lower
    ]
    return float(np.median(steps)) if steps else 0.0


def part_joined_cells(grid: Grid, writing: Writing, roles: Roles) -> Grid:
    """Part a ruled grid's joined cells whose writing stands in several of its places.

    Along columns where no piece lies over a boundary; along rows where roles keep lines apart.
    """
    if all(c.row_span == c.col_span == 1 for c in grid.cells):
        return grid
    held = _find_cells(grid, writing)
    out: list[Cell] = []
    for number, cell in enumerate(grid.cells):
        own = np.flatnonzero(held == number)
        if cell.row_span == cell.col_span == 1 or len(own) < _LEAST_PIECES:
            out.append(cell)
            continue
        boxes = writing.boxes[own]
        xs = grid.x_lines[cell.col : cell.col + cell.col_span + 1]
        ys = grid.y_lines[cell.row : cell.row + cell.row_span + 1]
        apart = roles.joins[own] <= _LIKELY
        wide = _count_places(boxes[:, 0], boxes[:, 2], xs[1:-1]) > 1
        high = _count_places(boxes[:, 1], boxes[:, 3], ys[1:-1]) > 1 and bool(apart.all())
        out += _part(cell, xs if wide else (xs[0], xs[-1]), ys if high else (ys[0], ys[-1]))
    return replace(grid, cells=tuple(sorted(out, key=lambda c: (c.row, c.col))))


def _count_places(
    first: NDArray[np.float64], last: NDArray[np.float64], inner: Sequence[float]
) -> int:
    """Return in how many places between boundaries pieces stand; 1 where one lies over any."""
    at = np.array(inner)
    slack = _SLACK * (last - first)
    low, high = np.searchsorted(at, first + slack), np.searchsorted(at, last - slack)
    return 1 if (low != high).any() else len(np.unique(low))


def _part(cell: Cell, xs: Sequence[float], ys: Sequence[float]) -> list[Cell]:
    """Return a cell parted at the boundaries ``xs`` and ``ys``, its own outer ones among them."""
    if len(xs) == len(ys) == 2:
        return [cell]
    x0, y0, x1, y1 = cell.box
    lefts, rights = [x0, *xs[1:-1]], [*xs[1:-1], x1]
    tops, lows = [y0, *ys[1:-1]], [*ys[1:-1], y1]
    high = 1 if len(ys) > 2 else cell.row_span
    wide = 1 if len(xs) > 2 else cell.col_span
    return [
        Cell(cell.row + r, cell.col + c, high, wide, (lefts[c], tops[r], rights[c], lows[r]))
        for r in range(len(tops))
        for c in range(len(lefts))
    ]


def _end_apart(grid: Grid, held: NDArray[np.int64], lines: NDArray[np.int64]) -> bool:
    """Return whether the cells of a row that hold several lines mostly end on different ones."""
    ends: dict[int, list[int]] = {}
    for number, cell in enumerate(grid.cells):
        own = np.unique(lines[held == number])
        if len(own) > 1 and cell.row_span == 1:
            ends.setdefault(cell.row, []).append(int(own[-1]))
    others = sum(len(e) - 1 for e in ends.values())
    alike = sum(e.count(max(e)) - 1 for e in ends.values())
    return others > 0 and alike < _MOST * others


def _stand_beside(boxes: NDArray[np.float64], held: NDArray[np.int64], apart: float) -> bool:
    """Return whether two pieces of a line that stand so far apart (px) are in one cell."""
    order = np.argsort(boxes[:, 0])
    gaps = boxes[order[1:], 0] - boxes[order[:-1], 2]
    return bool(((np.diff(held[order]) == 0) & (gaps >= apart)).any())


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
