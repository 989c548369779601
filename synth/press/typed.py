"""Lays documents out as typed pages: letters of one width, rules of hyphens and bars."""

from __future__ import annotations

import textwrap
from collections.abc import Iterator
from dataclasses import dataclass

from synth.press.model import Block, Cell, Document, Stack, Table, Text, Typed

_MOST_CELL, _LEAST_LINE = 26, 56


@dataclass(frozen=True)
class Piece:
    """A text on a typed line, from a place on (in letters); ``item`` is None for rules."""

    start: int
    text: str
    item: Cell | Text | None = None


Line = tuple[Piece, ...]


def lay_typed(document: Document, typed: Typed) -> list[Line]:
    """Return the lines of a page, from the top down; blank ones are empty."""
    tables = {id(t): _TableWriter(t, typed) for t in document.tables()}
    wide = max([_LEAST_LINE, *(t.wide for t in tables.values())])
    out: list[Line] = []
    for block in _walk(document.blocks):
        if isinstance(block, Table):
            out += tables[id(block)].lines()
            out.append(())
            continue
        lines = textwrap.wrap(block.text, wide)
        for line in lines:
            shift = {"c": (wide - len(line)) // 2, "r": wide - len(line)}.get(block.align, 0)
            out.append((Piece(shift, line, block),))
        if block.bold and typed.underlined:
            low = min(p.start for p in out[-1])
            out.append((Piece(low, typed.rule * len(lines[-1])),))
        if block.role not in ("caption", "subtitle", "list") or typed.spaced:
            out.append(())
    margin = typed.margin
    return [tuple(Piece(p.start + margin, p.text, p.item) for p in line) for line in out]


def lay_table(table: Table, typed: Typed) -> list[Line]:
    """Return the lines of a table by itself; blank ones are empty."""
    return _TableWriter(table, typed).lines()


def _walk(blocks: tuple[Block, ...]) -> Iterator[Text | Table]:
    for block in blocks:
        if isinstance(block, (Text, Table)):
            yield block
        elif isinstance(block, Stack):
            yield from _walk(block.blocks)
        else:
            raise TypeError("typed pages have no blocks beside each other")


class _TableWriter:
    def __init__(self, table: Table, typed: Typed) -> None:
        self._table = table
        self._typed = typed
        self._gap = typed.gap + (len(typed.bar) + 1 if typed.bar else 0)
        self._texts = {id(c): self._wrap(c) for c in table.cells}
        self._widths = self._measure()
        first = 2 if typed.framed else 0
        self._starts = [first + sum(self._widths[:k]) + self._gap * k for k in range(table.cols)]
        self.wide = self._starts[-1] + self._widths[-1] + first

    def _wrap(self, cell: Cell) -> list[str]:
        if cell.col_span > 1 or not self._table.widths:
            return [cell.text]
        return textwrap.wrap(cell.text, _MOST_CELL) or [cell.text]

    def _measure(self) -> list[int]:
        table = self._table
        widths = [1] * table.cols
        for cell in table.cells:
            if cell.col_span == 1:
                longest = max(len(t) for t in self._texts[id(cell)])
                widths[cell.col] = max(widths[cell.col], longest + 2 * cell.indent)
        for cell in table.cells:  # spanning texts widen their last column
            last = cell.col + cell.col_span - 1
            room = sum(widths[cell.col : last + 1]) + self._gap * (cell.col_span - 1)
            widths[last] += max(0, len(cell.text) - room)
        return widths

    def _full(self) -> Line:
        """Return a rule over the whole table, with crosses where bars stand."""
        typed = self._typed
        line = [typed.rule] * self.wide
        if typed.bar:
            for start in self._starts[1:]:
                line[start - 2] = typed.cross
        if typed.framed:
            line[0] = line[-1] = typed.cross
        return (Piece(0, "".join(line)),)

    def _under(self, columns: list[tuple[int, int]]) -> Line:
        """Return rules under some columns, from first to after the last."""
        rule = self._typed.rule
        return tuple(
            Piece(a, rule * (b - a))
            for a, b in (
                (self._starts[c], self._starts[d - 1] + self._widths[d - 1]) for c, d in columns
            )
        )

    def lines(self) -> list[Line]:
        table, look, typed = self._table, self._table.look, self._typed
        every = [(k, k + 1) for k in range(table.cols)]
        out: list[Line] = [self._full()] if look.top or typed.framed else []
        for row in range(table.rows):
            out += self._row(row)
            heading = row < table.header_rows
            if row == table.header_rows - 1 and (look.below_heading or typed.framed):
                out.append(self._full() if typed.whole or typed.framed else self._under(every))
            elif heading and look.spanners:
                spans = [c for c in table.cells if c.row == row and c.col_span > 1]
                if spans and row + 1 < table.header_rows:
                    out.append(self._under([(c.col, c.col + c.col_span) for c in spans]))
            elif table.ruled_below(row):
                total = look.total and row + 1 in table.total_rows
                figures = [e for e in every if table.aligns[e[0]] == "r"]
                out.append(self._under(figures) if total and figures else self._full())
            elif typed.double and not heading:
                out.append(())
            if table.blank_below(row):
                out.append(())
        if look.foot or typed.framed:
            out.append(self._full())
        if look.total == 2 and table.rows - 1 in table.total_rows:
            out.append(self._under([e for e in every if table.aligns[e[0]] == "r"]))
        return [line for line in out if line or out]

    def _row(self, row: int) -> list[Line]:
        table, typed = self._table, self._typed
        own = [c for c in table.cells if self._stands_in(c) == row]
        high = max((len(self._texts[id(c)]) for c in own), default=1)
        out: list[Line] = []
        for k in range(high):
            pieces: list[Piece] = []
            for cell in own:
                texts = self._texts[id(cell)]
                skip = {"middle": (high - len(texts)) // 2, "bottom": high - len(texts)}.get(
                    table.look.valign, 0
                )
                if not 0 <= k - skip < len(texts):
                    continue
                text = texts[k - skip]
                last = cell.col + cell.col_span - 1
                room = self._starts[last] + self._widths[last] - self._starts[cell.col]
                shift = {"r": room - len(text), "c": (room - len(text)) // 2}.get(
                    cell.align, 2 * cell.indent
                )
                pieces.append(Piece(self._starts[cell.col] + shift, text, cell))
            covered = {c for cell in own for c in range(cell.col + 1, cell.col + cell.col_span)}
            if typed.bar:
                pieces += [
                    Piece(start - 2, typed.bar)
                    for c, start in enumerate(self._starts)
                    if c and c not in covered
                ]
            if typed.framed:
                edge = typed.bar or "|"
                pieces += [Piece(0, edge), Piece(self.wide - 1, edge)]
            out.append(tuple(sorted(pieces, key=lambda p: p.start)))
        return out

    def _stands_in(self, cell: Cell) -> int:
        """Return the row on whose lines a cell is typed."""
        low = self._table.look.heading_valign != "top" and cell.row < self._table.header_rows
        return cell.row + cell.row_span - 1 if low else cell.row
