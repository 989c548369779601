"""Finds two pages in one picture: an open book, or two sheets side by side."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import PAPER_LEVEL, Grey

_LANDSCAPE = 1.15
_MIDDLE = (0.36, 0.64)
_LEAST_GAP_IN = 0.35
_INK = 45
_SPECKS = 0.004
_LEAST_SHARE = 0.12
_WIDER = 1.8
_COARSE = 4


def find_spread(flat: Grey, dpi: float) -> float | None:
    """Find where two pages part that lie side by side in one picture.

    Parameters
    ----------
    flat
        Squared page with even light, shape (rows, cols), 0 is black.
    dpi
        Its resolution.

    Returns
    -------
    float or None
        The column (px) in the middle of the white between them. None on an upright page, and where
        no white runs from top to bottom near the middle that is far wider than any other: the
        columns of one wide table stand closer.
    """
    rows, cols = flat.shape
    if cols < _LANDSCAPE * rows:
        return None
    ink = flat[::_COARSE, ::_COARSE] < PAPER_LEVEL - _INK
    # The picture's edge is often dark, and says nothing.
    inner = ink[int(0.03 * len(ink)) : int(0.97 * len(ink))]
    gap = _widest_gap(inner.mean(axis=0) > _SPECKS, _LEAST_GAP_IN * dpi / _COARSE)
    if gap is None:
        return None
    left, right = float(inner[:, :gap].sum()), float(inner[:, gap:].sum())
    both = min(left, right) >= _LEAST_SHARE * (left + right)
    return float(gap * _COARSE) if both else None


def _widest_gap(written: NDArray[np.bool_], least: float) -> int | None:
    """Return the middle of the white near the middle that is far wider than any other."""
    places = np.flatnonzero(written)
    wide = np.diff(places)
    if len(wide) == 0:
        return None
    best = int(wide.argmax())
    middle = (places[best] + places[best + 1]) // 2
    others = np.delete(wide, best).max(initial=1)
    near = _MIDDLE[0] < middle / len(written) < _MIDDLE[1]
    return int(middle) if near and wide[best] >= max(least, _WIDER * others) else None
