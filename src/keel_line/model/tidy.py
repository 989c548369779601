"""A table as it is tidied: columns of texts, and the cells that each text came from."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.amounts import Sign
from keel_line._shared.column_types import ColumnType, find_point
from keel_line.model.table import TableState

Texts: TypeAlias = NDArray[np.object_]
"""Strings, one a row."""
Sources: TypeAlias = NDArray[np.int64]
"""Ids of the cells that each text came from, (rows, cells); -1 where a text has fewer."""


@dataclass(frozen=True, eq=False)
class TidyColumn:
    """A column of a table that is being tidied.

    Attributes
    ----------
    id
        Stays the same whatever is done: "c3" is the third column of the paper, others are made.
    name
        What it is called; may be empty or doubled.
    texts
        Its texts, (rows,).
    sources
        The cells that each came from, (rows, most of one text).
    type
        What its texts mean, where somebody said so.
    """

    id: str
    name: str
    texts: Texts
    sources: Sources
    type: ColumnType | None = None


@dataclass(frozen=True, eq=False)
class TidyTable:
    """A table that is being tidied.

    Attributes
    ----------
    name
        What it is called.
    columns
        From left to right.
    heading_rows
        How many of the rows at the top are headings that are no names yet.
    pages
        The page number that each row stands on, (rows,).
    year
        The year that the paper speaks of; 0 if unknown.
    """

    name: str
    columns: tuple[TidyColumn, ...]
    heading_rows: int
    pages: NDArray[np.int64]
    year: int = 0

    @property
    def rows(self) -> int:
        """Number of rows, with the headings."""
        return len(self.pages)

    @cached_property
    def indexes(self) -> dict[str, int]:
        """The place of each column, by its id."""
        return {column.id: k for k, column in enumerate(self.columns)}

    @cached_property
    def point(self) -> Sign | None:
        """The decimal sign that its columns show; None where they show none, or several."""
        return find_point([c.texts[self.heading_rows :] for c in self.columns])

    def take_rows(self, rows: NDArray[Any]) -> TidyTable:
        """Return the table with some of its rows: numbers in their new order, or a mask."""
        kept = np.arange(self.rows)[rows]
        return replace(
            self,
            columns=tuple(
                replace(c, texts=c.texts[kept], sources=c.sources[kept]) for c in self.columns
            ),
            pages=self.pages[kept],
            heading_rows=int(np.count_nonzero(kept < self.heading_rows)),
        )

    def put_column(self, column: TidyColumn) -> TidyTable:
        """Return the table with a column in place of the one with its id."""
        return replace(
            self, columns=tuple(column if c.id == column.id else c for c in self.columns)
        )

    def put_columns(self, columns: Iterable[TidyColumn]) -> TidyTable:
        """Return the table with other columns."""
        return replace(self, columns=tuple(columns))


def as_texts(texts: Iterable[str]) -> Texts:
    """Return texts as a column holds them."""
    listed = list(texts)
    out = np.empty(len(listed), object)
    out[:] = listed
    return out


def merge_sources(parts: Sequence[Sources]) -> Sources:
    """Return the sources of texts made of several columns' texts, each cell once."""
    joined = np.concatenate(parts, axis=1)
    for k in range(1, joined.shape[1]):
        known = (joined[:, :k] == joined[:, k : k + 1]).any(axis=1)
        joined[known, k] = -1
    held = (joined >= 0).sum(axis=1).max(initial=1)
    order = np.argsort(joined < 0, axis=1, kind="stable")[:, : max(1, held)]
    return np.take_along_axis(joined, order, axis=1)


def make_tidy(table: TableState, year: int = 0) -> TidyTable:
    """Return a table as it is before anything was tidied.

    A cell over several rows or columns has its text in the first; the others are empty and come
    from it, too.
    """
    rows, cols = table.grid.rows, table.grid.cols
    texts = np.full((rows, cols), "", object)
    sources = np.full((rows, cols), -1, np.int64)
    for state in table.cells:
        c = state.cell
        texts[c.row, c.col] = " ".join(state.text.split())
        sources[c.row : c.row + c.row_span, c.col : c.col + c.col_span] = state.id
    columns = tuple(
        TidyColumn(f"c{k + 1}", "", texts[:, k], sources[:, k : k + 1]) for k in range(cols)
    )
    pages = np.full(rows, table.page_number, np.int64)
    return TidyTable(table.name, columns, table.header_rows, pages, year)
