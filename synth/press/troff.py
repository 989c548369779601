"""Writes documents for troff and its table language."""

from __future__ import annotations

from collections.abc import Sequence

from synth.press.edges import DOUBLE, edges_of, has_short_rule
from synth.press.model import Block, Cell, Document, Drawing, Row, Table, Text, tag_hex
from synth.press.setting import SettingError

_TAB = "@"


def write_troff(documents: Sequence[Document], *, tagged: bool) -> str:
    """Return one source with a page for each document; see ``html.write_html`` for ``tagged``."""
    out = [".pl 297m*0.35278", ".pl 29.7c", ".nh", ".ad l"]
    first = 0
    for document in documents:
        writer = _Writer(document, first)
        # The same source but for the colours themselves: these bear on how letters are spaced.
        out += [
            f".defcolor c{first + k} rgb #{tag_hex(first + k) if tagged else '000000'}"
            for k in range(len(document.ids))
        ]
        x, y = document.margin_mm
        out += [
            f".po {x / 10:.2f}c",
            f".ll {21.0 - 2 * x / 10:.2f}c",
            f".fam {document.face or 'T'}",
            f".ps {document.point}",
            f".vs {document.point * document.leading:.1f}p",
            f".sp |{y / 10:.2f}c",
        ]
        out += [writer.block(b) for b in document.blocks]
        out.append(".bp")
        first += len(document.ids)
    return "\n".join(out[:-1]) + "\n"


def _escape(text: str) -> str:
    text = text.replace("\\", "\\e").replace("'", "\\[aq]").replace("-", "\\-")
    text = (
        text.replace("^", "\\[ha]")
        .replace("~", "\\[ti]")
        .replace("`", "\\[ga]")
        .replace('"', "\\[dq]")
    )
    text = text.replace(_TAB, "\\[at]")
    return f"\\&{text}" if text[:1] in (".", "'", "_", "=") else text


class _Writer:
    def __init__(self, document: Document, first: int) -> None:
        self._document = document
        self._first = first

    def _words(self, item: Cell | Text) -> str:
        text = _escape(item.text)
        font = (
            "BI" if item.bold and item.italic else "B" if item.bold else "I" if item.italic else ""
        )
        if font:
            text = f"\\f[{font}]{text}\\f[R]"
        return f"\\m[c{self._first + self._document.number(item)}]{text}\\m[]"

    def block(self, block: Block) -> str:
        gap = self._document.gap_pt
        if isinstance(block, Drawing):
            raise TypeError("only the browser sets drawings")
        if isinstance(block, Text):
            own = {"caption": 3.0, "subtitle": 3.0, "note": 4.0, "list": 2.0}.get(block.role, gap)
            size = self._document.point * block.size
            how = {"l": ".ad l", "c": ".ce 100", "r": ".rj 100", "j": ".ad b"}[block.align]
            end = {"c": ".ce 0", "r": ".rj 0"}.get(block.align, "")
            lines = [f".ps {size:.1f}", f".vs {size * 1.25:.1f}p", how, self._words(block), ".br"]
            lines += [end] if end else []
            lines += [f".ps {self._document.point}", f".sp {own}p", ".ad l"]
            return "\n".join(lines)
        if isinstance(block, Table):
            return f"{self._table(block)}\n.sp {gap}p"
        if isinstance(block, Row):
            raise SettingError("Pages of troff have no blocks beside each other.")
        return "\n".join(self.block(b) for b in block.blocks)

    def _table(self, table: Table) -> str:
        look = table.look
        options = [f"tab({_TAB})"]
        if look.is_full:
            options.append("allbox")
        elif look.frame == "double":
            options.append("doublebox")
        elif look.frame != "none":
            options.append("box")
        formats, data = [], []
        formats += [self._format(table, row) for row in range(table.rows)]
        if look.top and look.frame == "none":
            data.append("_")
        for row in range(table.rows):
            data.append(self._row(table, row))
            if row + 1 < table.rows or look.frame == "none":
                data += self._rule(table, row)
        lines = [".TS", " ".join(options) + ";"]
        lines += [*formats[:-1], formats[-1] + "."]
        return "\n".join([*lines, *data, ".TE"])

    def _format(self, table: Table, row: int) -> str:
        out = []
        bar = table.look.cols == "all" and not table.look.is_full
        for col in range(table.cols):
            cell = table.at(row, col)
            if cell is None:
                letter = {"l": "l", "c": "c", "r": "r"}[table.aligns[col]]
            elif cell.row < row:
                letter = "^"
            elif cell.col < col:
                letter = "s"
            else:
                letter = cell.align
            ruled = bar and edges_of(table, max(row, table.header_rows), col).right
            out.append(letter + (" |" if ruled and col + 1 < table.cols else ""))
        return " ".join(out)

    def _row(self, table: Table, row: int) -> str:
        out = []
        for col in range(table.cols):
            cell = table.at(row, col)
            if cell is not None and cell.col < col:
                continue
            if cell is None or cell.row < row:
                out.append("\\&" if cell is None else "")
                continue
            words = self._words(cell)
            if cell.indent:
                words = f"\\h'{cell.indent}m'{words}"
            out.append(words)
        return _TAB.join(out)

    def _rule(self, table: Table, row: int) -> list[str]:
        kinds = [edges_of(table, row, col).bottom for col in range(table.cols)]
        if table.look.is_full:
            return []
        if all(kinds):
            return ["=" if max(kinds) == DOUBLE else "_"]
        short = [c for c in table.cells if c.row == row and has_short_rule(table, c)]
        if not short:
            return [".sp"] if table.blank_below(row) else []
        under = {k for c in short for k in range(c.col, c.col + c.col_span)}
        return [_TAB.join("_" if col in under else "" for col in range(table.cols))]
