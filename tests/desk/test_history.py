from __future__ import annotations

import csv
from pathlib import Path

import pytest

from keel_line.desk.desk import Desk
from keel_line.desk.history import HEADINGS, NOT_SETTLED, place_changes
from keel_line.errors import OutputError


def test_every_change_has_its_place_the_latest_first(demo_desk: Desk) -> None:
    table = demo_desk.tables()[0]
    a, b = table.cells[9], table.cells[10]
    demo_desk.accept([a])
    demo_desk.replace(b, "N 44")
    demo_desk.undo()
    second, first = place_changes(demo_desk.history(), demo_desk.tables())
    assert (first.record.subject, second.record.subject) == (a.id, b.id)
    assert (first.record.undone, second.record.undone) == (False, True)
    assert (first.table, first.row, first.page) == (table.name, a.cell.row + 1, table.page_number)
    assert (first.table_index, table.cells[first.cell_index].id) == (0, a.id)
    row = dict(zip(HEADINGS, second.as_row(), strict=True))
    assert row["Before"] == NOT_SETTLED
    assert row["After"] == "N 44"
    assert row["Read as"] == b.reading.text
    assert row["Undone"] == "yes"


def test_a_change_whose_cell_is_gone_is_still_told(demo_desk: Desk) -> None:
    demo_desk.accept([demo_desk.tables()[0].cells[0]])
    (lost,) = place_changes(demo_desk.history(), [])
    assert lost.table_index == -1
    assert len(lost.as_row()) == len(HEADINGS)


def test_corrections_are_written_as_csv(demo_desk: Desk, tmp_path: Path) -> None:
    demo_desk.replace(demo_desk.tables()[0].cells[9], 'a "quoted", value\nof two lines')
    corrections = place_changes(demo_desk.history(), demo_desk.tables())
    target = tmp_path / "out.csv"
    demo_desk.write_history(corrections, target)
    with target.open(encoding="utf-8-sig", newline="") as file:
        rows = list(csv.reader(file))
    assert rows == [list(HEADINGS), corrections[0].as_row()]
    with pytest.raises(OutputError, match="folder"):
        demo_desk.write_history(corrections, tmp_path / "no such folder" / "out.csv")
