"""A table as the checks see it: text and other readings by row and column."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from keel_line.model.finding import Place


@dataclass(frozen=True)
class Value:
    """A cell's text as it stands, and its other readings."""

    text: str
    others: tuple[str, ...] = ()


@dataclass(frozen=True)
class Column:
    """One column: its number, what it is called, its texts and their other readings by row."""

    number: int
    name: str
    heading_rows: int
    texts: tuple[str, ...]
    others: tuple[tuple[str, ...], ...]

    @property
    def body(self) -> range:
        """Rows below the headings."""
        return range(self.heading_rows, len(self.texts))


@dataclass(frozen=True)
class Sheet:
    """A table's values by place; a cell that spans stands at its first row and column."""

    rows: int
    cols: int
    heading_rows: int
    values: Mapping[Place, Value]

    @cached_property
    def _columns(self) -> list[tuple[str, ...]]:
        columns = [[""] * self.rows for _ in range(self.cols)]
        for (row, col), value in self.values.items():
            columns[col][row] = " ".join(value.text.split())
        return [tuple(column) for column in columns]

    @cached_property
    def columns(self) -> tuple[Column, ...]:
        """All columns from the left."""
        others: list[list[tuple[str, ...]]] = [[()] * self.rows for _ in range(self.cols)]
        for (row, col), value in self.values.items():
            others[col][row] = value.others
        return tuple(
            Column(c, self.name(c), self.heading_rows, self._columns[c], tuple(others[c]))
            for c in range(self.cols)
        )

    @cached_property
    def _rows(self) -> dict[int, dict[Place, Value]]:
        rows: dict[int, dict[Place, Value]] = {}
        for place, value in self.values.items():
            rows.setdefault(place[0], {})[place] = value
        return rows

    def row(self, row: int) -> Mapping[Place, Value]:
        """Return the cells that begin in a row, by their places."""
        return self._rows.get(row, {})

    def text(self, row: int, col: int) -> str:
        """Return the text at a place on one line, empty where there is none."""
        return self._columns[col][row]

    def others(self, row: int, col: int) -> tuple[str, ...]:
        """Return the other readings at a place."""
        value = self.values.get((row, col))
        return () if value is None else value.others

    def column(self, col: int) -> tuple[str, ...]:
        """Return a column's texts, headings included."""
        return self._columns[col]

    def name(self, col: int) -> str:
        """Return a column's name: its heading, or its number."""
        heading = " ".join(t for t in (self.text(r, col) for r in range(self.heading_rows)) if t)
        return f"“{heading}”" if heading else f"column {col + 1}"
