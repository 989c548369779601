from __future__ import annotations

from keel_line.desk.summary import summarise_table
from keel_line.model.table import TableState
from tests.desk.test_kinds import cell, table


def test_what_a_table_comes_to() -> None:
    state = table(
        cell(0, "Vessel"), cell(1, "Gull"), cell(2, ""), cell(3, "Elspeth\nRowan"), cell(4, "9")
    )
    state = TableState(**{**vars(state), "header_rows": 1})
    s = summarise_table(state)
    assert (s.rows, s.cols, s.header_rows, s.blanks, s.doubts) == (5, 1, 1, 1, 5)
    assert (s.first, s.last) == (("Gull",), ("9",))
    assert s.longest is not None
    assert s.shortest is not None
    assert (s.longest.text, s.shortest.text) == ("Elspeth\nRowan", "9")


def test_a_table_without_a_written_cell() -> None:
    s = summarise_table(table(cell(0, ""), cell(1, "", unread=True)))
    assert (s.blanks, s.unread, s.longest, s.shortest) == (2, 1, None, None)


def test_a_table_of_headings_only() -> None:
    state = TableState(**{**vars(table(cell(0, "Vessel"))), "header_rows": 1})
    assert summarise_table(state).first == ("Vessel",)
