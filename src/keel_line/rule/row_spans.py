"""Cells that span rows in tables ruled across: a rule between two rows leaves their column out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from keel_line.model.geometry import Box
from keel_line.model.grid import Cell, Rule

_LEAST_SHARE = 0.4  # of the table's width: shorter ones underline a heading or a total
_BARE = 0.2  # of a cell's width: as much of a rule may reach into it
_NEAR_CAPS = 0.6


def find_partial(rules: Sequence[Rule], box: Box, cap: float) -> list[Rule]:
    """Find the rules across a table that leave out the columns at one of its sides.

    At least two of them begin, or end, at one place and go on to the other side: a copier breaks
    rules here and there.

    Parameters
    ----------
    rules
        Ruling lines that belong to no ruled table.
    box, cap
        The table, the ends of its longest rules among its sides, and the height of capitals (px).
    """
    x0, y0, x1, y1 = box
    slack = _NEAR_CAPS * cap
    within = [
        r
        for r in rules
        if r.direction == "across" and y0 < r.position < y1 and r.length >= _LEAST_SHARE * (x1 - x0)
    ]
    lefts = [r.end for r in within if abs(r.start - x0) <= cap < abs(r.end - x1)]
    rights = [r.start for r in within if abs(r.end - x1) <= cap < abs(r.start - x0)]
    # A copier may take away the end at the table's side, too.
    return [
        r for r in within if _is_shared(r.end, lefts, slack) or _is_shared(r.start, rights, slack)
    ]


def _is_shared(at: float, places: Sequence[float], slack: float) -> bool:
    """Return whether at least two of ``places`` are close together, one of them close to ``at``."""
    near = [p for p in places if abs(p - at) <= slack]
    return any(sum(abs(p - q) <= slack for q in places) > 1 for p in near)


def with_row_spans(
    cells: Sequence[Cell],
    written: set[tuple[int, int]],
    rules: Sequence[Rule],
    ys: Sequence[float],
    cap: float,
) -> list[Cell]:
    """Join cells above each other between which no rule is drawn, though one is beside them.

    Only where every boundary between two rows is ruled over much of the table, and where no more
    than one of the cells to be joined is written in: a rule that a copier broke joins nothing.

    Parameters
    ----------
    cells
        The table's cells.
    written
        Rows and columns of those that hold writing.
    rules
        Rules across the table or a part of it.
    ys
        Boundaries of the rows, the outer ones among them (px).
    cap
        Height of capitals (px).
    """
    drawn = [[r for r in rules if abs(r.position - y) <= _NEAR_CAPS * cap] for y in ys[1:-1]]
    first_x, last_x = min(c.box[0] for c in cells), max(c.box[2] for c in cells)
    least = _LEAST_SHARE * (last_x - first_x)
    if any(_find_cover(own, first_x, last_x) < least for own in drawn):
        return list(cells)
    single = {(c.row, c.col): c for c in cells if c.row_span == c.col_span == 1}
    out = {(c.row, c.col): c for c in cells}
    cols = max(c.col + c.col_span for c in cells)
    rows = len(ys) - 1
    for col in range(cols):
        first = 0
        while first < rows:
            last = first + 1
            while (
                last < rows
                and (last - 1, col) in single
                and (last, col) in single
                and _is_open(single[last, col], drawn[last - 1])
            ):
                last += 1
            own = [(row, col) for row in range(first, last)]
            if last - first > 1 and sum(place in written for place in own) <= 1:
                x0, _, x1, _ = single[first, col].box
                out[first, col] = replace(
                    single[first, col], row_span=last - first, box=(x0, ys[first], x1, ys[last])
                )
                for place in own[1:]:
                    del out[place]
            first = last
    return sorted(out.values(), key=lambda c: (c.row, c.col))


def _is_open(cell: Cell, rules: Sequence[Rule]) -> bool:
    """Return whether the rules at a cell's top leave the cell itself out."""
    x0, _, x1, _ = cell.box
    return _find_cover(rules, x0, x1) <= _BARE * (x1 - x0)


def _find_cover(rules: Sequence[Rule], first: float, last: float) -> float:
    """Return the total length (px) of the parts of rules between ``first`` and ``last``."""
    return sum(max(0.0, min(r.end, last) - max(r.start, first)) for r in rules)
