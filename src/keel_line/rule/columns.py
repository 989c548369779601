"""Finds the boundaries between columns of tables without full rules."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import Cell, Rule
from keel_line.rule.block import Block
from keel_line.rule.streams import Stream

_SELDOM_FILLED = 0.3  # of a table's lines
_SPECK_CAPS, _STROKE_CAPS = 0.8, 0.5
_LEAST_SIGNS, _SIGN_CAPS, _BY_SIGN_CAPS, _SAME_SIGN_CAPS = 3, 1.25, 2.2, 0.1
_LEAST_ROOM_CAPS, _CLEAR_CAPS = 0.2, 0.3


def keep_clear(
    body: Block, starts: list[int], cells: list[Cell], xs: list[float], ruled: Sequence[float]
) -> list[float]:
    """Move the boundaries between columns that a long value runs over to where nothing does.

    ``starts`` are the text lines at which rows begin. Rules stay where they are drawn, and so do
    boundaries that no place between the columns' writing would suit.
    """
    spanned = {(c.row, k) for c in cells for k in range(c.col + 1, c.col + c.col_span)}
    inner = np.array(xs[1:-1])
    ends, begins = np.full(len(inner), -np.inf), np.full(len(inner), np.inf)
    for number, row in enumerate(body.rows):
        at = bisect_right(starts, number) - 1
        home = np.searchsorted(inner, (row[:, 0] + row[:, 2]) / 2)
        for k in range(len(inner)):
            if (at, k + 1) not in spanned:
                ends[k] = max(ends[k], row[home <= k, 2].max(initial=-np.inf))
                begins[k] = min(begins[k], row[home > k, 0].min(initial=np.inf))
    out = list(xs)
    for k, x in enumerate(inner.tolist()):
        room = float(begins[k] - ends[k])
        if x in ruled or room < _LEAST_ROOM_CAPS * body.cap_px or not np.isfinite(room):
            continue
        off = min(_CLEAR_CAPS * body.cap_px, room / 2)
        out[k + 1] = min(max(x, float(ends[k]) + off), float(begins[k]) - off)
    return out


def find_column_lines(
    streams: list[Stream], down: list[Rule], around: Box, cap: float
) -> list[float]:
    """Return the columns' boundaries, on a rule where one lies in the stream."""
    middle_y = (around[1] + around[3]) / 2
    at = sorted(r.at(middle_y) for r in down)
    inner = [
        next((x for x in at if s.left - 0.3 * cap <= x <= s.right + 0.3 * cap), s.middle)
        for s in streams
    ]
    # A rule down the table parts columns even where writing stands against it.
    inner += [
        x
        for x in at
        if around[0] + cap < x < around[2] - cap and all(abs(x - k) > cap for k in inner)
    ]
    left = next((x for x in at if abs(x - around[0]) < cap), around[0])
    right = next((x for x in reversed(at) if abs(x - around[2]) < cap), around[2])
    return [left, *sorted(inner), right]


def keep_signs(
    streams: list[Stream], body: Block, headings: int, words: NDArray[np.float64]
) -> list[Stream]:
    """Leave out the stream between a column of lone signs and the numbers that they belong to.

    It is no column of signs if another text stands above it in the first ``headings`` lines, or if
    a text in it has letters or figures. ``words`` are the middles of such texts, shape (n,), px.
    """
    kept = list(streams)
    edges = [-np.inf, *[s.middle for s in streams], np.inf]
    pieces = np.concatenate(body.rows)
    middles, wide = (pieces[:, 0] + pieces[:, 2]) / 2, pieces[:, 2] - pieces[:, 0]
    above = np.arange(len(pieces)) < sum(map(len, body.rows[:headings]))
    for k in range(len(edges) - 1):
        if ((words >= edges[k]) & (words < edges[k + 1])).any():
            continue
        own = (middles >= edges[k]) & (middles < edges[k + 1])
        if own.sum() < _LEAST_SIGNS or wide[own].max() > _SIGN_CAPS * body.cap_px:
            continue
        below = own & ~above
        if below.any():
            apart = np.abs(wide[own & above] - np.median(wide[below]))
            if (apart > _SAME_SIGN_CAPS * body.cap_px).any():
                continue
        beside = [streams[s] for s in (k - 1, k) if 0 <= s < len(streams) and streams[s] in kept]
        nearest = min(beside, key=lambda s: s.right - s.left, default=None)
        if nearest and nearest.right - nearest.left < _BY_SIGN_CAPS * body.cap_px:
            kept.remove(nearest)
    return kept


def drop_strays(xs: list[float], body: Block, ruled: Sequence[float]) -> list[float]:
    """Leave out boundaries beside which a column holds no writing of its own.

    Dirt from a copier can look like a column. Of such a column's two boundaries the one goes that
    the dirt is nearer to; ruled ones stay.
    """
    pieces = np.concatenate(body.rows)
    middles = (pieces[:, 0] + pieces[:, 2]) / 2
    kept = list(xs)
    col = 0
    while col < len(kept) - 1:
        may_go = [k for k in (col, col + 1) if 0 < k < len(kept) - 1 and kept[k] not in ruled]
        if not may_go or not _is_stray(body, kept[col], kept[col + 1]):
            col += 1
            continue
        own = pieces[(middles >= kept[col]) & (middles < kept[col + 1])]
        away = {k: float(np.abs(own[:, (0, 2)] - kept[k]).min(initial=np.inf)) for k in may_go}
        del kept[min(away, key=lambda k: away[k])]
    return kept


def _is_stray(body: Block, left: float, right: float) -> bool:
    """Return whether a column holds nothing but a few specks and narrow strokes."""
    seen = _seen_in(body, left, right)
    if len(seen) > _SELDOM_FILLED * len(body.rows):
        return False
    widest = max((float((own[:, 2] - own[:, 0]).max()) for own in seen.values()), default=0.0)
    return widest < _STROKE_CAPS * body.cap_px


def _seen_in(body: Block, left: float, right: float) -> dict[int, NDArray[np.float64]]:
    """Return the pieces of each line, by its number, that stand in a column and are no specks."""
    seen = {}
    for number, row in enumerate(body.rows):
        middles = (row[:, 0] + row[:, 2]) / 2
        own = row[(middles >= left) & (middles < right)]
        written = (own[:, 2:] - own[:, :2]).max(axis=1) >= _SPECK_CAPS * body.cap_px
        if written.any():
            seen[number] = own[written]
    return seen


def columns_of(row: NDArray[np.float64], xs: Sequence[float]) -> set[int]:
    """Return the columns in which a line's pieces have their middles."""
    middles = (row[:, 0] + row[:, 2]) / 2
    return set(np.searchsorted(np.array(xs[1:-1]), middles).tolist())
