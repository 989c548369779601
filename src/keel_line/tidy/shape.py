"""Steps that turn a table: rows and columns swapped, columns into rows, rows into columns."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from typing_extensions import override

from keel_line.model.tidy import TidyColumn, TidyTable, as_texts, merge_sources
from keel_line.tidy.step import ColumnRef, MisfitError, Step, find_column, make_id

_MOST_COLUMNS = 500


class Transpose(Step, frozen=True, tag="transpose"):
    """Rows become columns and columns rows; names become the first column."""

    @override
    def say(self) -> str:
        return "rows and columns swapped"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        if table.rows > _MOST_COLUMNS:
            raise MisfitError(
                f"The table has too many rows to become columns: {_MOST_COLUMNS} at most."
            )
        wide = max((c.sources.shape[1] for c in table.columns), default=1)
        columns: list[TidyColumn] = []
        if any(c.name for c in table.columns):
            names = as_texts(c.name for c in table.columns)
            sources = np.full((len(table.columns), 1), -1, np.int64)
            columns.append(TidyColumn("t0", "", names, sources))
        for row in range(table.rows):
            texts = as_texts(c.texts[row] for c in table.columns)
            sources = np.full((len(table.columns), wide), -1, np.int64)
            for k, column in enumerate(table.columns):
                sources[k, : column.sources.shape[1]] = column.sources[row]
            columns.append(TidyColumn(f"t{row + 1}", "", texts, sources))
        page = int(table.pages[0]) if table.rows else 0
        pages = np.full(len(table.columns), page, np.int64)
        return replace(table, columns=tuple(columns), heading_rows=0, pages=pages)


class ColumnsToRows(Step, frozen=True, tag="columns to rows"):
    """Columns of one kind, such as months, become rows.

    One column has their names, another their values.
    """

    columns: tuple[ColumnRef, ...]
    name: str = "Name"
    value: str = "Value"

    @override
    def say(self) -> str:
        return f"{len(self.columns)} columns into rows of {self.name} and {self.value}"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        if table.heading_rows:
            raise MisfitError("Make the heading rows names first.")
        chosen = [find_column(table, ref) for ref in self.columns]
        if not chosen:
            raise MisfitError("Choose the columns first.")
        gone, many = {c.id for c in chosen}, len(chosen)
        rows = np.repeat(np.arange(table.rows), many)
        others = [
            replace(c, texts=c.texts[rows], sources=c.sources[rows])
            for c in table.columns
            if c.id not in gone
        ]
        wide = max(c.sources.shape[1] for c in chosen)
        sources = np.full((len(rows), wide), -1, np.int64)
        texts = as_texts([""] * len(rows))
        for k, column in enumerate(chosen):
            texts[k::many] = column.texts
            sources[k::many, : column.sources.shape[1]] = column.sources
        names = as_texts([c.name for c in chosen] * table.rows)
        named = TidyColumn(
            make_id(table, "m"), self.name, names, np.full((len(rows), 1), -1, np.int64)
        )
        valued = TidyColumn(make_id(table, "v"), self.value, texts, sources)
        return replace(table, columns=(*others, named, valued), pages=table.pages[rows])


class RowsToColumns(Step, frozen=True, tag="rows to columns"):
    """The values of one column become columns, each with the other's texts: the way back."""

    name: ColumnRef
    value: ColumnRef

    @override
    def say(self) -> str:
        return f"{self.name.say()} into columns of {self.value.say()}"

    @override
    def apply(self, table: TidyTable) -> TidyTable:
        named, valued = find_column(table, self.name), find_column(table, self.value)
        others = [c for c in table.columns if c.id not in {named.id, valued.id}]
        first = table.heading_rows
        heads = list(dict.fromkeys(named.texts[first:]))
        if len(heads) > _MOST_COLUMNS:
            raise MisfitError(f"{self.name.say()} has too many values: {len(heads):,}.")
        keys: dict[tuple[str, ...], int] = {}
        kept: list[int] = []
        places: dict[tuple[int, str], int] = {}
        for row in range(first, table.rows):
            key = tuple(c.texts[row] for c in others)
            if key not in keys:
                keys[key] = len(kept)
                kept.append(row)
            place = (keys[key], named.texts[row])
            if place in places:
                raise MisfitError(f"Two rows have the same {self.name.say()}: “{place[1]}”.")
            places[place] = row
        base = table.take_rows(np.array(kept, np.int64))
        new = []
        for k, head in enumerate(heads):
            rows = np.array([places.get((i, head), -1) for i in range(len(kept))], np.int64)
            texts = as_texts("" if r < 0 else valued.texts[r] for r in rows)
            came = merge_sources([valued.sources, named.sources])[rows]
            came[rows < 0] = -1
            new.append(TidyColumn(f"{valued.id}.{k + 1}", head, texts, came))
        gone = {named.id, valued.id}
        return base.put_columns([*(c for c in base.columns if c.id not in gone), *new])
