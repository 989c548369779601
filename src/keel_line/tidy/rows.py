"""Steps that drop, keep, sort and number rows."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from typing_extensions import override

from keel_line._shared.column_types import decide_type, is_blank, parse_value
from keel_line._shared.texts import count_of
from keel_line.model.tidy import TidyColumn, TidyTable, as_texts
from keel_line.tidy.contents import is_ditto
from keel_line.tidy.step import ColumnRef, MisfitError, Step, find_column, make_id

Test = Literal["is", "is not", "contains", "begins with", "is empty", "is like"]
_MOST_PAIRED = 2
_TOTAL = re.compile(
    r"^(?:sub-?|grand\s+|page\s+)?totals?\b|^sum\b|^(?:carried|brought)\s+(?:forward|over|down)\b"
    r"|^[cb]\s*/\s*(?:f|d|fwd)\b|^(?:c|b)\.?\s?f(?:wd)?\.?$",
    re.IGNORECASE,
)


_TOTAL_BEGINS = frozenset("tTsSgGpPcCbB")


class DropEmptyRows(Step, frozen=True, tag="drop empty rows"):
    """Rows in which nothing stands go."""

    @override
    def say(self) -> str:
        return "empty rows out"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        return table.take_rows(~find_empty_rows(table))


class DropRows(Step, frozen=True, tag="drop rows"):
    """Rows go by their numbers, counted from 1 below the headings."""

    numbers: tuple[int, ...]

    @override
    def say(self) -> str:
        return f"{'row' if len(self.numbers) == 1 else 'rows'} {_say_numbers(self.numbers)} out"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        last = table.rows - table.heading_rows
        known = [n for n in self.numbers if 1 <= n <= last]
        if not known:
            raise MisfitError(f"The table has {count_of(last, 'row')} only.")
        kept = np.ones(table.rows, bool)
        kept[np.array(known) - 1 + table.heading_rows] = False
        return table.take_rows(kept)


class FilterRows(Step, frozen=True, tag="filter rows"):
    """Rows that pass a test of one column are kept, or go."""

    column: ColumnRef
    test: Test
    text: str = ""
    keep: bool = True

    @override
    def say(self) -> str:
        what = self.test if self.test == "is empty" else f"{self.test} “{self.text}”"
        return f"rows {'kept' if self.keep else 'out'} where {self.column.say()} {what}"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        passed = test_rows(find_column(table, self.column), self.test, self.text)
        kept = passed if self.keep else ~passed
        kept[: table.heading_rows] = True
        return table.take_rows(kept)


class DropTotals(Step, frozen=True, tag="drop totals"):
    """Totals and lines carried or brought forward go: they are no entries."""

    @override
    def say(self) -> str:
        return "totals and carried-forward lines out"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        return table.take_rows(~find_totals(table))


class SortRows(Step, frozen=True, tag="sort rows"):
    """Rows are sorted by a column's values; what does not fit its type comes last."""

    column: ColumnRef
    falling: bool = False

    @override
    def say(self) -> str:
        return f"sorted by {self.column.say()}" + (", falling" if self.falling else "")

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        column, first = find_column(table, self.column), table.heading_rows
        kind = (
            column.type
            or decide_type(column.texts[first:], column.name, table.year, table.point).type
        )
        values = [parse_value(text, kind) for text in column.texts[first:]]
        known = [i for i, v in enumerate(values) if v is not None]
        others = [i for i, v in enumerate(values) if v is None]

        def rank(i: int) -> Any:
            value = values[i]
            return value.casefold() if isinstance(value, str) else value

        known.sort(key=rank, reverse=self.falling)
        order = np.array([*range(first), *(first + i for i in (*known, *others))], np.int64)
        return table.take_rows(order)


class NumberRows(Step, frozen=True, tag="number rows"):
    """A first column with the rows' numbers."""

    name: str = "No."

    @override
    def say(self) -> str:
        return f"rows numbered in {self.name}"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        first = table.heading_rows
        numbers = [""] * first + [str(k + 1) for k in range(table.rows - first)]
        sources = np.full((table.rows, 1), -1, np.int64)
        column = TidyColumn(make_id(table, "n"), self.name, as_texts(numbers), sources)
        return table.put_columns([column, *table.columns])


class BarsToColumn(Step, frozen=True, tag="bars to column"):
    """Titles across the table, such as "Visiting yachts", become a column of the rows below."""

    name: str = "Section"

    @override
    def say(self) -> str:
        return f"section titles into column {self.name}"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        bars = find_bars(table)
        if not bars.any():
            raise MisfitError("No title stands across the table.")
        texts, sources = as_texts([""] * table.rows), np.full((table.rows, 1), -1, np.int64)
        title, cell = "", -1
        for row in range(table.rows):
            if bars[row]:
                held = next(c for c in table.columns if c.texts[row])
                title, cell = held.texts[row], held.sources[row, 0]
            elif row >= table.heading_rows:
                texts[row], sources[row, 0] = title, cell
        column = TidyColumn(make_id(table, "s"), self.name, texts, sources)
        return replace(table, columns=(column, *table.columns)).take_rows(~bars)


# --- what rows are ---


def find_empty_rows(table: TidyTable) -> NDArray[np.bool_]:
    """Return which rows below the headings are empty, (rows,)."""
    empty = np.ones(table.rows, bool)
    for column in table.columns:
        empty &= column.texts == ""
    empty[: table.heading_rows] = False
    return empty


def find_totals(table: TidyTable) -> NDArray[np.bool_]:
    """Return which rows are totals or lines carried or brought forward, (rows,)."""
    out = np.zeros(table.rows, bool)
    for column in table.columns[: max(1, len(table.columns) // 2)]:
        out |= np.fromiter(map(is_total, column.texts), np.bool_, table.rows)
    out[: table.heading_rows] = False
    return out


def is_total(text: str) -> bool:
    """Return whether a text begins as that of a total, or of a line carried or brought forward."""
    return text[:1] in _TOTAL_BEGINS and bool(_TOTAL.match(text))


def _holds_figures(table: TidyTable) -> bool:
    """Return whether most cells in the last column hold a digit."""
    texts = [t for c in table.columns[-1:] for t in c.texts[table.heading_rows :] if t]
    return sum(any(c.isdigit() for c in t) for t in texts) > len(texts) / 2


def find_bars(table: TidyTable, *, sure: bool = False) -> NDArray[np.bool_]:
    """Return which rows hold a title across the table and nothing else, (rows,).

    Where the paper has one cell over the columns, or one text alone that is no number, before rows
    with more. If it must be ``sure``, a text alone beside a single column of texts does not count:
    it may be an entry without a second part.
    """
    alone_tells = not sure or len(table.columns) > _MOST_PAIRED or _holds_figures(table)
    written = np.zeros(table.rows, np.int64)
    for column in table.columns:
        written += column.texts != ""
    out: NDArray[np.bool_] = written == 1
    out[: table.heading_rows] = False
    for row in np.flatnonzero(out):
        held = next(c for c in table.columns if c.texts[row])
        text = held.texts[row]
        cell = held.sources[row, 0]
        across = sum(c.sources[row, 0] == cell for c in table.columns) if cell >= 0 else 1
        first = alone_tells and table.indexes[held.id] == 0
        wide = across > len(table.columns) / 2
        goes_on = row + 1 < table.rows and written[row + 1] > 1
        letters = sum(ch.isalpha() for ch in text) > len(text) / 2
        out[row] = letters and goes_on and (wide or first) and not is_total(text)
        out[row] &= not is_ditto(text)
    return out


def test_rows(column: TidyColumn, test: Test, text: str) -> NDArray[np.bool_]:
    """Return which of a column's texts pass a test, (rows,)."""
    wanted = text.casefold()
    checks: dict[Test, Callable[[str], bool]] = {
        "is": lambda t: t.casefold() == wanted,
        "is not": lambda t: t.casefold() != wanted,
        "contains": lambda t: wanted in t.casefold(),
        "begins with": lambda t: t.casefold().startswith(wanted),
        "is empty": is_blank,
        "is like": lambda t: _shape(t) == _shape(text),
    }
    passes = checks[test]
    return np.fromiter(map(passes, column.texts), np.bool_, len(column.texts))


def _shape(text: str) -> str:
    """Return a text with its figures as 9 and its letters as a, so that like texts are equal."""
    return re.sub(r"[^\W\d_]+", "a", re.sub(r"\d+", "9", text))


def _say_numbers(numbers: tuple[int, ...]) -> str:
    """Return numbers as runs: "3, 5–8"."""
    runs: list[list[int]] = []
    for number in sorted(set(numbers)):
        if runs and number == runs[-1][1] + 1:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    said = [f"{a}" if a == b else f"{a}–{b}" for a, b in runs]
    return ", ".join(said[:6]) + (" …" if len(said) > 6 else "")
