"""White streams that run down through a block of lines and part its columns."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keel_line.rule.block import (
    EDGED,
    HEADING_ROWS,
    LEAST_ROWS,
    TITLE_SPACE_CAPS,
    Block,
)

_STREAM_CAPS = 0.95
_NARROW_STREAM_CAPS = 0.6
_FAR_CAPS = 3.5
_CROSSED = 0.12
_LEAST_FILLED = 0.3
_LEAST_FILLED_NARROW = 0.6
_MANY_ROWS = 12
_MARK_CAPS = 1.25
_SPARSE = 0.25
_LEAST_EDGED, _EDGE_CAPS = 4, 0.15


@dataclass(frozen=True)
class Stream:
    """White that runs down through lines; ``middle`` is where a boundary keeps clear best."""

    left: float
    right: float
    middle: float

    @property
    def width(self) -> float:
        """How wide it is (px)."""
        return self.right - self.left


def find_streams(body: Block) -> list[Stream]:
    """Find the white streams that run down through nearly all lines."""
    x0, _, x1, _ = body.box
    left, width = int(np.floor(x0)), int(np.ceil(x1 - x0)) + 1
    cover, below = np.zeros(width), np.zeros(width)
    weight = 0.0
    for number, row in enumerate(body.rows):
        if len(row) < 2 and row[0, 2] - row[0, 0] > 0.5 * width:
            continue  # a title over the whole table
        weight += 1
        for a, _, b, _ in row:
            cover[int(a) - left : int(np.ceil(b)) - left + 1] += 1
            if number >= HEADING_ROWS:
                below[int(a) - left : int(np.ceil(b)) - left + 1] += 1
    allowed = max(0.0, _CROSSED * weight) if weight >= 6 else 0.0
    white = np.concatenate([[False], cover <= allowed, [False]])
    edges = np.flatnonzero(np.diff(white.astype(np.int8))).reshape(-1, 2)
    found = []
    for a, b in edges.tolist():
        if b - a < _NARROW_STREAM_CAPS * body.cap_px or a <= 0 or b >= width:
            continue
        # Where a few long values cross into the stream, its line keeps clear of most of them; a
        # heading may well lie over it.
        clear = np.flatnonzero(below[a:b] == below[a:b].min())
        runs = np.split(clear, np.flatnonzero(np.diff(clear) > 1) + 1)
        widest = max(runs, key=len)
        middle = float(a + left + (widest[0] + widest[-1] + 1) / 2)
        found.append(Stream(float(a + left), float(b + left), middle))
    parting = [f for f in found if _parts_rows(body, f)]
    return _drop_marks(body, _drop_overruns(body, parting))


def _parts_rows(body: Block, stream: Stream) -> bool:
    """Return whether a stream is wide enough for a column's end, and has writing on both sides."""
    middle = stream.middle
    both = sum(
        bool((row[:, 2] <= middle).any() and (row[:, 0] >= middle).any()) for row in body.rows
    )
    if stream.width >= _FAR_CAPS * body.cap_px and both:
        # Values set over several lines, and those centred beside them, share few lines.
        sides = ((row[:, 2] <= middle).any() for row in body.rows)
        others = ((row[:, 0] >= middle).any() for row in body.rows)
        if min(sum(sides), sum(others)) >= max(LEAST_ROWS, _LEAST_FILLED * len(body.rows)):
            return True
    wide = stream.width >= _STREAM_CAPS * body.cap_px
    if wide and both and _is_edged_beside(body, middle):
        return True
    least = _LEAST_FILLED if wide else _LEAST_FILLED_NARROW
    enough = wide or len(body.rows) >= _MANY_ROWS or _is_edged(body, middle)
    return both >= max(2, least * len(body.rows)) and enough


def _drop_overruns(body: Block, streams: list[Stream]) -> list[Stream]:
    """Drop the stream beyond which only a few long values reach: that is no column of its own.

    A column that is nearly empty is one where a heading stands over it.
    """
    kept = list(streams)
    while kept:
        edges = [-np.inf, *[s.middle for s in kept], np.inf]
        for k in range(1, len(edges) - 1):
            low, high = edges[k], edges[k + 1]
            own = [bool(((r[:, 0] >= low) & (r[:, 2] <= high)).any()) for r in body.rows]
            if np.mean(own) >= _SPARSE or any(own[:LEAST_ROWS]):
                continue
            if _run_over(body, low) or all(_follows(r, low, high, body.cap_px) for r in body.rows):
                kept.pop(k - 1)
                break
            if high < np.inf and _run_over(body, high):  # from the right, as long numbers do
                kept.pop(k)
                break
        else:
            break
    return kept


def _run_over(body: Block, x: float) -> bool:
    """Return whether a line's writing runs over a place."""
    return any(bool(((r[:, 0] < x) & (r[:, 2] > x)).any()) for r in body.rows)


def _follows(row: NDArray[np.float64], low: float, high: float, cap: float) -> bool:
    """Tell whether what a line has between two places stands a word's space from what is before."""
    own = np.flatnonzero((row[:, 0] >= low) & (row[:, 2] <= high))
    first = int(own[0]) if len(own) else 0
    return first == 0 or row[first, 0] - row[first - 1, 2] <= TITLE_SPACE_CAPS * cap


def _is_edged(body: Block, middle: float) -> bool:
    """Return whether the writing on one side of a narrow stream ends or begins at one place.

    Words that happen to part near one another do so at ragged places.
    """
    ends = [row[row[:, 2] <= middle, 2].max(initial=-np.inf) for row in body.rows]
    starts = [row[row[:, 0] >= middle, 0].min(initial=np.inf) for row in body.rows]
    both = np.array([(a, b) for a, b in zip(ends, starts, strict=True) if np.isfinite(b - a)])
    # The other lines of a wrapped value have writing in one column alone.
    if len(both) < _LEAST_EDGED or len(both) < EDGED * body.columned:
        return False
    near = np.abs(both - np.median(both, axis=0)) <= _EDGE_CAPS * body.cap_px
    return bool((near.mean(axis=0) >= EDGED).any())


def _is_edged_beside(body: Block, middle: float) -> bool:
    """Return whether many lines have writing on either side, which keeps one edge on one of them.

    Where a column's values wrap, few lines have writing on both sides.
    """
    ends = np.array([row[row[:, 2] <= middle, 2].max(initial=-np.inf) for row in body.rows])
    starts = np.array([row[row[:, 0] >= middle, 0].min(initial=np.inf) for row in body.rows])
    sides = [side[np.isfinite(side)] for side in (ends, starts)]
    if min(map(len, sides)) < max(LEAST_ROWS, _LEAST_FILLED * len(body.rows)):
        return False
    slack = _EDGE_CAPS * body.cap_px
    kept = [float((np.abs(side - np.median(side)) <= slack).mean()) for side in sides]
    return max(kept) >= EDGED


def _drop_marks(body: Block, streams: list[Stream]) -> list[Stream]:
    """Drop the stream beside a column of lone signs: they stay with their numbers."""
    kept = list(streams)
    edges = [-np.inf, *[s.middle for s in streams], np.inf]
    for k in range(len(edges) - 1):
        inside = [
            box
            for row in body.rows
            for box in row
            if edges[k] <= (box[0] + box[2]) / 2 < edges[k + 1]
        ]
        widths = [b[2] - b[0] for b in inside]
        if not widths or max(widths) > _MARK_CAPS * body.cap_px:
            continue
        beside = [s for s in (k - 1, k) if 0 <= s < len(streams) and streams[s] in kept]
        if beside and len(inside) >= LEAST_ROWS:
            nearest = min(beside, key=lambda s: streams[s].width)
            if streams[nearest].width < 2.2 * body.cap_px:
                kept.remove(streams[nearest])
    return kept
