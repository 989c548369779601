"""The back of the sheet shining through: found, and painted out where the clerk wants it."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import PAPER_LEVEL, Grey, estimate_paper, shrink

_WORK_DPI = 150.0
_STRONG = 0.5
_WEAK = 0.1
_NEAR_IN = 0.014
_LEAST_MARKS = 40
_LETTER_IN = (0.03, 0.25)
_GRAINS = 6.0
_USUAL_SHARE = 0.004  # darkest part of a page that is surely writing


def shines_through(flat: Grey, dpi: float) -> bool:
    """Tell whether faint marks of letters' size lie all over a page beside its own writing.

    Parameters
    ----------
    flat
        Page with even light, shape (rows, cols).
    dpi
        Its resolution.
    """
    factor = min(1.0, _WORK_DPI / dpi)
    small = shrink(flat, factor)
    ink = _ink_of(small)
    depth = _writing_depth(ink)
    noise = float(np.median(np.abs(np.diff(ink[::3, ::3].astype(np.int16), axis=1))))
    weak = (ink > max(_WEAK * depth, _GRAINS * noise, 8.0)) & ~_near_writing(ink, depth, dpi)
    marks = cv2.morphologyEx(weak.astype(np.uint8), cv2.MORPH_OPEN, np.ones((2, 2), np.uint8))
    _, _, table, _ = cv2.connectedComponentsWithStats(marks, connectivity=8)
    low, high = (side * dpi * factor for side in _LETTER_IN)
    heights, widths = table[1:, cv2.CC_STAT_HEIGHT], table[1:, cv2.CC_STAT_WIDTH]
    fit = (heights >= low) & (heights <= high) & (widths >= low / 2) & (widths <= 3 * high)
    return int(fit.sum()) >= _LEAST_MARKS


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
    ink = _ink_of(flat)
    gone = ~_near_writing(ink, _writing_depth(ink), dpi)
    out = grey.copy()
    out[gone] = estimate_paper(grey)[gone].astype(np.uint8)
    return out


def _ink_of(flat: Grey) -> NDArray[np.uint8]:
    return np.asarray(cv2.subtract(np.full_like(flat, PAPER_LEVEL), flat), np.uint8)


def _writing_depth(ink: NDArray[np.uint8]) -> float:
    """Return how dark the page's own writing is below the paper, at least 40 grey levels."""
    return max(40.0, float(np.percentile(ink[::2, ::2], 100 * (1 - _USUAL_SHARE))))


def _near_writing(ink: NDArray[np.uint8], depth: float, dpi: float) -> NDArray[np.bool_]:
    strong = (ink > _STRONG * depth).astype(np.uint8)
    reach = 2 * max(1, round(_NEAR_IN * dpi)) + 1
    return np.asarray(cv2.dilate(strong, np.ones((reach, reach), np.uint8)) > 0)
