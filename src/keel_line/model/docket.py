"""What a docket says of its sources, pages and changes."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from keel_line.model.geometry import Transform
from keel_line.model.page import PageKind, Resolution

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

    Sizes are (width, height). What squaring found is only meaningful once ``progress`` is done.
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


@dataclass(frozen=True)
class ChangeRecord:
    """One entry of a docket's history: who settled which cell, from what, to what, and when.

    ``before`` is None where the cell was not settled yet; ``at`` is UTC, ISO 8601.
    """

    id: int
    at: str
    who: str
    cell_id: int
    reading: str
    before: str | None
    after: str | None
    why: str
    undone: bool
