"""Finds the tables that pieces of writing make by their roles, whatever rules there are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import takewhile

import numpy as np

from keel_line.model.geometry import Box
from keel_line.model.grid import DIRECTIONS, Grid, Rule
from keel_line.rule.assembly import FoundTable, find_open, find_tables, take_all
from keel_line.rule.ends import judge_ends
from keel_line.rule.joining import judge_joins
from keel_line.rule.laying import lay_table
from keel_line.rule.mend import move_line
from keel_line.rule.roles import Roles, find_roles
from keel_line.rule.writing import Writing, box_around, lie_outside, line_middle, line_span

_APART_CAPS = 2.5
_LEAST_LINES = 3
_PAD_CAPS = 0.45
_MOST_TITLE_LINES, _ABOVE_TITLE = 3, 1.5
_WIDE, _SOME_RULE = 0.9, 0.5


def find_by_roles(writing: Writing, rules: Sequence[Rule], roles: Roles) -> list[Grid]:
    """Lay out the tables that pieces of writing make by their roles, from the top down.

    Parameters
    ----------
    writing
        The page's writing outside its ruled tables.
    rules
        Ruling lines that belong to no ruled table.
    roles
        What each piece is thought to be.
    """
    out = []
    seen = judge_ends(find_tables(writing, roles, rules), writing, rules, roles)
    found = [_without_title(table, writing, rules) for table in seen]
    boxes = [box_around(writing.boxes[t.pieces]) for t in found]
    for alone, room in zip(found, _find_room(boxes), strict=True):
        own = _clip(rules, room)
        table = judge_joins(alone, writing, own, roles)
        grid = lay_table(table, writing, own, roles)
        if grid.rows * grid.cols > 1:
            out.append(replace(grid, doubts=find_open(table, roles, grid)))
    return sorted(out, key=lambda g: g.box[1])


def _without_title(table: FoundTable, writing: Writing, rules: Sequence[Rule]) -> FoundTable:
    """Return a table without the lone lines above the rule that it begins with: they are its title.

    The rule is as wide as the table, and none lies above the lines.
    """
    boxes = writing.boxes
    lone = len(list(takewhile(lambda line: len(line) == 1, table.lines)))
    if not 0 < lone <= _MOST_TITLE_LINES or len(table.lines) - lone < _LEAST_LINES:
        return table
    left, _, right, _ = box_around(boxes[np.concatenate(table.lines[lone:])])
    last, first = (line_middle(boxes[table.lines[k]]) for k in (lone - 1, lone))
    high = float(boxes[table.lines[0], 1].min()) - _ABOVE_TITLE * (first - last)
    if _find_cover(rules, (left, last, right, first)) < _WIDE:
        return table
    if _find_cover(rules, (left, high, right, last)) >= _SOME_RULE:
        return table
    return replace(
        table,
        lines=table.lines[lone:],
        joins=table.joins[lone:],
        headings=max(0, table.headings - lone),
        spans=table.spans[lone:],
        same=table.same[lone:],
    )


def _find_cover(rules: Sequence[Rule], box: Box) -> float:
    """Return the length of the longest rule across in a box, as a share of the box's width."""
    left, top, right, foot = box
    within = (
        r for r in rules if r.direction == "across" and top <= r.at((left + right) / 2) < foot
    )
    shared = (min(r.end, right) - max(r.start, left) for r in within)
    return max(shared, default=0.0) / (right - left)


def _find_room(boxes: Sequence[Box]) -> list[Box]:
    """Return for each box how far its table may reach: halfway to the others beside it."""
    out = []
    for own in boxes:
        left, top, right, low = -np.inf, -np.inf, np.inf, np.inf
        for other in boxes:
            if other is own:
                continue
            if min(own[3], other[3]) > max(own[1], other[1]):  # beside it
                if other[0] > own[2]:
                    right = min(right, (own[2] + other[0]) / 2)
                elif other[2] < own[0]:
                    left = max(left, (other[2] + own[0]) / 2)
            elif min(own[2], other[2]) > max(own[0], other[0]):  # above or below it
                if other[1] > own[3]:
                    low = min(low, (own[3] + other[1]) / 2)
                elif other[3] < own[1]:
                    top = max(top, (other[3] + own[1]) / 2)
        out.append((left, top, right, low))
    return out


def _clip(rules: Sequence[Rule], room: Box) -> list[Rule]:
    """Return the parts of ruling lines that lie in the room of a table."""
    out = []
    for rule in rules:
        axis = 0 if rule.direction == "across" else 1
        low, high = room[axis], room[axis + 2]
        start, end = max(rule.start, low), min(rule.end, high)
        slack = 2 * rule.thickness_px
        if start >= end or not room[1 - axis] - slack <= rule.position <= room[3 - axis] + slack:
            continue
        out.append(replace(rule, start=start, end=end, position=rule.at(start)))
    return out


def find_rejected_areas(writing: Writing, tables: Sequence[Grid]) -> list[Box]:
    """Return a box around each block of 3 or more lines that is in no table."""
    outside = lie_outside(writing.boxes, [t.box for t in tables])
    boxes, lines = writing.boxes[outside], writing.lines[outside]
    rows = [boxes[lines == n] for n in np.unique(lines)]
    blocks: list[list[int]] = []
    for k, row in enumerate(rows):
        if blocks and line_span(row)[0] - line_span(rows[k - 1])[1] <= _APART_CAPS * writing.cap_px:
            blocks[-1].append(k)
        else:
            blocks.append([k])
    pad = _PAD_CAPS * writing.cap_px
    out = []
    for block in blocks:
        if len(block) >= _LEAST_LINES:
            own = np.concatenate([rows[k] for k in block])
            x0, y0 = (own[:, :2].min(axis=0) - pad).tolist()
            x1, y1 = (own[:, 2:].max(axis=0) + pad).tolist()
            out.append((x0, y0, x1, y1))
    return out


def lay_out(writing: Writing, rules: Sequence[Rule], area: Box) -> Grid:
    """Make one table of all writing in an area, whatever it looks like.

    Raises
    ------
    ValueError
        When there is no writing.
    """
    if len(writing.boxes) == 0:
        raise ValueError("nothing is written here")
    roles = find_roles(writing, rules)
    table = judge_joins(take_all(writing, roles), writing, rules, roles)
    grid = lay_table(table, writing, rules, roles)
    for direction, first, last in zip(DIRECTIONS, area[:2], area[2:], strict=True):
        lines = grid.lines(direction)
        grid = move_line(grid, direction, 0, min(first, lines[0]))
        grid = move_line(grid, direction, len(lines) - 1, max(last, lines[-1]))
    return grid
