"""Writes documents for an office suite: its word processor and its spreadsheet."""

from __future__ import annotations

from collections.abc import Sequence
from xml.sax.saxutils import escape

from synth.press.edges import DOUBLE, NONE, edges_of, ground_of, is_light, weight_pt
from synth.press.model import Cell, Document, Look, Table, Text, tag_hex
from synth.press.setting import SettingError

_SPACES = " ".join(
    f'xmlns:{k}="urn:oasis:names:tc:opendocument:xmlns:{v}:1.0"'
    for k, v in {
        "office": "office",
        "style": "style",
        "text": "text",
        "table": "table",
        "fo": "xsl-fo-compatible",
    }.items()
)
_MM_A_CHAR = 0.235  # of the size in points


class _Styles:
    """Automatic styles, each written once."""

    def __init__(self) -> None:
        self._names: dict[tuple[str, str], str] = {}

    def name(self, family: str, inner: str) -> str:
        return self._names.setdefault((family, inner), f"s{len(self._names)}")

    def xml(self) -> str:
        return "".join(
            f'<style:style style:name="{name}" style:family="{family}"{_parent(inner)}>'
            f"{inner.removeprefix(_BREAK)}</style:style>"
            for (family, inner), name in self._names.items()
        )


_BREAK = "<!--page-->"


def _parent(inner: str) -> str:
    return ' style:master-page-name="Standard"' if inner.startswith(_BREAK) else ""


class _Base:
    def __init__(self, document: Document, first: int | None, styles: _Styles) -> None:
        self._document = document
        self._first = first
        self._styles = styles

    def _font(self, item: Cell | Text, size: float, *, light: bool = False) -> str:
        colour = "ffffff" if light else "000000"
        if self._first is not None:
            colour = tag_hex(self._first + self._document.number(item)).lower()
        face = escape(self._document.face or "DejaVu Sans")
        bold = ' fo:font-weight="bold"' if item.bold else ""
        italic = ' fo:font-style="italic"' if item.italic else ""
        return (
            f'<style:text-properties fo:font-family="{face}" fo:font-size="{size:.1f}pt" '
            f'fo:color="#{colour}"{bold}{italic}/>'
        )

    def _cell_style(self, table: Table, row: int, col: int, cell: Cell | None) -> str:
        look = table.look
        high, wide = (cell.row_span, cell.col_span) if cell else (1, 1)
        edges = edges_of(table, row, col, high, wide)
        parts = [
            f'fo:border-{side}="{_line(look, getattr(edges, side))}"'
            for side in ("top", "right", "bottom", "left")
        ]
        parts += [
            f'style:border-line-width-{side}="0.018cm 0.035cm 0.018cm"'
            for side in ("top", "right", "bottom", "left")
            if getattr(edges, side) == DOUBLE
        ]
        level = ground_of(table, row)
        if level is not None:
            parts.append(f'fo:background-color="#{level:02x}{level:02x}{level:02x}"')
        across, down = look.pad_pt
        parts.append(
            f'fo:padding-left="{across}pt" fo:padding-right="{across}pt" '
            f'fo:padding-top="{down}pt" fo:padding-bottom="{down}pt"'
        )
        valign = "bottom" if row < table.header_rows else look.valign
        parts.append(f'style:vertical-align="{valign}"')
        return f"<style:table-cell-properties {' '.join(parts)}"


def _line(look: Look, kind: int) -> str:
    if kind == NONE:
        return "none"
    style = "double" if kind == DOUBLE else look.line
    return (
        f"{weight_pt(look, kind):.2f}pt {style} #{look.level:02x}{look.level:02x}{look.level:02x}"
    )


def _align(align: str) -> str:
    return {"l": "start", "c": "center", "r": "end", "j": "justify"}[align]


def _shares(table: Table) -> list[float]:
    """Return the columns' shares of the width, by their longest texts."""
    longest = []
    for col in range(table.cols):
        own = [len(c.text) + 2 * c.indent for c in table.cells if c.col == col and c.col_span == 1]
        longest.append(max([8.0, *(1.15 * n for n in own)]))
    if table.widths:
        longest = [w * 100 for w in table.widths]
    return [v / sum(longest) for v in longest]


class _WriterText(_Base):
    """Writes a document's blocks as text of a word processor."""

    def xml(self, *, breaks: bool) -> str:
        out = []
        for k, block in enumerate(self._document.blocks):
            if isinstance(block, Text):
                out.append(self._paragraph(block, breaks=breaks and k == 0))
            elif isinstance(block, Table):
                if breaks and k == 0:
                    out.append(self._empty(breaks=True))
                out.append(self._table(block))
                out.append(self._empty(breaks=False))
            else:
                raise SettingError("Word processor pages have no blocks beside each other.")
        return "".join(out)

    def _empty(self, *, breaks: bool) -> str:
        how = ' fo:break-before="page"' if breaks else ""
        inner = (
            f'<style:paragraph-properties fo:margin-bottom="0pt"{how}/>'
            '<style:text-properties fo:font-size="4pt"/>'
        )
        return f'<text:p text:style-name="{self._styles.name("paragraph", inner)}"/>'

    def _paragraph(self, item: Text, *, breaks: bool) -> str:
        gap = {"caption": 3.0, "subtitle": 3.0, "note": 4.0, "list": 2.0}.get(
            item.role, self._document.gap_pt
        )
        how = ' fo:break-before="page"' if breaks else ""
        inner = (
            f'<style:paragraph-properties fo:text-align="{_align(item.align)}" '
            f'fo:margin-bottom="{gap}pt"{how}/>'
            f"{self._font(item, self._document.point * item.size)}"
        )
        name = self._styles.name("paragraph", inner)
        return f'<text:p text:style-name="{name}">{escape(item.text)}</text:p>'

    def _table(self, table: Table) -> str:
        room = self._document.size_mm[0] - 2 * self._document.margin_mm[0]
        out = ["<table:table>"]
        for share in _shares(table):
            inner = f'<style:table-column-properties style:column-width="{share * room:.2f}mm"/>'
            name = self._styles.name("table-column", inner)
            out.append(f'<table:table-column table:style-name="{name}"/>')
        for row in range(table.rows):
            out.append("<table:table-row>")
            for col in range(table.cols):
                cell = table.at(row, col)
                if cell is not None and (cell.row, cell.col) != (row, col):
                    out.append("<table:covered-table-cell/>")
                    continue
                style = self._styles.name(
                    "table-cell", self._cell_style(table, row, col, cell) + "/>"
                )
                spans, words = "", "<text:p/>"
                if cell is not None:
                    spans = (
                        f' table:number-columns-spanned="{cell.col_span}"'
                        f' table:number-rows-spanned="{cell.row_span}"'
                    )
                    inner = (
                        f'<style:paragraph-properties fo:text-align="{_align(cell.align)}" '
                        f'fo:margin-left="{3 * cell.indent}mm"/>'
                        f"{self._font(cell, self._document.point, light=is_light(table, row))}"
                    )
                    name = self._styles.name("paragraph", inner)
                    words = f'<text:p text:style-name="{name}">{escape(cell.text)}</text:p>'
                out.append(
                    f'<table:table-cell table:style-name="{style}" '
                    f'office:value-type="string"{spans}>{words}</table:table-cell>'
                )
            out.append("</table:table-row>")
        out.append("</table:table>")
        return "".join(out)


class _SheetText(_Base):
    """Writes a document's blocks as a sheet of a spreadsheet."""

    def xml(self, number: int) -> str:
        tables = self._document.tables()
        cols = max((t.cols for t in tables), default=1)
        inner = '<style:table-properties table:display="true"/>'
        out = [
            f'<table:table table:name="p{number}" '
            f'table:style-name="{self._styles.name("table", _BREAK + inner)}">'
        ]
        size = self._document.point
        for col in range(cols):
            longest = max(
                (
                    len(c.text) + 2 * c.indent
                    for t in tables
                    for c in t.cells
                    if c.col == col and c.col_span == 1
                ),
                default=6,
            )
            wide = max(12.0, (longest + 2) * size * _MM_A_CHAR)
            inner = f'<style:table-column-properties style:column-width="{wide:.1f}mm"/>'
            name = self._styles.name("table-column", inner)
            out.append(f'<table:table-column table:style-name="{name}"/>')
        for block in self._document.blocks:
            if isinstance(block, Table):
                out += self._rows(block)
                out.append(_BLANK_ROW)
            elif isinstance(block, Text):
                cell = self._value(block, "", 1, 1, self._document.point * block.size)
                out.append(f"<table:table-row>{cell}</table:table-row>")
                if block.role not in ("caption", "subtitle"):
                    out.append(_BLANK_ROW)
            else:
                raise SettingError("Sheets have no blocks beside each other.")
        out.append("</table:table>")
        return "".join(out)

    def _value(
        self,
        item: Cell | Text,
        sides: str,
        high: int,
        wide: int,
        size: float,
        *,
        light: bool = False,
    ) -> str:
        props = sides or "<style:table-cell-properties"
        align = "l" if item.align == "j" else item.align
        indent = item.indent if isinstance(item, Cell) else 0
        inner = (
            f"{props}/>"
            f'<style:paragraph-properties fo:text-align="{_align(align)}" '
            f'fo:margin-left="{3 * indent}mm"/>'
            f"{self._font(item, size, light=light)}"
        )
        name = self._styles.name("table-cell", inner)
        spans = (
            f' table:number-columns-spanned="{wide}" table:number-rows-spanned="{high}"'
            if wide > 1 or high > 1
            else ""
        )
        return (
            f'<table:table-cell table:style-name="{name}" office:value-type="string"{spans}>'
            f"<text:p>{escape(item.text)}</text:p></table:table-cell>"
        )

    def _rows(self, table: Table) -> list[str]:
        high = self._document.point * 1.35 + 2 * table.look.pad_pt[1]
        inner = f'<style:table-row-properties style:row-height="{high:.1f}pt"/>'
        tall = self._styles.name("table-row", inner)
        out = []
        for row in range(table.rows):
            out.append(f'<table:table-row table:style-name="{tall}">')
            for col in range(table.cols):
                cell = table.at(row, col)
                if cell is not None and (cell.row, cell.col) != (row, col):
                    out.append("<table:covered-table-cell/>")
                    continue
                sides = self._cell_style(table, row, col, cell)
                if cell is None:
                    name = self._styles.name("table-cell", sides + "/>")
                    out.append(f'<table:table-cell table:style-name="{name}"/>')
                else:
                    out.append(
                        self._value(
                            cell,
                            sides,
                            cell.row_span,
                            cell.col_span,
                            self._document.point,
                            light=is_light(table, row),
                        )
                    )
            out.append("</table:table-row>")
        return out


_BLANK_ROW = "<table:table-row><table:table-cell/></table:table-row>"


def _wrap(kind: str, styles: _Styles, margins: tuple[float, float], body: str) -> str:
    x, y = margins
    fit = ' style:scale-to-X="1" style:scale-to-Y="1"' if kind == "spreadsheet" else ""
    bare = '<style:header style:display="false"/><style:footer style:display="false"/>'
    return (
        '<?xml version="1.0" encoding="UTF-8"?>'
        f'<office:document {_SPACES} office:version="1.3" '
        f'office:mimetype="application/vnd.oasis.opendocument.{kind}">'
        f"<office:automatic-styles>{styles.xml()}"
        '<style:page-layout style:name="pm"><style:page-layout-properties fo:page-width="210mm" '
        f'fo:page-height="297mm" fo:margin-left="{x:.1f}mm" fo:margin-right="{x:.1f}mm" '
        f'fo:margin-top="{y:.1f}mm" fo:margin-bottom="12mm"{fit}/>'
        "</style:page-layout></office:automatic-styles>"
        '<office:master-styles><style:master-page style:name="Standard" '
        'style:page-layout-name="pm">'
        f"{bare}</style:master-page></office:master-styles>"
        f"<office:body><office:{'text' if kind == 'text' else kind}>{body}"
        f"</office:{'text' if kind == 'text' else kind}></office:body></office:document>"
    )


def write_text_document(documents: Sequence[Document], *, tagged: bool) -> str:
    """Return a flat word-processor file with a page for each document."""
    styles = _Styles()
    body, first = [], 0
    for k, document in enumerate(documents):
        body.append(_WriterText(document, first if tagged else None, styles).xml(breaks=k > 0))
        first += len(document.ids)
    return _wrap("text", styles, documents[0].margin_mm, "".join(body))


def write_spreadsheet(documents: Sequence[Document], *, tagged: bool) -> str:
    """Return a flat spreadsheet file with a sheet for each document."""
    styles = _Styles()
    body, first = [], 0
    for k, document in enumerate(documents):
        body.append(_SheetText(document, first if tagged else None, styles).xml(k))
        first += len(document.ids)
    return _wrap("spreadsheet", styles, documents[0].margin_mm, "".join(body))
