"""Tables that stand beside each other: a gutter of white runs down between two sets of lines."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Rule
from keel_line.rule.parting import find_gaps
from keel_line.rule.writing import line_middle, lines_of

_GUTTER_CAPS, _WIDE, _CLEAR_CAPS = 3.0, 0.8, 4.0
_AS_MANY = 0.8
_LEAST_LINES = 3
_IN_LINE_CAPS = 0.25
_SELDOM_IN_LINE = 0.5
_LEAST_LEFT_OVER = 2
_SEVERAL, _DENSE, _FULLER = 0.5, 0.6, 75
_LEAST_RULES = 2

Lines = tuple[NDArray[np.float64], ...]


def part_beside(
    rows: Sequence[NDArray[np.float64]], rules: Sequence[Rule], cap: float
) -> list[Lines]:
    """Part text lines at gutters on whose two sides different tables stand.

    Both sides have several columns. Their lines are not level with each other, or one side goes on
    for two lines or more where the other has ended, or rules across end at the gutter; no rule runs
    over it.

    Parameters
    ----------
    rows
        Pieces of writing of each text line, x0, y0, x1, y1 (px), shape (n, 4).
    rules
        Ruling lines.
    cap
        Height of capitals (px).

    Returns
    -------
    list of tuples
        The lines of each part, from the left to the right; one where nothing is parted.
    """
    top, low = float(rows[0][:, 1].min()) - cap, float(rows[-1][:, 3].max()) + cap
    across = [r for r in rules if r.direction == "across" and top < r.position < low]
    pieces = np.concatenate(list(rows))
    gaps = find_gaps(pieces, _GUTTER_CAPS * cap)
    widest = max((b - a for a, b in gaps), default=0.0)
    best: tuple[tuple[float, float], tuple[Lines, Lines]] | None = None
    for left, right in gaps:
        middle = (left + right) / 2
        # Pieces that were level with the other side's lines find lines of their own.
        on_left = pieces[:, 2] < middle
        sides = (lines_of(pieces[on_left], cap), lines_of(pieces[~on_left], cap))
        if any(r.start < left and r.end > right for r in across):
            continue
        if not all(_is_columned(side) for side in sides):
            continue
        ends = [e for r in across for e in (r.start, r.end) if left - cap < e < right + cap]
        # Where columns stand as far from each other as the tables do, white alone says little.
        is_clear = right - left >= _WIDE * widest or (
            right - left >= _CLEAR_CAPS * cap
            and all(_is_dense(side) for side in sides)
            and _are_both_filled(sides, cap)
        )
        if len(ends) >= _LEAST_RULES or (
            is_clear and (_are_level_seldom(sides, cap) or _one_goes_on(sides, cap))
        ):
            # A gutter that cuts through one of the tables leaves lines that end on its other side.
            good = (min(_density(side) for side in sides), right - left)
            if best is None or good > best[0]:
                best = (good, sides)
    if best is None:
        return [tuple(rows)]
    return [part for side in best[1] for part in part_beside(side, rules, cap)]


def _is_columned(side: Lines) -> bool:
    """Return whether most of a side's lines have several pieces."""
    return len(side) >= _LEAST_LINES and float(np.mean([len(r) > 1 for r in side])) >= _SEVERAL


def _are_level_seldom(sides: Sequence[Lines], cap: float) -> bool:
    """Return whether most lines of either side are level with none of the other's."""
    first, second = (np.array([line_middle(row) for row in side]) for side in sides)
    level = np.abs(first[:, None] - second[None, :]) <= _IN_LINE_CAPS * cap
    return max(float(level.any(axis=1).mean()), float(level.any(axis=0).mean())) < _SELDOM_IN_LINE


def _one_goes_on(sides: Sequence[Lines], cap: float) -> bool:
    """Return whether one side has lines of several pieces above or below all of the other's."""
    tops, lows = [], []
    for side in sides:
        middles = [line_middle(row) for row in side]
        tops.append(min(middles) - cap)
        lows.append(max(middles) + cap)
    for own, other in ((0, 1), (1, 0)):
        middles = [line_middle(row) for row in sides[own] if len(row) > 1]
        above, below = sum(m < tops[other] for m in middles), sum(m > lows[other] for m in middles)
        if max(above, below) >= _LEAST_LEFT_OVER and _is_dense(sides[other]):
            return True
    return False


def _are_both_filled(sides: Sequence[Lines], cap: float) -> bool:
    """Tell whether, as far down as both sides go, one has as many lines as the other, or nearly."""
    middles = [np.array([line_middle(row) for row in side]) for side in sides]
    top, low = max(m.min() for m in middles) - cap, min(m.max() for m in middles) + cap
    counts = [int(((m >= top) & (m <= low)).sum()) for m in middles]
    return min(counts) >= _AS_MANY * max(counts)


def _is_dense(side: Lines) -> bool:
    """Return whether most lines of a side have as many pieces as its fullest: it is no leftover."""
    return _density(side) >= _DENSE


def _density(side: Lines) -> float:
    """Return the share of a side's lines that have as many pieces as the fuller quarter of them."""
    counts = np.array([len(row) for row in side])
    return float((counts >= np.percentile(counts, _FULLER, method="lower")).mean())
