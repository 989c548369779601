"""Tables to be tidied, made of rows of texts."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from keel_line.model.tidy import TidyColumn, TidyTable, as_texts


def make(
    *rows: Sequence[str], names: Sequence[str] = (), heading_rows: int = 0, year: int = 0
) -> TidyTable:
    """Make a table; the cell in row r and column c has the id 100 r + c + 1."""
    cols = len(rows[0]) if rows else len(names)
    columns = tuple(
        TidyColumn(
            f"c{k + 1}",
            names[k] if names else "",
            as_texts(row[k] for row in rows),
            100 * np.arange(len(rows), dtype=np.int64)[:, None] + k + 1,
        )
        for k in range(cols)
    )
    return TidyTable("Dues", columns, heading_rows, np.ones(len(rows), np.int64), year)


def texts(table: TidyTable) -> list[tuple[str, ...]]:
    """Return a table's rows."""
    return list(zip(*(c.texts for c in table.columns), strict=True))


def names(table: TidyTable) -> list[str]:
    """Return what a table's columns are called."""
    return [c.name for c in table.columns]
