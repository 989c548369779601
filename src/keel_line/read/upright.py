"""Finds which way up a page is, by reading its words in each of the four ways.

Letters that stand on their heads or on their sides are read too, but with much less certainty.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, find_ink, shrink_to_dpi
from keel_line.read.decode import decode_line
from keel_line.read.ink import ink_depth, take_ink
from keel_line.read.lines import find_lines, guess_cap_px
from keel_line.read.network import Network
from keel_line.read.prepare import prepare_line

_WORK_DPI = 150.0
_MOST_WORDS = 28
_FIRST_WORDS = 14
_LEAST_WORDS = 5
_PLAIN = 0.93
_CLEAR = 0.06
_INK_DEPTH = 70.0


@dataclass(frozen=True)
class Upright:
    """Which way up a page is.

    Attributes
    ----------
    turns
        Quarter turns clockwise that bring it upright, 0 to 3.
    sure
        Whether the evidence is clear; a page without words is left as it is and not sure.
    ratings
        How surely its words read after each number of turns that was tried (0 to 1).
    words
        Words that were read in the way chosen.
    """

    turns: int
    sure: bool
    ratings: tuple[tuple[int, float], ...]
    words: int


def find_upright(flat: Grey, dpi: float, network: Network) -> Upright:
    """Find which way up a straight page is.

    Parameters
    ----------
    flat
        Page, straight but for quarter turns, light evened out, shape (rows, cols).
    dpi
        Its resolution.
    network
        The recogniser whose certainty is the evidence.
    """
    small, dpi = shrink_to_dpi(flat, dpi, _WORK_DPI)
    rated: dict[int, tuple[float, int]] = {}
    rating, words = rate_words(small, dpi, network, _FIRST_WORDS)
    if rating >= _PLAIN and words >= 2 * _LEAST_WORDS:
        return Upright(0, sure=True, ratings=((0, round(rating, 4)),), words=words)
    for turns in (0, 2, 1, 3):
        rated[turns] = rate_words(np.rot90(small, -turns), dpi, network)
        rating, words = rated[turns]
        if turns == 0 and rating >= _PLAIN and words >= 2 * _LEAST_WORDS:
            break  # nothing reads so surely on its side or on its head
    known = {turns: rating for turns, (rating, words) in rated.items() if words >= _LEAST_WORDS}
    ratings = tuple((turns, round(rating, 4)) for turns, (rating, _) in sorted(rated.items()))
    if not known:
        return Upright(0, sure=False, ratings=ratings, words=rated[0][1])
    best = max(known, key=lambda turns: (known[turns], turns == 0))
    next_best = max((r for t, r in known.items() if t != best), default=0.0)
    sure = len(rated) == 1 or known[best] - next_best >= _CLEAR
    # A page is only turned on clear evidence.
    turns = best if sure else 0
    return Upright(turns, sure, ratings, rated[turns][1])


def rate_words(
    flat: Grey, dpi: float, network: Network, most: int = _MOST_WORDS
) -> tuple[float, int]:
    """Return how surely a page's words read in this position (0 to 1), and how many were read."""
    flat = np.ascontiguousarray(flat)
    boxes, cap = find_words(flat, dpi, most)
    if len(boxes) == 0:
        return 0.0, 0
    depth = ink_depth(flat)
    pictures = []
    for x0, y0, x1, y1 in boxes:
        ink = take_ink(np.ascontiguousarray(flat[y0:y1, x0:x1]), depth, cap, 2.0)
        lines = find_lines(ink, cap)
        if len(lines) == 1:
            line = lines[0]
            pictures.append(prepare_line(ink.grey, line.baseline, line.cap_px, network.recipe.line))
    read = [decode_line(p, network.recipe.alphabet) for p in network.run(pictures)]
    sure = [float(np.mean(d.chances)) * d.beams[0][1] ** 0.25 for d in read if len(d.text) > 1]
    return (float(np.mean(sure)), len(sure)) if sure else (0.0, 0)


def find_words(flat: Grey, dpi: float, most: int = _MOST_WORDS) -> tuple[NDArray[np.int32], float]:
    """Find up to ``most`` words spread over a page.

    Returns
    -------
    array, shape (n, 4)
        Boxes x0, y0, x1, y1 with a little paper around each.
    float
        Height of the page's capitals (px).
    """
    rows, cols = flat.shape
    letters, cap = _find_letters(flat, dpi)
    reach = max(3, round(0.7 * cap))
    joined = cv2.morphologyEx(letters, cv2.MORPH_CLOSE, np.ones((1, reach), np.uint8))
    _, _, table, _ = cv2.connectedComponentsWithStats(joined, connectivity=8)
    words = np.asarray(table, np.int32)[1:]
    fit = (words[:, 3] >= 0.8 * cap) & (words[:, 3] <= 2.2 * cap) & (words[:, 2] >= 1.8 * cap)
    words = words[fit]
    if len(words) > most:
        longest = np.argsort(-words[:, 2], kind="stable")[: 2 * most]
        words = words[longest[:: max(1, len(longest) // most)][:most]]
    pad = max(1, round(0.25 * cap))
    boxes = np.column_stack(
        [
            np.maximum(words[:, 0] - pad, 0),
            np.maximum(words[:, 1] - pad, 0),
            np.minimum(words[:, 0] + words[:, 2] + pad, cols),
            np.minimum(words[:, 1] + words[:, 3] + pad, rows),
        ]
    )
    return np.asarray(boxes, np.int32), cap


def _find_letters(flat: Grey, dpi: float) -> tuple[NDArray[np.uint8], float]:
    """Return 1 where letters are inked, and the height of the page's capitals (px)."""
    ink = find_ink(flat, _INK_DEPTH)
    _, labels, table, _ = cv2.connectedComponentsWithStats(ink, connectivity=8)
    parts = np.asarray(table, np.int32)
    cap = guess_cap_px(parts[1:], dpi)
    # Rules, pictures and edges are larger than letters; specks are smaller.
    height, width, area = parts[:, 3], parts[:, 2], parts[:, 4]
    letter = (height < 2.2 * cap) & (width < 3 * cap) & (area > 0.02 * cap**2)
    letter &= np.maximum(height, width) > 0.2 * cap
    letter[0] = False
    return letter.astype(np.uint8)[labels], cap
