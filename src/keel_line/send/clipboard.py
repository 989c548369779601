"""A table for the clipboard: as text, as HTML with values, and as CSV, all at once."""

from __future__ import annotations

from dataclasses import dataclass

from keel_line.send.sent import SentTable
from keel_line.send.separated import as_rows, encode_rows
from keel_line.send.web import as_html


@dataclass(frozen=True)
class Clip:
    """One table in the forms that programs paste: cells, a table of a letter, or text."""

    text: str
    html: str
    csv: str
    rows: int


def clip_table(table: SentTable) -> Clip:
    """Return a table for the clipboard."""
    rows = list(as_rows(table))
    return Clip(encode_rows(rows, "\t"), as_html(table), encode_rows(rows, ","), len(rows))
