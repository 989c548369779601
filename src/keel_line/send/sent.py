"""What is sent: tables of typed columns, what is said of their cells, and where they come from.

Every writer takes these, whether a table was tidied or is sent as it was read.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal, TypeAlias

import msgspec

from keel_line._shared.column_types import ColumnType

Place: TypeAlias = tuple[int, int]
"""Row and column in the texts of a table that is sent, from 0."""
InkCutter: TypeAlias = Callable[[int], bytes | None]
"""Returns the ink of a cell, by its id, as PNG; None where there is no picture."""


@dataclass(frozen=True)
class Doubt:
    """A cell that nobody checked yet: how sure its reading is (0 to 1), what else it may be."""

    sure: float
    others: tuple[str, ...]
    why: tuple[str, ...]
    cell: int = -1


@dataclass(frozen=True)
class Mark:
    """What is said of a cell: sentences, its doubt if it has one, and whether it stays text."""

    says: tuple[str, ...] = ()
    doubt: Doubt | None = None
    as_text: bool = False


@dataclass(frozen=True, eq=False)
class SentColumn:
    """A column: its name (empty for none), what its texts mean, and its texts, headings first."""

    name: str
    type: ColumnType
    texts: Sequence[str]


@dataclass(frozen=True)
class Origin:
    """Where a table comes from.

    ``area`` is its place on the page in words; ``checked`` says how many cells were checked, by
    whom and when last; ``wrong`` is how many wrong cells are expected among those nobody checked.
    """

    file: str = ""
    page: str = ""
    area: str = ""
    checked: str = ""
    wrong: float = 0.0
    reader: str = ""


@dataclass(frozen=True)
class SentSum:
    """A total of the paper that adds up, and what it is the sum of."""

    total: Place
    addends: tuple[Place, ...]


@dataclass(frozen=True)
class Above:
    """A heading of the paper above the names of columns: its first column, how many, its text."""

    first: int
    cols: int
    text: str


@dataclass(frozen=True, eq=False)
class SentTable:
    """A table as it is sent.

    Attributes
    ----------
    name
        What it is called; of sheets and files.
    columns
        From left to right; all of their texts have the same length.
    heading_rows
        How many of the texts at the top are its heading.
    caption, notes
        What stands above it and below it.
    spans
        Rows and columns of cells that cover several, by their first place.
    marks
        What is said of cells, by their place.
    sums
        Totals that add up.
    origin
        Where it comes from.
    above
        Headings of the paper over several columns, row by row, that names tell of already.
    """

    name: str
    columns: tuple[SentColumn, ...]
    heading_rows: int = 0
    caption: str = ""
    notes: str = ""
    spans: Mapping[Place, tuple[int, int]] = field(default_factory=dict)
    marks: Mapping[Place, Mark] = field(default_factory=dict)
    sums: tuple[SentSum, ...] = ()
    origin: Origin = field(default_factory=Origin)
    above: tuple[tuple[Above, ...], ...] = ()

    @property
    def rows(self) -> int:
        """Number of rows of text, without the columns' names."""
        return len(self.columns[0].texts) if self.columns else 0

    @property
    def names(self) -> list[str]:
        """The columns' names, a row above its texts; empty where none has one."""
        names = [c.name for c in self.columns]
        return names if any(names) else []

    def covered(self) -> set[Place]:
        """Return the places that a cell from elsewhere covers."""
        return {
            (row + down, col + right)
            for (row, col), (rows, cols) in self.spans.items()
            for down in range(rows)
            for right in range(cols)
            if down or right
        }


Corners: TypeAlias = tuple[tuple[float, float], ...]
"""Upper left, upper right, lower right and lower left of a box, px of the page as it came."""


@dataclass(frozen=True)
class SentWord:
    """A word and where its ink is on the page as it came."""

    text: str
    corners: Corners


@dataclass(frozen=True, eq=False)
class SentBlock:
    """A line of running text, or a table, with its words.

    ``left``, ``top``, ``right`` and ``low`` are its box (px of the squared page), ``cap_px`` the
    height of its capitals.
    """

    words: tuple[SentWord, ...]
    text: str = ""
    table: SentTable | None = None
    left: float = 0.0
    top: float = 0.0
    right: float = 0.0
    low: float = 0.0
    cap_px: float = 1.0


@dataclass(frozen=True, eq=False)
class SentPage:
    """A page as it is sent: its source's bytes, and what stands on it in the order of reading.

    ``number`` is its page in the source, from 1; ``size_px`` (width, height) and ``dpi`` (across,
    down) are those of the page as it came. ``real`` says that its source has the text already.
    """

    data: bytes
    name: str
    number: int
    size_px: tuple[int, int]
    dpi: tuple[float, float]
    real: bool
    blocks: tuple[SentBlock, ...]


class SendOptions(msgspec.Struct, frozen=True):
    """How tables are written.

    Attributes
    ----------
    marks
        Open doubts are marked, and listed.
    source
        What tables come from is told.
    ink
        Pictures of doubted cells go along.
    stacked
        All tables stand on one sheet, or in one file, below each other.
    as_text
        No value is typed: every cell is written as the paper has it.
    sums
        Totals that add up become formulas.
    separator
        What parts the values of ``.csv`` files.
    point
        The decimal sign of numbers in text files; "as printed" leaves them as they are.
    headings
        The paper's headings over several columns stand above the names of columns.
    signature
        Text files begin with the mark by which spreadsheets know UTF-8.
    """

    marks: bool = True
    source: bool = True
    ink: bool = False
    stacked: bool = False
    as_text: bool = False
    sums: bool = False
    headings: bool = False
    separator: Literal[",", ";"] = ","
    point: Literal["as printed", ".", ","] = "as printed"
    signature: bool = True
