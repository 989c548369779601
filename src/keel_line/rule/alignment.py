"""Finds tables by alignment: columns of white space through several lines.

Where only some rules are drawn they say where rows or columns part; white space and the lines of
text say the rest. A block of text lines is a table where streams of white run down through it
(compare Breuel, "Two geometric algorithms for layout analysis", DAS 2002).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import DIRECTIONS, Grid, Rule
from keel_line.rule.assembly import find_open, find_tables
from keel_line.rule.beside import part_beside
from keel_line.rule.block import LEAST_ROWS, OFF_LINE_CAPS, PAD_CAPS, Block
from keel_line.rule.blocks import part_blocks, part_repeated, part_unlike
from keel_line.rule.extent import (
    find_columned_run,
    grow_down,
    grow_up,
    leave_running_line,
    leave_title,
)
from keel_line.rule.laying import lay_grid, runs_along
from keel_line.rule.mend import move_line
from keel_line.rule.roles import Roles
from keel_line.rule.streams import Stream, find_streams, measure_extents
from keel_line.rule.writing import Writing, lie_outside, line_middle

_PROSE_CAPS = 14
_EVEN_LINES = 0.72
_LIST_NUMBER_CAPS = 3.5
_LINED_UP = 0.7
_FEW_ROWS = 5
_LEAST_ACROSS, _LEAST_RULED_STREAMS = 4, 2


def find_aligned(writing: Writing, rules: Sequence[Rule]) -> list[Grid]:
    """Find the tables in a page's writing that rules do not fully show.

    Parameters
    ----------
    writing
        The page's writing outside its ruled tables.
    rules
        Ruling lines that belong to no ruled table.

    Returns
    -------
    list of Grid
        From the top down. Their ``rules`` are the ruling lines that lie on their boundaries.
    """
    if len(writing.boxes) == 0:
        return []
    rows = [writing.boxes[writing.lines == n] for n in range(int(writing.lines.max()) + 1)]
    out: list[Grid] = []
    whole = Block(tuple(r for r in rows if len(r)), writing.cap_px, writing.letters)
    for block in (
        unlike
        for own in part_blocks(whole)
        for part in part_repeated(own)
        for unlike in part_unlike(part)
    ):
        for lines in part_beside(block.rows, rules, block.cap_px):
            # One side may have gaps where the other's lines stood.
            for own in part_blocks(replace(block, rows=lines)):
                for part in part_unlike(own):
                    out += _tables_in(part, rules)
    return out


def find_by_roles(writing: Writing, rules: Sequence[Rule], roles: Roles) -> list[Grid]:
    """Lay out the tables that pieces of writing make by their roles.

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
    for table in find_tables(writing, roles):
        rows = tuple(writing.boxes[line] for line in table.lines)
        body = Block(rows, writing.cap_px, writing.letters)
        single = tuple(r[~s] for r, s in zip(rows, table.spans, strict=True) if not s.all())
        streams = find_streams(replace(body, rows=single)) if single else []
        grid = lay_grid(body, streams, rules, table)
        if grid.rows * grid.cols > 1:
            out.append(replace(grid, doubts=find_open(table, writing, roles, grid)))
    return sorted(out, key=lambda g: g.box[1])


def find_rejected_areas(writing: Writing, tables: Sequence[Grid]) -> list[Box]:
    """Return the boxes of blocks of at least 3 lines that were judged no table."""
    if len(writing.boxes) == 0:
        return []
    outside = lie_outside(writing.boxes, [t.box for t in tables])
    boxes, lines = writing.boxes[outside], writing.lines[outside]
    rows = [boxes[lines == n] for n in np.unique(lines)]
    pad = PAD_CAPS * writing.cap_px
    whole = Block(tuple(rows), writing.cap_px, writing.letters)
    found = [b.box for b in part_blocks(whole) if len(b.rows) >= LEAST_ROWS]
    return [(x0 - pad, y0 - pad, x1 + pad, y1 + pad) for x0, y0, x1, y1 in found]


def lay_out(writing: Writing, rules: Sequence[Rule], area: Box) -> Grid:
    """Make one table of all writing in an area, whatever it looks like.

    Raises
    ------
    ValueError
        When there is no writing.
    """
    if len(writing.boxes) == 0:
        raise ValueError("nothing is written here")
    rows = [writing.boxes[writing.lines == n] for n in np.unique(writing.lines)]
    body = Block(tuple(rows), writing.cap_px, writing.letters)
    grid = lay_grid(body, find_streams(body), rules)
    for direction, first, last in zip(DIRECTIONS, area[:2], area[2:], strict=True):
        lines = grid.lines(direction)
        grid = move_line(grid, direction, 0, min(first, lines[0]))
        grid = move_line(grid, direction, len(lines) - 1, max(last, lines[-1]))
    return grid


def _tables_in(block: Block, rules: Sequence[Rule]) -> list[Grid]:
    """Find the run of lines in a block that shares columns; return its table, if it is one."""
    first, last = find_columned_run(block)
    if last - first < LEAST_ROWS:
        return []
    first = leave_running_line(block, first, last)
    streams = find_streams(block.part(first, last))
    if not streams:
        return []
    first = leave_title(block, first, last, streams)
    if last - first < LEAST_ROWS:
        return []
    streams = find_streams(block.part(first, last))  # a title's words leave streams of their own
    if not streams:
        return []
    first = grow_up(block, first, last, streams)
    last = grow_down(block, last, streams)
    body = block.part(first, last)
    grid = _make_grid(body, streams, rules)
    rest = []
    if first >= LEAST_ROWS:
        rest += _tables_in(block.part(0, first), rules)
    if len(block.rows) - last >= LEAST_ROWS:
        rest += _tables_in(block.part(last, len(block.rows)), rules)
    return sorted([*([grid] if grid else []), *rest], key=lambda g: g.box[1])


def _make_grid(body: Block, streams: list[Stream], rules: Sequence[Rule]) -> Grid | None:
    """Build the grid of a block with columns; None where it is running text or a list."""
    if _is_prose(body, streams) and not _is_ruled_across(body, streams, rules):
        return None
    grid = lay_grid(body, streams, rules)
    return grid if min(grid.rows, grid.cols) >= 2 else None


def _is_ruled_across(body: Block, streams: list[Stream], rules: Sequence[Rule]) -> bool:
    """Tell whether rules part most of a block's lines, and white streams run down through them."""
    if len(streams) < _LEAST_RULED_STREAMS:
        return False
    at = sorted(r.position for r in rules if r.direction == "across" and runs_along(r, body.box, 0))
    middles = [line_middle(r) for r in body.rows]
    parted = set(np.searchsorted(at, middles).tolist())
    return len(at) >= _LEAST_ACROSS and len(parted) >= len(at) - 1


def _is_prose(body: Block, streams: list[Stream]) -> bool:
    """Tell running text and lists from tables.

    Words leave streams by chance, but stand in no line with each other; text set in two columns,
    and a list's numbers beside its lines, have streams too, but their lines are long and nearly
    of one length.
    """
    columns = measure_extents(body, streams)
    lined_up = [_is_lined_up(c, body.cap_px) for c in columns if len(c)]
    least = _LINED_UP if len(body.rows) >= _FEW_ROWS else 1.0
    if not lined_up or np.mean(lined_up) < least:
        return True
    if len(streams) >= 2:
        return False
    wide = [(c[:, 1] - c[:, 0]) / body.cap_px for c in columns]
    if not all(len(w) for w in wide):
        return True
    even = [float(np.median(w) / w.max()) > _EVEN_LINES for w in wide]
    long = [float(np.median(w)) > _PROSE_CAPS for w in wide]
    if all(even) and all(long):
        return True
    return float(wide[0].max()) < _LIST_NUMBER_CAPS and long[1]


def _is_lined_up(ends: NDArray[np.float64], cap: float) -> bool:
    """Return whether a column's lines begin, end or are centred at one place."""
    places = np.column_stack([ends, ends.mean(axis=1)])
    off = np.median(np.abs(places - np.median(places, axis=0)), axis=0)
    return bool(off.min() <= OFF_LINE_CAPS * cap)
