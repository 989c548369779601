"""Tables of manuals written as machines list them: letters of one width, columns by blanks."""

from __future__ import annotations

import html
import textwrap
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from training.manuals.looks import choose
from training.manuals.markup import Manual, MarkedCell, MarkedTable, is_figures, words_of

_MANUALS, _TABLES = 0.5, 0.7
_MOST_ROWS, _MOST_WIDE, _LEAST_COLUMN = 60, 130, 3
_WRAPPED, _BARS, _IN_MIDDLE, _WHOLE, _ENDS, _NAMELESS = 0.35, 0.15, 0.2, 0.5, 0.4, 0.4
_AROUND = 0.5
_EM = 166  # a letter of one width is six tenths of its size wide


@dataclass(frozen=True)
class ListingLook:
    """How a manual's listings look.

    Attributes
    ----------
    between
        What stands between two columns.
    wrapped
        How many letters a line of a cell has at most.
    side
        Which columns stand to the right: those of "figures", all ("right"), or none ("left").
    in_middle
        Whether headings stand over the middle of their columns.
    stroke
        The sign that rules are made of; empty for no rules.
    whole, ends
        Whether rules go through between the columns; whether some lie above and below it all.
    group
        A blank line follows each so many rows; 0 for none.
    nameless
        Whether the first column has no heading.
    """

    between: str
    wrapped: int
    side: str
    in_middle: bool
    stroke: str
    whole: bool
    ends: bool
    group: int
    nameless: bool


def choose_listing_look(rng: np.random.Generator) -> ListingLook:
    """Return a look of listings by chance."""
    gap = int(choose(rng, 1, 1, 2, 2, 3, 4))
    between = f" {choose(rng, '|', '|', ':')} " if rng.random() < _BARS else " " * gap
    wrapped = int(rng.integers(14, 40)) if rng.random() < _WRAPPED else _MOST_WIDE
    side = str(choose(rng, "figures", "figures", "figures", "left", "right"))
    return ListingLook(
        between=between,
        wrapped=wrapped,
        side=side,
        in_middle=rng.random() < _IN_MIDDLE,
        stroke=str(choose(rng, "", "", "", "-", "-", "=", "_")),
        whole=rng.random() < _WHOLE,
        ends=rng.random() < _ENDS,
        group=int(choose(rng, 0, 0, 0, 0, 1, 5)),
        nameless=side != "left" and rng.random() < _NAMELESS,
    )


@dataclass(frozen=True)
class _Column:
    """The lines of a column's cells by their rows, how wide it is, and whether it stands right."""

    lines: dict[int, list[str]]
    wide: int
    to_right: bool


def list_tables(manual: Manual, rng: np.random.Generator) -> None:
    """Write most tables of every second manual as listings, all of a manual in one look."""
    if rng.random() > _MANUALS:
        return
    look = choose_listing_look(rng)
    for k, part in enumerate(manual.parts):
        if part.table is None or rng.random() > _TABLES:
            continue
        listed = write_listing(part.table, manual, look, rng)
        if listed is not None:
            manual.parts[k] = replace(part, markup=listed)


def write_listing(
    table: MarkedTable, manual: Manual, look: ListingLook, rng: np.random.Generator
) -> str | None:
    """Return the markup of a listing, or None where the table does not suit.

    Parameters
    ----------
    table
        No cell may span.
    manual
        Gets the texts of lines that stand around the listing.
    look
        How it is written.
    rng
        Chooses what stands around it.
    """
    places = {(c.row, c.col): c for c in table.cells}
    if (
        any(c.row_span > 1 or c.col_span > 1 for c in table.cells)
        or table.rows > _MOST_ROWS
        or len(places) != len(table.cells)
    ):
        return None
    columns = _wrap_columns(table, places, look)
    wide = sum(c.wide for c in columns) + len(look.between) * (table.cols - 1)
    if wide > _MOST_WIDE:
        return None
    out = _write_rows(table, places, columns, look)
    if rng.random() < _AROUND:
        out = [*_say_some(manual, rng), *[""] * int(rng.integers(0, 2)), *out]
    if rng.random() < _AROUND:
        out += [*[""] * int(rng.integers(0, 2)), *_say_some(manual, rng)]
    size = _EM / (wide + len(look.between))
    style = f"white-space:pre;font-size:min(0.95em,{size:.2f}cqw)"
    text = "\n".join(line.rstrip() for line in out)
    caption = table.above.replace("caption>", "div>")
    return (
        f"{caption}<div style='container-type:inline-size'><pre style='{style}'>{text}</pre></div>"
    )


_Places = dict[tuple[int, int], MarkedCell]


def _wrap_columns(table: MarkedTable, places: _Places, look: ListingLook) -> list[_Column]:
    """Return a table's columns with their texts wrapped."""
    head = max(0, table.heading)
    out = []
    for col in range(table.cols):
        lines = {
            row: textwrap.wrap(words_of(cell.inner), look.wrapped, break_long_words=False)
            for row in range(table.rows)
            if (cell := places.get((row, col))) is not None
            and cell.text >= 0
            and not (look.nameless and col == 0 and row < head)
        }
        wide = max([_LEAST_COLUMN, *(len(line) for own in lines.values() for line in own)])
        to_right = look.side == "right" or (look.side == "figures" and _are_figures(lines, head))
        out.append(_Column(lines, wide, to_right))
    return out


def _write_rows(
    table: MarkedTable, places: _Places, columns: Sequence[_Column], look: ListingLook
) -> list[str]:
    """Return the lines of a listing with its rules."""
    head = max(0, table.heading)
    rule = _draw_rule(columns, look)
    out = [rule] if rule and look.ends else []
    for row in range(table.rows):
        if rule and row == head and head > 0:
            out.append(rule)
        if look.group and row > head and (row - head) % look.group == 0:
            out.append("")
        own = [column.lines.get(row, []) for column in columns]
        in_middle = look.in_middle and row < head
        for n in range(max(1, *map(len, own))):
            placed = [
                _place(places.get((row, col)), own[col], n, column, in_middle=in_middle)
                for col, column in enumerate(columns)
            ]
            out.append(look.between.join(placed))
    return [*out, rule] if rule and look.ends else out


def _draw_rule(columns: Sequence[_Column], look: ListingLook) -> str:
    if look.whole:
        return look.stroke * (sum(c.wide for c in columns) + len(look.between) * (len(columns) - 1))
    if not look.stroke:
        return ""
    return look.between.replace("|", "+").join(look.stroke * c.wide for c in columns)


def _are_figures(lines: dict[int, list[str]], head: int) -> bool:
    body = [" ".join(own) for row, own in lines.items() if row >= head]
    return bool(body) and 2 * sum(is_figures(text) for text in body) > len(body)


def _place(
    cell: MarkedCell | None,
    lines: Sequence[str],
    number: int,
    column: _Column,
    *,
    in_middle: bool,
) -> str:
    """Return a line of a cell with blanks around it."""
    if cell is None or number >= len(lines):
        return " " * column.wide
    text = lines[number]
    blank = column.wide - len(text)
    before = blank // 2 if in_middle else blank if column.to_right else 0
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
