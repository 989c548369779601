"""Draws the worst tables of a folder of pages, with the grids that were found over them.

Run as ``python -m benchmarks.gallery --folder .cache/press/choose``; the folder is made by
``python -m synth.press.make --split choose``.
"""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from benchmarks.press import SEED, PageScore, find_page_grids, score_folder
from synth.press.store import each_page, load_pressed

TARGET = Path(__file__).resolve().parent.parent / "docs" / "figures" / "worst_tables.png"
_COLS, _WIDE, _HIGH, _LABEL = 4, 420, 300, 22
_GRID, _HEADING, _WRITTEN = (110, 110, 14), (12, 90, 143), (34, 48, 58)
_PAD_PT = 12.0
_COLOURS = 32


def find_worst(scores: Sequence[PageScore], most: int) -> list[tuple[PageScore, int]]:
    """Return the pages and numbers of the tables with the lowest structure F1, worst first."""
    wrong = [
        (2 * t.shared / max(1, t.true + t.pairs), s.design, s.damage, s.number, k, s)
        for s in scores
        for k, t in enumerate(s.tables)
        if not t.exact
    ]
    return [(w[5], w[4]) for w in sorted(wrong, key=lambda w: w[:5])[:most]]


def draw_worst(folder: Path, worst: Sequence[tuple[PageScore, int]]) -> NDArray[np.uint8]:
    """Return a sheet of tables with the lines of all grids found there, shape (rows, cols, 3)."""
    pages = {(t.design, t.number): (pdf, t) for pdf, t in each_page(folder)}
    tiles = []
    for score, number in worst:
        pdf, truth = pages[score.design, score.number]
        loaded = load_pressed(pdf, truth, score.damage, SEED)
        found = find_page_grids(loaded)
        boxes = [b for c in truth.tables[number].cells for b in truth.texts[c.text].lines]
        (left, top), (right, low) = np.min(boxes, axis=0)[:2], np.max(boxes, axis=0)[2:]
        corners = np.array(
            [(x, y) for x in (left - _PAD_PT, right + _PAD_PT) for y in (top - 24, low + _PAD_PT)]
        )
        placed = found.transform.to_squared(corners @ loaded.to_px[:, :2].T + loaded.to_px[:, 2])
        (x0, y0), (x1, y1) = np.asarray(placed).min(axis=0), np.asarray(placed).max(axis=0)
        drawn = cv2.cvtColor(found.pixels, cv2.COLOR_GRAY2RGB)
        thick = max(2, round((x1 - x0) / _WIDE * 1.5))
        for grid in found.grids:
            for cell in grid.cells:
                a = (round(grid.x_lines[cell.col]), round(grid.y_lines[cell.row]))
                right_, low_ = cell.col + cell.col_span, cell.row + cell.row_span
                b = (round(grid.x_lines[right_]), round(grid.y_lines[low_]))
                colour = _HEADING if cell.row < (grid.heading_rows or 0) else _GRID
                cv2.rectangle(drawn, a, b, colour, thick)
        part = drawn[max(0, int(y0)) : int(y1), max(0, int(x0)) : int(x1)]
        tiles.append(
            _tile(
                np.asarray(part, np.uint8),
                f"{score.design} {score.damage}: {score.tables[number].why}",
            )
        )
    while len(tiles) % _COLS:
        tiles.append(np.full((_HIGH + _LABEL, _WIDE, 3), 255, np.uint8))
    rows = [np.hstack(tiles[k : k + _COLS]) for k in range(0, len(tiles), _COLS)]
    return np.vstack(rows)


def _tile(part: NDArray[np.uint8], label: str) -> NDArray[np.uint8]:
    out = np.full((_HIGH + _LABEL, _WIDE, 3), 255, np.uint8)
    by = min((_WIDE - 10) / part.shape[1], (_HIGH - 8) / part.shape[0])
    small = cv2.resize(part, None, fx=by, fy=by, interpolation=cv2.INTER_AREA)
    out[_LABEL : _LABEL + small.shape[0], 4 : 4 + small.shape[1]] = small
    place, face = (4, _LABEL - 7), cv2.FONT_HERSHEY_SIMPLEX
    cv2.putText(out, label, place, face, 0.42, _WRITTEN, 1, cv2.LINE_AA)
    return out


def main() -> None:
    """Score a folder and draw its worst tables."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--folder", type=Path, required=True)
    parser.add_argument("--most", type=int, default=20)
    parser.add_argument("--out", type=Path, default=TARGET)
    args = parser.parse_args()
    sheet = draw_worst(args.folder, find_worst(score_folder(args.folder), args.most))
    few = Image.fromarray(sheet).quantize(_COLOURS)  # pictures in the repository are small
    few.save(args.out, optimize=True)


if __name__ == "__main__":
    main()
