"""Finds titles close above tables that have no caption."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from keel_line._shared.paper import Grey, flatten_light
from keel_line.model.geometry import Box
from keel_line.model.grid import Grid
from keel_line.rule.writing import Writing, box_around, find_writing

_ABOVE_IN = 0.8
_NEAR_CAPS = 2.6  # from the title's foot to the table
_LEADING_CAPS = 1.6  # of white between a title's lines
_MOST_LINES = 3
_BESIDE_IN = 0.25
_PAD_CAPS = 0.35
_ENDS = (".", ":", ";", ",")


def find_titles(
    grey: Grey, dpi: float, grids: Sequence[Grid], flat: Grey | None = None
) -> list[Box | None]:
    """Find the title above each table.

    Parameters
    ----------
    grey
        Squared page, shape (rows, cols), 0 is black.
    dpi
        Its resolution.
    grids
        The page's tables.

    Returns
    -------
    list
        For each table the box around its title (px), or None: where nothing stands close above it,
        or a whole paragraph does.
    """
    flat = flatten_light(grey) if flat is None else flat
    return [_find_one(flat, dpi, grid, grids) for grid in grids]


def complete_captions(
    found: Sequence[Box | None],
    grey: Grey,
    dpi: float,
    grids: Sequence[Grid],
    flat: Grey | None = None,
) -> list[Box | None]:
    """Return the captions; a table without one gets the title above it (:func:`find_titles`)."""
    if all(box is not None or grid.on_side for box, grid in zip(found, grids, strict=True)):
        return list(found)
    above = find_titles(grey, dpi, grids, flat)
    return [
        own if own is not None or grid.on_side else other
        for own, other, grid in zip(found, above, grids, strict=True)
    ]


def is_title(text: str) -> bool:
    """Tell a title from the last line of running text: it does not end as a sentence does."""
    return not text.rstrip().endswith(_ENDS)


def _find_one(flat: Grey, dpi: float, grid: Grid, grids: Sequence[Grid]) -> Box | None:
    top = round(grid.box[1] - max((r.thickness_px for r in grid.rules), default=2.0))
    left = max(0, round(grid.box[0] - _BESIDE_IN * dpi))
    right = min(flat.shape[1], round(grid.box[2] + _BESIDE_IN * dpi))
    above = [g.box[3] for g in grids if g.box[3] < grid.box[1] and _beside(g.box, left, right)]
    low = max(0, round(grid.box[1] - _ABOVE_IN * dpi), *(round(y + 0.02 * dpi) for y in above))
    if top - low < 0.05 * dpi or right - left < 0.2 * dpi:
        return None
    band = np.ascontiguousarray(flat[low:top, left:right])
    writing = find_writing(band, dpi, [r.moved(-left, -low) for r in grid.rules])
    lines = _lines_of(writing)
    chosen: list[Box] = []
    foot = float(band.shape[0])
    for line in reversed(lines):
        white = foot - line[3]
        if white > (_LEADING_CAPS if chosen else _NEAR_CAPS) * writing.cap_px:
            break
        chosen.append(line)
        foot = line[1]
    # What is cut off by the band's upper edge goes on above it.
    if not chosen or len(chosen) > _MOST_LINES or chosen[-1][1] <= 1:
        return None
    pad = _PAD_CAPS * writing.cap_px
    return (
        max(0.0, min(c[0] for c in chosen) + left - pad),
        max(0.0, chosen[-1][1] + low - pad),
        min(float(flat.shape[1]), max(c[2] for c in chosen) + left + pad),
        min(float(top), chosen[0][3] + low + pad),
    )


def _beside(box: Box, left: float, right: float) -> bool:
    return box[0] < right and box[2] > left


def _lines_of(writing: Writing) -> list[Box]:
    """Return a box around each line of writing, from top to bottom."""
    lines = [writing.boxes[writing.lines == number] for number in np.unique(writing.lines)]
    return sorted((box_around(own) for own in lines), key=lambda box: box[1])
