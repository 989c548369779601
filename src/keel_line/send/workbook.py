"""Tables as an Excel workbook: a sheet each or one for all, with sheets of doubts and sources."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from itertools import islice
from pathlib import Path

import xlsxwriter
from xlsxwriter.utility import xl_range, xl_rowcol_to_cell

from keel_line._shared.column_types import NUMBERS
from keel_line._shared.texts import count_of
from keel_line.send.evidence import (
    DOUBT_HEADINGS,
    SOURCE_HEADINGS,
    doubt_rows,
    say_doubt,
    source_rows,
)
from keel_line.send.names import clean_text, name_list, name_sheet
from keel_line.send.safely import write_safely
from keel_line.send.sent import Above, InkCutter, Mark, Place, SendOptions, SentTable
from keel_line.send.values import MISFIT, Look, SentValue, excel_format, type_column

MOST_CHARACTERS = 32_767
"""Characters that a cell of a workbook holds."""
MOST_ROWS = 1_048_576
"""Rows that a sheet of a workbook holds."""
CUT = f"Cut: a workbook's cell holds {MOST_CHARACTERS:,} characters. CSV and JSON hold them all."
_QUIET, _BRASS, _PALE, _TEAL = "#56616A", "#8A5608", "#FBF3E2", "#0E6E6E"
_FIRST_DAY = date(1900, 3, 1)  # workbooks count a day before it that never was
_MOST_COMMENTS = 5000
_MOST_INK, _INK_PX = 300, 28.0
_WIDEST, _MOST_LINES, _LINE_PT = 60, 12, 15.0
_RIGHT = NUMBERS | {"date", "time", "duration"}
_WHEN = datetime(2000, 1, 1)  # noqa: DTZ001 - the same tables make the same bytes
_SURE = "0%"
_UNMARKED = Mark()
_SHORT = 50  # letters of a text that needs no second line


def write_workbook(
    tables: Sequence[SentTable],
    target: Path,
    options: SendOptions | None = None,
    cut_ink: InkCutter | None = None,
) -> list[str]:
    """Write tables as XLSX; return what is to be said about it.

    Raises
    ------
    OutputError
        When the target cannot be written.
    """
    # Made whole before any of it is written, so that a full disk is trouble of the disk alone.
    writer = _Writer(options or SendOptions(), cut_ink)
    made = writer.make(tables)
    write_safely(target, lambda part: part.write_bytes(made))
    return writer.said


@dataclass
class _Sheet:
    """A sheet, how wide its columns are, and how many lines its rows hold."""

    sheet: xlsxwriter.worksheet.Worksheet
    name: str
    widths: dict[int, float] = field(default_factory=dict)
    lines: dict[int, int] = field(default_factory=dict)

    def widen(self, col: int, letters: int) -> None:
        """Let a column hold so many letters."""
        self.widths[col] = max(self.widths.get(col, 4.0), min(letters * 1.1 + 3, _WIDEST))

    def heighten(self, row: int, parts: Sequence[str]) -> None:
        """Let a row hold lines of text, those that are too long for a column wrapped."""
        lines = sum(1 + int(len(part) * 1.1) // _WIDEST for part in parts)
        if lines > 1:
            self.lines[row] = max(self.lines.get(row, 1), min(lines, _MOST_LINES))

    def size(self) -> None:
        """Set the widths and heights."""
        for col, width in self.widths.items():
            self.sheet.set_column(col, col, width)
        for row, lines in self.lines.items():
            self.sheet.set_row(row, _LINE_PT * lines)


class _Writer:
    """Makes one workbook."""

    def __init__(self, options: SendOptions, cut_ink: InkCutter | None) -> None:
        self._options = options
        self._cut_ink = cut_ink
        self._names: set[str] = set()
        self._lists: set[str] = set()
        self._looks: dict[tuple[str, bool, bool, str], object] = {}
        self._comments = 0
        self._places: list[tuple[SentTable, _Sheet, Place, range]] = []
        self._cut: list[str] = []
        self.said: list[str] = []

    def make(self, tables: Sequence[SentTable]) -> bytes:
        """Return the bytes of the workbook."""
        out = io.BytesIO()
        settings = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
        with xlsxwriter.Workbook(out, settings) as self._book:
            self._book.set_properties({"created": _WHEN})
            # Their names are taken before any table's.
            marked = self._options.marks and any(m.doubt for t in tables for m in t.marks.values())
            last = [
                name for name, on in (("Doubts", marked), ("Source", self._options.source)) if on
            ]
            self._names.update(name.lower() for name in last if tables)
            if self._options.stacked and len(tables) > 1:
                self._stack(tables)
            else:
                for table in tables:
                    self._fill(table)
            if not tables:
                self._book.add_worksheet("No tables")
            elif marked:
                self._list_doubts()
            if tables and self._options.source:
                self._list_sources(tables)
        if self._cut:
            more = f" and {len(self._cut) - 1} more" if len(self._cut) > 1 else ""
            self.said.append(f"Too long for a workbook's cell, and cut: {self._cut[0]}{more}.")
        return out.getvalue()

    def _look(
        self,
        shown: str = "General",
        *,
        heading: bool = False,
        doubt: bool = False,
        align: str = "",
    ) -> object:
        key = (shown, heading, doubt, align)
        if key not in self._looks:
            about: dict[str, object] = {"num_format": shown, "bold": heading, "text_wrap": True}
            about["valign"] = "vcenter" if heading else "top"
            if align:
                about |= {"align": align, **({"indent": 1} if align == "left" else {})}
            if doubt:
                about |= {"font_color": _BRASS, "bg_color": _PALE, "italic": True}
            self._looks[key] = self._book.add_format(about)
        return self._looks[key]

    def _link(self) -> object:
        """Return the style of links to cells."""
        key = ("link", False, False, "")
        if key not in self._looks:
            about = {"font_color": _TEAL, "underline": 1, "valign": "top"}
            self._looks[key] = self._book.add_format(about)
        return self._looks[key]

    def _add(self, name: str) -> _Sheet:
        own = name_sheet(name, self._names)
        return _Sheet(self._book.add_worksheet(own), own)

    # --- tables ---------------------------------------------------------------------------------

    def _fill(self, table: SentTable) -> None:
        """Write a table on sheets of its own: one, unless it has more rows than a sheet holds."""
        top = self._rows_on_top(table)
        body = table.rows - table.heading_rows
        room = MOST_ROWS - top - 2
        parts = max(1, -(-body // room))
        for part in range(parts):
            sheet = self._add(table.name)
            rows = range(part * room, min(body, (part + 1) * room))
            self._write(sheet, table, rows, (0, 0))
            self._finish(sheet, table, top, len(rows))
        if parts > 1:
            self.said.append(
                f"“{table.name}” has more rows than a sheet holds; it goes on in "
                f"{count_of(parts - 1, 'more sheet')}."
            )

    def _rows_on_top(self, table: SentTable) -> int:
        above = len(table.above) if self._options.headings else 0
        return above + bool(table.names) + table.heading_rows

    def _stack(self, tables: Sequence[SentTable]) -> None:
        """Write tables on one sheet, below each other, with where each row comes from."""
        sheet = self._add("Tables")
        at = 0
        for table in tables:
            body = table.rows - table.heading_rows
            top = self._rows_on_top(table)
            if at + top + body > MOST_ROWS:
                sheet, at = self._add("Tables"), 0
            self._write(sheet, table, range(body), (at, 1))
            for row in range(at, at + top + body):
                sheet.sheet.write_string(
                    row,
                    0,
                    clean_text(table.name)[:MOST_CHARACTERS],
                    self._look(heading=row < at + top),
                )
            sheet.widen(0, len(table.name))
            at += top + body + 1
        sheet.size()

    def _write(
        self,
        sheet: _Sheet,
        table: SentTable,
        rows: range,
        at: Place,
    ) -> None:
        """Write a table, or some of its rows below its heading, from a place on a sheet on."""
        top, left = at
        names = table.names
        first = table.heading_rows
        if self._options.headings:
            for above in table.above:
                self._put_above(sheet, above, (top, left))
                top += 1
        for col, name in enumerate(names):
            side = "right" if table.columns[col].type.kind in _RIGHT else "left"
            look = self._look(heading=True, align=side)
            said = clean_text(name)[:MOST_CHARACTERS]
            sheet.sheet.write_string(top, left + col, said, look)
            sheet.widen(left + col, len(name))
        begin = top + bool(names)
        covered = table.covered()
        whole = len(rows) == table.rows - first
        sums = {s.total: s.addends for s in table.sums} if self._options.sums and whole else {}
        for col, column in enumerate(table.columns):
            for row in range(first):
                self._put(
                    sheet,
                    table,
                    (row, col),
                    SentValue(str(column.texts[row])),
                    (begin + row, left + col),
                    covered,
                )
            down = begin + first - rows.start
            values = type_column(table, col, as_text=self._options.as_text)
            texts = column.texts
            quick = self._quickly(sheet, left + col)
            special = covered | set(sums) | set(table.marks) | set(table.spans)
            careful = {row for row, c in special if c == col}
            longest = 0
            for number, value in zip(rows, islice(values, rows.start, None), strict=False):
                row = first + number
                if row not in careful and quick(value, down + number):
                    longest = max(longest, len(texts[row]))
                    continue
                place = (row, col)
                self._put(sheet, table, place, value, (down + number, left + col), covered)
                if place in sums and isinstance(value.value, Decimal):
                    self._put_sum(sheet, place, sums[place], value, (begin - rows.start, left))
            sheet.widen(left + col, longest)
        if rows.start == 0:
            self._merge(sheet, table, (begin, left))
        own = range(rows.start + first if rows.start else 0, rows.stop + first)
        self._places.append((table, sheet, (begin - rows.start, left), own))

    def _put_above(self, sheet: _Sheet, above: Sequence[Above], at: Place) -> None:
        """Write a row of headings above the names."""
        for one in above:
            row, first = at[0], at[1] + one.first
            look = self._look(heading=True, align="center" if one.cols > 1 else "left")
            said = clean_text(one.text)[:MOST_CHARACTERS]
            if one.cols > 1:
                sheet.sheet.merge_range(row, first, row, first + one.cols - 1, said, look)
            else:
                sheet.sheet.write_string(row, first, said, look)

    def _quickly(self, sheet: _Sheet, col: int) -> Callable[[SentValue, int], bool]:
        """Return what writes a plain cell of a column, and says whether it was one.

        Most cells of a long table are: nothing is said of them, and they are short.
        """
        own, plain = sheet.sheet, self._look(align="left")
        looks: dict[Look | None, object] = {}

        def write(cell: SentValue, row: int) -> bool:
            value = cell.value
            if cell.misfit:
                return False
            if isinstance(value, str):
                if len(value) > _SHORT or not value.isprintable():
                    return False
                if value:
                    own.write_string(row, col, value, plain)
                return True
            if isinstance(value, date) and value < _FIRST_DAY:
                return False
            look = looks.get(cell.look)
            if look is None:
                shown = "General" if cell.look is None else excel_format(cell.look)
                look = looks[cell.look] = self._look(shown)
            _write_value(own, (row, col), value, look)
            return True

        return write

    def _put(
        self,
        sheet: _Sheet,
        table: SentTable,
        place: Place,
        cell: SentValue,
        at: Place,
        covered: set[Place],
    ) -> None:
        """Write one cell with what is said of it."""
        mark = table.marks.get(place, _UNMARKED)
        heading = place[0] < table.heading_rows
        doubt = mark.doubt is not None and self._options.marks
        value = cell.value
        if isinstance(value, date) and value < _FIRST_DAY:
            value = str(table.columns[place[1]].texts[place[0]])
        if isinstance(value, str):
            if place not in covered:
                self._put_text(sheet, table, place, value, at, doubt=doubt)
        else:
            shown = "General" if cell.look is None else excel_format(cell.look)
            look = self._look(shown, heading=heading, doubt=doubt)
            _write_value(sheet.sheet, at, value, look)
            sheet.widen(at[1], len(table.columns[place[1]].texts[place[0]]))
        if mark is not _UNMARKED or cell.misfit or (isinstance(value, str) and len(value) > 1000):
            self._comment(sheet, mark, cell, at)

    def _put_text(
        self,
        sheet: _Sheet,
        table: SentTable,
        place: Place,
        value: str,
        at: Place,
        *,
        doubt: bool,
    ) -> None:
        """Write a text; of one that is too long as much as a cell holds."""
        text = clean_text(value)
        align = self._align(table, place)
        heading = place[0] < table.heading_rows
        look = self._look(heading=heading, doubt=doubt, align=align)
        if text:
            sheet.sheet.write_string(*at, text[:MOST_CHARACTERS], look)
        elif doubt:
            sheet.sheet.write_blank(*at, None, look)
        if len(text) > MOST_CHARACTERS:
            self._cut.append(f"row {place[0] + 1}, column {place[1] + 1} of {table.name}")
        if place not in table.spans or table.spans[place][1] == 1:
            parts = text.split("\n") if "\n" in text else [text]
            sheet.widen(at[1], max(map(len, parts)))
            if len(parts) > 1 or len(text) * 1.1 > _WIDEST:
                sheet.heighten(at[0], parts)

    @staticmethod
    def _align(table: SentTable, place: Place) -> str:
        """Return the side of a text: headings of numbers stand over them, others keep a gap."""
        row, col = place
        if row >= table.heading_rows:
            return "left"
        if place in table.spans and table.spans[place][1] > 1:
            return "center"
        return "right" if table.columns[col].type.kind in _RIGHT else "left"

    def _comment(self, sheet: _Sheet, mark: Mark, cell: SentValue, at: Place) -> None:
        """Write what is said of a cell as a comment."""
        says = list(mark.says)
        if isinstance(cell.value, str) and len(clean_text(cell.value)) > MOST_CHARACTERS:
            says.append(CUT)
        if cell.misfit:
            says.append(MISFIT.format(cell.misfit))
        if mark.doubt is not None and self._options.marks:
            says.append(say_doubt(mark.doubt))
        if says and self._comments < _MOST_COMMENTS:
            self._comments += 1
            about = {"x_scale": 2, "y_scale": 1.2}
            sheet.sheet.write_comment(*at, "\n".join(says), about)

    def _put_sum(
        self, sheet: _Sheet, place: Place, addends: Sequence[Place], value: SentValue, at: Place
    ) -> None:
        """Write a total as a formula, with the value that the paper has."""
        top, left = at
        cells = sorted((top + r, left + c) for r, c in addends)
        col = cells[0][1]
        run = all(c == (cells[0][0] + k, col) for k, c in enumerate(cells))
        said = (
            xl_range(*cells[0], *cells[-1])
            if run
            else ",".join(xl_rowcol_to_cell(*c) for c in cells)
        )
        look = self._look("General" if value.look is None else excel_format(value.look))
        row = top + place[0]
        if isinstance(value.value, Decimal):
            sheet.sheet.write_formula(
                row, left + place[1], f"=SUM({said})", look, float(value.value)
            )

    def _merge(self, sheet: _Sheet, table: SentTable, at: Place) -> None:
        """Merge the cells that cover several places."""
        for (row, col), (rows, cols) in table.spans.items():
            top, left = at[0] + row, at[1] + col
            text = str(table.columns[col].texts[row])
            doubt = (m := table.marks.get((row, col))) is not None and m.doubt is not None
            heading = row < table.heading_rows
            align = self._align(table, (row, col))
            look = self._look(heading=heading, doubt=doubt and self._options.marks, align=align)
            area = (top, left, top + rows - 1, left + cols - 1)
            sheet.sheet.merge_range(*area, "", look)
            if text:
                sheet.sheet.write_string(top, left, clean_text(text)[:MOST_CHARACTERS], look)

    def _finish(self, sheet: _Sheet, table: SentTable, top: int, body: int) -> None:
        """Write notes, set widths and paper, keep the heading in sight, add filters."""
        own = sheet.sheet
        if table.notes:
            quiet = self._book.add_format({"italic": True, "font_color": _QUIET})
            own.write_string(top + body + 1, 0, clean_text(table.notes)[:MOST_CHARACTERS], quiet)
        sheet.size()
        own.set_paper(9)
        own.fit_to_pages(1, 0)
        if sum(sheet.widths.values()) > 90:
            own.set_landscape()
        own.set_footer("&L&A&RPage &P of &N")
        if table.caption:
            own.set_header("&C" + clean_text(table.caption).replace("&", "&&")[:200])
        if not top:
            return
        own.freeze_panes(top, 0)
        own.repeat_rows(0, top - 1)
        self._add_filters(own, table, top, body)

    def _add_filters(
        self, sheet: xlsxwriter.worksheet.Worksheet, table: SentTable, top: int, body: int
    ) -> None:
        """Make the cells a table of the workbook where its headings allow it, else filter them."""
        heads = [clean_text(t) for t in table.names or [c.texts[top - 1] for c in table.columns]]
        last = top + body - 1
        alone = {" ".join(h.casefold().split()) for h in heads}
        one = bool(table.names) + table.heading_rows == 1
        plain = one and all(heads) and len(alone) == len(heads) and body > 0
        if plain and not table.spans and all(len(h) <= 255 and "\n" not in h for h in heads):
            sides = ["right" if c.type.kind in _RIGHT else "left" for c in table.columns]
            bold = [self._look(heading=True, align=side) for side in sides]
            sheet.add_table(
                top - 1,
                0,
                last,
                len(heads) - 1,
                {
                    "name": name_list(table.name, self._lists),
                    "style": "Table Style Light 1",
                    "banded_rows": False,
                    "columns": [
                        {"header": h, "header_format": b} for h, b in zip(heads, bold, strict=True)
                    ],
                },
            )
        elif table.names and body > 0:
            sheet.autofilter(top - 1, 0, last, len(heads) - 1)

    # --- evidence -------------------------------------------------------------------------------

    def _list_doubts(self) -> None:
        """Write the sheet that lists every open doubt, with a link to its cell."""
        self._names.discard("doubts")
        sheet = self._add("Doubts")
        headings = [*DOUBT_HEADINGS, *(["Ink"] if self._options.ink and self._cut_ink else [])]
        for col, text in enumerate(headings):
            sheet.sheet.write_string(0, col, text, self._look(heading=True))
        row = 1
        for table, at, (top, left), own in self._places:
            for place, doubt, cells in doubt_rows(table):
                if place[0] not in own:
                    continue
                to = (top + place[0], left + place[1])
                where = xl_rowcol_to_cell(*to)
                link = f"internal:'{at.name.replace(chr(39), chr(39) * 2)}'!{where}"
                sheet.sheet.write_string(row, 0, clean_text(table.name), self._look())
                sheet.sheet.write_url(row, 1, link, self._link(), where)
                for col, text in enumerate(cells[:1], 2):
                    sheet.sheet.write_string(row, col, clean_text(text)[:1000], self._look())
                sheet.sheet.write_number(row, 3, doubt.sure, self._look(_SURE))
                for col, text in enumerate(cells[1:], 4):
                    sheet.sheet.write_string(row, col, clean_text(text)[:1000], self._look())
                if self._options.ink and self._cut_ink is not None and row <= _MOST_INK:
                    self._put_ink(sheet.sheet, row, doubt.cell)
                row += 1
        _lay_out_evidence(sheet, (28, 8, 24, 10, 30, 60, 30))

    def _put_ink(self, sheet: xlsxwriter.worksheet.Worksheet, row: int, cell: int) -> None:
        """Put the picture of a cell's ink beside its doubt."""
        picture = None if self._cut_ink is None or cell < 0 else self._cut_ink(cell)
        if picture is None:
            return
        high = int.from_bytes(picture[20:24], "big")  # of a PNG
        by = min(1.0, _INK_PX / max(1, high))
        sheet.set_row_pixels(row, round(_INK_PX) + 6)
        sheet.insert_image(
            row,
            len(DOUBT_HEADINGS),
            "ink.png",
            {
                "image_data": io.BytesIO(picture),
                "x_scale": by,
                "y_scale": by,
                "x_offset": 3,
                "y_offset": 3,
            },
        )

    def _list_sources(self, tables: Sequence[SentTable]) -> None:
        """Write the sheet that tells where each table comes from."""
        self._names.discard("source")
        sheet = self._add("Source")
        for col, text in enumerate(SOURCE_HEADINGS):
            sheet.sheet.write_string(0, col, text, self._look(heading=True))
        for row, (cells, wrong) in enumerate(source_rows(tables), 1):
            for col, text in enumerate(cells):
                sheet.sheet.write_string(row, col, clean_text(text)[:1000], self._look())
            sheet.sheet.write_number(row, len(cells), round(wrong, 2), self._look("0.0"))
        _lay_out_evidence(sheet, (30, 26, 10, 30, 12, 44, 34, 16))


def _lay_out_evidence(sheet: _Sheet, widths: Sequence[int]) -> None:
    for col, width in enumerate(widths):
        sheet.sheet.set_column(col, col, width)
    sheet.sheet.freeze_panes(1, 0)
    sheet.sheet.set_paper(9)
    sheet.sheet.set_landscape()
    sheet.sheet.fit_to_pages(1, 0)


def _write_value(
    sheet: xlsxwriter.worksheet.Worksheet,
    at: Place,
    value: Decimal | date | time | timedelta,
    look: object,
) -> None:
    if isinstance(value, Decimal):
        sheet.write_number(*at, float(value), look)
    else:
        sheet.write_datetime(*at, value, look)
