"""Tidied tables are written with typed cells under their names."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time, timedelta
from pathlib import Path

import openpyxl

from keel_line._shared.column_types import ColumnType, Kind
from keel_line.desk.desk import Desk
from keel_line.desk.tidying import tidy_table
from keel_line.model.tidy import TidyTable
from keel_line.send.separated import read_rows, write_tables
from keel_line.send.workbook import write_workbook
from tests.tidy.tables import make


def typed(
    rows: Sequence[Sequence[str]], names: Sequence[str], kinds: Sequence[ColumnType]
) -> TidyTable:
    table = make(*rows, names=names)
    return table.put_columns(
        type(c)(c.id, c.name, c.texts, c.sources, kind)
        for c, kind in zip(table.columns, kinds, strict=True)
    )


def kind(name: Kind, places: int = 0, currency: str = "") -> ColumnType:
    return ColumnType(name, places=places, currency=currency)


def test_each_type_is_read_back_as_it_was(tmp_path: Path) -> None:
    rows = [
        ("007", "1,284", "12.50", "£3.20", "12.5%", "3 Mar 1974", "08:15", "26:30", "yes", "=1+1"),
        ("012", "9", "see note", "(1.00)", "", "3 Mar 1874", "24:00", "0:45", "no", "-"),
    ]
    kinds = [
        kind("code"),
        kind("whole number"),
        kind("decimal", 2),
        kind("money", 2, "£"),
        kind("percent", 1),
        kind("date"),
        kind("time"),
        kind("duration"),
        kind("yes or no"),
        kind("text"),
    ]
    names = ["Code", "Count", "Rate", "Dues", "Share", "In", "At", "Stay", "Paid", "Note"]
    target = tmp_path / "dues.xlsx"
    write_workbook([typed(rows, names, kinds)], target)
    (sheet,) = openpyxl.load_workbook(target)
    head, first, second = sheet.iter_rows()
    assert [c.value for c in head] == names
    assert all(c.font.bold for c in head)
    assert [c.value for c in first] == [
        "007",
        1284,
        12.5,
        3.2,
        0.125,
        datetime(1974, 3, 3),  # noqa: DTZ001 - a workbook knows no zone
        time(8, 15),
        timedelta(hours=26.5),
        True,
        "=1+1",
    ]
    assert [c.number_format for c in first[1:8]] == [
        "#,##0",
        "0.00",
        '"£"0.00',
        "0.0%",
        "d mmm yyyy",
        "hh:mm",
        "[h]:mm",
    ]
    assert first[9].data_type == "s"
    said = [c.value for c in second]
    assert said[:6] == ["012", 9, "see note", -1, None, "1874-03-03"]
    assert said[6] == "24:00"
    assert (said[8], said[9]) == (False, "-")
    assert second[2].comment.text == "Written as on the paper: it is no decimal."
    assert second[4].comment is None
    assert sheet.auto_filter.ref == "A1:J3"
    assert sheet.freeze_panes == "A2"


def test_text_files_have_the_texts_of_the_paper(tmp_path: Path) -> None:
    table = typed([("007", "(1.00)")], ["Code", "Dues"], [kind("code"), kind("money", 2)])
    write_tables([table], tmp_path / "dues.csv")
    assert read_rows(tmp_path / "dues.csv") == [["Code", "Dues"], ["007", "(1.00)"]]


def test_a_docket_sends_what_was_tidied(demo_desk: Desk, tmp_path: Path) -> None:
    table = demo_desk.tables()[0]
    demo_desk.set_steps(table, tidy_table(table).take_all())
    demo_desk.send(tmp_path / "demo.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "demo.xlsx").worksheets[0]
    rows = list(sheet.iter_rows(values_only=True))
    assert rows[0][:4] == ("Vessel", "Reg.", "Berth", "In")
    assert rows[1][3] == datetime(1974, 3, 3)  # noqa: DTZ001 - a workbook knows no zone
    assert isinstance(rows[1][7], float | int)
    assert len(rows) == 18
    assert date(1974, 3, 15) == rows[1][4].date()
