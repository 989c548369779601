"""Find table rows that may be several rows: their cells hold several lines side by side."""

from __future__ import annotations

from collections import Counter

from keel_line.check.sheet import Sheet
from keel_line.model.finding import Finding

MANY = 4
_LEAST = 2
_MOSTLY = 0.6
_DOUBT = -3.0


def check_lines(sheet: Sheet) -> list[Finding]:
    """Find rows in which neighbouring cells hold equally many lines.

    Text that wraps seldom wraps alike beside itself. Two neighbours of four lines or more are
    enough, in the heading too; of two or three lines it takes most of the row's cells below the
    heading.
    """
    out = []
    for row in range(sheet.rows):
        counts = {
            (r, c): len([line for line in value.text.split("\n") if line.strip()])
            for (r, c), value in sheet.row(row).items()
            if value.text.strip()
        }
        for lines, times in Counter(counts.values()).items():
            alike = [place for place, count in counts.items() if count == lines]
            several = lines >= MANY or (
                lines >= _LEAST
                and row >= sheet.heading_rows
                and times > _LEAST
                and times >= _MOSTLY * len(counts)
            )
            if times < _LEAST or not several:
                continue
            says = f"{lines} lines in each of {times} cells of this row: these may be several rows."
            out += [
                Finding("lines", says, (place,), _DOUBT, at=place, lasting=True) for place in alike
            ]
    return out
