"""Tables as an Excel workbook, one sheet a table."""

from __future__ import annotations

import io
import re
from collections.abc import Sequence
from pathlib import Path

import xlsxwriter

from keel_line._shared.amounts import is_open
from keel_line.model.table import TableState
from keel_line.send.document import AS_PRINTED
from keel_line.send.numbers import decide_separators, parse_number
from keel_line.send.safely import write_safely

_QUIET = "#56616A"
_MOST_NAME = 31
MOST_CHARACTERS = 32_767
"""Characters that a cell of a workbook holds."""

LEFT_OPEN = "Left as text: the comma or point may part thousands or decimals."
CUT = f"Cut: a workbook's cell holds {MOST_CHARACTERS:,} characters. CSV and JSON hold them all."
_FORBIDDEN = re.compile(r"[\[\]:*?/\\]")


def write_workbook(tables: Sequence[TableState], target: Path) -> None:
    """Write tables as XLSX; numbers as numbers, spans as merged cells, headings bold.

    The notes under a table stand below it, a row apart.

    Raises
    ------
    OutputError
        When the target cannot be written.
    """
    # Made whole before any of it is written, so that a full disk is trouble of the disk alone.
    made = _make(tables)
    write_safely(target, lambda part: part.write_bytes(made))


def _make(tables: Sequence[TableState]) -> bytes:
    out = io.BytesIO()
    options = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    with xlsxwriter.Workbook(out, options) as book:
        formats: dict[tuple[str, bool], object] = {}

        def look(number_format: str, *, heading: bool) -> object:
            key = (number_format, heading)
            if key not in formats:
                formats[key] = book.add_format(
                    {
                        "num_format": number_format,
                        "bold": heading,
                        "text_wrap": True,
                        "valign": "top" if not heading else "vcenter",
                    }
                )
            return formats[key]

        names: set[str] = set()
        for table in tables:
            sheet = book.add_worksheet(name_sheet(table.name, names))
            widths = [4.0] * table.grid.cols
            separators = decide_separators(table)
            for state in table.cells:
                cell, text = state.cell, state.text
                heading = cell.row < table.header_rows
                own = separators[cell.col]
                number = None if heading else parse_number(text, own)
                notes = [AS_PRINTED] if state.settled and state.settled.as_printed else []
                style = look(number.format if number else "General", heading=heading)
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
        if not tables:
            book.add_worksheet("No tables")
    return out.getvalue()


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
