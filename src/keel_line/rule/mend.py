"""Edits a grid: its lines are moved, added and removed, each edit giving a new grid.

A grid is taken apart into a matrix that says which cell owns each field; boundaries are columns
and rows of that matrix, so every mend keeps cells rectangular.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import Cell, Direction, Grid

LEAST_APART_PX = 6.0


def move_line(grid: Grid, direction: Direction, index: int, to: float) -> Grid:
    """Move a boundary; it stays at least 6 px from its neighbours.

    Parameters
    ----------
    grid
        The grid.
    direction
        Which boundaries are counted.
    index
        The boundary's number, 0 for the first.
    to
        Its new place in px of the squared page.
    """
    lines = list(grid.lines(direction))
    low = lines[index - 1] + LEAST_APART_PX if index > 0 else -np.inf
    high = lines[index + 1] - LEAST_APART_PX if index + 1 < len(lines) else np.inf
    lines[index] = float(min(max(to, low), high)) if low <= high else lines[index]
    moved = _rebuilt(grid, direction, lines, _owners(grid))
    return replace(moved, heading_rows=grid.heading_rows)


def add_line(grid: Grid, direction: Direction, at: float) -> Grid:
    """Add a boundary; cells that it runs through are parted, cells that span there go on spanning.

    Beyond the grid's edge it becomes the new edge. Where it would lie within 6 px of another the
    grid is unchanged.
    """
    lines = list(grid.lines(direction))
    if min(abs(at - line) for line in lines) < LEAST_APART_PX:
        return grid
    owners = _owners(grid) if direction == "down" else _owners(grid).T
    index = int(np.searchsorted(lines, at))
    lines.insert(index, float(at))
    fresh = int(owners.max()) + 1
    if 0 < index < len(lines) - 1:
        own = owners[:, index - 1]
        spans = np.array([(owners[r] == owners[r, index - 1]).sum() > 1 for r in range(len(own))])
        new = np.where(spans, own, own + fresh)
        owners = np.insert(owners, index, new, axis=1)
    else:
        new = fresh + np.arange(len(owners))
        owners = np.insert(owners, 0 if index == 0 else owners.shape[1], new, axis=1)
    return _rebuilt(grid, direction, lines, owners if direction == "down" else owners.T)


def remove_line(grid: Grid, direction: Direction, index: int) -> Grid:
    """Remove a boundary: what it parted becomes one; an outer one takes its row or column along.

    A grid keeps at least one row and one column.
    """
    lines = list(grid.lines(direction))
    if len(lines) <= 2:
        return grid
    owners = _owners(grid) if direction == "down" else _owners(grid).T
    # Of two columns that become one, the left one's cells take the place.
    gone = 0 if index == 0 else index if index < len(lines) - 1 else index - 1
    owners = np.delete(owners, gone, axis=1)
    del lines[index]
    return _rebuilt(grid, direction, lines, owners if direction == "down" else owners.T)


def join_cells(grid: Grid, rows: tuple[int, int], cols: tuple[int, int]) -> Grid:
    """Join all cells that lie in, or reach into, the fields from the first to before the last."""
    owners = _owners(grid)
    (r0, r1), (c0, c1) = rows, cols
    while True:
        inside = np.isin(owners, owners[r0:r1, c0:c1])
        at_rows, at_cols = np.nonzero(inside)
        grown = (int(at_rows.min()), int(at_rows.max()) + 1)
        wider = (int(at_cols.min()), int(at_cols.max()) + 1)
        if (grown, wider) == ((r0, r1), (c0, c1)):
            break
        (r0, r1), (c0, c1) = grown, wider
    owners[r0:r1, c0:c1] = owners.max() + 1
    return _rebuilt(grid, "down", list(grid.x_lines), owners)


def part_cell(grid: Grid, row: int, col: int) -> Grid:
    """Part a cell that spans into the single fields it covers."""
    owners = _owners(grid)
    mine = owners == owners[row, col]
    owners[mine] = owners.max() + 1 + np.arange(int(mine.sum()))
    return _rebuilt(grid, "down", list(grid.x_lines), owners)


def make_plain_grid(box: Box, rows: int, cols: int) -> Grid:
    """Make a grid of even rows and columns over an area, with no rule on paper."""
    xs = tuple(np.linspace(box[0], box[2], cols + 1).tolist())
    ys = tuple(np.linspace(box[1], box[3], rows + 1).tolist())
    return make_grid(xs, ys)


def make_grid(
    xs: Sequence[float],
    ys: Sequence[float],
    spans: Sequence[tuple[int, int, int, int]] = (),
    heading_rows: int | None = None,
) -> Grid:
    """Make a grid of boundaries, with no rule on paper.

    ``spans`` are cells that cover several: row, column, rows and columns.
    """
    cells = tuple(
        Cell(r, c, 1, 1, (xs[c], ys[r], xs[c + 1], ys[r + 1]))
        for r in range(len(ys) - 1)
        for c in range(len(xs) - 1)
    )
    grid = Grid((xs[0], ys[0], xs[-1], ys[-1]), tuple(xs), tuple(ys), cells)
    for row, col, rows, cols in spans:
        grid = join_cells(grid, (row, row + rows), (col, col + cols))
    return replace(grid, heading_rows=heading_rows)


def place_grid(grid: Grid, scale: Sequence[float], shift: Sequence[float]) -> Grid:
    """Lay a grid elsewhere: every x becomes ``scale[0] * x + shift[0]``, every y likewise.

    Rules on paper are not carried along: they lie where they lie.
    """

    def x(value: float) -> float:
        return scale[0] * value + shift[0]

    def y(value: float) -> float:
        return scale[1] * value + shift[1]

    def box(around: Box) -> Box:
        return (x(around[0]), y(around[1]), x(around[2]), y(around[3]))

    cells = tuple(replace(c, box=box(c.box)) for c in grid.cells)
    xs, ys = tuple(map(x, grid.x_lines)), tuple(map(y, grid.y_lines))
    return Grid(box(grid.box), xs, ys, cells, on_side=grid.on_side, heading_rows=grid.heading_rows)


def shift_grid(grid: Grid, dx: float, dy: float) -> Grid:
    """Return a grid with its rules elsewhere: ``dx`` px to the right, ``dy`` px down."""
    placed = place_grid(grid, (1.0, 1.0), (dx, dy))
    return replace(placed, rules=tuple(r.moved(dx, dy) for r in grid.rules))


def fill_box(grid: Grid, box: Box) -> Grid:
    """Stretch and shift a grid so that it fills a box (px)."""
    x0, y0, x1, y1 = grid.box
    scale = ((box[2] - box[0]) / max(x1 - x0, 1.0), (box[3] - box[1]) / max(y1 - y0, 1.0))
    return place_grid(grid, scale, (box[0] - scale[0] * x0, box[1] - scale[1] * y0))


def _owners(grid: Grid) -> NDArray[np.int64]:
    """Return the number of the cell that owns each field, shape (rows, cols)."""
    out = np.zeros((grid.rows, grid.cols), np.int64)
    for number, c in enumerate(grid.cells):
        out[c.row : c.row + c.row_span, c.col : c.col + c.col_span] = number
    return out


def _rebuilt(
    grid: Grid, direction: Direction, lines: list[float], owners: NDArray[np.int64]
) -> Grid:
    """Build a grid from boundaries and owners; cells between the same boundaries keep their box."""
    ys = tuple(lines) if direction == "across" else grid.y_lines
    xs = tuple(lines) if direction == "down" else grid.x_lines
    known = {
        (
            grid.x_lines[c.col],
            grid.y_lines[c.row],
            grid.x_lines[c.col + c.col_span],
            grid.y_lines[c.row + c.row_span],
        ): c.box
        for c in grid.cells
    }
    inset_x = {x: _inset(grid, "down", x) for x in xs}
    inset_y = {y: _inset(grid, "across", y) for y in ys}
    cells = []
    for number in np.unique(owners).tolist():
        at_rows, at_cols = np.nonzero(owners == number)
        r0, r1 = int(at_rows.min()), int(at_rows.max()) + 1
        c0, c1 = int(at_cols.min()), int(at_cols.max()) + 1
        around = (xs[c0], ys[r0], xs[c1], ys[r1])
        box = known.get(
            around,
            (
                around[0] + inset_x[around[0]],
                around[1] + inset_y[around[1]],
                around[2] - inset_x[around[2]],
                around[3] - inset_y[around[3]],
            ),
        )
        cells.append(Cell(r0, c0, r1 - r0, c1 - c0, box))
    cells.sort(key=lambda c: (c.row, c.col))
    return Grid((xs[0], ys[0], xs[-1], ys[-1]), xs, ys, tuple(cells), grid.rules)


def _inset(grid: Grid, direction: Direction, at: float) -> float:
    """Return how far a cell keeps from a boundary: half the thickness of a rule that lies on it."""
    if not grid.is_ruled(direction, at):
        return 0.0
    thick = [r.thickness_px for r in grid.rules if r.direction == direction]
    return float(np.median(thick)) / 2 + 0.5
