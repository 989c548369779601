"""How likely it is that a grid is wrong somewhere, and where first.

What is thought of pieces of writing is held against the grid that was made of them: whether pieces
next to each other are in one cell, lines in one row, and pieces in the table at all. A logistic
model, fitted by ``training.unsure``, makes one chance of these measures.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path

import msgspec
import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Direction, Grid, LineDoubt
from keel_line.rule.assembly import mean_chance
from keel_line.rule.choosing import find_cells
from keel_line.rule.pieces import WAYS
from keel_line.rule.roles import Roles
from keel_line.rule.writing import Writing

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_MODEL = Path(__file__).parent / "data" / "unsure.json"
_UP, _LEFT = WAYS.index("up"), WAYS.index("left")
_LITTLE = 0.05
_NEAR_CAPS = 4.0


@dataclass(frozen=True)
class UnsureModel:
    """Weights of the measures (see ``MEASURES``), and what these are brought to first."""

    middle: tuple[float, ...]
    scale: tuple[float, ...]
    weights: tuple[float, ...]
    bias: float


@cache
def load_unsure(path: Path = _MODEL) -> UnsureModel:
    """Load the model that travels with the program."""
    return msgspec.json.decode(path.read_bytes(), type=UnsureModel)


@dataclass(frozen=True, eq=False)
class _Pairs:
    """Pieces of a grid that are next to each other, and how likely their places are wrong."""

    lower: Ints
    wrong: Floats
    same: NDArray[np.bool_]


def doubt_grid(grid: Grid, writing: Writing, roles: Roles) -> tuple[LineDoubt, ...]:
    """Return a grid's doubts. The likeliest is raised to the chance that the grid is wrong."""
    if not grid.cells or len(writing.boxes) == 0:
        return grid.doubts
    chance = find_chance(measure_grid(grid, writing, roles))
    if max((d.chance for d in grid.doubts), default=_LITTLE) >= chance:
        return grid.doubts
    first = _find_first(grid, writing, roles)
    chosen = max((*grid.doubts, first), key=lambda d: d.chance)
    raised = LineDoubt(chosen.direction, chosen.index, chosen.why, chance)
    rest = (d for d in grid.doubts if (d.direction, d.index) != (raised.direction, raised.index))
    return tuple(sorted((*rest, raised), key=lambda d: (d.direction == "across", d.index)))


def find_chance(measures: Floats) -> float:
    """Return the chance (0 to 1) that a grid with these measures is wrong."""
    model = load_unsure()
    brought = (measures - np.array(model.middle)) / np.array(model.scale)
    odds = float(np.clip(brought, -4, 4) @ np.array(model.weights)) + model.bias
    return float(1.0 / (1.0 + np.exp(-odds)))


MEASURES = (
    "up, sum",
    "up, most",
    "left, sum",
    "left, most",
    "row, sum",
    "row, most",
    "spans, sum",
    "spans, most",
    "begins, most",
    "inside, sum",
    "inside, least",
    "beyond, most",
    "heading, unsure",
    "pieces",
    "rows",
    "columns",
    "lone rows",
    "several lines",
    "as many lines beside",
)
"""What is measured of a grid."""


def measure_grid(grid: Grid, writing: Writing, roles: Roles) -> Floats:
    """Measure how a grid fits what is thought of its pieces; see ``MEASURES``."""
    held = find_cells([grid], writing)
    own = np.flatnonzero(held >= 0)
    if len(own) == 0:
        return np.zeros(len(MEASURES))
    up, left = _pair(held, roles, _UP, roles.same_up), _pair(held, roles, _LEFT, roles.same_left)
    rows = np.array([c.row for c in grid.cells])[held[own]]
    cols = np.array([c.col for c in grid.cells])[held[own]]
    joined = _join_lines(writing, roles, own, rows)
    unsure_span = np.minimum(roles.spans[own], 1 - roles.spans[own])
    inside = roles.in_table[own]
    heading = np.minimum(roles.roles[own, 2], roles.roles[own, 3])
    lines = _count_lines(writing, held, own)
    several = {k: n for k, n in lines.items() if n > 1}
    row_of = {k: grid.cells[k].row for k in several}
    alike = sum(
        any(j != k and row_of[j] == row_of[k] and several[j] == n for j in several)
        for k, n in several.items()
    )
    filled = [len(set(cols[rows == r].tolist())) for r in np.unique(rows)]
    return np.array(
        [
            np.log1p(up.wrong.sum()),
            up.wrong.max(initial=0.0),
            np.log1p(left.wrong.sum()),
            left.wrong.max(initial=0.0),
            np.log1p(joined.sum()),
            joined.max(initial=0.0),
            np.log1p(unsure_span.sum()),
            unsure_span.max(),
            float(np.sort(roles.begins[own])[-2:][0]),
            np.log1p((1 - inside).sum()),
            1 - inside.min(),
            _look_beyond(grid, writing, roles, held),
            heading.max(),
            np.log1p(len(own)),
            np.log1p(grid.rows),
            np.log1p(grid.cols),
            sum(n == 1 for n in filled) / len(filled),
            len(several) / len(lines),
            alike / len(lines),
        ]
    )


def _pair(held: Ints, roles: Roles, way: int, same: Floats) -> _Pairs:
    other = roles.near[:, way]
    own = np.flatnonzero((held >= 0) & (other >= 0) & (held[other] >= 0))
    together = held[own] == held[other[own]]
    return _Pairs(own, np.where(together, 1 - same[own], same[own]), together)


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


def _count_lines(writing: Writing, held: Ints, own: Ints) -> dict[int, int]:
    """Return on how many text lines each written cell's pieces stand."""
    found: dict[int, set[int]] = {}
    for piece in own.tolist():
        found.setdefault(int(held[piece]), set()).add(int(writing.lines[piece]))
    return {cell: len(numbers) for cell, numbers in found.items()}


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
