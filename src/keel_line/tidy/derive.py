"""The step that derives a column from others by a formula."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from typing_extensions import override

from keel_line._shared.column_types import decide_type, is_blank, parse_value
from keel_line.model.tidy import TidyColumn, TidyTable, as_texts, merge_sources
from keel_line.tidy.formula import (
    Cell,
    FormulaError,
    Node,
    Reckoned,
    find_columns,
    parse_formula,
    reckon,
    write_value,
)
from keel_line.tidy.step import MisfitError, Step, make_id


class Derive(Step, frozen=True, tag="derive"):
    """A new column is derived by a formula (docs/formulas.md)."""

    name: str
    formula: str

    @override
    def say(self) -> str:
        return f"{self.name} = {self.formula}"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        node, used = _understand(table, self.formula)
        first = table.heading_rows
        values = _reckon(table, node, used).values
        texts = as_texts([""] * first + [write_value(v) for v in values])
        sources = (
            merge_sources([c.sources for c in used.values()])
            if used
            else np.full((table.rows, 1), -1, np.int64)
        )
        column = TidyColumn(make_id(table, "f"), self.name, texts, sources)
        return table.put_columns([*table.columns, column])


def find_troubles(table: TidyTable, formula: str) -> dict[int, str]:
    """Return why a formula has no value in some rows, by their numbers below the headings.

    Raises
    ------
    MisfitError
        When the formula cannot be understood or a column is missing.
    """
    node, used = _understand(table, formula)
    return _reckon(table, node, used).troubles


def _understand(table: TidyTable, formula: str) -> tuple[Node, dict[str, TidyColumn]]:
    """Return a formula and the columns that it uses, by the names it uses."""
    try:
        node = parse_formula(formula)
    except FormulaError as error:
        raise MisfitError(f"{error} (character {error.at + 1})") from error
    used: dict[str, TidyColumn] = {}
    for name in find_columns(node):
        named = [c for c in table.columns if c.name.casefold() == name.casefold()]
        if not named:
            raise MisfitError(f"There is no column “{name}”.")
        if len(named) > 1:
            raise MisfitError(f"Several columns are called “{name}”. Rename all but one.")
        used[name] = named[0]
    return node, used


def _reckon(table: TidyTable, node: Node, used: dict[str, TidyColumn]) -> Reckoned:
    first = table.heading_rows
    columns = {name: read_values(table, column) for name, column in used.items()}
    return reckon(node, columns, table.rows - first)


def read_values(table: TidyTable, column: TidyColumn) -> Sequence[Cell]:
    """Return a column's values below the headings; None where nothing stands or it does not fit."""
    texts = column.texts[table.heading_rows :]
    kind = column.type or decide_type(texts, column.name, table.year, table.point).type
    return [None if is_blank(t) else parse_value(t, kind) for t in texts]
