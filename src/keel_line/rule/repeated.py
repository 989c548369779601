"""Finds repeated headings: another table begins below or beside.

A list set in halves, or the same form used twice, gives tables with the same columns close
together; white space alone does not part them. The second heading shows letter for letter the ink
of the first.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from keel_line.rule.parting import find_gaps
from keel_line.rule.writing import line_span

_LEAST_LINES = 3  # of a table: a heading and two rows
_LEAST_LETTERS = 6
_ALIKE, _SAME_PLACE_CAPS = 0.7, 0.12
_SAME_END_CAPS = 0.35
_SMALL_CAPS = 0.3
_LOW_CAPS, _LOW = 0.86, 0.3  # of the tallest usual letter: a, c, e; of a line's letters
_SELDOM, _CLEARLY = 0.25, 0.3
_LEAST_IN_WORD, _FIGURES_LOW = 3, 0.12
_LEAST_GAP_CAPS = 1.2

Lines = Sequence[NDArray[np.float64]]


def find_repeats_below(rows: Lines, letters: NDArray[np.float64], cap_px: float) -> list[int]:
    """Find the text lines at which a block's heading stands again.

    Parameters
    ----------
    rows
        Pieces of writing of each text line from the top down, x0, y0, x1, y1 (px), shape (n, 4).
    letters
        Boxes of the page's letters in the same form, shape (m, 4).
    cap_px
        Height of capitals.

    Returns
    -------
    list of int
        Numbers of lines; nothing where the first lines stand again too often for a heading.
    """
    lettering = _gather(letters, cap_px)
    own = [_letters_in(row, lettering) for row in rows]
    several = [k for k, row in enumerate(rows[:-_LEAST_LINES]) if len(row) >= 2]
    # A title that runs on in pieces may stand above the heading.
    candidates = [k for k in several[:2] if k == several[0] or len(rows[k]) > len(rows[several[0]])]
    for heading in candidates:
        if not _holds_words(own[heading]):
            continue
        below = range(heading + _LEAST_LINES, len(rows))
        found = _pick_same([_likeness(own[heading], own[k], 0.0, cap_px) for k in below])
        again = [k for k in (heading + _LEAST_LINES + n for n in found) if k <= len(rows) - 2]
        if again:
            # A heading's lines above the one that was told: titles over several columns.
            return [k - _lines_before(own, heading, k, cap_px) for k in again]
    return []


def find_repeat_beside(rows: Lines, letters: NDArray[np.float64], cap_px: float) -> float | None:
    """Find the white beyond which a block's heading stands again; its middle (px), None if nowhere.

    Parameters are those of :func:`find_repeats_below`.
    """
    if len(rows) < _LEAST_LINES:
        return None
    lettering = _gather(letters, cap_px)
    for left, right in find_gaps(np.concatenate(list(rows)), _LEAST_GAP_CAPS * cap_px):
        middle = (left + right) / 2
        sides = [
            [own for row in rows if len(own := row[(row[:, 2] < middle) == is_left])]
            for is_left in (True, False)
        ]
        if min(map(len, sides)) < _LEAST_LINES:
            continue
        headings = [next((row for row in side if len(row) >= 2), None) for side in sides]
        if headings[0] is None or headings[1] is None:
            continue
        if not _is_varied(headings[0], cap_px) or _has_column_before(sides[0], headings[0]):
            continue
        first, second = (_letters_in(h, lettering) for h in headings if h is not None)
        off = float(headings[1][0, 0] - headings[0][0, 0])
        if not _holds_words(first) or _likeness(first, second, off, cap_px) < _ALIKE:
            continue
        others = [_letters_in(row, lettering) for row in sides[1] if row is not headings[1]]
        if _pick_same([_likeness(first, own, off, cap_px) for own in (second, *others)]) == [0]:
            return middle
    return None


def _is_varied(heading: NDArray[np.float64], cap: float) -> bool:
    """Return whether a line's pieces differ: four quarters of a year are columns of one table."""
    return float(np.ptp(heading[:, 2] - heading[:, 0])) > _SAME_END_CAPS * cap


def _has_column_before(side: Lines, heading: NDArray[np.float64]) -> bool:
    """Return whether many lines have writing that ends before a heading begins.

    Where one column heads the lines, what repeats are its kinds of values, not the table.
    """
    before = [bool((row[:, 2] < heading[0, 0]).any()) for row in side]
    return float(np.mean(before)) >= _SELDOM


def heads_figures(
    rows: Lines, letters: NDArray[np.float64], cap_px: float, xs: Sequence[float]
) -> bool:
    """Return whether the first of some lines has a word where the others have figures below it.

    ``xs`` are the boundaries of their columns; other parameters are those of
    :func:`find_repeats_below`.
    """
    lettering = _gather(letters, cap_px)
    for left, right in pairwise(xs):
        low = []
        for row in rows:
            middles = (row[:, 0] + row[:, 2]) / 2
            own = row[(middles >= left) & (middles < right)]
            found = _letters_in(own, lettering) if len(own) else own
            low.append(_share_low(found) if len(found) >= _LEAST_IN_WORD else np.nan)
        below = [share for share in low[1:] if not np.isnan(share)]
        if len(below) >= _LEAST_LINES - 1 and low[0] >= _LOW and np.median(below) < _FIGURES_LOW:
            return True
    return False


@dataclass(frozen=True, eq=False)
class _Lettering:
    """A page's letters from the top down, specks left out, and the height of each one's middle."""

    boxes: NDArray[np.float64]
    middles: NDArray[np.float64]


def _gather(letters: NDArray[np.float64], cap: float) -> _Lettering:
    own = letters[(letters[:, 2:] - letters[:, :2]).max(axis=1, initial=0.0) >= _SMALL_CAPS * cap]
    middles = (own[:, 1] + own[:, 3]) / 2
    order = np.argsort(middles)
    return _Lettering(own[order], middles[order])


def _letters_in(row: NDArray[np.float64], lettering: _Lettering) -> NDArray[np.float64]:
    """Return the letters of a text line from its left to its right, their heights from its foot."""
    first = np.searchsorted(lettering.middles, row[:, 1].min(), "right")
    near = lettering.boxes[first : np.searchsorted(lettering.middles, row[:, 3].max())]
    at = (near[:, 0] + near[:, 2]) / 2
    inside = ((at[:, None] > row[:, 0]) & (at[:, None] < row[:, 2])).any(axis=1)
    own = near[inside]
    foot = float(np.median(own[:, 3])) if len(own) else line_span(row)[1]
    own = own - (0.0, foot, 0.0, foot)
    ordered: NDArray[np.float64] = own[np.argsort(own[:, 0])]
    return ordered


def _holds_words(own: NDArray[np.float64]) -> bool:
    """Return whether a line has low letters among tall ones: figures are all of one height.

    Boxes tell words from each other, but not 12,557 from 17,397.
    """
    return len(own) >= _LEAST_LETTERS and _share_low(own) >= _LOW


def _share_low(own: NDArray[np.float64]) -> float:
    high = own[:, 3] - own[:, 1]
    return float((high < _LOW_CAPS * np.percentile(high, 90)).mean())


def _likeness(
    first: NDArray[np.float64], second: NDArray[np.float64], off: float, cap: float
) -> float:
    """Return the share (0 to 1) of two lines' letters that are alike, the second ``off`` px right.

    0 where the lines do not begin and end at the same places.
    """
    if min(len(first), len(second)) < _LEAST_LETTERS:
        return 0.0
    moved = second - (off, 0.0, off, 0.0)
    ends = np.abs([moved[0, 0] - first[0, 0], moved[:, 2].max() - first[:, 2].max()])
    if ends.max() > _SAME_END_CAPS * cap:
        return 0.0
    slack = max(_SAME_PLACE_CAPS * cap, 1.5)
    # Letters that touch in one of the lines are one piece there: those of the other go together.
    ours, theirs = _join_within(first, moved, slack), _join_within(moved, first, slack)
    if min(len(ours), len(theirs)) == 0:
        return 0.0
    alike = np.abs(ours[:, None] - theirs[None]).max(axis=2) <= slack
    same = min(int(alike.any(axis=1).sum()), int(alike.any(axis=0).sum()))
    return same / min(len(first), len(second))


def _join_within(
    boxes: NDArray[np.float64], wider: NDArray[np.float64], slack: float
) -> NDArray[np.float64]:
    """Join neighbouring boxes that lie together in one of the others."""
    out: list[NDArray[np.float64]] = []
    home = [
        np.flatnonzero((wider[:, 0] <= b[0] + slack) & (wider[:, 2] >= b[2] - slack)) for b in boxes
    ]
    last = -1
    for box, own in zip(boxes, home, strict=True):
        at = int(own[0]) if len(own) else -1
        if out and at >= 0 and at == last:
            low, high = np.minimum(out[-1], box), np.maximum(out[-1], box)
            out[-1] = np.array([low[0], low[1], high[2], high[3]])
        else:
            out.append(box)
        last = at
    return np.array(out).reshape(-1, 4)


def _pick_same(likeness: Sequence[float]) -> list[int]:
    """Return the places of the few that are alike, none where others are nearly so.

    Rows of figures of one width are all alike, more or less; a heading's second time stands out.
    """
    found = [k for k, share in enumerate(likeness) if share >= _ALIKE]
    if not found or len(found) > max(1.0, _SELDOM * len(likeness)):
        return []
    least = min(likeness[k] for k in found)
    rest = max((share for share in likeness if share < _ALIKE), default=0.0)
    return found if rest <= least - _CLEARLY else []


def _lines_before(own: Sequence[NDArray[np.float64]], heading: int, again: int, cap: float) -> int:
    """Count the lines above a heading that stand above its second time, too."""
    count = 0
    while (
        count < heading
        and _likeness(own[heading - count - 1], own[again - count - 1], 0.0, cap) >= _ALIKE
    ):
        count += 1
    return count
