"""The result of a cross-check: its cells, what it saw, and what it expected."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

Place = tuple[int, int]
"""Row and column of a cell."""

CheckKind = Literal["sum", "relation", "series", "decimals", "list", "form", "lines", "type"]


@dataclass(frozen=True)
class Wanted:
    """A value for a cell with which a check would pass."""

    place: Place
    text: str


@dataclass(frozen=True)
class Finding:
    """The finding of one check.

    Attributes
    ----------
    kind
        Which check it is.
    says
        What was seen and what was expected, in plain words.
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
    lasting
        Whether it keeps its cells in doubt, whatever other checks say.
    """

    kind: CheckKind
    says: str
    places: tuple[Place, ...]
    weight: float
    wanted: tuple[Wanted, ...] = ()
    at: Place | None = None
    holds: bool = False
    lasting: bool = False


@dataclass(frozen=True)
class DrawnSum:
    """A sum that the clerk drew: ``addends`` make ``total``."""

    total: Place
    addends: tuple[Place, ...]


@dataclass(frozen=True)
class Sums:
    """The clerk's sums of a table: those set, and totals that were dropped."""

    drawn: tuple[DrawnSum, ...] = ()
    dropped: tuple[Place, ...] = ()

    def draw(self, drawn: DrawnSum) -> Sums:
        """Return the sums with one added or replaced (by its total)."""
        kept = tuple(s for s in self.drawn if s.total != drawn.total)
        return Sums((*kept, drawn), tuple(p for p in self.dropped if p != drawn.total))

    def drop(self, total: Place) -> Sums:
        """Return the sums without one total."""
        kept = tuple(s for s in self.drawn if s.total != total)
        return Sums(kept, tuple(sorted({*self.dropped, total})))


class Findings(tuple[Finding, ...]):
    """All findings about a table, by cell."""

    @cached_property
    def by_place(self) -> dict[Place, list[Finding]]:
        """Return the findings about each cell, in order."""
        out: dict[Place, list[Finding]] = {}
        for finding in self:
            for place in finding.places:
                out.setdefault(place, []).append(finding)
        return out

    @cached_property
    def wanting(self) -> frozenset[Place]:
        """Return the cells for which a failed check expects another value."""
        return frozenset(w.place for f in self if not f.holds for w in f.wanted)
