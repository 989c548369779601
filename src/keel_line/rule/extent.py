"""Finds which lines of a block belong to its table."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from keel_line.rule.block import LEAST_ROWS, OFF_LINE_CAPS, TITLE_SPACE_CAPS, Block
from keel_line.rule.levels import columns_of, find_levels
from keel_line.rule.streams import Stream, bounds_of, count_crossings, find_streams, measure_extents
from keel_line.rule.writing import line_middle, line_span

_SAME_SPACE = 1.5
_TITLE_GAP_CAPS = 2.0
_HANGING_CAPS, _HANGING = 2.2, 0.6  # or of the usual distance from line to line
_COVERED = 0.4
_STANDS_OFF = 1.2
_SAME_PITCH = 0.06
_EVEN_PITCH = 0.15


def find_columned_run(block: Block) -> tuple[int, int]:
    """Return the longest run of lines with several pieces each; one line of one piece may break it.

    A line of one piece is a wrapped cell or a group's title as often as the end of a table.
    """
    spans = [line_span(row) for row in block.rows]
    level = [a[1] > b[0] for a, b in pairwise(spans)]  # a value of two lines and one between them
    beside = [a or b for a, b in zip([*level, False], [False, *level], strict=True)]
    several = [len(row) >= 2 or b for row, b in zip(block.rows, beside, strict=True)]
    runs: list[tuple[int, int]] = []
    start = None
    for i, many in enumerate([*several, False, False, False]):
        if many and start is None:
            start = i
        if start is None or many:
            continue
        if not any((several[i : i + 3])[1:]) or i >= len(several):
            if runs and _go_on(block, runs[-1], (start, i)):
                start = runs.pop()[0]
            runs.append((start, i))
            start = None
    return max(runs, key=lambda run: run[1] - run[0], default=(0, 0))


def _go_on(block: Block, above: tuple[int, int], below: tuple[int, int]) -> bool:
    """Return whether the lines of one piece between two runs are rows with other cells blank.

    They stand in one column with the runs' own pieces, and as far apart as the runs' lines.
    """
    if min(last - first for first, last in (above, below)) < LEAST_ROWS:
        return False
    middles = np.array([line_middle(r) for r in block.rows[above[0] : below[1]]])
    pitch = np.diff(middles)
    between = pitch[above[1] - above[0] - 1 : below[0] - above[0]]
    if (np.abs(between - np.median(pitch)) > _EVEN_PITCH * np.median(pitch)).any():
        return False
    pieces = np.concatenate([r for a, b in (above, below) for r in block.rows[a:b] if len(r) > 1])
    slack = OFF_LINE_CAPS * block.cap_px
    for row in block.rows[above[1] : below[0]]:
        x0, x1 = float(row[:, 0].min()), float(row[:, 2].max())
        own = pieces[(np.abs(pieces[:, 0] - x0) <= slack) | (np.abs(pieces[:, 2] - x1) <= slack)]
        if len(own) < LEAST_ROWS or own[:, 2].max() < x1 - slack or own[:, 0].min() > x0 + slack:
            return False
    return True


def leave_running_line(block: Block, first: int, last: int) -> int:
    """Leave out lines at the top that run on and close streams: the table's title."""
    while last - first > LEAST_ROWS and _runs_on(block.rows[first], block.cap_px):
        with_it = find_streams(block.part(first, last))
        if len(find_streams(block.part(first + 1, last))) <= len(with_it):
            break
        first += 1
    return first


def _runs_on(row: NDArray[np.float64], cap: float) -> bool:
    """Return whether a line's words stand no more than a space apart."""
    return float((row[1:, 0] - row[:-1, 2]).max(initial=0.0)) <= TITLE_SPACE_CAPS * cap


def leave_title(block: Block, first: int, last: int, streams: list[Stream]) -> int:
    """Leave out lines at the top that run across the columns: the table's title."""
    while first < last:
        row = block.rows[first]
        # Words of one line, not headings of their columns: one runs on, all close together.
        words = count_crossings(row, streams, block.cap_px) > 0 and (
            _is_spaced(row, block.cap_px) or _is_one_line(row, streams, block.cap_px)
        )
        runs_across = count_crossings(row, streams, 0.0) >= max(1.5, len(streams) / 2)
        if not (runs_across or words or _stands_off(block.part(first, last), streams)):
            break
        first += 1
    return first


def _is_spaced(row: NDArray[np.float64], cap: float) -> bool:
    """Return whether a line's pieces stand one word's space apart, as a title's words do."""
    gaps = row[1:, 0] - row[:-1, 2]
    return len(gaps) >= 2 and float(gaps.max()) <= min(
        _SAME_SPACE * float(np.median(gaps)), _TITLE_GAP_CAPS * cap
    )


def _stands_off(body: Block, streams: list[Stream]) -> bool:
    """Tell whether a block's first line is short, begins at the left, and keeps off the others."""
    if len(body.rows) <= LEAST_ROWS:
        return False
    xs = bounds_of(body, streams)
    row = body.rows[0]
    left = float(np.median([r[0, 0] for r in body.rows[1:]]))
    # A title may be set larger than the table.
    own_cap = max(body.cap_px, float(np.median(row[:, 3] - row[:, 1])))
    runs_over = _runs_on(row, own_cap) and any(
        x0 < s.middle < x1 for s in streams for x0, x1 in row[:, [0, 2]].tolist()
    )
    few = len(columns_of(row, xs)) <= (len(streams) + 1) / 2
    if not (few or runs_over) or row[0, 0] > left + body.cap_px:
        return False
    middles = [line_middle(r) for r in body.rows]
    pitch = np.diff(middles)
    return bool(pitch[0] > _STANDS_OFF * np.median(pitch[1:]))


def _is_one_line(row: NDArray[np.float64], streams: list[Stream], cap: float) -> bool:
    """Return whether a line runs on with no more than a space between words, and over a stream.

    Headings set close together keep clear of the streams between their columns.
    """
    return _runs_on(row, cap) and any(
        sum(max(0.0, min(x1, s.right) - max(x0, s.left)) for x0, x1 in row[:, [0, 2]].tolist())
        > _COVERED * s.width
        for s in streams
    )


def grow_up(block: Block, first: int, last: int, streams: list[Stream]) -> int:
    """Take in a heading's lines above, whose pieces stand over the columns."""
    while first > 0:
        row = block.rows[first - 1]
        below = block.rows[first]
        if find_levels(block.rows[first - 1 :], block.cap_px, bounds_of(block, streams)):
            first -= 1
            continue
        if len(row) < 2 or line_span(below)[0] - line_span(row)[1] > 2 * block.cap_px:
            break
        if count_crossings(row, streams, block.cap_px) > len(streams) / 2:
            break
        if _stands_off(block.part(first - 1, last), streams):
            break
        first -= 1
    return first


def grow_down(block: Block, last: int, streams: list[Stream]) -> int:
    """Take in the lines of a wrapped value that hang below the last row."""
    middles = [line_middle(r) for r in block.rows]
    usual = float(np.median(np.diff(middles[:last]))) if last > LEAST_ROWS else 0.0
    while last < len(block.rows):
        row = block.rows[last]
        nearest = max(_HANGING_CAPS * block.cap_px, _HANGING * usual)
        pitch = middles[last] - middles[last - 1]
        belongs = pitch <= min(usual, nearest) or _is_next_row(block, last, streams, pitch, usual)
        if not belongs or len(row) > 1 or count_crossings(row, streams, 0.0):
            break
        last += 1
    return last


def _is_next_row(block: Block, at: int, streams: list[Stream], pitch: float, usual: float) -> bool:
    """Tell whether a line of one value is a row like those above: as far off, in line with them."""
    if not abs(pitch - usual) <= _SAME_PITCH * usual:
        return False
    body = block.part(0, at)
    columns = measure_extents(body, streams)
    value = block.rows[at][0]
    inner = [s.middle for s in streams]
    above = columns[int(np.searchsorted(inner, (value[0] + value[2]) / 2))]
    if len(above) < LEAST_ROWS:
        return False
    off = np.abs(np.median(above, axis=0) - (value[0], value[2]))
    return bool(off.min() <= OFF_LINE_CAPS * block.cap_px)
