"""Jigs: what was done to a table of a form, kept to be done again on the next page of that form.

A jig is an open file (docs/jig-format.md). Nothing in it is executed: it holds texts, places and
steps of the kinds that Tidy has.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

import msgspec
import numpy as np

from keel_line._shared.column_types import decide_type
from keel_line._shared.forms import form_of
from keel_line._shared.headings import compare_headings, find_moved, share_lines
from keel_line.model.form import KnownColumn, KnownForm
from keel_line.model.table import TableState
from keel_line.model.tidy import make_tidy
from keel_line.tidy.columns import SetType
from keel_line.tidy.contents import MoveBlock
from keel_line.tidy.form_lines import FormLines, keep_lines
from keel_line.tidy.joins import Append
from keel_line.tidy.rows import DropRows
from keel_line.tidy.step import MisfitError, Step
from keel_line.tidy.trail import AnyStep, Trail

FORMAT: Literal["keel-line/jig"] = "keel-line/jig"
MOST_BYTES = 1_000_000
_OF_ONE_PAGE = (Append, DropRows, MoveBlock)  # they name rows, or another table
_CLOSE, _LEAST_COLUMNS = 0.02, 4  # where no heading tells the form
_MOST_COLUMNS, _MOST_STEPS, _MOST_TEXT = 400, 500, 2000
_MOST_ROWS, _MOST_MM, _MOST_SUMMED = 2000, 5000.0, 20_000
_MOST_OPTIONS, _MOST_ENDING = 50, 12
_MOST_COUNTED, _MOST_VALUES, _MOST_FORMS, _LONGEST_VALUE = 200, 40, 30, 60


class Writing(msgspec.Struct, frozen=True):
    """What is written of a form's tables: the file's ending, and options by their names."""

    ending: str = ""
    options: dict[str, str | bool] = msgspec.field(default_factory=dict)


class Jig(msgspec.Struct, frozen=True, kw_only=True):
    """What is done to tables of a form, and how the form is known.

    Attributes
    ----------
    name
        What the clerk calls the form.
    heading
        The texts of its heading rows, from left to right.
    lines
        Where its columns begin and end, from 0 at the table's left to 1 at its right.
    kinds
        What its columns hold, as ``ColumnType.kind`` has it.
    steps
        What is done.
    page
        Where its lines lie on the page.
    write
        What is written of its tables, where the clerk chose it.
    columns
        What its columns have said, for the reader to know.
    """

    format: Literal["keel-line/jig"] = FORMAT
    version: Literal[1] = 1
    name: str
    heading: tuple[tuple[str, ...], ...]
    lines: tuple[float, ...]
    kinds: tuple[str, ...]
    steps: tuple[AnyStep, ...]
    page: FormLines | None = None
    write: Writing | None = None
    columns: tuple[KnownColumn, ...] = ()

    @property
    def known(self) -> KnownForm | None:
        """The columns of the jig's form, which help the reader; None if the jig has none."""
        return KnownForm(self.heading, self.lines, self.columns) if self.columns else None


@dataclass(frozen=True)
class Fit:
    """How well a jig fits a table.

    Attributes
    ----------
    sure
        Whether the table is of the jig's form beyond doubt.
    differs
        What differs, in words, where it does not fit or not surely.
    """

    sure: bool
    differs: tuple[str, ...] = ()


def make_jig(
    name: str, table: TableState, trail: Trail, dpi: float, write: Writing | None = None
) -> Jig:
    """Keep what was done to a table as a jig; steps that speak of this page alone are left out.

    ``dpi`` is the resolution of its page.
    """
    steps = tuple(s for s in trail.steps if not s.off and not isinstance(s, _OF_ONE_PAGE))
    return Jig(
        name=name,
        heading=_heading(table),
        lines=share_lines(table.grid.x_lines),
        kinds=_kinds(table),
        steps=steps,
        page=keep_lines(table, dpi),
        write=write,
        columns=tuple(_count_column(table, col) for col in range(table.grid.cols)),
    )


def fit_jig(jig: Jig, table: TableState) -> Fit:
    """Return how well a jig fits a table.

    Where the table lies, and how large it is, does not matter: its columns are compared by their
    share of its width, its heading text by text.
    """
    lines = share_lines(table.grid.x_lines)
    if len(lines) != len(jig.lines):
        return Fit(sure=False, differs=(f"it has {len(lines) - 1} columns",))
    apart = np.abs(np.asarray(lines) - np.asarray(jig.lines))
    moved = find_moved(lines, jig.lines)
    differs = [f"column {k} is wider or narrower" for k in moved[:3]]
    own, its = _heading(table), jig.heading
    if own or its:
        wrong = compare_headings(own, its)
        differs += [f"“{a or 'nothing'}” stands for “{b or 'nothing'}”" for a, b in wrong[:3]]
    elif apart.max() > _CLOSE or len(lines) <= _LEAST_COLUMNS or _kinds(table) != jig.kinds:
        differs.append("nothing but its columns tells the form")
    return Fit(sure=not differs, differs=tuple(differs))


def lay_jig(jig: Jig, table: TableState, year: int) -> tuple[list[Step], list[str]]:
    """Return a jig's steps for a table, and why some of them do not fit it.

    Dates without a year get the year that the table's paper speaks of.
    """
    out: list[Step] = []
    passed_over: list[str] = []
    tidy = make_tidy(table, year)
    for kept in jig.steps:
        step: Step = kept
        if isinstance(step, SetType) and step.type.year and year:
            step = msgspec.structs.replace(step, type=replace(step.type, year=year))
        try:
            tidy = step.apply(tidy)
        except MisfitError as error:
            passed_over.append(f"{step.say()}: {error}")
            continue
        out.append(step)
    return out, passed_over


def encode_jig(jig: Jig) -> bytes:
    """Return a jig as the bytes of its file."""
    return msgspec.json.format(msgspec.json.encode(jig), indent=1) + b"\n"


def decode_jig(data: bytes) -> Jig:
    """Return a jig from the bytes of its file.

    Raises
    ------
    ValueError
        When they are no jig, or too much to be one.
    """
    if len(data) > MOST_BYTES:
        raise ValueError("too large")
    jig = msgspec.json.decode(data, type=Jig)
    texts = [jig.name, *(t for row in jig.heading for t in row)]
    too_much = (
        not 2 <= len(jig.lines) <= _MOST_COLUMNS + 1
        or len(jig.kinds) != len(jig.lines) - 1
        or len(jig.steps) > _MOST_STEPS
        or len(texts) > _MOST_COLUMNS * 4
        or any(len(t) > _MOST_TEXT for t in texts)
    )
    if too_much or any(not 0.0 <= x <= 1.0 for x in jig.lines):
        raise ValueError("not a form")
    own = jig.write
    if own is not None and (len(own.options) > _MOST_OPTIONS or len(own.ending) > _MOST_ENDING):
        raise ValueError("not how tables are written")
    if jig.columns and not (
        len(jig.columns) == len(jig.kinds) and all(_is_sound_column(c) for c in jig.columns)
    ):
        raise ValueError("not what columns say")
    if jig.page is not None and not _is_sound(jig.page):
        raise ValueError("lines that make no grid")
    return jig


def _is_sound(lines: FormLines) -> bool:
    """Return whether lines make a grid on a page, with few enough cells."""
    xs, ys = lines.x, lines.y
    rows, cols = len(ys) - 1, len(xs) - 1
    rising = all(a < b for way in (xs, ys) for a, b in pairwise(way))
    numbers = [v for way in (xs, ys) for v in way] + [v for m in lines.marks for v in (m.x, m.y)]
    fits = all(
        0 <= r < r + high <= rows and 0 <= c < c + wide <= cols for r, c, high, wide in lines.spans
    )
    summed = [p for s in lines.sums.drawn for p in (s.total, *s.addends)]
    summed += lines.sums.dropped
    return (
        1 <= cols <= _MOST_COLUMNS
        and 1 <= rows <= _MOST_ROWS
        and rising
        and fits
        and 0 <= lines.header_rows <= rows
        and len(lines.marks) <= _MOST_COLUMNS
        and len(lines.spans) <= rows * cols
        and len(summed) <= _MOST_SUMMED
        and all(0 <= row < rows and 0 <= col < cols for row, col in summed)
        and all(abs(v) <= _MOST_MM for v in numbers)
        and all(len(m.text) <= _MOST_TEXT for m in lines.marks)
    )


def _is_sound_column(column: KnownColumn) -> bool:
    """Return whether counts are no more than :func:`make_jig` would make them."""
    return (
        all(
            0 <= sum(counts.values()) <= most
            and all(c > 0 and len(t) <= _LONGEST_VALUE for t, c in counts.items())
            for counts, most in ((column.values, column.cells), (column.forms, _MOST_FORMS))
        )
        and 0 <= column.cells <= _MOST_COUNTED
    )


def _heading(table: TableState) -> tuple[tuple[str, ...], ...]:
    rows: list[list[str]] = [[] for _ in range(table.header_rows)]
    for state in table.cells:
        text = " ".join(state.text.split())
        if state.cell.row < table.header_rows and text:
            rows[state.cell.row].append(text)
    return tuple(tuple(row) for row in rows)


def _kinds(table: TableState) -> tuple[str, ...]:
    tidy = make_tidy(table)
    return tuple(decide_type(c.texts[tidy.heading_rows :], year=1).type.kind for c in tidy.columns)


def _count_column(table: TableState, col: int) -> KnownColumn:
    """Count the texts of a column's cells; cells in doubt are left out."""
    return count_texts(
        state.text
        for state in table.cells
        if state.cell.col == col
        and state.cell.col_span == 1
        and state.cell.row >= table.header_rows
        and not state.in_doubt
    )


def count_texts(texts: Iterable[str]) -> KnownColumn:
    """Return what the texts of a column tell: which come again, and how they are written."""
    counted = [t for t in texts if t.strip()][:_MOST_COUNTED]
    said = Counter(t for t in counted if len(t) <= _LONGEST_VALUE)
    values = {text: count for text, count in said.most_common(_MOST_VALUES) if count > 1}
    forms = Counter(form_of(t) for t in counted[:_MOST_FORMS] if len(t) <= _LONGEST_VALUE)
    return KnownColumn(len(counted), values, dict(forms))
