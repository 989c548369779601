"""Tables as an Excel workbook, one sheet a table."""

from __future__ import annotations

import io
import re
from collections.abc import Sequence
from pathlib import Path

import xlsxwriter

from keel_line._shared.amounts import is_open
from keel_line.model.table import TableState
from keel_line.model.tidy import TidyTable
from keel_line.send.document import AS_PRINTED
from keel_line.send.numbers import decide_separators, parse_number
from keel_line.send.safely import write_safely
from keel_line.send.tidied import heading_of, type_cells

_QUIET = "#56616A"
_MOST_NAME = 31
MOST_CHARACTERS = 32_767
"""Characters that a cell of a workbook holds."""

LEFT_OPEN = "Left as text: the comma or point may part thousands or decimals."
MISFIT = "Written as on the paper: it is no {}."
CUT = f"Cut: a workbook's cell holds {MOST_CHARACTERS:,} characters. CSV and JSON hold them all."
_FORBIDDEN = re.compile(r"[\[\]:*?/\\]")


def write_workbook(tables: Sequence[TableState | TidyTable], target: Path) -> None:
    """Write tables as XLSX; numbers as numbers, spans as merged cells, headings bold.

    The notes under a table stand below it, a row apart. Tidied tables have typed cells under their
    columns' names, with filters.

    Raises
    ------
    OutputError
        When the target cannot be written.
    """
    # Made whole before any of it is written, so that a full disk is trouble of the disk alone.
    made = _make(tables)
    write_safely(target, lambda part: part.write_bytes(made))


def _make(tables: Sequence[TableState | TidyTable]) -> bytes:
    out = io.BytesIO()
    options = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    with xlsxwriter.Workbook(out, options) as book:
        looks = _Looks(book)
        names: set[str] = set()
        for table in tables:
            sheet = book.add_worksheet(name_sheet(table.name, names))
            if isinstance(table, TidyTable):
                _fill_tidied(sheet, table, looks)
            else:
                _fill_sheet(book, sheet, table, looks)
        if not tables:
            book.add_worksheet("No tables")
    return out.getvalue()


class _Looks:
    """A workbook's cell formats, each made once."""

    def __init__(self, book: xlsxwriter.Workbook) -> None:
        self._book = book
        self._made: dict[tuple[str, bool], object] = {}

    def of(self, number_format: str, *, heading: bool = False) -> object:
        key = (number_format, heading)
        if key not in self._made:
            self._made[key] = self._book.add_format(
                {
                    "num_format": number_format,
                    "bold": heading,
                    "text_wrap": True,
                    "valign": "top" if not heading else "vcenter",
                }
            )
        return self._made[key]


def _fill_tidied(sheet: xlsxwriter.worksheet.Worksheet, table: TidyTable, looks: _Looks) -> None:
    """Write a tidied table: names, typed cells, filters."""
    heading = heading_of(table)
    top = bool(heading) + table.heading_rows
    bold, plain = looks.of("General", heading=True), looks.of("General")
    for col, column in enumerate(table.columns):
        above = [*heading[col : col + 1], *column.texts[: table.heading_rows]]
        for row, text in enumerate(above):
            sheet.write_string(row, col, text[:MOST_CHARACTERS], bold)
        longest = max([4, *map(len, above)])
        for row, cell in enumerate(type_cells(table, column), top):
            value = cell.value
            if isinstance(value, str):
                if value:
                    sheet.write_string(row, col, value[:MOST_CHARACTERS], plain)
                if cell.misfit and column.type is not None:
                    sheet.write_comment(row, col, MISFIT.format(column.type.say()))
            elif isinstance(value, bool):
                sheet.write_boolean(row, col, value, plain)
            elif isinstance(value, float):
                sheet.write_number(row, col, value, looks.of(cell.format))
            else:
                sheet.write_datetime(row, col, value, looks.of(cell.format))
            longest = max(longest, len(column.texts[row - bool(heading)]))
        sheet.set_column(col, col, min(longest * 1.1 + 2, 60))
    if top:
        sheet.freeze_panes(top, 0)
    if heading and table.columns:
        last = max(top, top + table.rows - table.heading_rows - 1)
        sheet.autofilter(top - 1, 0, last, len(table.columns) - 1)


def _fill_sheet(
    book: xlsxwriter.Workbook,
    sheet: xlsxwriter.worksheet.Worksheet,
    table: TableState,
    looks: _Looks,
) -> None:
    """Write a table as it stands on the paper."""
    widths = [4.0] * table.grid.cols
    separators = decide_separators(table)
    for state in table.cells:
        cell, text = state.cell, state.text
        heading = cell.row < table.header_rows
        own = separators[cell.col]
        number = None if heading else parse_number(text, own)
        notes = [AS_PRINTED] if state.settled and state.settled.as_printed else []
        style = looks.of(number.format if number else "General", heading=heading)
        if cell.row_span > 1 or cell.col_span > 1:
            sheet.merge_range(
                cell.row,
                cell.col,
                cell.row + cell.row_span - 1,
                cell.col + cell.col_span - 1,
                "",
                style,
            )
        else:
            longest = max(map(len, text.split("\n")))
            widths[cell.col] = max(widths[cell.col], min(longest * 1.1 + 2, 60))
        if number is not None:
            sheet.write_number(cell.row, cell.col, number.value, style)
        elif text:
            sheet.write_string(cell.row, cell.col, text[:MOST_CHARACTERS], style)
            notes += [LEFT_OPEN] if not heading and is_open(text, own) else []
            notes += [CUT] if len(text) > MOST_CHARACTERS else []
        if notes:
            sheet.write_comment(cell.row, cell.col, "\n".join(notes))
    _finish_sheet(book, sheet, table, widths)


def find_cut(tables: Sequence[TableState]) -> list[str]:
    """Describe where cells are whose text is too long for a workbook."""
    return [
        f"row {s.cell.row + 1}, column {s.cell.col + 1} of {table.name}"
        for table in tables
        for s in table.cells
        if len(s.text) > MOST_CHARACTERS
    ]


def _finish_sheet(
    book: xlsxwriter.Workbook,
    sheet: xlsxwriter.worksheet.Worksheet,
    table: TableState,
    widths: Sequence[float],
) -> None:
    """Write the notes, set the columns' widths, and keep the heading in sight."""
    if table.notes:
        quiet = book.add_format({"italic": True, "font_color": _QUIET})
        sheet.write_string(table.grid.rows + 1, 0, table.notes, quiet)
    for col, width in enumerate(widths):
        sheet.set_column(col, col, width)
    if table.header_rows:
        sheet.freeze_panes(table.header_rows, 0)


def name_sheet(wanted: str, taken: set[str]) -> str:
    r"""Return a sheet name that spreadsheets allow and that is not taken yet; adds it to ``taken``.

    Names are at most 31 characters, without ``[]:*?/\\`` or a quote at either end, and differ in
    more than case.
    """
    plain = _FORBIDDEN.sub(" ", wanted).strip().strip("'").strip()[:_MOST_NAME] or "Table"
    name, number = plain, 2
    while name.lower() in taken:
        ending = f" ({number})"
        name = plain[: _MOST_NAME - len(ending)] + ending
        number += 1
    taken.add(name.lower())
    return name
