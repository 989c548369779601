"""Tables as Markdown: a heading, the table with bars, its notes."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from decimal import Decimal

from keel_line.send.evidence import doubt_rows, source_rows
from keel_line.send.names import clean_text
from keel_line.send.sent import SendOptions, SentTable
from keel_line.send.values import type_column

_MARKS = re.compile(r"([\\`*_{}\[\]<>|#~])")
_BEGINS = re.compile(r"^([-+=]|\d+[.)])(?=\s|$)")


def make_markdown(tables: Sequence[SentTable], options: SendOptions) -> bytes:
    """Return tables as Markdown."""
    lines = [line for table in tables for line in _say_table(table, options)]
    if options.source and tables:
        lines += ["## Source", ""]
        lines += [
            f"- {_escape(cells[0])}: {_escape(cells[1])}, page {cells[2]}; checked: "
            f"{_escape(cells[5])}; expected wrong cells {wrong:.1f}"
            for cells, wrong in source_rows(tables)
        ]
        lines.append("")
    return "\n".join(lines).encode("utf-8", "replace")


def _say_table(table: SentTable, options: SendOptions) -> Iterator[str]:
    yield f"## {_escape(table.caption or table.name)}"
    yield ""
    first = table.heading_rows
    heads = table.names or _join_heads(table)
    yield "| " + " | ".join(_escape(h) for h in heads) + " |"
    numbers = [
        any(isinstance(v.value, Decimal) for v in type_column(table, k))
        for k in range(len(table.columns))
    ]
    yield "|" + "|".join("---:" if number else "---" for number in numbers) + "|"
    for row in range(0 if table.names else first, table.rows):
        yield "| " + " | ".join(_escape(str(c.texts[row])) for c in table.columns) + " |"
    yield ""
    if table.notes:
        yield from (_escape(table.notes), "")
    doubts = list(doubt_rows(table)) if options.marks else []
    if doubts:
        yield "Not checked:"
        yield ""
        for (row, col), doubt, (text, others, _) in doubts:
            also = f"; may also be {_escape(others)}" if others else ""
            said = f"“{_escape(text)}”, {doubt.sure:.0%} sure{also}"
            yield f"- row {row + 1}, column {col + 1}: {said}"
        yield ""


def _join_heads(table: SentTable) -> list[str]:
    """Return one heading for each column, of as many rows as it has; spans count for each."""
    grid = [[str(c.texts[row]) for c in table.columns] for row in range(table.heading_rows)]
    for (row, col), (_, cols) in table.spans.items():
        if row < table.heading_rows:
            for k in range(1, cols):
                grid[row][col + k] = grid[row][col]
    return [" ".join(dict.fromkeys(r[k] for r in grid if r[k])) for k in range(len(table.columns))]


def _escape(text: str) -> str:
    plain = _MARKS.sub(r"\\\1", clean_text(text).strip())
    return _BEGINS.sub(r"\\\1", plain).replace("\n", "<br>")
