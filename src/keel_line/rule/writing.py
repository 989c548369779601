"""The writing of a page as words and lines: what a table without rules is known by."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from statistics import median
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, level_at, measure_darkness
from keel_line._shared.parts import find_parts
from keel_line.model.geometry import Box
from keel_line.model.grid import Rule

_LEAST_INK, _INK_SHARE = 40, 0.35
_CAP_IN = (0.035, 0.22)
_LONG_IN = 0.5
_LEAST_SIDE_PX = 8
_FINE_DPI = 240.0  # from here on half the resolution tells words and lines as well
_WORD_GAP_CAPS = 0.75
_ONE_PITCH, _OFF_PITCH, _OFF_SPACE = 0.68, 0.1, 0.17
_STEP_CAPS, _LONG_STEP, _LEAST_STEPS = 0.25, 1.6, 30
_SPECK_CAPS = 0.17
_STROKE_CAPS = 0.55
_BROKEN_CAPS, _FLAT_LINE_CAPS = 0.3, 0.3
_SAME_LINE_CAPS = 0.55
_LONE_MARK_CAPS = 0.85
_TWO_LINES_CAPS = 1.8
_LEAST_PART_CAPS = 0.8
_LITTLE_INK = 0.25
_NEAR_END_CAPS = 0.15  # joining letters moves a piece's ends by a pixel or two
_DIRT_CAPS, _OFF_CAPS, _LOW_CAPS, _OFF_LOW_CAPS = 0.35, 0.3, 0.25, 0.75
_DOT_IN, _DOTS_A_LETTER = 0.03, 3
_FEW_LETTERS = 20
_STROKES_A_CAP = 1.0
_MARK_GAP_CAPS, _MARK_LOW_CAPS, _MARK_UNDER_CAPS = 0.45, 0.3, 0.35
_MORE, _FEWER, _LARGER = 1.5, 0.35, 1.8
_SOFT_IN, _LEAST_SOFT, _OVER_GRAIN = 0.02, 5, 4
_FLAT_CAPS, _BEYOND_CAPS, _OFF_RULE_PX = 0.35, 2.0, 1.5
_BAR_WIDE_CAPS, _BAR_HIGH_CAPS, _DOT_CAPS, _DOTS = 0.42, 1.08, 0.4, 2


@dataclass(frozen=True, eq=False)
class Writing:
    """Pieces of writing that stand by themselves on their lines.

    Attributes
    ----------
    boxes
        x0, y0, x1, y1 of each piece (px), shape (n, 4): words that stand near each other are one.
    lines
        Number of the text line of each piece, from the top down, shape (n,).
    cap_px
        Usual height of capitals.
    letters
        x0, y0, x1, y1 of each letter, or part of one (px), shape (m, 4); none where not known.
    """

    boxes: NDArray[np.float64]
    lines: NDArray[np.int64]
    cap_px: float
    letters: NDArray[np.float64] = field(default_factory=lambda: np.zeros((0, 4)))


def find_writing(
    flat: Grey, dpi: float, rules: list[Rule], taken: list[Box] | None = None
) -> Writing:
    """Find the pieces of writing of a page.

    Parameters
    ----------
    flat
        Squared page with even light, shape (rows, cols).
    dpi
        Its resolution.
    rules
        Ruling lines, which are no writing.
    taken
        Areas to leave out.
    """
    shrunk = 2 if dpi >= _FINE_DPI and min(flat.shape) >= _LEAST_SIDE_PX else 1

    def find_pieces(mask: NDArray[np.uint8]) -> tuple[NDArray[Any], NDArray[np.int64]]:
        for x0, y0, x1, y1 in taken or []:
            mask[max(0, int(y0)) : int(y1) + 1, max(0, int(x0)) : int(x1) + 1] = 0
        seen = halve(mask) if shrunk == 2 else mask
        labels, table, _ = find_parts(seen)
        return labels, table

    labels, parts = find_pieces(mark_ink(flat, rules))
    # Beside ruled tables next to nothing but what shines through may be left to be found.
    if not taken and _is_dotted(parts, dpi / shrunk):
        soft = find_pieces(_mark_soft_ink(flat, rules, dpi))
        if _shows_more(soft[1], parts, dpi / shrunk):
            labels, parts = soft
    # Halving makes a letter half a pixel higher on average.
    cap = _guess_cap(parts, dpi / shrunk) - 0.5 * (shrunk - 1)
    wide, high = parts[:, cv2.CC_STAT_WIDTH], parts[:, cv2.CC_STAT_HEIGHT]
    fit = (high <= 3.2 * cap) & (np.maximum(wide, high) >= _SPECK_CAPS * cap)
    fit[0] = False
    letter = fit & (wide <= max(_LONG_IN * dpi / shrunk, 12 * cap))
    for k in np.flatnonzero(fit & ~letter).tolist():
        letter[k] = _is_word(labels, parts[k], k, cap)
    reach = max(3, round(_WORD_GAP_CAPS * cap))
    # Copiers break letters; a little height joins them again, never two lines.
    kernel = np.ones((max(1, round(_BROKEN_CAPS * cap)), reach), np.uint8)
    letters = letter.astype(np.uint8)[labels]
    joined = np.asarray(cv2.morphologyEx(letters, cv2.MORPH_CLOSE, kernel), np.uint8)
    words = find_parts(joined)[1][1:, :4]
    words[:, 2:] += words[:, :2]
    boxes = np.array(
        [shrunk * b for w in words for b in _part_lines(letters, w, cap)], float
    ).reshape(-1, 4)
    cap *= shrunk
    own = shrunk * parts[letter, :4].astype(float)
    own[:, 2:] += own[:, :2]
    # Dots by themselves are dirt more often than writing; a dash is one long stroke.
    high, wide = boxes[:, 3] - boxes[:, 1], boxes[:, 2] - boxes[:, 0]
    strokes = shrunk * parts[letter & (parts[:, cv2.CC_STAT_WIDTH] * shrunk >= _STROKE_CAPS * cap)]
    dashes = np.array([_holds_any(box, strokes) for box in boxes.tolist()], bool)
    kept = (high >= 0.5 * cap) | ((wide >= 0.8 * cap) & dashes)
    kept &= np.array([not _goes_on(box, rules, cap) for box in boxes.tolist()], bool)
    marks = boxes[~kept & (wide < 0.8 * cap)]
    found = _join_pitched(_take_in_marks(_in_lines(boxes[kept], cap), marks), own)
    return replace(found, boxes=_drop_dirt(found.boxes, own, cap), letters=own)


def _is_word(labels: NDArray[Any], part: NDArray[np.int64], number: int, cap: float) -> bool:
    """Return whether a long piece of ink is letters that touch, and no frame or stroke.

    A line across letters meets a stroke for each height of capitals of its length, or more.
    """
    x, y, wide, high = part[:4].tolist()
    ink = labels[y : y + high, x : x + wide] == number
    strokes = np.count_nonzero(ink[:, 1:] & ~ink[:, :-1], axis=1)
    return bool(strokes.max(initial=0) * cap >= _STROKES_A_CAP * wide)


def _take_in_marks(found: Writing, marks: NDArray[np.float64]) -> Writing:
    """Extend pieces by the small mark right after them: a full stop, a comma, an underscore.

    It stands by itself where the letter before it has no ink so low: "7,", "T.". Pieces that it
    brings within a word's reach of each other are one.
    """
    boxes, cap = found.boxes.copy(), found.cap_px
    marks = marks[np.argsort(marks[:, 0])]
    y = (marks[:, 1] + marks[:, 3]) / 2
    reach = _MARK_GAP_CAPS * cap
    firsts, lasts = (np.searchsorted(marks[:, 0], boxes[:, 2] + r) for r in (-reach, reach))
    for box, first, last in zip(boxes, firsts.tolist(), lasts.tolist(), strict=True):
        level = (y[first:last] >= box[1] + _MARK_LOW_CAPS * cap) & (
            y[first:last] <= box[3] + _MARK_UNDER_CAPS * cap
        )
        own = marks[first:last][level & (marks[first:last, 0] > box[0])]
        box[2:] = np.max([box[2:], *own[:, 2:]], axis=0)
    return _join_near(boxes.tolist(), found.lines.tolist(), cap)


def _merge(one: list[float], other: list[float]) -> list[float]:
    """Return the smallest box that holds two boxes."""
    upper = [min(a, b) for a, b in zip(one[:2], other[:2], strict=True)]
    return [*upper, *(max(a, b) for a, b in zip(one[2:], other[2:], strict=True))]


def _letter_like(parts: NDArray[np.int64], dpi: float) -> NDArray[np.int64]:
    """Return the pieces of ink that are as high as letters and no longer than words."""
    wide, high = parts[:, cv2.CC_STAT_WIDTH], parts[:, cv2.CC_STAT_HEIGHT]
    fit = (high >= _CAP_IN[0] * dpi) & (high <= _CAP_IN[1] * dpi) & (wide <= _LONG_IN * dpi)
    fit[0] = False
    return parts[fit]


def _is_dotted(parts: NDArray[np.int64], dpi: float) -> bool:
    """Return whether far more of a page's pieces of ink are dots than letters."""
    letters = len(_letter_like(parts, dpi))
    dots = int((parts[1:, 2:4].max(axis=1) < _DOT_IN * dpi).sum())
    return dots > _DOTS_A_LETTER * max(letters, _FEW_LETTERS)


def _shows_more(soft: NDArray[np.int64], plain: NDArray[np.int64], dpi: float) -> bool:
    """Return whether a page's writing comes out only where its ink is looked at softly.

    Either there are more letters then: they were too pale; or far fewer and larger ones: they were
    pieces. Specks and broken letters make neither.
    """
    before, after = (_letter_like(parts, dpi) for parts in (plain, soft))
    if len(after) < _FEW_LETTERS or _is_dotted(soft, dpi):
        return False
    if len(after) >= _MORE * len(before):
        return True
    covered, covers = (int((p[:, 2] * p[:, 3]).sum()) for p in (before, after))
    return len(after) <= _FEWER * len(before) and covers >= _LARGER * covered


def _mark_soft_ink(flat: Grey, rules: Sequence[Rule], dpi: float) -> NDArray[np.uint8]:
    """Return 1 where the surroundings of a pixel are darker than the paper's grain makes them.

    Pale letters, and letters made of dots, are closed in this; small print runs together.
    """
    reach = max(3, round(_SOFT_IN * dpi)) | 1
    soft = np.asarray(cv2.blur(measure_darkness(flat), (reach, reach)), np.uint8)
    paper = level_at(soft, 0.5)
    grain = max(1, paper - level_at(soft, 0.16))  # one standard deviation, of the lighter half
    _, dark = cv2.threshold(
        soft, paper + max(_LEAST_SOFT, _OVER_GRAIN * grain), 1, cv2.THRESH_BINARY
    )
    mask = np.asarray(dark, np.uint8)
    for rule in rules:
        _rub_out(mask, rule, 1.0)
    return mask


def _drop_dirt(
    boxes: NDArray[np.float64], letters: NDArray[np.float64], cap: float
) -> NDArray[np.float64]:
    """Draw pieces in from specks that stand off from the first or last of their letters.

    A full stop stands off as well where all letters are of one width, but not as far; a colon has
    two of them above each other.
    """
    out = boxes.copy()
    small = letters[(letters[:, 2:] - letters[:, :2]).max(axis=1, initial=0.0) < _DIRT_CAPS * cap]
    middles = (letters[:, :2] + letters[:, 2:]) / 2
    for end, other, sign in ((0, 2, 1.0), (2, 0, -1.0)):
        at_end = np.abs(small[:, None, end] - boxes[None, :, end]) <= _NEAR_END_CAPS * cap
        at_end &= (small[:, None, 1] >= boxes[None, :, 1]) & (
            small[:, None, 3] <= boxes[None, :, 3]
        )
        for speck, piece in np.argwhere(at_end).tolist():
            box = out[piece]
            inside = ((middles >= box[:2]) & (middles <= box[2:])).all(axis=1)
            beyond = inside & (sign * (letters[:, end] - small[speck, other]) > 0)
            if not beyond.any() or int((inside & ~beyond).sum()) > 1:
                continue
            following = sign * float((sign * letters[beyond, end]).min())
            low = small[speck, 3] > box[3] - _LOW_CAPS * cap
            least = (_OFF_LOW_CAPS if low else _OFF_CAPS) * cap
            if sign * (following - small[speck, other]) >= least:
                box[end] = following
    return out


def mark_ink(
    flat: Grey,
    rules: Sequence[Rule],
    scale: float = 1.0,
    least: float = _LEAST_INK,
    share: float = _INK_SHARE,
) -> NDArray[np.uint8]:
    """Return 1 where a picture with even light is inked and no rule lies, 0 elsewhere.

    The picture is ``scale`` times as large as the page that the rules are given for. Ink lies
    ``share`` of its darkest hundredth, and ``least`` grey levels, below the paper.
    """
    ink = measure_darkness(flat)
    depth = level_at(np.asarray(ink[::3]), 0.99)
    _, dark = cv2.threshold(ink, max(least, share * depth), 1, cv2.THRESH_BINARY)
    mask = np.asarray(dark, np.uint8)
    for rule in rules:
        _rub_out(mask, rule, scale)
    return mask


def drop_flat_lines(writing: Writing) -> Writing:
    """Return writing without the lines on which all pieces are flat: scraps of a copied rule.

    A dash for an empty cell stays: it has other writing on its line.
    """
    boxes = writing.boxes
    tall = boxes[:, 3] - boxes[:, 1] >= _FLAT_LINE_CAPS * writing.cap_px
    kept = np.isin(writing.lines, writing.lines[tall])
    return replace(writing, boxes=boxes[kept], lines=writing.lines[kept])


def box_around(boxes: NDArray[np.float64]) -> Box:
    """Return the smallest box that holds all boxes, shape (n, 4); there must be at least one."""
    x0, y0 = boxes[:, :2].min(axis=0).tolist()
    x1, y1 = boxes[:, 2:].max(axis=0).tolist()
    return (x0, y0, x1, y1)


def lie_outside(boxes: NDArray[np.float64], areas: Sequence[Box]) -> NDArray[np.bool_]:
    """Return which boxes, shape (n, 4), have their middle outside all areas."""
    middles = (boxes[:, :2] + boxes[:, 2:]) / 2
    free = np.ones(len(middles), bool)
    for x0, y0, x1, y1 in areas:
        free &= ~((middles >= (x0, y0)) & (middles <= (x1, y1))).all(axis=1)
    return free


def gather_writing(boxes: NDArray[np.float64]) -> Writing:
    """Gather characters whose places are known into pieces and lines.

    ``boxes`` (n, 4) are theirs in px, as high as capitals.
    """
    if len(boxes) == 0:
        return Writing(np.zeros((0, 4)), np.zeros(0, np.int64), 1.0)
    cap = float(np.median(boxes[:, 3] - boxes[:, 1]))
    return replace(_join_pitched(_in_lines(boxes, cap), boxes), letters=boxes)


def _find_pitch(letters: NDArray[np.float64], cap: float) -> float | None:
    """Return the distance (px) of letters that are all of one width; None where they are not."""
    lines = np.round(letters[:, 3] / (2 * _BROKEN_CAPS * cap))
    order = np.lexsort((letters[:, 0], lines))
    steps = np.diff((letters[order, 0] + letters[order, 2]) / 2)
    steps = steps[(np.diff(lines[order]) == 0) & (steps > _STEP_CAPS * cap)]
    pitch = 0.0
    for _ in range(2):  # the steps over white are none
        pitch = float(np.median(steps)) if len(steps) else 0.0
        steps = steps[steps < _LONG_STEP * pitch]
    if len(steps) < _LEAST_STEPS:
        return None
    alike = float((np.abs(steps - pitch) <= _OFF_PITCH * pitch).mean())
    return pitch if alike >= _ONE_PITCH else None


def _join_pitched(found: Writing, letters: NDArray[np.float64]) -> Writing:
    """Join pieces that stand one space apart where letters, and so spaces, are of one width.

    A bar that is typed between columns stays by itself.
    """
    pitch = _find_pitch(letters, found.cap_px)
    if pitch is None:
        return found
    middles = (letters[:, :2] + letters[:, 2:]) / 2
    order = np.argsort(middles[:, 1])
    heights = middles[order, 1]

    def end_letter(box: list[float], side: int) -> float:
        """Return the middle of the last letter (``side`` 1) of a piece, or of its first (-1)."""
        first, last = np.searchsorted(heights, (box[1], box[3]))
        xs = middles[order[first:last], 0]
        xs = xs[(xs >= box[0]) & (xs <= box[2])]
        return float(xs.max() if side > 0 else xs.min()) if len(xs) else np.inf

    bars = find_bars(found.boxes, letters, found.cap_px).tolist()
    out: list[list[float]] = []
    lines: list[int] = []
    after_bar = False
    for box, line, bar in zip(found.boxes.tolist(), found.lines.tolist(), bars, strict=True):
        parted, after_bar = bar or after_bar, bar
        if out and not parted and lines[-1] == line and box[0] - out[-1][2] <= 2 * pitch:
            step = end_letter(box, -1) - end_letter(out[-1], 1)
            if abs(step - 2 * pitch) <= _OFF_SPACE * pitch:
                out[-1] = _merge(out[-1], box)
                continue
        out.append(box)
        lines.append(line)
    return replace(found, boxes=np.array(out).reshape(-1, 4), lines=np.array(lines, np.int64))


def find_bars(
    boxes: NDArray[np.float64], letters: NDArray[np.float64], cap: float
) -> NDArray[np.bool_]:
    """Return which pieces, shape (n, 4), are a bar by itself, taller than capitals, or a colon.

    ``letters``, shape (m, 4), are the page's.
    """
    wide, high = boxes[:, 2] - boxes[:, 0], boxes[:, 3] - boxes[:, 1]
    out = (wide <= _BAR_WIDE_CAPS * cap) & (high >= _BAR_HIGH_CAPS * cap)
    dots = letters[(letters[:, 2:] - letters[:, :2]).max(axis=1, initial=0.0) <= _DOT_CAPS * cap]
    for k in np.flatnonzero((wide <= _BAR_WIDE_CAPS * cap) & ~out).tolist():
        inside, small = (_count_in(boxes[k], own) for own in (letters, dots))
        out[k] = inside == small == _DOTS
    return out


def _count_in(box: NDArray[np.float64], letters: NDArray[np.float64]) -> int:
    middles = (letters[:, :2] + letters[:, 2:]) / 2
    return int(((middles >= box[:2]) & (middles <= box[2:])).all(axis=1).sum())


def lines_of(boxes: NDArray[np.float64], cap: float) -> tuple[NDArray[np.float64], ...]:
    """Put pieces of writing, shape (n, 4), into text lines, from the top down.

    ``cap`` is the height of capitals (px). A small mark may have a line of its own.
    """
    found = _in_lines(boxes, cap, lone_marks=True)
    return tuple(found.boxes[found.lines == n] for n in np.unique(found.lines))


def line_span(row: NDArray[np.float64]) -> tuple[float, float]:
    """Return the usual top and bottom of the pieces of a text line, shape (n, 4)."""
    # Lines have few pieces, for which this is many times quicker than numpy's median.
    return median(row[:, 1].tolist()), median(row[:, 3].tolist())


def line_middle(row: NDArray[np.float64]) -> float:
    """Return the height of the middle of a text line's usual piece."""
    top, low = line_span(row)
    return (top + low) / 2


def _part_lines(
    letters: NDArray[np.uint8], box: NDArray[np.int64], cap: float
) -> list[NDArray[np.int64]]:
    """Part a piece as high as two lines, a descender of one of which touches the other's letters.

    It is cut where least ink lies, if that is little beside what lies above and below.
    """
    x0, y0, x1, y1 = box.tolist()
    edge = max(2, round(_LEAST_PART_CAPS * cap))
    if y1 - y0 < _TWO_LINES_CAPS * cap or y1 - y0 <= 2 * edge:
        return [box]
    ink = letters[y0:y1, x0:x1].sum(axis=1).astype(float)
    cut = edge + int(ink[edge:-edge].argmin())
    if ink[cut] > _LITTLE_INK * min(ink[:cut].max(), ink[cut:].max()):
        return [box]
    out: list[NDArray[np.int64]] = []
    for top, low in ((y0, y0 + cut), (y0 + cut, y1)):
        rows, cols = np.nonzero(letters[top:low, x0:x1])
        if len(rows):
            part = np.array(
                [x0 + cols.min(), top + rows.min(), x0 + cols.max() + 1, top + rows.max() + 1]
            )
            out += _part_lines(letters, part, cap)
    return out


def _goes_on(box: list[float], rules: list[Rule], cap: float) -> bool:
    """Return whether a stroke lies on a rule's line, close beyond its end: more of that rule."""
    if box[3] - box[1] > _FLAT_CAPS * cap:
        return False
    y = (box[1] + box[3]) / 2
    return any(
        rule.direction == "across"
        and abs(rule.at((box[0] + box[2]) / 2) - y) <= rule.thickness_px + _OFF_RULE_PX
        and max(box[0] - rule.end, rule.start - box[2]) <= _BEYOND_CAPS * cap
        for rule in rules
    )


def _holds_any(box: list[float], parts: NDArray[np.int64]) -> bool:
    """Return whether the middle of any part lies in a box."""
    x = parts[:, cv2.CC_STAT_LEFT] + parts[:, cv2.CC_STAT_WIDTH] / 2
    y = parts[:, cv2.CC_STAT_TOP] + parts[:, cv2.CC_STAT_HEIGHT] / 2
    inside = (x >= box[0]) & (x <= box[2]) & (y >= box[1]) & (y <= box[3])
    return bool(inside.any())


def halve(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return a picture of half the size; each pixel is the largest of four."""
    even = picture[: picture.shape[0] // 2 * 2, : picture.shape[1] // 2 * 2]
    rows = cv2.max(even[::2], even[1::2])
    return np.asarray(
        cv2.max(np.ascontiguousarray(rows[:, ::2]), np.ascontiguousarray(rows[:, 1::2])), np.uint8
    )


def _rub_out(mask: NDArray[np.uint8], rule: Rule, scale: float) -> None:
    half = max(1, round(scale * rule.thickness_px / 2 + 1))
    ends = [(rule.start, rule.at(rule.start)), (rule.end, rule.at(rule.end))]
    points = [
        (round(scale * along), round(scale * across))
        if rule.direction == "across"
        else (round(scale * across), round(scale * along))
        for along, across in ends
    ]
    cv2.line(mask, points[0], points[1], 0, 2 * half + 1)


def _guess_cap(parts: NDArray[np.int64], dpi: float) -> float:
    heights = parts[1:, cv2.CC_STAT_HEIGHT].astype(float)
    fit = heights[(heights >= _CAP_IN[0] * dpi) & (heights <= _CAP_IN[1] * dpi)]
    return float(np.percentile(fit, 65)) if len(fit) >= 5 else 0.1 * dpi


def _in_lines(boxes: NDArray[np.float64], cap: float, *, lone_marks: bool = False) -> Writing:
    """Put pieces that stand side by side on one line, and join those that stand a word apart.

    A small mark in no line with anything is dirt, and no line of text, but with ``lone_marks``.
    """
    order = np.argsort((boxes[:, 1] + boxes[:, 3]) / 2, kind="stable")
    lines: list[list[int]] = []
    spans: list[list[float]] = []
    edges = boxes.tolist()
    for i in order.tolist():
        _, top, _, low = edges[i]
        for k in range(len(lines) - 1, max(-1, len(lines) - 4), -1):
            shared = min(low, spans[k][1]) - max(top, spans[k][0])
            away = abs(top + low - spans[k][0] - spans[k][1]) / 2
            alike = shared > 0.5 * min(low - top, spans[k][1] - spans[k][0])
            if alike and away < _SAME_LINE_CAPS * cap:
                lines[k].append(i)
                # The line's span is that of its usual letters, not of one that hangs far down.
                spans[k] = [
                    median([edges[j][1] for j in lines[k]]),
                    median([edges[j][3] for j in lines[k]]),
                ]
                break
        else:
            lines.append([i])
            spans.append([top, low])
    small = 0.0 if lone_marks else _LONE_MARK_CAPS * cap
    ordered = [
        k
        for k in sorted(range(len(lines)), key=lambda k: spans[k][0])
        if len(lines[k]) > 1
        or len(lines) == 1
        or float((boxes[lines[k][0], 2:] - boxes[lines[k][0], :2]).max()) >= small
    ]
    rows = [sorted((edges[i] for i in lines[k]), key=lambda b: b[0]) for k in ordered]
    numbers = [number for number, row in enumerate(rows) for _ in row]
    return _join_near([box for row in rows for box in row], numbers, cap)


def _join_near(boxes: Sequence[list[float]], lines: Sequence[int], cap: float) -> Writing:
    """Join pieces next to each other on a line that stand no further apart than words do.

    ``boxes`` are in order: line by line, each from the left.
    """
    out: list[list[float]] = []
    numbers: list[int] = []
    for box, line in zip(boxes, lines, strict=True):
        if out and numbers[-1] == line and box[0] - out[-1][2] <= _WORD_GAP_CAPS * cap:
            out[-1] = _merge(out[-1], box)
        else:
            out.append(box)
            numbers.append(line)
    return Writing(np.array(out).reshape(-1, 4), np.array(numbers, np.int64), cap)
