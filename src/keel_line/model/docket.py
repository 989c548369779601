"""What a docket says of its sources, pages and changes."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal, TypeAlias

from keel_line.model.geometry import Box, Transform
from keel_line.model.grid import DrawnTables
from keel_line.model.page import Corners, PageKind, Resolution, SquareChoice, Verdict
from keel_line.model.reason import Reason

Progress = Literal["waiting", "done", "failed"]


@dataclass(frozen=True)
class SourceState:
    """A source in the docket; ``trouble`` says why it could not be used, empty if it could."""

    id: int
    name: str
    sha256: str
    pages: int
    trouble: str = ""


@dataclass(frozen=True)
class PageState:
    """A page in the docket.

    Sizes are (width, height). What squaring found is only meaningful once ``progress`` is done;
    ``choice`` is what the clerk set for it, ``passed`` whether the clerk found it to lie right;
    ``straight_px`` is set where a bend was taken out, ``note`` is what a fax machine printed on it;
    ``drawn`` are its tables where the clerk mended them, None where they are as found;
    ``rejected_areas`` are the boxes (px of the squared page) around writing that was taken for no
    table. ``parted_at`` is the column (px as it came) at which two pages in its picture part;
    ``extracted`` says that the page is a table that was taken out of another page.
    """

    id: int
    source_id: int
    source_name: str
    number: int
    progress: Progress
    trouble: str = ""
    kind: PageKind = "scan"
    size_px: tuple[int, int] = (0, 0)
    resolution: Resolution = field(default_factory=lambda: Resolution(300, 300))
    squared_size_px: tuple[int, int] = (0, 0)
    dpi: float = 300.0
    transform: Transform = field(default_factory=Transform)
    angle_deg: float = 0.0
    unsure: str = ""
    tables: int = 0
    turns: int = 0
    corners: Corners = ()
    verdict: Verdict = field(default_factory=Verdict)
    choice: SquareChoice = field(default_factory=SquareChoice)
    passed: bool = False
    straight_px: float | None = None
    note: str = ""
    drawn: DrawnTables | None = None
    rejected_areas: tuple[Box, ...] = ()
    parted_at: float | None = None
    extracted: bool = False

    @property
    def needs_review(self) -> bool:
        """Whether the page may be badly squared or hard to read, and is not approved yet."""
        doubtful = bool(self.unsure) or self.verdict.outlook == "poor"
        return self.progress == "done" and doubtful and not self.passed


@dataclass(frozen=True)
class Step:
    """What an undo or redo affected: cells, tables, or pages that have to be read again.

    ``station`` is where such pages were changed.
    """

    cell_ids: tuple[int, ...] = ()
    table_ids: tuple[int, ...] = ()
    page_ids: tuple[int, ...] = ()
    station: Literal["square", "rule"] = "square"


@dataclass(frozen=True)
class Carried:
    """What happened to a page's settled cells when it was read again.

    ``strays`` are the texts of those that found no cell in their place.
    """

    kept: int = 0
    strays: tuple[str, ...] = ()


Kind: TypeAlias = Literal[
    "settle", "choice", "drawn", "name", "header_rows", "passed", "sums", "steps"
]
"""What was done: a cell settled, a page's choice or drawn tables set, or something of a table."""


@dataclass(frozen=True)
class ChangeRecord:
    """One entry of a docket's history: who did what to which cell, table or page, and when.

    Attributes
    ----------
    id
        Its number; later ones are greater.
    at
        UTC, ISO 8601.
    who
        Who did it.
    kind, subject
        What was done, and to which cell, table or page.
    reading
        A cell's reading; empty for others.
    before, after
        A cell's text, None where it is not settled; a table's name or number of heading rows, None
        as found. None for others.
    reason
        Why.
    undone
        Whether it was undone.
    page
        The source and the page number of a table or page; of a cell only where it has no place any
        more. None where the docket knows it no longer.
    """

    id: int
    at: str
    who: str
    kind: Kind
    subject: int
    reading: str
    before: str | None
    after: str | None
    reason: Reason
    undone: bool
    page: tuple[str, int] | None = None
