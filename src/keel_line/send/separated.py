"""Tables as comma-separated text, one file a table."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from pathlib import Path

from keel_line.model.table import TableState
from keel_line.send.safely import write_safely


def as_rows(table: TableState) -> list[list[str]]:
    """Return the table's texts row by row; a spanning cell's text stands in its first place."""
    rows = [[""] * table.grid.cols for _ in range(table.grid.rows)]
    for state in table.cells:
        rows[state.cell.row][state.cell.col] = state.text
    return rows


def write_csv(tables: Sequence[TableState], target: Path) -> list[Path]:
    """Write each table as CSV (UTF-8 with a mark, so that spreadsheets see the accents).

    One table goes to ``target`` itself; several go beside it as ``NAME-1.csv``, ``NAME-2.csv`` …

    Returns
    -------
    list of Path
        The files that were written.

    Raises
    ------
    OutputError
        When one cannot be written.
    """
    if len(tables) <= 1:
        targets = [target]
    else:
        targets = [
            target.with_name(f"{target.stem}-{i}{target.suffix}") for i in range(1, len(tables) + 1)
        ]
    everything = [as_rows(t) for t in tables] or [[]]
    for path, rows in zip(targets, everything, strict=True):
        write_safely(path, lambda part, rows=rows: _write(rows, part))  # type: ignore[misc]  # bound now
    return targets


def write_rows(rows: Sequence[Sequence[str]], target: Path) -> None:
    """Write rows as one CSV file, in the same way.

    Raises
    ------
    OutputError
        When it cannot be written.
    """
    write_safely(target, lambda part: _write(rows, part))


def _write(rows: Sequence[Sequence[str]], part: Path) -> None:
    with part.open("w", encoding="utf-8-sig", newline="") as out:
        csv.writer(out).writerows(rows)
