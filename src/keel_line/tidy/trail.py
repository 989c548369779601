"""The trail: the steps taken on a table in their order, and the suggestions that were declined."""

from __future__ import annotations

from collections.abc import Callable
from itertools import groupby
from typing import TypeAlias

import msgspec

from keel_line.model.tidy import TidyTable
from keel_line.tidy.columns import (
    DropColumns,
    DropEmptyColumns,
    JoinColumns,
    MoveColumn,
    NamesFromHeadings,
    PartSigns,
    Rename,
    SetType,
    SplitColumn,
)
from keel_line.tidy.contents import ChangeCase, FillDown, MoveBlock, Replace, Trim
from keel_line.tidy.derive import Derive
from keel_line.tidy.joins import Append, append_all
from keel_line.tidy.rows import (
    BarsToColumn,
    DropEmptyRows,
    DropRows,
    DropTotals,
    FilterRows,
    NumberRows,
    SortRows,
)
from keel_line.tidy.shape import ColumnsToRows, RowsToColumns, Transpose
from keel_line.tidy.step import Step, Taken, take_steps

AnyStep: TypeAlias = (
    Append
    | DropColumns
    | DropEmptyColumns
    | JoinColumns
    | MoveColumn
    | NamesFromHeadings
    | PartSigns
    | Rename
    | SetType
    | SplitColumn
    | ChangeCase
    | FillDown
    | MoveBlock
    | Replace
    | Trim
    | Derive
    | BarsToColumn
    | DropEmptyRows
    | DropRows
    | DropTotals
    | FilterRows
    | NumberRows
    | SortRows
    | ColumnsToRows
    | RowsToColumns
    | Transpose
)
"""All kinds of steps."""

_MOST_BYTES, MOST_STEPS = 4_000_000, 10_000


class Trail(msgspec.Struct, frozen=True):
    """What was done to a table at Tidy.

    ``steps`` are taken one after another; ``declined`` are the keys of suggestions not wanted.
    """

    steps: tuple[AnyStep, ...] = ()
    declined: tuple[str, ...] = ()

    def add(self, step: Step) -> Trail:
        """Return the trail with a step at its end; tables are joined before all else is done."""
        if isinstance(step, Append):
            at = sum(isinstance(s, Append) for s in self.steps)
            return self._with((*self.steps[:at], step, *self.steps[at:]))
        return self._with((*self.steps, step))

    @property
    def joined(self) -> tuple[int, ...]:
        """The tables that are joined below, by id."""
        return tuple(s.table for s in self.steps if isinstance(s, Append) and not s.off)

    def put(self, index: int, step: Step) -> Trail:
        """Return the trail with another step in a place."""
        return self._with((*self.steps[:index], step, *self.steps[index + 1 :]))

    def drop(self, index: int) -> Trail:
        """Return the trail without a step."""
        return self._with((*self.steps[:index], *self.steps[index + 1 :]))

    def move(self, index: int, by: int) -> Trail:
        """Return the trail with a step moved towards its beginning (-1) or end (+1)."""
        others = list(self.steps)
        step = others.pop(index)
        others.insert(min(max(index + by, 0), len(others)), step)
        return self._with(tuple(others))

    def switch(self, index: int) -> Trail:
        """Return the trail with a step switched off, or on again."""
        step = self.steps[index]
        return self.put(index, msgspec.structs.replace(step, off=not step.off))

    def decline(self, key: str) -> Trail:
        """Return the trail with a suggestion declined."""
        return msgspec.structs.replace(self, declined=(*self.declined, key))

    def _with(self, steps: tuple[Step, ...]) -> Trail:
        return msgspec.structs.replace(self, steps=steps)


def take_trail(
    table: TidyTable, trail: Trail, find: Callable[[int], TidyTable | None]
) -> tuple[Taken, ...]:
    """Take a trail's steps on a table; ``find`` returns the tables that are joined to it.

    Tables that are joined one after another are joined at once: each has the table after all.
    """
    out: list[Taken] = []
    for joins, steps in groupby(trail.steps, lambda s: isinstance(s, Append) and not s.off):
        own = list(steps)
        if joins:
            others = [(s, find(s.table)) for s in own if isinstance(s, Append)]
            table, misfits = append_all(table, others)
            out += [Taken(s, table, misfit) for s, misfit in zip(own, misfits, strict=True)]
        else:
            out += take_steps(table, own)
            table = out[-1].table
    return tuple(out)


def encode_trail(trail: Trail) -> str:
    """Return a trail as JSON."""
    return msgspec.json.encode(trail).decode()


def decode_trail(encoded: str) -> Trail:
    """Return a trail from its JSON.

    Raises
    ------
    ValueError
        When it is none, or too long to be one.
    """
    if not encoded:
        return Trail()
    if len(encoded) > _MOST_BYTES:
        raise ValueError("too long")
    trail = msgspec.json.decode(encoded, type=Trail)
    if len(trail.steps) > MOST_STEPS:
        raise ValueError("too many steps")
    return trail
