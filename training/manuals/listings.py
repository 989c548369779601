"""Tables of manuals written as machines list them: letters of one width, columns by blanks."""

from __future__ import annotations

import html
import textwrap
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from training.manuals.looks import choose
from training.manuals.markup import Manual, MarkedCell, MarkedTable, is_figures, words_of

_MANUALS, _TABLES = 0.5, 0.7
_MOST_ROWS, _MOST_WIDE, _LEAST_COLUMN = 60, 130, 3
_WRAPPED = 0.35
_AROUND = 0.5
_EM = 166  # a letter of one width is six tenths of its size wide


def list_tables(manual: Manual, rng: np.random.Generator) -> None:
    """Write most tables of every second manual as listings, all of a manual in one way."""
    if rng.random() > _MANUALS:
        return
    way = int(rng.integers(1 << 30))
    for k, part in enumerate(manual.parts):
        if part.table is None or rng.random() > _TABLES:
            continue
        listed = write_listing(part.table, manual, np.random.default_rng(way), rng)
        if listed is not None:
            manual.parts[k] = replace(part, markup=listed)


def write_listing(
    table: MarkedTable, manual: Manual, way: np.random.Generator, rng: np.random.Generator
) -> str | None:
    """Return the markup of a listing, or None where the table does not suit.

    Parameters
    ----------
    table
        No cell may span.
    manual
        Gets the texts of lines that stand around the listing.
    way
        Chooses how a manual's listings look.
    rng
        Chooses what stands around this one.
    """
    places = {(c.row, c.col): c for c in table.cells}
    if (
        any(c.row_span > 1 or c.col_span > 1 for c in table.cells)
        or table.rows > _MOST_ROWS
        or len(places) != len(table.cells)
    ):
        return None
    head = max(0, table.heading)
    gap = int(choose(way, 1, 1, 2, 2, 3, 4))
    bar = f" {choose(way, '|', '|', ':')} " if way.random() < 0.15 else " " * gap
    wrapped = int(way.integers(14, 40)) if way.random() < _WRAPPED else _MOST_WIDE
    side = str(choose(way, "figures", "figures", "figures", "left", "right"))
    middle = way.random() < 0.2  # headings over the middle of their columns
    rule = str(choose(way, "", "", "", "-", "-", "=", "_"))
    whole = way.random() < 0.5
    ends = way.random() < 0.4
    apart = int(choose(way, 0, 0, 0, 0, 1, 5))  # blank lines between so many rows
    nameless = side != "left" and way.random() < 0.4  # no heading over names of rows

    said = {place: words_of(c.inner) for place, c in places.items() if c.text >= 0}
    columns = []
    for col in range(table.cols):
        lines = {
            row: textwrap.wrap(said[row, col], wrapped, break_long_words=False)
            for row in range(table.rows)
            if (row, col) in said and not (nameless and col == 0 and row < head)
        }
        columns.append(lines)
    widths = [
        max([_LEAST_COLUMN, *(len(line) for own in lines.values() for line in own)])
        for lines in columns
    ]
    if sum(widths) + len(bar) * (table.cols - 1) > _MOST_WIDE:
        return None
    right = [
        side == "right" or (side == "figures" and _are_figures(lines, head)) for lines in columns
    ]
    stroke = (
        rule * (sum(widths) + len(bar) * (table.cols - 1))
        if whole
        else bar.replace("|", "+").join(rule * w for w in widths)
    )
    out = [stroke] if rule and ends else []
    for row in range(table.rows):
        if rule and row == head and head > 0:
            out.append(stroke)
        if apart and row > head and (row - head) % apart == 0:
            out.append("")
        own = [columns[col].get(row, []) for col in range(table.cols)]
        for n in range(max(1, *map(len, own))):
            placed = [
                _place(places.get((row, col)), own[col], n, widths[col], to_right=right[col],
                       middle=middle and row < head)
                for col in range(table.cols)
            ]  # fmt: skip
            out.append(bar.join(placed))
    out += [stroke] if rule and ends else []
    if rng.random() < _AROUND:
        out = [*_say_some(manual, rng), *[""] * int(rng.integers(0, 2)), *out]
    if rng.random() < _AROUND:
        out += [*[""] * int(rng.integers(0, 2)), *_say_some(manual, rng)]
    size = _EM / (sum(widths) + len(bar) * table.cols)
    look = f"white-space:pre;font-size:min(0.95em,{size:.2f}cqw)"
    text = "\n".join(line.rstrip() for line in out)
    caption = table.above.replace("caption>", "div>")
    return (
        f"{caption}<div style='container-type:inline-size'><pre style='{look}'>{text}</pre></div>"
    )


def _are_figures(lines: dict[int, list[str]], head: int) -> bool:
    body = [" ".join(own) for row, own in lines.items() if row >= head]
    return bool(body) and 2 * sum(is_figures(text) for text in body) > len(body)


def _place(
    cell: MarkedCell | None,
    lines: Sequence[str],
    number: int,
    wide: int,
    *,
    to_right: bool,
    middle: bool,
) -> str:
    """Return a line of a cell with blanks around it."""
    if cell is None or number >= len(lines):
        return " " * wide
    text = lines[number]
    blank = wide - len(text)
    before = blank // 2 if middle else blank if to_right else 0
    marked = f'<span k="{cell.text}">{html.escape(text)}</span>'
    return " " * before + marked + " " * (blank - before)


def _say_some(manual: Manual, rng: np.random.Generator) -> list[str]:
    return [_say(manual, rng) for _ in range(int(rng.integers(1, 3)))]


def _say(manual: Manual, rng: np.random.Generator) -> str:
    """Return a line that a machine writes over or under a listing; nobody knows its role."""
    text = " ".join(manual.texts[int(rng.integers(len(manual.texts)))][1].split())[:70]
    said = str(choose(rng, "", "", "> ", "$ ", "## ")) + text + str(choose(rng, "", "", ":"))
    number = manual.add("unknown", said)
    return f'<span k="{number}">{html.escape(said)}</span>'
