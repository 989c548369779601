"""A look at a column: which of its values stand apart, by robust measures."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_LEAST_VALUES = 6
_FAR, _FAR_FROM_SERIES = 6.0, 8.0
_TO_SIGMA = 1.4826  # of the median distance, for values spread normally
_SERIES_SHARE = 0.85
_SKEWED = 20.0


def find_outliers(values: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Return which values stand apart: from all of the column, or from their place in a series.

    Parameters
    ----------
    values
        (rows,), NaN where there is none.

    Returns
    -------
    NDArray
        (rows,). Distances are counted in median absolute deviations (Hampel 1974), of logarithms
        where the values are positive and of many sizes. In a column that mostly rises, or falls, a
        value is measured against the middle of its neighbours.
    """
    out = np.zeros(len(values), bool)
    known = np.flatnonzero(~np.isnan(values))
    if len(known) < _LEAST_VALUES:
        return out
    held = values[known]
    steps = np.sign(np.diff(held))
    series = max((steps >= 0).mean(), (steps <= 0).mean()) >= _SERIES_SHARE
    if series and steps.any():
        middle = np.empty_like(held)
        middle[1:-1] = np.median(np.stack([held[:-2], held[1:-1], held[2:]]), axis=0)
        middle[0], middle[-1] = held[0], held[-1]
        apart = np.abs(held - middle)
        usual = np.median(np.abs(np.diff(held)))
        out[known] = apart > _FAR_FROM_SERIES * max(usual, 1e-9)
        return out
    if (held > 0).all() and held.max() > _SKEWED * held.min():
        held = np.log(held)
    apart = np.abs(held - np.median(held))
    usual = _TO_SIGMA * np.median(apart)
    if usual > 0:
        out[known] = apart > _FAR * usual
    return out
