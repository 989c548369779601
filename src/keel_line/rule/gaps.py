"""Joins pieces of writing that only the space between two words parts.

Pieces are first parted wherever the white is wide. But words of one text may stand far apart: where
letters are of one width, or where a copier has broken them. Here each gap is seen beside the page's
other gaps and the lines above and below, through which the white between columns goes on. A small
perceptron makes one chance of it; ``training.gaps`` fits it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from keel_line.rule.perceptron import load_perceptron
from keel_line.rule.pieces import find_letters, pair_lines
from keel_line.rule.writing import Writing

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_MODEL = Path(__file__).parent / "data" / "gaps.json"
_MOST_CAPS = 2.0  # wider white is never a space
LEAST_ODDS = 1.0
"""Two pieces are joined if the log odds that they are one text exceed this."""

_NEAR_LINES = 5
_SPACE_CAPS, _FEW = 0.25, 5
_USUAL = (0.4, 0.55, 0.1)  # space, wide space and white between letters where few are seen
_FLUSH_CAPS, _THROUGH_CAPS, _TINY_CAPS, _SAME_CAPS = 0.3, 0.2, 0.05, 1e-3

MEASURES = (
    "gap",
    "gap, log",
    "gap to the usual space",
    "gap to a wide space",
    "usual space",
    "wide space",
    "white between letters",
    "spaces, share",
    "gap to the usual gap",
    "pieces on the line",
    "narrowest gap of the line",
    "usual gap of the line",
    "widest gap of the line",
    "narrower gaps of the line",
    "wide gaps of the line",
    *(
        f"{what}, lines {way}"
        for way in ("above", "below")
        for what in (
            "pieces over it",
            "white over it",
            "left sides flush",
            "right sides flush",
            "goes on",
            "width through",
            "lines",
            "piece over it on the next line",
            "white over it on the next line",
        )
    ),
    "pieces that begin there",
    "pieces that end there",
    "pieces over it",
    *(
        f"{what}, {side}"
        for what in (
            "width",
            "letters",
            "words",
            "widest space",
            "height of letters",
            "width of letters",
            "height",
        )
        for side in ("left", "right")
    ),
    "gap to the widest space",
    "height, difference",
    "foot, difference",
    "top, difference",
    "pieces",
    "height of capitals",
)
"""What is measured of each gap: the white space between two pieces next to each other."""


@dataclass(frozen=True, eq=False)
class _Letters:
    """What is known of the letters of each piece, shape (n, 5), and of the page's spaces.

    Of a piece: how many letters and spaces, the widest white, the usual height and width of
    letters. Of the page: the usual space, a wide one, the white between letters, and which share of
    all white is spaces. Lengths are over the height of capitals.
    """

    pieces: Floats
    page: tuple[float, float, float, float]


def join_words(writing: Writing) -> Writing:
    """Join pieces next to each other on a line if the gap between them is probably just a space."""
    pairs, measures = measure_gaps(writing)
    if not len(pairs):
        return writing
    joined = pairs[load_perceptron(_MODEL).find_odds(measures) > LEAST_ODDS]
    if not len(joined):
        return writing
    # The first piece of each run, for all of them: pairs go from the left to the right.
    first = np.arange(len(writing.boxes))
    for left, right in joined.tolist():
        first[right] = first[left]
    boxes = writing.boxes.copy()
    np.minimum.at(boxes[:, 0], first, writing.boxes[:, 0])
    np.minimum.at(boxes[:, 1], first, writing.boxes[:, 1])
    np.maximum.at(boxes[:, 2], first, writing.boxes[:, 2])
    np.maximum.at(boxes[:, 3], first, writing.boxes[:, 3])
    kept = first == np.arange(len(first))
    return replace(writing, boxes=boxes[kept], lines=writing.lines[kept])


def measure_gaps(writing: Writing) -> tuple[Ints, Floats]:
    """Measure the narrow white between pieces that stand next to each other on a line.

    Returns
    -------
    shape (m, 2)
        The numbers of the left and the right piece, line by line, from the left.
    shape (m, len(MEASURES))
        See ``MEASURES``.
    """
    boxes, cap = writing.boxes, writing.cap_px
    lines = np.unique(writing.lines, return_inverse=True)[1].reshape(-1)
    order = np.lexsort((boxes[:, 0], lines))
    beside = lines[order][1:] == lines[order][:-1]
    left, right = order[:-1][beside], order[1:][beside]
    gaps = (boxes[right, 0] - boxes[left, 2]) / cap
    narrow = gaps < _MOST_CAPS
    if not narrow.any():
        return np.zeros((0, 2), np.int64), np.zeros((0, len(MEASURES)))
    pairs, own = np.column_stack([left, right])[narrow], gaps[narrow]
    letters = _measure_letters(writing)
    measures = np.column_stack(
        [
            _measure_widths(own, float(np.median(gaps)), letters.page),
            _measure_line(own, gaps, lines[left], lines[pairs[:, 0]]),
            *(_measure_near(pairs, writing, lines, sign) for sign in (-1, 1)),
            _measure_columns(pairs, boxes, cap),
            _measure_sides(pairs, boxes, cap, letters.pieces, own),
            np.full((len(own), 2), (np.log1p(len(boxes)), np.log(cap))),
        ]
    )
    return pairs, measures


def _measure_letters(writing: Writing) -> _Letters:
    boxes, cap = writing.boxes, writing.cap_px
    held = find_letters(boxes, writing.letters)
    letters = np.concatenate([own[np.argsort(own[:, 0])] for own in held])
    owner = np.repeat(np.arange(len(held)), [len(own) for own in held])
    out = np.zeros((len(boxes), 5))
    if not len(owner):
        return _Letters(out, (*_USUAL, 0.0))
    # So far right letters reach, those of one piece further than all of the piece before.
    shift = owner * (float(letters[:, 2].max()) + 1.0)
    reach = np.maximum.accumulate(letters[:, 2] + shift) - shift
    white = np.append(np.inf, letters[1:, 0] - reach[:-1]) / cap
    starts = np.flatnonzero(np.diff(owner, prepend=-1))
    inner = np.ones(len(owner), bool)
    inner[starts] = False
    counts = np.diff(np.append(starts, len(owner)))
    filled = owner[starts]
    out[filled, 0] = counts
    out[filled, 1] = np.add.reduceat(inner & (white > _SPACE_CAPS), starts)
    out[filled, 2] = np.maximum.reduceat(np.where(inner, white, 0.0), starts)
    for column, size in ((3, letters[:, 3] - letters[:, 1]), (4, letters[:, 2] - letters[:, 0])):
        out[filled, column] = size[np.lexsort((size, owner))][starts + counts // 2] / cap
    spaces, others = (white[inner & (wide)] for wide in (white > _SPACE_CAPS, white <= _SPACE_CAPS))
    usual, wide, close = _USUAL
    if len(spaces) >= _FEW:
        usual, wide = float(np.median(spaces)), float(np.quantile(spaces, 0.9))
    if len(others):
        close = float(np.median(others))
    return _Letters(out, (usual, wide, close, len(spaces) / max(int(inner.sum()), 1)))


def _measure_widths(own: Floats, usual: float, page: Sequence[float]) -> Floats:
    space, wide, close, share = page
    return np.column_stack(
        [
            own,
            np.log(np.maximum(own, _TINY_CAPS)),
            own / space,
            own / wide,
            np.full((len(own), 4), (space, wide, close, share)),
            own / max(usual, _TINY_CAPS),
        ]
    )


def _measure_line(own: Floats, gaps: Floats, line_of: Ints, line: Ints) -> Floats:
    """Measure the gaps of each gap's line; ``line_of`` tells the line of each of all ``gaps``."""
    order = np.lexsort((gaps, line_of))
    ordered, numbers = gaps[order], line_of[order]
    first = np.searchsorted(numbers, line)
    count = np.searchsorted(numbers, line, side="right") - first
    wide = np.bincount(line_of, gaps > _MOST_CAPS, minlength=int(line.max()) + 1)
    middle = (ordered[first + (count - 1) // 2] + ordered[first + count // 2]) / 2
    narrower = [
        int((ordered[a : a + n] < gap - _SAME_CAPS).sum())
        for a, n, gap in zip(first, count, own, strict=True)
    ]
    return np.column_stack(
        [
            np.log1p(count + 1),
            ordered[first],
            middle,
            ordered[first + count - 1] - own,
            narrower,
            wide[line],
        ]
    )


def _measure_near(pairs: Ints, writing: Writing, lines: Ints, sign: int) -> Floats:
    """Measure the nearest lines above each gap (``sign`` -1), or below it (1).

    Does white go on through them where the gap is, or is there writing?
    """
    boxes, cap = writing.boxes, writing.cap_px
    left, right = boxes[pairs[:, 0], 2], boxes[pairs[:, 1], 0]
    middle, line = (left + right) / 2, lines[pairs[:, 0]]
    count, last = len(pairs), int(lines.max())
    gap_after = np.full(len(boxes), -1)  # of each piece
    gap_after[pairs[:, 0]] = np.arange(count)
    over, white = np.zeros((2, _NEAR_LINES, count), bool)
    flush_left, flush_right, goes_on, known = np.zeros((4, count))
    low, high, unbroken = left.copy(), right.copy(), np.ones(count, bool)
    for n in range(_NEAR_LINES):
        piece, other = pair_lines(lines, sign * (n + 1))
        gap, other = gap_after[piece][gap_after[piece] >= 0], other[gap_after[piece] >= 0]
        before, after = boxes[other, 2] <= middle[gap], boxes[other, 0] >= middle[gap]
        end, begin = np.full(count, -np.inf), np.full(count, np.inf)
        np.maximum.at(end, gap[before], boxes[other[before], 2])
        np.minimum.at(begin, gap[after], boxes[other[after], 0])
        over[n] = np.bincount(gap[~before & ~after], minlength=count) > 0
        white[n] = np.isfinite(end) & np.isfinite(begin) & ~over[n]
        known += (line + sign * (n + 1) >= 0) & (line + sign * (n + 1) <= last)
        flush_left += white[n] & (np.abs(end - left) < _FLUSH_CAPS * cap)
        flush_right += white[n] & (np.abs(begin - right) < _FLUSH_CAPS * cap)
        narrowed = np.minimum(high, begin) - np.maximum(low, end)
        through = white[n] & unbroken & (narrowed > _THROUGH_CAPS * cap)
        low, high = (
            np.where(through, np.maximum(low, end), low),
            np.where(through, np.minimum(high, begin), high),
        )
        goes_on += through
        unbroken &= ~over[n]
    return np.column_stack(
        [
            over.sum(axis=0) / _NEAR_LINES,
            white.sum(axis=0) / _NEAR_LINES,
            flush_left / _NEAR_LINES,
            flush_right / _NEAR_LINES,
            goes_on / _NEAR_LINES,
            (high - low) / cap,
            known / _NEAR_LINES,
            over[0],
            white[0],
        ]
    )


def _measure_columns(pairs: Ints, boxes: Floats, cap: float) -> Floats:
    """Count the page's pieces whose sides are level with those of a gap, and those that cross it.

    Level: they begin where the gap ends, or end where it begins.
    """
    left, right = boxes[pairs[:, 0], 2][:, None], boxes[pairs[:, 1], 0][:, None]
    middle = (left + right) / 2
    begin, end = boxes[None, :, 0], boxes[None, :, 2]
    counts = (
        (np.abs(begin - right) < _FLUSH_CAPS * cap).sum(axis=1) - 1,
        (np.abs(end - left) < _FLUSH_CAPS * cap).sum(axis=1) - 1,
        ((begin < middle) & (end > middle)).sum(axis=1),
    )
    out: Floats = np.log1p(np.column_stack(counts))
    return out


def _measure_sides(pairs: Ints, boxes: Floats, cap: float, letters: Floats, own: Floats) -> Floats:
    """Measure the pieces on both sides of each gap."""
    both = boxes[pairs] / cap
    of_letters = letters[pairs]
    high = both[..., 3] - both[..., 1]
    return np.column_stack(
        [
            np.log1p(both[..., 2] - both[..., 0]),
            *(of_letters[..., k] for k in range(5)),
            high,
            own - of_letters[..., 2].max(axis=1),
            high[:, 0] - high[:, 1],
            np.abs(both[:, 0, 3] - both[:, 1, 3]),
            np.abs(both[:, 0, 1] - both[:, 1, 1]),
        ]
    )
