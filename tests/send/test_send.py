from __future__ import annotations

import csv
import errno
import json
import os
import resource
import signal
import stat
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from decimal import Decimal
from pathlib import Path

import jsonschema
import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line._shared.column_types import ColumnType, decide_type
from keel_line.desk.desk import Desk
from keel_line.desk.history import place_changes
from keel_line.desk.sending import make_sent
from keel_line.errors import OutputError
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import Reading
from keel_line.model.table import CellState, Settled, TableState
from keel_line.send.document import AS_PRINTED, SCHEMA_FILE
from keel_line.send.names import name_sheet
from keel_line.send.safely import write_safely
from keel_line.send.sent import SendOptions, SentTable
from keel_line.send.separated import (
    guard_text,
    read_rows,
    unguard_text,
    write_rows,
    write_tables,
)
from keel_line.send.values import excel_format, type_cell
from keel_line.send.workbook import write_workbook


def table(rows: list[list[str]], name: str = "Dues", header_rows: int = 1) -> TableState:
    cells = tuple(
        CellState(
            r * 100 + c, Cell(r, c, 1, 1, (0, 0, 1, 1)), Reading(text, 0.9), None, flagged=False
        )
        for r, row in enumerate(rows)
        for c, text in enumerate(row)
    )
    count = len(rows[0])
    grid = Grid(
        (0, 0, 9, 9),
        tuple(map(float, range(count + 1))),
        tuple(map(float, range(len(rows) + 1))),
        cells=tuple(s.cell for s in cells),
    )
    return TableState(1, name, 1, 1, "scan.png", grid, header_rows, "", cells)


def sent(rows: list[list[str]], name: str = "Dues", header_rows: int = 1) -> SentTable:
    return make_sent(table(rows, name, header_rows))


BARE = SendOptions(marks=False, source=False)


@pytest.mark.parametrize(
    ("text", "kind", "value", "shown"),
    [
        ("1,284.50", ColumnType("decimal"), "1284.50", "#,##0.00"),
        ("0.5", ColumnType("decimal"), "0.5", "0.0"),
        ("1.284,5", ColumnType("decimal", ","), "1284.5", "#,##0.0"),
        ("-12", ColumnType("whole number"), "-12", "0"),
        ("−12", ColumnType("whole number"), "-12", "0"),
        ("1974", ColumnType("whole number"), "1974", "0"),
        ("+5", ColumnType("whole number"), "5", '"+"0'),
        ("£3.20", ColumnType("money", currency="£"), "3.20", '"£"0.00'),
        ("(£1,003.20)", ColumnType("money"), "-1003.20", '#,##0.00;"(£"#,##0.00")"'),
        ("12.50 CR", ColumnType("money"), "-12.50", '0.00;0.00" CR"'),
        ("12.50 DR", ColumnType("money"), "12.50", '0.00" DR"'),
        ("12.5%", ColumnType("percent"), "0.125", "0.0%"),
        ("5 %", ColumnType("percent"), "0.05", '0%" "'),
    ],
)
def test_a_number_looks_as_it_is_printed(
    text: str, kind: ColumnType, value: str, shown: str
) -> None:
    cell = type_cell(text, kind)
    assert cell.value == Decimal(value)
    assert cell.look is not None
    assert excel_format(cell.look) == shown


@pytest.mark.parametrize(
    ("text", "kind", "shown"),
    [
        ("3 Mar 1974", ColumnType("date"), 'd" "mmm" "yyyy'),
        ("03 March 74", ColumnType("date"), 'dd" "mmmm" "yy'),
        ("March 3, 1974", ColumnType("date"), 'mmmm" "d", "yyyy'),
        ("12/03/1974", ColumnType("date"), 'dd"/"mm"/"yyyy'),
        ("3.12.74", ColumnType("date"), 'd"."m"."yy'),
        ("12/03/1974", ColumnType("date", order="month first"), 'mm"/"dd"/"yyyy'),
        ("1974-03-12", ColumnType("date"), 'yyyy"-"mm"-"dd'),
        ("3 Mar", ColumnType("date", year=1974), 'd" "mmm'),
        ("08:15", ColumnType("time"), 'hh":"mm'),
        ("8.15 pm", ColumnType("time"), 'h"."mm AM/PM'),
        ("26:30", ColumnType("duration"), '[h]":"mm'),
    ],
)
def test_a_date_looks_as_it_is_printed(text: str, kind: ColumnType, shown: str) -> None:
    cell = type_cell(text, kind)
    assert not isinstance(cell.value, str)
    assert cell.look is not None
    assert excel_format(cell.look) == shown


@pytest.mark.parametrize(
    "text", ["007", "-05.5", "1,28.50", "12-3", "1234567890123456", "", "1.2.3", "BS 114", "=1+1"]
)
def test_other_texts_stay_texts(text: str) -> None:
    for kind in (ColumnType("decimal"), ColumnType("whole number"), ColumnType("money")):
        assert type_cell(text, kind).value == text


def test_workbook_reads_back(tmp_path: Path) -> None:
    target = tmp_path / "out.xlsx"
    write_workbook(
        [sent([["Vessel", "Dues"], ["=Harrow", "1,284.50"], ["Gannet\nII", "007"]])], target
    )
    sheet = openpyxl.load_workbook(target)["Dues"]
    assert [[c.value for c in row] for row in sheet.iter_rows()] == [
        ["Vessel", "Dues"],
        ["=Harrow", 1284.5],
        ["Gannet\nII", "007"],
    ]
    assert sheet["A2"].data_type == "s"
    assert sheet["B2"].number_format == "#,##0.00"
    assert sheet["A1"].font.bold
    assert sheet.freeze_panes == "A2"


def test_spans_become_merged_cells(tmp_path: Path, demo_desk: Desk) -> None:
    (target,) = demo_desk.send(tmp_path / "demo.xlsx").files
    book = openpyxl.load_workbook(target)
    assert book.sheetnames[-2:] == ["Doubts", "Source"]
    assert len(book.sheetnames) == 10
    fax = book.worksheets[3]
    assert fax.title.startswith("Cargo tally")
    assert {str(r) for r in fax.merged_cells.ranges} >= {"A1:A2", "C1:E1", "F1:G1"}


def test_sheet_names_are_allowed_and_apart() -> None:
    taken: set[str] = set()
    names = [name_sheet(n, taken) for n in ("a/b:c", "A b c", "x" * 40, "x" * 40, "'", "")]
    assert names == ["a b c", "A b c (2)", "x" * 31, "x" * 27 + " (2)", "Table", "Table (2)"]


@given(st.lists(st.text(max_size=45), max_size=6))
def test_any_sheet_names_work(wanted: list[str]) -> None:
    taken: set[str] = set()
    names = [name_sheet(w, taken) for w in wanted]
    assert len({n.lower() for n in names}) == len(names)
    assert all(0 < len(n) <= 31 and not set(n) & set("[]:*?/\\") for n in names)


def test_csv_reads_back(tmp_path: Path) -> None:
    rows = [["Vessel", "Note"], ["Fair, Isobel", 'said "no"'], ["Skerry\nHead", "é ½"]]
    path = tmp_path / "out.csv"
    write_tables([sent(rows)], path)
    assert list(tmp_path.iterdir()) == [path]
    with path.open(encoding="utf-8-sig", newline="") as source:
        assert list(csv.reader(source)) == rows


def test_several_tables_make_several_csv_files(tmp_path: Path) -> None:
    write_tables([sent([["a"]]), sent([["b"]])], tmp_path / "out.csv")
    paths = sorted(tmp_path.iterdir())
    assert [p.name for p in paths] == ["out-1.csv", "out-2.csv"]


def test_json_keeps_to_the_schema(tmp_path: Path, demo_desk: Desk) -> None:
    schema = json.loads(SCHEMA_FILE.read_text(encoding="utf-8"))
    for path in demo_desk.send(tmp_path / "out.json").files:
        document = json.loads(path.read_text(encoding="utf-8"))
        jsonschema.validate(document, schema)
        assert document["pages"][0]["tables"][0]["cells"]


def test_settled_values_are_written(tmp_path: Path, demo_desk: Desk) -> None:
    cell = demo_desk.tables()[0].cells[8]
    demo_desk.replace(cell, "Settled by hand")
    paths = demo_desk.send(tmp_path / "out.csv").files
    assert "Settled by hand" in paths[0].read_text(encoding="utf-8-sig")
    assert demo_desk.cell(cell.id).settled == Settled("Settled by hand", by_hand=True)


def test_values_confirmed_as_printed_are_marked_in_the_output(
    tmp_path: Path, demo_desk: Desk
) -> None:
    cell = demo_desk.tables()[0].cells[8]
    demo_desk.settle_as_printed(cell)
    demo_desk.send(tmp_path / "out.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx").worksheets[0]
    comments = [c.comment.text for row in sheet.iter_rows() for c in row if c.comment]
    assert [AS_PRINTED in text for text in comments].count(True) == 1
    told = [
        c["reasons"]
        for path in demo_desk.send(tmp_path / "out.json").files
        for page in json.loads(path.read_text(encoding="utf-8"))["pages"]
        for t in page["tables"]
        for c in t["cells"]
        if AS_PRINTED in c["reasons"]
    ]
    assert told == [[AS_PRINTED]]


@pytest.mark.parametrize("ending", [".xlsx", ".csv", ".json"])
def test_targets_that_cannot_be_written(tmp_path: Path, demo_desk: Desk, ending: str) -> None:
    demo_desk.docket._db.execute("DELETE FROM page WHERE source_id > 1")
    demo_desk.docket._db.execute("DELETE FROM source WHERE id > 1")
    folder = tmp_path / f"folder{ending}"
    folder.mkdir()
    with pytest.raises(OutputError, match="is a folder"):
        demo_desk.send(folder)
    with pytest.raises(OutputError, match="does not exist"):
        demo_desk.send(tmp_path / "none" / f"out{ending}")


def test_unknown_ending(tmp_path: Path, demo_desk: Desk) -> None:
    with pytest.raises(OutputError, match="unknown file ending"):
        demo_desk.send(tmp_path / "out.doc")


def test_failed_write_leaves_what_was_there(tmp_path: Path) -> None:
    target = tmp_path / "out.csv"
    target.write_text("before", encoding="utf-8")

    def fail(part: Path) -> None:
        part.write_text("half", encoding="utf-8")
        raise OSError(28, "No space left on device")

    with pytest.raises(OutputError, match="No space left"):
        write_safely(target, fail)
    assert target.read_text(encoding="utf-8") == "before"
    assert list(tmp_path.iterdir()) == [target]


@contextmanager
def no_room() -> Iterator[None]:
    """Let no file of this process grow beyond a few bytes, as on a full disk."""
    handler = signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    limits = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (16, limits[1]))
    try:
        yield
    finally:  # before the tests' own report is written
        resource.setrlimit(resource.RLIMIT_FSIZE, limits)
        signal.signal(signal.SIGXFSZ, handler)


@pytest.mark.parametrize("write", [write_workbook, write_tables])
def test_where_there_is_no_room_the_clerk_is_told_and_nothing_is_lost(
    tmp_path: Path, write: Callable[[Sequence[SentTable], Path], object]
) -> None:
    target = tmp_path / "out.xlsx"
    target.write_text("before", encoding="utf-8")
    tables = [sent([["Vessel", "Dues"], ["Marigold", "4"], ["Heron", "12"]])]
    with pytest.raises(OutputError, match="Make room"), no_room():
        write(tables, target)
    assert target.read_text(encoding="utf-8") == "before"
    assert list(tmp_path.iterdir()) == [target]


def test_written_file_may_be_read_by_others(tmp_path: Path) -> None:
    def write(part: Path) -> None:
        part.write_text("x", encoding="utf-8")

    write_safely(tmp_path / "out.txt", write)
    assert (tmp_path / "out.txt").stat().st_mode & stat.S_IRGRP


def test_notes_stand_under_their_table(tmp_path: Path) -> None:
    noted = replace(table([["Vessel", "Dues"], ["Marigold", "4"]]), notes="* paid since")
    target = tmp_path / "dues.xlsx"
    write_workbook([make_sent(noted)], target)
    sheet = openpyxl.load_workbook(target).worksheets[0]
    assert [row[0].value for row in sheet.iter_rows()] == [
        "Vessel",
        "Marigold",
        None,
        "* paid since",
    ]


# --- values leave as they stand on the paper ---


def sheet_of(texts: list[str], tmp_path: Path) -> list[object]:
    """Return what a workbook holds of a column."""
    write_workbook([sent([["Tons"], *[[t] for t in texts]])], tmp_path / "out.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx")["Dues"]
    return [row[0].value for row in sheet.iter_rows(min_row=2)]


@pytest.mark.parametrize(
    ("texts", "values"),
    [
        (["12,5", "3,75", "0,500", "1,250"], [12.5, 3.75, 0.5, 1.25]),
        (["12.5", "3.75", "1,250"], [12.5, 3.75, 1250]),
        (["1,234,567", "1,250"], [1234567, 1250]),
        (["1.234.567", "1.250", "3,5"], [1234567, 1250, 3.5]),
        (["0,500", "1,250"], [0.5, 1.25]),
        (["1250,500", "1,250"], [1250.5, 1.25]),
        (["1 250,5", "1,250"], [1250.5, 1.25]),
        (["1\u202f250,5", "2"], [1250.5, 2]),
        (["1'250", "17"], [1250, 17]),
        (["−5", "–7.5", "-1,000.25"], [-5, -7.5, -1000.25]),
        (["1,250", "2,500", "850"], ["1,250", "2,500", 850]),
        (["1.250", "2.500"], ["1.250", "2.500"]),
        (["12,5", "3.75", "1,250"], ["12,5", "3.75", "1,250"]),
        (["0071", "+5", "(4)", "£5", "5%", "12 CR"], ["0071", 5, -4, 5, "5%", -12]),
        (["12", "7", "9", "see note", "3"], [12, 7, 9, "see note", 3]),
        (["£5", "$7", "£4"], ["£5", "$7", "£4"]),
        (["3/4/74", "5/6/74"], ["3/4/74", "5/6/74"]),
    ],
)
def test_a_number_means_what_its_column_says(
    texts: list[str], values: list[object], tmp_path: Path
) -> None:
    assert sheet_of(texts, tmp_path) == values


def test_an_open_column_goes_by_the_others_of_its_table(tmp_path: Path) -> None:
    rows = [["Tons", "Dues", "Name"], ["1,250", "12,5", "Skerry"], ["2,500", "3,75", "1,250 x"]]
    write_workbook([sent(rows)], tmp_path / "out.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx")["Dues"]
    assert [c.value for c in sheet["A"]] == ["Tons", 1.25, 2.5]


def test_a_number_left_as_text_says_so(tmp_path: Path) -> None:
    write_workbook([sent([["Tons"], ["1,250"], ["850"]])], tmp_path / "out.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx")["Dues"]
    assert "comma or point may part" in sheet["A2"].comment.text
    assert sheet["A3"].comment is None


@given(st.decimals(0, 10**9, places=3), st.sampled_from([".", ","]))
def test_no_number_of_one_convention_leaves_as_another(value: Decimal, point: str) -> None:
    """Whatever else a column holds, a text never becomes another number than it was written for."""
    text = f"{value:,.3f}" if point == "." else f"{value:,.3f}".translate({44: 46, 46: 44})
    for beside in (["7"], [text], ["12.5"], ["12,5"], ["1,234,567"], []):
        texts = [text, *beside]
        made = sent([["Tons"], *[[t] for t in texts]])
        mark = made.marks.get((1, 0))
        cell = type_cell(text, made.columns[0].type)
        if (mark is not None and mark.as_text) or isinstance(cell.value, str):
            continue
        own = decide_type(texts).type.point
        assert cell.value == value or own != point
        if not any(c in {".", ","} for b in beside for c in b):
            assert cell.value == value


def test_a_text_too_long_for_a_workbook_is_told(demo_desk: Desk, tmp_path: Path) -> None:
    first = demo_desk.tables()[0]
    demo_desk.replace(first.cells[0], "x" * 40_000)
    sent = demo_desk.send(tmp_path / "out.xlsx")
    said = f"Too long for a workbook's cell, and cut: row 1, column 1 of {first.name}."
    assert said in sent.notices
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx").worksheets[0]
    assert len(sheet["A1"].value) == 32_767
    assert "32,767" in sheet["A1"].comment.text
    assert said not in demo_desk.send(tmp_path / "out.csv").notices


FORMULAS = ["=1+1", "@SUM(A1)", "-2+3", "+A1", "\t=1", "\r=1", " 12", "\n7", "＝1+1", "'=1", "''@A"]
NO_FORMULAS = ["-2.5", "+5", "-1,250.00", "-", "––", "'", "'tis", "Skerry", "a=b", ""]


@pytest.mark.parametrize("ending", [".csv", ".tsv"])
def test_no_text_is_a_formula_in_a_spreadsheet(ending: str, tmp_path: Path) -> None:
    path = tmp_path / f"out{ending}"
    rows = [FORMULAS, [*NO_FORMULAS, ""]]
    write_tables([sent(rows)], path)
    with path.open(encoding="utf-8-sig", newline="") as source:
        raw = list(csv.reader(source, delimiter="\t" if ending == ".tsv" else ","))
    assert all(text.startswith("'") for text in raw[0])
    assert raw[1] == rows[1]
    assert read_rows(path) == rows


@given(st.text(alphabet=st.sampled_from("=+-@' \t1aA.,;"), max_size=6))
def test_guarded_texts_read_back(text: str) -> None:
    assert unguard_text(guard_text(text)) == text


def test_history_holds_no_formula(demo_desk: Desk, tmp_path: Path) -> None:
    demo_desk.replace(demo_desk.tables()[0].cells[0], "=1+1")
    corrections = place_changes(demo_desk.history(), demo_desk.tables())
    demo_desk.write_history(corrections, tmp_path / "history.csv")
    assert "'=1+1" in (tmp_path / "history.csv").read_text(encoding="utf-8-sig")
    assert "=1+1" in read_rows(tmp_path / "history.csv")[1]


def test_json_tells_how_a_page_was_laid(demo_desk: Desk, tmp_path: Path) -> None:
    page = demo_desk.pages()[3]
    db = demo_desk.docket._db
    db.execute(
        "UPDATE page SET turns = 3, corners = ? WHERE id = ?",
        ("[[1,2],[30,2],[30,40],[1,40]]", page.id),
    )
    told = [p for _, document in demo_desk.documents() for p in document["pages"]]  # type: ignore[attr-defined] # a list
    assert told[3]["squaring"]["quarter_turns"] == 3
    assert told[3]["squaring"]["corners"] == [[1, 2], [30, 2], [30, 40], [1, 40]]
    assert told[0]["squaring"]["corners"] is None


@pytest.mark.parametrize("progress", ["waiting", "failed"])
def test_every_format_omits_pages_with_pending_changes(
    progress: str, demo_desk: Desk, tmp_path: Path
) -> None:
    page = demo_desk.pages()[0]
    stale = {t.name for t in demo_desk.tables(page.id)}
    names = [t.name for t in demo_desk.tables() if t.name not in stale]
    demo_desk.docket._db.execute("UPDATE page SET progress = ? WHERE id = ?", (progress, page.id))
    sent = demo_desk.send(tmp_path / "out.xlsx")
    assert sent.notices[0] == "1 page not read is left out."
    assert len(openpyxl.load_workbook(tmp_path / "out.xlsx").worksheets) == len(names) + 2
    assert len(demo_desk.send(tmp_path / "out.csv").files) == len(names)
    documents = [json.loads(p.read_bytes()) for p in demo_desk.send(tmp_path / "out.json").files]
    assert sum(len(p["tables"]) for d in documents for p in d["pages"]) == len(names)


@pytest.mark.parametrize(
    ("number", "way_out"),
    [
        (errno.ENOSPC, "Make room there"),
        (errno.EBUSY, "Close it where it is open"),
        (errno.ESTALE, "network folder is still there"),
        (errno.ENAMETOOLONG, r"\.$"),
    ],
)
def test_trouble_of_the_disk_says_what_to_do_and_what_was_there_stays(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, number: int, way_out: str
) -> None:
    target = tmp_path / "dues.csv"
    target.write_text("before")

    def fail(*_args: object, **_more: object) -> None:
        raise OSError(number, os.strerror(number))

    monkeypatch.setattr(Path, "replace", fail)
    with pytest.raises(OutputError, match=way_out) as told:
        write_safely(target, lambda part: part.write_text("after"))
    assert str(told.value).startswith(f"{target} cannot be written: {os.strerror(number)}.")
    assert [(p.name, p.read_text()) for p in tmp_path.iterdir()] == [("dues.csv", "before")]


def test_a_share_that_vanishes_while_a_file_is_written_is_told_of(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    def vanish(_part: Path) -> None:
        monkeypatch.setattr(Path, "unlink", fail)
        fail()

    def fail(*_args: object, **_more: object) -> None:
        raise OSError(errno.ENOTCONN, os.strerror(errno.ENOTCONN))

    with pytest.raises(OutputError, match="network folder is still there"):
        write_safely(tmp_path / "dues.csv", vanish)


def test_what_is_written_is_on_the_disk_before_it_takes_its_place(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    target = tmp_path / "out.csv"
    synced: list[tuple[str, bool]] = []
    fsync = os.fsync

    def note(handle: int) -> None:
        synced.append((str(Path(f"/proc/self/fd/{handle}").readlink()), target.exists()))
        fsync(handle)

    monkeypatch.setattr(os, "fsync", note)
    write_rows([["a"]], target)
    (file, renamed_before), (folder, renamed_then) = synced
    assert Path(file).parent == tmp_path
    assert (renamed_before, folder, renamed_then) == (False, str(tmp_path), True)
