"""Finds dotted and dashed rules, which are rows of small marks, and draws them solid."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import level_at
from keel_line._shared.parts import find_parts
from keel_line.rule.writing import halve

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]

_LEAST_INK, _INK_SHARE = 40, 0.35
_FINE_DPI = 240.0  # from here on half the resolution tells marks as well
_LEAST_SIDE_PX = 8
_THIN_IN, _DASH_IN = 0.05, 0.11
_GAP_IN = 0.09
_LEAST_MARKS, _LEAST_RUN = 10, 3
_MOST_MARKS = 20_000  # more are dirt, or a printer's screen
_SHORT_IN = 0.5
_THICK_IN, _LONG_IN = 0.036, 1.6  # in short rows such marks may be small letters
_JOINED_IN, _INKED = 0.5, 0.3
_EVEN, _LEAST_APART = 0.5, 1.7
_LETTER_IN = (0.035, 0.22)
_WORD_IN = 0.03  # letters of a word stand no further apart
_BESIDE_IN, _LEVEL_IN, _FOOT_IN, _HANGING_IN = 0.2, 0.012, 0.006, 0.05
_MOSTLY, _SAME_PX = 0.5, 1
_NEAR_IN, _NEXT, _OFF_PITCH = 0.35, 1.8, 0.12
_LINE_PITCHES, _CLOSE_PITCHES = 2.2, 1.2
_SOME_MARKS, _LINE_IN = 16, 2.0


@dataclass(frozen=True, eq=False)
class _Marks:
    """Parts of a page's ink: their x, y, width and height, and their middles, in px."""

    boxes: Ints
    middles: Floats


@dataclass(frozen=True, eq=False)
class _Row:
    """A dotted or dashed rule: the middles (x, y) of its marks in order, and its thickness (px)."""

    points: Floats
    thick: int


def draw_dotted_whole(ink: NDArray[np.uint8], dpi: float) -> NDArray[np.uint8]:
    """Return the darkness of a page (0 to 255) with its dotted and dashed rules drawn whole.

    Such a rule is a row of marks of one size at one distance. A row of dots that leads from a word
    to a figure is none.
    """
    scale = 2 if dpi >= _FINE_DPI and min(ink.shape) >= _LEAST_SIDE_PX else 1
    inch = dpi / scale
    small = halve(ink) if scale == 2 else ink
    depth = level_at(np.asarray(small[::3]), 0.99)
    _, dark = cv2.threshold(small, max(_LEAST_INK, _INK_SHARE * depth), 1, cv2.THRESH_BINARY)
    mask = np.asarray(dark, np.uint8)
    marks = _find_marks(mask)
    rows = _find_rows(marks, mask, inch, _are_of_text)
    if rows:  # they hide marks of rules down where they cross them
        for row in rows:
            _draw(mask, row.points, row.thick + 2, 0)
        marks = _find_marks(mask)
    turned = _Marks(marks.boxes[:, [1, 0, 3, 2]], marks.middles[:, ::-1])
    down = _find_rows(turned, mask.T, inch, _stand_in_lines)
    rows += [_Row(row.points[:, ::-1], row.thick) for row in down]
    if not rows:
        return ink
    out = ink.copy()
    for row in rows:
        places = np.rint(row.points * scale).astype(int)
        level = float(np.median(ink[places[:, 1], places[:, 0]]))
        _draw(out, places, row.thick * scale, level)
    return np.asarray(cv2.max(out, ink), np.uint8)


def _draw(picture: NDArray[np.uint8], points: Floats | Ints, thick: int, level: float) -> None:
    line = np.rint(points).astype(np.int32).reshape(-1, 1, 2)
    cv2.polylines(picture, [line], isClosed=False, color=level, thickness=max(1, thick))


def _find_marks(mask: NDArray[np.uint8]) -> _Marks:
    _, table, middles = find_parts(mask)
    return _Marks(table[1:, :4], middles[1:])


def _find_rows(
    parts: _Marks,
    mask: NDArray[np.uint8],
    inch: float,
    is_writing: Callable[[Ints, Ints, float], bool],
) -> list[_Row]:
    """Find the rows of marks across among the parts of a mask of ink.

    ``is_writing`` tells from the boxes of a row and of all parts, and from how many px an inch
    has, whether the row belongs to what is written.
    """
    wide, high = parts.boxes[:, 2], parts.boxes[:, 3]
    fit = (high <= _THIN_IN * inch) & (wide <= _DASH_IN * inch)
    if int(fit.sum()) > _MOST_MARKS:
        return []
    marks = _Marks(parts.boxes[fit], parts.middles[fit])
    out = []
    for runs in _join(_chain(marks, inch), marks, mask, inch):
        own = np.concatenate(runs)
        boxes = marks.boxes[own]
        start, end = int(boxes[0, 0]), int(boxes[-1, 0] + boxes[-1, 2]) - 1
        thick = float(np.median(boxes[:, 3]))
        if (
            end - start >= (_LONG_IN if thick > _THICK_IN * inch else _SHORT_IN) * inch
            and _is_even(boxes, inch)
            and not is_writing(boxes, parts.boxes, inch)
        ):
            points = marks.middles[own].copy()
            points[0, 0], points[-1, 0] = start, end
            out.append(_Row(points, round(thick)))
    return out


def _chain(marks: _Marks, inch: float) -> list[Ints]:
    """Return runs of marks (their numbers) from left to right, level and close to each other."""
    boxes, middles = marks.boxes, marks.middles
    if len(boxes) < _LEAST_MARKS:
        return []
    # Loaded here: the window, which never comes this way, would wait for it.
    from scipy.spatial import cKDTree  # noqa: PLC0415

    reach = np.array([(_GAP_IN + _DASH_IN) * inch, max(1.0, _LEVEL_IN * inch)])
    pairs = cKDTree(middles / reach).query_pairs(1.0, p=np.inf, output_type="ndarray")
    turned = middles[pairs[:, 0], 0] > middles[pairs[:, 1], 0]
    pairs[turned] = pairs[turned][:, ::-1]
    gaps = boxes[pairs[:, 1], 0] - boxes[pairs[:, 0], 0] - boxes[pairs[:, 0], 2]
    near = (gaps >= 0) & (gaps <= _GAP_IN * inch)
    pairs = pairs[near][np.argsort(-gaps[near], kind="stable")]  # the nearest is written last
    after, before = np.full((2, len(boxes)), -1)
    after[pairs[:, 0]], before[pairs[:, 1]] = pairs[:, 1], pairs[:, 0]
    numbers = np.arange(len(boxes))
    after[before[after] != numbers] = -1
    before[after[before] != numbers] = -1
    following = after.tolist()
    out = []
    for first in np.flatnonzero((after >= 0) & (before < 0)).tolist():
        run = [first]
        while following[run[-1]] >= 0:
            run.append(following[run[-1]])
        if len(run) >= _LEAST_RUN:
            out.append(np.array(run, np.int64))
    return out


def _join(
    runs: list[Ints], marks: _Marks, mask: NDArray[np.uint8], inch: float
) -> list[list[Ints]]:
    """Put runs on one line together where letters, or other rules, touch the marks between them."""
    off, reach = max(1.0, _LEVEL_IN * inch), _JOINED_IN * inch
    rows: list[list[Ints]] = []
    level: dict[int, list[int]] = {}  # the rows by the height of their last mark
    for run in sorted(runs, key=lambda r: float(marks.middles[r[0], 0])):
        x, y = marks.middles[run[0]].tolist()
        band = int(y / off)
        for number in (n for k in (band - 1, band, band + 1) for n in level.get(k, ())):
            last = rows[number][-1][-1]
            end_x, end_y = marks.middles[last].tolist()
            near = 0 < x - end_x <= reach and abs(y - end_y) <= off
            if near and _is_inked(mask, marks.boxes[last], marks.boxes[run[0]]):
                level[int(end_y / off)].remove(number)
                rows[number].append(run)
                break
        else:
            number = len(rows)
            rows.append([run])
        level.setdefault(int(marks.middles[run[-1], 1] / off), []).append(number)
    return rows


def _is_inked(mask: NDArray[np.uint8], before: Ints, after: Ints) -> bool:
    """Return whether the space between two marks is filled by letters or other rules."""
    top = min(int(before[1]), int(after[1]))
    foot = max(int(before[1] + before[3]), int(after[1] + after[3]))
    between = mask[top:foot, int(before[0] + before[2]) : int(after[0])]
    return bool(between.size) and float(between.any(axis=0).mean()) >= _INKED


def _is_even(boxes: Ints, inch: float) -> bool:
    """Return whether marks, from the left, stand at one distance; some may be broken or gone.

    The row is compared with itself some way on (autocorrelation).
    """
    if len(boxes) < _LEAST_MARKS:
        return False
    first = int(boxes[0, 0])
    inked = np.zeros(int(boxes[-1, 0] + boxes[-1, 2]) - first)
    for x, wide in (boxes[:, [0, 2]] - (first, 0)).tolist():
        inked[x : x + wide] = 1.0
    inked -= inked.mean()
    most = min(round((_GAP_IN + _DASH_IN) * inch), len(inked) - 1)
    likeness = np.array([float(inked[k:] @ inked[: len(inked) - k]) for k in range(most)])
    alike = likeness >= _EVEN * likeness[0]
    alike[: int((likeness < 0).argmax())] = False
    # Letters of one width stand as even, but closer to each other than they are high.
    least = _LEAST_APART * (float(np.median(boxes[:, 3])) - 1)
    return bool(alike.any()) and int(alike.argmax()) >= least


def _are_of_text(boxes: Ints, parts: Ints, inch: float) -> bool:
    """Return whether marks are dots that lead from word to word, or hyphens in typed text."""
    low, high = (a * inch for a in _LETTER_IN)
    fit = (parts[:, 3] >= low) & (parts[:, 3] <= high) & (parts[:, 2] <= 2 * high)
    fit &= np.abs(parts[:, 3] - boxes[0, 3]) + np.abs(parts[:, 1] - boxes[0, 1]) > _SAME_PX
    letters = parts[fit]
    return _lead(boxes, letters, inch) or _are_typed(boxes, letters, inch)


def _are_typed(boxes: Ints, letters: Ints, inch: float) -> bool:
    """Return whether marks are typed hyphens: letters nearby are spaced alike, none just above."""
    pitch = float(np.median(np.diff(boxes[:, 0] + boxes[:, 2] / 2)))
    x = letters[:, 0] + letters[:, 2] / 2
    feet = letters[:, 1] + letters[:, 3]
    near = (
        (x >= boxes[0, 0]) & (x <= boxes[-1, 0]) & (np.abs(feet - boxes[0, 1]) <= _NEAR_IN * inch)
    )
    order = np.lexsort((x[near], np.round(feet[near] / (_HANGING_IN * inch))))
    steps = np.diff(x[near][order])
    steps = steps[(steps > 0) & (steps < _NEXT * pitch)]
    alike = np.abs(steps - pitch) <= _OFF_PITCH * pitch
    if len(steps) < _LEAST_MARKS or float(alike.mean()) <= _MOSTLY:
        return False
    white = boxes[0, 1] - feet[near]
    white = white[(white > 0) & (white <= _LINE_PITCHES * pitch)]
    return not len(white) or float(np.median(white)) >= _CLOSE_PITCHES * pitch


def _lead(boxes: Ints, letters: Ints, inch: float) -> bool:
    """Return whether marks lead to or from a word: letters at their ends stand on their line."""
    first, last = boxes[0], boxes[-1]
    feet = letters[:, 1] + letters[:, 3]
    for mark, apart in (
        (first, first[0] - letters[:, 0] - letters[:, 2]),
        (last, letters[:, 0] - last[0] - last[2]),
    ):
        # A letter that hangs down to a rule has others beside it that end above.
        level = (letters[:, 1] <= mark[1]) & (feet >= mark[1] - _HANGING_IN * inch)
        beside = level & (apart >= 0) & (apart <= _BESIDE_IN * inch)
        standing = np.abs(feet - mark[1] - mark[3]) <= max(1.0, _FOOT_IN * inch)
        if beside.any() and float(standing[beside].mean()) > _MOSTLY:
            return True
    return False


def _stand_in_lines(boxes: Ints, parts: Ints, inch: float) -> bool:
    """Return whether most of the marks that run down a page are letters of its lines.

    They begin and end where a letter does, or where another mark close beside them does; or begin
    or end where the next letter of their word does. In both arrays rows and columns are exchanged.
    """
    boxes = boxes[:: max(1, len(boxes) // _SOME_MARKS)]  # a few tell
    parts = parts[np.abs(parts[:, 1] - boxes[0, 1]) <= _LINE_IN * inch]
    (first, last), (begins, ends) = ((b[:, 0], b[:, 0] + b[:, 2]) for b in (boxes, parts))
    begin = np.abs(first[:, None] - begins) <= _SAME_PX
    end = np.abs(last[:, None] - ends) <= _SAME_PX
    apart = np.maximum(boxes[:, None, 1], parts[:, 1]) - np.minimum(
        boxes[:, None, 1] + boxes[:, None, 3], parts[:, 1] + parts[:, 3]
    )
    letters = parts[:, 3] > _THIN_IN * inch
    beside = begin & end & (apart > 0) & (letters | (apart <= _BESIDE_IN * inch))
    beside |= (begin | end) & (apart > 0) & (apart <= _WORD_IN * inch)
    return float(beside.any(axis=1).mean()) > _MOSTLY
