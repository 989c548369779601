"""Gaps that the recogniser closed, or filled with a mark: found from the ink, with a doubt.

A space between two short pieces ("N 4") is hard to tell from letters set wide, unless one knows
how wide the letters of this table are set. That is measured here.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import PAPER_LEVEL
from keel_line.read.decode import Decoded

LEAST_GAP_CAPS = 0.36
_WIDER_THAN_USUAL = 1.6
_LEAST_GAPS = 20
_DOUBT = 0.5
_TRACE = 0.25
_MARK_HIGH, _MARK_LOW, _MARK_SIDE = 0.4, 0.3, 0.13  # where a mark's ink must be, in capitals


def measure_gaps(
    inked: NDArray[np.bool_], decoded: Decoded, middles: NDArray[np.float64], cap_px: float
) -> NDArray[np.float64]:
    """Measure the bare paper between neighbouring characters.

    Parameters
    ----------
    inked
        Whether each column of the line's cell has ink, shape (cols,).
    decoded
        The line's decoding.
    middles
        Column of each character's middle, shape (len(text),).
    cap_px
        Height of the line's capitals.

    Returns
    -------
    array, shape (len(text) - 1,)
        Longest bare stretch over ``cap_px``; NaN beside a space that was read.
    """
    gaps = np.full(max(0, len(decoded.text) - 1), np.nan)
    for i in range(len(gaps)):
        if " " in decoded.text[i : i + 2]:
            continue
        low, high = np.clip(np.rint(middles[i : i + 2]).astype(int), 0, len(inked))
        bare = np.concatenate([[0], ~inked[low:high], [0]]).astype(int)
        edges = np.flatnonzero(np.diff(bare)).reshape(-1, 2)
        gaps[i] = (edges[:, 1] - edges[:, 0]).max(initial=0) / cap_px
    return gaps


def find_threshold(gaps: Sequence[NDArray[np.float64]]) -> float:
    """Return the gap (in heights of capitals) from which a table's letters are words apart."""
    known = np.concatenate([g[~np.isnan(g)] for g in gaps]) if gaps else np.zeros(0)
    if len(known) < _LEAST_GAPS:
        return float("inf")
    return max(LEAST_GAP_CAPS, _WIDER_THAN_USUAL * float(np.percentile(known, 90)))


def open_gaps(decoded: Decoded, gaps: NDArray[np.float64], threshold: float) -> Decoded:
    """Put a doubtful space into every gap of at least ``threshold`` between letter and figure.

    Elsewhere wide gaps are common without a space: beside stops and commas, and between narrow
    letters of one width.

    The text without it stays among the runner-up readings.
    """
    text, places, chances = decoded.text, decoded.places, decoded.chances
    apart = [_is_letter_by_figure(text[i : i + 2]) for i in range(len(gaps))]
    wide = np.flatnonzero((np.nan_to_num(gaps) >= threshold) & np.array(apart, bool))
    if len(wide) == 0:
        return decoded
    for i in wide[::-1] + 1:
        text = f"{text[:i]} {text[i:]}"
        middle = (places[i - 1, 1] + places[i, 0]) / 2
        places = np.insert(places, i, [middle - 0.5, middle + 0.5], axis=0)
        chances = np.insert(chances, i, _DOUBT)
    best = decoded.beams[0][1]
    others = tuple((t, c) for t, c in decoded.beams[1:] if t != text)
    beams = ((text, best * _DOUBT), (decoded.text, best * _DOUBT), *others)
    return replace(decoded, text=text, beams=beams, places=places, chances=chances)


def clear_marks(
    decoded: Decoded,
    grey: NDArray[np.uint8],
    middles: NDArray[np.float64],
    baseline: float,
    cap_px: float,
) -> Decoded:
    """Read a space where a stop or comma was read and the paper is bare.

    A number's form may make the recogniser see a mark that is not there. The text with it stays
    among the runner-up readings.

    Parameters
    ----------
    decoded
        The line's decoding.
    grey
        The line's cell with paper at ``PAPER_LEVEL``, shape (rows, cols).
    middles
        Column of each character's middle, shape (len(text),).
    baseline
        Row of the line's baseline.
    cap_px
        Height of its capitals.
    """
    low = max(0, round(baseline - _MARK_HIGH * cap_px))
    foot = grey[low : max(low + 1, round(baseline + _MARK_LOW * cap_px))]
    # A trace of grey is enough for a mark: copiers leave no more of some.
    bare_level = PAPER_LEVEL - _TRACE * (PAPER_LEVEL - float(np.percentile(grey, 2)))
    reach = _MARK_SIDE * cap_px
    bare = [
        i
        for i, (char, x) in enumerate(zip(decoded.text, middles, strict=True))
        if char in ".,"
        and foot[:, max(0, int(x - reach)) : max(0, int(np.ceil(x + reach))) + 1].min(
            initial=PAPER_LEVEL
        )
        > bare_level
    ]
    if not bare:
        return decoded
    marks = list(decoded.text)
    chances = decoded.chances.copy()
    for i in bare:
        marks[i], chances[i] = " ", _DOUBT
    text = "".join(marks)
    if "  " in text or text != text.strip():  # a mark beside a space: leave it, in doubt
        return replace(decoded, chances=chances)
    best = decoded.beams[0][1]
    others = tuple((t, c) for t, c in decoded.beams[1:] if t != text)
    beams = ((text, best * _DOUBT), (decoded.text, best * _DOUBT), *others)
    return replace(decoded, text=text, beams=beams, chances=chances)


def _is_letter_by_figure(pair: str) -> bool:
    """Tell whether a pair is a letter and a figure, in either order."""
    first, second = pair[0], pair[1]
    return (first.isalpha() and second.isdigit()) or (first.isdigit() and second.isalpha())
