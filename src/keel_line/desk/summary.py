"""A table's summary, to be compared with the page at a glance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from keel_line.model.table import CellState, TableState


@dataclass(frozen=True)
class TableSummary:
    """A table's outline.

    Attributes
    ----------
    rows, cols, header_rows
        Its size; heading rows are among the rows.
    first, last
        Values of its first and last row below the headings, from left to right.
    blanks
        How many cells are blank.
    doubts
        How many doubts are open.
    unread
        How many places have ink that no reading explains.
    longest, shortest
        The cells with the longest and the shortest value that is not blank; None in an empty table.
    """

    rows: int
    cols: int
    header_rows: int
    first: tuple[str, ...]
    last: tuple[str, ...]
    blanks: int
    doubts: int
    unread: int
    longest: CellState | None
    shortest: CellState | None


def summarise_table(table: TableState) -> TableSummary:
    """Sum a table up as it stands now."""
    written = [s for s in table.cells if s.text.strip()]
    body = [s for s in written if s.cell.row >= table.header_rows]
    by_length = sorted(body, key=lambda s: (len(s.text), s.cell.row, s.cell.col))
    first_row = min(table.header_rows, max(0, table.grid.rows - 1))
    return TableSummary(
        table.grid.rows,
        table.grid.cols,
        table.header_rows,
        _row(table.cells, first_row),
        _row(table.cells, table.grid.rows - 1),
        len(table.cells) - len(written),
        sum(s.in_doubt for s in table.cells),
        sum(len(s.reading.unread) for s in table.cells if s.settled is None),
        by_length[-1] if by_length else None,
        by_length[0] if by_length else None,
    )


def _row(cells: Sequence[CellState], row: int) -> tuple[str, ...]:
    own = sorted((s for s in cells if s.cell.row == row), key=lambda s: s.cell.col)
    return tuple(" ".join(s.text.split()) for s in own)
