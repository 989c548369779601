"""A table: its grid and the contents of its cells."""

from __future__ import annotations

from dataclasses import dataclass, field

from keel_line.model.finding import Findings, Sums
from keel_line.model.grid import Cell, Grid, LineDoubt
from keel_line.model.reading import Reading


@dataclass(frozen=True)
class Table:
    """A table as it was found and read on a page; ``readings`` runs along ``grid.cells``."""

    grid: Grid
    readings: tuple[Reading, ...]
    header_rows: int
    caption: str = ""


@dataclass(frozen=True, slots=True)
class Settled:
    """How the clerk settled a cell.

    ``by_hand`` is true where the clerk wrote another value than the reading, ``as_printed`` where
    the clerk vouches that the paper says so although a check expects another value.
    """

    text: str
    by_hand: bool
    as_printed: bool = False


@dataclass(frozen=True, slots=True)
class CellState:
    """A cell with its reading and, where the clerk settled it, the settled value.

    ``weighed`` is the reading's confidence once the table's checks had their say, None before;
    ``broken`` says that it ends a sum, or another reckoning, that does not come out. ``recalled``
    is what it says if it was misread as a cell of its column that was corrected; else empty.
    """

    id: int
    cell: Cell
    reading: Reading
    settled: Settled | None
    flagged: bool
    weighed: float | None = None
    broken: bool = False
    recalled: str = ""

    @property
    def confidence(self) -> float:
        """Probability (0 to 1) that the reading is right, with the table's checks included."""
        return self.reading.confidence if self.weighed is None else self.weighed

    @property
    def text(self) -> str:
        """The current value: the clerk's, else the reading."""
        return self.reading.text if self.settled is None else self.settled.text

    @property
    def in_doubt(self) -> bool:
        """Whether the cell still has to be checked."""
        return self.flagged and self.settled is None

    @property
    def expected_wrong(self) -> float:
        """Chance (0 to 1) that the cell is wrong but unflagged; 0 once it is checked."""
        return 0.0 if self.flagged or self.settled is not None else 1.0 - self.confidence


LEAST_CHANCE = 0.05
"""Lines are in doubt that are wrong with this chance, where 1 wrong cell in 1,000 is tolerated."""


@dataclass(frozen=True)
class TableState:
    """A table's current state; ``cells`` in reading order.

    Cells less sure than ``least_confidence`` are flagged; lines are in doubt that are wrong with at
    least ``least_chance``; ``findings`` is what its checks say.
    ``notes`` stand under it on the paper; ``passed`` says that the clerk found its lines right;
    ``sums`` is what the clerk said of its sums; ``steps`` what was done at Tidy, encoded.
    """

    id: int
    name: str
    page_id: int
    page_number: int
    source_name: str
    grid: Grid
    header_rows: int
    caption: str
    cells: tuple[CellState, ...]
    least_confidence: float = 1.0
    findings: Findings = field(default_factory=Findings)
    notes: str = ""
    passed: bool = False
    sums: Sums = field(default_factory=Sums)
    least_chance: float = LEAST_CHANCE
    steps: str = ""

    @property
    def line_doubts(self) -> tuple[LineDoubt, ...]:
        """Lines that are still in doubt."""
        if self.passed:
            return ()
        return tuple(d for d in self.grid.doubts if d.chance >= self.least_chance)

    @property
    def misplaced(self) -> float:
        """Expected number of cells in a wrong row or column by lines that are not in doubt."""
        if self.passed:
            return 0.0
        others = [d for d in self.grid.doubts if d.chance < self.least_chance]
        return sum(d.chance * self._count_beside(d) for d in others)

    def _count_beside(self, line: LineDoubt) -> int:
        """Count the cells that end or begin at a line."""
        if line.direction == "across":
            return sum(line.index in (c.cell.row, c.cell.row + c.cell.row_span) for c in self.cells)
        return sum(line.index in (c.cell.col, c.cell.col + c.cell.col_span) for c in self.cells)

    @property
    def expected_wrong(self) -> float:
        """Expected number of wrong cells among those neither checked nor flagged.

        Those are among them that a line puts into a wrong row or column.
        """
        return sum(c.expected_wrong for c in self.cells) + self.misplaced


def column_name(table: TableState, col: int) -> str:
    """Return a column's heading (the lowest heading row's text), or its letter without one."""
    found = ""
    for state in table.cells:
        c = state.cell
        if c.row >= table.header_rows:
            break  # cells are in reading order
        if c.row < table.header_rows and c.col <= col < c.col + c.col_span and state.text:
            found = state.text.replace("\n", " ")
    return found or letters_of(col)


def letters_of(col: int) -> str:
    """Return the letters of a column without a heading, counted from 0: A to Z, AA, AB and on."""
    letters, number = "", col + 1
    while number:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return letters
