"""Tables as an OpenDocument spreadsheet: a sheet each or one for all, doubts and sources behind."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Sequence
from datetime import date, time, timedelta
from decimal import Decimal

from odf import number, office, style, table, text
from odf.element import Element
from odf.opendocument import OpenDocument, OpenDocumentSpreadsheet

from keel_line._shared.pulse import pulse
from keel_line.send.evidence import (
    DOUBT_HEADINGS,
    SOURCE_HEADINGS,
    doubt_rows,
    say_doubt,
    source_rows,
)
from keel_line.send.names import clean_text, name_sheet
from keel_line.send.sent import Above, Mark, Place, SendOptions, SentTable
from keel_line.send.values import (
    MISFIT,
    Look,
    NumberLook,
    SentValue,
    TimeLook,
    plain_number,
    type_column,
)

_MOST_COMMENTS = 5000
_LETTER_MM, _WIDEST_MM = 2.1, 120.0
_DC = "http://purl.org/dc/elements/1.1/"
_WHEN = (2000, 1, 1, 0, 0, 0)
_PARTS = {
    "day": number.Day,
    "month": number.Month,
    "year": number.Year,
    "weekday": number.DayOfWeek,
    "hour": number.Hours,
    "minute": number.Minutes,
    "second": number.Seconds,
}


def make_opendocument(tables: Sequence[SentTable], options: SendOptions) -> bytes:
    """Return tables as an OpenDocument spreadsheet."""
    return _Writer(options).make(tables)


class _Writer:
    """Makes one document."""

    def __init__(self, options: SendOptions) -> None:
        self._options = options
        self._names: set[str] = set()
        self._looks: dict[tuple[Look | None, bool, bool], Element] = {}
        self._formats: dict[Look, str] = {}
        self._widths: dict[float, Element] = {}
        self._comments = 0
        self._book = OpenDocumentSpreadsheet()

    def make(self, tables: Sequence[SentTable]) -> bytes:
        """Return the bytes of the document."""
        if self._options.stacked and len(tables) > 1:
            sheet = self._add("Tables", [max(len(t.name) for t in tables), *_widths(tables)])
            for one in tables:
                self._fill(sheet, one, before=one.name)
                sheet.addElement(table.TableRow())
        else:
            for one in tables:
                sheet = self._add(one.name, _widths([one]))
                self._fill(sheet, one)
                if one.notes:
                    sheet.addElement(table.TableRow())
                    sheet.addElement(self._row([self._text(one.notes)]))
        if not tables:
            self._add("No tables", [])
        marked = self._options.marks and any(m.doubt for t in tables for m in t.marks.values())
        if marked:
            self._list_doubts(tables)
        if tables and self._options.source:
            self._list_sources(tables)
        return repack(self._book)

    def _add(self, name: str, widths: Sequence[int]) -> Element:
        sheet = table.Table(name=name_sheet(name, self._names))
        for letters in widths:
            sheet.addElement(table.TableColumn(stylename=self._width(letters)))
        self._book.spreadsheet.addElement(sheet)
        return sheet

    def _width(self, letters: int) -> Element:
        wide = min(letters * _LETTER_MM + 4.0, _WIDEST_MM)
        if wide not in self._widths:
            own = style.Style(name=f"w{len(self._widths)}", family="table-column")
            own.addElement(style.TableColumnProperties(columnwidth=f"{wide:.1f}mm"))
            self._book.automaticstyles.addElement(own)
            self._widths[wide] = own
        return self._widths[wide]

    # --- tables ---------------------------------------------------------------------------------

    def _fill(self, sheet: Element, one: SentTable, before: str = "") -> None:
        """Write a table's rows; ``before`` stands in a column of its own before each."""
        for above in one.above if self._options.headings else ():
            sheet.addElement(self._row(self._say_above(one, above, before)))
        if one.names:
            heads = [before] if before else []
            heads += one.names
            sheet.addElement(self._row([self._text(n, heading=True) for n in heads]))
        first, covered = one.heading_rows, one.covered()
        columns = [
            [
                *(SentValue(str(t)) for t in c.texts[:first]),
                *type_column(one, k, as_text=self._options.as_text),
            ]
            for k, c in enumerate(one.columns)
        ]
        for row in range(one.rows):
            pulse()
            cells = [self._text(before)] if before else []
            cells += [
                table.CoveredTableCell()
                if (row, col) in covered
                else self._cell(one, (row, col), columns[col][row])
                for col in range(len(one.columns))
            ]
            sheet.addElement(self._row(cells))

    def _say_above(self, one: SentTable, above: Sequence[Above], before: str) -> list[Element]:
        """Return the cells of a row of headings above the names."""
        cells = [self._text(before, heading=True)] if before else []
        spans = {a.first: a for a in above}
        at = 0
        while at < len(one.columns):
            span = spans.get(at, Above(at, 1, ""))
            about = {"numbercolumnsspanned": span.cols} if span.cols > 1 else {}
            look = self._look(None, heading=True, doubt=False)
            cell = table.TableCell(valuetype="string", stylename=look, **about)
            _add_text(cell, span.text)
            cells += [cell, *(table.CoveredTableCell() for _ in range(span.cols - 1))]
            at += span.cols
        return cells

    def _row(self, cells: Sequence[Element]) -> Element:
        row = table.TableRow()
        for cell in cells:
            row.addElement(cell)
        return row

    def _cell(self, one: SentTable, place: Place, cell: SentValue) -> Element:
        mark = one.marks.get(place, Mark())
        doubt = mark.doubt is not None and self._options.marks
        look = self._look(cell.look, heading=place[0] < one.heading_rows, doubt=doubt)
        printed = str(one.columns[place[1]].texts[place[0]])
        about = {"stylename": look, **_value_of(cell, printed)}
        rows, cols = one.spans.get(place, (1, 1))
        if rows > 1 or cols > 1:
            about |= {"numberrowsspanned": rows, "numbercolumnsspanned": cols}
        out = table.TableCell(**about)
        says = list(mark.says) + ([MISFIT.format(cell.misfit)] if cell.misfit else [])
        if mark.doubt is not None and self._options.marks:
            says.append(say_doubt(mark.doubt))
        if says and self._comments < _MOST_COMMENTS:
            self._comments += 1
            note = office.Annotation()
            for line in "\n".join(says).split("\n"):
                note.addElement(text.P(text=clean_text(line)))
            out.addElement(note)
        _add_text(out, printed)
        return out

    def _text(self, said: str, *, heading: bool = False) -> Element:
        cell = table.TableCell(
            valuetype="string", stylename=self._look(None, heading=heading, doubt=False)
        )
        _add_text(cell, said)
        return cell

    # --- evidence -------------------------------------------------------------------------------

    def _list_doubts(self, tables: Sequence[SentTable]) -> None:
        sheet = self._add("Doubts", [24, 12, 20, 10, 26, 60])
        sheet.addElement(self._row([self._text(h, heading=True) for h in DOUBT_HEADINGS]))
        for one in tables:
            top = bool(one.names) + 1 + (len(one.above) if self._options.headings else 0)
            for (row, col), doubt, (said, others, why) in doubt_rows(one):
                where = f"row {row + top}, column {col + 1}"
                cells = [self._text(t) for t in (one.name, where, said)]
                sure = table.TableCell(
                    valuetype="percentage",
                    value=f"{doubt.sure:.4f}",
                    stylename=self._look(NumberLook(percent=True), heading=False, doubt=False),
                )
                _add_text(sure, f"{doubt.sure:.0%}")
                sheet.addElement(self._row([*cells, sure, self._text(others), self._text(why)]))

    def _list_sources(self, tables: Sequence[SentTable]) -> None:
        sheet = self._add("Source", [28, 24, 8, 26, 12, 40, 30, 20])
        sheet.addElement(self._row([self._text(h, heading=True) for h in SOURCE_HEADINGS]))
        for cells, wrong in source_rows(tables):
            last = table.TableCell(valuetype="float", value=f"{wrong:.2f}")
            _add_text(last, f"{wrong:.2f}")
            sheet.addElement(self._row([*(self._text(c) for c in cells), last]))

    # --- looks ----------------------------------------------------------------------------------

    def _look(self, look: Look | None, *, heading: bool, doubt: bool) -> Element:
        key = (look, heading, doubt)
        if key not in self._looks:
            about = {} if look is None else {"datastylename": self._format(look)}
            own = style.Style(name=f"c{len(self._looks)}", family="table-cell", **about)
            letters: dict[str, str] = {}
            if heading:
                letters["fontweight"] = "bold"
            if doubt:
                letters |= {"color": "#8A5608", "fontstyle": "italic"}
                own.addElement(style.TableCellProperties(backgroundcolor="#FBF3E2"))
            if letters:
                own.addElement(style.TextProperties(**letters))
            self._book.automaticstyles.addElement(own)
            self._looks[key] = own
        return self._looks[key]

    def _format(self, look: Look) -> str:
        """Return the name of the style that shows a number or time as it is printed."""
        if look not in self._formats:
            name = f"n{len(self._formats)}"
            self._formats[look] = name
            if isinstance(look, NumberLook):
                self._add_number(name, look)
            else:
                self._add_time(name, look)
        return self._formats[look]

    def _add_number(self, name: str, look: NumberLook) -> None:
        kind = number.PercentageStyle if look.percent else number.NumberStyle
        signed = look.negative and not (look.before == "-" and not look.after)
        own = kind(name=name)
        before, after = look.before, look.after + ("%" if look.percent else "")
        if not signed and look.negative:
            before = ""
        figures = number.Number(
            decimalplaces=look.places,
            minintegerdigits=1,
            grouping="true" if look.grouped else "false",
        )
        for part in (_literal(before), figures, _literal(after)):
            if part is not None:
                own.addElement(part)
        if signed:  # the signs that the paper has stand for a minus
            plain = kind(name=f"{name}p", volatile="true")
            plain.addElement(
                number.Number(
                    decimalplaces=look.places,
                    minintegerdigits=1,
                    grouping="true" if look.grouped else "false",
                )
            )
            self._book.automaticstyles.addElement(plain)
            own.addElement(style.Map(condition="value()>=0", applystylename=f"{name}p"))
        self._book.automaticstyles.addElement(own)

    def _add_time(self, name: str, look: TimeLook) -> None:
        dated = any(part in {"day", "month", "year"} for part, _ in look.parts)
        own = (
            number.DateStyle(name=name)
            if dated
            else number.TimeStyle(
                name=name, **({"truncateonoverflow": "false"} if look.duration else {})
            )
        )
        for part, how in look.parts:
            if not part:
                own.addElement(number.Text(text=how))
                continue
            about = {"style": "long"} if len(how) in {2, 4} and part != "month" else {}
            if part == "month":
                about = {
                    **({"textual": "true"} if len(how) > 2 else {}),
                    **({"style": "long"} if len(how) in {2, 4} else {}),
                }
            own.addElement(_PARTS[part](**about))
        if look.half:
            own.addElement(number.Text(text=" "))
            own.addElement(number.AmPm())
        self._book.automaticstyles.addElement(own)


def _literal(said: str) -> Element | None:
    return number.Text(text=said) if said else None


def _value_of(cell: SentValue, printed: str) -> dict[str, str]:
    """Return a cell's type and value as the format has them."""
    value = cell.value
    if isinstance(value, Decimal):
        percent = isinstance(cell.look, NumberLook) and cell.look.percent
        return {
            "valuetype": "percentage" if percent else "float",
            "value": plain_number(value, cell.look),
        }
    if isinstance(value, date):
        return {"valuetype": "date", "datevalue": value.isoformat()}
    if isinstance(value, time):
        said = f"PT{value.hour:02}H{value.minute:02}M{value.second:02}S"
        return {"valuetype": "time", "timevalue": said}
    if isinstance(value, timedelta):
        seconds = round(value.total_seconds())
        said = f"PT{seconds // 3600:02}H{seconds // 60 % 60:02}M{seconds % 60:02}S"
        return {"valuetype": "time", "timevalue": said}
    return {"valuetype": "string"} if printed else {}


def _add_text(cell: Element, said: str) -> None:
    """Add a text line by line. Several spaces in a row are kept."""
    if not said:
        return
    for line in clean_text(said).split("\n"):
        own = text.P()
        run = ""
        for char in line:
            if char == "\t":
                own.addText(run)
                own.addElement(text.Tab())
                run = ""
            elif char == " " and (not run or run.endswith(" ")):
                own.addText(run)
                own.addElement(text.S(c=1))
                run = ""
            else:
                run += char
        own.addText(run)
        cell.addElement(own)


def _widths(tables: Sequence[SentTable]) -> list[int]:
    """Return the letters that each column has to hold."""
    out: list[int] = []
    for one in tables:
        for k, column in enumerate(one.columns):
            longest = max(
                [4, len(column.name), *(len(p) for t in column.texts for p in str(t).split("\n"))]
            )
            if k < len(out):
                out[k] = max(out[k], longest)
            else:
                out.append(longest)
    return out


def repack(book: OpenDocument) -> bytes:
    """Return a document's bytes, the same whenever it is written."""
    made, out = io.BytesIO(), io.BytesIO()
    for element in book.meta.childNodes[:]:
        if element.qname == (_DC, "date"):
            book.meta.removeChild(element)
    book.write(made)
    with zipfile.ZipFile(made) as before, zipfile.ZipFile(out, "w") as after:
        for info in before.infolist():
            fresh = zipfile.ZipInfo(info.filename, _WHEN)
            fresh.compress_type = info.compress_type
            after.writestr(fresh, before.read(info.filename))
    return out.getvalue()
