"""Finds headings that a later page repeats: its table continues, or is of the same form."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import takewhile

from keel_line._shared.texts import are_alike
from keel_line.model.table import TableState

_MOST_ALIKE = 0.8  # of a heading's texts
_LEAST_TEXTS = 2


def find_repeated(tables: Sequence[TableState], index: int) -> TableState | None:
    """Return the nearest earlier table whose heading is repeated by one of ``tables``, if any.

    A heading is repeated where the table has as many columns and begins with the same texts, a
    misread character aside, on another page; how many of its own rows are said to be heading does
    not matter.
    """
    table = tables[index]
    texts = _texts(table)
    for earlier in reversed(tables[:index]):
        if earlier.page_id != table.page_id and _repeats(table, texts, earlier):
            return earlier
    return None


def find_all_repeated(tables: Sequence[TableState]) -> dict[int, int]:
    """Return, for each table with a repeated heading, its id and that of the first such table."""
    out: dict[int, int] = {}
    for index, table in enumerate(tables):
        earlier = find_repeated(tables, index)
        if earlier is not None:
            out[table.id] = out.get(earlier.id, earlier.id)
    return out


def _texts(table: TableState) -> Mapping[tuple[int, int], str]:
    return {(s.cell.row, s.cell.col): _plain(s.text) for s in table.cells}


def _repeats(table: TableState, texts: Mapping[tuple[int, int], str], earlier: TableState) -> bool:
    rows = earlier.header_rows
    if not rows or earlier.grid.cols != table.grid.cols or table.grid.rows < rows:
        return False
    top = takewhile(lambda s: s.cell.row < rows, earlier.cells)  # they are in reading order
    heading = {(s.cell.row, s.cell.col): plain for s in top if (plain := _plain(s.text))}
    own = [place for place, text in texts.items() if place[0] < rows and text]
    places = {*heading, *own}
    if len(heading) < _LEAST_TEXTS:
        return False
    alike = sum(are_alike(heading.get(p, ""), texts.get(p, "")) for p in places)
    return alike >= _MOST_ALIKE * len(places)


def _plain(text: str) -> str:
    return "".join(c for c in text.casefold() if c.isalnum())
