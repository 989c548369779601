"""A table as the checks see it: texts by row and column, with their other readings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from keel_line.model.finding import Place


@dataclass(frozen=True)
class Value:
    """A cell's text as it stands, its other readings, and whether the clerk settled it."""

    text: str
    others: tuple[str, ...] = ()
    settled: bool = False


@dataclass(frozen=True)
class Sheet:
    """A table's values by place; a cell that spans stands at its first row and column."""

    rows: int
    cols: int
    heading_rows: int
    values: Mapping[Place, Value]

    def text(self, row: int, col: int) -> str:
        """Return the text at a place on one line, empty where there is none."""
        value = self.values.get((row, col))
        return "" if value is None else " ".join(value.text.split())

    def column(self, col: int) -> tuple[str, ...]:
        """Return a column's texts, headings included."""
        return tuple(self.text(row, col) for row in range(self.rows))

    def name(self, col: int) -> str:
        """Return what a column is called: its heading, or its number."""
        heading = " ".join(t for t in (self.text(r, col) for r in range(self.heading_rows)) if t)
        return f"“{heading}”" if heading else f"column {col + 1}"
