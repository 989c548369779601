"""Reads cells whose writing runs up the page or down, such as turned headings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from keel_line._shared.paper import PAPER_LEVEL, Grey
from keel_line.model.geometry import Box
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import Reading
from keel_line.read.reader import Reader

_APART_IN = 0.1
_QUARTERS = (-1, 1)  # clockwise for what runs up the page, the other way for what runs down


def read_turned(reader: Reader, grey: Grey, dpi: float, cells: Sequence[Cell]) -> list[Reading]:
    """Read cells with their picture turned, the way in which all of them read more surely.

    Parameters
    ----------
    reader
        Reads them.
    grey
        Squared page, shape (rows, cols), 0 is black.
    dpi
        Its resolution.
    cells
        Cells of one table.

    Returns
    -------
    list of Reading
        Along ``cells``; places are those on the page.
    """
    if not cells:
        return []
    tries = [_read(reader, grey, dpi, cells, quarters) for quarters in _QUARTERS]
    return max(tries, key=lambda own: sum(r.confidence for r in own if r.text))


def _read(
    reader: Reader, grey: Grey, dpi: float, cells: Sequence[Cell], quarters: int
) -> list[Reading]:
    boxes = [_whole(cell.box, grey) for cell in cells]
    crops = [np.rot90(grey[y0:y1, x0:x1], quarters) for x0, y0, x1, y1 in boxes]
    apart = round(_APART_IN * dpi)
    wide = max(c.shape[1] for c in crops) + 2 * apart
    sheet = np.full((sum(c.shape[0] + apart for c in crops) + apart, wide), PAPER_LEVEL, np.uint8)
    tops = np.cumsum([apart, *(c.shape[0] + apart for c in crops)]).tolist()
    placed = []
    for k, (crop, top) in enumerate(zip(crops, tops[:-1], strict=True)):
        high, own = crop.shape
        sheet[top : top + high, apart : apart + own] = crop
        box = (float(apart), float(top), float(apart + own), float(top + high))
        placed.append(Cell(k, 0, 1, 1, box))
    ys = tuple(float(t) - apart / 2 for t in tops)
    xs = (apart / 2, wide - apart / 2)
    grid = Grid((xs[0], ys[0], xs[1], ys[-1]), xs, ys, tuple(placed))
    (readings,) = reader.read_page(sheet, dpi, [grid])
    return [
        _turn_back(reading, cell.box, box, quarters)
        for reading, cell, box in zip(readings, placed, boxes, strict=True)
    ]


def _whole(box: Box, grey: Grey) -> tuple[int, int, int, int]:
    """Return a box rounded to whole px and cut to the page; at least one px wide and high."""
    rows, cols = grey.shape
    x0, y0 = (
        min(max(0, int(np.ceil(box[0]))), cols - 1),
        min(max(0, int(np.ceil(box[1]))), rows - 1),
    )
    return (x0, y0, max(x0 + 1, min(cols, int(box[2]))), max(y0 + 1, min(rows, int(box[3]))))


def _turn_back(
    reading: Reading, own: Box, page: tuple[int, int, int, int], quarters: int
) -> Reading:
    """Return a reading with its places on the page; ``own`` is the cell on the turned sheet."""
    x0, y0, x1, y1 = page

    def back(box: Box) -> Box:
        a, b, c, d = box[0] - own[0], box[1] - own[1], box[2] - own[0], box[3] - own[1]
        if quarters < 0:
            return (x0 + b, y1 - c, x0 + d, y1 - a)
        return (x1 - d, y0 + a, x1 - b, y0 + c)

    chars = tuple(replace(c, box=back(c.box)) for c in reading.chars)
    return replace(reading, chars=chars, unread=tuple(back(b) for b in reading.unread))
