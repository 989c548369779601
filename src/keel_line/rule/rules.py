"""Ruling lines, also broken or faint ones, as straight segments with sub-pixel places.

A pixel belongs to a line across where it is inked and the paper just above and just below it is
clear; a letter's strokes fail that, as they run on upwards or downwards. A line lies where such
pixels fill most of a window along it, which bridges small breaks and drops lone strokes. Rows of
letters do as well: a small perceptron tells them from lines; ``training.rules`` fits it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, level_at, measure_darkness
from keel_line._shared.parts import find_parts
from keel_line.model.grid import Direction, Rule
from keel_line.rule.dotted import draw_dotted_whole
from keel_line.rule.perceptron import load_perceptron

_FLOOR = 14.0
_WINDOW_IN = 0.12
_THIN_SIDE_IN = 0.018
_THICK_SIDE_IN = 0.07
_THICK_IN = 0.02
_DOUBLE_IN = 0.035
_DOUBLE_SIDE_IN = 0.045
_LEAST_LENGTH_IN = 0.17
_SHORT_THICK_IN, _LETTERS_IN = 0.5, 0.04  # as high as a double line and so short: letters
_LETTER_GAP_IN, _LETTERS_BARE, _BARE_IN = 0.02, 0.4, 0.015
_FILLED = 0.5
_STROKE_IN, _STROKE_DARK, _STROKE_SIDE_IN, _WHOLE = 0.5, 0.4, 0.02, 0.95
_LEAST_STEMS, _STEM_IN, _ALIKE_IN = 2, 0.05, 0.015
_MOSTLY_STEMS, _MOST_OF_STEP, _WHITE_IN = 0.9, 0.8, 0.015
_LEAST_CLEAR = 0.72
_THICKEST_IN = 0.065
_FAINT = 0.25
_STEEPEST = 0.03
_COARSE = 4
_SAMPLES = 9
_FINE_DPI = 240.0  # from here on half the rows tell lines as well
_LEAST_ROWS = 16
_STREAK_SLACK = 0.035
_MOST_STREAKS = 2
_LEAST_WITHIN = 2
_SHORT_IN = 1.2
_GROW_IN = 2.5
_GROW_GAP_IN = 0.012
_CORE = 0.8
_MODEL = Path(__file__).parent / "data" / "rules.json"
LEAST_ODDS = 0.0
"""A traced line counts as a ruling line if its log odds are greater than this."""

_LEAST_INKED = 0.4  # dots that lead from a word to a figure have less

MEASURES = (
    "length, log",
    "inked",
    "clear",
    "inked, not clear",
    "bare",
    "solid",
    "thickness",
    "thickness, px",
    "thickness as traced",
    "darkness",
    "darkness to the page's",
    "slope",
)
"""The measures of a traced line that tell ruling lines from rows of letters."""


@dataclass(frozen=True, eq=False)
class Fullness:
    """How full (0 to 255) windows along a page's rows are, one value for each block of pixels.

    ``high`` and ``wide`` are a block's height and width in px.
    """

    values: NDArray[np.uint8]
    high: int
    wide: int


@dataclass(frozen=True, eq=False)
class RuleField:
    """Where lines may lie: how full of line pixels the window around each pixel is.

    ``across`` is for lines across the page, ``down`` for lines down it; ``ink`` is the darkness
    below the paper's level. ``down`` and ``ink_turned`` have rows and columns exchanged, so that
    lines down the page run along their rows. ``depth`` is the darkness of the page's darkest ink.
    """

    across: Fullness
    down: Fullness
    ink: NDArray[np.uint8]
    ink_turned: NDArray[np.uint8]
    depth: float
    dpi: float


def make_rule_field(flat: Grey, dpi: float) -> RuleField:
    """Compute the line fields of a page whose light is even (see ``flatten_light``)."""
    ink = draw_dotted_whole(measure_darkness(flat), dpi)
    turned = np.asarray(cv2.transpose(ink), np.uint8)
    depth = float(level_at(np.asarray(ink[::3]), 0.99))
    return RuleField(_fill(ink, dpi, depth), _fill(turned, dpi, depth), ink, turned, depth, dpi)


def _fill(ink: NDArray[np.uint8], dpi: float, depth: float) -> Fullness:
    """Return how full of pixels of lines across each window is."""
    window = max(9, round(dpi * _WINDOW_IN) | 1)
    # The field is smooth along the lines: it is worked out in a few columns of each window.
    wide = max(1, min(_COARSE, window // _SAMPLES))
    soft = np.ascontiguousarray(np.asarray(cv2.blur(ink, (5, 1)), np.uint8)[:, ::wide])
    # Of two rows the darker one tells as much where dots are small, and leaves no line out.
    high = 2 if dpi >= _FINE_DPI and len(soft) >= _LEAST_ROWS else 1
    if high == 2:
        soft = np.asarray(cv2.max(soft[: len(soft) // 2 * 2 : 2], soft[1::2]), np.uint8)
    rows = soft[:: 4 // high]
    noise = (
        1.5 * level_at(np.asarray(cv2.absdiff(rows[1:], rows[:-1])), 0.5) if len(rows) > 1 else 0
    )
    least = int(max(_FLOOR, 4 * noise))
    inch = dpi / high
    thin = _clear_sides(soft, soft, max(2, round(inch * _THIN_SIDE_IN)), least)
    eroded = cv2.erode(soft, np.ones((max(2, round(inch * _THICK_IN)), 1), np.uint8))
    thick = _clear_sides(np.asarray(eroded, np.uint8), soft, round(inch * _THICK_SIDE_IN), least)
    # A double line is closed into one; its two strokes are too near each other to be told apart.
    closed = cv2.morphologyEx(
        soft, cv2.MORPH_CLOSE, np.ones((round(inch * _DOUBLE_IN), 1), np.uint8)
    )
    eroded = cv2.erode(closed, np.ones((max(2, round(inch * _THICK_IN)), 1), np.uint8))
    double = _clear_sides(np.asarray(eroded, np.uint8), soft, round(inch * _DOUBLE_SIDE_IN), least)
    samples = round(window / wide) | 1

    def fill(pixels: NDArray[np.uint8]) -> NDArray[np.uint8]:
        return np.asarray(cv2.blur(pixels, (samples, 1), borderType=cv2.BORDER_CONSTANT), np.uint8)

    single = fill(np.asarray(cv2.bitwise_or(thin, thick), np.uint8))
    # Only where its strokes were not told apart.
    reach = np.ones((2 * round(inch * _DOUBLE_IN) + 1, 1), np.uint8)
    _, told = cv2.threshold(single, int(255 * _FILLED), 255, cv2.THRESH_BINARY)
    values = cv2.max(single, cv2.subtract(fill(double), cv2.dilate(told, reach)))
    strokes = _find_strokes(ink, (high, wide), dpi, depth)
    # Letters close above and below a long stroke would otherwise be traced together with it.
    beside = cv2.dilate(strokes, np.ones((2 * round(inch * _STROKE_SIDE_IN) + 1, 1), np.uint8))
    values = cv2.max(cv2.subtract(values, beside), strokes)
    return Fullness(np.asarray(values, np.uint8), high, wide)


def _find_strokes(
    ink: NDArray[np.uint8], block: tuple[int, int], dpi: float, depth: float
) -> NDArray[np.uint8]:
    """Return the picture in blocks: 255 where a long, thin, unbroken line fills one, else 0.

    ``block`` is the height and width (px) of a block.
    """
    high, wide = block
    dark = max(_FLOOR, _STROKE_DARK * depth)
    if high == 2:
        ink = np.asarray(cv2.max(ink[: len(ink) // 2 * 2 : 2], ink[1::2]), np.uint8)
    core = cv2.erode(ink, np.ones((1, wide), np.uint8))
    _, core = cv2.threshold(np.ascontiguousarray(core[:, ::wide]), dark, 255, cv2.THRESH_BINARY)
    inch = (dpi / high, dpi / wide)
    long, thick = (
        cv2.morphologyEx(core, cv2.MORPH_OPEN, np.ones(size, np.uint8))
        for size in ((1, round(inch[1] * _STROKE_IN)), (round(inch[0] * _THICKEST_IN) + 1, 1))
    )
    return np.asarray(cv2.subtract(long, thick), np.uint8)


def _clear_sides(
    centre: NDArray[np.uint8], ink: NDArray[np.uint8], side: int, least: int
) -> NDArray[np.uint8]:
    """Return 255 where ``centre`` is inked and the ink ``side`` rows off is under half of it."""
    sides = np.zeros_like(ink)
    sides[side:] = ink[:-side]
    cv2.max(sides[:-side], ink[side:], dst=sides[:-side])
    cv2.add(sides, sides, dst=sides)  # ends at 255, which no ink is darker than
    _, inked = cv2.threshold(centre, least, 255, cv2.THRESH_BINARY)
    clear = cv2.compare(cv2.subtract(centre, np.ones_like(centre)), sides, cv2.CMP_GT)
    return np.asarray(cv2.bitwise_and(inked, clear), np.uint8)


def find_rules(field: RuleField) -> list[Rule]:
    """Find the ruling lines of a page.

    Returns
    -------
    list of Rule
        Lines across and lines down, in no particular order.
    """
    rows, cols = field.ink.shape
    across = _drop_streaks(_trace(field, "across"), cols)
    down = _drop_streaks(_trace(field, "down"), rows)
    return [*across, *(r for r in down if not _are_letters(r, across, field))]


def _are_letters(rule: Rule, across: Sequence[Rule], field: RuleField) -> bool:
    """Return whether a line down is strokes of letters or figures that stand above each other.

    They are alike, with white between them, and keep off rules between their rows. A line goes on
    through the rules that cross it, or is broken anywhere.
    """
    dpi = field.dpi
    inked = _columns(field.ink_turned, rule, rule.start, rule.end, dpi, rule.level).inked
    first, place = int(rule.start), rule.at((rule.start + rule.end) / 2)
    crossed = [r for r in across if r.start <= place <= r.end]
    for other in crossed:
        at, half = other.at(place) - first, other.thickness_px / 2 + 1.0
        inked[max(0, round(at - half)) : max(0, round(at + half))] = False
    runs = np.flatnonzero(np.diff(np.concatenate([[0], inked.astype(int), [0]]))).reshape(-1, 2)
    lengths = runs[:, 1] - runs[:, 0]
    stems = lengths >= dpi * _STEM_IN  # dots and dashes are shorter
    if lengths[stems].sum() < _MOSTLY_STEMS * lengths.sum() or stems.sum() < _LEAST_STEMS:
        return False
    runs, lengths = runs[stems], lengths[stems]
    # The line may begin or end within a stem.
    whole = lengths[1:-1] if len(runs) > _LEAST_STEMS else lengths
    step = float(np.median(np.diff(runs[:, 1])))
    if lengths.max() - whole.min() > dpi * _ALIKE_IN or lengths.max() > _MOST_OF_STEP * step:
        return False
    marks = np.array([r.at(place) - first for r in crossed]).reshape(-1, 1)
    near = (marks > runs[:, 0] - dpi * _WHITE_IN) & (marks < runs[:, 1] + dpi * _WHITE_IN)
    return not near.any()


def _drop_streaks(rules: list[Rule], extent: int) -> list[Rule]:
    """Leave out a line or two from edge to edge of a page whose other lines end before: streaks.

    Dust under a lamp draws them. On a picture cut out along a table every rule runs so; those stay.
    ``extent`` is the page's size along the lines.
    """
    slack = _STREAK_SLACK * extent
    within = [r for r in rules if r.start > slack or r.end < extent - slack]
    through = len(rules) - len(within)
    return within if through <= _MOST_STREAKS and len(within) >= _LEAST_WITHIN else rules


def _trace(field: RuleField, direction: Direction) -> list[Rule]:
    turned, dpi = direction == "down", field.dpi
    full, ink = (field.down, field.ink_turned) if turned else (field.across, field.ink)
    least = max(12, round(dpi * _LEAST_LENGTH_IN))
    segments = []
    for patch, (left, top) in _ridges(full, least, dpi):
        below = ink[top : top + len(patch), left : left + patch.shape[1]]
        seen = patch[: below.shape[0], : below.shape[1]]
        segment = _fit(seen, below, (left, top), direction)
        if segment is not None:
            segments.append(segment)
    fit = (s for s in _join(segments, dpi) if s.length >= least and abs(s.slope) <= _STEEPEST)
    measured = [_measure(s, ink, dpi, field.depth) for s in fit]
    kept = sorted(
        (m for m in measured if m is not None and m.length >= least), key=lambda r: r.level
    )
    if not kept:
        return []
    usual_slope = float(
        np.median([r.slope for r in kept if r.length >= max(k.length for k in kept) / 2])
    )
    kept = [_grown(r, ink, dpi, usual_slope) for r in kept]
    # What shines through from the back of the sheet is far fainter than the page's own lines.
    lengths = np.cumsum([r.length for r in kept])
    usual = kept[int(np.searchsorted(lengths, lengths[-1] / 2))].level
    return [r for r in kept if r.level >= _FAINT * usual]


def _ridges(
    field: Fullness, least: int, dpi: float
) -> Iterator[tuple[NDArray[np.bool_], tuple[int, int]]]:
    """Yield the pixels of each long full region, and (x, y) of their upper left one."""
    _, mask = cv2.threshold(field.values, int(255 * _FILLED), 1, cv2.THRESH_BINARY)
    # The field is smooth along the lines: every fourth column shows what hangs together.
    every = max(1, _COARSE // field.wide)
    coarse = np.ascontiguousarray(mask[:, ::every], np.uint8)
    labels, table, _ = find_parts(coarse)
    step = every * field.wide
    for i, (x, y, width, height, _area) in enumerate(table.tolist()):
        long, high = step * width, height * field.high
        if (
            not i
            or long < max(0.8 * least, 3 * high)
            or (long < _SHORT_THICK_IN * dpi and high > _LETTERS_IN * dpi)
        ):
            continue
        # A column more on either side, for the region may begin between two that were looked at.
        x0, x1 = max(0, x - 1), x + width + 1
        own = np.repeat(labels[y : y + height, x0:x1] == i, every, axis=1).astype(np.uint8)
        if every > 1:
            own = np.asarray(cv2.dilate(own, np.ones((1, 2 * every - 1), np.uint8)), np.uint8)
        part = mask[y : y + height, x0 * every : x0 * every + own.shape[1]]
        patch = (own[:, : part.shape[1]] > 0) & (part > 0)
        patch = np.repeat(np.repeat(patch, field.high, axis=0), field.wide, axis=1)
        yield patch, (x0 * step, y * field.high)


def _fit(
    patch: NDArray[np.bool_],
    heights: NDArray[np.uint8],
    origin: tuple[int, int],
    direction: Direction,
) -> Rule | None:
    """Fit a straight line through the ridge's middle, column by column."""
    weight = (heights * patch).astype(np.float32)
    levels = np.arange(len(patch), dtype=np.float32)[:, None]
    total = cv2.reduce(weight, 0, cv2.REDUCE_SUM)[0]
    moment = cv2.reduce(weight * levels, 0, cv2.REDUCE_SUM)[0]
    cols = np.nonzero(total > 0)[0]
    if len(cols) < 8:
        return None
    middle = (moment[cols] / total[cols]).astype(np.float64)
    slope, start = 0.0, _median(middle)
    keep = np.ones(len(cols), bool)
    for _ in range(2):
        x, y = cols[keep].astype(float), middle[keep]
        across = float(x.sum()) / len(x)
        dx = x - across
        slope = float(dx @ y / max(float(dx @ dx), 1e-9))
        start = float(y.sum()) / len(y) - slope * across
        off = np.abs(middle - (start + slope * cols))
        keep = off <= max(1.0, 2.5 * _median(off))
        if keep.sum() < 8:
            break
    thickness = _median(patch.sum(axis=0)[cols])
    first, last = int(cols[0]), int(cols[-1]) + 1
    return Rule(
        direction=direction,
        start=float(origin[0] + first),
        end=float(origin[0] + last),
        position=float(origin[1] + start + slope * first),
        slope=float(slope),
        thickness_px=thickness,
        strength=1.0,
    )


def _join(segments: list[Rule], dpi: float) -> list[Rule]:
    """Join segments that lie on one line with a gap of less than a fifth of an inch.

    A piece far thicker is of a row of letters that the line passes close to.
    """
    gap, off, thicker = dpi / 5, max(2.5, dpi / 90), max(3.0, dpi / 75)
    joined: list[Rule] = []
    for segment in sorted(segments, key=lambda r: r.start):
        for i, other in enumerate(joined):
            if not -gap <= segment.start - other.end <= gap:
                continue
            if abs(segment.thickness_px - other.thickness_px) > thicker:
                continue
            meets = abs(other.at(segment.start) - segment.position) <= off
            if meets and abs(segment.at(other.end) - other.at(other.end)) <= 2 * off:
                joined[i] = _together(other, segment)
                break
        else:
            joined.append(segment)
    return joined


def _together(a: Rule, b: Rule) -> Rule:
    end = max(a.end, b.end)
    far = b if b.end >= a.end else a
    slope = (far.at(end) - a.position) / max(end - a.start, 1.0)
    thickness = (a.thickness_px * a.length + b.thickness_px * b.length) / (a.length + b.length)
    return Rule(a.direction, a.start, end, a.position, slope, thickness, 1.0)


def _measure(rule: Rule, ink: NDArray[np.uint8], dpi: float, depth: float) -> Rule | None:
    """Measure the line's thickness, strength and level; None where it is no ruling line.

    A line that was traced on into letters beside its end is cut back to its clear part.
    """
    along = _columns(ink, rule, rule.start, rule.end, dpi, None)
    found = _accept(rule, _summarise(along), dpi, depth)
    if found is not None:
        return _without_letters(found, along, dpi)
    if rule.length >= dpi * _LEAST_LENGTH_IN * 1.5:
        shorter = _cut_back(rule, along.clear, dpi)
        if shorter is not None:
            seen = look_along(ink, shorter, shorter.start, shorter.end, dpi)
            return _accept(shorter, seen, dpi, depth)
    return None


def _without_letters(rule: Rule, along: _Columns, dpi: float) -> Rule:
    """Return a line without the letters beyond a gap that it was traced on into at its ends.

    Few columns of such letters have bare paper on both sides.
    """
    edges = np.flatnonzero(np.diff(np.concatenate([[0], along.inked.astype(int), [0]])))
    runs = edges.reshape(-1, 2)
    gaps = np.flatnonzero(runs[1:, 0] - runs[:-1, 1] >= max(2, round(dpi * _LETTER_GAP_IN)))
    cuts = [0, *(gaps + 1).tolist(), len(runs)]
    parts = np.array([(runs[a, 0], runs[b - 1, 1]) for a, b in pairwise(cuts) if a < b])
    long = parts[:, 1] - parts[:, 0]
    bare = np.array([np.count_nonzero(along.bare[a:b]) for a, b in parts])
    longest = int(long.argmax())
    # From the longest part outwards: single letters, such as an E, can be bare.
    before = np.cumsum(bare[:longest]) < _LETTERS_BARE * np.cumsum(long[:longest])
    after = np.cumsum(bare[:longest:-1]) < _LETTERS_BARE * np.cumsum(long[:longest:-1])
    first = int(np.flatnonzero(before).max(initial=-1)) + 1
    last = len(parts) - int(np.flatnonzero(after).max(initial=-1)) - 1
    if last - first == len(parts):
        return rule
    start, end = rule.start + float(parts[first, 0]), rule.start + float(parts[last - 1, 1])
    if end - start < dpi * _LEAST_LENGTH_IN:
        return rule
    return replace(rule, start=start, end=end, position=rule.at(start))


def _accept(rule: Rule, seen: Look, dpi: float, depth: float) -> Rule | None:
    if seen.thickness_px > max(4, dpi * _THICKEST_IN) or seen.inked < _LEAST_INKED:
        return None
    # No row of letters has a long stroke without a gap.
    whole = seen.inked >= _WHOLE and seen.stroke_px >= dpi * _STROKE_IN
    measures = measure_line(rule, seen, dpi, depth)
    if not whole and load_perceptron(_MODEL).find_odds(measures[None])[0] <= LEAST_ODDS:
        return None
    return replace(rule, thickness_px=seen.thickness_px, strength=seen.inked, level=seen.level)


def measure_line(rule: Rule, seen: Look, dpi: float, depth: float) -> NDArray[np.float64]:
    """Measure what may be a ruling line, shape (len(MEASURES),).

    ``rule`` is as it was traced, ``seen`` what lies along it, and ``depth`` how far the page's
    darkest ink lies below its paper (grey levels).
    """
    return np.array(
        [
            np.log(rule.length / dpi),
            seen.inked,
            seen.clear,
            seen.inked - seen.clear,
            seen.bare,
            seen.solid,
            seen.thickness_px / dpi,
            seen.thickness_px,
            rule.thickness_px / dpi,
            seen.level,
            seen.level / max(depth, _FLOOR),
            abs(rule.slope),
        ]
    )


def _grown(rule: Rule, ink: NDArray[np.uint8], dpi: float, slope: float) -> Rule:
    """Draw a short line on for as long as its ink goes on without a gap.

    A faint rule between two lines of a heading is traced only where no letters stand near it.
    """
    if rule.length > dpi * _SHORT_IN:
        return rule
    middle = (rule.start + rule.end) / 2
    level = replace(rule, slope=slope, position=rule.at(middle) - slope * rule.length / 2)
    reach = dpi * _GROW_IN
    first, last = max(0.0, rule.start - reach), min(float(ink.shape[1]), rule.end + reach)
    inked = _columns(
        ink, replace(level, start=first, position=level.at(first)), first, last, dpi, rule.level
    ).inked
    gap = max(2, round(dpi * _GROW_GAP_IN))
    # A column counts as bare only where all of a small window is.
    bare = np.convolve(~inked, np.ones(gap, int), "same") >= gap
    at = int(middle - int(first))
    left = np.flatnonzero(bare[:at])
    right = np.flatnonzero(bare[at:])
    start = first + (int(left[-1]) + gap // 2 + 1 if len(left) else 0)
    end = first + at + (int(right[0]) - gap // 2 if len(right) else len(bare) - at)
    start, end = min(start, rule.start), max(end, rule.end)
    return replace(level, start=start, end=end, position=level.at(start))


def _cut_back(rule: Rule, clear: NDArray[np.bool_], dpi: float) -> Rule | None:
    """Return the longest stretch of a line on which nearly every column is clear."""
    window = max(9, round(dpi * _WINDOW_IN) | 1)
    share = np.convolve(clear, np.ones(window) / window, mode="same")
    edges = np.flatnonzero(np.diff(np.concatenate([[0], (share >= 0.75).astype(int), [0]])))
    if len(edges) == 0:
        return None
    runs = edges.reshape(-1, 2)
    first, last = runs[(runs[:, 1] - runs[:, 0]).argmax()]
    inside = np.flatnonzero(clear[first:last])
    if len(inside) == 0 or last - first >= rule.length - 2:
        return None
    start = rule.start + first + inside[0]
    return replace(
        rule,
        start=float(start),
        end=float(rule.start + first + inside[-1] + 1),
        position=rule.at(float(start)),
    )


@dataclass(frozen=True)
class Look:
    """What lies along a piece of a line.

    ``inked`` is the share of its length with ink; ``clear`` the share with ink and light paper on
    both sides, ``bare`` that with light paper close to it; ``level`` the darkness of its ink;
    ``solid`` the share of the inked columns that are dark through most of the line's thickness, and
    ``stroke_px`` the most of these in a row.

    On made pages 98 of 100 rows of letters are clear along less than 0.73 and inked along less
    than 0.85 of their length. A rule is clear, or has no gap though text stands close to it, or
    is broken but clear where it is inked.
    """

    inked: float
    clear: float
    bare: float
    level: float
    thickness_px: float
    solid: float
    stroke_px: float

    @property
    def is_broken_line(self) -> bool:
        """Whether gaps are all that tells it from a whole line."""
        return self.inked >= 0.4 and self.clear >= 0.92 * self.inked

    @property
    def is_line(self) -> bool:
        """Whether this is a piece of a line, whole or broken."""
        return self.clear >= _LEAST_CLEAR or self.is_whole_line or self.is_broken_line

    @property
    def is_whole_line(self) -> bool:
        """Whether it has no gap, though letters may stand close to it."""
        return self.inked >= 0.95 and self.clear >= 0.15


def look_along(
    ink: NDArray[np.uint8],
    rule: Rule,
    start: float,
    end: float,
    dpi: float,
    level: float | None = None,
) -> Look:
    """Look along a line from ``start`` to ``end``; ``ink`` is turned so that it runs across.

    The line's place is searched within 2 px of where the rule says it is.
    """
    return _summarise(_columns(ink, rule, start, end, dpi, level))


def _summarise(seen: _Columns) -> Look:
    columns, inked = len(seen.inked), int(np.count_nonzero(seen.inked))
    through = seen.solid & seen.inked
    return Look(
        inked / columns,
        int(np.count_nonzero(seen.clear)) / columns,
        int(np.count_nonzero(seen.bare)) / columns,
        seen.level,
        seen.thickness_px,
        int(np.count_nonzero(through)) / max(1, inked),
        float(np.diff(np.flatnonzero(np.concatenate([[True], ~through, [True]]))).max() - 1),
    )


@dataclass(frozen=True, eq=False)
class _Columns:
    """What lies at each column along a line.

    Whether it is ``inked``, also ``clear`` on both sides, ``bare`` close to it on both sides, and
    dark through most of the line's thickness (``solid``); the ink's level and the line's thickness.
    """

    inked: NDArray[np.bool_]
    clear: NDArray[np.bool_]
    bare: NDArray[np.bool_]
    solid: NDArray[np.bool_]
    level: float
    thickness_px: float


def _columns(
    ink: NDArray[np.uint8], rule: Rule, start: float, end: float, dpi: float, level: float | None
) -> _Columns:
    """Look at each column along a line."""
    along = np.arange(int(start), max(int(end), int(start) + 2))
    centre = np.rint(rule.position + rule.slope * (along - rule.start)).astype(int)
    half = max(2, round(dpi * 0.03))
    far = half + round(dpi * 0.05) + round(dpi * _THICKEST_IN / 2) + 2
    strip = _cut_strip(ink, int(along[0]), centre, far)
    shift = int(strip[far - 2 : far + 3].sum(axis=1, dtype=np.int32).argmax()) - 2
    middle = far + shift
    core = np.maximum(np.maximum(strip[middle - 1], strip[middle]), strip[middle + 1])
    own = max(_upper_quartile(core), _FLOOR) if level is None else level
    inked = core > 0.4 * own
    if not inked.any():
        return _Columns(inked, inked, inked, inked, own, 1.0)
    beneath = strip[middle - half : middle + half + 1] * inked
    profile = cv2.reduce(beneath, 1, cv2.REDUCE_SUM, dtype=cv2.CV_32F)[:, 0]
    thickness = float((profile > profile.max() / 2).sum())
    edge = int(min(thickness, dpi * _THICKEST_IN) / 2)
    bare = _find_clear(inked, strip, middle, max(2, round(dpi * _BARE_IN)) + edge, own)
    clear = inked
    for side_in in (0.03, 0.05):
        beside = _find_clear(inked, strip, middle, max(2, round(dpi * side_in)) + edge, own)
        if np.count_nonzero(beside) < np.count_nonzero(clear):
            clear = beside
    # Not the blurred edges, nor the white within a double line.
    core_rows = middle - half + np.flatnonzero(profile > _CORE * profile.max())
    solid = strip[core_rows].min(axis=0) > 0.4 * own
    return _Columns(inked, clear, bare, solid, own, thickness)


def _find_clear(
    inked: NDArray[np.bool_], strip: NDArray[np.uint8], middle: int, off: int, level: float
) -> NDArray[np.bool_]:
    """Return which inked columns have light paper ``off`` px above and below the line."""
    above, below = strip[max(middle - off, 0)], strip[min(middle + off, len(strip) - 1)]
    clear: NDArray[np.bool_] = inked & (np.maximum(above, below) < 0.5 * level)
    return clear


def _cut_strip(
    ink: NDArray[np.uint8], first: int, centre: NDArray[np.int_], far: int
) -> NDArray[np.uint8]:
    """Return the rows within ``far`` of ``centre`` at the columns from ``first`` on.

    Columns and rows beyond the picture repeat its edge.
    """
    rows, cols = ink.shape
    last = first + len(centre)
    if first < 0 or last > cols or centre.min() < far or centre.max() >= rows - far:
        along = np.clip(np.arange(first, last), 0, cols - 1)
        offsets = np.arange(-far, far + 1)
        return np.asarray(ink[np.clip(centre + offsets[:, None], 0, rows - 1), along], np.uint8)
    # A line leans so little that it keeps its row for long: whole blocks are copied.
    steps = [0, *(np.flatnonzero(np.diff(centre)) + 1).tolist(), len(centre)]
    blocks = [
        ink[centre[a] - far : centre[a] + far + 1, first + a : first + b]
        for a, b in pairwise(steps)
    ]
    return blocks[0] if len(blocks) == 1 else np.concatenate(blocks, axis=1)


def _median(values: NDArray[np.floating] | NDArray[np.integer]) -> float:
    """Return the middle value; for short arrays much quicker than numpy's own."""
    at = len(values) // 2
    return float(np.partition(values, at)[at])


def _upper_quartile(values: NDArray[np.uint8]) -> float:
    at = (3 * (len(values) - 1)) // 4
    return float(np.partition(values, at)[at])
