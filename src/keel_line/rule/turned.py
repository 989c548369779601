"""Words that run up the page or down among others that run along it: turned headings."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Cell, Grid
from keel_line.model.page import PageText
from keel_line.rule.sideways import Letters
from keel_line.rule.writing import Writing, gather_writing, line_middle

_GAP_CAPS, _SPACE_CAPS = 0.5, 0.75
_USUAL_GAP_CAPS = 0.25  # between the letters of a word; lines stand further apart
_WIDE_CAPS = 0.9
_LEAST_LETTERS, _LEAST_LONG_CAPS, _LEAST_SHORT_CAPS, _MOST_THICK_CAPS = 2, 2.0, 1.5, 1.9
_SHARED = 0.4
_LEAST_HIGH = 1.5


def chain_text(text: PageText, cap: float) -> NDArray[np.float64]:
    """Return a box (px) for each turned word of a PDF page's text, shape (n, 4)."""
    runs: list[list[int]] = []
    for k in np.flatnonzero(text.is_turned).tolist():
        if runs and _follows(text.boxes[runs[-1][-1]], text.boxes[k], _SPACE_CAPS * cap):
            runs[-1].append(k)
        else:
            runs.append([k])
    return np.array([_around(text.boxes[r]) for r in runs]).reshape(-1, 4)


def chain_letters(letters: Letters, writing: Writing) -> NDArray[np.float64]:
    """Return the boxes (px), shape (n, 4), of the turned words that letters on paper make.

    Beside such words shorter ones are those that pieces of writing close above each other make.
    """
    cap = writing.cap_px
    boxes = letters.boxes[letters.down]
    thick = np.minimum(boxes[:, 2] - boxes[:, 0], boxes[:, 3] - boxes[:, 1])
    boxes = boxes[thick <= _MOST_THICK_CAPS * cap]
    words = _chain(boxes, cap, _LEAST_LONG_CAPS)
    words = words[[_is_word(w, (boxes, writing.letters), cap) for w in words]]
    short = []
    for group in _find_groups(words):
        top, foot = words[group, 1].min(), words[group, 3].max()
        y = (writing.boxes[:, 1] + writing.boxes[:, 3]) / 2
        wide = writing.boxes[:, 2] - writing.boxes[:, 0]
        level = (y >= top) & (y <= foot) & (wide <= _MOST_THICK_CAPS * cap)
        found = _chain(writing.boxes[level], cap, _LEAST_SHORT_CAPS)
        short += [w for w in found if not _lies_on(w, words)]
    whole = [_take_ends(w, writing.boxes, cap) for w in (*words, *short)]
    return _join_words(np.array(whole).reshape(-1, 4), cap)


def _take_ends(
    word: NDArray[np.float64], pieces: NDArray[np.float64], cap: float
) -> NDArray[np.float64]:
    """Extend a turned word by the pieces right above and below it, its first and last letters."""
    reach = np.array([0.0, _USUAL_GAP_CAPS * cap])
    while True:
        near = (pieces[:, 2:] >= word[:2] - reach) & (pieces[:, :2] <= word[2:] + reach)
        for piece in pieces[near.all(axis=1)]:
            both = _around(np.array([word, piece]))
            longer = (both != word).any() and both[2] - both[0] <= _MOST_THICK_CAPS * cap
            if longer and _follows(word, piece, reach[1]):
                word = both
                break
        else:
            return word


def _is_word(
    word: NDArray[np.float64], pictures: tuple[NDArray[np.float64], ...], cap: float
) -> bool:
    """Tell a turned word from short lines of text above each other.

    ``pictures`` are the boxes of letters as found at different resolutions. The letters of a word
    stand closer than lines do. Where all letters touch, the width decides: a word is wider than a
    figure or a bracket.
    """
    gaps = [_measure_gaps(boxes[_lie_in(boxes, word)]) for boxes in pictures]
    known = [float(np.median(g)) for g in gaps if len(g)]
    if not known:
        return bool(word[2] - word[0] >= _WIDE_CAPS * cap)
    return min(known) <= _USUAL_GAP_CAPS * cap


def _measure_gaps(boxes: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the gaps (px) between boxes from the top down; boxes side by side have none."""
    order = np.argsort(boxes[:, 1])
    white = boxes[order, 1][1:] - np.maximum.accumulate(boxes[order, 3])[:-1]
    return np.asarray(white[white >= 0])


def _lie_in(boxes: NDArray[np.float64], box: NDArray[np.float64]) -> NDArray[np.bool_]:
    middles = (boxes[:, :2] + boxes[:, 2:]) / 2
    return np.asarray(((middles >= box[:2]) & (middles <= box[2:])).all(axis=1))


def _lies_on(box: NDArray[np.float64], others: NDArray[np.float64]) -> bool:
    shared = np.minimum(box[2:], others[:, 2:]) - np.maximum(box[:2], others[:, :2])
    return bool((shared > 0).all(axis=1).any())


def _chain(boxes: NDArray[np.float64], cap: float, least: float) -> NDArray[np.float64]:
    """Return the boxes of words, at least so many capitals long, of letters above each other."""
    runs = _find_runs(boxes, _GAP_CAPS * cap)
    return np.array(list(_find_words(boxes, runs, cap, least))).reshape(-1, 4)


def _join_words(words: NDArray[np.float64], cap: float) -> NDArray[np.float64]:
    """Join turned words that are a space apart; return the box of each joined line."""
    runs = _find_runs(words, _SPACE_CAPS * cap)
    return np.array([_around(words[r]) for r in runs]).reshape(-1, 4)


def _find_runs(boxes: NDArray[np.float64], most: float) -> list[list[int]]:
    """Group boxes that stand above each other, at most ``most`` px apart; return their numbers."""
    runs: list[list[int]] = []
    for k in np.argsort(boxes[:, 1], kind="stable").tolist():
        for run in runs:
            if _follows(boxes[run[-1]], boxes[k], most):
                run.append(k)
                break
        else:
            runs.append([k])
    return runs


def find_turned_cells(grid: Grid, letters: Letters) -> tuple[int, ...]:
    """Return the numbers of a grid's cells whose writing runs up the page or down, or may.

    It may in cells without words that run along the page, beside others that do not.
    """
    if not letters.down.any() or grid.on_side:
        return ()
    rows = {c.row for c in grid.cells if _is_turned(c, letters)}
    return tuple(
        number
        for number, cell in enumerate(grid.cells)
        if cell.row in rows and letters.along_in(cell.box) == 0
    )


def _is_turned(cell: Cell, letters: Letters) -> bool:
    if not letters.are_sideways(cell.box, 1):
        return False
    x0, y0, x1, y1 = _around(letters.boxes[letters.inside(cell.box) & letters.down]).tolist()
    return bool(y1 - y0 >= _LEAST_HIGH * min(x1 - x0, cell.box[2] - cell.box[0]))


def _find_words(
    boxes: NDArray[np.float64], runs: list[list[int]], cap: float, least: float
) -> Iterator[NDArray[np.float64]]:
    for run in runs:
        box = _around(boxes[run])
        wide, high = (box[2:] - box[:2]).tolist()
        long = high >= least * cap and high > wide
        # Letters that touch are one piece of ink.
        if (
            long
            and wide <= _MOST_THICK_CAPS * cap
            and (len(run) >= _LEAST_LETTERS or high > 2 * wide)
        ):
            yield box


def _follows(one: NDArray[np.float64], other: NDArray[np.float64], most: float) -> bool:
    """Return whether two letters stand above each other, no further apart than ``most`` (px)."""
    shared = min(one[2], other[2]) - max(one[0], other[0])
    least = min(one[2] - one[0], other[2] - other[0])
    gap = max(other[1] - one[3], one[1] - other[3])
    return bool(shared >= _SHARED * least and gap <= most)


def _around(boxes: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.concatenate([boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)])


def gather_text(text: PageText) -> Writing:
    """Gather a page's own text into pieces and lines."""
    turned = text.is_turned
    writing = gather_writing(text.boxes[~turned])
    return with_turned(writing, chain_text(text, writing.cap_px)) if turned.any() else writing


def with_turned(writing: Writing, words: NDArray[np.float64]) -> Writing:
    """Return writing with turned words, shape (n, 4), as pieces in place of their scraps.

    Turned words that stand beside each other are on one text line: the lowest of those beside them.
    """
    if not len(words):
        return writing
    middles = (writing.boxes[:, :2] + writing.boxes[:, 2:]) / 2
    inside = (middles[:, None] >= words[None, :, :2]) & (middles[:, None] <= words[None, :, 2:])
    kept = ~np.asarray(inside.all(axis=2)).any(axis=1)
    boxes, lines = writing.boxes[kept], writing.lines[kept]
    heights = {n: line_middle(boxes[lines == n]) for n in np.unique(lines).tolist()}
    places = [heights[n] for n in lines.tolist()]
    for group in _find_groups(words):
        top, foot = float(words[group, 1].min()), float(words[group, 3].max())
        beside = [y for y in heights.values() if top <= y <= foot]
        words_at = max(beside, default=foot - writing.cap_px / 2)
        places += [words_at] * len(group)
        boxes = np.concatenate([boxes, words[group]])
    numbers = np.unique(np.array(places), return_inverse=True)[1].astype(np.int64)
    order = np.lexsort((boxes[:, 0], numbers))
    return replace(writing, boxes=boxes[order], lines=numbers[order])


def _find_groups(words: NDArray[np.float64]) -> list[list[int]]:
    """Return the numbers of words that stand beside each other, or beside one that does."""
    groups: list[list[int]] = []
    foot = -np.inf
    for k in np.argsort(words[:, 1], kind="stable").tolist():
        if groups and words[k, 1] < foot:
            groups[-1].append(k)
        else:
            groups.append([k])
            foot = -np.inf
        foot = max(foot, float(words[k, 3]))
    return groups
