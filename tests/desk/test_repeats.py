"""Headings that a later page repeats are known again, a misread character in them too."""

from __future__ import annotations

from dataclasses import replace

from keel_line.desk.repeats import find_all_repeated, find_repeated
from keel_line.model.docket import PageState, SourceState
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import Reading
from keel_line.model.table import CellState, TableState
from keel_line.send.document import DocumentParts, make_document

BOX = (0.0, 0.0, 10.0, 10.0)


def page(number: int, *rows: str, heading_rows: int = 1, cols: int = 3) -> TableState:
    """A table on a page of its own; its rows' cells are parted by "|"."""
    cells = [Cell(r, c, 1, 1, BOX) for r in range(len(rows)) for c in range(cols)]
    texts = [text for row in rows for text in row.split("|")]
    grid = Grid(
        BOX,
        tuple(map(float, range(cols + 1))),
        tuple(map(float, range(len(rows) + 1))),
        tuple(cells),
    )
    states = tuple(
        CellState(i, cell, Reading(text, 0.9, (), ()), None, flagged=False)
        for i, (cell, text) in enumerate(zip(cells, texts, strict=True))
    )
    return TableState(number, f"t{number}", number, number, "s", grid, heading_rows, "", states)


FIRST = page(1, "Vessel|Berth|Dues", "Gull|4|12.50")


def test_the_same_heading_on_another_page_is_known_though_not_counted_as_one() -> None:
    again = page(2, "VESSEL|Bcrth|Dues.", "Tern|7|3.00", heading_rows=0)
    assert find_repeated([FIRST, again], 1) is FIRST
    assert find_repeated([FIRST, again], 0) is None


def test_another_heading_or_none_is_no_repeat() -> None:
    other = page(2, "Vessel|Master|Tons", "Gull|Rowan|12")
    goes_on = page(2, "Tern|7|3.00", "Skua|9|4.00", heading_rows=0)
    wider = page(2, "Vessel|Berth|Dues|Paid", "Gull|4|12.50|x", cols=4)
    bare = page(2, "||", "Gull|4|12.50")
    for table in (other, goes_on, wider, bare):
        assert find_repeated([FIRST, table], 1) is None


def test_two_tables_of_one_page_are_two() -> None:
    beside = replace(page(2, "Vessel|Berth|Dues", "Tern|7|3.00"), page_id=FIRST.page_id)
    assert find_repeated([FIRST, beside], 1) is None


def test_a_heading_of_several_rows_is_held_against_as_many() -> None:
    first = page(1, "Vessel|Berth|Berth", "|No.|Days", "Gull|4|2", heading_rows=2)
    again = page(2, "Vessel|Berth|Berth", "|No.|Days", "Tern|7|3", heading_rows=1)
    half = page(2, "Vessel|Berth|Berth", "Tern|7|3", "Skua|9|4")
    assert find_repeated([first, again], 1) is first
    assert find_repeated([first, half], 1) is None


def test_all_later_pages_name_the_first() -> None:
    tables = [FIRST, page(2, "Vessel|Berth|Dues", "a|1|2"), page(3, "Vessel|Berth|Dues", "b|3|4")]
    assert find_all_repeated(tables) == {2: 1, 3: 1}


def test_the_json_names_the_earlier_table() -> None:
    tables = [FIRST, page(2, "Vessel|Berth|Dues", "a|1|2")]
    pages = [
        PageState(t.page_id, 1, "s", t.page_id, "done", squared_size_px=(9, 9)) for t in tables
    ]
    parts = DocumentParts(repeated=find_all_repeated(tables))
    document = make_document(SourceState(1, "s", "0" * 64, 2), pages, tables, parts)
    first, second = (p["tables"][0] for p in document["pages"])  # type: ignore[attr-defined]
    assert "heading_of" not in first
    assert second["heading_of"] == first["id"]
