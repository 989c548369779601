"""Lays out a table whose pieces, rows and headings are known: its columns and its cells."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import Grid, Rule
from keel_line.rule.assembly import FoundTable
from keel_line.rule.block import PAD_CAPS, Block
from keel_line.rule.columns import (
    columns_of,
    drop_strays,
    find_column_lines,
    keep_clear,
    keep_signs,
)
from keel_line.rule.headed import RowPieces, place_cells
from keel_line.rule.parting import find_places, part_pieces
from keel_line.rule.roles import Roles
from keel_line.rule.row_spans import find_partial, with_row_spans
from keel_line.rule.rows import find_row_lines
from keel_line.rule.sayings import FIGURES_AND_LETTERS
from keel_line.rule.streams import find_streams
from keel_line.rule.writing import Writing

_ONE_CELL = 0.93  # surely so
_LONG_RULE = 0.75
_BESIDE = 0.25
_SHORT = 0.9


def lay_table(found: FoundTable, writing: Writing, rules: Sequence[Rule], roles: Roles) -> Grid:
    """Build the grid of a table.

    Parameters
    ----------
    found
        Which lines make a row, which are heading and which pieces span.
    writing
        The writing that the table's pieces belong to.
    rules
        Ruling lines that belong to no ruled table.
    roles
        Tells what the writing says, where that is known.
    """
    cap = writing.cap_px
    merged = [
        _merge(writing.boxes[line], spans, same)
        for line, spans, same in zip(found.lines, found.spans, found.same, strict=True)
    ]
    rows = [boxes for boxes, _, _ in merged]
    spans_by = [own for _, own, _ in merged]
    body = Block(tuple(rows), cap, writing.letters)
    around, across, down = _find_rules(body, rules)
    ruled = [r.at((around[1] + around[3]) / 2) for r in down]
    streams = find_streams(rows, spans_by, [own for _, _, own in merged], ruled, cap)
    words = found.pieces[roles.said[found.pieces][:, FIGURES_AND_LETTERS].any(axis=1)]
    streams = keep_signs(streams, body, found.headings, writing.boxes[words, ::2].mean(axis=1))
    xs = drop_strays(find_column_lines(streams, down, around, cap), body, ruled)
    rows, spans = _part_rows(body, spans_by, xs)
    body = replace(body, rows=tuple(rows))
    partial = find_partial(rules, around, cap) if across else []
    rows_by = [*across, *(r for r in partial if r not in across)]
    starts, ys = find_row_lines(body, rows_by, around, found.joined, found.headings)
    ends = [*starts[1:], len(rows)]
    headings = sum(first < found.headings for first in starts)
    pieces = [
        _make_row(np.concatenate(rows[a:b]), np.concatenate(spans[a:b]), rules, ys[k + 1], body)
        for k, (a, b) in enumerate(zip(starts, ends, strict=True))
    ]
    alone = [r.boxes[~r.spans] for r in pieces if (~r.spans).any()] or [r.boxes for r in pieces]
    places = find_places(alone, xs, cap)
    cells = place_cells(pieces, xs, ys, places, headings, cap)
    clear = keep_clear(body, starts, cells, xs, ruled)
    if clear != xs:
        xs = clear
        cells = place_cells(pieces, xs, ys, places, headings, cap)
    if partial:
        between = [r for r in rules if r.direction == "across"]
        cells = with_row_spans(cells, _written_in(body, starts, xs), between, ys, cap)
    box = (xs[0], ys[0], xs[-1], ys[-1])
    return Grid(box, tuple(xs), tuple(ys), tuple(cells), (*rows_by, *down))


def _merge(
    boxes: NDArray[np.float64], spans: NDArray[np.bool_], same: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.bool_], NDArray[np.float64]]:
    """Return a line's pieces, those of one cell as one, which of them span, and their ``same``."""
    starts = np.flatnonzero((same <= _ONE_CELL) | (np.arange(len(same)) == 0))
    low = np.minimum.reduceat(boxes[:, :2], starts, axis=0)
    high = np.maximum.reduceat(boxes[:, 2:], starts, axis=0)
    return np.hstack([low, high]), np.logical_or.reduceat(spans, starts), same[starts]


def _find_rules(body: Block, rules: Sequence[Rule]) -> tuple[Box, list[Rule], list[Rule]]:
    """Return the table's box with its outer rules, and the rules across and down it."""
    pad = PAD_CAPS * body.cap_px
    x0, y0, x1, y1 = body.box
    around = (x0 - pad, y0 - pad, x1 + pad, y1 + pad)
    across = [r for r in rules if r.direction == "across" and _runs_along(r, around, 0)]
    # The outer rules down stand as far off as the widest value of their column is wide.
    wide = _BESIDE * (around[2] - around[0])
    beside = (around[0] - wide, around[1], around[2] + wide, around[3])
    down = [r for r in rules if r.direction == "down" and _runs_along(r, beside, 1)]
    sides = [r.at((around[1] + around[3]) / 2) for r in down]
    left = min([around[0], *sides, *(r.start for r in across)])
    right = max([around[2], *sides, *(r.end for r in across)])
    return (left, around[1], right, around[3]), across, down


def _runs_along(rule: Rule, around: Box, axis: int) -> bool:
    """Return whether a rule lies in or along an area and runs over most of it."""
    low, high = around[axis], around[axis + 2]
    slack = 0.06 * max(around[3] - around[1], 40.0)
    if not around[1 - axis] - slack <= rule.position <= around[3 - axis] + slack:
        return False
    shared = min(rule.end, high) - max(rule.start, low)
    return shared >= _LONG_RULE * (high - low)


def _part_rows(
    body: Block, spans_by: list[NDArray[np.bool_]], xs: list[float]
) -> tuple[list[NDArray[np.float64]], list[NDArray[np.bool_]]]:
    """Return each line's pieces, those over a boundary parted, and which of them span columns."""
    single = [row[~s] for row, s in zip(body.rows, spans_by, strict=True)]
    held = [k for k, own in enumerate(single) if len(own)]
    if held:
        parted = part_pieces([single[k] for k in held], body.letters, xs, body.cap_px)
        for k, own in zip(held, parted, strict=True):
            single[k] = own
    rows = [
        np.concatenate([row[s], own])
        for row, s, own in zip(body.rows, spans_by, single, strict=True)
    ]
    spans = [np.arange(len(row)) < int(s.sum()) for row, s in zip(rows, spans_by, strict=True)]
    return rows, spans


def _make_row(
    boxes: NDArray[np.float64],
    spans: NDArray[np.bool_],
    rules: Sequence[Rule],
    foot: float,
    body: Block,
) -> RowPieces:
    """Return a row's pieces with the short rules under those that span columns.

    A rule under two of them that stand beside each other is that of neither: a scan made one rule
    of two.
    """
    wide = body.box[2] - body.box[0]
    boxes, spans = _join_titles(boxes, spans)
    middles = (boxes[spans, 0] + boxes[spans, 2]) / 2
    under: list[tuple[float, float] | None] = []
    for (x0, y0, x1, y1), spanning in zip(boxes.tolist(), spans.tolist(), strict=True):
        own = None
        for rule in rules if spanning else ():
            near = (y0 + y1) / 2 < rule.position < max(foot, y1) + body.cap_px
            over = rule.start <= (x0 + x1) / 2 <= rule.end and rule.length < _SHORT * wide
            alone = int(((middles >= rule.start) & (middles <= rule.end)).sum()) == 1
            if rule.direction == "across" and near and over and alone:
                own = (rule.start, rule.end)
        under.append(own)
    return RowPieces(boxes, spans, tuple(under))


def _join_titles(
    boxes: NDArray[np.float64], spans: NDArray[np.bool_]
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Return a row's pieces, those that span columns as one where they stand above each other."""
    titles: list[NDArray[np.float64]] = []
    for box in boxes[spans][np.argsort(boxes[spans, 0])]:
        if titles and box[0] < titles[-1][2]:
            last = titles[-1]
            titles[-1] = np.concatenate(
                [np.minimum(last[:2], box[:2]), np.maximum(last[2:], box[2:])]
            )
        else:
            titles.append(box)
    joined = np.array([*titles, *boxes[~spans]]).reshape(-1, 4)
    return joined, np.arange(len(joined)) < len(titles)


def _written_in(body: Block, starts: list[int], xs: list[float]) -> set[tuple[int, int]]:
    """Return the rows and columns in which pieces have their middles."""
    return {
        (bisect_right(starts, number) - 1, col)
        for number, row in enumerate(body.rows)
        for col in columns_of(row, xs)
    }
