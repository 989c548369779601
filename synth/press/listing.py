"""Writes documents as fixed-pitch listings, as line printers and typewriters made them."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

from synth.press.model import Cell, Document, Table, Text, tag_colour
from synth.press.setting import SettingError

_WIDE = 92
_GAP = 2


def write_listing(documents: Sequence[Document], *, tagged: bool) -> bytes:
    """Return one listing with a page for each document, in Latin-1 with colour escapes."""
    pages = []
    first = 0
    for document in documents:
        pages.append(_Writer(document, first if tagged else None).page())
        first += len(document.ids)
    return "\f".join(pages).encode("latin-1", errors="replace")


def _latin(text: str) -> str:
    """Return a text with the signs of a line printer, each as wide as before."""
    for signs, plain in (("–—", "-"), ("‘’", "'"), ("“”", '"'), ("†‡", "*"), ("•", "o")):
        for sign in signs:
            text = text.replace(sign, plain)
    return text


class _Writer:
    def __init__(self, document: Document, first: int | None) -> None:
        self._document = document
        self._first = first

    def _mark(self, item: Cell | Text, text: str) -> str:
        if self._first is None:
            return text
        red, green, blue = (v / 255 for v in tag_colour(self._first + self._document.number(item)))
        return f"\0color{{{red:.4f} {green:.4f} {blue:.4f}}}{text}\0color{{0 0 0}}"

    def page(self) -> str:
        lines: list[str] = []
        for block in self._document.blocks:
            if isinstance(block, Table):
                lines += self._table(block)
                lines.append("")
            elif isinstance(block, Text):
                wide = _WIDE
                for line in textwrap.wrap(_latin(block.text), wide):
                    pad = (wide - len(line)) // 2 if block.align == "c" else 0
                    lines.append(" " * pad + self._mark(block, line))
                if block.role not in ("caption", "subtitle", "list"):
                    lines.append("")
            else:
                raise SettingError("Listings have no blocks beside each other.")
        return "\n".join(lines) + "\n"

    def _table(self, table: Table) -> list[str]:
        look = table.look
        widths = [
            max(
                [len(c.text) + c.indent * 2 for c in table.cells if c.col == k and c.col_span == 1],
                default=1,
            )
            for k in range(table.cols)
        ]
        for cell in table.cells:  # spanning texts widen their last column
            if cell.col_span > 1:
                last = cell.col + cell.col_span - 1
                room = sum(widths[cell.col : last + 1]) + _GAP * (cell.col_span - 1)
                widths[last] += max(0, len(cell.text) - room)
        between = " | " if look.cols == "all" else " " * _GAP
        starts = [sum(widths[:k]) + len(between) * k for k in range(table.cols)]
        total = starts[-1] + widths[-1]
        full = "-" * total
        out = [full] if look.top else []
        for row in range(table.rows):
            out.append(self._row(table, row, widths, starts, between))
            if row == table.header_rows - 1 and look.below_heading:
                under = [("-" * w).ljust(w) for w in widths]
                out.append(full if look.cols == "all" else between.join(under))
            elif row + 1 < table.header_rows:
                spans = [c for c in table.cells if c.row == row and c.col_span > 1]
                if spans:
                    line = [" "] * total
                    for c in spans:
                        last = c.col + c.col_span - 1
                        for x in range(starts[c.col], starts[last] + widths[last]):
                            line[x] = "-"
                    out.append("".join(line).rstrip())
            if look.total and row + 1 in table.total_rows:
                marks = [
                    "-" * w if table.aligns[k] == "r" else " " * w for k, w in enumerate(widths)
                ]
                out.append(between.join(marks).rstrip())
            if table.blank_below(row):
                out.append("")
        if look.foot:
            out.append(full)
        return out

    def _row(
        self, table: Table, row: int, widths: list[int], starts: list[int], between: str
    ) -> str:
        parts: list[str] = []
        for col in range(table.cols):
            cell = table.at(row, col)
            if cell is not None and (cell.col < col):
                continue
            span = 1 if cell is None else cell.col_span
            last = col + span - 1
            room = starts[last] + widths[last] - starts[col]
            if col:
                parts.append(between)
            if cell is None or cell.row < row:
                parts.append(" " * room)
                continue
            own = _latin(cell.text)
            text = " " * (2 * cell.indent) + own
            left = {"l": 0, "r": room - len(text), "c": (room - len(text)) // 2}[cell.align]
            lead = len(text) - len(own)
            parts.append(" " * (left + lead) + self._mark(cell, own))
            parts.append(" " * (room - left - len(text)))
        return "".join(parts).rstrip()
