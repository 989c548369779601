"""What other programs read in the files that are written: ``python -m benchmarks.roundtrip``.

Forty dockets, of pages that other programs typeset, some of them scanned, and the demo. Each is
written as XLSX, ODS, CSV and searchable PDF, and read back by LibreOffice, openpyxl, pandas, csv,
pdftotext and pypdfium2. What they read is compared with the texts of the docket: a cell's value,
the text that a spreadsheet shows for it, the tables' names, and the words of a searchable PDF.
"""

from __future__ import annotations

import csv
import shutil
import subprocess
import sys
import tempfile
import unicodedata
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from pathlib import Path

import openpyxl
import pandas as pd
import pypdfium2 as pdfium
from PIL import Image

from benchmarks.press import PRESS, SEED
from keel_line.desk.demo import demo_pages
from keel_line.desk.desk import Desk
from keel_line.desk.pool import InlineExecutor
from keel_line.send.sent import SendOptions, SentTable
from keel_line.send.values import SentValue, type_column
from synth.press.store import each_page, load_pressed

DOCKETS, _SCANNED_EVERY = 40, 4
_BARE = SendOptions(marks=False, source=False)
_AS_SHOWN = "csv:Text - txt - csv (StarCalc):44,34,76,1,,1033,false,true,true,false,false,-1"
_DAY_ZERO = datetime(1899, 12, 30)  # noqa: DTZ001 - a spreadsheet's days have no zone
_TELLS = 30


@dataclass(frozen=True)
class Difference:
    """A place where a program reads something else than the docket says."""

    docket: str
    by: str
    where: str
    said: object
    read: object


def make_dockets(folder: Path) -> Iterator[tuple[str, list[Path]]]:
    """Yield names of dockets, each with its files: one page of each design, then the demo."""
    done: set[str] = set()
    for data, page in each_page(PRESS):
        if page.design in done or len(done) == DOCKETS:
            continue
        done.add(page.design)
        path = folder / f"{page.design}.pdf"
        if len(done) % _SCANNED_EVERY:
            with pdfium.PdfDocument.new() as one, pdfium.PdfDocument(data) as whole:
                one.import_pages(whole, [page.number])
                one.save(str(path))
        else:
            scanned = load_pressed(data, page, "clean", SEED).page
            path = path.with_suffix(".png")
            dpi = (scanned.resolution.x_dpi, scanned.resolution.y_dpi)
            Image.fromarray(scanned.pixels).save(path, dpi=dpi)
        yield page.design, [path]
    yield "demo", demo_pages()


def expect(table: SentTable) -> list[list[SentValue]]:
    """Return the values of a table, row by row; those that another cell covers are empty."""
    columns = []
    for col, column in enumerate(table.columns):
        heading = [SentValue(str(t)) for t in column.texts[: table.heading_rows]]
        columns.append(heading + list(type_column(table, col)))
    covered = table.covered()
    rows = [
        [SentValue("") if (r, c) in covered else v for c, v in enumerate(row)]
        for r, row in enumerate(zip(*columns, strict=True))
    ]
    return ([[SentValue(n) for n in table.names]] if table.names else []) + rows


def texts_of(table: SentTable) -> list[list[str]]:
    """Return the texts of a table, row by row, as they stand on the paper."""
    covered = table.covered()
    rows = [
        ["" if (r, c) in covered else str(t) for c, t in enumerate(row)]
        for r, row in enumerate(zip(*(x.texts for x in table.columns), strict=True))
    ]
    return ([list(table.names)] if table.names else []) + rows


def same_value(value: object, read: object) -> bool:
    """Return whether a program read a value as what it is."""
    if read is None:
        return value == ""
    if isinstance(value, str):
        return isinstance(read, str) and plainly(value) == plainly(read)
    if isinstance(value, Decimal):
        return isinstance(read, int | float) and not isinstance(read, bool) and (
            Decimal(repr(read)) == value or float(value) == read
        )  # fmt: skip
    if isinstance(read, datetime) and not isinstance(value, datetime):
        if isinstance(value, timedelta):
            return read - _DAY_ZERO == value
        return read == datetime.combine(value, time()) if type(value) is date else False
    return value == read


def plainly(text: str) -> str:
    """Return a text without differences in white space."""
    return " ".join(unicodedata.normalize("NFC", text).split())


def compare(
    docket: str, by: str, table: SentTable, read: Sequence[Sequence[object]]
) -> Iterator[Difference]:
    """Yield where the values of a table were read otherwise."""
    for r, row in enumerate(expect(table)):
        for c, value in enumerate(row):
            found = read[r][c] if r < len(read) and c < len(read[r]) else None
            if not same_value(value.value, found):
                where = f"{table.name}, row {r + 1}, column {c + 1}"
                yield Difference(docket, by, where, value.value, found)


def compare_texts(
    docket: str, by: str, table: SentTable, read: Sequence[Sequence[str]]
) -> Iterator[Difference]:
    """Yield where a program shows a text otherwise than it stands on the paper."""
    for r, row in enumerate(texts_of(table)):
        for c, text in enumerate(row):
            found = read[r][c] if r < len(read) and c < len(read[r]) else ""
            # A spreadsheet knows one short name of each month.
            if plainly(text).replace("Sept", "Sep") != plainly(found).replace("Sept", "Sep"):
                where = f"{table.name}, row {r + 1}, column {c + 1}"
                yield Difference(docket, by, where, text, found)


def read_frame(path: Path) -> dict[str, list[list[object]]]:
    """Return the sheets of a file as pandas reads them."""
    sheets = pd.read_excel(path, sheet_name=None, header=None, na_filter=False, dtype=object)
    return {str(n): [list(row) for row in s.itertuples(index=False)] for n, s in sheets.items()}


def read_book(path: Path) -> dict[str, list[list[object]]]:
    """Return the sheets of a workbook as openpyxl reads them."""
    book = openpyxl.load_workbook(path)
    return {s.title: [list(row) for row in s.iter_rows(values_only=True)] for s in book.worksheets}


def read_rows(path: Path) -> list[list[str]]:
    """Return the rows of a text file with separators, without the guards of texts like formulas."""
    with path.open(encoding="utf-8-sig", newline="") as file:
        return [[text.removeprefix("'") for text in row] for row in csv.reader(file)]


def convert(path: Path, target: str, folder: Path) -> None:
    """Have LibreOffice open a file and write it in another format."""
    command = ["soffice", "--headless", "--convert-to", target, "--outdir", str(folder), str(path)]
    subprocess.run(command, check=True, capture_output=True)  # noqa: S603


def check_spreadsheets(docket: str, tables: list[SentTable], folder: Path) -> list[Difference]:
    """Return what is read otherwise in the spreadsheets and text files of a docket."""
    out: list[Difference] = []
    book, sheet = folder / "out.xlsx", folder / "out.ods"
    convert(sheet, "xlsx", folder / "values")
    for by, sheets in (
        ("openpyxl", read_book(book)),
        ("pandas", read_frame(book)),
        ("LibreOffice, values of ods", read_book(folder / "values" / "out.xlsx")),
    ):
        if len(sheets) != len(tables):
            out.append(Difference(docket, by, "sheets", len(tables), len(sheets)))
        for table, rows in zip(tables, sheets.values(), strict=False):
            out += compare(docket, by, table, rows)
    texts = [read_rows(p) for p in sorted(folder.glob("out*.csv"))]
    for table in tables:
        told = [list(compare_texts(docket, "csv", table, rows)) for rows in texts]
        out += sorted(told, key=len)[0]  # of several files the one that is most alike
    shown = folder / "shown"
    for path in (book, sheet):
        shutil.rmtree(shown, ignore_errors=True)
        convert(path, _AS_SHOWN, shown)
        files = list(shown.glob("*.csv"))
        for name, table in zip(read_book(book), tables, strict=False):
            own = [p for p in files if p.stem == f"out-{name}"] or files[: len(tables) == 1]
            by = f"LibreOffice, {path.suffix[1:]}"
            if not own:
                out.append(Difference(docket, by, "name of a sheet", name, [p.stem for p in files]))
                continue
            out += compare_texts(docket, by, table, read_rows(own[0]))
    return out


def check_pdf(docket: str, tables: list[SentTable], path: Path) -> list[Difference]:
    """Return which words of the tables a searchable PDF does not have."""
    said = Counter(
        w for t in tables for row in texts_of(t) for x in row for w in plainly(x).split()
    )
    out = []
    command = ["pdftotext", "-layout", str(path), "-"]
    piped = subprocess.run(command, check=True, capture_output=True).stdout.decode()  # noqa: S603
    with pdfium.PdfDocument(path) as pdf:
        texts = [page.get_textpage().get_text_bounded() for page in pdf]
    for by, text in (("pdftotext", piped), ("pypdfium2", " ".join(texts))):
        bare = plainly(text)
        lost = [w for w, n in said.items() if bare.count(w) < n]
        out += [Difference(docket, by, "word", w, bare.count(w)) for w in lost]
    return out


def main() -> None:
    """Write, read back, and print what differs."""
    differences: list[Difference] = []
    cells = count = 0
    for program in ("soffice", "pdftotext"):
        if shutil.which(program) is None:
            sys.exit(f"{program} is not installed: tools/press_programs.sh has what is needed")
    with tempfile.TemporaryDirectory() as name:
        for docket, files in make_dockets(Path(name)):
            desk = Desk(None)
            desk.add_files(files)
            desk.run(InlineExecutor())
            tables = desk.make_sent()
            folder = Path(name) / f"{docket}-out"
            folder.mkdir()
            if tables:
                for ending in (".xlsx", ".ods", ".csv"):
                    desk.send(folder / f"out{ending}", options=_BARE)
                differences += check_spreadsheets(docket, tables, folder)
            desk.send(folder / "out.pdf", options=_BARE)
            differences += check_pdf(docket, tables, folder / "out.pdf")
            desk.close()
            count += 1
            cells += sum(len(t.columns) * t.rows for t in tables)
            sys.stdout.write(f"{docket}: {len(tables)} tables, {len(differences)} differences\n")
            sys.stdout.flush()
    told = Counter(d.by for d in differences)
    sys.stdout.write(f"\n{count} dockets, {cells:,} cells\n")
    for by, number in told.most_common():
        sys.stdout.write(f"{by}: {number}\n")
    for d in differences[:_TELLS]:
        sys.stdout.write(f"{d.docket} | {d.by} | {d.where} | {d.said!r} | {d.read!r}\n")
    sys.stdout.write("No difference.\n" if not differences else "")


if __name__ == "__main__":
    main()
