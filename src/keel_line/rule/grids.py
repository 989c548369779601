"""Tables from ruling lines: which lines belong together, their crossings, and the cells."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cache
from itertools import pairwise
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import Cell, Direction, Grid, Rule
from keel_line.rule.rules import Look, RuleField, look_along

_TOUCH_IN = 0.06
_REACH_IN = 0.035
_OPEN_IN, _TOGETHER_IN = 0.1, 0.03
_DARK, _WRITTEN_IN2 = 60, 0.003
_LEAST_OPEN, _MOST_OPEN = 3, 0.7
_ROUGH_IN = 0.012
_NARROW_IN = 0.075
_LEAST_TABLE_IN = 0.4
_UNBROKEN = 0.95
_SCRAPS = 1.0
_LONG_SIDE_IN = 0.2
_STROKES = 2
_MOST_OF_A_SIDE = 0.65
_DRAWN = 0.85
_LONG = 0.5


@dataclass(frozen=True)
class _Line:
    """A grid line: one or more rules on nearly one place across."""

    rules: tuple[Rule, ...]

    def at(self, along: float) -> float:
        """Place across the line, from the rule that covers ``along`` best."""
        nearest = min(self.rules, key=lambda r: max(r.start - along, along - r.end, 0.0))
        return nearest.at(along)

    @property
    def thickness_px(self) -> float:
        return max(r.thickness_px for r in self.rules)


def build_grids(field: RuleField, rules: list[Rule]) -> list[Grid]:
    """Build grids from rules, each from one group of rules that touch one another."""

    @cache  # lines are dropped and the others looked at again
    def is_ruled(way: Direction, line: _Line, start: float, end: float) -> bool:
        ink = field.ink if way == "across" else field.ink_turned
        return _is_ruled(ink, line, start, end, field.dpi)

    def is_written(x0: float, y0: float, x1: float, y1: float) -> bool:
        part = field.ink[max(0, round(y0)) : round(y1), max(0, round(x0)) : round(x1)]
        return int(np.count_nonzero(part > _DARK)) > _WRITTEN_IN2 * field.dpi**2

    return _build_all(_lengthen_all(field, rules), field.dpi, is_ruled, is_written)


def _lengthen_all(field: RuleField, rules: list[Rule]) -> list[Rule]:
    """Lengthen broken rules to the next rule that crosses them, where pieces of ink lead there."""
    across = _with_long_slopes([r for r in rules if r.direction == "across"])
    down = _with_long_slopes([r for r in rules if r.direction == "down"])
    return [
        *(_lengthen(r, down, field.ink, field.dpi) for r in across),
        *(_lengthen(r, across, field.ink_turned, field.dpi) for r in down),
    ]


def _lengthen(rule: Rule, others: Sequence[Rule], ink: NDArray[np.uint8], dpi: float) -> Rule:
    touch = dpi * _TOUCH_IN
    place = rule.at((rule.start + rule.end) / 2)
    met = sorted(o.at(place) for o in others if o.start - touch <= place <= o.end + touch)
    sides = [(low, high) for low, high in pairwise(met) if high - low > touch]
    for low, high in sides:
        if low <= rule.end + touch < high and _has_scraps(ink, rule, low, high, dpi):
            rule = replace(rule, end=high)
    for low, high in reversed(sides):
        if low < rule.start - touch <= high and _has_scraps(ink, rule, low, high, dpi):
            rule = replace(rule, start=low, position=rule.at(low))
    return rule


def _has_scraps(ink: NDArray[np.uint8], rule: Rule, low: float, high: float, dpi: float) -> bool:
    """Return whether pieces of a rule are seen all the way between two rules that cross it."""
    inset = _inset(high - low, dpi)
    start, end = low + inset, high - inset
    return end - start >= dpi * _LONG_SIDE_IN and (
        _is_scraps(look_along(ink, rule, start, end, dpi, rule.level), rule)
    )


def build_drawn_grids(rules: list[Rule], dpi: float) -> list[Grid]:
    """Build grids from lines that a file draws: they are where they are, no ink is looked at."""
    # A file loses no line: there is none to put back.
    return _build_all(
        rules, dpi, lambda _, line, start, end: _is_drawn(line, start, end), lambda *_: False
    )


_IsRuled: TypeAlias = Callable[[Direction, "_Line", float, float], bool]
"""Tells whether a line is ruled from one place along it to another."""


_IsWritten: TypeAlias = Callable[[float, float, float, float], bool]
"""Tells whether something is written in a box."""


def _build_all(
    rules: list[Rule], dpi: float, is_ruled: _IsRuled, is_written: _IsWritten
) -> list[Grid]:
    grids = []
    for group in _group(rules, dpi * _TOUCH_IN):
        grids += _build(group, dpi, is_ruled, is_written)
    inner = [g for g in grids if not any(_inside(g.box, o.box) for o in grids if o is not g)]
    return sorted(inner, key=lambda g: (round(g.box[1] / (dpi / 4)), g.box[0]))


def _is_drawn(line: _Line, start: float, end: float) -> bool:
    """Return whether drawn lines cover nearly all of a side of a cell."""
    spans = sorted((max(r.start, start), min(r.end, end)) for r in line.rules)
    covered, last = 0.0, start
    for low, high in spans:
        covered += max(0.0, high - max(low, last))
        last = max(last, high)
    return covered >= _DRAWN * (end - start)


def _inside(box: Box, other: Box) -> bool:
    return box[0] >= other[0] and box[1] >= other[1] and box[2] <= other[2] and box[3] <= other[3]


def _group(rules: list[Rule], touch: float) -> list[list[Rule]]:
    across = [r for r in rules if r.direction == "across"]
    down = [r for r in rules if r.direction == "down"]
    pairs = [
        (i, len(across) + j)
        for i, a in enumerate(across)
        for j, d in enumerate(down)
        if _touches(a, d, touch)
    ]
    count = len(rules)
    if not pairs:
        return []
    rows, cols = zip(*pairs, strict=True)
    # Loaded here: the window, which never comes this way, would wait a third of a second for it.
    from scipy.sparse import coo_matrix  # noqa: PLC0415
    from scipy.sparse.csgraph import connected_components  # noqa: PLC0415

    graph = coo_matrix((np.ones(len(pairs)), (rows, cols)), shape=(count, count))
    _, labels = connected_components(graph, directed=False)
    ordered = across + down
    return [[ordered[i] for i in np.nonzero(labels == n)[0]] for n in np.unique(labels)]


def _touches(across: Rule, down: Rule, touch: float) -> bool:
    x = down.at(across.position)
    if not across.start - touch <= x <= across.end + touch:
        return False
    y = across.at(x)
    return down.start - touch <= y <= down.end + touch


def _cluster(rules: list[Rule], along: float, apart: float) -> list[_Line]:
    """Put rules that lie less than ``apart`` from the next into one line (double rules too)."""
    ordered = sorted(rules, key=lambda r: r.at(along))
    lines: list[list[Rule]] = []
    for rule in ordered:
        if lines and rule.at(along) - lines[-1][-1].at(along) < apart:
            lines[-1].append(rule)
        else:
            lines.append([rule])
    return [_Line(tuple(line)) for line in lines]


def _build(rules: list[Rule], dpi: float, is_ruled: _IsRuled, is_written: _IsWritten) -> list[Grid]:
    """Build the grid of rules that touch one another; none where they make no table.

    More than one where tables stand so close that the rules of one were taken on into the other.
    """
    across = _with_long_slopes([r for r in rules if r.direction == "across"])
    down = _with_long_slopes([r for r in rules if r.direction == "down"])
    if len(across) < 2 or len(down) < 2:
        return []
    mid_x = (min(r.start for r in across) + max(r.end for r in across)) / 2
    mid_y = (min(r.start for r in down) + max(r.end for r in down)) / 2
    apart = dpi * _NARROW_IN
    y_lines = _cluster(across, mid_x, apart)
    x_lines = _cluster(down, mid_y, apart)
    while True:
        if len(y_lines) < 2 or len(x_lines) < 2:
            return []
        tops, lefts = _edges(is_ruled, y_lines, x_lines)
        reach = dpi * _REACH_IN
        keep_y = [
            i
            for i, line in enumerate(y_lines)
            if tops[i].any() and not _is_stroke(line, tops[i], x_lines, reach)
        ]
        keep_x = [
            j
            for j, line in enumerate(x_lines)
            if lefts[:, j].any() and not _is_stroke(line, lefts[:, j], y_lines, reach)
        ]
        if len(keep_y) == len(y_lines) and len(keep_x) == len(x_lines):
            break
        y_lines = [y_lines[i] for i in keep_y]
        x_lines = [x_lines[j] for j in keep_x]

    def is_written_turned(a: float, b: float, c: float, d: float) -> bool:
        return is_written(*_turned((a, b, c, d)))

    closed = (
        _close_ends(y_lines, x_lines, dpi, is_written_turned),
        _close_ends(x_lines, y_lines, dpi, is_written),
    )
    if closed != (y_lines, x_lines):
        y_lines, x_lines = closed
        tops, lefts = _edges(is_ruled, y_lines, x_lines)
    ys = tuple(line.at(mid_x) for line in y_lines)
    xs = tuple(line.at(mid_y) for line in x_lines)
    if min(xs[-1] - xs[0], ys[-1] - ys[0]) < dpi * _LEAST_TABLE_IN / 2 or (
        max(xs[-1] - xs[0], ys[-1] - ys[0]) < dpi * _LEAST_TABLE_IN
    ):
        return []
    # The first strip is enough: each side is parted at its own.
    parts = next(_parts_apart(rules, y_lines, x_lines, (tops, lefts), is_written), ())
    built = [g for part in parts for g in _build(part, dpi, is_ruled, is_written)]
    if len(built) > 1:
        return built
    # The frame closes every outer cell, even where a copier lost a piece of it.
    tops[0], tops[-1] = True, True
    lefts[:, 0], lefts[:, -1] = True, True
    spans = _spans(tops, lefts)
    if len(spans) < 2:
        return []
    cells = tuple(
        Cell(r0, c0, r1 - r0, c1 - c0, _cell_box(y_lines, x_lines, (r0, c0, r1, c1)))
        for r0, c0, r1, c1 in spans
    )
    box = (xs[0], ys[0], xs[-1], ys[-1])
    return [Grid(box, xs, ys, cells, tuple(_clip(r, box) for r in rules))]


def _parts_apart(
    rules: list[Rule],
    y_lines: list[_Line],
    x_lines: list[_Line],
    sides: tuple[NDArray[np.bool_], NDArray[np.bool_]],
    is_written: _IsWritten,
) -> Iterator[tuple[list[Rule], list[Rule]]]:
    """Yield the rules on the two sides of each blank strip that no rule runs over, no frame closes.

    ``sides`` tells which sides of cells are ruled: tops and lefts.
    """
    tops, lefts = sides
    ways: tuple[tuple[Direction, list[_Line], list[_Line], NDArray[np.bool_]], ...] = (
        ("down", y_lines, x_lines, np.asarray(lefts.any(axis=1))),
        ("across", x_lines, y_lines, np.asarray(tops.any(axis=0))),
    )
    for direction, lines, others, drawn in ways:
        first, last = others[0].rules[0].position, others[-1].rules[0].position
        for k in range(1, len(lines) - 2):
            low, high = (line.at((first + last) / 2) for line in lines[k : k + 2])
            inset = 0.2 * (high - low)
            strip = (first + inset, low + inset, last - inset, high - inset)
            if drawn[k] or is_written(*(strip if direction == "down" else _turned(strip))):
                continue
            middle = (low + high) / 2
            yield (
                [r for rule in rules for r in _end_at(rule, direction, low, middle)],
                [r for rule in rules for r in _begin_at(rule, direction, high, middle)],
            )


def _turned(box: Box) -> Box:
    return (box[1], box[0], box[3], box[2])


def _end_at(rule: Rule, direction: Direction, at: float, middle: float) -> list[Rule]:
    """Return the part of a rule before a place along ``direction``, none where it has none."""
    if rule.direction != direction:
        return [rule] if rule.position < middle else []
    return [replace(rule, end=min(rule.end, at))] if rule.start < at else []


def _begin_at(rule: Rule, direction: Direction, at: float, middle: float) -> list[Rule]:
    if rule.direction != direction:
        return [rule] if rule.position > middle else []
    start = max(rule.start, at)
    return [replace(rule, start=start, position=rule.at(start))] if rule.end > at else []


def _close_ends(
    lines: list[_Line], others: list[_Line], dpi: float, is_written: _IsWritten
) -> list[_Line]:
    """Put back a table's outermost line where it is lost, but most lines across it reach on to it.

    ``others`` run across ``lines``; where most of them, three at least, end together a row's height
    or more beyond the outermost line, and something is written between them, the table ends there.
    ``is_written`` takes a box as places across ``lines``, along them, across and along.
    """
    out = list(lines)
    for place in (0, -1):
        edge = lines[place]
        sign = -1 if place == 0 else 1
        ends = []
        for other in others:
            end = min(r.start for r in other.rules) if sign < 0 else max(r.end for r in other.rules)
            if sign * (end - edge.at(other.at(end))) >= _OPEN_IN * dpi:
                ends.append(end)
        if len(ends) < max(_LEAST_OPEN, _MOST_OPEN * len(others)):
            continue
        at = float(np.median(ends))
        if float(np.median(np.abs(np.array(ends) - at))) > _TOGETHER_IN * dpi:
            continue
        inset = 0.3 * _OPEN_IN * dpi
        low, high = sorted((edge.at(others[0].at(at)), at))
        if not any(
            is_written(low + inset, a.at(at) + inset, high - inset, b.at(at) - inset)
            for a, b in pairwise(others)
        ):
            continue
        outer = edge.rules[place]
        middle = (outer.start + outer.end) / 2
        moved = replace(outer, position=outer.position + at - outer.at(middle), strength=0.0)
        out.insert(0 if place == 0 else len(out), _Line((moved,)))
    return out


def _is_stroke(line: _Line, sides: NDArray[np.bool_], others: list[_Line], reach: float) -> bool:
    """Tell a letter's stroke, an underline or a dash from a rule that parts a cell or two.

    ``sides`` tells between which of ``others`` the line is ruled; a rule reaches the sides of what
    it parts. A stroke ends within, and so do two letters' strokes in line, one above the other.
    """
    ruled = np.flatnonzero(sides)
    first, last = int(ruled[0]), int(ruled[-1])
    if last - first >= _STROKES or len(ruled) <= last - first:
        return False
    at = line.rules[0].position
    low, high = others[first].at(at), others[last + 1].at(at)
    return min(r.start for r in line.rules) > low + reach and (
        max(r.end for r in line.rules) < high - reach
    )


def _with_long_slopes(rules: list[Rule]) -> list[Rule]:
    """Give short rules the slope of the long ones: a short one's own is too rough to go on by."""
    longest = max((r.length for r in rules), default=0.0)
    long = [r.slope for r in rules if r.length >= _LONG * longest]
    if not long:
        return rules
    usual = float(np.median(long))
    return [
        r
        if r.length >= _LONG * longest
        else replace(r, slope=usual, position=r.at((r.start + r.end) / 2) - usual * r.length / 2)
        for r in rules
    ]


def _clip(rule: Rule, box: Box) -> Rule:
    """Cut off what overshoots the table's box."""
    low, high = (box[0], box[2]) if rule.direction == "across" else (box[1], box[3])
    start, end = max(rule.start, low), min(rule.end, high)
    return replace(rule, start=start, end=max(end, start), position=rule.at(start))


def _edges(
    is_ruled: _IsRuled, y_lines: list[_Line], x_lines: list[_Line]
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Return which sides of cells are ruled.

    Returns
    -------
    tops : shape (len(y_lines), len(x_lines) - 1)
    lefts : shape (len(y_lines) - 1, len(x_lines))
    """
    tops = np.zeros((len(y_lines), len(x_lines) - 1), bool)
    lefts = np.zeros((len(y_lines) - 1, len(x_lines)), bool)
    for i, line in enumerate(y_lines):
        for j, (a, b) in enumerate(pairwise(x_lines)):
            start, end = a.at(line.at(a.rules[0].position)), b.at(line.at(b.rules[0].position))
            tops[i, j] = is_ruled("across", line, start, end)
    for j, line in enumerate(x_lines):
        for i, (a, b) in enumerate(pairwise(y_lines)):
            start, end = a.at(line.at(a.rules[0].position)), b.at(line.at(b.rules[0].position))
            lefts[i, j] = is_ruled("down", line, start, end)
    return tops, lefts


def _is_ruled(ink: NDArray[np.uint8], line: _Line, start: float, end: float, dpi: float) -> bool:
    """Return whether a side of a cell is ruled.

    The ends are left out: at a crossing every line has the other's ink.
    """
    inset = _inset(end - start, dpi)
    start, end = start + inset, end - inset
    long = end - start >= dpi * _LONG_SIDE_IN
    for rule in line.rules:
        seen = look_along(ink, rule, start, end, dpi, rule.level)
        goes_on = min(start - rule.start, rule.end - end) > (end - start) / 2
        if not long and not goes_on and not _is_thin(seen, rule):
            continue  # the stroke of a letter
        covered = (min(rule.end, end) - max(rule.start, start)) / max(end - start, 1.0)
        # Where text stands on a rule, the rule was traced only on either side of it: going on
        # without a gap is enough there. A side with gaps counts where the rule has such all along.
        if covered < 0.5:
            found = seen.is_whole_line
        else:
            # Most of a side is enough where a copier lost a long piece of a rule that goes on.
            found = (seen.is_line and seen.inked >= 0.75 * rule.strength) or (
                seen.inked >= _MOST_OF_A_SIDE
            )
            # A row of letters that a rule was carried on through is far thicker than the rule.
            most = 3.0 if seen.inked >= _UNBROKEN else 1.5
            found = found and seen.thickness_px <= most * rule.thickness_px + dpi * _ROUGH_IN
        if found or ((long or covered >= 0.5) and _is_scraps(seen, rule)):
            return True
    return False


def _inset(length: float, dpi: float) -> float:
    return min(0.15 * length, dpi * 0.08)


def _is_scraps(seen: Look, rule: Rule) -> bool:
    """Return whether what lies along a rule are pieces of it that a copier left.

    Letters are thicker, or have others above and below them.
    """
    return _is_thin(seen, rule) and seen.inked + seen.clear >= _SCRAPS


def _is_thin(seen: Look, rule: Rule) -> bool:
    return seen.thickness_px <= 1.5 * rule.thickness_px + 1  # it is counted in whole px


def _spans(tops: NDArray[np.bool_], lefts: NDArray[np.bool_]) -> list[tuple[int, int, int, int]]:
    """Join neighbouring cells whose shared side is missing into rectangles.

    Returns (row, col, row end, col end) for each cell, in reading order. A group that is no
    rectangle has lost a piece of a rule rather than gained a shape: it falls back to the largest
    rectangles that grow right, then down, over sides that are missing.
    """
    rows, cols = lefts.shape[0], tops.shape[1]
    taken = np.zeros((rows, cols), bool)
    spans = []
    for r in range(rows):
        for c in range(cols):
            if taken[r, c]:
                continue
            c1 = c + 1
            while c1 < cols and not lefts[r, c1] and not taken[r, c1]:
                c1 += 1
            r1 = r + 1
            while (
                r1 < rows
                and not tops[r1, c:c1].any()
                and not lefts[r1, c + 1 : c1].any()
                and (lefts[r1, c] and lefts[r1, c1])
            ):
                r1 += 1
            taken[r:r1, c:c1] = True
            spans.append((r, c, r1, c1))
    return spans


def _cell_box(y_lines: list[_Line], x_lines: list[_Line], span: tuple[int, int, int, int]) -> Box:
    """Return the cell's inside: between the inner edges of its rules, at its own place."""
    r0, c0, r1, c1 = span
    top, low, left, right = y_lines[r0], y_lines[r1], x_lines[c0], x_lines[c1]
    mid_y = (top.rules[0].position + low.rules[0].position) / 2
    mid_x = (left.at(mid_y) + right.at(mid_y)) / 2
    mid_y = (top.at(mid_x) + low.at(mid_x)) / 2
    y0, y1 = _inner(top, mid_x, mid_y), _inner(low, mid_x, mid_y)
    x0, x1 = _inner(left, mid_y, mid_x), _inner(right, mid_y, mid_x)
    return (x0, y0, max(x1, x0 + 1), max(y1, y0 + 1))


def _inner(line: _Line, along: float, towards: float) -> float:
    """Return a line's edge (its nearest rule's, where it is double) on the cell's side."""
    covering = [r for r in line.rules if r.start - 5 <= along <= r.end + 5] or list(line.rules)
    places = [r.at(along) for r in covering]
    nearest = covering[int(np.argmin([abs(p - towards) for p in places]))]
    place = nearest.at(along)
    half = nearest.thickness_px / 2 + 0.5
    return place + half if towards > place else place - half
