"""Tables known by their alignment: columns of white space that run through several lines.

Where only some rules are drawn they say where rows or columns part; white space and the lines of
text say the rest. A block of text lines is a table where streams of white run down through it
(compare Breuel, "Two geometric algorithms for layout analysis", DAS 2002).
"""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import DIRECTIONS, Cell, Grid, Rule
from keel_line.rule.beside import part_beside
from keel_line.rule.levels import columns_of, find_levels, spanned_below, with_levels
from keel_line.rule.mend import move_line
from keel_line.rule.parting import ColumnPlace, find_places, part_pieces
from keel_line.rule.repeated import find_repeat_beside, find_repeats_below, heads_figures
from keel_line.rule.row_spans import find_partial, with_row_spans
from keel_line.rule.writing import Writing, line_middle, line_span

_STREAM_CAPS = 0.95
_NARROW_STREAM_CAPS = 0.6
_FAR_CAPS = 3.5
_FEW_PIECES, _MOSTLY_OVER, _UNDER_CAPS, _OVER_WHITE = 2, 0.5, 1.4, 0.7
_LEAST_ROWS = 3
_CROSSED = 0.12
_LEAST_FILLED = 0.3
_LEAST_FILLED_NARROW = 0.6
_MANY_ROWS = 12
_APART = 2.6  # over the usual pitch of lines: so far down the next block begins
_PROSE_CAPS = 14
_EVEN_LINES = 0.72
_LIST_NUMBER_CAPS = 3.5
_LINED_UP = 0.7
_FEW_ROWS = 5
_OFF_LINE_CAPS = 0.3
_TITLE_SPACE_CAPS = 1.5
_SAME_SPACE = 1.5
_TITLE_GAP_CAPS = 2.0
_MARK_CAPS = 1.25
_PAD_CAPS = 0.45
_RULED_SHARE = 0.6
_LONG_RULE = 0.75
_BESIDE = 0.25
_LEAST_EDGED, _EDGED, _EDGE_CAPS = 4, 0.8, 0.15
_LEAST_TURNED, _OFTEN_OVER = 1, 0.5
_UNLIKE_APART = 1.35  # over the usual pitch of lines
_HANGING_CAPS, _HANGING = 2.2, 0.6  # or of the usual distance from line to line
_SPARSE = 0.25
_SELDOM = 0.15
_COVERED = 0.4
_STANDS_OFF = 1.2
_JOINED = 0.82  # of the usual distance from row to row
_NEAREST = 0.9
_FLUSH_CAPS = 0.4
_HEADING_ROWS = 2
_SAME_PITCH = 0.06
_EVEN_PITCH = 0.15
_LETTER_CAPS, _FEET = 0.5, 30  # percentile: descenders end lower
_SELDOM_FILLED = 0.3  # of a table's lines
_SPECK_CAPS = 0.8
_GOES_ON_CAPS = 1.6
_LEAST_ROOM_CAPS, _CLEAR_CAPS = 0.2, 0.3
_LEAST_ACROSS, _LEAST_RULED_STREAMS = 4, 2


@dataclass(frozen=True, eq=False)
class _Block:
    """Neighbouring text lines: ``rows`` holds the pieces of each, shape (n, 4).

    ``letters`` are those of the whole page, shape (m, 4).
    """

    rows: tuple[NDArray[np.float64], ...]
    cap_px: float
    letters: NDArray[np.float64]

    @property
    def box(self) -> Box:
        every = np.concatenate(self.rows)
        x0, y0 = every[:, :2].min(axis=0).tolist()
        x1, y1 = every[:, 2:].max(axis=0).tolist()
        return (x0, y0, x1, y1)

    @property
    def columned(self) -> int:
        """How many lines have several pieces."""
        return sum(len(row) >= 2 for row in self.rows)

    def part(self, first: int, last: int) -> _Block:
        return replace(self, rows=self.rows[first:last])


@dataclass(frozen=True)
class _Stream:
    """White that runs down through lines; ``middle`` is where a boundary keeps clear best."""

    left: float
    right: float
    middle: float

    @property
    def width(self) -> float:
        return self.right - self.left


def find_aligned(writing: Writing, rules: Sequence[Rule]) -> list[Grid]:
    """Find the tables among a page's writing that no full set of rules shows.

    Parameters
    ----------
    writing
        The page's writing outside its ruled tables.
    rules
        Ruling lines that belong to no ruled table.

    Returns
    -------
    list of Grid
        From the top down. Their ``rules`` are the ruling lines that lie on their boundaries.
    """
    if len(writing.boxes) == 0:
        return []
    rows = [writing.boxes[writing.lines == n] for n in range(int(writing.lines.max()) + 1)]
    out: list[Grid] = []
    whole = _Block(tuple(r for r in rows if len(r)), writing.cap_px, writing.letters)
    for block in (
        unlike
        for own in _part_blocks(whole)
        for part in _part_repeated(own)
        for unlike in _part_unlike(part)
    ):
        for lines in part_beside(block.rows, rules, block.cap_px):
            # One side may have gaps where the other's lines stood.
            for own in _part_blocks(replace(block, rows=lines)):
                for part in _part_unlike(own):
                    out += _tables_in(part, rules)
    return out


def find_passed_over(writing: Writing, tables: Sequence[Grid]) -> list[Box]:
    """Return the boxes around blocks of at least 3 lines that were taken for no table."""
    if len(writing.boxes) == 0:
        return []
    middles = (writing.boxes[:, :2] + writing.boxes[:, 2:]) / 2
    outside = np.ones(len(middles), bool)
    for table in tables:
        x0, y0, x1, y1 = table.box
        outside &= ~((middles >= (x0, y0)) & (middles <= (x1, y1))).all(axis=1)
    boxes, lines = writing.boxes[outside], writing.lines[outside]
    rows = [boxes[lines == n] for n in np.unique(lines)]
    pad = _PAD_CAPS * writing.cap_px
    whole = _Block(tuple(rows), writing.cap_px, writing.letters)
    found = [b.box for b in _part_blocks(whole) if len(b.rows) >= _LEAST_ROWS]
    return [(x0 - pad, y0 - pad, x1 + pad, y1 + pad) for x0, y0, x1, y1 in found]


def lay_out(writing: Writing, rules: Sequence[Rule], area: Box) -> Grid:
    """Lay out all writing as one table that fills an area, whatever it looks like.

    Raises
    ------
    ValueError
        When there is no writing.
    """
    if len(writing.boxes) == 0:
        raise ValueError("nothing is written here")
    rows = [writing.boxes[writing.lines == n] for n in np.unique(writing.lines)]
    body = _Block(tuple(rows), writing.cap_px, writing.letters)
    grid = _lay_out(body, _find_streams(body), rules)
    for direction, first, last in zip(DIRECTIONS, area[:2], area[2:], strict=True):
        lines = grid.lines(direction)
        grid = move_line(grid, direction, 0, min(first, lines[0]))
        grid = move_line(grid, direction, len(lines) - 1, max(last, lines[-1]))
    return grid


def _part_blocks(whole: _Block) -> list[_Block]:
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


def _part_repeated(block: _Block) -> list[_Block]:
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
            out += _part_repeated(replace(part, rows=tuple(side)))
    return out


def _part_unlike(block: _Block) -> list[_Block]:
    """Part a block at wide gaps above and below which the columns are not the same."""
    middles = np.array([line_middle(r) for r in block.rows])
    pitch = np.diff(middles)
    if len(pitch) < 2 * _LEAST_ROWS - 1:
        return [block]
    # From full line to full line: those of a wrapped value stand nearer.
    full = [i for i, r in enumerate(block.rows) if len(r) >= max(map(len, block.rows)) / 2]
    usual = float(np.median(np.diff(middles[full]))) if len(full) > 1 else np.inf
    wide = np.flatnonzero(pitch > _UNLIKE_APART * usual) + 1
    for cut in sorted(wide.tolist(), key=lambda i: -pitch[i - 1]):
        above, below = block.part(0, cut), block.part(cut, len(block.rows))
        if min(above.columned, below.columned) < _LEAST_ROWS:
            continue
        if not _are_one(block, above, below):
            return [*_part_unlike(above), *_part_unlike(below)]
    return [block]


def _are_one(block: _Block, above: _Block, below: _Block) -> bool:
    """Tell whether two parts of a block share their columns: none is lost, none stays empty."""
    streams = _find_streams(block)
    if len(streams) < max(len(_find_streams(above)), len(_find_streams(below))):
        return False
    if _run_across(above, streams) or _run_across(below, streams):
        return False
    sides = [_kept_sides(part, streams) for part in (above, below)]
    if sum(a * b < 0 for a, b in zip(*sides, strict=True)) >= _LEAST_TURNED:
        return False
    xs = _stream_lines(block, streams)
    if heads_figures(below.rows, block.letters, block.cap_px, xs):
        return False
    for part in (above, below):
        filled = Counter(col for row in part.rows for col in columns_of(row, xs))
        # A title's words lie over any column.
        least = max(2.0, _SELDOM * len(part.rows))
        if sum(count >= least for count in filled.values()) <= len(streams):
            return False
    return True


def _run_across(part: _Block, streams: list[_Stream]) -> bool:
    """Tell whether many of a part's values lie over one boundary: it has another there."""
    least = max(_LEAST_ROWS, _OFTEN_OVER * len(part.rows))
    return any(
        sum(bool(((r[:, 0] < s.middle) & (r[:, 2] > s.middle)).any()) for r in part.rows) >= least
        for s in streams
    )


def _kept_sides(part: _Block, streams: list[_Stream]) -> list[int]:
    """Tell of each column whether its values all begin at one place (-1), end at one (1), or not.

    0 where neither is so, or both.
    """
    out = []
    for ends in _extents(part, streams):
        if len(ends) < _LEAST_ROWS:
            out.append(0)
            continue
        kept = np.abs(ends - np.median(ends, axis=0)) <= _FLUSH_CAPS * part.cap_px
        left, right = kept.mean(axis=0) >= _EDGED
        out.append(int(right) - int(left))
    return out


def _tables_in(block: _Block, rules: Sequence[Rule]) -> list[Grid]:
    """Find the run of lines in a block that shares columns; return its table, if it is one."""
    first, last = _columned_run(block)
    if last - first < _LEAST_ROWS:
        return []
    first = _leave_running_line(block, first, last)
    streams = _find_streams(block.part(first, last))
    if not streams:
        return []
    first = _leave_title(block, first, last, streams)
    if last - first < _LEAST_ROWS:
        return []
    streams = _find_streams(block.part(first, last))  # a title's words leave streams of their own
    if not streams:
        return []
    first = _grow_up(block, first, last, streams)
    last = _grow_down(block, last, streams)
    body = block.part(first, last)
    grid = _make_grid(body, streams, rules)
    rest = []
    if first >= _LEAST_ROWS:
        rest += _tables_in(block.part(0, first), rules)
    if len(block.rows) - last >= _LEAST_ROWS:
        rest += _tables_in(block.part(last, len(block.rows)), rules)
    return sorted([*([grid] if grid else []), *rest], key=lambda g: g.box[1])


def _columned_run(block: _Block) -> tuple[int, int]:
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


def _go_on(block: _Block, above: tuple[int, int], below: tuple[int, int]) -> bool:
    """Tell whether the lines of one piece between two runs are rows with other cells blank.

    They stand in one column with the runs' own pieces, and as far apart as the runs' lines.
    """
    if min(last - first for first, last in (above, below)) < _LEAST_ROWS:
        return False
    middles = np.array([line_middle(r) for r in block.rows[above[0] : below[1]]])
    pitch = np.diff(middles)
    between = pitch[above[1] - above[0] - 1 : below[0] - above[0]]
    if (np.abs(between - np.median(pitch)) > _EVEN_PITCH * np.median(pitch)).any():
        return False
    pieces = np.concatenate([r for a, b in (above, below) for r in block.rows[a:b] if len(r) > 1])
    slack = _OFF_LINE_CAPS * block.cap_px
    for row in block.rows[above[1] : below[0]]:
        x0, x1 = float(row[:, 0].min()), float(row[:, 2].max())
        own = pieces[(np.abs(pieces[:, 0] - x0) <= slack) | (np.abs(pieces[:, 2] - x1) <= slack)]
        if len(own) < _LEAST_ROWS or own[:, 2].max() < x1 - slack or own[:, 0].min() > x0 + slack:
            return False
    return True


def _find_streams(body: _Block) -> list[_Stream]:
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
            if number <= _HEADING_ROWS and _heads_several(body, number, float(a), float(b)):
                continue
            cover[int(a) - left : int(np.ceil(b)) - left + 1] += 1
            if number >= _HEADING_ROWS:
                below[int(a) - left : int(np.ceil(b)) - left + 1] += 1
    allowed = max(0.0, _CROSSED * weight) if weight >= 6 else 0.0
    white = np.concatenate([[False], cover <= allowed, [False]])
    edges = np.flatnonzero(np.diff(white.astype(np.int8))).reshape(-1, 2)
    found = []
    for a, b in edges.tolist():
        if b - a < _NARROW_STREAM_CAPS * body.cap_px or a <= 0 or b >= width:
            continue
        # Where a few long values run into the stream, its line keeps clear of most of them; a
        # heading may well lie over it.
        clear = np.flatnonzero(below[a:b] == below[a:b].min())
        runs = np.split(clear, np.flatnonzero(np.diff(clear) > 1) + 1)
        widest = max(runs, key=len)
        middle = float(a + left + (widest[0] + widest[-1] + 1) / 2)
        found.append(_Stream(float(a + left), float(b + left), middle))
    parting = [f for f in found if _parts_rows(body, f)]
    return _without_marks(body, _without_overruns(body, parting))


def _heads_several(body: _Block, number: int, left: float, right: float) -> bool:
    """Tell whether a piece of a line near the top stands over two columns of most lines below it.

    Such a heading parts no columns, and closes no stream between those that it stands over.
    """
    rows = [r for r in body.rows[number + 1 :] if len(r) >= _FEW_PIECES]
    if len(body.rows[number]) >= max((len(r) for r in rows), default=0):
        return False
    over = 0
    for row in rows:
        white = row[1:, 0] - row[:-1, 2]
        wide = white >= _UNDER_CAPS * body.cap_px
        covered = np.minimum(row[1:, 0], right) - np.maximum(row[:-1, 2], left)
        # Set in the middle over narrow columns it may reach over the white alone; one column's long
        # heading keeps that column's edge.
        flush = _FLUSH_CAPS * body.cap_px
        free = (abs(row[:-1, 0] - left) > flush) & (abs(row[1:, 2] - right) > flush)
        over += bool(
            (wide & ((covered >= white) | (free & (covered >= _OVER_WHITE * white)))).any()
        )
    return over >= max(2, _MOSTLY_OVER * len(rows))


def _parts_rows(body: _Block, stream: _Stream) -> bool:
    """Tell whether a stream is wide enough for a column's end, and has writing on both sides."""
    middle = stream.middle
    both = sum(
        bool((row[:, 2] <= middle).any() and (row[:, 0] >= middle).any()) for row in body.rows
    )
    if stream.width >= _FAR_CAPS * body.cap_px and both:
        # Values set over several lines, and those centred beside them, share few lines.
        sides = ((row[:, 2] <= middle).any() for row in body.rows)
        others = ((row[:, 0] >= middle).any() for row in body.rows)
        if min(sum(sides), sum(others)) >= max(_LEAST_ROWS, _LEAST_FILLED * len(body.rows)):
            return True
    wide = stream.width >= _STREAM_CAPS * body.cap_px
    if wide and both and _is_edged_beside(body, middle):
        return True
    least = _LEAST_FILLED if wide else _LEAST_FILLED_NARROW
    enough = wide or len(body.rows) >= _MANY_ROWS or _is_edged(body, middle)
    return both >= max(2, least * len(body.rows)) and enough


def _without_overruns(body: _Block, streams: list[_Stream]) -> list[_Stream]:
    """Drop the stream beyond which only a few long values reach: that is no column of its own.

    A column that is nearly empty is one where a heading stands over it.
    """
    kept = list(streams)
    while kept:
        edges = [-np.inf, *[s.middle for s in kept], np.inf]
        for k in range(1, len(edges) - 1):
            low, high = edges[k], edges[k + 1]
            own = [bool(((r[:, 0] >= low) & (r[:, 2] <= high)).any()) for r in body.rows]
            if np.mean(own) >= _SPARSE or any(own[:_LEAST_ROWS]):
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


def _run_over(body: _Block, x: float) -> bool:
    """Tell whether a line's writing runs over a place."""
    return any(bool(((r[:, 0] < x) & (r[:, 2] > x)).any()) for r in body.rows)


def _follows(row: NDArray[np.float64], low: float, high: float, cap: float) -> bool:
    """Tell whether what a line has between two places stands a word's space from what is before."""
    own = np.flatnonzero((row[:, 0] >= low) & (row[:, 2] <= high))
    first = int(own[0]) if len(own) else 0
    return first == 0 or row[first, 0] - row[first - 1, 2] <= _TITLE_SPACE_CAPS * cap


def _is_edged(body: _Block, middle: float) -> bool:
    """Tell whether the writing on one side of a narrow stream ends or begins at one place.

    Words that happen to part near one another do so at ragged places.
    """
    ends = [row[row[:, 2] <= middle, 2].max(initial=-np.inf) for row in body.rows]
    starts = [row[row[:, 0] >= middle, 0].min(initial=np.inf) for row in body.rows]
    both = np.array([(a, b) for a, b in zip(ends, starts, strict=True) if np.isfinite(b - a)])
    # The other lines of a wrapped value have writing in one column alone.
    if len(both) < _LEAST_EDGED or len(both) < _EDGED * body.columned:
        return False
    near = np.abs(both - np.median(both, axis=0)) <= _EDGE_CAPS * body.cap_px
    return bool((near.mean(axis=0) >= _EDGED).any())


def _is_edged_beside(body: _Block, middle: float) -> bool:
    """Tell whether many lines have writing on either side, which keeps one edge on one of them.

    Where a column's values wrap, few lines have writing on both sides.
    """
    ends = np.array([row[row[:, 2] <= middle, 2].max(initial=-np.inf) for row in body.rows])
    starts = np.array([row[row[:, 0] >= middle, 0].min(initial=np.inf) for row in body.rows])
    sides = [side[np.isfinite(side)] for side in (ends, starts)]
    if min(map(len, sides)) < max(_LEAST_ROWS, _LEAST_FILLED * len(body.rows)):
        return False
    slack = _EDGE_CAPS * body.cap_px
    kept = [float((np.abs(side - np.median(side)) <= slack).mean()) for side in sides]
    return max(kept) >= _EDGED


def _without_marks(body: _Block, streams: list[_Stream]) -> list[_Stream]:
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
        if beside and len(inside) >= _LEAST_ROWS:
            nearest = min(beside, key=lambda s: streams[s].width)
            if streams[nearest].width < 2.2 * body.cap_px:
                kept.remove(streams[nearest])
    return kept


def _leave_running_line(block: _Block, first: int, last: int) -> int:
    """Leave out lines at the top that run on and close streams: the table's title."""
    while last - first > _LEAST_ROWS and _runs_on(block.rows[first], block.cap_px):
        with_it = _find_streams(block.part(first, last))
        if len(_find_streams(block.part(first + 1, last))) <= len(with_it):
            break
        first += 1
    return first


def _runs_on(row: NDArray[np.float64], cap: float) -> bool:
    """Tell whether a line's words stand no more than a space apart."""
    return float((row[1:, 0] - row[:-1, 2]).max(initial=0.0)) <= _TITLE_SPACE_CAPS * cap


def _leave_title(block: _Block, first: int, last: int, streams: list[_Stream]) -> int:
    """Leave out lines at the top that run across the columns: the table's title."""
    while first < last:
        row = block.rows[first]
        # Words of one line, not headings of their columns: one runs on, all close together.
        words = _crossings(row, streams, block.cap_px) > 0 and (
            _is_spaced(row, block.cap_px) or _is_one_line(row, streams, block.cap_px)
        )
        runs_across = _crossings(row, streams, 0.0) >= max(1.5, len(streams) / 2)
        if not (runs_across or words or _stands_off(block.part(first, last), streams)):
            break
        first += 1
    return first


def _is_spaced(row: NDArray[np.float64], cap: float) -> bool:
    """Tell whether a line's pieces stand one word's space apart, as a title's words do."""
    gaps = row[1:, 0] - row[:-1, 2]
    return len(gaps) >= 2 and float(gaps.max()) <= min(
        _SAME_SPACE * float(np.median(gaps)), _TITLE_GAP_CAPS * cap
    )


def _stands_off(body: _Block, streams: list[_Stream]) -> bool:
    """Tell whether a block's first line is short, begins at the left, and keeps off the others."""
    if len(body.rows) <= _LEAST_ROWS:
        return False
    xs = _stream_lines(body, streams)
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


def _is_one_line(row: NDArray[np.float64], streams: list[_Stream], cap: float) -> bool:
    """Tell whether a line runs on with no more than a space between words, and over a stream.

    Headings set close together keep clear of the streams between their columns.
    """
    return _runs_on(row, cap) and any(
        sum(max(0.0, min(x1, s.right) - max(x0, s.left)) for x0, x1 in row[:, [0, 2]].tolist())
        > _COVERED * s.width
        for s in streams
    )


def _crossings(row: NDArray[np.float64], streams: list[_Stream], cap: float) -> int:
    """Count the streams that a line's writing runs across.

    With ``cap``, the height of capitals, words that stand a space apart are taken together.
    """
    joined = [row[0, [0, 2]].tolist()]
    for x0, _, x1, _ in row[1:].tolist():
        if x0 - joined[-1][1] <= _TITLE_SPACE_CAPS * cap:
            joined[-1][1] = x1
        else:
            joined.append([x0, x1])
    return sum(any(x0 < s.left and x1 > s.right for x0, x1 in joined) for s in streams)


def _grow_up(block: _Block, first: int, last: int, streams: list[_Stream]) -> int:
    """Take in a heading's lines above, whose pieces stand over the columns."""
    while first > 0:
        row = block.rows[first - 1]
        below = block.rows[first]
        if find_levels(block.rows[first - 1 :], block.cap_px, _stream_lines(block, streams)):
            first -= 1
            continue
        if len(row) < 2 or line_span(below)[0] - line_span(row)[1] > 2 * block.cap_px:
            break
        if _crossings(row, streams, block.cap_px) > len(streams) / 2:
            break
        if _stands_off(block.part(first - 1, last), streams):
            break
        first -= 1
    return first


def _make_grid(body: _Block, streams: list[_Stream], rules: Sequence[Rule]) -> Grid | None:
    """Build the grid of a block with columns; None where it is running text or a list."""
    if _is_prose(body, streams) and not _is_ruled_across(body, streams, rules):
        return None
    grid = _lay_out(body, streams, rules)
    return grid if min(grid.rows, grid.cols) >= 2 else None


def _is_ruled_across(body: _Block, streams: list[_Stream], rules: Sequence[Rule]) -> bool:
    """Tell whether rules part most of a block's lines, and white streams run down through them."""
    if len(streams) < _LEAST_RULED_STREAMS:
        return False
    at = sorted(
        r.position for r in rules if r.direction == "across" and _runs_along(r, body.box, 0)
    )
    middles = [line_middle(r) for r in body.rows]
    parted = set(np.searchsorted(at, middles).tolist())
    return len(at) >= _LEAST_ACROSS and len(parted) >= len(at) - 1


def _lay_out(body: _Block, streams: list[_Stream], rules: Sequence[Rule]) -> Grid:
    """Build the grid of a block, whatever it is."""
    pad = _PAD_CAPS * body.cap_px
    x0, y0, x1, y1 = body.box
    around = (x0 - pad, y0 - pad, x1 + pad, y1 + pad)
    across = [r for r in rules if r.direction == "across" and _runs_along(r, around, 0)]
    # The outer rules down stand as far off as the widest value of their column is wide.
    wide = _BESIDE * (around[2] - around[0])
    beside = (around[0] - wide, around[1], around[2] + wide, around[3])
    down = [r for r in rules if r.direction == "down" and _runs_along(r, beside, 1)]
    if down:
        at = [r.at((around[1] + around[3]) / 2) for r in down]
        around = (min(around[0], *at), around[1], max(around[2], *at), around[3])
    if across:
        around = (
            min(around[0], *(r.start for r in across)),
            around[1],
            max(around[2], *(r.end for r in across)),
            around[3],
        )
    ruled = [r.at((around[1] + around[3]) / 2) for r in down]
    xs = _without_strays(_column_lines(streams, down, around, body.cap_px), body, ruled)
    xs, body = _without_margins(xs, body, ruled)
    parted = replace(body, rows=part_pieces(body.rows, body.letters, xs, body.cap_px))
    levels = find_levels(body.rows, body.cap_px, xs)
    if levels is None:
        levels = find_levels(parted.rows, body.cap_px, xs)
    body = parted
    if levels is not None:  # what stands between two levels of headings belongs to both
        body = replace(body, rows=(body.rows[0], *body.rows[levels.last :]))
    partial = find_partial(rules, around, body.cap_px) if across else []
    rows_by = [*across, *(r for r in partial if r not in across)]
    starts, ys = _row_lines(body, rows_by, around, xs, apart=levels is not None)
    cells = _place_cells(body, starts, xs, ys)
    clear = _clear_lines(body, starts, cells, xs, ruled)
    if clear != xs:
        xs = clear
        cells = _place_cells(body, starts, xs, ys)
    if levels is not None:
        cells = with_levels(cells, levels, xs, ys)
    if partial:
        cells = with_row_spans(cells, _written_in(body, starts, xs), rows_by, ys, body.cap_px)
    box = (xs[0], ys[0], xs[-1], ys[-1])
    return Grid(box, tuple(xs), tuple(ys), tuple(cells), (*rows_by, *down))


def _written_in(body: _Block, starts: list[int], xs: list[float]) -> set[tuple[int, int]]:
    """Return the rows and columns in which pieces have their middles."""
    return {
        (bisect_right(starts, number) - 1, col)
        for number, row in enumerate(body.rows)
        for col in columns_of(row, xs)
    }


def _clear_lines(
    body: _Block, starts: list[int], cells: list[Cell], xs: list[float], ruled: Sequence[float]
) -> list[float]:
    """Move the boundaries between columns that a long value runs over to where nothing does.

    ``starts`` are the text lines at which rows begin. Rules stay where they are drawn, and so do
    boundaries that no place between the columns' writing would suit.
    """
    spanned = {(c.row, k) for c in cells for k in range(c.col + 1, c.col + c.col_span)}
    inner = np.array(xs[1:-1])
    ends, begins = np.full(len(inner), -np.inf), np.full(len(inner), np.inf)
    for number, row in enumerate(body.rows):
        at = bisect_right(starts, number) - 1
        home = np.searchsorted(inner, (row[:, 0] + row[:, 2]) / 2)
        for k in range(len(inner)):
            if (at, k + 1) not in spanned:
                ends[k] = max(ends[k], row[home <= k, 2].max(initial=-np.inf))
                begins[k] = min(begins[k], row[home > k, 0].min(initial=np.inf))
    out = list(xs)
    for k, x in enumerate(inner.tolist()):
        room = float(begins[k] - ends[k])
        if x in ruled or room < _LEAST_ROOM_CAPS * body.cap_px or not np.isfinite(room):
            continue
        off = min(_CLEAR_CAPS * body.cap_px, room / 2)
        out[k + 1] = min(max(x, float(ends[k]) + off), float(begins[k]) - off)
    return out


def _grow_down(block: _Block, last: int, streams: list[_Stream]) -> int:
    """Take in the lines of a wrapped value that hang below the last row."""
    middles = [line_middle(r) for r in block.rows]
    usual = float(np.median(np.diff(middles[:last]))) if last > _LEAST_ROWS else 0.0
    while last < len(block.rows):
        row = block.rows[last]
        nearest = max(_HANGING_CAPS * block.cap_px, _HANGING * usual)
        pitch = middles[last] - middles[last - 1]
        belongs = pitch <= min(usual, nearest) or _is_next_row(block, last, streams, pitch, usual)
        if not belongs or len(row) > 1 or _crossings(row, streams, 0.0):
            break
        last += 1
    return last


def _is_next_row(
    block: _Block, at: int, streams: list[_Stream], pitch: float, usual: float
) -> bool:
    """Tell whether a line of one value is a row like those above: as far off, in line with them."""
    if not abs(pitch - usual) <= _SAME_PITCH * usual:
        return False
    body = block.part(0, at)
    columns = _extents(body, streams)
    value = block.rows[at][0]
    inner = [s.middle for s in streams]
    above = columns[int(np.searchsorted(inner, (value[0] + value[2]) / 2))]
    if len(above) < _LEAST_ROWS:
        return False
    off = np.abs(np.median(above, axis=0) - (value[0], value[2]))
    return bool(off.min() <= _OFF_LINE_CAPS * block.cap_px)


def _stream_lines(block: _Block, streams: list[_Stream]) -> list[float]:
    x0, _, x1, _ = block.box
    return [x0, *(s.middle for s in streams), x1]


def _runs_along(rule: Rule, around: Box, axis: int) -> bool:
    """Tell whether a rule lies in or along an area and runs over most of it."""
    low, high = around[axis], around[axis + 2]
    slack = 0.06 * max(around[3] - around[1], 40.0)
    if not around[1 - axis] - slack <= rule.position <= around[3 - axis] + slack:
        return False
    shared = min(rule.end, high) - max(rule.start, low)
    return shared >= _LONG_RULE * (high - low)


def _is_prose(body: _Block, streams: list[_Stream]) -> bool:
    """Tell running text and lists from tables.

    Words leave streams by chance, but stand in no line with each other; text set in two columns,
    and a list's numbers beside its lines, have streams too, but their lines are long and nearly
    of one length.
    """
    columns = _extents(body, streams)
    lined_up = [_is_lined_up(c, body.cap_px) for c in columns if len(c)]
    least = _LINED_UP if len(body.rows) >= _FEW_ROWS else 1.0
    if not lined_up or np.mean(lined_up) < least:
        return True
    if len(streams) >= 2:
        return False
    wide = [(c[:, 1] - c[:, 0]) / body.cap_px for c in columns]
    if not all(len(w) for w in wide):
        return True
    even = [float(np.median(w) / w.max()) > _EVEN_LINES for w in wide]
    long = [float(np.median(w)) > _PROSE_CAPS for w in wide]
    if all(even) and all(long):
        return True
    return float(wide[0].max()) < _LIST_NUMBER_CAPS and long[1]


def _extents(body: _Block, streams: list[_Stream]) -> list[NDArray[np.float64]]:
    """Return for each column the left and right end of its writing in each line, shape (n, 2)."""
    inner = np.array([s.middle for s in streams])
    out: list[list[_Stream]] = [[] for _ in range(len(inner) + 1)]
    for row in body.rows:
        at = np.searchsorted(inner, (row[:, 0] + row[:, 2]) / 2)
        for k in np.unique(at).tolist():
            own = row[at == k]
            out[k].append((float(own[:, 0].min()), float(own[:, 2].max())))
    return [np.array(c).reshape(-1, 2) for c in out]


def _is_lined_up(ends: NDArray[np.float64], cap: float) -> bool:
    """Tell whether a column's lines begin, end or are centred at one place."""
    places = np.column_stack([ends, ends.mean(axis=1)])
    off = np.median(np.abs(places - np.median(places, axis=0)), axis=0)
    return bool(off.min() <= _OFF_LINE_CAPS * cap)


def _column_lines(streams: list[_Stream], down: list[Rule], around: Box, cap: float) -> list[float]:
    """Return the columns' boundaries, on a rule where one lies in the stream."""
    middle_y = (around[1] + around[3]) / 2
    at = sorted(r.at(middle_y) for r in down)
    inner = [
        next((x for x in at if s.left - 0.3 * cap <= x <= s.right + 0.3 * cap), s.middle)
        for s in streams
    ]
    # A rule down the table parts columns even where writing stands against it.
    inner += [
        x
        for x in at
        if around[0] + cap < x < around[2] - cap and all(abs(x - k) > cap for k in inner)
    ]
    left = next((x for x in at if abs(x - around[0]) < cap), around[0])
    right = next((x for x in reversed(at) if abs(x - around[2]) < cap), around[2])
    return [left, *sorted(inner), right]


def _without_strays(xs: list[float], body: _Block, ruled: Sequence[float]) -> list[float]:
    """Leave out boundaries beside which a column holds no writing of its own.

    A word that a copier broke lets a stream through, and so does the end of a long value. Of such a
    column's two boundaries the one goes that its writing stands nearer to; ruled ones stay.
    """
    pieces = np.concatenate(body.rows)
    middles = (pieces[:, 0] + pieces[:, 2]) / 2
    kept = list(xs)
    col = 0
    while col < len(kept) - 1:
        may_go = [k for k in (col, col + 1) if 0 < k < len(kept) - 1 and kept[k] not in ruled]
        if not may_go or not _is_stray(body, kept[col], kept[col + 1]):
            col += 1
            continue
        own = pieces[(middles >= kept[col]) & (middles < kept[col + 1])]
        away = {k: float(np.abs(own[:, (0, 2)] - kept[k]).min(initial=np.inf)) for k in may_go}
        del kept[min(away, key=lambda k: away[k])]
    return kept


def _without_margins(
    xs: list[float], body: _Block, ruled: Sequence[float]
) -> tuple[list[float], _Block]:
    """Leave out what lies beyond the outermost rules down a table, where that is no column.

    A column has a heading, or writing in many of its lines; a mark in the margin has neither.
    """
    first, last = 0, len(xs)
    if len(xs) > 2 and xs[1] in ruled and xs[0] not in ruled:
        first = int(_is_margin(body, -np.inf, xs[1]))
    if last - first > 2 and xs[-2] in ruled and xs[-1] not in ruled:
        last -= _is_margin(body, xs[-2], np.inf)
    if last - first == len(xs):
        return xs, body
    kept = xs[first:last]
    within = [
        row[((row[:, 0] + row[:, 2]) / 2 > kept[0]) & ((row[:, 0] + row[:, 2]) / 2 < kept[-1])]
        for row in body.rows
    ]
    return kept, replace(body, rows=tuple(row for row in within if len(row)))


def _is_margin(body: _Block, left: float, right: float) -> bool:
    middles = [(row[:, 0] + row[:, 2]) / 2 for row in body.rows]
    own = [bool(((m > left) & (m < right)).any()) for m in middles]
    return not own[0] and sum(own) <= _SELDOM_FILLED * len(own)


def _is_stray(body: _Block, left: float, right: float) -> bool:
    """Tell whether a column holds specks alone, or in few lines what goes on from its left."""
    seen = _seen_in(body, left, right)
    if not seen or _lies_under_title(body, set(seen), right):
        return True
    if len(seen) > _SELDOM_FILLED * len(body.rows):
        return False
    widest = max(float((own[:, 2] - own[:, 0]).max()) for own in seen.values())
    specks_alone = widest < _SPECK_CAPS * body.cap_px
    if specks_alone or 0 in seen:  # or it has a heading
        return specks_alone
    for number, own in seen.items():
        before = body.rows[number][:, 2]
        gaps = own[:, 0].min() - before[before <= own[:, 0].min()]
        if not len(gaps) or gaps.min() > _GOES_ON_CAPS * body.cap_px:
            return False
    return True


def _seen_in(body: _Block, left: float, right: float) -> dict[int, NDArray[np.float64]]:
    """Return the pieces of each line, by its number, that stand in a column and are no specks."""
    seen = {}
    for number, row in enumerate(body.rows):
        middles = (row[:, 0] + row[:, 2]) / 2
        own = row[(middles >= left) & (middles < right)]
        written = (own[:, 2:] - own[:, :2]).max(axis=1) >= _SPECK_CAPS * body.cap_px
        if written.any():
            seen[number] = own[written]
    return seen


def _lies_under_title(body: _Block, numbers: set[int], right: float) -> bool:
    """Tell whether all that a column holds is a title and a long heading under it.

    ``numbers`` are the lines that it is written in. The heading ends with the values of the next
    column, beyond ``right``; the title stands over both.
    """
    headings = {
        number
        for number, row in enumerate(body.rows[: _HEADING_ROWS + 1])
        if number > 0 and ((row[:, 0] < right) & (row[:, 2] > right)).any()
    }
    return bool(headings) and numbers <= {0, *headings}


def _row_lines(
    body: _Block, across: list[Rule], around: Box, xs: list[float], *, apart: bool
) -> tuple[list[int], list[float]]:
    """Return the text lines at which rows begin, and the rows' boundaries.

    ``apart`` says that the first two lines are rows of their own.
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
    count = sum(y is not None for y in ruled)
    by_rules = count >= 2 and count >= _RULED_SHARE * len(ruled) * 0.5 and _even(ruled, middles)
    joined = _find_joined(body, xs)
    if apart and len(body.rows) > _HEADING_ROWS:
        # Headings of the second level hang on to none of a full line's values.
        full = len(columns_of(body.rows[_HEADING_ROWS], xs)) > (len(xs) - 1) / 2
        joined[_HEADING_ROWS - 1] &= not full
    starts, ys = [0], []
    for i, y in enumerate(ruled):
        if y is None and (by_rules or joined[i]) and not (apart and i == 0):
            continue
        starts.append(i + 1)
        ys.append(y if y is not None else (lows[i] + tops[i + 1]) / 2)
    top = next((y for y in at if abs(y - around[1]) < 1.6 * body.cap_px), around[1])
    low = next((y for y in reversed(at) if abs(y - around[3]) < 1.6 * body.cap_px), around[3])
    return starts, [min(top, tops[0]), *ys, max(low, lows[-1])]


def _even(ruled: list[float | None], middles: list[float]) -> bool:
    """Tell whether rules lie between lines all the way down, not only under a heading."""
    at = [i for i, y in enumerate(ruled) if y is not None]
    longest = max(np.diff([-1, *at, len(ruled)]), default=0)
    return bool(longest <= 4 and len(middles) > 2)


def _find_joined(body: _Block, xs: list[float]) -> list[bool]:
    """Tell of each two neighbouring text lines whether they belong to one row.

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


def _baselines(body: _Block) -> NDArray[np.float64]:
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


def _place_cells(body: _Block, starts: list[int], xs: list[float], ys: list[float]) -> list[Cell]:
    """Place cells; a piece that lies over several columns' boundaries spans them."""
    ends = [*starts[1:], len(body.rows)]
    usual = find_places(body.rows, xs, body.cap_px)
    cells: list[Cell] = []
    headed: set[int] = set()
    for row, (first, last) in enumerate(zip(starts, ends, strict=True)):
        pieces = np.concatenate(body.rows[first:last])
        below = body.rows[last] if row < _HEADING_ROWS and last < len(body.rows) else None
        spans = _spans_of(pieces, xs, usual, body.cap_px, below, headed)
        headed |= columns_of(pieces, xs) & {a for a, b in spans if b == a + 1}
        for a, b in spans:
            cells.append(Cell(row, a, 1, b - a, (xs[a], ys[row], xs[b], ys[row + 1])))
    return cells


def _spans_of(
    pieces: NDArray[np.float64],
    xs: list[float],
    usual: list[ColumnPlace],
    cap: float,
    below: NDArray[np.float64] | None,
    headed: set[int],
) -> list[tuple[int, int]]:
    """Part a row into cells: (first column, column after the last) of each.

    ``usual`` says where each column's writing lies: a value in its place that runs over a boundary,
    but not as far as what stands there, spans nothing. ``below`` are the pieces of the next line
    where this one may be a heading's: a title that stands over the middle of several of them spans
    their columns, unless these have headings of their own above it (``headed``).
    """
    joined = [False] * (len(xs) - 2)
    inner = np.array(xs[1:-1])
    home = np.searchsorted(inner, (pieces[:, 0] + pieces[:, 2]) / 2)
    for piece, own in zip(pieces, home.tolist(), strict=True):
        x0, x1 = float(piece[0]), float(piece[2])
        others = set(home[home != own].tolist())
        for k, x in enumerate(xs[1:-1]):
            slack = 0.04 * (x1 - x0)
            # A long value that runs over into its neighbour's column leaves the neighbour's alone.
            beyond = k + 1 if own <= k else k
            away = min(abs(x0 - usual[own].left), abs(x1 - usual[own].right))
            reaches = x1 > usual[k + 1].left if own <= k else x0 < usual[k].right
            own_place = away < _FLUSH_CAPS * cap
            apart = beyond in others or (own_place and not reaches)
            joined[k] |= bool(x0 + slack < x < x1 - slack) and not apart
        if below is not None and len(below) > len(pieces):
            spanned = spanned_below(x0, x1, pieces, below, xs)
            if not {c for k in spanned for c in (k, k + 1)} <= headed:
                for k in spanned:
                    joined[k] = True
    out, start = [], 0
    for k, is_joined in enumerate([*joined, False]):
        if not is_joined:
            out.append((start, k + 1))
            start = k + 1
    return out
