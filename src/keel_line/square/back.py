"""Finds writing that shines through from the back, and paints it out on request."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, estimate_paper, measure_darkness, shrink_to_dpi
from keel_line._shared.parts import find_parts

_WORK_DPI = 150.0
_STRONG = 0.5
_WEAK = 0.1
_NEAR_IN = 0.014
_LEAST_MARKS = 40
_LETTER_IN = (0.03, 0.25)
_GRAINS = 6.0
_GAP_IN = 0.02
_LINE_IN = 0.6
_USUAL_SHARE = 0.004  # darkest part of a page that is surely writing


def shines_through(flat: Grey, dpi: float) -> bool:
    """Return whether faint marks of letters' size lie all over a page beside its own writing.

    Parameters
    ----------
    flat
        Page with even light, shape (rows, cols).
    dpi
        Its resolution.
    """
    small, dpi = shrink_to_dpi(flat, dpi, _WORK_DPI)
    ink = measure_darkness(small)
    depth = _writing_depth(ink)
    noise = float(np.median(np.abs(np.diff(ink[::3, ::3].astype(np.int16), axis=1))))
    seen = ink > max(_WEAK * depth, _GRAINS * noise, 8.0)
    weak = seen & ~_near_writing(ink, depth, dpi)
    if _count_marks(weak, dpi) < _LEAST_MARKS:
        return False
    # What is left of the form's own pale rules is no writing.
    return _count_marks(weak & ~_on_lines(seen, dpi), dpi) >= _LEAST_MARKS


def _count_marks(weak: NDArray[np.bool_], dpi: float) -> int:
    """Count the marks of letters' size."""
    marks = cv2.morphologyEx(weak.astype(np.uint8), cv2.MORPH_OPEN, np.ones((2, 2), np.uint8))
    table = find_parts(np.asarray(marks, np.uint8))[1]
    low, high = (side * dpi for side in _LETTER_IN)
    heights, widths = table[1:, cv2.CC_STAT_HEIGHT], table[1:, cv2.CC_STAT_WIDTH]
    fit = (heights >= low) & (heights <= high) & (widths >= low / 2) & (widths <= 3 * high)
    return int(fit.sum())


def _on_lines(seen: NDArray[np.bool_], dpi: float) -> NDArray[np.bool_]:
    """Return where straight lines run across or down, broken ones too."""
    gap, length = (2 * max(1, round(side * dpi / 2)) + 1 for side in (_GAP_IN, _LINE_IN))
    lines = np.zeros(seen.shape, np.uint8)
    for across in (True, False):
        bridge, run = (np.ones((1, n) if across else (n, 1), np.uint8) for n in (gap, length))
        joined = cv2.morphologyEx(seen.astype(np.uint8), cv2.MORPH_CLOSE, bridge)
        lines = np.maximum(lines, cv2.morphologyEx(joined, cv2.MORPH_OPEN, run))
    return np.asarray(cv2.dilate(lines, np.ones((5, 5), np.uint8)) > 0)


def drop_back(grey: Grey, flat: Grey, dpi: float) -> Grey:
    """Paint out faint marks that have no dark core, with the paper's own brightness.

    What is at least half as dark as the page's writing stays with all that surrounds it (the two
    levels of Canny, "A computational approach to edge detection", 1986); pale rules go too.

    Parameters
    ----------
    grey, flat
        Squared page as it is and with its light evened out, shape (rows, cols), 0 is black.
    dpi
        Its resolution.
    """
    ink = measure_darkness(flat)
    gone = ~_near_writing(ink, _writing_depth(ink), dpi)
    out = grey.copy()
    out[gone] = estimate_paper(grey)[gone].astype(np.uint8)
    return out


def _writing_depth(ink: NDArray[np.uint8]) -> float:
    """Return how dark the page's own writing is below the paper, at least 40 grey levels."""
    return max(40.0, float(np.percentile(ink[::2, ::2], 100 * (1 - _USUAL_SHARE))))


def _near_writing(ink: NDArray[np.uint8], depth: float, dpi: float) -> NDArray[np.bool_]:
    strong = (ink > _STRONG * depth).astype(np.uint8)
    reach = 2 * max(1, round(_NEAR_IN * dpi)) + 1
    return np.asarray(cv2.dilate(strong, np.ones((reach, reach), np.uint8)) > 0)
