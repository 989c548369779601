"""Headings of two levels: titles over groups of columns, and what heads each column below them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Cell
from keel_line.rule.writing import line_middle

_LEAST_LINES = 3
_LEVELS_APART = 1.7  # over the usual pitch of lines: a heading's levels are nearer
_MOST_LEVEL_LINES = 4
_STANDS_OFF = 1.25
_TITLE_SHARE = 0.7
_CENTRED = 0.12


@dataclass(frozen=True)
class Levels:
    """A heading of two levels: its last text line; first and after last column of each title."""

    last: int
    groups: tuple[tuple[int, int], ...]


def find_levels(
    rows: Sequence[NDArray[np.float64]], cap_px: float, xs: list[float]
) -> Levels | None:
    """Find out whether a table begins with titles over groups of its columns' headings.

    The first line's titles stand over the middle of two columns or more, whose own headings stand
    in a line below; what is written between the two lines heads the other columns.

    Parameters
    ----------
    rows
        Pieces of writing of each text line from the top down, x0, y0, x1, y1 (px), shape (n, 4).
    cap_px
        Height of capitals.
    xs
        Boundaries of the columns, the outer ones among them.
    """
    middles = [line_middle(r) for r in rows]
    if len(middles) < _LEAST_LINES:
        return None
    several = [m for m, row in zip(middles[1:], rows[1:], strict=True) if len(row) > 1]
    usual = float(np.median(np.diff(several))) if len(several) > 2 else np.inf
    titles = rows[0]
    stands_off = middles[1] - middles[0] > _STANDS_OFF * usual
    if stands_off and len(titles) == 1 and titles[0, 0] <= xs[0] + cap_px:
        return None  # the table's own title, set flush with its left side
    for last in range(min(_MOST_LEVEL_LINES, len(middles)) - 1, 0, -1):
        if middles[last] - middles[0] > _LEVELS_APART * max(usual, 1.4 * cap_px):
            continue
        groups = _match_levels(titles, rows[1:last], rows[last], xs)
        if groups:
            return Levels(last, groups)
    return None


def _match_levels(
    titles: NDArray[np.float64],
    between: Sequence[NDArray[np.float64]],
    below: NDArray[np.float64],
    xs: list[float],
) -> tuple[tuple[int, int], ...]:
    """Return the columns that each title of a heading's first line spans; none where it is none."""
    under = columns_of(below, xs)
    beside: set[int] = set()
    for row in between:
        beside |= columns_of(row, xs)
    cols = len(xs) - 1
    if beside & under or (between and len(beside | under) < cols - 1):
        return ()
    groups: list[tuple[int, int]] = []
    single: set[int] = set()
    for title in titles:
        own = title[None, :]
        at = min(columns_of(own, xs))
        spanned = spanned_below(float(title[0]), float(title[2]), titles, below, xs)
        group = (spanned[0], spanned[-1] + 2) if spanned else (at, at + 1)
        run = _run_of(under, at, xs, titles)
        if between and run is not None:
            group = run
        if group[1] - group[0] < 2:
            single.add(at)
        else:
            groups.append(group)
    covered = [c for a, b in groups for c in range(a, b)]
    whole = len(covered) >= cols  # the table's own title
    twice = len(set(covered)) < len(covered) or bool(set(covered) & (single | beside))
    if not groups or whole or twice or not set(covered) <= under:
        return ()
    if not between and (single & under or len(single | under) < cols):
        return ()
    if not between and any(
        t[2] - t[0] > _TITLE_SHARE * (xs[b] - xs[a])
        for t in titles
        for a, b in groups
        if xs[a] <= (t[0] + t[2]) / 2 < xs[b]
    ):  # as wide as all of them: the table's own title
        return ()
    return tuple(groups)


def _run_of(
    under: set[int], at: int, xs: list[float], titles: NDArray[np.float64]
) -> tuple[int, int] | None:
    """Return the run of columns in ``under`` about column ``at``, if one title stands over it."""
    if at not in under:
        return None
    first, last = at, at + 1
    while first - 1 in under:
        first -= 1
    while last in under:
        last += 1
    over = sum(1 for t in titles if xs[first] <= (t[0] + t[2]) / 2 < xs[last])
    return (first, last) if over == 1 else None


def with_levels(cells: list[Cell], levels: Levels, xs: list[float], ys: list[float]) -> list[Cell]:
    """Set the cells of a heading of two levels: titles span columns, other headings both rows."""
    covered = {c for a, b in levels.groups for c in range(a, b)}
    heads = [Cell(0, a, 1, b - a, (xs[a], ys[0], xs[b], ys[1])) for a, b in levels.groups]
    for col in range(len(xs) - 1):
        if col in covered:
            heads.append(Cell(1, col, 1, 1, (xs[col], ys[1], xs[col + 1], ys[2])))
        else:
            heads.append(Cell(0, col, 2, 1, (xs[col], ys[0], xs[col + 1], ys[2])))
    heads.sort(key=lambda c: (c.row, c.col))
    return [*heads, *(c for c in cells if c.row > 1)]


def columns_of(row: NDArray[np.float64], xs: list[float]) -> set[int]:
    """Return the columns in which a line's pieces have their middles."""
    inner = np.array(xs[1:-1])
    return {int(np.searchsorted(inner, (b[0] + b[2]) / 2)) for b in row}


def spanned_below(
    x0: float, x1: float, pieces: NDArray[np.float64], below: NDArray[np.float64], xs: list[float]
) -> list[int]:
    """Return the inner boundaries that a title at x0 to x1 spans, by what stands under it."""
    inner = np.array(xs[1:-1])
    own = sorted(columns_of(pieces, xs))
    at = int(np.searchsorted(inner, (x0 + x1) / 2))
    left = max((c for c in own if c < at), default=-1) + 1
    right = min((c for c in own if c > at), default=len(xs) - 1)
    best: tuple[float, list[int]] = (_CENTRED, [])
    for a in range(left, at + 1):
        for b in range(max(a + 2, at + 1), right + 1):
            under = [p for p in below if a <= int(np.searchsorted(inner, (p[0] + p[2]) / 2)) < b]
            if len(under) < b - a:
                continue
            low, high = min(p[0] for p in under), max(p[2] for p in under)
            alone = min(abs((x0 + x1) - (p[0] + p[2])) for p in under) / 2
            off = abs((x0 + x1) - (low + high)) / 2
            if off < alone / 3 and off / (high - low) < best[0]:
                best = (off / (high - low), list(range(a, b - 1)))
    return best[1]
