"""Builds a grid of lines of text: columns, rows, and spanning cells."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import Cell, Grid, Rule
from keel_line.rule.assembly import FoundTable
from keel_line.rule.block import FLUSH_CAPS, HEADING_ROWS, PAD_CAPS, Block
from keel_line.rule.columns import drop_margins, drop_strays, find_column_lines, keep_clear
from keel_line.rule.headed import RowPieces, place_cells
from keel_line.rule.levels import columns_of, find_levels, spanned_below, with_levels
from keel_line.rule.parting import ColumnPlace, find_places, part_pieces
from keel_line.rule.row_spans import find_partial, with_row_spans
from keel_line.rule.rows import find_row_lines
from keel_line.rule.streams import Stream

_LONG_RULE = 0.75
_BESIDE = 0.25
_SHORT = 0.9


def lay_grid(
    body: Block,
    streams: list[Stream],
    rules: Sequence[Rule],
    found: FoundTable | None = None,
) -> Grid:
    """Build the grid of a block, whatever it is.

    ``found`` says which lines make a row, which are heading and which pieces span, by their roles;
    without it that follows from how they stand.
    """
    pad = PAD_CAPS * body.cap_px
    x0, y0, x1, y1 = body.box
    around = (x0 - pad, y0 - pad, x1 + pad, y1 + pad)
    across = [r for r in rules if r.direction == "across" and runs_along(r, around, 0)]
    # The outer rules down stand as far off as the widest value of their column is wide.
    wide = _BESIDE * (around[2] - around[0])
    beside = (around[0] - wide, around[1], around[2] + wide, around[3])
    down = [r for r in rules if r.direction == "down" and runs_along(r, beside, 1)]
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
    xs = drop_strays(find_column_lines(streams, down, around, body.cap_px), body, ruled)
    if found is not None:
        return _lay_found(body, found, xs, ruled, around, [*across], down, rules)
    xs, body = drop_margins(xs, body, ruled)
    parted = replace(body, rows=part_pieces(body.rows, body.letters, xs, body.cap_px))
    levels = find_levels(body.rows, body.cap_px, xs)
    if levels is None:
        levels = find_levels(parted.rows, body.cap_px, xs)
    body = parted
    if levels is not None:  # what stands between two levels of headings belongs to both
        body = replace(body, rows=(body.rows[0], *body.rows[levels.last :]))
    partial = find_partial(rules, around, body.cap_px) if across else []
    rows_by = [*across, *(r for r in partial if r not in across)]
    starts, ys = find_row_lines(body, rows_by, around, xs, apart=levels is not None)
    cells = _place_cells(body, starts, xs, ys)
    clear = keep_clear(body, starts, cells, xs, ruled)
    if clear != xs:
        xs = clear
        cells = _place_cells(body, starts, xs, ys)
    if levels is not None:
        cells = with_levels(cells, levels, xs, ys)
    if partial:
        cells = with_row_spans(cells, _written_in(body, starts, xs), rows_by, ys, body.cap_px)
    box = (xs[0], ys[0], xs[-1], ys[-1])
    return Grid(box, tuple(xs), tuple(ys), tuple(cells), (*rows_by, *down))


def _lay_found(
    body: Block,
    found: FoundTable,
    xs: list[float],
    ruled: list[float],
    around: Box,
    across: list[Rule],
    down: list[Rule],
    rules: Sequence[Rule],
) -> Grid:
    """Build the grid of a table that was found by roles."""
    rows, spans = [], []
    for row, spanning in zip(body.rows, found.spans, strict=True):
        single = row[~spanning]
        if len(single):
            single = part_pieces((single,), body.letters, xs, body.cap_px)[0]
        rows.append(np.concatenate([row[spanning], single]))
        spans.append(np.arange(len(rows[-1])) < int(spanning.sum()))
    body = replace(body, rows=tuple(rows))
    partial = find_partial(rules, around, body.cap_px) if across else []
    rows_by = [*across, *(r for r in partial if r not in across)]
    levels = find_levels(body.rows, body.cap_px, xs)
    joined = list(found.joined)
    if levels is not None:  # what stands between two levels of headings goes with the upper one
        joined[: levels.last] = [True] * (levels.last - 1) + [False]
    starts, ys = find_row_lines(body, rows_by, around, xs, apart=False, joined=joined)
    ends = [*starts[1:], len(rows)]
    headings = max(sum(first < found.headings for first in starts), 0 if levels is None else 2)
    pieces = [
        _make_row(np.concatenate(rows[a:b]), np.concatenate(spans[a:b]), rules, ys[k + 1], body)
        for k, (a, b) in enumerate(zip(starts, ends, strict=True))
    ]
    single_rows = [r.boxes[~r.spans] for r in pieces if (~r.spans).any()] or [
        r.boxes for r in pieces
    ]
    places = find_places(single_rows, xs, body.cap_px)
    titles = () if levels is None else levels.groups
    cells = place_cells(pieces, xs, ys, places, headings, body.cap_px, titles)
    clear = keep_clear(body, starts, cells, xs, ruled)
    if clear != xs:
        xs = clear
        cells = place_cells(pieces, xs, ys, places, headings, body.cap_px, titles)
    if partial:
        cells = with_row_spans(cells, _written_in(body, starts, xs), rows_by, ys, body.cap_px)
    box = (xs[0], ys[0], xs[-1], ys[-1])
    return Grid(box, tuple(xs), tuple(ys), tuple(cells), (*rows_by, *down))


def _make_row(
    boxes: NDArray[np.float64],
    spans: NDArray[np.bool_],
    rules: Sequence[Rule],
    foot: float,
    body: Block,
) -> RowPieces:
    """Return a row's pieces with the short rules under those that span columns."""
    wide = body.box[2] - body.box[0]
    under: list[tuple[float, float] | None] = []
    for (x0, y0, x1, y1), spanning in zip(boxes.tolist(), spans.tolist(), strict=True):
        own = None
        for rule in rules if spanning else ():
            near = (y0 + y1) / 2 < rule.position < max(foot, y1) + body.cap_px
            over = rule.start <= (x0 + x1) / 2 <= rule.end and rule.length < _SHORT * wide
            if rule.direction == "across" and near and over:
                own = (rule.start, rule.end)
        under.append(own)
    return RowPieces(boxes, spans, tuple(under))


def _written_in(body: Block, starts: list[int], xs: list[float]) -> set[tuple[int, int]]:
    """Return the rows and columns in which pieces have their middles."""
    return {
        (bisect_right(starts, number) - 1, col)
        for number, row in enumerate(body.rows)
        for col in columns_of(row, xs)
    }


def runs_along(rule: Rule, around: Box, axis: int) -> bool:
    """Return whether a rule lies in or along an area and runs over most of it."""
    low, high = around[axis], around[axis + 2]
    slack = 0.06 * max(around[3] - around[1], 40.0)
    if not around[1 - axis] - slack <= rule.position <= around[3 - axis] + slack:
        return False
    shared = min(rule.end, high) - max(rule.start, low)
    return shared >= _LONG_RULE * (high - low)


def _place_cells(body: Block, starts: list[int], xs: list[float], ys: list[float]) -> list[Cell]:
    """Place cells; a piece that lies over several columns' boundaries spans them."""
    ends = [*starts[1:], len(body.rows)]
    usual = find_places(body.rows, xs, body.cap_px)
    cells: list[Cell] = []
    headed: set[int] = set()
    for row, (first, last) in enumerate(zip(starts, ends, strict=True)):
        pieces = np.concatenate(body.rows[first:last])
        below = body.rows[last] if row < HEADING_ROWS and last < len(body.rows) else None
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
            own_place = away < FLUSH_CAPS * cap
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
