"""Parts a page's lines into blocks of their own.

They part at wide gaps, where a heading stands again, and where other columns begin.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from itertools import pairwise

import numpy as np

from keel_line.rule.block import EDGED, FLUSH_CAPS, LEAST_ROWS, Block
from keel_line.rule.levels import columns_of
from keel_line.rule.repeated import find_repeat_beside, find_repeats_below, heads_figures
from keel_line.rule.streams import Stream, bounds_of, find_streams, measure_extents
from keel_line.rule.writing import line_middle, line_span

_APART = 2.6  # over the usual pitch of lines: so far down the next block begins
_LEAST_TURNED, _OFTEN_OVER = 1, 0.5
_UNLIKE_APART = 1.35  # over the usual pitch of lines
_SELDOM = 0.15


def part_blocks(whole: Block) -> list[Block]:
    """Part text lines where the white between them is far wider than usual."""
    rows, cap = whole.rows, whole.cap_px
    if len(rows) < 2:
        return [whole]
    tops, lows = np.array([line_span(r) for r in rows]).T
    gaps = tops[1:] - lows[:-1]
    pitch = np.diff((tops + lows) / 2)
    usual = float(np.median(pitch[pitch < 6 * cap])) if (pitch < 6 * cap).any() else 2 * cap
    cuts = [0, *(np.flatnonzero(gaps > _APART * usual - cap) + 1).tolist(), len(rows)]
    return [whole.part(a, b) for a, b in zip(cuts, cuts[1:], strict=False) if b > a]


def part_repeated(block: Block) -> list[Block]:
    """Part a block where its heading stands again, below itself or beside itself."""
    cuts = [0, *find_repeats_below(block.rows, block.letters, block.cap_px), len(block.rows)]
    out = []
    for above, below in pairwise(cuts):
        part = block.part(above, below)
        gutter = find_repeat_beside(part.rows, part.letters, part.cap_px)
        if gutter is None:
            out.append(part)
            continue
        for is_left in (True, False):
            side = [own for r in part.rows if len(own := r[(r[:, 2] < gutter) == is_left])]
            out += part_repeated(replace(part, rows=tuple(side)))
    return out


def part_unlike(block: Block) -> list[Block]:
    """Part a block at wide gaps above and below which the columns are not the same."""
    middles = np.array([line_middle(r) for r in block.rows])
    pitch = np.diff(middles)
    if len(pitch) < 2 * LEAST_ROWS - 1:
        return [block]
    # From full line to full line: those of a wrapped value stand nearer.
    full = [i for i, r in enumerate(block.rows) if len(r) >= max(map(len, block.rows)) / 2]
    usual = float(np.median(np.diff(middles[full]))) if len(full) > 1 else np.inf
    wide = np.flatnonzero(pitch > _UNLIKE_APART * usual) + 1
    for cut in sorted(wide.tolist(), key=lambda i: -pitch[i - 1]):
        above, below = block.part(0, cut), block.part(cut, len(block.rows))
        if min(above.columned, below.columned) < LEAST_ROWS:
            continue
        if not _are_one(block, above, below):
            return [*part_unlike(above), *part_unlike(below)]
    return [block]


def _are_one(block: Block, above: Block, below: Block) -> bool:
    """Return whether two parts of a block share their columns: none is lost, none stays empty."""
    streams = find_streams(block)
    if len(streams) < max(len(find_streams(above)), len(find_streams(below))):
        return False
    if _run_across(above, streams) or _run_across(below, streams):
        return False
    sides = [_kept_sides(part, streams) for part in (above, below)]
    if sum(a * b < 0 for a, b in zip(*sides, strict=True)) >= _LEAST_TURNED:
        return False
    xs = bounds_of(block, streams)
    if heads_figures(below.rows, block.letters, block.cap_px, xs):
        return False
    for part in (above, below):
        filled = Counter(col for row in part.rows for col in columns_of(row, xs))
        # A title's words lie over any column.
        least = max(2.0, _SELDOM * len(part.rows))
        if sum(count >= least for count in filled.values()) <= len(streams):
            return False
    return True


def _run_across(part: Block, streams: list[Stream]) -> bool:
    """Return whether many of a part's values lie over one boundary: it has another there."""
    least = max(LEAST_ROWS, _OFTEN_OVER * len(part.rows))
    return any(
        sum(bool(((r[:, 0] < s.middle) & (r[:, 2] > s.middle)).any()) for r in part.rows) >= least
        for s in streams
    )


def _kept_sides(part: Block, streams: list[Stream]) -> list[int]:
    """Tell of each column whether its values all begin at one place (-1), end at one (1), or not.

    0 where neither is so, or both.
    """
    out = []
    for ends in measure_extents(part, streams):
        if len(ends) < LEAST_ROWS:
            out.append(0)
            continue
        kept = np.abs(ends - np.median(ends, axis=0)) <= FLUSH_CAPS * part.cap_px
        left, right = kept.mean(axis=0) >= EDGED
        out.append(int(right) - int(left))
    return out
