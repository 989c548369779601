"""Writes documents as HTML with CSS, for programs that print it."""

from __future__ import annotations

import html
import re
from collections.abc import Sequence
from pathlib import Path

from synth.press.edges import THIN, edges_of, ground_of, has_short_rule, is_light, weight_pt
from synth.press.model import (
    Block,
    Cell,
    Document,
    Drawing,
    Look,
    Stack,
    Table,
    Text,
    Typed,
    tag_hex,
)
from synth.press.typed import Line, lay_table, lay_typed

_STEP_EM = 1.1
_LETTER_EM = 0.62
_LISTED = 0.85
_LOW = re.compile(r"(?<=[A-Za-z])(\d+)")


def write_html(documents: Sequence[Document], faces: dict[str, Path], *, tagged: bool) -> str:
    """Return one HTML file with a page for each document.

    ``faces`` gives the font file of each face. Where ``tagged``, each text has the colour that
    stands for its number, counted through all documents.
    """
    parts = [f"<!doctype html><html><head><meta charset='utf-8'><style>{_STYLE}"]
    parts += [
        f"@font-face{{font-family:'{name}';src:url('{faces[name].as_uri()}')}}"
        for name in sorted({d.face for d in documents} & faces.keys())
    ]
    parts.append("</style></head><body>")
    first = 0
    for document in documents:
        writer = _Writer(document, first if tagged else None)
        x, y = document.margin_mm
        parts.append(
            f"<div class='page' style=\"padding:{y}mm {x}mm;"
            f"font:{document.point}pt/{document.leading} '{document.face}'\">"
        )
        if document.typed is not None:
            parts.append(writer.typed(document.typed))
        else:
            parts += [writer.block(b) for b in document.blocks]
        parts.append("</div>")
        first += len(document.ids)
    parts.append("</body></html>")
    return "".join(parts)


_STYLE = (
    "@page{size:A4;margin:0}*{box-sizing:border-box}body{margin:0}"
    ".page{width:210mm;height:296.5mm;overflow:hidden;break-after:page;position:relative}"
    "p{margin:0}table{border-collapse:collapse}td{padding:0}"
    "pre{margin:0;font-variant-ligatures:none}.row{display:flex;gap:6mm;align-items:flex-start}"
)


def _line(look: Look, kind: int) -> str:
    """Return a rule as CSS writes it."""
    style = {1: look.line, 2: "solid", 3: "double"}[kind]
    return f"{weight_pt(look, kind):.2f}pt {style} rgb({look.level},{look.level},{look.level})"


def _set_lines(text: str, cell: Cell) -> str:
    """Return a cell's text as HTML, with its line ends and the low figures of formulas."""
    if cell.formula:
        text = _LOW.sub(r"<sub style='font-size:0.7em'>\1</sub>", text)
    words = text.split(" ")
    ends = ("<br>" if k in cell.breaks else " " for k in range(1, len(words)))
    return words[0] + "".join(end + word for end, word in zip(ends, words[1:], strict=True))


class _Writer:
    """Writes the blocks of one document; ``first`` is its first number, None for no tags."""

    def __init__(self, document: Document, first: int | None) -> None:
        self._document = document
        self._first = first

    def typed(self, typed: Typed) -> str:
        """Return a typed page, in letters that let its longest line stand on the page."""
        style = "font-family:inherit"
        return self._listing(lay_typed(self._document, typed), style, self._document.point)

    def _listing(self, lines: Sequence[Line], style: str, point: float) -> str:
        """Return lines of letters of one width, so small (pt) that the longest finds room."""
        longest = max(p.start + len(p.text) for line in lines for p in line)
        room = (self._document.size_mm[0] - 2 * self._document.margin_mm[0]) * 72 / 25.4
        point = min(point, room / (_LETTER_EM * longest))
        out = []
        for line in lines:
            at, said = 0, ""
            for piece in line:
                said += " " * (piece.start - at)
                text = html.escape(piece.text)
                said += text if piece.item is None else self._words(piece.item, text=piece.text)
                at = piece.start + len(piece.text)
            out.append(said)
        return f"<pre style='{style};font-size:{point:.2f}pt'>{chr(10).join(out)}</pre>"

    def _words(self, item: Cell | Text, colour: str = "", text: str | None = None) -> str:
        whole = text is None
        text = html.escape(item.text if text is None else text)
        if whole and isinstance(item, Cell):
            text = _set_lines(text, item)
        if self._first is not None:
            colour = f"#{tag_hex(self._first + self._document.number(item))}"
        return f"<span style='color:{colour}'>{text}</span>" if colour else text

    def block(self, block: Block) -> str:
        gap = f"margin-bottom:{self._document.gap_pt}pt"
        if isinstance(block, Text):
            return self._text(block)
        if isinstance(block, Drawing):
            return f"<div style='{gap}'>{block.markup}</div>"
        if isinstance(block, Table):
            if block.typed is not None:
                lines = lay_table(block, block.typed)
                point = _LISTED * self._document.point
                return self._listing(lines, f"font-family:monospace;{gap}", point)
            return f"<div style='{gap}'>{self._table(block)}</div>"
        inner = [self.block(b) for b in block.blocks]
        if isinstance(block, Stack):
            return "".join(inner)
        columns = "".join(
            f"<div style='flex:{s} 1 0;min-width:0'>{i}</div>"
            for i, s in zip(inner, block.shares, strict=True)
        )
        return f"<div class='row' style='{gap}'>{columns}</div>"

    def _text(self, text: Text) -> str:
        align = {"l": "left", "c": "center", "r": "right", "j": "justify"}[text.align]
        gap = {"caption": 3.0, "subtitle": 3.0, "note": 4.0, "list": 2.0, "code": 0.0}.get(
            text.role, self._document.gap_pt
        )
        style = f"text-align:{align};margin-bottom:{gap}pt;font-size:{text.size}em"
        if text.role == "code":
            style += ";font-family:monospace;font-size:0.9em"
        if text.indent:
            style += f";padding-left:{text.indent}em"
        if text.bold:
            style += ";font-weight:bold"
        if text.italic:
            style += ";font-style:italic"
        if text.role == "running":
            style += f";margin-bottom:{self._document.gap_pt * 2}pt"
        if text.inset:
            style += f";padding-left:{text.inset}em;padding-right:{text.inset}em"
        words = self._words(text)
        if text.lead:
            parts = text.text.split(" ")
            first, rest = " ".join(parts[: text.lead]), " ".join(parts[text.lead :])
            weight = ";font-weight:bold" if text.lead_bold else ""
            words = (
                f"<span style='padding-right:{text.gap}em{weight}'>"
                f"{self._words(text, text=first)}</span> {self._words(text, text=rest)}"
            )
        return f"<p style='{style}'>{words}</p>"

    def _table(self, table: Table) -> str:
        look = table.look
        whole = sum(table.widths)
        style = f"width:{100 * whole:.1f}%" if whole else "width:100%" if look.wide else ""
        centred = ";margin:0 auto" if look.place == "centre" else ""
        rows = [f"<table style='{style}{centred};font-size:{look.scale}em'>"]
        if table.widths:
            rows += [f"<col style='width:{100 * w / whole:.1f}%'>" for w in table.widths]
        for row in range(table.rows):
            rows.append("<tr>")
            for col in range(table.cols):
                cell = table.at(row, col)
                if cell is None:
                    rows.append(f"<td style='{self._edges(table, row, col, 1, 1)}'>&nbsp;</td>")
                elif (cell.row, cell.col) == (row, col):
                    rows.append(self._cell(table, cell))
            rows.append("</tr>")
            if table.blank_below(row):
                high = self._document.point * look.blank_share
                rows.append(f"<tr style='height:{high}pt'></tr>")
        rows.append("</table>")
        body = "".join(rows)
        if look.frame == "rounded":
            line = _line(look, THIN)
            return (
                f"<div style='display:{'block' if style else 'inline-block'};"
                f"border:{line};border-radius:6pt;padding:1pt'>{body}</div>"
            )
        return body

    def _edges(self, table: Table, row: int, col: int, high: int, wide: int) -> str:
        """Return the style of a place: its borders, ground and padding."""
        look = table.look
        edges = edges_of(table, row, col, high, wide)
        ruled = edges.top or (row and edges_of(table, row - 1, col).bottom)
        above, below = (look.pad_pt[1] + look.rule_pt * bool(k) for k in (ruled, edges.bottom))
        out = [f"padding:{above}pt {look.pad_pt[0]}pt {below}pt"]
        for side in ("top", "right", "bottom", "left"):
            kind = getattr(edges, side)
            if kind:
                out.append(f"border-{side}:{_line(look, kind)}")
        level = ground_of(table, row)
        if level is not None:
            out.append(f"background:rgb({level},{level},{level})")
        return ";".join(out)

    def _cell(self, table: Table, cell: Cell) -> str:
        look = table.look
        heading = cell.row < table.header_rows
        style = [self._edges(table, cell.row, cell.col, cell.row_span, cell.col_span)]
        style.append("text-align:" + {"l": "left", "c": "center", "r": "right"}[cell.align])
        if look.justified and table.widths and cell.align == "l" and not heading:
            style.append("text-align:justify")
        if cell.typed:
            style.append("font-family:monospace;font-size:0.9em")
        if cell.word_gap:
            style.append(f"word-spacing:{cell.word_gap}em")
        style.append("vertical-align:" + (look.heading_valign if heading else look.valign))
        if cell.bold:
            style.append("font-weight:bold")
        if cell.italic:
            style.append("font-style:italic")
        natural = not table.widths and look.natural
        if natural or (cell.align == "r" and not heading):
            style.append("white-space:nowrap")
        if cell.indent:
            style.append(f"padding-left:{_STEP_EM * cell.indent + 0.4}em")
        words = self._words(cell, "#fff" if is_light(table, cell.row) else "")
        if cell.turned:
            words = (
                "<div style='writing-mode:vertical-rl;transform:rotate(180deg);"
                f"margin:auto'>{words}</div>"
            )
        if has_short_rule(table, cell):
            line = _line(look, THIN)
            words = f"<div style='border-bottom:{line};margin:0 {look.trim_pt}pt'>{words}</div>"
        spans = ""
        if cell.row_span > 1:
            spans += f" rowspan={cell.row_span}"
        if cell.col_span > 1:
            spans += f" colspan={cell.col_span}"
        return f"<td{spans} style='{';'.join(style)}'>{words}</td>"
