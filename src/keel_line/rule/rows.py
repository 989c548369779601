"""Finds the boundaries between the rows of a table."""

from __future__ import annotations

from collections.abc import Sequence

from keel_line.model.geometry import Box
from keel_line.model.grid import Rule
from keel_line.rule.block import Block
from keel_line.rule.writing import line_middle

_NEAR_CAPS = 1.6


def find_row_lines(
    body: Block, across: Sequence[Rule], around: Box, joined: Sequence[bool]
) -> tuple[list[int], list[float]]:
    """Return the text lines at which rows begin, and the rows' boundaries (px).

    ``joined`` says of each line but the first whether it goes on with the row before. A boundary
    lies on a rule where one is between its lines.
    """
    middle_x = (around[0] + around[2]) / 2
    at = sorted(r.at(middle_x) for r in across)
    tops = [float(r[:, 1].min()) for r in body.rows]
    lows = [float(r[:, 3].max()) for r in body.rows]
    middles = [line_middle(r) for r in body.rows]
    starts, ys = [0], []
    for i, goes_on in enumerate(joined):
        if goes_on:
            continue
        ruled = next((y for y in at if middles[i] < y < middles[i + 1]), None)
        starts.append(i + 1)
        ys.append(ruled if ruled is not None else (lows[i] + tops[i + 1]) / 2)
    near = _NEAR_CAPS * body.cap_px
    top = next((y for y in at if abs(y - around[1]) < near), around[1])
    low = next((y for y in reversed(at) if abs(y - around[3]) < near), around[3])
    return starts, [min(top, tops[0]), *ys, max(low, lows[-1])]
