"""Sums that the clerk set or dropped, stored by their places on the paper.

Rows and columns change when lines are mended or a page is turned; the paper does not.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from keel_line.model.finding import DrawnSum, Place, Sums
from keel_line.model.geometry import Box, Transform
from keel_line.model.grid import Grid
from keel_line.model.table import CellState

Point = tuple[float, float]
"""A place on the page as it came (px)."""


class PaperSum(msgspec.Struct, frozen=True):
    """A sum that the clerk set: where its total and its addends lie on the paper."""

    total: Point
    addends: tuple[Point, ...]


class PaperSums(msgspec.Struct, frozen=True, tag="paper"):
    """A table's sums as they are kept."""

    drawn: tuple[PaperSum, ...] = ()
    dropped: tuple[Point, ...] = ()


def keep_sums(
    sums: Sums, cells: Sequence[CellState], transform: Transform, before: str | None
) -> str | None:
    """Return sums in their stored form; None for none at all.

    Those kept ``before`` whose total has no cell now are kept on: its line may come back.
    """
    points = {(s.cell.row, s.cell.col): _point_of(s, transform) for s in cells}
    lost = _lost(before, cells, transform)
    kept = PaperSums(
        (
            *(PaperSum(points[s.total], tuple(points[a] for a in s.addends)) for s in sums.drawn),
            *lost.drawn,
        ),
        (*(points[p] for p in sums.dropped), *lost.dropped),
    )
    return None if kept == PaperSums() else msgspec.json.encode(kept).decode()


def lay_sums(sums: Sums, grid: Grid, transform: Transform) -> str:
    """Return sums as the docket stores them, by places on the paper; ``grid`` has the cells."""
    points = {(c.row, c.col): _middle(c.box, transform) for c in grid.cells}
    drawn = (
        PaperSum(points[s.total], own)
        for s in sums.drawn
        if s.total in points and (own := tuple(points[a] for a in s.addends if a in points))
    )
    kept = PaperSums(tuple(drawn), tuple(points[p] for p in sums.dropped if p in points))
    return msgspec.json.encode(kept).decode()


def place_sums(kept: str, transform: str, cells: Sequence[CellState]) -> Sums:
    """Return stored sums by row and column, without those whose total has no cell now.

    ``transform`` is the page's, encoded.
    """
    sums = _decode(kept)
    if isinstance(sums, Sums):  # by row and column, as an earlier Keel Line kept them
        return sums
    find = _Finder(cells, msgspec.json.decode(transform, type=Transform))
    drawn = []
    for one in sums.drawn:
        total = find.place(one.total)
        addends = [p for p in map(find.place, one.addends) if p is not None and p != total]
        if total is not None and addends:
            drawn.append(DrawnSum(total, tuple(dict.fromkeys(addends))))
    dropped = {p for p in map(find.place, sums.dropped) if p is not None}
    return Sums(tuple(drawn), tuple(sorted(dropped)))


def _lost(before: str | None, cells: Sequence[CellState], transform: Transform) -> PaperSums:
    sums = None if before is None else _decode(before)
    if not isinstance(sums, PaperSums):
        return PaperSums()
    find = _Finder(cells, transform)
    return PaperSums(
        tuple(s for s in sums.drawn if find.place(s.total) is None),
        tuple(p for p in sums.dropped if find.place(p) is None),
    )


def _decode(kept: str) -> PaperSums | Sums:
    if '"type":"paper"' in kept:
        return msgspec.json.decode(kept, type=PaperSums)
    return msgspec.json.decode(kept, type=Sums)


def _point_of(state: CellState, transform: Transform) -> Point:
    """Return the middle of a cell's ink, or of the cell, on the page as it came."""
    boxes = [c.box for c in state.reading.chars] or [state.cell.box]
    box = (
        min(b[0] for b in boxes),
        min(b[1] for b in boxes),
        max(b[2] for b in boxes),
        max(b[3] for b in boxes),
    )
    return _middle(box, transform)


def _middle(box: Box, transform: Transform) -> Point:
    x, y = transform.box_on_original(box).mean(axis=0).tolist()
    return (float(x), float(y))


class _Finder:
    """Finds the cell that a place on the paper lies in now."""

    def __init__(self, cells: Sequence[CellState], transform: Transform) -> None:
        self._cells = cells
        self._transform = transform

    def place(self, point: Point) -> Place | None:
        """Return the row and column of the cell at a point of the page as it came."""
        ((x, y),) = self._transform.to_squared([point]).tolist()
        for state in self._cells:
            x0, y0, x1, y1 = state.cell.box
            if x0 <= x <= x1 and y0 <= y <= y1:
                return (state.cell.row, state.cell.col)
        return None
