"""Writes documents for typst."""

from __future__ import annotations

from collections.abc import Sequence

from synth.press.edges import DOUBLE, THIN, edges_of, ground_of, has_short_rule, is_light, weight_pt
from synth.press.model import Block, Cell, Document, Drawing, Look, Stack, Table, Text, tag_hex

_SPECIAL = set("\\#*_`$<>@=-+/~[]'\"&.")


def write_typst(documents: Sequence[Document], *, tagged: bool) -> str:
    """Return one source with a page for each document; see ``html.write_html`` for ``tagged``."""
    out = ['#set page(paper: "a4")', "#set table(inset: 0pt)"]
    first = 0
    for k, document in enumerate(documents):
        x, y = document.margin_mm
        if k:
            out.append("#pagebreak(weak: true)")
        out.append(f"#set page(margin: (x: {x:.1f}mm, y: {y:.1f}mm))")
        face = f', font: "{document.face}"' if document.face else ""
        out.append(f"#set text(size: {document.point}pt{face}, hyphenate: false)")
        out.append(f"#set par(leading: {document.leading - 0.72:.2f}em)")
        writer = _Writer(document, first if tagged else None)
        out += [writer.block(b) for b in document.blocks]
        first += len(document.ids)
    return "\n".join(out)


def _escape(text: str) -> str:
    return "".join(f"\\u{{{ord(c):x}}}" if c in _SPECIAL else c for c in text)


def _line(look: Look, kind: int) -> str:
    dash = {"dotted": "dotted", "dashed": "dashed"}.get(look.line, "solid")
    weight = weight_pt(look, kind) if kind != DOUBLE else 2.0
    return f'(paint: luma({look.level}), thickness: {weight:.2f}pt, dash: "{dash}")'


class _Writer:
    def __init__(self, document: Document, first: int | None) -> None:
        self._document = document
        self._first = first

    def _words(self, item: Cell | Text, *, light: bool = False) -> str:
        text = _escape(item.text)
        if item.bold:
            text = f"#strong[{text}]"
        if item.italic:
            text = f"#emph[{text}]"
        if self._first is not None:
            return (
                f'#text(fill: rgb("{tag_hex(self._first + self._document.number(item))}"))[{text}]'
            )
        return f"#text(fill: white)[{text}]" if light else text

    def block(self, block: Block) -> str:
        gap = self._document.gap_pt
        if isinstance(block, Drawing):
            raise TypeError("only the browser sets drawings")
        if isinstance(block, Text):
            align = {"l": "left", "c": "center", "r": "right", "j": "left"}[block.align]
            own = {"caption": 4.0, "subtitle": 4.0, "note": 4.0, "list": 3.0}.get(block.role, gap)
            words = f"#text(size: {block.size}em)[{self._words(block)}]"
            justify = "true" if block.align == "j" else "false"
            return (
                f"#block(width: 100%, above: {own}pt, below: {own}pt)["
                f"#set par(justify: {justify})\n"
                f"#align({align})[{words}]]"
            )
        if isinstance(block, Table):
            return f"#block(width: 100%, above: 4pt, below: {gap}pt)[{self._table(block)}]"
        inner = [self.block(b) for b in block.blocks]
        if isinstance(block, Stack):
            return "\n".join(inner)
        shares = ", ".join(f"{s}fr" for s in block.shares)
        columns = ", ".join(f"[{i}]" for i in inner)
        return f"#grid(columns: ({shares}), column-gutter: 6mm, {columns})"

    def _table(self, table: Table) -> str:
        look = table.look
        if table.widths:
            columns = ", ".join(f"{w:.3f}fr" for w in table.widths)
        elif look.wide:
            columns = ", ".join("1fr" for _ in range(table.cols))
        else:
            columns = ", ".join("auto" for _ in range(table.cols))
        size = self._document.point
        gaps = ", ".join(
            f"{size if table.blank_below(r) else 0}pt" for r in range(max(1, table.rows - 1))
        )
        out = [f"#table(columns: ({columns},), stroke: none, row-gutter: ({gaps},),"]
        for row in range(table.rows):
            for col in range(table.cols):
                cell = table.at(row, col)
                if cell is None:
                    out.append(self._place(table, row, col, 1, 1, "left", ""))
                elif (cell.row, cell.col) == (row, col):
                    out.append(self._cell(table, cell))
        return "".join(out) + ")"

    def _cell(self, table: Table, cell: Cell) -> str:
        words = self._words(cell, light=is_light(table, cell.row))
        if cell.indent:
            words = f"#h({1.2 * cell.indent}em){words}"
        if not table.widths:
            words = f"#box[{words}]"
        if cell.turned:
            words = f"#rotate(-90deg, reflow: true)[{words}]"
        if has_short_rule(table, cell):
            words = (
                f"#block(width: 100%, inset: (bottom: 2pt), stroke: (bottom: "
                f"{_line(table.look, THIN)}))[{words}]"
            )
        align = {"l": "left", "c": "center", "r": "right"}[cell.align]
        down = "bottom" if cell.row < table.header_rows else table.look.valign
        down = {"middle": "horizon"}.get(down, down)
        return self._place(
            table, cell.row, cell.col, cell.row_span, cell.col_span, f"{align} + {down}", words
        )

    def _place(
        self, table: Table, row: int, col: int, high: int, wide: int, align: str, words: str
    ) -> str:
        look = table.look
        edges = edges_of(table, row, col, high, wide)
        strokes = ", ".join(
            f"{side}: {_line(look, kind)}"
            for side in ("top", "right", "bottom", "left")
            if (kind := getattr(edges, side))
        )
        level = ground_of(table, row)
        fill = "" if level is None else f", fill: luma({level})"
        across, down = look.pad_pt
        return (
            f"table.cell(x: {col}, y: {row}, rowspan: {high}, colspan: {wide}, align: {align}, "
            f"inset: (x: {across}pt, y: {down + 1.5}pt), "
            f"stroke: ({strokes or ':'}){fill})[{words}],"
        )
