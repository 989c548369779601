"""Finds the boundaries between the rows of a table."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import Rule
from keel_line.rule.block import Block
from keel_line.rule.writing import line_middle

_NEAR_CAPS = 1.6
_RULED_SHARE, _NEARER = 0.7, 0.85


def find_row_lines(
    body: Block, across: Sequence[Rule], around: Box, joined: Sequence[bool], headings: int
) -> tuple[list[int], list[float]]:
    """Return the text lines at which rows begin, and the rows' boundaries (px).

    ``joined`` says of each line but the first whether it goes on with the row before. A boundary
    lies on a rule where one is between its lines, and lines with one between them are two rows
    in any case. Where nearly all boundaries do, lines below the
    ``headings`` that stand nearer than rows do and have no rule between them are one row.
    """
    middle_x = (around[0] + around[2]) / 2
    at = sorted(r.at(middle_x) for r in across)
    tops = [float(r[:, 1].min()) for r in body.rows]
    lows = [float(r[:, 3].max()) for r in body.rows]
    middles = [line_middle(r) for r in body.rows]
    ruled = [next((y for y in at if a < y < b), None) for a, b in pairwise(middles)]
    pitch = np.diff(middles)
    drawn = np.array([y is not None for y in ruled], bool)
    apart = ~np.array(joined, bool)
    apart &= ~np.array([_stands_beside(row, across) for row in body.rows[1:]], bool)
    if apart.any() and drawn[apart].mean() >= _RULED_SHARE:
        apart &= (
            drawn
            | (np.arange(len(apart)) < headings)
            | (pitch >= _NEARER * np.median(pitch[apart & drawn]))
        )
    first = 0
    for i, parts in enumerate(apart.tolist()):
        if ruled[i] is None or not parts:
            between = _find_rule_above(body, first, i + 1, across)
            if between is not None:
                apart[i], ruled[i] = True, between
        if apart[i]:
            first = i + 1
    starts, ys = [0], []
    for i in np.flatnonzero(apart).tolist():
        y = ruled[i]
        starts.append(i + 1)
        ys.append(y if y is not None else (lows[i] + tops[i + 1]) / 2)
    near = _NEAR_CAPS * body.cap_px
    top = next((y for y in at if abs(y - around[1]) < near), around[1])
    low = next((y for y in reversed(at) if abs(y - around[3]) < near), around[3])
    return starts, [min(top, tops[0]), *ys, max(low, lows[-1])]


def _stands_beside(row: NDArray[np.float64], across: Sequence[Rule]) -> bool:
    """Return whether a rule ends beside all pieces of a line, at their height.

    Such a line names the rows above and below the rule.
    """
    x0, y0 = row[:, :2].min(axis=0)
    x1, y1 = row[:, 2:].max(axis=0)
    return any((r.end <= x0 or r.start >= x1) and y0 < r.position < y1 for r in across)


def _find_rule_above(body: Block, first: int, number: int, across: Sequence[Rule]) -> float | None:
    """Return where a rule lies between a line's pieces and those above them in its row, or None.

    ``first`` is the row's first line.
    """
    above = np.concatenate(body.rows[first:number])
    for x0, top, x1, _ in body.rows[number].tolist():
        middle = (x0 + x1) / 2
        over = above[(above[:, 0] < x1) & (above[:, 2] > x0)]
        foot = over[:, 3].max(initial=-np.inf)
        for rule in across if len(over) else ():
            if rule.start <= middle <= rule.end and foot <= rule.at(middle) <= top:
                return rule.at(middle)
    return None
