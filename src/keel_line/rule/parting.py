"""Pieces of writing that lie over a column's boundary, parted where their letters keep clear.

A narrow gap between two columns, or dirt in it, makes one piece of two values. Their letters tell:
each of the two stands where its column's writing stands.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

_LEAST_GAP_CAPS = 0.45
_WIDE_GAP_CAPS = 0.75
_FLUSH_CAPS = 0.4
_ALIGNED = 0.6
_LEAST_VALUES = 3
_SPECK_CAPS = 0.45


@dataclass(frozen=True)
class ColumnPlace:
    """Where a column's writing lies: its usual left and right end, and which of them is kept.

    ``flush_left`` and ``flush_right`` say that most values begin, or end, there.
    """

    left: float
    right: float
    flush_left: bool
    flush_right: bool


def find_places(
    rows: Sequence[NDArray[np.float64]], xs: Sequence[float], cap_px: float
) -> list[ColumnPlace]:
    """Find where the writing of each column lies.

    Writing that lies over a boundary is left out; a column without other writing is as wide as its
    boundaries.

    Parameters
    ----------
    rows
        Pieces of writing of each text line, x0, y0, x1, y1 (px), shape (n, 4).
    xs
        Boundaries of the columns, the outer ones among them.
    cap_px
        Height of capitals.
    """
    pieces = np.concatenate(list(rows))
    inner = np.array(xs[1:-1])
    first, last = np.searchsorted(inner, pieces[:, 0]), np.searchsorted(inner, pieces[:, 2])
    out = []
    for col in range(len(xs) - 1):
        own = pieces[(first == col) & (last == col)][:, (0, 2)]
        if not len(own):
            out.append(ColumnPlace(xs[col], xs[col + 1], flush_left=False, flush_right=False))
            continue
        kept = np.abs(own - np.median(own, axis=0)) <= _FLUSH_CAPS * cap_px
        left, right = (kept.mean(axis=0) >= _ALIGNED) & (len(own) >= _LEAST_VALUES)
        out.append(
            ColumnPlace(
                float(np.percentile(own[:, 0], 10)),
                float(np.percentile(own[:, 1], 90)),
                flush_left=bool(left),
                flush_right=bool(right),
            )
        )
    return out


def part_pieces(
    rows: Sequence[NDArray[np.float64]],
    letters: NDArray[np.float64],
    xs: Sequence[float],
    cap_px: float,
) -> tuple[NDArray[np.float64], ...]:
    """Part the pieces over a boundary whose letters stand as two columns' values do.

    Parameters
    ----------
    rows, xs, cap_px
        As for :func:`find_places`.
    letters
        x0, y0, x1, y1 (px) of each letter, or part of one, shape (m, 4).

    Returns
    -------
    tuple of arrays
        The lines' pieces, from the left to the right.
    """
    places = find_places(rows, xs, cap_px)
    middles = (letters[:, :2] + letters[:, 2:]) / 2
    out = []
    for row in rows:
        pieces = []
        for piece in row:
            over = [k for k, x in enumerate(xs[1:-1]) if piece[0] < x < piece[2]]
            if not over:
                pieces.append(piece)
                continue
            inside = ((middles >= piece[:2]) & (middles <= piece[2:])).all(axis=1)
            pieces += _part_piece(piece, letters[inside], over, places, xs, cap_px)
        out.append(np.array(pieces))
    return tuple(out)


def find_gaps(boxes: NDArray[np.float64], least: float) -> list[tuple[float, float]]:
    """Return the left and right ends of the white beside boxes that is at least so wide (px).

    ``boxes`` are x0, y0, x1, y1, shape (n, 4), wherever they stand above each other.
    """
    out, end = [], np.inf
    for x0, _, x1, _ in boxes[np.argsort(boxes[:, 0], kind="stable")].tolist():
        if x0 - end >= least:
            out.append((end, x0))
        end = x1 if end == np.inf else max(end, x1)
    return out


def _part_piece(
    piece: NDArray[np.float64],
    letters: NDArray[np.float64],
    over: list[int],
    places: list[ColumnPlace],
    xs: Sequence[float],
    cap: float,
) -> list[NDArray[np.float64]]:
    sizes = (letters[:, 2:] - letters[:, :2]).max(axis=1, initial=0.0)
    gaps = find_gaps(letters[sizes >= _SPECK_CAPS * cap], _LEAST_GAP_CAPS * cap)
    cuts = []
    for k in over:
        near = [g for g in gaps if g[0] - cap / 2 <= xs[k + 1] <= g[1] + cap / 2]
        if not near:
            continue
        left, right = max(near, key=lambda g: g[1] - g[0])
        ends = (float(piece[0]), left, right, float(piece[2]))
        if _stand_apart(ends, places[k], places[k + 1], cap):
            cuts.append((left + right) / 2)
    if not cuts:
        return [piece]
    middles = (letters[:, 0] + letters[:, 2]) / 2
    at = np.searchsorted(cuts, middles)
    out = []
    for k in range(len(cuts) + 1):
        own = letters[at == k]
        if len(own):
            out.append(np.concatenate([own[:, :2].min(axis=0), own[:, 2:].max(axis=0)]))
    return out


def _stand_apart(
    ends: tuple[float, float, float, float], before: ColumnPlace, after: ColumnPlace, cap: float
) -> bool:
    """Return whether two pieces of writing stand as two columns' values do.

    ``ends`` are the left and right ends of both: x0 and x1 of the one, x0 and x1 of the other.
    """
    slack = _FLUSH_CAPS * cap
    begin, left, right, end = ends
    # Where values end, or begin, raggedly a longer one than usual runs on.
    if (before.flush_right and left > before.right + slack) or (
        after.flush_left and right < after.left - slack
    ):
        return False
    inner = int(before.flush_right and abs(left - before.right) <= slack)
    inner += after.flush_left and abs(right - after.left) <= slack
    if right - left >= _WIDE_GAP_CAPS * cap:
        return inner > 0
    # No wider than between words: two of the four ends must be where their columns' are.
    outer = int(before.flush_left and abs(begin - before.left) <= slack)
    outer += after.flush_right and abs(end - after.right) <= slack
    return inner > 0 and inner + outer > 1
