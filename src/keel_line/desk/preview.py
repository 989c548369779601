"""Previews a table with an edited grid before its page is read again."""

from __future__ import annotations

from dataclasses import replace

from keel_line.model.grid import Grid
from keel_line.model.reading import Reading
from keel_line.model.table import CellState, TableState


def preview_table(table: TableState, grid: Grid) -> TableState:
    """Return a table with another grid; each cell gets the texts that were in its place.

    Cells keep their state where their place is unchanged; others carry what was read in them, in
    reading order, until the page is read again.
    """
    same = {state.cell.box: state for state in table.cells}
    middles = [
        (
            (s.cell.box[0] + s.cell.box[2]) / 2,
            (s.cell.box[1] + s.cell.box[3]) / 2,
            s.text,
        )
        for s in table.cells
    ]
    cells = []
    for cell in grid.cells:
        known = same.get(cell.box)
        if known is not None:
            cells.append(replace(known, cell=cell))
            continue
        x0, y0, x1, y1 = cell.box
        texts = [t for x, y, t in middles if x0 <= x < x1 and y0 <= y < y1 and t]
        cells.append(CellState(-1, cell, Reading(" ".join(texts), 0.5), None, flagged=False))
    return replace(
        table, grid=grid, cells=tuple(cells), header_rows=min(table.header_rows, grid.rows - 1)
    )
