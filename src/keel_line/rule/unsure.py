"""How likely it is that a grid is wrong somewhere, and where first.

What is thought of pieces of writing is held against the grid that was made of them: whether pieces
next to each other are in one cell, lines in one row, and pieces in the table at all. Then the grid
itself is looked at: its rules, the heights of its rows, what is filled, what its columns say. A
small perceptron, fitted by ``training.unsure``, makes one chance of these measures.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import DIRECTIONS, Direction, Grid, LineDoubt
from keel_line.rule.assembly import mean_chance
from keel_line.rule.choosing import find_cells
from keel_line.rule.perceptron import load_perceptron, log_odds
from keel_line.rule.pieces import WAYS
from keel_line.rule.roles import Roles
from keel_line.rule.sayings import ENDS_WITH_STOP, IS_KNOWN, SAME_KIND
from keel_line.rule.writing import Writing

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_MODEL = Path(__file__).parent / "data" / "unsure.json"
_UP, _LEFT = WAYS.index("up"), WAYS.index("left")
_LITTLE, _RARE = 0.01, 0.001
_HALF, _NEARLY_EMPTY = 0.5, 0.15
_LEAST_TEXTS, _ALIKE = 3, 0.5  # a column with fewer texts is as much alike as any
_NEAR_CAPS, _FAR_CAPS = 4.0, 4.0
_LOW_CAPS = 0.5


@dataclass(frozen=True, eq=False)
class _Pairs:
    """Pieces of a grid that are next to each other, and how likely their places are wrong."""

    lower: Ints
    upper: Ints
    wrong: Floats
    same: NDArray[np.bool_]


def doubt_grid(grid: Grid, writing: Writing, roles: Roles) -> tuple[LineDoubt, ...]:
    """Return a grid's doubts. The likeliest has the chance that the grid is wrong somewhere.

    Where that is less than was thought, all are less likely in proportion.
    """
    if not grid.cells or len(writing.boxes) == 0:
        return grid.doubts
    chance = find_chance(measure_grid(grid, writing, roles))
    most = max((d.chance for d in grid.doubts), default=0.0)
    if most >= chance:
        return tuple(replace(d, chance=d.chance * chance / most) for d in grid.doubts)
    if chance <= _LITTLE:
        return grid.doubts
    first = _find_first(grid, writing, roles)
    chosen = max((*grid.doubts, first), key=lambda d: d.chance)
    raised = replace(chosen, chance=chance)
    rest = (d for d in grid.doubts if (d.direction, d.index) != (raised.direction, raised.index))
    return tuple(sorted((*rest, raised), key=lambda d: (d.direction == "across", d.index)))


def find_chance(measures: Floats) -> float:
    """Return the chance (0 to 1) that a grid with these measures is wrong."""
    return float(load_perceptron(_MODEL).find_chances(measures[None])[0])


MEASURES = (
    "likeliest doubt",
    "doubts, sum",
    "up, sum",
    "left, sum",
    "row, sum",
    "inside, sum",
    "beyond, most",
    "pieces",
    "rows",
    "ruled boundaries",
    "sizes of letters",
    "white within rows",
    "heights of rows",
    "rows half filled",
    "columns nearly empty",
    "same kind, mean",
    "same kind, least column",
    "sentences",
    "spans, sum",
    "spans, most",
    "cells over columns",
    "cells over rows",
    "first line",
    "last line",
    "tables begin, sum",
    "narrowest white",
    "pieces over boundaries",
    "low pieces",
    "texts known",
)
"""What is measured of a grid."""


def measure_grid(grid: Grid, writing: Writing, roles: Roles) -> Floats:
    """Measure how well a grid fits its pieces' roles, and how regular it is; see ``MEASURES``."""
    held = find_cells([grid], writing)
    own = np.flatnonzero(held >= 0)
    if len(own) == 0:
        return np.zeros(len(MEASURES))
    up, left = _pair(held, roles, _UP, roles.same_up), _pair(held, roles, _LEFT, roles.same_left)
    rows = np.array([c.row for c in grid.cells])[held[own]]
    cols = np.array([c.col for c in grid.cells])[held[own]]
    joined = _join_lines(writing, roles, own, rows)
    likeliest = min(max((d.chance for d in grid.doubts), default=0.0), 1 - _RARE)
    return np.array(
        [
            np.log((likeliest + _RARE) / (1 - likeliest)),
            np.log1p(sum(d.chance for d in grid.doubts)),
            np.log1p(up.wrong.sum()),
            np.log1p(left.wrong.sum()),
            np.log1p(joined.sum()),
            np.log1p((1 - roles.in_table[own]).sum()),
            _look_beyond(grid, writing, roles, held),
            np.log1p(len(own)),
            np.log1p(grid.rows),
            *_measure_lines(grid, writing, own, up),
            *_measure_filling(grid, rows, cols),
            *_measure_texts(roles.said[own], cols),
            *_measure_spans(grid, roles, held),
            *_measure_ends(writing, roles, own),
            np.log1p(roles.begins[up.lower].sum()),
            *_measure_columns(grid, writing, held),
            float(
                (writing.boxes[own, 3] - writing.boxes[own, 1] < _LOW_CAPS * writing.cap_px).mean()
            ),
            float((roles.said[own, IS_KNOWN] > 0).mean()),
        ]
    )


def _measure_spans(grid: Grid, roles: Roles, held: Ints) -> list[float]:
    """Count the cells that span columns or rows, and measure how much the network disagrees."""
    own = np.flatnonzero(held >= 0)
    wide = np.array([c.col_span > 1 for c in grid.cells])
    wrong = np.abs(roles.spans[own] - wide[held[own]])
    high = np.array([c.row_span > 1 for c in grid.cells])
    return [
        np.log1p(wrong.sum()),
        float(wrong.max()),
        np.log1p(wide.sum()),
        np.log1p(high.sum()),
    ]


def _measure_ends(writing: Writing, roles: Roles, own: Ints) -> list[float]:
    """Return how likely the first line and the last line belong to a table, as log odds."""
    odds = log_odds(roles.in_table[own])
    lines = writing.lines[own]
    return [float(odds[lines == end].mean()) for end in (lines.min(), lines.max())]


def _measure_columns(grid: Grid, writing: Writing, held: Ints) -> list[float]:
    """Measure the narrowest gap between columns, and count the pieces that cross a boundary."""
    single = np.array([c.col_span == 1 for c in grid.cells])
    own = np.flatnonzero(held >= 0)
    own = own[single[held[own]]]
    boxes, cap = writing.boxes[own], max(writing.cap_px, 1.0)
    at = np.array([c.col for c in grid.cells])[held[own]]
    white, over = [_FAR_CAPS], 0
    for col, x in enumerate(grid.x_lines[1:-1]):
        left, right = boxes[at == col, 2], boxes[at == col + 1, 0]
        over += int((left > x).sum() + (right < x).sum())
        if len(left) and len(right):
            white.append(float(right.min() - left.max()) / cap)
    return [max(min(white), -_FAR_CAPS), float(np.log1p(over))]


def _measure_lines(grid: Grid, writing: Writing, own: Ints, up: _Pairs) -> list[float]:
    """Measure how many boundaries are ruled, and how much letters, white and row heights vary."""
    ruled = [grid.is_ruled(d, at) for d in DIRECTIONS for at in grid.lines(d)]
    boxes, cap = writing.boxes, max(writing.cap_px, 1.0)
    low, high = np.percentile(boxes[own, 3] - boxes[own, 1], (10, 90))
    within = up.lower[up.same]
    white = boxes[within, 1] - boxes[up.upper[up.same], 3]
    heights = np.maximum(np.diff(grid.y_lines), 1.0)
    return [
        float(np.mean(ruled)),
        float(np.log(max(high, 1.0) / max(low, 1.0))),
        float(np.percentile(white, 95)) / cap if len(white) else 0.0,
        float(np.log(heights).std()),
    ]


def _measure_filling(grid: Grid, rows: Ints, cols: Ints) -> list[float]:
    """Return the shares (0 to 1) of rows less than half filled, and of columns nearly empty."""
    filled = np.zeros((grid.rows, grid.cols), bool)
    filled[rows, cols] = True
    little = max(1.0, _NEARLY_EMPTY * grid.rows)
    return [
        float((filled.sum(axis=1) < _HALF * grid.cols).mean()),
        float((filled.sum(axis=0) <= little).mean()),
    ]


def _measure_texts(said: Floats, cols: Ints) -> list[float]:
    """Measure how alike the kinds of a column's texts are, and how many end with a full stop."""
    known = said[:, IS_KNOWN] > 0
    if not known.any():
        return [_ALIKE, _ALIKE, 0.0]
    alike, at = said[known][:, SAME_KIND].mean(axis=1), cols[known]
    columns = [alike[at == c] for c in np.unique(at)]
    means = [float(own.mean()) for own in columns if len(own) >= _LEAST_TEXTS]
    sentences = float(said[known, ENDS_WITH_STOP].mean())
    return [float(alike.mean()), min(means, default=_ALIKE), sentences]


def _pair(held: Ints, roles: Roles, way: int, same: Floats) -> _Pairs:
    other = roles.near[:, way]
    own = np.flatnonzero((held >= 0) & (other >= 0) & (held[other] >= 0))
    together = held[own] == held[other[own]]
    wrong = np.where(together, 1 - same[own], same[own])
    return _Pairs(own, other[own], wrong, together)


def _join_lines(writing: Writing, roles: Roles, own: Ints, rows: Ints) -> Floats:
    """Return for each text line but the first how likely its row is wrong, by its pieces."""
    out = []
    before: set[int] = set()
    for number in np.unique(writing.lines[own]).tolist():
        mine = writing.lines[own] == number
        now = set(rows[mine].tolist())
        if before:
            joins = mean_chance(roles.joins[own[mine]])
            out.append(1 - joins if before & now else joins)
        before = now
    return np.array(out)


def _look_beyond(grid: Grid, writing: Writing, roles: Roles, held: Ints) -> float:
    """Return the highest chance that a piece just outside the grid belongs to a table."""
    near = _NEAR_CAPS * writing.cap_px
    x0, y0, x1, y1 = grid.box
    boxes = writing.boxes
    close = (boxes[:, 2] > x0 - near) & (boxes[:, 0] < x1 + near)
    close &= (boxes[:, 3] > y0 - near) & (boxes[:, 1] < y1 + near) & (held < 0)
    return float(roles.in_table[close].max(initial=0.0))


def _find_first(grid: Grid, writing: Writing, roles: Roles) -> LineDoubt:
    """Return the boundary that the roles of its pieces speak against most."""
    held = find_cells([grid], writing)
    best = LineDoubt("across", 0, "Unsure where this table begins and ends", 0.0)
    ways: tuple[tuple[int, Floats, Direction], ...] = (
        (_UP, roles.same_up, "across"),
        (_LEFT, roles.same_left, "down"),
    )
    for way, same, direction in ways:
        pairs = _pair(held, roles, way, same)
        if len(pairs.lower) == 0:
            continue
        k = int(pairs.wrong.argmax())
        if pairs.wrong[k] <= best.chance:
            continue
        cell = grid.cells[held[pairs.lower[k]]]
        name, at = ("Row", cell.row) if direction == "across" else ("Column", cell.col)
        why = f"{name} {at + 1} may be two" if pairs.same[k] else _APART[direction]
        best = LineDoubt(direction, max(at, 1), why, float(pairs.wrong[k]))
    return best


_APART: dict[Direction, str] = {
    "across": "This may not be a separate row",
    "down": "This may not be a separate column",
}
