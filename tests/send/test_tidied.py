"""Tables are written with typed cells that look as on the paper, tidied or not."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import replace
from datetime import date, datetime, time, timedelta
from pathlib import Path

import msgspec
import openpyxl
from odf import teletype
from odf.opendocument import load
from odf.table import TableCell, TableRow

from keel_line._shared.column_types import ColumnType, Kind
from keel_line.desk.desk import Desk
from keel_line.desk.sending import make_one_sent
from keel_line.desk.tidying import tidy_table
from keel_line.send.opendocument import make_opendocument
from keel_line.send.sent import SendOptions, SentColumn, SentTable
from keel_line.send.separated import read_rows, write_tables
from keel_line.send.web import make_page
from keel_line.send.workbook import write_workbook

BARE = SendOptions(marks=False, source=False)


def typed(
    rows: Sequence[Sequence[str]], names: Sequence[str], kinds: Sequence[ColumnType]
) -> SentTable:
    columns = zip(names, kinds, zip(*rows, strict=True), strict=True)
    return SentTable("Dues", tuple(SentColumn(n, k, list(t)) for n, k, t in columns))


def kind(name: Kind, places: int = 0, currency: str = "") -> ColumnType:
    return ColumnType(name, places=places, currency=currency)


ROWS = [
    ("007", "1,284", "12.50", "£3.20", "12.5%", "3 Mar 1974", "08:15", "26:30", "yes", "=1+1"),
    ("012", "9", "see note", "(1.00)", "", "3 Mar 1874", "24:00", "0:45", "no", "-"),
]
KINDS = [
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
NAMES = ["Code", "Count", "Rate", "Dues", "Share", "In", "At", "Stay", "Paid", "Note"]


def test_each_type_is_read_back_as_it_was(tmp_path: Path) -> None:
    target = tmp_path / "dues.xlsx"
    write_workbook([typed(ROWS, NAMES, KINDS)], target, BARE)
    (sheet,) = openpyxl.load_workbook(target)
    head, first, second = sheet.iter_rows()
    assert [c.value for c in head] == NAMES
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
        "yes",
        "=1+1",
    ]
    assert [c.number_format for c in first[1:5]] == ["#,##0", "0.00", '"£"0.00', "0.0%"]
    assert first[9].data_type == "s"
    said = [c.value for c in second]
    assert said[:6] == ["012", 9, "see note", -1, None, "3 Mar 1874"]
    assert second[3].number_format == '0.00;"("0.00")"'
    assert said[6] == "24:00"
    assert (said[8], said[9]) == ("no", "-")
    assert second[2].comment.text == "Written as on the paper: it is no decimal."
    assert second[4].comment is None
    (made,) = sheet.tables.values()
    assert (made.ref, made.name) == ("A1:J3", "Dues")
    assert sheet.freeze_panes == "A2"


def test_names_that_no_list_allows_are_filtered_only(tmp_path: Path) -> None:
    rows, kinds = [("1", "2"), ("3", "4")], [kind("whole number")] * 2
    target = tmp_path / "dues.xlsx"
    write_workbook([typed(rows, ["Dues", "dues"], kinds)], target, BARE)
    (sheet,) = openpyxl.load_workbook(target)
    assert not sheet.tables
    assert sheet.auto_filter.ref == "A1:B3"
    assert [c.value for c in sheet[1]] == ["Dues", "dues"]


def test_everything_may_be_written_as_text(tmp_path: Path) -> None:
    target = tmp_path / "dues.xlsx"
    options = SendOptions(marks=False, source=False, as_text=True)
    write_workbook([typed(ROWS, NAMES, KINDS)], target, options)
    (sheet,) = openpyxl.load_workbook(target)
    rows = list(sheet.iter_rows(min_row=2, values_only=True))
    assert [[v or "" for v in row] for row in rows] == [list(r) for r in ROWS]


def test_text_files_have_the_texts_of_the_paper(tmp_path: Path) -> None:
    table = typed([("007", "(1.00)")], ["Code", "Dues"], [kind("code"), kind("money", 2)])
    write_tables([table], tmp_path / "dues.csv")
    assert read_rows(tmp_path / "dues.csv") == [["Code", "Dues"], ["007", "(1.00)"]]


def test_text_files_may_have_plain_numbers_with_the_sign_that_is_wanted(tmp_path: Path) -> None:
    kinds = [kind("code"), kind("money", 2, "£"), kind("percent", 1), kind("date")]
    rows = [("007", "(£1,204.50)", "12.5%", "3/4/1974"), ("x", "see note", "", "-")]
    options = SendOptions(separator=";", point=",", signature=False)
    path = tmp_path / "dues.csv"
    write_tables([typed(rows, ["No", "Dues", "Share", "In"], kinds)], path, options)
    assert not path.read_bytes().startswith(b"\xef\xbb\xbf")
    assert read_rows(path, ";") == [
        ["No", "Dues", "Share", "In"],
        ["007", "-1204,50", "0,125", "3/4/1974"],
        ["x", "see note", "", "-"],
    ]


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


def test_what_is_not_tidied_is_typed_as_well(demo_desk: Desk, tmp_path: Path) -> None:
    table = demo_desk.tables()[0]
    demo_desk.send(tmp_path / "demo.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "demo.xlsx").worksheets[0]
    first = [c.value for c in sheet[table.header_rows + 1]]
    assert first[3] == datetime(1974, 3, 3)  # noqa: DTZ001 - a workbook knows no zone
    assert isinstance(first[7], float | int)


def test_the_docket_remembers_how_it_is_written(demo_desk: Desk, tmp_path: Path) -> None:
    assert demo_desk.send_options == SendOptions()
    demo_desk.set_send_options(SendOptions(stacked=True, marks=False, source=False))
    path = demo_desk.docket.path
    demo_desk.close()
    again = Desk(path)
    assert again.send_options.stacked
    assert again.name_files(tmp_path / "out.csv") == [tmp_path / "out.csv"]
    again.send(tmp_path / "out.xlsx")
    (sheet,) = openpyxl.load_workbook(tmp_path / "out.xlsx")
    assert sheet["A1"].value == again.tables()[0].name
    again.docket.set_setting("send", "{nonsense")
    assert again.send_options == SendOptions()
    again.close()


def tidied_tally(desk: Desk) -> SentTable:
    """Return the demo's cargo tally with names: "Weight" stands over three of its columns."""
    (tally,) = (t for t in desk.tables() if t.name.startswith("Cargo tally"))
    tally = replace(tally, steps=tidy_table(tally).take_all().encoded)
    return make_one_sent(tally, tidy_table(tally), {tally.id: tally})


def test_the_papers_headings_stand_merged_above_the_names(demo_desk: Desk, tmp_path: Path) -> None:
    sent = tidied_tally(demo_desk)
    ((weight, tally),) = sent.above
    assert (weight.text, weight.cols, tally.text, tally.cols) == ("Weight", 3, "Tally", 2)
    assert sent.names[weight.first] == "Weight tons"
    target = tmp_path / "tally.xlsx"
    write_workbook([sent], target, BARE)
    (sheet,) = openpyxl.load_workbook(target)
    assert sheet.cell(1, weight.first + 1).value == "Weight tons"
    write_workbook([sent], target, msgspec.structs.replace(BARE, headings=True))
    (sheet,) = openpyxl.load_workbook(target)
    assert sheet.cell(1, weight.first + 1).value == "Weight"
    assert sheet.cell(2, weight.first + 1).value == "Weight tons"
    assert {str(r) for r in sheet.merged_cells.ranges} == {"C1:E1", "F1:G1"}
    (made,) = sheet.tables.values()
    assert made.ref.startswith("A2:")
    assert sheet.freeze_panes == "A3"


def test_other_formats_merge_them_as_well(demo_desk: Desk) -> None:
    sent, options = tidied_tally(demo_desk), msgspec.structs.replace(BARE, headings=True)
    page = "".join(make_page([sent], options).decode().split("\n"))
    assert "<th scope='colgroup' colspan='3'>Weight</th>" in page
    assert page.index("colspan='3'>Weight<") < page.index(">Weight tons<")
    book = load(io.BytesIO(make_opendocument([sent], options)))
    first, second = book.spreadsheet.getElementsByType(TableRow)[:2]
    spans = [
        (c.getAttribute("numbercolumnsspanned"), teletype.extractText(c))
        for c in first.getElementsByType(TableCell)
    ]
    assert ("3", "Weight") in spans
    assert "Weight tons" in teletype.extractText(second)
