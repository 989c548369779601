"""Measures pieces of writing: what each one's neighbours, rules and letters say of its role."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from statistics import median
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Rule
from keel_line.model.page import PageText
from keel_line.rule.sayings import TEXTS, measure_texts
from keel_line.rule.writing import Writing

if TYPE_CHECKING:
    from scipy import sparse

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

WAYS = ("up", "down", "left", "right")
GROUPS = ("line before", "line after", "column above", "column below")
_COLUMNS = slice(2, 4)
_NEAR_LINES = 5
_COLUMN_LINES = 10
_WORD_CAPS, _SPACE_CAPS = 0.22, 0.4
_FULL = 0.85
_FAR = 30.0
_FLUSH_CAPS = 0.4
_OPEN_CAPS = 0.5
_TALL = 0.8
_SHORT_RULE_CAPS = 1.5


@dataclass(frozen=True, eq=False)
class Pieces:
    """A page's pieces of writing, measured.

    Attributes
    ----------
    features
        Shape (n, FEATURES), lengths over the height of capitals.
    near
        Number of each piece's neighbour in each of ``WAYS``, shape (n, 4), -1 for none.
    groups
        For each of ``GROUPS`` the mean over it, sparse, shape (n, n): a row has the shares of all
        pieces that stand on a piece's line before or after it, or over or under it within a few
        lines. They add up to 1, or to 0 where there are none.
    """

    features: Floats
    near: Ints
    groups: tuple[sparse.csr_array, ...]

    def with_texts(self, texts: Sequence[str | None]) -> Pieces:
        """Return the same pieces with the measures of their texts; None where one is not known."""
        features = self.features.copy()
        features[:, -TEXTS:] = measure_texts(texts, self.near, self.groups[_COLUMNS])
        return replace(self, features=features)


def measure_pieces(
    writing: Writing, rules: Sequence[Rule], texts: Sequence[str | None] | None = None
) -> Pieces:
    """Measure the pieces of a whole page's writing.

    Parameters
    ----------
    writing
        The page's writing, that in ruled tables too.
    rules
        The page's ruling lines.
    texts
        What each piece says, None where it is not known.
    """
    boxes, lines, cap = writing.boxes, writing.lines, max(writing.cap_px, 1.0)
    count = len(boxes)
    if count == 0:
        near = np.zeros((0, len(WAYS)), np.int64)
        return Pieces(np.zeros((0, FEATURES)), near, _find_groups(boxes, lines))
    near, letters = _find_near(boxes, lines), find_letters(boxes, writing.letters)
    groups = _find_groups(boxes, lines)
    measured = (
        _measure_places(boxes, lines, near, cap),
        _measure_edges(boxes, lines, cap),
        _measure_rules(boxes, near, rules, cap),
        _measure_letters(boxes, letters, cap),
        _measure_wrapping(boxes, lines, near, letters, cap),
        measure_texts(texts, near, groups[_COLUMNS]),
    )
    return Pieces(np.nan_to_num(np.hstack(measured)), near, groups)


def texts_of(writing: Writing, text: PageText) -> list[str]:
    """Return what each piece of writing says on a page of real text."""
    xs, ys = ((text.boxes[:, k] + text.boxes[:, k + 2]) / 2 for k in (0, 1))
    out = []
    order = np.argsort(ys, kind="stable")
    heights = ys[order]
    for x0, y0, x1, y1 in writing.boxes.tolist():
        first, last = np.searchsorted(heights, (y0, y1))
        inside = order[first:last]
        inside = inside[(xs[inside] >= x0) & (xs[inside] <= x1)]
        turned = len(inside) and text.is_turned[inside].all()
        inside = np.sort(inside) if turned else inside[np.argsort(xs[inside])]
        said = "".join(
            (" " if text.spaced[k] and n else "") + text.chars[k] for n, k in enumerate(inside)
        )
        out.append(said)
    return out


def _find_near(boxes: Floats, lines: Ints) -> Ints:
    """Return each piece's neighbours: the nearest above and below it, and on its line."""
    count = len(boxes)
    near = np.full((count, len(WAYS)), -1, np.int64)
    order = np.lexsort((boxes[:, 0], lines))
    same = lines[order][1:] == lines[order][:-1]
    near[order[1:][same], 2] = order[:-1][same]
    near[order[:-1][same], 3] = order[1:][same]
    shared = np.minimum(boxes[:, None, 2], boxes[None, :, 2]) - np.maximum(
        boxes[:, None, 0], boxes[None, :, 0]
    )
    over = shared > 0
    apart = lines[None, :] - lines[:, None]
    for way, sign in ((0, -1), (1, 1)):
        steps = np.where(over & (sign * apart > 0), sign * apart, 1 << 30).astype(float)
        # Of several on one line the one that shares most.
        steps -= np.clip(shared, 0, None) / (1.0 + np.abs(boxes).max())
        best = steps.argmin(axis=1)
        found = steps[np.arange(count), best] < 1e8
        near[found, way] = best[found]
    return near


def _measure_places(boxes: Floats, lines: Ints, near: Ints, cap: float) -> Floats:
    x0, y0, x1, y1 = boxes.T
    left, right = float(np.percentile(x0, 3)), float(np.percentile(x1, 97))
    page = max(right - left, cap)
    top, foot = float(y0.min()), float(y1.max())
    numbers = np.unique(lines, return_inverse=True)[1]
    total = int(numbers.max()) + 1
    per_line = np.bincount(numbers, minlength=total)
    line_x0, line_x1 = np.full(total, np.inf), np.full(total, -np.inf)
    np.minimum.at(line_x0, numbers, x0)
    np.maximum.at(line_x1, numbers, x1)
    inked = np.bincount(numbers, x1 - x0, minlength=total)
    middle = np.bincount(numbers, (y0 + y1) / 2, minlength=total) / per_line
    pitch = np.diff(middle)
    usual = float(np.median(pitch)) if len(pitch) else 2 * cap
    above = np.concatenate([[_FAR * cap], pitch])[numbers]
    below = np.concatenate([pitch, [_FAR * cap]])[numbers]
    rank = np.zeros(len(boxes))
    order = np.lexsort((x0, lines))
    starts = np.concatenate([[0], np.cumsum(np.bincount(numbers[order], minlength=total))[:-1]])
    rank[order] = np.arange(len(boxes)) - starts[numbers[order]]
    gaps = [
        np.where(near[:, 2] >= 0, x0 - x1[near[:, 2]], _FAR * cap),
        np.where(near[:, 3] >= 0, x0[near[:, 3]] - x1, _FAR * cap),
        np.where(near[:, 0] >= 0, y0 - y1[near[:, 0]], _FAR * cap),
        np.where(near[:, 1] >= 0, y0[near[:, 1]] - y1, _FAR * cap),
    ]
    wide = line_x1 - line_x0
    before = np.concatenate([[0], per_line[:-1]])[numbers]
    after = np.concatenate([per_line[1:], [0]])[numbers]
    return np.column_stack(
        [
            np.log1p((x1 - x0) / cap),
            (y1 - y0) / cap,
            (x1 - x0) / page,
            (x0 - left) / page,
            (right - x1) / page,
            ((x0 + x1) / 2 - (left + right) / 2) / page,
            (y0 - top) / max(foot - top, cap),
            np.minimum((y0 - top) / cap, _FAR) / 10,
            np.minimum((foot - y1) / cap, _FAR) / 10,
            np.log1p(per_line[numbers]),
            np.log1p(before),
            np.log1p(after),
            rank,
            per_line[numbers] - 1 - rank,
            wide[numbers] / page,
            inked[numbers] / np.maximum(wide[numbers], cap),
            (line_x0[numbers] - left) / page,
            (right - line_x1[numbers]) / page,
            *(np.clip(g / cap, -2, 12) / 3 for g in gaps),
            *(near[:, k] >= 0 for k in range(4)),
            np.clip(above / max(usual, 1.0), 0, 4),
            np.clip(below / max(usual, 1.0), 0, 4),
            np.clip(above / cap, 0, 8) / 2,
            np.clip(below / cap, 0, 8) / 2,
            np.full(len(boxes), np.log1p(total)),
            np.full(len(boxes), np.log1p(page / cap)),
        ]
    )


def _measure_edges(boxes: Floats, lines: Ints, cap: float) -> Floats:
    """Measure how a piece's sides stand with those of the lines above and below."""
    count = len(boxes)
    x0, x1, high = boxes[:, 0], boxes[:, 2], boxes[:, 3] - boxes[:, 1]
    places = (x0, x1, (x0 + x1) / 2)
    sides = (x0 - _OPEN_CAPS * cap, x1 + _OPEN_CAPS * cap)
    out: list[NDArray[np.floating] | NDArray[np.integer] | NDArray[np.bool_]] = []
    for sign in (-1, 1):
        # Of each line: which sides are flush, and whether what is beside a side is written on.
        flush, crossed = np.zeros((2, 3, count, _NEAR_LINES), bool)
        over = np.zeros((_NEAR_LINES, count), np.int64)
        own, other = pair_lines(lines, sign)
        beside = np.maximum(np.bincount(own, minlength=count), 1)
        higher = np.bincount(own, high[other], minlength=count)
        for n in range(_NEAR_LINES):
            own, other = pair_lines(lines, sign * (n + 1))
            for k, place in enumerate(places):
                level = np.abs(place[own] - place[other]) <= _FLUSH_CAPS * cap
                flush[k, own[level], n] = True
            for k, side in enumerate(sides):
                through = (x0[other] < side[own]) & (x1[other] > side[own])
                crossed[k, own[through], n] = True
            shared = np.minimum(x1[own], x1[other]) > np.maximum(x0[own], x0[other])
            over[n] = np.bincount(own[shared], minlength=count)
        for hit in flush:
            out += [hit.mean(axis=1), hit[:, 0]]
        out += [over[0].clip(0, 4), over.sum(axis=0).clip(0, 10) / _NEAR_LINES]
        # White beside the piece that goes on through the lines: a column's end.
        for hit in crossed[: len(sides)]:
            out += [hit.mean(axis=1), hit[:, 0]]
        out.append(higher / beside / cap)
    return np.column_stack(out).astype(float)


def pair_lines(lines: Ints, apart: int) -> tuple[Ints, Ints]:
    """Return all pairs of pieces of which the second stands ``apart`` lines below the first."""
    order = np.argsort(lines, kind="stable")
    first, last = (np.searchsorted(lines[order], lines + apart, side) for side in ("left", "right"))
    counts = last - first
    own = np.repeat(np.arange(len(lines)), counts)
    within = np.arange(len(own)) - np.repeat(np.cumsum(counts) - counts, counts)
    return own, order[np.repeat(first, counts) + within]


def _measure_rules(boxes: Floats, near: Ints, rules: Sequence[Rule], cap: float) -> Floats:
    """Measure the rules around a piece: above, below, left, right, and through its line."""
    count = len(boxes)
    x0, y0, x1, y1 = boxes.T
    middle_x, middle_y = (x0 + x1) / 2, (y0 + y1) / 2
    page = max(float(x1.max() - x0.min()), cap)
    long = [r for r in rules if r.length >= _SHORT_RULE_CAPS * cap]
    across = [r for r in long if r.direction == "across"]
    down = [r for r in long if r.direction == "down"]
    out = []
    if across:
        at = np.array([[r.position, r.start, r.end, r.thickness_px] for r in across])
        reach = (at[None, :, 1] - cap <= middle_x[:, None]) & (
            middle_x[:, None] <= at[None, :, 2] + cap
        )
        for way, limit in ((0, near[:, 0]), (1, near[:, 1])):
            distance = (
                middle_y[:, None] - at[None, :, 0]
                if way == 0
                else at[None, :, 0] - middle_y[:, None]
            )
            # Only up to the next piece in that direction.
            other = np.where(limit >= 0, np.abs(middle_y[limit] - middle_y), 6 * cap)
            hit = reach & (distance > 0) & (distance < other[:, None])
            nearest = np.where(hit, distance, np.inf).argmin(axis=1)
            found = hit[np.arange(count), nearest]
            length = (at[nearest, 2] - at[nearest, 1]) / page
            over = np.minimum(at[nearest, 2], x1) - np.maximum(at[nearest, 1], x0)
            out += [
                found,
                np.where(found, np.clip(distance[np.arange(count), nearest] / cap, 0, 6) / 2, 3.0),
                np.where(found, length, 0.0),
                np.where(found, at[nearest, 3] / cap, 0.0),
                np.where(found, over / np.maximum(x1 - x0, 1.0), 0.0),
                hit.sum(axis=1).clip(0, 4),
            ]
        inside = (at[None, :, 1] - cap <= middle_x[:, None]) & (
            at[None, :, 2] + cap >= middle_x[:, None]
        )
        out += [
            np.log1p((inside & (at[None, :, 0] < middle_y[:, None])).sum(axis=1)),
            np.log1p((inside & (at[None, :, 0] > middle_y[:, None])).sum(axis=1)),
        ]
    else:
        out += [np.zeros(count), np.full(count, 3.0), *[np.zeros(count)] * 4] * 2
        out += [np.zeros(count)] * 2
    if down:
        at = np.array([[r.position, r.start, r.end] for r in down])
        level = (at[None, :, 1] - cap <= middle_y[:, None]) & (
            middle_y[:, None] <= at[None, :, 2] + cap
        )
        before = level & (at[None, :, 0] < middle_x[:, None])
        after = level & (at[None, :, 0] > middle_x[:, None])
        left = np.where(near[:, 2] >= 0, middle_x[near[:, 2]], -np.inf)
        right = np.where(near[:, 3] >= 0, middle_x[near[:, 3]], np.inf)
        out += [
            np.log1p(level.sum(axis=1)),
            (before & (at[None, :, 0] > left[:, None])).any(axis=1),
            (after & (at[None, :, 0] < right[:, None])).any(axis=1),
            before.any(axis=1),
            after.any(axis=1),
        ]
    else:
        out += [np.zeros(count)] * 5
    return np.column_stack(out).astype(float)


def find_letters(boxes: Floats, letters: Floats) -> list[Floats]:
    """Return the boxes of each piece's letters, those whose middles lie in it."""
    xs, ys = (letters[:, 0] + letters[:, 2]) / 2, (letters[:, 1] + letters[:, 3]) / 2
    order = np.argsort(ys)
    letters, xs, ys = letters[order], xs[order], ys[order]
    firsts, lasts = np.searchsorted(ys, boxes[:, 1]), np.searchsorted(ys, boxes[:, 3])
    out = []
    for x0, x1, first, last in zip(
        boxes[:, 0].tolist(), boxes[:, 2].tolist(), firsts.tolist(), lasts.tolist(), strict=True
    ):
        near = xs[first:last]
        out.append(letters[first:last][(near >= x0) & (near <= x1)])
    return out


def _measure_letters(boxes: Floats, letters: Sequence[Floats], cap: float) -> Floats:
    """Measure a piece's letters: how many, how high, and how many of them are tall."""
    out = np.zeros((len(boxes), 4))
    wide = np.maximum(boxes[:, 2] - boxes[:, 0], cap).tolist()
    for k, own in enumerate(letters):
        if len(own):
            high = sorted((own[:, 3] - own[:, 1]).tolist())
            tall = sum(h >= _TALL * cap for h in high) / len(high)
            out[k] = (len(own) * cap / wide[k], median(high) / cap, tall, high[-1] / cap)
    return out


def _measure_wrapping(
    boxes: Floats, lines: Ints, near: Ints, letters: Sequence[Floats], cap: float
) -> Floats:
    """Measure whether a piece may go on with the one above it, or the one below with it.

    A line is full where the next one's first word would not have found room in its column.
    """
    x0, x1 = boxes[:, 0], boxes[:, 2]
    wide = x1 - x0
    first, words = _measure_words(boxes, letters, cap)
    apart = np.abs(lines[None, :] - lines[:, None])
    shared = np.minimum(x1[:, None], x1[None, :]) - np.maximum(x0[:, None], x0[None, :])
    after = np.where(near[:, 3] >= 0, x0[near[:, 3]], np.inf)
    before = np.where(near[:, 2] >= 0, x1[near[:, 2]], -np.inf)
    # What reaches to a neighbour on the line is no piece of this column.
    own = (apart <= _COLUMN_LINES) & (shared > 0)
    own &= (x1[None, :] <= after[:, None]) & (x0[None, :] >= before[:, None])
    np.fill_diagonal(own, val=True)
    right = np.where(own, x1[None, :], -np.inf).max(axis=1)
    room = right - np.where(own, x0[None, :], np.inf).min(axis=1)
    full = (own & (wide[None, :] >= _FULL * room[:, None])).sum(axis=1) / own.sum(axis=1)
    space = _SPACE_CAPS * cap
    fits = []
    for way, sign in ((0, -1), (1, 1)):
        other = near[:, way]
        next_one = (other >= 0) & (lines[other] - lines == sign)
        upper, lower = (wide[other], first) if way == 0 else (wide, first[other])
        ending = (x1[other] if way == 0 else x1) + space + lower
        fits += [
            next_one,
            np.where(next_one, np.clip((room - upper - space - lower) / cap, -6, 6), 0.0) / 3,
            np.where(next_one, np.clip((right - ending) / cap, -6, 6), 0.0) / 3,
        ]
    return np.column_stack(
        [
            np.log1p(first / cap),
            np.log1p(words),
            wide / np.maximum(room, cap),
            np.clip((room - wide) / cap, 0, 12) / 4,
            full,
            np.log1p(own.sum(axis=1)),
            *fits,
        ]
    ).astype(float)


def _measure_words(boxes: Floats, letters: Sequence[Floats], cap: float) -> tuple[Floats, Floats]:
    """Return how wide (px) each piece's first word is, and how many words each piece has."""
    first, words = boxes[:, 2] - boxes[:, 0], np.ones(len(boxes))
    for k, unordered in enumerate(letters):
        if len(unordered) < 2:
            continue
        own = unordered[np.argsort(unordered[:, 0])]
        ends = np.maximum.accumulate(own[:, 2])
        gaps = np.flatnonzero(own[1:, 0] - ends[:-1] > _WORD_CAPS * cap)
        if len(gaps):
            first[k], words[k] = ends[gaps[0]] - boxes[k, 0], len(gaps) + 1
    return first, words


def _find_groups(boxes: Floats, lines: Ints) -> tuple[sparse.csr_array, ...]:
    """Return a matrix for each of ``GROUPS``: it takes values to each piece's group means."""
    from scipy import sparse  # noqa: PLC0415 - the window need not wait for it

    x0, x1 = boxes[:, 0], boxes[:, 2]

    def mean_of(own: Ints, other: Ints) -> sparse.csr_array:
        shares = 1.0 / np.bincount(own, minlength=len(boxes))[own]
        return sparse.coo_array((shares, (own, other)), (len(boxes),) * 2).tocsr()

    own, other = pair_lines(lines, 0)
    before, after = x0[other] < x0[own], x0[other] > x0[own]
    out = [mean_of(own[before], other[before]), mean_of(own[after], other[after])]
    for sign in (-1, 1):
        pairs = [pair_lines(lines, sign * n) for n in range(1, _COLUMN_LINES + 1)]
        own, other = (np.concatenate(part) for part in zip(*pairs, strict=True))
        over = np.minimum(x1[own], x1[other]) > np.maximum(x0[own], x0[other])
        out.append(mean_of(own[over], other[over]))
    return tuple(out)


def _count_features() -> int:
    one = Writing(np.array([[0.0, 0.0, 9.0, 9.0]]), np.zeros(1, np.int64), 9.0)
    near = np.full((1, 4), -1, np.int64)
    groups = (
        _measure_places(one.boxes, one.lines, near, 9.0),
        _measure_edges(one.boxes, one.lines, 9.0),
        _measure_rules(one.boxes, near, (), 9.0),
        _measure_letters(one.boxes, [one.letters], 9.0),
        _measure_wrapping(one.boxes, one.lines, near, [one.letters], 9.0),
    )
    return sum(int(g.shape[1]) for g in groups) + TEXTS


FEATURES = _count_features()
"""How many measures a piece has."""
