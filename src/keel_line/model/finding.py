"""What a cross-check found: which cells it speaks of, what it saw, and what it would rather see."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

Place = tuple[int, int]
"""Row and column of a cell."""

CheckKind = Literal["sum", "relation", "series", "decimals", "list", "form"]


@dataclass(frozen=True)
class Wanted:
    """A cell's value that would make a check hold."""

    place: Place
    text: str


@dataclass(frozen=True)
class Finding:
    """What one check says.

    Attributes
    ----------
    kind
        Which check it is.
    says
        What was seen and what was expected, in the clerk's words.
    places
        Cells that it speaks of.
    weight
        What it adds to the log odds that each of them is right; below 0 where it fails.
    wanted
        Values that would make it hold, each by itself.
    at
        The cell to mark: a sum's total, or the one that stands out; None where all are alike.
    holds
        Whether the table keeps to it.
    """

    kind: CheckKind
    says: str
    places: tuple[Place, ...]
    weight: float
    wanted: tuple[Wanted, ...] = ()
    at: Place | None = None
    holds: bool = False


class Findings(tuple[Finding, ...]):
    """What a table's checks say, found by cell."""

    @cached_property
    def by_place(self) -> dict[Place, list[Finding]]:
        """Return the findings that speak of each cell, in their order."""
        out: dict[Place, list[Finding]] = {}
        for finding in self:
            for place in finding.places:
                out.setdefault(place, []).append(finding)
        return out

    @cached_property
    def wanting(self) -> frozenset[Place]:
        """Return the cells in which a failing check would rather see another value."""
        return frozenset(w.place for f in self if not f.holds for w in f.wanted)
