"""Chooses between grids that rules draw and those that roles show; parts cells of the first.

A frame with one rule under the heading makes two cells, the second with every row in it; where a
copier lost a piece of a rule, two cells become one. What tells is whether pieces of writing next to
each other are thought to stand in one cell.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Cell, Grid
from keel_line.rule.mend import add_line
from keel_line.rule.pieces import WAYS
from keel_line.rule.roles import Roles
from keel_line.rule.writing import Writing, line_middle

Ints = NDArray[np.int64]
_UP, _LEFT = WAYS.index("up"), WAYS.index("left")
_SURE = 0.02
_RULED_BONUS = 2.0
_CELL_BONUS, _MOSTLY_FILLED = 2.0, 0.6
_LEAST_EVIDENCE = 1.0
_MOST_ALIKE, _MOSTLY_WRAPPED, _NEAREST = 0.5, 0.7, 0.85
_LEAST_PIECES = 2
_SLACK = 0.25
_MOST_BLANK = 60
_TALL_ROWS = 3


def is_no_table(grid: Grid, writing: Writing, roles: Roles) -> bool:
    """Return whether rules that cross are no table: squared paper, a drawing, a puzzle, a note.

    Without writing it is one row, one column, or many cells; else its writing is plainly thought to
    be outside all tables. Where no cells are joined and most are written in, each of these speaks
    for a table.
    """
    held = find_cells([grid], writing)
    own = held >= 0
    if not own.any():
        return min(grid.rows, grid.cols) == 1 or len(grid.cells) > _MOST_BLANK
    gain = _score([], writing, roles, own) - _score([grid], writing, roles, own)
    filled = len(np.unique(held[own]))
    plain = min(grid.rows, grid.cols) > 1 and len(grid.cells) == grid.rows * grid.cols
    bonus = _CELL_BONUS * filled if plain and filled >= _MOSTLY_FILLED * len(grid.cells) else 0.0
    return gain > _RULED_BONUS + bonus


def choose_ruled(
    ruled: Sequence[Grid], shown: Sequence[Grid], writing: Writing, roles: Roles
) -> list[Grid]:
    """Return the ruled grids that fit the page's writing at least as well as what roles show.

    Grids that lie over each other are chosen together: all ruled ones of a place, or none.
    """
    held = [find_cells([g], writing) >= 0 for g in (*ruled, *shown)]
    places = _group_overlapping(held)
    out: list[Grid] = []
    for place in places:
        drawn = [ruled[k] for k in place if k < len(ruled)]
        others = [shown[k - len(ruled)] for k in place if k >= len(ruled)]
        within = np.any([held[k] for k in place], axis=0)
        free = _merged_over_rows(drawn, writing, roles)
        gain = _score(others, writing, roles, within, free)
        gain -= _score(drawn, writing, roles, within, free)
        wrapped = bool(drawn) and all(_wraps(g, writing) for g in drawn)
        if drawn and (not others or wrapped or gain <= _RULED_BONUS):
            out += drawn
    return out


def _merged_over_rows(grids: Sequence[Grid], writing: Writing, roles: Roles) -> NDArray[np.bool_]:
    """Return which pieces stand below another in one cell that rules merge over 3 rows or more.

    Nothing is held against such a cell: its text may wrap at the heights of the rows beside it.
    """
    held, up = find_cells(grids, writing), roles.near[:, _UP]
    tall = np.array([c.row_span >= _TALL_ROWS for g in grids for c in g.cells] + [False])
    out: NDArray[np.bool_] = (held >= 0) & tall[held] & (up >= 0) & (held[up] == held)
    return out


def _wraps(grid: Grid, writing: Writing) -> bool:
    """Return whether text wraps in most of a grid's rows: its cells hold unequal numbers of lines.

    A single row like that may be several rows that no rule parts.
    """
    held = find_cells([grid], writing)
    ends: dict[int, list[int]] = {}
    for number, cell in enumerate(grid.cells):
        own = np.unique(writing.lines[held == number])
        if len(own) > 1 and cell.row_span == 1:
            if int(own[-1] - own[0]) >= len(own):
                return False
            ends.setdefault(cell.row, []).append(int(own[-1]))
    others = sum(len(e) - 1 for e in ends.values())
    alike = sum(e.count(max(e)) - 1 for e in ends.values())
    most = len(ends) >= max(2.0, _MOSTLY_WRAPPED * grid.rows)
    return most and others > 0 and alike < _MOST_ALIKE * others


def _group_overlapping(held: Sequence[NDArray[np.bool_]]) -> list[list[int]]:
    """Return the numbers of sets of pieces, together where they share any."""
    groups: list[tuple[list[int], NDArray[np.bool_]]] = []
    for number, own in enumerate(held):
        numbers, all_own = [number], own
        apart = []
        for others, pieces in groups:
            if (pieces & all_own).any():
                numbers, all_own = [*others, *numbers], pieces | all_own
            else:
                apart.append((others, pieces))
        groups = [*apart, (numbers, all_own)]
    return [numbers for numbers, _ in groups]


def _score(
    grids: Sequence[Grid],
    writing: Writing,
    roles: Roles,
    within: NDArray[np.bool_],
    free: NDArray[np.bool_] | None = None,
) -> float:
    """Return the log likelihood of pieces' places in grids, of the pieces ``within`` alone.

    Whether those that are ``free`` stand with the piece above is left out.
    """
    held = find_cells(grids, writing)
    total = float(_log_chance(roles.in_table, held >= 0)[within].sum())
    for way, chance in ((_UP, roles.same_up), (_LEFT, roles.same_left)):
        other = roles.near[:, way]
        both = within & (held >= 0) & (other >= 0) & (held[other] >= 0)
        if free is not None and way == _UP:
            both &= ~free
        total += float(_log_chance(chance, held == held[other])[both].sum())
    return total


def _log_chance(chance: NDArray[np.float64], so: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Return the logarithm of the chance that something is so, or is not so."""
    kept = np.clip(chance, _SURE, 1 - _SURE)
    out: NDArray[np.float64] = np.log(np.where(so, kept, 1 - kept))
    return out


def part_cells(grid: Grid, writing: Writing, roles: Roles) -> Grid:
    """Part a ruled grid's cells that hold several rows, and joined ones that hold several cells."""
    return _part_rows(_part_joined(grid, writing, roles), writing, roles)


def _part_rows(grid: Grid, writing: Writing, roles: Roles) -> Grid:
    """Part a ruled grid's rows between lines of which no cell holds both, by what is thought.

    The lines stand as far apart as rows do: otherwise text wraps.
    """
    if _wraps(grid, writing):
        return grid
    held = find_cells([grid], writing)
    single = np.array([c.row_span == 1 for c in grid.cells])
    up = roles.near[:, _UP]
    inside = (held >= 0) & (up >= 0) & (held[up] == held)
    inside[inside] = single[held[inside]]
    cuts = []
    against = np.log(np.clip(1 - roles.same_up, _SURE, 1)) - np.log(
        np.clip(roles.same_up, _SURE, 1)
    )
    row_of = np.array([c.row for c in grid.cells])
    pitch = _usual_pitch(writing, held)
    for number in np.unique(writing.lines[inside]).tolist():
        line = np.flatnonzero((writing.lines == number) & inside)
        for row in np.unique(row_of[held[line]]).tolist():
            own = line[row_of[held[line]] == row]
            if len(own) >= _LEAST_PIECES and float(against[own].sum()) > _LEAST_EVIDENCE:
                low = float(writing.boxes[up[own], 3].max())
                top = float(writing.boxes[own, 1].min())
                apart = line_middle(writing.boxes[own]) - line_middle(writing.boxes[up[own]])
                if low < top and apart >= _NEAREST * pitch:
                    cuts.append((low + top) / 2)
    for cut in cuts:
        grid = add_line(grid, "across", cut)
    return grid


def _usual_pitch(writing: Writing, held: Ints) -> float:
    """Return how far (px) lines stand below those that they share no cell with; 0 if none do."""
    own = held >= 0
    numbers = np.unique(writing.lines[own]).tolist()
    middles = [line_middle(writing.boxes[own & (writing.lines == n)]) for n in numbers]
    cells = [set(held[own & (writing.lines == n)].tolist()) for n in numbers]
    steps = [
        b - a
        for (a, b), (upper, lower) in zip(pairwise(middles), pairwise(cells), strict=True)
        if not upper & lower
    ]
    return float(np.median(steps)) if steps else 0.0


def _part_joined(grid: Grid, writing: Writing, roles: Roles) -> Grid:
    """Part a ruled grid's joined cells whose writing stands in several of its places.

    Along columns where no piece lies over a boundary; along rows where lines are kept apart.
    """
    if all(c.row_span == c.col_span == 1 for c in grid.cells):
        return grid
    held = find_cells([grid], writing)
    out: list[Cell] = []
    for number, cell in enumerate(grid.cells):
        own = np.flatnonzero(held == number)
        if cell.row_span == cell.col_span == 1 or len(own) < _LEAST_PIECES:
            out.append(cell)
            continue
        boxes = writing.boxes[own]
        xs = grid.x_lines[cell.col : cell.col + cell.col_span + 1]
        ys = grid.y_lines[cell.row : cell.row + cell.row_span + 1]
        wide = _count_places(boxes[:, 0], boxes[:, 2], xs[1:-1]) > 1 and _are_apart(
            own, roles.near[:, _LEFT], roles.same_left
        )
        places = _count_places(boxes[:, 1], boxes[:, 3], ys[1:-1])
        # Rules leave out one boundary by a fault, not several; text that wraps fills not all rows.
        merged = cell.row_span >= _TALL_ROWS and places < cell.row_span
        high = places > 1 and not merged and _are_apart(own, roles.near[:, _UP], roles.same_up)
        high = high and _stand_level(own, ys, held, grid, writing)
        out += _part(cell, xs if wide else (xs[0], xs[-1]), ys if high else (ys[0], ys[-1]))
    return replace(grid, cells=tuple(sorted(out, key=lambda c: (c.row, c.col))))


def _stand_level(own: Ints, ys: Sequence[float], held: Ints, grid: Grid, writing: Writing) -> bool:
    """Return whether a cell's pieces stand level with some beside them, in each of its rows.

    Text that wraps in a joined cell does not. ``ys`` are the boundaries of its rows.
    """
    single = np.array([c.row_span == 1 for c in grid.cells] + [False])[held]
    middles = (writing.boxes[:, 1] + writing.boxes[:, 3]) / 2
    for top, low in pairwise(ys):
        within = (middles >= top) & (middles <= low)
        beside = writing.lines[within & single]
        inside = writing.lines[own[within[own]]]
        if len(beside) and len(inside) and not np.isin(inside, beside).any():
            return False
    return True


def _are_apart(own: Ints, near: Ints, same: NDArray[np.float64]) -> bool:
    """Return whether the pieces of a cell that are next to each other are thought to be apart."""
    inner = own[np.isin(near[own], own)]
    return bool(
        len(inner) == 0
        or _log_chance(same, np.zeros(len(same), bool))[inner].sum()
        > _log_chance(same, np.ones(len(same), bool))[inner].sum()
    )


def _count_places(
    first: NDArray[np.float64], last: NDArray[np.float64], inner: Sequence[float]
) -> int:
    """Count the gaps between boundaries that hold pieces; 1 if a piece crosses a boundary."""
    at = np.array(inner)
    slack = _SLACK * (last - first)
    low, high = np.searchsorted(at, first + slack), np.searchsorted(at, last - slack)
    return 1 if (low != high).any() else len(np.unique(low))


def _part(cell: Cell, xs: Sequence[float], ys: Sequence[float]) -> list[Cell]:
    """Return a cell parted at the boundaries ``xs`` and ``ys``, its own outer ones among them."""
    if len(xs) == len(ys) == 2:
        return [cell]
    x0, y0, x1, y1 = cell.box
    across = list(pairwise([x0, *xs[1:-1], x1]))
    down = list(pairwise([y0, *ys[1:-1], y1]))
    high = 1 if len(down) > 1 else cell.row_span
    wide = 1 if len(across) > 1 else cell.col_span
    return [
        Cell(cell.row + r, cell.col + c, high, wide, (left, top, right, low))
        for r, (top, low) in enumerate(down)
        for c, (left, right) in enumerate(across)
    ]


def find_cells(grids: Sequence[Grid], writing: Writing) -> Ints:
    """Return the number of the cell that each piece has its middle in, -1 for none.

    Cells are counted through all grids.
    """
    middles = (writing.boxes[:, :2] + writing.boxes[:, 2:]) / 2
    out = np.full(len(middles), -1, np.int64)
    cells = [c for g in grids for c in g.cells]
    for k, cell in enumerate(cells):
        out[((middles >= cell.box[:2]) & (middles <= cell.box[2:])).all(axis=1)] = k
    return out
