"""Prepares a table's cells for the network: their ink, lines, and line pictures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from keel_line._shared.paper import Grey
from keel_line.model.grid import Cell, Grid
from keel_line.read.edges import runs_over
from keel_line.read.ink import CellInk, ink_depth, take_ink
from keel_line.read.lines import TextLine, find_lines, guess_cap_px, usual_cap_px
from keel_line.read.prepare import LineRecipe, prepare_line

_SIDE_CAPS = 0.35


@dataclass(frozen=True, eq=False)
class PreparedCell:
    """A cell prepared for the network: its ink, its lines, and their pictures.

    ``baseline`` is where a line of its row stands or would stand (px from the cell's top), ``cut``
    tells that its writing goes on beyond its side.
    """

    cell: Cell
    origin: tuple[int, int]
    ink: CellInk
    cap_px: float
    baseline: float
    lines: tuple[TextLine, ...]
    lefts: tuple[int, ...]
    pictures: tuple[Grey, ...]
    cut: bool


def prepare_grid(flat: Grey, dpi: float, grid: Grid, recipe: LineRecipe) -> list[PreparedCell]:
    """Extract the ink of every cell, find its lines, and prepare them by the recipe.

    ``flat`` is the squared page with its light evened out.
    """
    depth = ink_depth(flat)
    rule_px = float(np.median([r.thickness_px for r in grid.rules])) if grid.rules else 2.0
    crops = [_crop(flat, cell) for cell in grid.cells]
    cap = dpi * 0.1
    inks: list[CellInk] = []
    for _ in range(2):  # once to learn how high the letters are, once knowing it
        inks = [take_ink(crop, depth, cap, rule_px) for crop, _ in crops]
        parts = [i.parts for i in inks if not i.is_blank]
        guess = guess_cap_px(np.concatenate(parts) if parts else np.zeros((0, 5), np.int32), dpi)
        if abs(guess - cap) < 0.2 * cap:
            break
        cap = guess
    first = [find_lines(i, cap) for i in inks]
    cap = usual_cap_px([line for lines in first for line in lines], cap)
    found = [find_lines(i, cap) for i in inks]
    origins = [origin for _, origin in crops]
    rows = _find_row_lines(grid, origins, found)
    found = [
        _share_baseline(lines, rows[cell.row] - origin[1], cap) if cell.row in rows else lines
        for cell, origin, lines in zip(grid.cells, origins, found, strict=True)
    ]
    expected = _expect_row_lines(grid, rows, cap)
    return [
        _prepare_cell(
            cell,
            origin,
            ink,
            lines,
            cap,
            row_line - origin[1],
            recipe,
            cut=runs_over(flat, origin, ink.mask, depth, cap, rule_px),
        )
        for cell, origin, ink, lines, row_line in zip(
            grid.cells, origins, inks, found, expected, strict=True
        )
    ]


def _crop(flat: Grey, cell: Cell) -> tuple[Grey, tuple[int, int]]:
    rows, cols = flat.shape
    x0, y0 = max(0, int(np.ceil(cell.box[0]))), max(0, int(np.ceil(cell.box[1])))
    x1, y1 = min(cols, int(cell.box[2])), min(rows, int(cell.box[3]))
    x0, y0 = min(x0, cols - 1), min(y0, rows - 1)
    return np.ascontiguousarray(flat[y0 : max(y1, y0 + 1), x0 : max(x1, x0 + 1)]), (x0, y0)


def _find_row_lines(
    grid: Grid, origins: Sequence[tuple[int, int]], found: Sequence[list[TextLine]]
) -> dict[int, float]:
    """Return the place of a row's single line on the page, for rows that show it."""
    seen: dict[int, list[float]] = {}
    for cell, origin, lines in zip(grid.cells, origins, found, strict=True):
        if len(lines) == 1 and lines[0].sure and cell.row_span == 1:
            seen.setdefault(cell.row, []).append(origin[1] + lines[0].baseline)
    return {row: float(np.median(own)) for row, own in seen.items()}


def _expect_row_lines(grid: Grid, rows: dict[int, float], cap_px: float) -> list[float]:
    """Return for each cell where on the page a line of it would stand.

    Rows that show none are taken to be like the table's others.
    """
    bottoms = {c.row: c.box[3] for c in grid.cells if c.row_span == 1}
    rises = [bottoms[row] - line for row, line in rows.items()]
    rise = float(np.median(rises)) if rises else None
    return [
        rows[c.row]
        if c.row in rows
        else c.box[3] - rise
        if rise is not None
        else (c.box[1] + c.box[3] + cap_px) / 2
        for c in grid.cells
    ]


def _share_baseline(lines: list[TextLine], baseline: float, cap_px: float) -> list[TextLine]:
    """Give a line without letters of its own the baseline of its row."""
    if len(lines) != 1 or lines[0].sure or abs(baseline - lines[0].baseline) >= 0.8 * cap_px:
        return lines
    one = lines[0]
    return [TextLine(one.top, one.bottom, one.left, one.right, baseline, cap_px, sure=False)]


def _prepare_cell(
    cell: Cell,
    origin: tuple[int, int],
    ink: CellInk,
    lines: list[TextLine],
    cap_px: float,
    baseline: float,
    recipe: LineRecipe,
    *,
    cut: bool,
) -> PreparedCell:
    lefts, pictures = [], []
    for line in lines:
        side = round(_SIDE_CAPS * line.cap_px)
        left, right = max(0, line.left - side), min(ink.grey.shape[1], line.right + side)
        crop = np.ascontiguousarray(ink.grey[line.top : line.bottom, left:right])
        lefts.append(left)
        pictures.append(prepare_line(crop, line.baseline - line.top, line.cap_px, recipe))
    return PreparedCell(
        cell, origin, ink, cap_px, baseline, tuple(lines), tuple(lefts), tuple(pictures), cut
    )


def by_column(cells: Sequence[PreparedCell]) -> dict[int, list[int]]:
    """Return the numbers of each column's cells, those over several columns left out."""
    columns: dict[int, list[int]] = {}
    for number, cell in enumerate(cells):
        if cell.cell.col_span == 1:
            columns.setdefault(cell.cell.col, []).append(number)
    return columns
