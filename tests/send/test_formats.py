"""Every format, written and read back by other programs: values, texts, formulas, bad input."""

from __future__ import annotations

import csv
import html.parser
import re
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import date, timedelta
from decimal import Decimal
from pathlib import Path

import openpyxl
import pandas as pd
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from odf import teletype
from odf.namespaces import OFFICENS, TABLENS
from odf.opendocument import load
from odf.table import CoveredTableCell, Table, TableCell, TableRow
from typing_extensions import override

from keel_line._shared.pulse import listening
from keel_line.desk.desk import Desk
from keel_line.desk.sending import answer_send, count_left_open, make_sent
from keel_line.errors import OutputError, StoppedError
from keel_line.send import workbook
from keel_line.send.clipboard import clip_table
from keel_line.send.formats import BY_ENDING, FORMATS, Format
from keel_line.send.sent import Doubt, Mark, SendOptions, SentTable
from keel_line.send.values import type_column
from keel_line.send.workbook import write_workbook
from tests.send.test_tidied import KINDS, NAMES, ROWS, typed

WRITERS = [f.ending for f in FORMATS if f.write is not None]
BARE = SendOptions(marks=False, source=False)
TEXT = re.compile(r"\s+")


def write(
    ending: str, tables: Sequence[SentTable], path: Path, options: SendOptions = BARE
) -> None:
    writer = BY_ENDING[ending].write
    assert writer is not None
    writer(tables, path, options, None)


@pytest.mark.parametrize("form", FORMATS, ids=lambda f: f.ending)
def test_a_stop_leaves_everything_as_it_was(form: Format, demo_desk: Desk, tmp_path: Path) -> None:
    target = tmp_path / f"demo{form.ending}"
    for path in demo_desk.name_files(target, demo_desk.tables()):
        path.write_text("before")
    there = {p: p.read_bytes() for p in tmp_path.iterdir()}
    options = SendOptions(as_text=False, point=".")
    request = demo_desk.prepare_send(target, options=options)

    def stop() -> None:
        raise StoppedError("stopped")

    with listening(stop), pytest.raises(StoppedError):
        answer_send(request)
    assert {p: p.read_bytes() for p in tmp_path.iterdir()} == there


def plain(rows: Sequence[Sequence[str]], name: str = "Dues", heading: int = 1) -> SentTable:
    table = typed(rows, [""] * len(rows[0]), [KINDS[-1]] * len(rows[0]))
    return replace(table, name=name, heading_rows=heading)


class Reader(html.parser.HTMLParser):
    """The texts of the cells of a web page's tables, row by row."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[list[str]] = []
        self.inside = False

    @override
    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        del attrs
        if tag == "tr":
            self.rows.append([])
        if tag in {"td", "th"}:
            self.rows[-1].append("")
            self.inside = True
        if tag == "br" and self.inside:
            self.rows[-1][-1] += "\n"

    @override
    def handle_endtag(self, tag: str) -> None:
        if tag in {"td", "th"}:
            self.inside = False

    @override
    def handle_data(self, data: str) -> None:
        if self.inside:
            self.rows[-1][-1] += data


def read_web(path: Path) -> list[list[str]]:
    reader = Reader()
    reader.feed(path.read_text(encoding="utf-8"))
    return reader.rows


def read_book(path: Path) -> list[list[str]]:
    sheet = openpyxl.load_workbook(path).worksheets[0]
    return [["" if v is None else str(v) for v in row] for row in sheet.iter_rows(values_only=True)]


def read_open(path: Path) -> list[list[str]]:
    sheet = load(path).spreadsheet.getElementsByType(Table)[0]
    out = []
    for row in sheet.getElementsByType(TableRow):
        cells = [c for c in row.childNodes if c.qname[1] in {"table-cell", "covered-table-cell"}]
        out.append(
            [
                "\n".join(teletype.extractText(p) for p in c.childNodes if p.qname[1] == "p")
                for c in cells
            ]
        )
    return out


def read_text(path: Path) -> list[list[str]]:
    between = "\t" if path.suffix == ".tsv" else ","
    with path.open(encoding="utf-8-sig", newline="") as source:
        return list(csv.reader(source, delimiter=between))


def read_marked(path: Path) -> list[list[str]]:
    lines = [x for x in path.read_text(encoding="utf-8").splitlines() if x.startswith("|")]
    rows = [re.split(r"(?<!\\)\|", x)[1:-1] for x in lines if not x.startswith("|---")]
    return [
        [re.sub(r"\\(.)", r"\1", cell.strip()).replace("<br>", "\n") for cell in row]
        for row in rows
    ]


READERS: dict[str, Callable[[Path], list[list[str]]]] = {
    ".xlsx": read_book,
    ".ods": read_open,
    ".csv": read_text,
    ".tsv": read_text,
    ".html": read_web,
    ".md": read_marked,
}


@pytest.mark.parametrize("ending", WRITERS)
def test_texts_come_back_as_they_were(ending: str, tmp_path: Path) -> None:
    rows = [
        ("Vessel", "Note"),
        ("Skerry\nHead", "a | b * c_d"),
        ("Fair, Isobel", 'said "no" & <went>'),
        ("é ½ – “x”", "007"),
        ("שלום עולם", "⚓ 船"),
        ("two  blanks", "#1 `code`"),
    ]
    write(ending, [plain(rows)], tmp_path / f"out{ending}")
    assert READERS[ending](tmp_path / f"out{ending}") == [list(r) for r in rows]


@pytest.mark.parametrize("ending", WRITERS)
@pytest.mark.parametrize("text", ["=1+1", "+1+1", "-1+1", "@SUM(A1)", "\t=1", "＝1+1", "'=1"])
def test_no_text_becomes_a_formula(ending: str, text: str, tmp_path: Path) -> None:
    path = tmp_path / f"out{ending}"
    write(ending, [plain([("Note",), (text,)])], path)
    found = READERS[ending](path)[1][0]
    if ending == ".xlsx":
        assert openpyxl.load_workbook(path).worksheets[0]["A2"].data_type == "s"
    if ending == ".ods":
        cell = load(path).spreadsheet.getElementsByType(TableCell)[1]
        assert cell.getAttrNS(TABLENS, "formula") is None
        assert cell.getAttrNS(OFFICENS, "value-type") == "string"
    if ending in {".csv", ".tsv"}:
        assert found == "'" + text
    elif ending != ".md":
        assert found == text


def test_a_workbook_is_read_by_a_data_library(tmp_path: Path) -> None:
    write(".xlsx", [typed(ROWS, NAMES, KINDS)], tmp_path / "out.xlsx")
    frame = pd.read_excel(tmp_path / "out.xlsx", dtype={"Code": str})
    assert list(frame.columns) == NAMES
    assert frame["Code"].tolist() == ["007", "012"]
    assert frame["Count"].tolist() == [1284, 9]
    assert frame["Dues"].tolist() == [3.2, -1.0]


def test_an_open_document_has_the_same_values_and_shows_them_as_printed(tmp_path: Path) -> None:
    path = tmp_path / "out.ods"
    write(".ods", [typed([r[:7] for r in ROWS], NAMES[:7], KINDS[:7])], path)
    frame = pd.read_excel(path, engine="odf", dtype={"Code": str})
    assert frame["Code"].tolist() == ["007", "012"]
    assert frame["Count"].tolist() == [1284, 9]
    assert frame["Rate"].tolist() == [12.5, "see note"]
    assert frame["Share"].tolist()[0] == 0.125
    assert frame["In"].tolist()[0] == pd.Timestamp(1974, 3, 3)
    write(".ods", [typed(ROWS, NAMES, KINDS)], path)  # that library knows no 26 hours
    rows = read_open(path)
    assert rows[1] == list(ROWS[0])
    assert rows[2] == list(ROWS[1])
    cells = load(path).spreadsheet.getElementsByType(TableCell)
    kinds = [c.getAttrNS(OFFICENS, "value-type") for c in cells[10:20]]
    assert kinds == [
        "string", "float", "float", "float", "percentage",
        "date", "time", "time", "string", "string",
    ]  # fmt: skip


def test_spans_are_kept_where_the_format_has_them(tmp_path: Path, demo_desk: Desk) -> None:
    sent = demo_desk.make_sent()
    (fax,) = [t for t in sent if t.name.startswith("Cargo tally")]
    assert fax.spans
    write(".ods", [fax], tmp_path / "out.ods")
    cells = load(tmp_path / "out.ods").spreadsheet.getElementsByType(CoveredTableCell)
    assert len(cells) == len(fax.covered())
    write(".html", [fax], tmp_path / "out.html")
    said = (tmp_path / "out.html").read_text(encoding="utf-8")
    assert said.count("colspan=") == sum(c > 1 for _, c in fax.spans.values())


@pytest.mark.parametrize("form", FORMATS, ids=lambda f: f.ending)
def test_the_same_docket_makes_the_same_bytes(
    form: object, tmp_path: Path, demo_desk: Desk
) -> None:
    ending = form.ending  # type: ignore[attr-defined]
    first = demo_desk.send(tmp_path / f"out{ending}").files
    before = [p.read_bytes() for p in first]
    again = demo_desk.send(tmp_path / f"out{ending}").files
    assert [p.read_bytes() for p in again] == before


def test_doubts_and_sources_go_along(tmp_path: Path, demo_desk: Desk) -> None:
    doubted = [(t, s) for t in demo_desk.tables() for s in t.cells if s.in_doubt]
    demo_desk.replace(demo_desk.tables()[0].cells[20], "17")
    demo_desk.send(tmp_path / "out.xlsx", options=SendOptions(ink=True))
    book = openpyxl.load_workbook(tmp_path / "out.xlsx")
    listed = list(book["Doubts"].iter_rows(min_row=2))
    assert len(listed) == len(doubted)
    table, state = doubted[0]
    assert listed[0][0].value == table.name
    assert listed[0][2].value == (state.text or None)
    assert listed[0][3].value == pytest.approx(state.confidence)
    assert listed[0][1].hyperlink is not None
    assert len(book["Doubts"]._images) == min(len(doubted), 300)
    (named, *_) = list(book["Source"].iter_rows(min_row=2, values_only=True))
    assert named[1] == "1-berth-dues-ledger.jpg"
    assert "mm" in named[3]
    assert named[5].startswith("1 cell by ")
    assert named[6].startswith("Keel Line")
    comments = [
        c.comment.text for s in book.worksheets for r in s.iter_rows() for c in r if c.comment
    ]
    assert sum("Not checked" in c for c in comments) == len(doubted)
    bare = SendOptions(marks=False, source=False)
    demo_desk.send(tmp_path / "bare.xlsx", options=bare)
    assert "Doubts" not in openpyxl.load_workbook(tmp_path / "bare.xlsx").sheetnames


def test_totals_that_add_up_become_formulas_when_asked(tmp_path: Path, demo_desk: Desk) -> None:
    sent = demo_desk.make_sent()[0]
    assert sent.sums
    options = SendOptions(marks=False, source=False, sums=True)
    write(".xlsx", [sent], tmp_path / "out.xlsx", options)
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx").worksheets[0]
    shown = openpyxl.load_workbook(tmp_path / "out.xlsx", data_only=True).worksheets[0]
    row, col = sent.sums[0].total
    formula = sheet.cell(row + 1, col + 1).value
    assert formula.startswith("=SUM(")
    printed = sent.columns[col].texts[row].replace(",", "")
    assert shown.cell(row + 1, col + 1).value == pytest.approx(float(printed))
    added = sum(float(shown.cell(r + 1, c + 1).value or 0) for r, c in sent.sums[0].addends)
    assert added == pytest.approx(float(printed))


def test_a_name_of_evidence_is_no_tables_name(tmp_path: Path) -> None:
    doubt = {(1, 0): Mark(doubt=Doubt(0.5, ("8",), ("faint",)))}
    tables = [replace(plain([("a",), ("3",)], name), marks=doubt) for name in ("Doubts", "Source")]
    write_workbook(tables, tmp_path / "out.xlsx", SendOptions())
    names = openpyxl.load_workbook(tmp_path / "out.xlsx").sheetnames
    assert names == ["Doubts (2)", "Source (2)", "Doubts", "Source"]


# --- bad input ---


BAD = [
    plain([("a", "a", ""), ("1", "2", "3")]),
    plain([("x" * 40_000,), ("y",)]),
    plain([("\x00\x07bell\x1b", "\ud800 lone"), ("\ufffe", "\r\n")]),
    plain([("",), ("",)]),
    typed([("1", "2")], ["", ""], [KINDS[1]] * 2),
    typed([], [], []),
    replace(plain([("a",)]), name="n" * 300),
    replace(plain([("a",)]), name="'"),
    replace(plain([("a",)]), name="History"),
    replace(plain([("a",)]), name="R1C1"),
]


@pytest.mark.parametrize("ending", WRITERS)
def test_bad_input_is_written_somehow(ending: str, tmp_path: Path) -> None:
    tables = [*BAD, *[plain([("a",), ("1",)], "Same") for _ in range(40)]]
    write(ending, tables, tmp_path / f"out{ending}", SendOptions())
    if ending == ".xlsx":
        assert len(openpyxl.load_workbook(tmp_path / "out.xlsx").sheetnames) == 51
    elif ending == ".ods":
        assert len(load(tmp_path / "out.ods").spreadsheet.getElementsByType(Table)) == 51
    elif ending in {".csv", ".tsv"}:
        assert len(list(tmp_path.iterdir())) == 50
    else:
        assert (tmp_path / f"out{ending}").stat().st_size


@pytest.mark.parametrize("ending", [".xlsx", ".ods", ".html"])
@settings(max_examples=20, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(rows=st.lists(st.tuples(st.text(max_size=8), st.text(max_size=8)), min_size=1, max_size=4))
def test_any_texts_are_written_and_read(
    ending: str, tmp_path: Path, rows: list[tuple[str, str]]
) -> None:
    path = tmp_path / f"any{ending}"
    write(ending, [plain(rows, heading=0)], path)
    read = READERS[ending](path)
    for row, found in zip(rows, read, strict=False):
        for text, back in zip(row, found, strict=False):
            kept = "".join(c for c in text if c.isalnum())
            assert "".join(c for c in back if c.isalnum()) == kept


def test_a_table_too_long_for_a_sheet_goes_on_in_the_next(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(workbook, "MOST_ROWS", 10)
    doubt = {(k, 0): Mark(doubt=Doubt(0.5, (), ())) for k in (2, 17)}
    table = replace(plain([("No",), *[(str(k),) for k in range(20)]]), marks=doubt)
    said = write_workbook([table], tmp_path / "out.xlsx", SendOptions(source=False))
    assert said == ["“Dues” has more rows than a sheet holds; it goes on in 2 more sheets."]
    book = openpyxl.load_workbook(tmp_path / "out.xlsx")
    assert book.sheetnames == ["Dues", "Dues (2)", "Dues (3)", "Doubts"]
    values = [r[0] for s in book.worksheets[:3] for r in s.iter_rows(min_row=2, values_only=True)]
    assert values == [str(k) for k in range(20)]
    links = [r[1].hyperlink.location for r in book["Doubts"].iter_rows(min_row=2)]
    assert links == ["'Dues'!A3", "'Dues (3)'!A4"]


@pytest.mark.parametrize("ending", WRITERS)
def test_the_disks_trouble_is_one_sentence(ending: str, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("x")
    with pytest.raises(OutputError, match=r"does not exist|cannot be written"):
        write(ending, [plain([("a",)])], tmp_path / "file" / f"out{ending}")


# --- the clipboard ---


def test_a_clip_is_text_a_table_and_values() -> None:
    clip = clip_table(typed(ROWS, NAMES, KINDS))
    lines = [line.split("\t") for line in clip.text.splitlines()]
    assert lines[0] == NAMES
    assert lines[1][:4] == ["007", "1,284", "12.50", "£3.20"]
    assert lines[1][-1] == "'=1+1"
    reader = Reader()
    reader.feed(clip.html)
    assert reader.rows == [NAMES, *[list(r) for r in ROWS]]
    assert "sdval='1284'" in clip.html
    assert "mso-number-format" in clip.html.partition(">007<")[0].rpartition("<td")[2]
    assert clip.rows == 3


def test_numbers_left_open_are_counted(demo_desk: Desk) -> None:
    (tally,) = (t for t in demo_desk.tables() if t.name.startswith("Cargo tally"))
    assert count_left_open(make_sent(tally)) == 0  # "1,250" stands among "412" and "96"
    only = [s for s in tally.cells if s.cell.row < tally.header_rows or "," in s.text]
    assert count_left_open(make_sent(replace(tally, cells=tuple(only)))) == 6


def test_the_values_of_dates_and_spans_are_exact() -> None:
    (first, _) = ROWS
    table = typed([first], NAMES, KINDS)
    values = [next(iter(type_column(table, k))).value for k in range(10)]
    assert values[5] == date(1974, 3, 3)
    assert values[7] == timedelta(hours=26, minutes=30)
    assert values[4] == Decimal("0.125")


def test_an_open_documents_parts_have_no_time(tmp_path: Path) -> None:
    write(".ods", [plain([("a",)])], tmp_path / "out.ods")
    with zipfile.ZipFile(tmp_path / "out.ods") as packed:
        assert {i.date_time[:3] for i in packed.infolist()} == {(2000, 1, 1)}
        assert packed.read("mimetype") == b"application/vnd.oasis.opendocument.spreadsheet"
