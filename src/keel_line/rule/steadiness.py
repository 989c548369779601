"""Finds grid lines that depend on the assumed letter size.

All limits of the finder of tables without full rules go by the height of capitals. A boundary that
comes or goes when that height is taken for another stands on a hair: white space barely wide
enough, or a row barely far enough from the next. (The stability of what is found under small
changes as a measure of trust: compare Lange and others, "Stability-based validation of clustering
solutions", Neural Computation 2004.)
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import overlap
from keel_line.model.grid import DIRECTIONS, Direction, Grid, LineDoubt, Rule
from keel_line.rule.alignment import find_aligned
from keel_line.rule.writing import Writing

_SCALES = (0.8, 0.9, 1.11)
_MOSTLY = 0.8  # of the area of both
_FEW = 0.25  # of the rows
_BARELY: dict[Direction, str] = {
    "down": "Only a narrow gap separates these columns",
    "across": "This may not be a separate row",
}
_NEARLY: dict[Direction, str] = {
    "down": "Column {} may be two: a narrow gap runs down it",
    "across": "Row {} may be two",
}


def find_unstable(grid: Grid, writing: Writing, rules: Sequence[Rule]) -> list[LineDoubt]:
    """Find the grid lines that change with other letter sizes.

    Parameters
    ----------
    grid
        A grid as it was found.
    writing
        The writing in it and no other, in px of the same page.
    rules
        Ruling lines around it.

    Returns
    -------
    list of LineDoubt
        None where rules part all rows and all columns.
    """
    if len(writing.boxes) == 0 or all(
        grid.is_ruled(way, at) for way in DIRECTIONS for at in grid.lines(way)[1:-1]
    ):
        return []
    out: list[LineDoubt] = []
    for scale in _SCALES:
        others = find_aligned(replace(writing, cap_px=scale * writing.cap_px), rules)
        other = max(others, key=lambda g: overlap(g.box, grid.box), default=None)
        if other is None or overlap(other.box, grid.box) < _MOSTLY:
            out.append(LineDoubt("across", 0, "Unsure where this table begins and ends"))
            continue
        for way in DIRECTIONS:
            out += _compare(grid, other, way, writing.boxes)
    return out


def _compare(
    grid: Grid, other: Grid, way: Direction, boxes: NDArray[np.float64]
) -> list[LineDoubt]:
    """Doubt the boundaries of one direction that only one of two grids has."""
    ours, theirs = grid.lines(way)[1:-1], other.lines(way)[1:-1]
    if len(ours) == len(theirs):
        return []
    axis = 0 if way == "down" else 1
    middles = np.sort((boxes[:, axis] + boxes[:, axis + 2]) / 2)
    few = max(1.0, _FEW * grid.rows) if way == "down" else 1.0
    own, foreign = (np.searchsorted(middles, np.array(lines)) for lines in (ours, theirs))
    out = [
        LineDoubt(way, k, _BARELY[way])
        for k, place in enumerate(own, 1)
        if np.abs(foreign - place).min(initial=len(middles)) >= few
    ]
    for place, at in zip(foreign, theirs, strict=True):
        if np.abs(own - place).min(initial=len(middles)) >= few:
            k = int(np.searchsorted(ours, at))
            out.append(LineDoubt(way, max(k, 1) if ours else 0, _NEARLY[way].format(k + 1)))
    return out
