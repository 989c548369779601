from __future__ import annotations

import csv
import json
import resource
import signal
import stat
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import jsonschema
import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.desk.desk import Desk
from keel_line.errors import OutputError
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import Reading
from keel_line.model.table import CellState, Settled, TableState
from keel_line.send.document import AS_PRINTED, SCHEMA_FILE
from keel_line.send.numbers import parse_number
from keel_line.send.safely import write_safely
from keel_line.send.separated import write_csv
from keel_line.send.workbook import name_sheet, write_workbook


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


@pytest.mark.parametrize(
    ("text", "value", "shown"),
    [
        ("1,284.50", 1284.5, "#,##0.00"),
        ("0.5", 0.5, "0.0"),
        ("-12", -12, "0"),
        ("1974", 1974, "0"),
        ("5,400", 5400, "#,##0"),
    ],
)
def test_plain_numbers(text: str, value: float, shown: str) -> None:
    number = parse_number(text)
    assert number is not None
    assert (number.value, number.format) == (value, shown)


@pytest.mark.parametrize(
    "text",
    ["007", "1,28.50", "12-3", "£5", "1234567890123456", "", "1.2.3", "BS 114", "=1+1", "1e5"],
)
def test_other_texts_stay_texts(text: str) -> None:
    assert parse_number(text) is None


def test_workbook_reads_back(tmp_path: Path) -> None:
    target = tmp_path / "out.xlsx"
    write_workbook(
        [table([["Vessel", "Dues"], ["=Harrow", "1,284.50"], ["Gannet\nII", "007"]])], target
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
    (target,) = demo_desk.send(tmp_path / "demo.xlsx")
    book = openpyxl.load_workbook(target)
    assert len(book.sheetnames) == 6
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
    write_csv([table(rows)], path)
    assert list(tmp_path.iterdir()) == [path]
    with path.open(encoding="utf-8-sig", newline="") as source:
        assert list(csv.reader(source)) == rows


def test_several_tables_make_several_csv_files(tmp_path: Path) -> None:
    write_csv([table([["a"]]), table([["b"]])], tmp_path / "out.csv")
    paths = sorted(tmp_path.iterdir())
    assert [p.name for p in paths] == ["out-1.csv", "out-2.csv"]


def test_json_keeps_to_the_schema(tmp_path: Path, demo_desk: Desk) -> None:
    schema = json.loads(SCHEMA_FILE.read_text(encoding="utf-8"))
    for path in demo_desk.send(tmp_path / "out.json"):
        document = json.loads(path.read_text(encoding="utf-8"))
        jsonschema.validate(document, schema)
        assert document["pages"][0]["tables"][0]["cells"]


def test_what_the_clerk_settled_goes_out(tmp_path: Path, demo_desk: Desk) -> None:
    cell = demo_desk.tables()[0].cells[8]
    demo_desk.replace(cell, "Settled by hand")
    paths = demo_desk.send(tmp_path / "out.csv")
    assert "Settled by hand" in paths[0].read_text(encoding="utf-8-sig")
    assert demo_desk.cell(cell.id).settled == Settled("Settled by hand", by_hand=True)


def test_what_stands_so_on_the_paper_is_marked_in_what_goes_out(
    tmp_path: Path, demo_desk: Desk
) -> None:
    cell = demo_desk.tables()[0].cells[8]
    demo_desk.vouch(cell)
    demo_desk.send(tmp_path / "out.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx").worksheets[0]
    comments = [c.comment.text for row in sheet.iter_rows() for c in row if c.comment]
    assert [AS_PRINTED in text for text in comments] == [True]
    told = [
        c["reasons"]
        for path in demo_desk.send(tmp_path / "out.json")
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
    with pytest.raises(OutputError, match="is not there"):
        demo_desk.send(tmp_path / "none" / f"out{ending}")


def test_unknown_ending(tmp_path: Path, demo_desk: Desk) -> None:
    with pytest.raises(OutputError, match="no format"):
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


@pytest.mark.parametrize("write", [write_workbook, write_csv])
def test_where_there_is_no_room_the_clerk_is_told_and_nothing_is_lost(
    tmp_path: Path, write: Callable[[Sequence[TableState], Path], object]
) -> None:
    target = tmp_path / "out.xlsx"
    target.write_text("before", encoding="utf-8")
    tables = [table([["Vessel", "Dues"], ["Marigold", "4"], ["Heron", "12"]])]
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
    write_workbook([noted], target)
    sheet = openpyxl.load_workbook(target).active
    assert sheet is not None
    assert [row[0].value for row in sheet.iter_rows()] == [
        "Vessel",
        "Marigold",
        None,
        "* paid since",
    ]
