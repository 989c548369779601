"""The open doubts of a docket's tables in order. A change costs what it changes, not the docket."""

from __future__ import annotations

from bisect import bisect_left, bisect_right, insort
from collections.abc import Sequence
from itertools import accumulate
from typing import Literal, TypeAlias

from keel_line.model.table import CellState, TableState

Order = Literal["columns", "rows", "doubt"]
"""Doubts table by table down each column, along each row, or the greatest doubt first."""

_Key: TypeAlias = tuple[float, int, int, int, int]
_BEFORE_ANY, _AFTER_ANY = -1, 1 << 40  # as numbers of cells


class Doubts:
    """Open doubts, kept in order while tables and cells come and go.

    Places are given and returned as (table, cell): a table's index in the docket, and its cell's.
    """

    def __init__(self) -> None:
        self._order: Order = "columns"
        self._at: dict[int, int] = {}  # by table: its index
        self._tables: list[int] = []
        # Of each table, or of all of them where the greatest doubt goes first.
        self._own: dict[int, list[_Key]] = {}
        self._all: list[_Key] = []
        self._listed: list[tuple[int, int]] | None = None

    def __len__(self) -> int:
        return sum(map(len, self._own.values()))

    @property
    def order(self) -> Order:
        """The order they come in."""
        return self._order

    def set_order(self, order: Order, tables: Sequence[TableState]) -> None:
        """Change the order; ``tables`` are those of the docket."""
        self._order = order
        self._own.clear()
        self._all.clear()
        self.arrange(tables, {t.id for t in tables})

    def arrange(self, tables: Sequence[TableState], fresh: set[int]) -> None:
        """Replace the tables; only those in ``fresh`` (their ids) are searched for doubts."""
        self._listed = None
        self._tables = [t.id for t in tables]
        self._at = {number: k for k, number in enumerate(self._tables)}
        gone = {i for i in self._own if i in fresh or i not in self._at}
        for number in gone:
            del self._own[number]
        for table in tables:
            if table.id in fresh:
                found = [self._key(table.id, s, c) for c, s in enumerate(table.cells) if s.in_doubt]
                self._own[table.id] = sorted(found)
        if self._order == "doubt":
            kept = [key for key in self._all if key[1] not in gone]
            added = [key for number in fresh & self._own.keys() for key in self._own[number]]
            self._all = sorted([*kept, *added])

    def add(self, table_id: int, state: CellState, cell: int) -> None:
        """Take in a cell of a table if it is in doubt."""
        if state.in_doubt:
            self._listed = None
            key = self._key(table_id, state, cell)
            insort(self._own[table_id], key)
            if self._order == "doubt":
                insort(self._all, key)

    def remove(self, table_id: int, state: CellState, cell: int) -> None:
        """Remove a cell, as it was, if it was in doubt."""
        if state.in_doubt:
            self._listed = None
            key = self._key(table_id, state, cell)
            for keys in (self._own[table_id], self._all) if self._all else (self._own[table_id],):
                del keys[bisect_left(keys, key)]

    def of(self, table_id: int) -> list[int]:
        """Return the cells of a table that are in doubt, in order."""
        return [key[-1] for key in self._own.get(table_id, ())]

    def listed(self) -> list[tuple[int, int]]:
        """Return all, in order."""
        if self._listed is None:
            keys = (
                self._all
                if self._order == "doubt"
                else [key for number in self._tables for key in self._own.get(number, ())]
            )
            self._listed = [(self._at[key[1]], key[-1]) for key in keys]
        return self._listed

    def first(self) -> tuple[int, int] | None:
        """Return the first; None if there is none."""
        return self._from(0) if len(self) else None

    def before(self, table_id: int, state: CellState) -> int:
        """Return how many come before a cell."""
        return self._rank(self._key(table_id, state, _BEFORE_ANY))

    def beside(self, table_id: int, state: CellState, step: int) -> tuple[int, int] | None:
        """Return the one after (+1) or before (-1) a cell; the first follows the last."""
        count = len(self)
        if not count:
            return None
        after = self._key(table_id, state, _AFTER_ANY)
        if self._order != "doubt":  # mostly it is in the same table
            own = self._own.get(table_id, [])
            at = bisect_left(own, after if step > 0 else self._key(table_id, state, _BEFORE_ANY))
            at += 0 if step > 0 else -1
            if 0 <= at < len(own):
                return self._at[table_id], own[at][-1]
        rank = self._rank(after) if step > 0 else self.before(table_id, state) - 1
        return self._from(rank % count)

    def _rank(self, key: _Key) -> int:
        """Return how many keys are less than another."""
        if self._order == "doubt":
            return bisect_left(self._all, key)
        earlier = self._tables[: self._at[key[1]]]
        own = bisect_left(self._own.get(key[1], []), key)
        return sum(len(self._own.get(number, ())) for number in earlier) + own

    def _from(self, rank: int) -> tuple[int, int]:
        """Return the doubt of a rank."""
        if self._order == "doubt":
            key = self._all[rank]
            return self._at[key[1]], key[-1]
        counts = list(accumulate(len(self._own.get(number, ())) for number in self._tables))
        at = bisect_right(counts, rank)
        own = self._own[self._tables[at]]
        return at, own[rank - counts[at] + len(own)][-1]

    def _key(self, table_id: int, state: CellState, cell: int) -> _Key:
        col, row = state.cell.col, state.cell.row
        if self._order == "doubt":
            return (state.confidence, table_id, col, row, cell)
        first, second = (col, row) if self._order == "columns" else (row, col)
        return (0.0, table_id, first, second, cell)
