"""Steps: what is done to a table, in words, as data, and as a function from table to table."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import dataclass
from typing import TYPE_CHECKING

import msgspec

from keel_line.model.tidy import TidyColumn, TidyTable

if TYPE_CHECKING:
    from collections.abc import Sequence


class MisfitError(Exception):
    """A step does not fit a table; the words say why."""


class ColumnRef(msgspec.Struct, frozen=True):
    """A column as a step names it: by its id, and by its name where the id is gone."""

    id: str
    name: str = ""

    def say(self) -> str:
        """Return it in words."""
        return self.name or f"column {self.id.removeprefix('c')}"


class Step(msgspec.Struct, frozen=True, kw_only=True, tag_field="step"):
    """A step; each kind is a subclass with its parameters. ``off`` leaves it out for now."""

    off: bool = False

    @abstractmethod
    def say(self) -> str:
        """Return it as a short sentence."""

    @abstractmethod
    def apply(self, table: TidyTable) -> TidyTable:
        """Return the table after the step.

        Raises
        ------
        MisfitError
            When the table has not what the step needs.
        """


@dataclass(frozen=True)
class Taken:
    """A step as it was taken on a table.

    ``table`` is the table after it; ``misfit`` says why the step was passed over, empty if not.
    """

    step: Step
    table: TidyTable
    misfit: str = ""


def take_steps(table: TidyTable, steps: Sequence[Step]) -> list[Taken]:
    """Take steps one after another; those that are off or do not fit are passed over."""
    out = []
    for step in steps:
        misfit = ""
        if not step.off:
            try:
                table = step.apply(table)
            except MisfitError as error:
                misfit = str(error)
        out.append(Taken(step, table, misfit))
    return out


def find_column(table: TidyTable, ref: ColumnRef) -> TidyColumn:
    """Return the column that a step names.

    Raises
    ------
    MisfitError
        When there is none.
    """
    at = table.indexes.get(ref.id)
    if at is not None:
        return table.columns[at]
    named = [c for c in table.columns if ref.name and c.name.casefold() == ref.name.casefold()]
    if len(named) != 1:
        raise MisfitError(f"There is no column “{ref.say()}” any more.")
    return named[0]


def refer_to(column: TidyColumn) -> ColumnRef:
    """Return how a step names a column."""
    return ColumnRef(column.id, column.name)


def make_id(table: TidyTable, stem: str) -> str:
    """Return an id for a new column that no column has."""
    number = 1
    while f"{stem}{number}" in table.indexes:
        number += 1
    return f"{stem}{number}"
