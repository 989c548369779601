"""A look at a column: which of its values stand apart, and how often each comes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

_LEAST_VALUES = 6
_FAR, _FAR_FROM_SERIES = 6.0, 8.0
_TO_SIGMA = 1.4826  # of the median distance, for values spread normally
_SERIES_SHARE = 0.85
_SKEWED = 20.0
_MOST_SPANS = 24
_MOST_FITTED = 300
_TIED, _LEAST_APART = 0.5, 0.01  # of the spread of the second column


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


def find_pair_outliers(x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Return which rows stand apart from the line that two columns make together.

    Parameters
    ----------
    x, y
        (rows,), NaN where there is none.

    Returns
    -------
    NDArray
        (rows,). The line is that of repeated medians (Siegel 1982), of some hundred rows at most;
        distances from it are counted in median absolute deviations. None stands apart where the two
        columns have little to do with each other.
    """
    out = np.zeros(len(x), bool)
    known = np.flatnonzero(~np.isnan(x) & ~np.isnan(y))
    if len(known) < _LEAST_VALUES or np.ptp(x[known]) == 0 or np.ptp(y[known]) == 0:
        return out
    # Loaded here: the window would open a second later.
    from scipy.stats import siegelslopes  # noqa: PLC0415

    some = known[:: max(1, len(known) // _MOST_FITTED)]
    slope, offset = siegelslopes(y[some], x[some])
    apart = np.abs(y[known] - slope * x[known] - offset)
    usual = _TO_SIGMA * np.median(apart)
    spread = _TO_SIGMA * np.median(np.abs(y[known] - np.median(y[known])))
    if usual < _TIED * spread:
        out[known] = apart > _FAR * max(usual, _LEAST_APART * spread)
    return out


@dataclass(frozen=True)
class Share:
    """A value, or a span of values, of a column.

    Attributes
    ----------
    words
        What it is.
    count
        In how many rows it comes.
    row
        The first of them.
    """

    words: str
    count: int
    row: int


def count_values(texts: Sequence[str], first: int) -> list[Share]:
    """Return how often each text comes, the rarest last; ``first`` is the first row below headings.

    Texts that come once stand one by one: a misreading shows among them.
    """
    rows: dict[str, int] = {}
    counted: Counter[str] = Counter()
    for row, text in enumerate(texts[first:], first):
        rows.setdefault(text, row)
        counted[text] += 1
    return [Share(text or "blank", many, rows[text]) for text, many in counted.most_common()]


def spread_values(values: NDArray[np.float64], say: Callable[[float], str]) -> list[Share]:
    """Return how many values lie in each of some equal spans, from the least to the greatest.

    ``say`` writes a value.
    """
    known = np.flatnonzero(~np.isnan(values))
    if not len(known):
        return []
    held = values[known]
    spans = int(min(_MOST_SPANS, max(1, np.sqrt(len(held)) * 2)))
    edges = np.linspace(held.min(), held.max(), spans + 1)
    inside = np.clip(np.searchsorted(edges, held, "right") - 1, 0, spans - 1)
    out = []
    for span in range(spans):
        own = known[inside == span]
        out.append(Share(say(float(edges[span])), len(own), int(own[0]) if len(own) else -1))
    return out
