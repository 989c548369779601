"""Suggestions: what a table plainly needs, by what stands in it, the most useful first."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.column_types import NUMBERS, ColumnType, Decided, decide_type
from keel_line._shared.texts import count_of
from keel_line.model.tidy import TidyColumn, TidyTable
from keel_line.tidy.columns import (
    DropEmptyColumns,
    JoinColumns,
    NamesFromHeadings,
    PartSigns,
    SetType,
    find_empty_columns,
    find_signs,
)
from keel_line.tidy.contents import FillDown, Trim, find_to_fill
from keel_line.tidy.rows import (
    BarsToColumn,
    DropEmptyRows,
    DropTotals,
    find_bars,
    find_empty_rows,
    find_totals,
)
from keel_line.tidy.step import MisfitError, Step, refer_to

_CURRENCIES = frozenset("£$€¥")
_MOSTLY, _FEW = 0.8, 0.5
_LEAST_NUMBERS, _LEAST_LED = 3, 3
_MOST_NAMED = 3
_MOST_ROUNDS = 6
_MOST_LOOKED_AT = 2000  # rows of a long table whose texts are looked at
_WITHOUT_SIGNS = frozenset({*NUMBERS, "code", "date", "time", "duration"})


@dataclass(frozen=True)
class Suggestion:
    """Something that a table plainly needs.

    Attributes
    ----------
    key
        What it is, the same each time: a declined one stays away by it.
    words
        What is there, and what is to be done, in words.
    steps
        What does it.
    """

    key: str
    words: str
    steps: tuple[Step, ...]


def suggest(table: TidyTable, declined: tuple[str, ...] = ()) -> list[Suggestion]:
    """Return what a table needs as it stands, the most useful first."""
    look = _Look(_name_columns(table))
    found = [s for find in _FINDERS for s in find(look)]
    return [s for s in found if s.key not in declined and _leaves_something(table, s)]


@dataclass(frozen=True)
class _Look:
    """A table with what several finders ask of it, found once."""

    table: TidyTable

    @cached_property
    def totals(self) -> NDArray[np.bool_]:
        return find_totals(self.table)

    @cached_property
    def bars(self) -> NDArray[np.bool_]:
        return find_bars(self.table, sure=True)

    @cached_property
    def entries(self) -> NDArray[np.int64]:
        """The rows that are entries: no heading, total or title; some of them in a long table."""
        others = self.totals | self.bars
        others[: self.table.heading_rows] = True
        rows = np.flatnonzero(~others)
        return rows[:: max(1, len(rows) // _MOST_LOOKED_AT)]

    @cached_property
    def decided(self) -> dict[str, Decided]:
        """What each column's entries show, by its id."""
        return {c.id: self.decide(c) for c in self.table.columns}

    def decide(self, column: TidyColumn) -> Decided:
        return decide_type(
            column.texts[self.entries], column.name, self.table.year, self.table.point
        )


def take_all(table: TidyTable, declined: tuple[str, ...] = ()) -> list[Step]:
    """Return the steps that take all suggestions, also those that come up by taking others."""
    out: list[Step] = []
    for _ in range(_MOST_ROUNDS):
        found = suggest(table, declined)
        if not found:
            break
        for step in (s for suggestion in found for s in suggestion.steps):
            try:
                table = step.apply(table)
            except MisfitError:
                continue
            out.append(step)
    return out


def _name_columns(table: TidyTable) -> TidyTable:
    """Return the table with its headings as names, and the heading rows still there."""
    try:
        named = NamesFromHeadings().apply(table)
    except MisfitError:
        return table
    names = {c.id: c.name for c in named.columns}
    return table.put_columns(replace(c, name=names[c.id]) for c in table.columns)


def _leaves_something(table: TidyTable, suggestion: Suggestion) -> bool:
    """Return whether a suggestion's steps fit the table and leave rows and columns."""
    shrinks = suggestion.key in {"empty rows", "empty columns", "totals", "bars", "names"}
    if not shrinks and table.rows > _MOST_LOOKED_AT:  # what changes texts alone always fits
        return True
    try:
        for step in suggestion.steps:
            table = step.apply(table)
    except MisfitError:
        return False
    return table.rows > 0 and bool(table.columns)


def _suggest_names(look: _Look) -> Iterator[Suggestion]:
    table = look.table
    rows = table.heading_rows
    if rows and rows < table.rows:
        words = "Heading row: make names" if rows == 1 else f"{rows} heading rows: make names"
        yield Suggestion("names", words, (NamesFromHeadings(),))


def _suggest_empty(look: _Look) -> Iterator[Suggestion]:
    table = look.table
    columns = len(find_empty_columns(table))
    if 0 < columns < len(table.columns):
        words = f"{count_of(columns, 'empty column')}: leave out"
        yield Suggestion("empty columns", words, (DropEmptyColumns(),))
    rows = int(find_empty_rows(table).sum())
    if rows:
        words = f"{count_of(rows, 'empty row')}: leave out"
        yield Suggestion("empty rows", words, (DropEmptyRows(),))


def _suggest_bars(look: _Look) -> Iterator[Suggestion]:
    table, rows = look.table, np.flatnonzero(look.bars)
    if not len(rows):
        return
    first = next(c.texts[rows[0]] for c in table.columns if c.texts[rows[0]])
    if len(rows) == 1 and rows[0] != table.heading_rows:
        return  # one line alone in the middle may be a note
    more = f" and {count_of(len(rows) - 1, 'other')}" if len(rows) > 1 else ""
    words = f"“{_short(first)}”{more} across the table: make a column"
    yield Suggestion("bars", words, (BarsToColumn(),))


def _suggest_totals(look: _Look) -> Iterator[Suggestion]:
    table, rows = look.table, int(look.totals.sum())
    if rows and rows < (table.rows - table.heading_rows) / 2:
        words = f"{count_of(rows, 'total')} or carried-forward: leave out"
        if rows == 1:
            at = int(np.flatnonzero(look.totals)[0])
            said = next(c.texts[at] for c in table.columns if c.texts[at])
            words = f"“{_short(said)}” is no entry: leave out"
        yield Suggestion("totals", words, (DropTotals(),))


def _suggest_fill(look: _Look) -> Iterator[Suggestion]:
    table = look.table
    for column in table.columns:
        dittos = int(find_to_fill(table, column, blanks=False).sum())
        if dittos:
            verb = "says" if dittos == 1 else "say"
            words = f"{count_of(dittos, 'cell')} of {_name(column)} {verb} the same: fill"
            yield Suggestion(f"ditto {column.id}", words, (FillDown(refer_to(column)),))
        elif _is_grouped(table, column):
            blanks = int(find_to_fill(table, column, blanks=True).sum())
            if not blanks:  # a ditto that nothing stands above fills nothing
                continue
            words = f"{count_of(blanks, 'blank')} under a name in {_name(column)}: fill"
            step = FillDown(refer_to(column), blanks=True)
            yield Suggestion(f"blanks {column.id}", words, (step,))


def _is_grouped(table: TidyTable, column: TidyColumn) -> bool:
    """Return whether blanks of a column stand for the name above them.

    Certain where the paper has one cell over the rows; else where a first column has names over
    rows whose other columns are filled.
    """
    first = table.heading_rows
    texts, sources = column.texts[first:], column.sources[first:, 0]
    blank = texts == ""
    if not blank.any() or blank[:1].any():
        return False
    merged = blank[1:] & (sources[1:] == sources[:-1]) & (sources[1:] >= 0)
    if merged.any():
        return bool((merged | ~blank[1:]).all())
    if column.id != table.columns[0].id or len(table.columns) < 3:
        return False
    others = [c.texts[first:][blank] != "" for c in table.columns[1:]]
    filled = np.mean(others) if others else 0.0
    names = texts[~blank]
    words = all(any(ch.isalpha() for ch in t) for t in names)
    share = blank.mean()
    return bool(words and share >= _FEW - 0.1 and filled >= _MOSTLY and len(names) >= 2)


def _suggest_signs(look: _Look) -> Iterator[Suggestion]:
    table = look.table
    for left, right in zip(table.columns, table.columns[1:], strict=False):
        signs = {t for t in left.texts[table.heading_rows :] if t}
        if signs and signs <= _CURRENCIES and look.decided[right.id].type.kind in NUMBERS:
            (sign, *_) = sorted(signs)
            words = f"{sign} stands apart from {_name(right)}: join"
            step = JoinColumns((refer_to(left), refer_to(right)), "")
            yield Suggestion(f"join {left.id} {right.id}", words, (step,))
    for column in table.columns:
        texts = column.texts[look.entries]
        found, numbers = find_signs(texts), sum(any(c.isdigit() for c in t) for t in texts)
        if numbers < _LEAST_NUMBERS:
            continue
        marks = 0 < found["mark"] <= _FEW * numbers
        if marks and _is_number_but_for(look, column, "mark"):
            words = f"{count_of(found['mark'], 'footnote mark')} at {_name(column)}: put apart"
            yield Suggestion(f"mark {column.id}", words, (PartSigns(refer_to(column), "mark"),))
        units = {k.removeprefix("unit "): n for k, n in found.items() if k.startswith("unit ")}
        apart = sum(units.values()) >= _MOSTLY * numbers and len(units) <= _FEW * numbers + 1
        if apart and _is_number_but_for(look, column, "unit"):
            said = ", ".join(f"“{u}”" for u in sorted(units, key=lambda u: -units[u])[:2])
            more = " …" if len(units) > 2 else ""
            words = f"{_name(column)} has {said}{more} after its numbers: put apart"
            yield Suggestion(f"unit {column.id}", words, (PartSigns(refer_to(column), "unit"),))


def _is_number_but_for(look: _Look, column: TidyColumn, what: Literal["mark", "unit"]) -> bool:
    """Return whether a column holds numbers once a sign is put apart, and does not before."""
    decided = look.decided[column.id]
    if decided.certain and decided.type.kind in _WITHOUT_SIGNS:
        return False
    parted = PartSigns(refer_to(column), what).apply(look.table.take_rows(look.entries))
    texts = parted.columns[parted.indexes[column.id]].texts
    return decide_type(texts, column.name, look.table.year).type.kind in NUMBERS


def _suggest_trim(look: _Look) -> Iterator[Suggestion]:
    for column in look.table.columns:
        led = sum(t.endswith(("..", ". .")) for t in column.texts[look.entries])
        if led >= _LEAST_LED:
            words = f"Dots after {count_of(led, 'cell')} of {_name(column)}: trim"
            yield Suggestion(f"trim {column.id}", words, (Trim(refer_to(column)),))


def _suggest_types(look: _Look) -> Iterator[Suggestion]:
    """Suggest the types that columns show without doubt, those of one type together."""
    alike: dict[ColumnType, list[TidyColumn]] = defaultdict(list)
    zeros: set[ColumnType] = set()
    for column in look.table.columns:
        decided = look.decided[column.id]
        if column.type is None and decided.certain and decided.type.kind != "text":
            alike[decided.type].append(column)
            if any(t[:1] == "0" for t in column.texts[look.entries]):
                zeros.add(decided.type)
    for kind, columns in alike.items():
        names = [_name(c) for c in columns]
        shown = ", ".join(names[:_MOST_NAMED])
        if len(names) > _MOST_NAMED:
            shown += f" and {len(names) - _MOST_NAMED} more"
        kept = " (zeros kept)" if kind.kind == "code" and kind in zeros else ""
        steps = (SetType(tuple(refer_to(c) for c in columns), kind),)
        key = "type " + " ".join(c.id for c in columns)
        yield Suggestion(key, f"{shown}: {kind.say()}{kept}", steps)


def _name(column: TidyColumn) -> str:
    return _short(column.name) if column.name else refer_to(column).say()


def _short(text: str) -> str:
    return text if len(text) <= 24 else text[:23].rstrip() + "…"


_FINDERS: tuple[Callable[[_Look], Iterator[Suggestion]], ...] = (
    _suggest_names,
    _suggest_empty,
    _suggest_bars,
    _suggest_totals,
    _suggest_fill,
    _suggest_signs,
    _suggest_trim,
    _suggest_types,
)
