"""What goes along with tables: their open doubts, and where they come from, row by row."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from keel_line.send.sent import Doubt, Place, SentTable

DOUBT_HEADINGS = ("Table", "Cell", "Reading", "How sure", "May also be", "Why")
SOURCE_HEADINGS = (
    "Table",
    "File",
    "Page",
    "Place on the page",
    "Open doubts",
    "Checked",
    "Read by",
    "Expected wrong cells",
)
_MOST_OTHERS = 3


def say_doubt(doubt: Doubt) -> str:
    """Return a doubt as a comment: how sure the reading is, what else it may be, why."""
    others = [f"“{t}”" if t else "blank" for t in doubt.others[:_MOST_OTHERS]]
    lines = [f"Not checked. {doubt.sure:.0%} sure."]
    if others:
        lines.append(f"May also be {' or '.join(others)}.")
    return "\n".join([*lines, *doubt.why])


def doubt_rows(table: SentTable) -> Iterator[tuple[Place, Doubt, list[str]]]:
    """Yield each open doubt of a table: its place, itself, its reading, other readings, reasons."""
    for place in sorted(table.marks):
        doubt = table.marks[place].doubt
        if doubt is not None:
            text = str(table.columns[place[1]].texts[place[0]])
            others = ", ".join(t or "blank" for t in doubt.others[:_MOST_OTHERS])
            yield place, doubt, [text, others, " ".join(doubt.why)]


def source_rows(tables: Sequence[SentTable]) -> Iterator[tuple[list[str], float]]:
    """Yield a row of the source list for each table, and its expected number of wrong cells."""
    for table in tables:
        origin = table.origin
        doubts = sum(m.doubt is not None for m in table.marks.values())
        yield (
            [
                table.caption or table.name,
                origin.file,
                origin.page,
                origin.area,
                str(doubts),
                origin.checked or "nobody yet",
                origin.reader,
            ],
            origin.wrong,
        )
