"""Tables that go on over pages: how likely one goes on in the next, and the step to join them."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from itertools import pairwise

import numpy as np
from typing_extensions import override

from keel_line._shared.amounts import parse_amount
from keel_line._shared.column_types import decide_type, parse_value
from keel_line.model.table import TableState
from keel_line.model.tidy import TidyColumn, TidyTable, as_texts, make_tidy
from keel_line.tidy.rows import is_total
from keel_line.tidy.step import MisfitError, Step

_CONTINUED = re.compile(r"\b(?:cont(?:inued|'d|d)?|ctd|forts(?:etzung)?|suite)\b", re.IGNORECASE)
_FORWARD = re.compile(
    r"^(?:carried|brought)\s+(?:forward|over|down)\b|^[cb]\s*[/.]?\s*(?:f|d|fwd)\b\.?$",
    re.IGNORECASE,
)
_OF_PAGE = re.compile(r"\bpage\b", re.IGNORECASE)
_LEVEL, _APART = 0.02, 0.06  # of a table's width: boundaries that lie alike, and that do not
_FAR = 0.12
_ORIGIN = "from"
_MONOTONE = 0.9
_MOST_OF_COLUMNS = 3.0  # log odds that what stands in the columns can add
LIKELY, SURE = 0.5, 0.9
"""From which chance on a join is offered, and offered without a question."""


@dataclass(frozen=True)
class Evidence:
    """What speaks for or against a table going on in another; each counts so many log odds."""

    why: str
    weight: float


class Append(Step, frozen=True, tag="append"):
    """Another table's rows are added below; its heading is left out.

    ``name`` is what it was called, ``page`` the page it stands on. ``stack`` says that it is
    another table of the same form: a column tells which each row comes from. The rows are handed
    in by :meth:`append`.
    """

    table: int
    name: str = ""
    page: int = 0
    stack: bool = False

    @override
    def say(self) -> str:
        if self.stack:
            return f"{self.name} stacked below"
        return f"page {self.page} joined below" if self.page else f"{self.name} joined below"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        raise MisfitError(f"“{self.name}” is not there any more.")

    def append(self, table: TidyTable, other: TidyTable) -> TidyTable:
        """Return a table with another's rows below its own.

        Raises
        ------
        MisfitError
            When they have not as many columns.
        """
        joined, (misfit,) = append_all(table, [(self, other)])
        if misfit:
            raise MisfitError(misfit)
        return joined


def append_all(
    table: TidyTable, others: Sequence[tuple[Append, TidyTable | None]]
) -> tuple[TidyTable, list[str]]:
    """Return a table with others' rows below, and for each why it does not fit, empty if it does.

    They are put together once, however many they are.
    """
    parts, misfits = [table], []
    for step, found in others:
        if found is None:
            misfits.append(f"“{step.name}” is not there any more.")
            continue
        before, other = parts, found
        if step.stack:
            before = [_name_origin(p, table.name) for p in parts]
            other = _name_origin(other, step.name)
        own, its = len(before[0].columns), len(other.columns)
        misfits.append("" if own == its else f"It has {its} columns, and this table has {own}.")
        if own == its:
            parts = [*before, other]
    if len(parts) == 1:
        return parts[0], misfits
    first, rest = parts[0], parts[1:]
    columns = []
    for k, column in enumerate(first.columns):
        every = [
            (column.texts, column.sources),
            *(
                (p.columns[k].texts[p.heading_rows :], p.columns[k].sources[p.heading_rows :])
                for p in rest
            ),
        ]
        wide = max(sources.shape[1] for _, sources in every)
        sources = [
            np.pad(own, ((0, 0), (0, wide - own.shape[1])), constant_values=-1) for _, own in every
        ]
        texts = np.concatenate([own for own, _ in every])
        columns.append(replace(column, texts=texts, sources=np.concatenate(sources)))
    pages = np.concatenate([first.pages, *(p.pages[p.heading_rows :] for p in rest)])
    return replace(first, columns=tuple(columns), pages=pages), misfits


def _name_origin(table: TidyTable, name: str) -> TidyTable:
    """Return a table with a last column that says which table each row comes from."""
    if _ORIGIN in table.indexes:
        return table
    own = as_texts([""] * table.heading_rows + [name] * (table.rows - table.heading_rows))
    sources = np.full((table.rows, 1), -1, np.int64)
    return table.put_columns([*table.columns, TidyColumn(_ORIGIN, "From", own, sources)])


def find_seam_troubles(parts: Sequence[tuple[int, TidyTable]]) -> list[str]:
    """Return where a sum that one page carries forward is not the one that the next begins with.

    ``parts`` are the tables that are joined, in order, each with its page.
    """
    out = []
    for (page, above), (below_page, below) in pairwise(parts):
        if above.rows == above.heading_rows or below.rows == below.heading_rows:
            continue
        last = [c.texts[-1] for c in above.columns]
        top = [c.texts[below.heading_rows] for c in below.columns]
        if not all(any(_FORWARD.match(t) for t in row) for row in (last, top)):
            continue
        for a, b in zip(last, top, strict=False):
            amounts = parse_amount(a), parse_amount(b)
            if None not in amounts and a != b:
                out.append(f"Page {page} carries {a} forward, page {below_page} begins with {b}.")
    return out


def weigh_join(first: TableState, second: TableState) -> tuple[float, list[Evidence]]:
    """Return the chance (0 to 1) that a table goes on in another, and what speaks for or against.

    The tables are neighbours in the docket.
    """
    if first.grid.cols != second.grid.cols:
        return 0.0, [Evidence("they have different numbers of columns", -10.0)]
    found = [Evidence("one table in some goes on", -2.0)]
    for weigh in (_weigh_place, _weigh_widths, _weigh_heading, _weigh_caption, _weigh_seam):
        found += weigh(first, second)
    odds = sum(e.weight for e in found)
    if odds > -_MOST_OF_COLUMNS:  # else their contents cannot change the answer
        found += _weigh_columns(make_tidy(first), make_tidy(second))
        odds = sum(e.weight for e in found)
    return 1.0 / (1.0 + math.exp(-odds)), found


def _weigh_place(first: TableState, second: TableState) -> list[Evidence]:
    if first.page_id == second.page_id:
        return [Evidence("both stand on one page", -3.0)]
    if first.source_name != second.source_name:
        return [Evidence("they come from different files", -0.5)]
    if second.page_number != first.page_number + 1:
        return [Evidence("a page lies between them", -1.5)]
    return [Evidence("it stands on the next page", 1.0)]


def _weigh_widths(first: TableState, second: TableState) -> list[Evidence]:
    a, b = (
        (np.asarray(t.grid.x_lines) - t.grid.x_lines[0])
        / max(1.0, t.grid.x_lines[-1] - t.grid.x_lines[0])
        for t in (first, second)
    )
    apart = float(np.abs(a - b).max())
    if apart <= _LEVEL:
        return [Evidence("their columns are as wide", 1.5)]
    if apart <= _APART:
        return [Evidence("their columns are nearly as wide", 0.5)]
    return [Evidence("their columns differ in width", -2.0 if apart > _FAR else -0.5)]


def _heading(table: TableState) -> list[str]:
    return [
        " ".join(s.text.split()).casefold()
        for s in table.cells
        if s.cell.row < table.header_rows and s.text.strip()
    ]


def _weigh_heading(first: TableState, second: TableState) -> list[Evidence]:
    a, b = _heading(first), _heading(second)
    if not b:
        return [Evidence("the second has no heading", 1.5 if a else 0.0)]
    if a == b:
        return [Evidence("their headings are the same", 1.5)]
    shared = len(set(a) & set(b)) / max(len(set(a) | set(b)), 1)
    if shared > LIKELY:
        return [Evidence("their headings are nearly the same", 0.5)]
    return [Evidence("their headings differ", -4.0)]


def _weigh_caption(first: TableState, second: TableState) -> list[Evidence]:
    a, b = (" ".join(t.caption.casefold().split()) for t in (first, second))
    if not b:
        return [Evidence("the second has no caption", 1.0)]
    if _CONTINUED.search(b):
        return [Evidence("its caption says that it goes on", 3.0)]
    if a == b:
        return [Evidence("their captions are the same", 1.0)]
    return [Evidence("the second has a caption of its own", -4.0)]


def _weigh_seam(first: TableState, second: TableState) -> list[Evidence]:
    last = [s.text.strip() for s in first.cells if s.cell.row == first.grid.rows - 1]
    top = [s.text.strip() for s in second.cells if s.cell.row == second.header_rows]
    if any(_FORWARD.match(t) for t in (*last, *top)):
        return [Evidence("a sum is carried forward", 3.0)]
    if not any(is_total(t) and not _OF_PAGE.search(t) for t in last):
        return []
    foot = [s.text.strip() for s in second.cells if s.cell.row == second.grid.rows - 1]
    if any(is_total(t) for t in foot):
        return [Evidence("each ends with a total of its own", -4.5)]
    return [Evidence("the first ends with a total", -2.5)]


def _weigh_columns(first: TidyTable, second: TidyTable) -> list[Evidence]:
    """Weigh whether columns hold the same kinds of values, and whether a series goes on."""
    out, alike, told, series = [], 0, 0, 0
    for a, b in zip(first.columns, second.columns, strict=True):
        above, below = a.texts[first.heading_rows :], b.texts[second.heading_rows :]
        kind, other = decide_type(above, year=1), decide_type(below, year=1)
        blank = not (above != "").any() or not (below != "").any()
        alike += blank or kind.type.kind == other.type.kind
        told += kind.type.kind != "text"
        if kind.type.kind != other.type.kind or kind.type.kind not in {"whole number", "date"}:
            continue
        values = [parse_value(t, kind.type) for t in above]
        known = [_number(v) for v in values if v is not None]
        after = next((_number(v) for t in below if (v := parse_value(t, other.type))), None)
        if len(known) < 3 or after is None:
            continue
        rises = np.mean(np.diff(known) >= 0)
        strictly = np.mean(np.diff(known) > 0)
        if rises >= _MONOTONE and strictly > 1 - _MONOTONE:
            usual = max(float(np.median(np.diff(known))), 1.0)
            goes_on = 0 <= after - known[-1] <= 40 * usual
            series += 1 if goes_on else -1
    share = alike / max(len(first.columns), 1)
    if share == 1.0:  # text, as most columns of other tables are, says little
        weight = 1.0 if told else 0.3
        out.append(Evidence("their columns hold the same kinds of values", weight))
    elif share < LIKELY:
        out.append(Evidence("their columns hold different kinds of values", -2.0))
    if series:
        words = "a series of numbers or dates goes on" if series > 0 else "a series begins again"
        out.append(Evidence(words, 2.0 if series > 0 else -2.0))
    return out


def _number(value: object) -> float:
    if isinstance(value, date):
        return float(value.toordinal())
    return float(value) if isinstance(value, Decimal) else 0.0
