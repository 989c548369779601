"""The level of the paper: how bright it is where no ink lies."""

from __future__ import annotations

import math
from typing import TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

Grey: TypeAlias = NDArray[np.uint8]

PAPER_LEVEL = 235
_WORK_SIDE_PX = 250
_USUAL_INK = 0.007  # darkest part of a page that is surely writing
_ROUNDING = 1e-6
_WIDEST_BAND = 4  # dark boxes up to a quarter of the longer side are no shadows
_BAND_LEVEL, _BOX_FILLED, _SHARP, _LETTERS_PX = 0.68, 0.8, 0.5, 5
_LEAST_DEPTH = 16  # above the grain of paper and scanner


def shrink(grey: Grey, factor: float) -> Grey:
    """Shrink a picture by ``factor``; each pixel is about the mean of those it covers.

    A whole factor comes first, since it is many times as quick as another. The rest is less than a
    half: there it is enough to interpolate between neighbours. A factor of 1 or more gives the
    picture back as it is.
    """
    if factor >= 1.0:
        return grey
    rows, cols = (max(1, round(side * factor)) for side in grey.shape)
    whole = 1 / int(1 / factor + _ROUNDING)
    if min(grey.shape) * whole < 1:  # a side that would vanish keeps one pixel
        return np.asarray(cv2.resize(grey, (cols, rows), interpolation=cv2.INTER_AREA), np.uint8)
    small = cv2.resize(grey, None, fx=whole, fy=whole, interpolation=cv2.INTER_AREA)
    if factor < whole * (1 - _ROUNDING):
        small = cv2.resize(small, (cols, rows), interpolation=cv2.INTER_LINEAR)
    return np.asarray(small, np.uint8)


def shrink_to(grey: Grey, side_px: float) -> tuple[Grey, float]:
    """Shrink a picture so that its longer side is about ``side_px``; return it and the factor.

    By a whole factor where one comes within a fifth, which is several times as quick as others.
    """
    factor = max(1.0, max(grey.shape) / side_px)
    whole = round(factor)
    used = whole if abs(whole - factor) <= factor / 5 else factor
    return shrink(grey, 1 / used), 1 / used


def shrink_to_dpi(grey: Grey, dpi: float, wanted: float) -> tuple[Grey, float]:
    """Shrink a picture to about ``wanted`` dpi; return it and its dpi. A coarser one is unchanged.

    By a whole factor where that leaves no more than a third too many pixels a side.
    """
    factor = max(1.0, dpi / wanted)
    whole = int(1.05 * factor)
    used = whole if factor / whole <= 4 / 3 else factor
    return shrink(grey, 1 / used), dpi / used


def estimate_paper(grey: Grey) -> NDArray[np.float32]:
    """Estimate the brightness of the bare paper under each pixel.

    A grey closing on a small copy removes ink that is thinner than about 1/20 of the longer
    side; a median and a blur make it smooth (Gonzalez and Woods, Digital Image Processing, 9.6).

    Parameters
    ----------
    grey
        Picture, shape (rows, cols), 0 is black.

    Returns
    -------
    array, shape (rows, cols)
        Paper level, 1 to 255.
    """
    rows, cols = grey.shape
    level = cv2.resize(paper_levels(grey), (cols, rows), interpolation=cv2.INTER_LINEAR)
    return np.maximum(level, 1.0)


def paper_levels(grey: Grey) -> NDArray[np.float32]:
    """Estimate the paper's brightness (0 to 255) on a copy of at most 250 px a side."""
    # By whole factors, which is several times as quick as by others.
    small = shrink(grey, 1 / max(1, math.ceil(max(grey.shape) / _WORK_SIDE_PX)))
    side = max(3, (max(small.shape) // 20) | 1)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    closed = cv2.morphologyEx(small, cv2.MORPH_CLOSE, kernel)
    closed = cv2.medianBlur(_without_bands(np.asarray(closed, np.uint8), small), min(side, 7))
    return np.asarray(cv2.GaussianBlur(closed.astype(np.float32), (0, 0), side / 3), np.float32)


def _without_bands(levels: Grey, small: Grey) -> Grey:
    """Return levels of paper without printed dark boxes: light has no such edges.

    ``small`` is the picture itself. Boxes may hold light letters.
    """
    reach = (max(levels.shape) // _WIDEST_BAND) | 1
    around = cv2.morphologyEx(levels, cv2.MORPH_CLOSE, np.ones((reach, reach), np.uint8))
    least = (around * _BAND_LEVEL).astype(np.uint8)
    seeds = cv2.compare(levels, least, cv2.CMP_LT)
    if not seeds.any():
        return levels
    # Writing on paper is lighter on the whole; light letters leave a box dark.
    dark = cv2.compare(cv2.blur(small, (_LETTERS_PX, _LETTERS_PX)), least, cv2.CMP_LT)
    steps = cv2.morphologyEx(levels, cv2.MORPH_GRADIENT, np.ones((5, 5), np.uint8))
    _, labels, stats, _ = cv2.connectedComponentsWithStats(dark, connectivity=4)
    rows, cols = levels.shape
    out = levels.copy()
    for number in np.unique(labels[seeds > 0]).tolist():
        x, y, wide, high, area = stats[number].tolist()
        at_edge = x == 0 or y == 0 or x + wide == cols or y + high == rows
        if number == 0 or at_edge or area < _BOX_FILLED * wide * high:
            continue
        part = np.s_[y - 1 : y + high + 1, x - 1 : x + wide + 1]
        own = (seeds[part] > 0).astype(np.uint8)
        rim = own - cv2.erode(own, np.ones((3, 3), np.uint8), borderValue=0)
        drop = float(np.median(around[part][own > 0])) - float(np.median(levels[part][own > 0]))
        if float(np.median(steps[part][rim > 0])) >= _SHARP * drop:
            out[part] = around[part]
    return out


def level_at(grey: Grey, share: float) -> int:
    """Return the grey level (0 to 255) that ``share`` (0 to 1) of a picture's pixels reach.

    Counted by level, which is much quicker than sorting them.
    """
    counts = np.cumsum(cv2.calcHist([grey], [0], None, [256], [0, 256]).ravel())
    return int(np.searchsorted(counts, share * counts[-1]))


def grey_percentile(grey: Grey, share: float) -> float:
    """Return the grey level (0 to 255) below which ``share`` (0 to 1) of a picture's pixels lie.

    Between two pixels it is interpolated, as numpy's percentile is, but many times quicker on small
    pictures, which must have a pixel.
    """
    counts = np.cumsum(np.bincount(grey.ravel(), minlength=256))
    place = share * (grey.size - 1)
    low = int(place)
    below, above = np.searchsorted(counts, (low, min(low + 1, grey.size - 1)), side="right")
    return float(below + (above - below) * (place - low))


def measure_darkness(flat: Grey) -> Grey:
    """Return how far each pixel of a page with even light lies below the paper (0 to 235)."""
    # As OpenCV reads it, four numbers are one value for all pixels.
    paper = np.array([PAPER_LEVEL, 0, 0, 0], np.float64)
    return np.asarray(cv2.subtract(paper, flat), np.uint8)


def find_ink(flat: Grey, depth: float) -> NDArray[np.uint8]:
    """Return 1 where a page with even light is inked, 0 where it is bare.

    Ink lies ``depth`` grey levels below the paper, or less far where the page's writing is pale.
    """
    writing = PAPER_LEVEL - level_at(flat, _USUAL_INK)
    level = PAPER_LEVEL - min(depth, max(_LEAST_DEPTH, 0.45 * writing))
    return (flat < level).astype(np.uint8)


def flatten_light(grey: Grey) -> Grey:
    """Divide out uneven light so that bare paper lies at ``PAPER_LEVEL`` everywhere.

    Where the paper is very dark (a black page, a scanner's edge) the gain is bounded, so that
    noise is not blown up into ink.
    """
    levels = np.clip(np.rint(paper_levels(grey)), 80, 255).astype(np.uint8)
    rows, cols = grey.shape
    level = cv2.resize(levels, (cols, rows), interpolation=cv2.INTER_LINEAR)
    return np.asarray(cv2.divide(grey, level, scale=PAPER_LEVEL), np.uint8)
