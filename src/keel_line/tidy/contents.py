"""Steps that change what stands in cells: fill down, replace, change case, move a block."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from typing_extensions import override

from keel_line.model.tidy import TidyColumn, TidyTable, as_texts
from keel_line.tidy.step import ColumnRef, MisfitError, Step, find_column

_DITTO = re.compile(
    r"^[\-–—.\s]*(?:[\"“”„″〃]|''|’’|,,|‘‘|do\.?|ditto|id\.?|idem)[\-–—.\s]*$", re.IGNORECASE
)


_LONGEST = 20  # of a ditto mark with dashes or dots about it


class FillDown(Step, frozen=True, tag="fill down"):
    """Ditto marks, and blanks if asked for, take what stands above them."""

    column: ColumnRef
    blanks: bool = False

    @override
    def say(self) -> str:
        return f"{self.column.say()}: {'blanks' if self.blanks else 'dittos'} filled from above"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        column = find_column(table, self.column)
        texts, sources = column.texts.copy(), column.sources.copy()
        for row in np.flatnonzero(find_to_fill(table, column, blanks=self.blanks)):
            texts[row], sources[row] = texts[row - 1], sources[row - 1]
        return table.put_column(replace(column, texts=texts, sources=sources))


class Replace(Step, frozen=True, tag="replace"):
    """One text in a column becomes another, in each cell or where it is the whole cell."""

    column: ColumnRef
    old: str
    new: str = ""
    whole: bool = False

    @override
    def say(self) -> str:
        return f"{self.column.say()}: “{self.old}” becomes “{self.new}”"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        column = find_column(table, self.column)
        if not self.old:
            raise MisfitError("Say what to replace.")

        def put(text: str) -> str:
            if self.whole:
                return self.new if text == self.old else text
            return text.replace(self.old, self.new)

        return _change(table, column, put)


class ChangeCase(Step, frozen=True, tag="change case"):
    """A column's letters become small, capital, or capital at the beginning of words."""

    column: ColumnRef
    case: Literal["small", "capital", "words"]

    @override
    def say(self) -> str:
        how = {"small": "small letters", "capital": "capitals", "words": "Capital Words"}
        return f"{self.column.say()} in {how[self.case]}"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        def words(text: str) -> str:
            return re.sub(
                r"[^\W\d_]+", lambda m: m.group()[:1].upper() + m.group()[1:].lower(), text
            )

        put = {"small": str.lower, "capital": str.upper, "words": words}[self.case]
        return _change(table, find_column(table, self.column), put)


class Trim(Step, frozen=True, tag="trim"):
    """Signs at both ends of a column's texts go, such as dots of a leader."""

    column: ColumnRef
    signs: str = " ."

    @override
    def say(self) -> str:
        return f"{self.column.say()} trimmed of “{self.signs.strip() or 'spaces'}”"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        return _change(table, find_column(table, self.column), lambda t: t.strip(self.signs))


class MoveBlock(Step, frozen=True, tag="move block"):
    """Cells of some rows and columns move right (or left) and down (or up).

    ``rows`` are the first and last, counted from 1 below the headings; ``by`` is (rows, columns).
    """

    first: ColumnRef
    last: ColumnRef
    rows: tuple[int, int]
    by: tuple[int, int]

    @override
    def say(self) -> str:
        down, right = self.by
        way = [f"{abs(down)} {'down' if down > 0 else 'up'}"] if down else []
        way += [f"{abs(right)} {'right' if right > 0 else 'left'}"] if right else []
        return f"rows {self.rows[0]}–{self.rows[1]} of {self.first.say()} moved {' and '.join(way)}"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        left, right = (table.indexes[find_column(table, ref).id] for ref in (self.first, self.last))
        top, bottom = (n - 1 + table.heading_rows for n in self.rows)
        down, aside = self.by
        inside = (
            left <= right
            and table.heading_rows <= top <= bottom < table.rows
            and table.heading_rows <= top + down
            and bottom + down < table.rows
            and left + aside >= 0
            and right + aside < len(table.columns)
        )
        if not inside:
            raise MisfitError("The cells would leave the table.")
        wide = max(c.sources.shape[1] for c in table.columns)
        texts = np.stack([c.texts for c in table.columns], axis=1)
        sources = np.stack([_widen(c.sources, wide) for c in table.columns], axis=1)
        block = texts[top : bottom + 1, left : right + 1].copy()
        came = sources[top : bottom + 1, left : right + 1].copy()
        texts[top : bottom + 1, left : right + 1] = ""
        sources[top : bottom + 1, left : right + 1] = -1
        rows = slice(top + down, bottom + down + 1)
        cols = slice(left + aside, right + aside + 1)
        if (texts[rows, cols] != "").any():
            raise MisfitError("Something stands where the cells would go.")
        texts[rows, cols], sources[rows, cols] = block, came
        return table.put_columns(
            replace(c, texts=texts[:, k], sources=sources[:, k])
            for k, c in enumerate(table.columns)
        )


def is_ditto(text: str) -> bool:
    """Return whether a text says "the same as above": a ditto mark, "do."."""
    return 0 < len(text) <= _LONGEST and not text[0].isdigit() and bool(_DITTO.match(text))


def find_to_fill(table: TidyTable, column: TidyColumn, *, blanks: bool) -> NDArray[np.bool_]:
    """Return which cells of a column say the same as those above: ditto marks, or blanks too."""
    dittos = np.fromiter(map(is_ditto, column.texts), np.bool_, len(column.texts))
    empty = column.texts == ""
    out: NDArray[np.bool_] = dittos | empty if blanks else dittos
    said = ~(dittos | empty)
    said[: table.heading_rows] = False
    first = int(np.argmax(said)) if said.any() else table.rows
    out[:first] = False  # nothing stands above them
    return out


def _change(table: TidyTable, column: TidyColumn, put: Callable[[str], str]) -> TidyTable:
    texts = as_texts(
        t if row < table.heading_rows else put(t) for row, t in enumerate(column.texts)
    )
    return table.put_column(replace(column, texts=texts))


def _widen(sources: NDArray[np.int64], wide: int) -> NDArray[np.int64]:
    return np.pad(sources, ((0, 0), (0, wide - sources.shape[1])), constant_values=-1)
