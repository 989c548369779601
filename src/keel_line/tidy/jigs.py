"""Jigs: what was done to a table of a form, kept to be done again on the next page of that form.

A jig is an open file (docs/jig-format.md). Nothing in it is executed: it holds texts, places and
steps of the kinds that Tidy has.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

import msgspec
import numpy as np

from keel_line._shared.column_types import decide_type
from keel_line._shared.texts import are_alike, differ_in
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
_SHARE = 0.9  # of a heading's texts
_WIDE = 0.06  # of the table's width: how far boundaries may lie apart
_CLOSE, _LEAST_COLUMNS = 0.02, 4  # where no heading tells the form
_MOST_COLUMNS, _MOST_STEPS, _MOST_TEXT = 400, 500, 2000
_MOST_ROWS, _MOST_MM, _MOST_SUMMED = 2000, 5000.0, 20_000
_MOST_OPTIONS, _MOST_ENDING = 50, 12


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
        lines=_lines(table),
        kinds=_kinds(table),
        steps=steps,
        page=keep_lines(table, dpi),
        write=write,
    )


def fit_jig(jig: Jig, table: TableState) -> Fit:
    """Return how well a jig fits a table.

    Where the table lies, and how large it is, does not matter: its columns are compared by their
    share of its width, its heading text by text.
    """
    lines = _lines(table)
    if len(lines) != len(jig.lines):
        return Fit(sure=False, differs=(f"it has {len(lines) - 1} columns",))
    apart = np.abs(np.asarray(lines) - np.asarray(jig.lines))
    differs = [f"column {int(k)} is wider or narrower" for k in np.flatnonzero(apart > _WIDE) if k][
        :3
    ]
    own, its = _heading(table), jig.heading
    if own or its:
        pairs = _pairs(own, its)
        wrong = [(a, b) for a, b in pairs if not _are_alike(a, b)]
        if len(wrong) > (1 - _SHARE) * len(pairs):
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


def _heading(table: TableState) -> tuple[tuple[str, ...], ...]:
    rows: list[list[str]] = [[] for _ in range(table.header_rows)]
    for state in table.cells:
        text = " ".join(state.text.split())
        if state.cell.row < table.header_rows and text:
            rows[state.cell.row].append(text)
    return tuple(tuple(row) for row in rows)


def _lines(table: TableState) -> tuple[float, ...]:
    xs = table.grid.x_lines
    wide = max(xs[-1] - xs[0], 1e-9)
    return tuple(round((x - xs[0]) / wide, 4) for x in xs)


def _kinds(table: TableState) -> tuple[str, ...]:
    tidy = make_tidy(table)
    return tuple(decide_type(c.texts[tidy.heading_rows :], year=1).type.kind for c in tidy.columns)


def _pairs(own: Sequence[Sequence[str]], its: Sequence[Sequence[str]]) -> list[tuple[str, str]]:
    """Return the texts of two headings that stand for one another; empty where one has none."""
    flat = [t for row in own for t in row], [t for row in its for t in row]
    most = max(map(len, flat))
    a, b = ([*texts, *[""] * (most - len(texts))] for texts in flat)
    return list(zip(a, b, strict=True))


def _are_alike(a: str, b: str) -> bool:
    own, its = ("".join(c for c in t.casefold() if c.isalnum()) for t in (a, b))
    return differ_in(own, its) is not None or are_alike(own, its)
