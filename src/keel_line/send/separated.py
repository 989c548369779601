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


def name_csv_files(target: Path, tables: int) -> list[Path]:
    """Return where so many tables go: one to ``target`` itself, several beside it.

    Several are called ``NAME-1.csv``, ``NAME-2.csv`` …
    """
    if tables <= 1:
        return [target]
    return [target.with_name(f"{target.stem}-{i}{target.suffix}") for i in range(1, tables + 1)]


def write_csv(tables: Sequence[TableState], target: Path) -> None:
    """Write each table as CSV (UTF-8 with a mark, so that spreadsheets see the accents).

    The files are those of :func:`name_csv_files`.

    Raises
    ------
    OutputError
        When one cannot be written.
    """
    everything = [as_rows(t) for t in tables] or [[]]
    for path, rows in zip(name_csv_files(target, len(tables)), everything, strict=True):
        write_rows(rows, path)


def write_rows(rows: Sequence[Sequence[str]], target: Path) -> None:
    """Write rows as one CSV file.

    Raises
    ------
    OutputError
        When it cannot be written.
    """
    write_safely(target, lambda part: _write(rows, part))


def _write(rows: Sequence[Sequence[str]], part: Path) -> None:
    with part.open("w", encoding="utf-8-sig", newline="") as out:
        csv.writer(out).writerows(rows)
