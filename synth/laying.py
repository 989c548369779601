"""Made pages as the product lays them: squared, their grids found, each cell beside its truth."""

from __future__ import annotations

from collections.abc import Sequence

from keel_line.model.grid import Cell, Grid
from keel_line.model.page import Page, Resolution, SquaredPage
from keel_line.rule.survey import find_grids
from keel_line.square.straighten import square_page
from synth.pages import CellTruth, MadePage, TableTruth


def lay(page: MadePage) -> tuple[SquaredPage, list[Grid]]:
    """Square a made page and find its grids."""
    squared = square_page(Page(page.grey, Resolution(page.x_dpi, page.y_dpi), "made", 1, "scan"))
    return squared, find_grids(squared.pixels, squared.dpi)


def pair_texts(grids: Sequence[Grid], tables: Sequence[TableTruth]) -> list[list[str] | None]:
    """Return for each grid what is truly written in its cells, in the order of ``grid.cells``.

    A wrong grid has None, for a row too few or too many would put every text below it out of place;
    so have all grids of a page of which there are more or fewer than tables.
    """
    if len(grids) != len(tables):
        return [None] * len(grids)
    return [_match(grid, table) for grid, table in zip(grids, tables, strict=True)]


def _match(grid: Grid, table: TableTruth) -> list[str] | None:
    truth = {_place(cell): cell.text for cell in table.cells}
    places = [_place(cell) for cell in grid.cells]
    return [truth[place] for place in places] if set(places) == truth.keys() else None


def _place(cell: Cell | CellTruth) -> tuple[int, int, int, int]:
    return cell.row, cell.col, cell.row_span, cell.col_span


def split_lines(text: str, count: int) -> list[str] | None:
    """Return what is written on each of the ``count`` lines that were found in a cell.

    Lines of a blank cell say nothing; where other lines were found than are written, None.
    """
    lines = text.split("\n") if text else [""] * count
    return lines if len(lines) == count else None
