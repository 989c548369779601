"""A table's counts, kept up to date cell by cell."""

from __future__ import annotations

from dataclasses import dataclass

from keel_line.model.table import CellState, TableState


@dataclass
class Tally:
    """Counts of a table's cells.

    Attributes
    ----------
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
    """

    flagged: int = 0
    open: int = 0
    settled: int = 0
    wrong: float = 0.0
    lines: int = 0

    def add(self, state: CellState, times: int = 1) -> None:
        """Count a cell in (1) or out (-1)."""
        self.flagged += times * state.flagged
        self.open += times * state.in_doubt
        self.settled += times * (state.settled is not None)
        self.wrong += times * state.expected_wrong

    def follow(self, before: TableState, now: TableState) -> None:
        """Count a table's lines anew where they may be in doubt otherwise than before."""
        if (before.least_chance, before.passed) != (now.least_chance, now.passed):
            self.lines = len(now.line_doubts)
            self.wrong += now.misplaced - before.misplaced


def count_table(table: TableState) -> Tally:
    """Count all cells of a table."""
    tally = Tally(wrong=table.misplaced, lines=len(table.line_doubts))
    for state in table.cells:
        tally.add(state)
    return tally
