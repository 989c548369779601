"""Counts of a table's cells, or of a docket's, kept up to date cell by cell."""

from __future__ import annotations

from dataclasses import dataclass, fields

from keel_line.model.table import CellState, TableState


@dataclass
class Tally:
    """Counts of the cells of a table, a page or a docket.

    Attributes
    ----------
    tables, rows, cells
        How many there are.
    flagged
        Cells that are in doubt or were before they were settled.
    open
        Doubts that are not settled yet.
    settled
        Cells that somebody settled.
    wrong
        Wrong cells to be expected among those that nobody looked at.
    lines
        Lines in doubt.
    tidied
        Tables on which steps were taken at Tidy.
    broken
        Cells that end a reckoning that does not come out.
    """

    tables: int = 0
    rows: int = 0
    cells: int = 0
    flagged: int = 0
    open: int = 0
    settled: int = 0
    wrong: float = 0.0
    lines: int = 0
    broken: int = 0
    tidied: int = 0

    def add(self, state: CellState, times: int = 1) -> None:
        """Count a cell in (1) or out (-1)."""
        self.flagged += times * state.flagged
        self.open += times * state.in_doubt
        self.settled += times * (state.settled is not None)
        self.wrong += times * state.expected_wrong
        self.broken += times * state.broken

    def add_all(self, other: Tally, times: int = 1) -> None:
        """Count in (1) or out (-1) what another tally counts."""
        for name in _COUNTS:
            setattr(self, name, getattr(self, name) + times * getattr(other, name))

    def follow(self, before: TableState, now: TableState) -> None:
        """Count again what concerns a table as a whole."""
        if (before.least_chance, before.passed) != (now.least_chance, now.passed):
            self.lines = len(now.line_doubts)
            self.wrong += now.misplaced - before.misplaced
        self.tidied += bool(now.steps) - bool(before.steps)


_COUNTS = tuple(f.name for f in fields(Tally))


def count_table(table: TableState) -> Tally:
    """Count all cells of a table."""
    tally = Tally(
        tables=1,
        rows=table.grid.rows,
        cells=len(table.cells),
        wrong=table.misplaced,
        lines=len(table.line_doubts),
        tidied=int(bool(table.steps)),
    )
    for state in table.cells:
        tally.add(state)
    return tally
