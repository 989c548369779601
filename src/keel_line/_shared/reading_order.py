"""The order in which the blocks of a page are read: columns from left to right, each downwards.

The page is cut along its widest white streams, down and across, again and again (recursive X-Y cut,
Nagy and Seth, 1984).
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

_GUTTER = 0.8  # of a line's height: the least white between columns
_LEAST_BESIDE = 2  # lines on either side of a gutter
_NEAR_CAPS, _ROW_CAPS = 7.0, 1.5  # what is around a gap; how far lines stand apart at least
_SAME_CAPS, _LEAST_BEGUN = 0.6, 3  # how many pieces begin where a column does, and how near
_COLUMN_CAPS = 8.0  # of text in each line of a column, on an average


def order_boxes(boxes: Sequence[Sequence[float]]) -> list[int]:
    """Return the numbers of boxes (x0, y0, x1, y1) in the order in which they are read."""
    if not boxes:
        return []
    array = np.array(boxes, float).reshape(-1, 4)
    line = float(np.median(array[:, 3] - array[:, 1]))
    return _order(array, np.arange(len(array)), line)


def find_column_starts(
    boxes: NDArray[np.float64], lines: NDArray[np.int64], cap: float
) -> NDArray[np.bool_]:
    """Return which pieces of writing begin a column of text: a gutter stands left of them.

    A gutter may be no wider than a space in a loose line, but other pieces around begin at the same
    place, and there is much text on both sides.

    Parameters
    ----------
    boxes
        The pieces (x0, y0, x1, y1), shape (n, 4).
    lines
        The number of each one's line, from the top, shape (n,).
    cap
        The height of capitals, in the same unit.
    """
    out = np.zeros(len(boxes), np.bool_)
    x0, x1 = boxes[:, 0], boxes[:, 2]
    middles = (boxes[:, 1] + boxes[:, 3]) / 2
    order = np.lexsort((x0, lines))
    for before, k in pairwise(order.tolist()):
        if lines[before] != lines[k]:
            continue
        near = np.abs(middles - middles[k]) <= _NEAR_CAPS * cap
        near[k] = near[before] = False
        white = (x1[before] + x0[k]) / 2
        begun = int((near & (np.abs(x0 - x0[k]) <= _SAME_CAPS * cap)).sum())
        over = int((near & (x0 < white) & (x1 > white)).sum())
        out[k] = begun >= max(_LEAST_BEGUN, 3 * over) and all(
            _is_text(boxes[near & side], cap) for side in (x1 <= white, x0 >= white)
        )
    return out


def _is_text(boxes: NDArray[np.float64], cap: float) -> bool:
    """Return whether pieces fill their lines as text does, not as numbers of a list do."""
    rows = np.unique(np.round((boxes[:, 1] + boxes[:, 3]) / 2 / (_ROW_CAPS * cap)))
    return float((boxes[:, 2] - boxes[:, 0]).sum()) >= _COLUMN_CAPS * cap * max(1, len(rows))


def _order(boxes: NDArray[np.float64], own: NDArray[np.int64], line: float) -> list[int]:
    if len(own) <= 1:
        return [int(n) for n in own]
    columns = _cut(boxes[own][:, (0, 2)], _GUTTER * line)
    parts = [own[columns == k] for k in range(columns.max() + 1)]
    if len(parts) > 1 and min(map(len, parts)) >= _LEAST_BESIDE:
        return [n for part in parts for n in _order(boxes, part, line)]
    bands = _cut(boxes[own][:, (1, 3)], 0.0)
    if bands.max():
        # At the widest white alone, so that columns below a heading stay whole.
        first = _split_widest(boxes[own][:, (1, 3)], bands)
        return [*_order(boxes, own[first], line), *_order(boxes, own[~first], line)]
    return _order_touching(boxes, own)


def _order_touching(boxes: NDArray[np.float64], own: NDArray[np.int64]) -> list[int]:
    """Return boxes that no white parts: line by line, each from left to right."""
    middles = (boxes[:, 1] + boxes[:, 3]) / 2
    left = sorted(own.tolist(), key=lambda n: float(middles[n]))
    out: list[int] = []
    while left:
        low = boxes[left[0], 3]
        line = [n for n in left if middles[n] <= low]
        out += sorted(line, key=lambda n: float(boxes[n, 0]))
        left = [n for n in left if n not in line]
    return [int(n) for n in out]


def _cut(spans: NDArray[np.float64], least: float) -> NDArray[np.int64]:
    """Return for each span (start, end) its part between white of a least width, from 0."""
    order = np.argsort(spans[:, 0])
    reached = np.maximum.accumulate(spans[order, 1])
    apart = spans[order[1:], 0] - reached[:-1] > least
    out = np.zeros(len(spans), np.int64)
    out[order] = np.concatenate([[0], np.cumsum(apart)])
    return out


def _split_widest(spans: NDArray[np.float64], bands: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Return which spans lie before the widest white between bands."""
    ends = [spans[bands == k, 1].max() for k in range(bands.max())]
    starts = [spans[bands == k, 0].min() for k in range(1, bands.max() + 1)]
    widest = int(np.argmax(np.array(starts) - np.array(ends)))
    return np.asarray(bands <= widest)
