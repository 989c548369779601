"""Finds sideways tables on an upright page: their words run down the page or up."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, shrink_to_dpi
from keel_line._shared.parts import find_parts
from keel_line.model.geometry import Box, overlap, unite
from keel_line.model.grid import Cell, Direction, Grid, Rule
from keel_line.model.page import PageText
from keel_line.rule.writing import mark_ink

_WORK_DPI = 110.0
_LEAST_INK, _INK_SHARE = 25, 0.3
_LETTER_IN = (0.03, 0.25)  # the longer side of a letter, at least and at most
_THICK_IN = (0.035, 0.22)  # heights of letters
_LONG = 2.2
_WORD_LONG = 1.5  # of a letter's usual height
_REACH = 0.45  # of a letter's usual height: from letter to letter of a word, not to the next line
_NEAR = 2.2  # of it: from middle to middle at most
_USUAL = 65  # percentile: small letters make the lower half
_NEXT_CAPS = 2.0
_LEAST_LETTERS = 12
_FEW = 4
_MOSTLY = 0.8
_BLOCK_IN = 0.3
_TOGETHER_IN = 1.5
_LEAST_BLOCK_IN = 0.7


@dataclass(frozen=True, eq=False)
class Letters:
    """Letters near others: their boxes in px, shape (n, 4), and which have those above or below."""

    boxes: NDArray[np.float64]
    down: NDArray[np.bool_]

    def are_sideways(self, box: Box, least: int = _LEAST_LETTERS) -> bool:
        """Return whether most letters in a box, and enough of them, run down the page or up."""
        own = self.down[self.inside(box)]
        return int(own.sum()) >= least and float(own.mean()) >= _MOSTLY

    def along_in(self, box: Box) -> int:
        """Count the letters in a box that run along the page."""
        return int((~self.down[self.inside(box)]).sum())

    def inside(self, box: Box) -> NDArray[np.bool_]:
        """Return for each letter whether its middle lies in a box."""
        x, y = (self.boxes[:, 0] + self.boxes[:, 2]) / 2, (self.boxes[:, 1] + self.boxes[:, 3]) / 2
        return (x >= box[0]) & (x <= box[2]) & (y >= box[1]) & (y <= box[3])


def find_letters(flat: Grey, dpi: float, rules: Sequence[Rule]) -> Letters:
    """Find the letters of a page that stand close to others, which tells which way words run.

    Parameters
    ----------
    flat
        Squared page with even light, shape (rows, cols).
    dpi
        Its resolution.
    rules
        Ruling lines, which are no writing.
    """
    if min(flat.shape) < _LEAST_BLOCK_IN * dpi:
        return Letters(np.zeros((0, 4)), np.zeros(0, np.bool_))
    small, small_dpi = shrink_to_dpi(flat, dpi, _WORK_DPI)
    scale = small_dpi / dpi
    mask = mark_ink(small, rules, scale, _LEAST_INK, _INK_SHARE)
    parts = find_parts(mask)[1].astype(np.float64)
    long, thick = parts[:, 2:4].max(axis=1), parts[:, 2:4].min(axis=1)
    (least, most), (low, high) = (
        (a * small_dpi, b * small_dpi) for a, b in (_LETTER_IN, _THICK_IN)
    )
    letters = (long >= least) & (long <= most)
    words = (thick >= low) & (thick <= high) & (long >= _LONG * thick)  # their letters touch
    letters[0] = words[0] = False
    usual = float(np.percentile(long[letters], _USUAL)) if letters.any() else 1.0
    words &= long >= _WORD_LONG * usual  # a narrow face's figures are tall, and no words
    along, down = _neighbours(letters, parts, usual)
    runs_along = (along & ~down) | (words & (parts[:, 2] > parts[:, 3]))
    runs_down = (down & ~along) | (words & (parts[:, 3] > parts[:, 2]))
    told = runs_along | runs_down
    boxes = parts[told, :4] / scale
    boxes[:, 2:] += boxes[:, :2]
    return Letters(boxes, runs_down[told])


def letters_of_text(text: PageText) -> Letters:
    """Return which way the words of a page's own text run: as the file says, or by their steps."""
    middles = (text.boxes[:, :2] + text.boxes[:, 2:]) / 2
    step = np.abs(np.diff(middles, axis=0))
    high = (text.boxes[1:, 3] - text.boxes[1:, 1]).clip(min=1.0)
    beside = ~text.spaced[1:] & (step.max(axis=1) <= _NEXT_CAPS * high)
    turned = text.is_turned[1:]
    down = (step[:, 1] > step[:, 0]) | turned
    return Letters(text.boxes[1:][beside | turned], down[beside | turned])


def _neighbours(
    letters: NDArray[np.bool_], parts: NDArray[np.float64], usual: float
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Return which letters have another close beside them, and which close above or below.

    ``parts`` has rows x, y, width, height; ``usual`` is the usual height of letters.
    """
    # Loaded here: the window, which never comes this way, would wait for it.
    from scipy.spatial import cKDTree  # noqa: PLC0415

    along, down = np.zeros(len(letters), bool), np.zeros(len(letters), bool)
    numbers = np.flatnonzero(letters)
    if len(numbers) < _LEAST_LETTERS:
        return along, down
    low = parts[numbers, :2]
    high = low + parts[numbers, 2:4]
    tree = cKDTree((low + high) / 2)
    pairs = tree.query_pairs(_NEAR * usual, output_type="ndarray")
    a, b = pairs[:, 0], pairs[:, 1]
    gap = np.maximum(low[a], low[b]) - np.minimum(high[a], high[b])
    reach = max(2.0, _REACH * usual)
    beside = (gap[:, 0] <= reach) & (gap[:, 1] < 0)
    above = (gap[:, 1] <= reach) & (gap[:, 0] < 0)
    along[numbers[pairs[beside].ravel()]] = True
    down[numbers[pairs[above].ravel()]] = True
    return along, down


def find_blocks(
    letters: Letters, dpi: float, size: tuple[int, int], taken: Sequence[Box]
) -> list[Box]:
    """Return boxes around what lies on its side outside the areas ``taken``.

    ``size`` is the page's (rows, cols) in px.
    """
    free = letters.down.copy()
    for box in taken:
        free &= ~letters.inside(box)
    if int(free.sum()) < _LEAST_LETTERS:
        return []
    scale = _WORK_DPI / 4 / dpi
    mask = np.zeros((int(size[0] * scale) + 2, int(size[1] * scale) + 2), np.uint8)
    for x0, y0, x1, y1 in (letters.boxes[free] * scale).tolist():
        mask[int(y0) : int(y1) + 1, int(x0) : int(x1) + 1] = 1
    reach = max(3, round(_BLOCK_IN * _WORK_DPI / 4) + 1)
    joined = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((reach, reach), np.uint8))
    _, table, _ = find_parts(np.asarray(joined, np.uint8))
    blocks: list[Box] = []
    for x, y, wide, high in table[1:, :4].tolist():
        box = (x / scale, y / scale, (x + wide) / scale, (y + high) / scale)
        if not letters.are_sideways(box, _FEW):
            continue  # figures that stand one above another in an upright table
        # Columns of one table lie apart, with nothing but more of it in between.
        for other in list(blocks):
            both = unite(box, other)
            near = _gap(box, other) <= _TOGETHER_IN * dpi
            more = letters.along_in(both) - letters.along_in(box) - letters.along_in(other)
            if near and more <= _FEW and not any(overlap(both, t) for t in taken):
                blocks.remove(other)
                box = both
        blocks.append(box)
    return [
        box
        for box in blocks
        if min(box[2] - box[0], box[3] - box[1]) >= _LEAST_BLOCK_IN * dpi
        and letters.are_sideways(box)
    ]


def _gap(a: Box, b: Box) -> float:
    """Return how far apart two boxes lie, along the direction in which they lie further apart."""
    return max(a[0] - b[2], b[0] - a[2], a[1] - b[3], b[1] - a[3], 0.0)


def turn_rules(rules: Sequence[Rule], high: float) -> list[Rule]:
    """Return ruling lines where they come to lie when a page ``high`` px high is turned clockwise.

    What was at (x, y) is then at (``high`` - y, x).
    """
    return [_turn(rule, high, "across") for rule in rules]


def turn_back(grid: Grid, high: float) -> Grid:
    """Lay a grid that was found on a page turned clockwise on the page as it lies.

    ``high`` is that page's height in px. Its columns become rows, from the foot up.
    """

    def back(box: Box) -> Box:
        return (box[1], high - box[2], box[3], high - box[0])

    cells = (
        Cell(grid.cols - c.col - c.col_span, c.row, c.col_span, c.row_span, back(c.box))
        for c in grid.cells
    )
    return Grid(
        back(grid.box),
        grid.y_lines,
        tuple(high - x for x in reversed(grid.x_lines)),
        tuple(sorted(cells, key=lambda c: (c.row, c.col))),
        tuple(_turn(rule, high, "down") for rule in grid.rules),
        on_side=True,
    )


def _turn(rule: Rule, high: float, along: Direction) -> Rule:
    """Turn a rule clockwise where ``along`` is "across", back where it is "down".

    Rules of that direction keep their place along themselves.
    """
    turned: Direction = "down" if rule.direction == "across" else "across"
    if rule.direction == along:
        return replace(rule, direction=turned, position=high - rule.position, slope=-rule.slope)
    return replace(
        rule,
        direction=turned,
        start=high - rule.end,
        end=high - rule.start,
        position=rule.at(rule.end),
        slope=-rule.slope,
    )
