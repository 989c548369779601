"""Finds which text lines form a row, and the boundaries between rows."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import Rule
from keel_line.rule.block import HEADING_ROWS, Block
from keel_line.rule.levels import columns_of
from keel_line.rule.writing import line_middle, line_span

_RULED_SHARE = 0.6
_JOINED = 0.82  # of the usual distance from row to row
_NEAREST = 0.9
_NEAR_CAPS = 1.6
_LETTER_CAPS, _FEET = 0.5, 30  # percentile: descenders end lower


def find_row_lines(
    body: Block,
    across: list[Rule],
    around: Box,
    xs: list[float],
    *,
    apart: bool,
    joined: Sequence[bool] | None = None,
) -> tuple[list[int], list[float]]:
    """Return the text lines at which rows begin, and the rows' boundaries.

    ``apart`` says that the first two lines are rows of their own; ``joined`` of each line but the
    first whether it goes on with the row before.
    """
    middle_x = (around[0] + around[2]) / 2
    at = sorted(r.at(middle_x) for r in across)
    tops = [float(r[:, 1].min()) for r in body.rows]
    lows = [float(r[:, 3].max()) for r in body.rows]
    middles = [line_middle(r) for r in body.rows]
    ruled = [
        next((y for y in at if middles[i] < y < middles[i + 1]), None)
        for i in range(len(middles) - 1)
    ]
    if joined is not None:
        starts, ys = [0], []
        for i, y in enumerate(ruled):
            if not joined[i]:
                starts.append(i + 1)
                ys.append(y if y is not None else (lows[i] + tops[i + 1]) / 2)
        return starts, _with_ends(ys, at, tops, lows, around, body.cap_px)
    count = sum(y is not None for y in ruled)
    by_rules = count >= 2 and count >= _RULED_SHARE * len(ruled) * 0.5 and _even(ruled, middles)
    close = _find_joined(body, xs)
    if apart and len(body.rows) > HEADING_ROWS:
        # Headings of the second level hang on to none of a full line's values.
        full = len(columns_of(body.rows[HEADING_ROWS], xs)) > (len(xs) - 1) / 2
        close[HEADING_ROWS - 1] &= not full
    starts, ys = [0], []
    for i, y in enumerate(ruled):
        if y is None and (by_rules or close[i]) and not (apart and i == 0):
            continue
        starts.append(i + 1)
        ys.append(y if y is not None else (lows[i] + tops[i + 1]) / 2)
    return starts, _with_ends(ys, at, tops, lows, around, body.cap_px)


def _with_ends(
    ys: list[float],
    at: list[float],
    tops: list[float],
    lows: list[float],
    around: Box,
    cap: float,
) -> list[float]:
    """Return the rows' boundaries with the outer ones, on a rule where one is near."""
    top = next((y for y in at if abs(y - around[1]) < _NEAR_CAPS * cap), around[1])
    low = next((y for y in reversed(at) if abs(y - around[3]) < _NEAR_CAPS * cap), around[3])
    return [min(top, tops[0]), *ys, max(low, lows[-1])]


def _even(ruled: list[float | None], middles: list[float]) -> bool:
    """Return whether rules lie between lines all the way down, not only under a heading."""
    at = [i for i, y in enumerate(ruled) if y is not None]
    longest = max(np.diff([-1, *at, len(ruled)]), default=0)
    return bool(longest <= 4 and len(middles) > 2)


def _find_joined(body: Block, xs: list[float]) -> list[bool]:
    """Return for each two neighbouring text lines whether they belong to one row.

    A line that fills few columns and stands closer to a full one than rows stand to each other is
    a part of that row: the second line of a name, or one of two lines between which the row's
    other cells are set.
    """
    filled = [columns_of(row, xs) for row in body.rows]
    most = max(len(f) for f in filled)
    full = [len(f) > most / 2 for f in filled]
    pitch = np.diff(_baselines(body))
    out = [False] * len(pitch)
    usual_pitch = [p for i, p in enumerate(pitch) if full[i] and full[i + 1]]
    if not usual_pitch:
        return out
    # Rows whose values wrap stand further apart; the nearest say how close a row may come.
    nearest = float(np.percentile(usual_pitch, 10))
    least = max(_JOINED * float(np.median(usual_pitch)), _NEAREST * nearest)
    for i, is_full in enumerate(full):
        if is_full:
            continue
        above = pitch[i - 1] if i > 0 else np.inf
        below = pitch[i] if i + 1 < len(full) else np.inf
        if min(above, below) > least:
            continue
        if above <= below:
            out[i - 1] = True
        else:
            out[i] = True
    return _with_full_lines(out, full, pitch, least)


def _baselines(body: Block) -> NDArray[np.float64]:
    """Return the height at which most letters of each line end (px).

    A line's middle moves with its accents and descenders.
    """
    tall = body.letters[body.letters[:, 3] - body.letters[:, 1] >= _LETTER_CAPS * body.cap_px]
    xs, ys = (tall[:, 0] + tall[:, 2]) / 2, (tall[:, 1] + tall[:, 3]) / 2
    out = []
    for row in body.rows:
        top, low = line_span(row)
        level = (ys >= row[:, 1].min()) & (ys <= row[:, 3].max())
        at, feet = xs[level], tall[level, 3]
        own = ((at[:, None] >= row[:, 0]) & (at[:, None] <= row[:, 2])).any(axis=1)
        if own.any():
            out.append(float(np.percentile(feet[own], _FEET)))
        else:  # as high above its foot as others end
            out.append((top + low + body.cap_px) / 2)
    return np.array(out)


def _with_full_lines(
    joined: list[bool], full: list[bool], pitch: NDArray[np.float64], least: float
) -> list[bool]:
    """Join lines that were joined with each other alone to the nearest full line."""
    out = list(joined)
    first = 0
    while first < len(full):
        last = first
        while last < len(out) and joined[last]:
            last += 1
        if last > first and not any(full[first : last + 1]):
            above = pitch[first - 1] if first > 0 else np.inf
            below = pitch[last] if last < len(pitch) else np.inf
            if min(above, below) <= least:
                out[first - 1 if above <= below else last] = True
        first = last + 1
    return out
