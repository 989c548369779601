"""Judges how well a page will read: height, darkness and sharpness of its text, and its light."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import (
    PAPER_LEVEL,
    Grey,
    find_ink,
    paper_levels,
    shrink_to,
    shrink_to_dpi,
)
from keel_line._shared.parts import find_parts
from keel_line.model.page import Outlook, Verdict
from keel_line.square.back import shines_through

_WORK_DPI = 150.0
_HEIGHT_SIDE_PX = 2000
_LEAST_LETTERS = 25
_CAP_IN = (0.045, 0.24)
_USUAL_CAP_IN = 0.098
_SMALL_PX = 15.0
_TINY_PX = 10.0
_FAINT = 62.0
_GRAIN = 0.13
_LEAST_EDGES = 50
_SOFT = 0.215
_BLURRED = 0.175
_UNEVEN = 0.45
_CUT_MARKS = 6
_EDGE_IN = 0.02
_INK_DEPTH = 55


def judge_page(grey: Grey, flat: Grey, dpi: float) -> Verdict:
    """Judge how well a squared page will read.

    Parameters
    ----------
    grey, flat
        Squared page as it is and with its light evened out, shape (rows, cols).
    dpi
        Its resolution.
    """
    # Letters are measured on a smaller copy; only their sharpness needs every pixel.
    small, small_dpi = shrink_to_dpi(flat, dpi, _WORK_DPI)
    parts = letter_parts(small, small_dpi)
    if len(parts) < 4:
        return Verdict("good", (), 0.0)
    text_px = float(np.percentile(parts[:, 3], 70)) * dpi / small_dpi
    reasons: list[tuple[Outlook, str]] = []
    wanted = 100 * max(3, round(dpi * 22 / text_px / 100))
    if text_px < _SMALL_PX:
        reasons.append(
            (
                "poor" if text_px < _TINY_PX else "fair",
                f"The text is only {text_px:.0f} px high; a scan at {wanted} dpi reads better.",
            )
        )
    contrast = ink_contrast(small, parts)
    if contrast < _FAINT:
        reasons.append(
            ("poor" if contrast < _FAINT / 2 else "fair", "The writing is faint; scan it darker.")
        )
    sharp = edge_sharpness(flat, contrast)
    if sharp < _SOFT:
        poor = sharp < _BLURRED
        told = "blurred; take the picture again, held still" if poor else "slightly blurred"
        reasons.append(("poor" if poor else "fair", f"The writing is {told}."))
    if light_range(grey) > _UNEVEN:
        reasons.append(("fair", "The light is uneven; shadows may hide thin strokes."))
    if shines_through(small, small_dpi):
        reasons.append(("fair", "The back of the sheet shines through; B removes it."))
    if count_cut_marks(small, parts, small_dpi) >= _CUT_MARKS:
        reasons.append(("poor", "The page is cut off at an edge; something may be missing."))
    order: dict[Outlook, int] = {"good": 0, "fair": 1, "poor": 2}
    worst: Outlook = max((o for o, _ in reasons), key=lambda o: order[o], default="good")
    told_first = sorted(reasons, key=lambda r: -order[r[0]])
    return Verdict(worst, tuple(text for _, text in told_first), round(text_px, 1))


def estimate_dpi(flat: Grey, dpi: float) -> float:
    """Estimate a page's resolution from the height of its text where ``dpi`` cannot be right.

    ``dpi`` is kept where the text's capitals then have 5 to 24 point, and where there is too little
    text to tell; otherwise they are taken to have 10 point.
    """
    small, factor = shrink_to(flat, _HEIGHT_SIDE_PX)
    heights = _heights(small) / factor
    if len(heights) < _LEAST_LETTERS and factor < 1:
        heights = _heights(flat)  # small print on a large picture
    if len(heights) < _LEAST_LETTERS:
        return dpi
    # The size that most of them have, within a fifth.
    inside = np.searchsorted(heights, heights * 1.25) - np.arange(len(heights))
    start = int(inside.argmax())
    cap = float(np.percentile(heights[start : start + int(inside[start])], 70))
    if _CAP_IN[0] * dpi <= cap <= _CAP_IN[1] * dpi:
        return dpi
    return float(np.clip(round(cap / _USUAL_CAP_IN), 72, 1200))


def _heights(flat: Grey) -> NDArray[np.float64]:
    """Return the heights (px) of what may be letters of any size, in order."""
    table = find_parts(find_ink(flat, _INK_DEPTH))[1]
    width, height, area = np.asarray(table, np.int32)[1:, 2:5].T
    fit = (height >= 6) & (height <= max(flat.shape) / 8) & (width <= 2.5 * height)
    fit &= (width >= 0.1 * height) & (area >= 0.12 * width * height)
    return np.sort(height[fit]).astype(np.float64)


def letter_parts(flat: Grey, dpi: float) -> NDArray[np.int32]:
    """Return x, y, width, height, area (px) of the connected parts that may be letters."""
    table = find_parts(find_ink(flat, _INK_DEPTH))[1]
    parts = np.asarray(table, np.int32)[1:]
    width, height, area = parts[:, 2], parts[:, 3], parts[:, 4]
    fit = (height >= max(4, 0.03 * dpi)) & (height <= 0.25 * dpi)
    fit &= (width <= 0.3 * dpi) & (width >= 0.1 * height) & (area >= 0.12 * width * height)
    return np.asarray(parts[fit], np.int32)


def ink_contrast(flat: Grey, parts: NDArray[np.int32]) -> float:
    """Return how far the writing's cores lie below the paper, in grey levels (0 to 235)."""
    step = max(1, len(parts) // 60)
    cores = []
    for x, y, w, h, _ in parts[::step].tolist():
        levels = np.sort(flat[y : y + h, x : x + w], axis=None)
        cores.append(int(levels[levels.size // 20]))
    return PAPER_LEVEL - float(np.median(cores))


def edge_sharpness(flat: Grey, contrast: float) -> float:
    """Return the steepest usual step from one pixel to the next, as a share of the contrast.

    A sharp scan has 0.3 and more; a lens out of focus or a moving hand leaves 0.1.
    """
    if flat.shape[1] < 2:
        return 0.0
    step = np.asarray(cv2.absdiff(flat[::2, 1:], flat[::2, :-1]), np.uint8)
    counts = cv2.calcHist([step], [0], None, [256], [0, 256]).ravel()
    # The steepest tenth of what is steeper than grain.
    counts[: int(_GRAIN * contrast) + 1] = 0
    steep = np.cumsum(counts)
    if steep[-1] < _LEAST_EDGES or contrast <= 0:
        return float(step.max(initial=0)) / max(contrast, 1.0)
    # Between whole grey levels, for a faint page has few of them.
    return float(np.interp(0.9 * steep[-1], steep, np.arange(256) + 0.5)) / contrast


def light_range(grey: Grey) -> float:
    """Return how much the paper's brightness varies over the page, as a share of the brightest."""
    low, high = np.percentile(paper_levels(grey), (4, 96))
    return float((high - low) / max(high, 1.0))


def count_cut_marks(flat: Grey, parts: NDArray[np.int32], dpi: float) -> int:
    """Count the letters that touch one of the page's edges, at the edge with the most."""
    rows, cols = flat.shape
    reach = max(1, round(_EDGE_IN * dpi))
    x0, y0 = parts[:, 0], parts[:, 1]
    x1, y1 = x0 + parts[:, 2], y0 + parts[:, 3]
    touching = (x0 < reach, y0 < reach, x1 > cols - reach, y1 > rows - reach)
    return max(int(t.sum()) for t in touching)
