"""Makes a table where the clerk draws one: of an area, or copied from another page."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, flatten_light
from keel_line.model.geometry import Box
from keel_line.model.grid import DIRECTIONS, Direction, Grid, Rule
from keel_line.rule.assembly import take_all
from keel_line.rule.grids import build_grids
from keel_line.rule.laying import lay_table
from keel_line.rule.mend import add_line, make_plain_grid, move_line, shift_grid
from keel_line.rule.roles import find_roles
from keel_line.rule.rules import find_rules, make_rule_field
from keel_line.rule.tables import lay_out
from keel_line.rule.writing import Writing, find_writing

LEAST_SIDE_IN = 0.15
"""An area is at least as wide and as high as this."""

_LEAST_PART_PX = 8
_THIN_CAPS = 0.04
_MOSTLY = 0.6
_MARGIN_IN = 0.25
_EDGE_IN = 0.04
_SHIFT_IN = 0.6
_SNAP_IN = 0.05
_LEAST_ALIKE = 3
_ALIKE, _CLEARLY = 0.6, 0.1
_RULED_SHARE = 0.25
_MM_PER_IN = 25.4
_UNITS = {"mm": 1 / _MM_PER_IN, "cm": 10 / _MM_PER_IN, "in": 1.0}


def find_in_area(grey: Grey, dpi: float, box: Box) -> Grid:
    """Make one table of an area, with the rows and columns that its rules and writing show.

    Parameters
    ----------
    grey
        Squared page, shape (rows, cols), 0 is black.
    dpi
        Its resolution.
    box
        The area in px; what lies beyond the page is cut off.

    Returns
    -------
    Grid
        Where rules frame most of the area it is their grid; otherwise it fills the area. An empty
        area becomes one cell. In one column each printed line is a row.
    """
    area = clip_box(box, grey.shape, dpi)
    # Rules along the area's edge are seen only with the paper on both their sides.
    left, top = (max(0, int(v - _MARGIN_IN * dpi)) for v in area[:2])
    right, low = (int(np.ceil(v + _MARGIN_IN * dpi)) for v in area[2:])
    flat = flatten_light(np.ascontiguousarray(grey[top:low, left:right]))
    field = make_rule_field(flat, dpi)
    rules = find_rules(field)
    slack = _EDGE_IN * dpi
    inner = (area[0] - left, area[1] - top, area[2] - left, area[3] - top)
    framed = [g for g in build_grids(field, rules) if _lies_in(g.box, inner, slack)]
    ruled = max(framed, key=lambda g: _size(g.box), default=None)
    if ruled is not None and _size(ruled.box) >= _MOSTLY * _size(area):
        return shift_grid(ruled, left, top)
    x0, y0, x1, y1 = (round(v) for v in inner)
    part = np.ascontiguousarray(flat[y0:y1, x0:x1])
    own = [r.moved(-x0, -y0) for r in rules]
    writing = find_writing(part, dpi, own)
    if len(writing.boxes) == 0:
        return make_plain_grid(area, 1, 1)
    whole = (0.0, 0.0, float(part.shape[1]), float(part.shape[0]))
    made = lay_out(writing, own, whole)
    if made.cols == 1:  # nothing beside a line tells whether it goes on with the one above
        made = _part_rows(made, writing, 0)
    return shift_grid(made, left + x0, top + y0)


def part_cells(grey: Grey, dpi: float, grid: Grid, row: int | None = None) -> Grid:
    """Split a grid's rows, or one of them, at every printed line; with all rows, its columns too.

    Where values are set beside the middle of two lines, the row stays: nothing is cut through. A
    column is split where white runs down between the values of most lines.

    Parameters
    ----------
    grey
        Squared page, shape (rows, cols), 0 is black.
    dpi
        Its resolution.
    grid
        The grid, unchanged if every cell is one line of one column.
    row
        The row (from 0) that is parted; None for all.
    """
    first, last = (0, grid.rows) if row is None else (row, row + 1)
    left, right = max(0, int(grid.box[0])), int(np.ceil(grid.box[2]))
    top, low = max(0, int(grid.y_lines[first])), int(np.ceil(grid.y_lines[last]))
    part = np.ascontiguousarray(flatten_light(grey)[top:low, left:right])
    if min(part.shape) < _LEAST_PART_PX:
        return grid
    writing = find_writing(part, dpi, [r.moved(-left, -top) for r in grid.rules])
    grid = _part_rows(grid, writing, top)
    return grid if row is not None else _part_columns(grid, writing, (left, top))


def _part_rows(grid: Grid, writing: Writing, top: int) -> Grid:
    """Split a grid's rows between printed lines; ``writing`` is measured from ``top`` down."""
    thin = _THIN_CAPS * writing.cap_px
    for end, start in _white_between(writing.boxes[:, (1, 3)] + (thin, -thin)):
        low_end, high_end = end + top - thin, start + top + thin
        if not any(low_end < y < high_end for y in grid.y_lines):
            grid = add_line(grid, "across", (end + start) / 2 + top)
    return grid


def _part_columns(grid: Grid, writing: Writing, origin: tuple[int, int]) -> Grid:
    """Split a grid's columns where the writing in them, found from ``origin`` on, stands apart."""
    if len(writing.boxes) == 0:
        return grid
    x = (writing.boxes[:, 0] + writing.boxes[:, 2]) / 2 + origin[0]
    home = np.searchsorted(np.array(grid.x_lines[1:-1]), x)
    for col in range(grid.cols):
        own = np.flatnonzero(home == col)
        lines, counts = np.unique(writing.lines[own], return_counts=True)
        if (counts > 1).sum() < max(_LEAST_ALIKE, _MOSTLY * len(lines)):
            continue
        held = replace(writing, boxes=writing.boxes[own], lines=writing.lines[own])
        roles = find_roles(held, ())
        laid = lay_table(take_all(held, roles), held, (), roles)
        for at in laid.x_lines[1:-1]:
            grid = add_line(grid, "down", at + origin[0])
    return grid


def _white_between(spans: NDArray[np.float64]) -> list[tuple[float, float]]:
    """Return the gaps, from where to where, between spans (start, end) that overlap no other."""
    ordered = spans[np.argsort(spans[:, 0])]
    reached = np.maximum.accumulate(ordered[:-1, 1])
    white = np.column_stack([reached, ordered[1:, 0]])
    return [(a, b) for a, b in white.tolist() if a < b]


def _lies_in(box: Box, area: Box, slack: float) -> bool:
    return (
        box[0] >= area[0] - slack
        and box[1] >= area[1] - slack
        and box[2] <= area[2] + slack
        and box[3] <= area[3] + slack
    )


def clip_box(box: Box, shape: tuple[int, ...], dpi: float) -> Box:
    """Keep a box within a page of a shape (rows, cols), and at least 0.15 inch wide and high."""
    least = LEAST_SIDE_IN * dpi
    rows, cols = shape[0], shape[1]
    x0 = min(max(box[0], 0.0), max(0.0, cols - least))
    y0 = min(max(box[1], 0.0), max(0.0, rows - least))
    x1 = min(max(box[2], x0 + least), float(cols))
    y1 = min(max(box[3], y0 + least), float(rows))
    return (x0, y0, x1, y1)


def _size(box: Box) -> float:
    return (box[2] - box[0]) * (box[3] - box[1])


def parse_area(text: str, dpi: float) -> Box | None:
    """Read an area as the clerk types it: left, top, width and height, in mm unless said.

    ``20 35 170 200``, ``20, 35, 170, 200 mm``, ``20,5 35 170 200``, ``0.8 1.4 6.7 7.9 in`` or
    ``240 410 2000 2360 px``. None where it says no area.
    """
    unit = "".join(re.findall(r"[A-Za-z]+", text)).lower() or "mm"
    bare = re.sub(r"[A-Za-z]+", " ", text).strip(" ,;")
    parts = [t for t in (p.strip(",") for p in re.split(r"[;\s×]+", bare)) if t]
    if len(parts) == 1:  # all of it parted by commas alone
        parts = parts[0].split(",")
    numbers = [p.replace(",", ".") for p in parts]
    if len(numbers) != 4 or unit not in {*_UNITS, "px"}:
        return None
    if not all(re.fullmatch(r"-?\d+(?:[.]\d+)?", n) for n in numbers):
        return None
    scale = dpi * _UNITS[unit] if unit in _UNITS else 1.0
    left, top, width, height = (float(n) * scale for n in numbers)
    if width <= 0 or height <= 0:
        return None
    return (left, top, left + width, top + height)


def describe_area(box: Box, dpi: float) -> str:
    """Return a box (px) as it is typed, in mm."""
    x0, y0, x1, y1 = (v / dpi * _MM_PER_IN for v in box)
    return f"{x0:.1f} {y0:.1f} {x1 - x0:.1f} {y1 - y0:.1f} mm"


def fit_to_rules(grid: Grid, rules: Sequence[Rule], dpi: float) -> Grid:
    """Shift a grid copied from another page of the form to this page's rules.

    The shift, at most 0.6 inch each way, is the one that brings most boundaries onto rules; each
    boundary then goes to the rule that lies within 0.05 inch of it. Where fewer than 3 boundaries,
    or than 6 in 10, find a rule, that direction is left as it is.
    """
    shifts = [_find_shift(grid, rules, direction, dpi) for direction in DIRECTIONS]
    moved = shift_grid(grid, *shifts)
    near = [r for r in rules if _runs_in(r, moved.box)]
    moved = replace(moved, rules=tuple(near))
    for direction in DIRECTIONS:
        places = _places(near, direction, moved.box)
        if not len(places):
            continue
        for index, line in enumerate(moved.lines(direction)):
            nearest = float(places[np.abs(places - line).argmin()])
            if abs(nearest - line) <= _SNAP_IN * dpi:
                moved = move_line(moved, direction, index, nearest)
    return moved


def _places(rules: Sequence[Rule], direction: Direction, box: Box) -> NDArray[np.float64]:
    middle = (box[0] + box[2]) / 2 if direction == "across" else (box[1] + box[3]) / 2
    return np.array([r.at(middle) for r in rules if r.direction == direction])


def _find_shift(grid: Grid, rules: Sequence[Rule], direction: Direction, dpi: float) -> float:
    """Return how far (px) the boundaries of one direction have to go to lie on rules."""
    lines = np.array(grid.lines(direction))
    around = _SHIFT_IN * dpi
    x0, y0, x1, y1 = grid.box
    box = (x0 - around, y0 - around, x1 + around, y1 + around)
    places = _places([r for r in rules if _runs_in(r, box)], direction, grid.box)
    if len(places) < _LEAST_ALIKE:
        return 0.0
    apart = (places[:, None] - lines[None, :]).ravel()
    best, most = 0.0, 0.0
    for shift in sorted(apart[np.abs(apart) <= around].tolist(), key=abs):
        off = np.abs(places[:, None] - (lines + shift)[None, :]).min(axis=0)
        met = off <= _SNAP_IN * dpi
        # Of shifts that meet as many rules, the shortest, unless another meets them clearly better.
        worth = float(met.sum() - (off[met] / (_SNAP_IN * dpi)).mean() * 0.5) if met.any() else 0.0
        if worth > most + _CLEARLY:
            most, best = worth, float(shift + np.median(_nearest(places, lines + shift)[met]))
    enough = max(_LEAST_ALIKE - 0.5, _ALIKE * len(lines) - 0.5)
    return best if most >= enough else 0.0


def _nearest(places: NDArray[np.float64], lines: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return how far each line is from the rule nearest to it, with its sign."""
    apart = places[:, None] - lines[None, :]
    return np.asarray(apart[np.abs(apart).argmin(axis=0), np.arange(len(lines))])


def _runs_in(rule: Rule, box: Box) -> bool:
    """Return whether a rule runs over a fair part of a box."""
    x0, y0, x1, y1 = box
    low, high = (x0, x1) if rule.direction == "across" else (y0, y1)
    first, last = (y0, y1) if rule.direction == "across" else (x0, x1)
    slack = 0.02 * (last - first)
    inside = first - slack <= rule.at((low + high) / 2) <= last + slack
    return inside and min(rule.end, high) - max(rule.start, low) >= _RULED_SHARE * (high - low)
