"""White streams that run down a table between its columns: those that are best for it as a whole.

Each two pieces next to each other on a line say how likely they stand in two cells; a rule down
speaks for a boundary, pieces that lie over it against it. The best set of boundaries is found by
dynamic programming from left to right.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_STEP_CAPS = 0.25
_MOST_ODDS = 4.0
_LEAST_CHANCE = 1e-4
# In log odds: of any boundary, of one on a rule, and for each piece that lies over it, or just
# reaches over it.
_ANY, _RULED, _OVER, _TOUCHED = -2.0, 4.0, -2.0, -0.05
_OVER_CAPS = 0.3  # so far a piece reaches over before it counts


@dataclass(frozen=True)
class Stream:
    """White between two columns (px); ``middle`` is where their boundary lies."""

    left: float
    right: float
    middle: float


def find_streams(
    rows: Sequence[Floats],
    spans: Sequence[NDArray[np.bool_]],
    same: Sequence[Floats],
    ruled: Sequence[float],
    cap_px: float,
) -> list[Stream]:
    """Find the streams between the columns of a table.

    Parameters
    ----------
    rows, spans, same
        Of each line, its pieces from the left, shape (n, 4), which of them span columns, and the
        chance (0 to 1) of each that it stands in one cell with the piece left of it.
    ruled
        Where rules run down the table (px).
    cap_px
        Height of capitals.
    """
    pairs = _find_pairs(rows, spans, same)
    if not len(pairs):
        return []
    pieces = np.concatenate([r[~s] for r, s in zip(rows, spans, strict=True)])
    step = _STEP_CAPS * cap_px
    places = np.arange(pieces[:, 0].min(), pieces[:, 2].max() + step, step)
    edge = _OVER_CAPS * cap_px
    over = (pieces[:, 0] + edge < places[:, None]) & (pieces[:, 2] - edge > places[:, None])
    touched = (pieces[:, 0] < places[:, None]) & (pieces[:, 2] > places[:, None])
    own = _ANY + _OVER * over.sum(axis=1) + _TOUCHED * touched.sum(axis=1)
    # The rules of a frame stand beside all writing, and close to it at times.
    inner = [x for x in ruled if (pieces[:, 2] <= x).any() and (pieces[:, 0] >= x).any()]
    on_rules = np.array([(x - step, x + step, _RULED) for x in inner]).reshape(-1, 3)
    chosen = _choose(places, own, np.concatenate([pairs, on_rules]))
    return [_make_stream(x, pieces, edge) for x in places[chosen].tolist()]


def _find_pairs(
    rows: Sequence[Floats], spans: Sequence[NDArray[np.bool_]], same: Sequence[Floats]
) -> Floats:
    """Return where the white between each two pieces of a line begins and ends, shape (n, 3).

    The last is the logarithm of the odds that a boundary lies in it.
    """
    out = []
    for boxes, wide, chance in zip(rows, spans, same, strict=True):
        held = np.clip(chance, _LEAST_CHANCE, 1 - _LEAST_CHANCE)
        odds = np.clip(np.log(1 - held) - np.log(held), -_MOST_ODDS, _MOST_ODDS)
        alone = ~wide[1:] & ~wide[:-1] & (boxes[1:, 0] > boxes[:-1, 2])
        white = np.column_stack([boxes[:-1, 2], boxes[1:, 0], odds[1:]])
        out.append(white[alone])
    return np.concatenate(out) if out else np.zeros((0, 3))


def _choose(places: Floats, own: Floats, whites: Floats) -> list[int]:
    """Return the numbers of the places at which boundaries are best, from the left.

    ``own`` is what speaks for each place by itself, ``whites`` what speaks for a boundary, or more
    than one, between two ends.
    """
    count = len(places)
    inside = (whites[:, 0, None] < places) & (whites[:, 1, None] > places)
    first = np.clip(np.searchsorted(places, whites[:, 0], side="right"), 0, count - 1)
    # By place, and by the first place from which on a boundary would have been in the white.
    gains = np.zeros((count, count + 1))
    for white, begin, weight in zip(inside, first.tolist(), whites[:, 2].tolist(), strict=True):
        gains[white, begin] += weight
    gains = np.cumsum(gains[:, ::-1], axis=1)[:, ::-1]
    best, before = own + gains[:, 0], np.full(count, -1)
    for k in range(1, count):
        through = best[:k] + own[k] + gains[k, 1 : k + 1]
        last = int(np.argmax(through))
        if through[last] > best[k]:
            best[k], before[k] = through[last], last
    k, out = int(np.argmax(best)), []
    if best[k] <= 0:
        return []
    while k >= 0:
        out.append(k)
        k = int(before[k])
    return out[::-1]


def _make_stream(x: float, pieces: Floats, edge: float) -> Stream:
    """Return the white around a boundary; pieces that lie over it are ignored."""
    left = float(pieces[pieces[:, 2] <= x + edge, 2].max(initial=-np.inf))
    right = float(pieces[pieces[:, 0] >= x - edge, 0].min(initial=np.inf))
    return Stream(left, right, (left + right) / 2) if np.isfinite(right - left) else Stream(x, x, x)
