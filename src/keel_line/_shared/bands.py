"""Shaded bands: their ground is made paper, and light letters on dark ones are made dark."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import PAPER_LEVEL, Grey, shrink_to_dpi

_LOOK_DPI = 75.0
_DARK = 168
_CLOSED_IN, _LEAST_HIGH_IN, _LEAST_WIDE_IN = 0.07, 0.09, 0.45
_HALF, _LIGHT_SHARE = 0.55, (0.006, 0.5)
_LEAST_STEP = 60
_GRAIN = 0.3
_STROKE_IN, _SHADED = 0.075, 9
_REACH_IN, _EDGE_LEVEL = 0.03, 215


def clear_bands(flat: Grey, dpi: float) -> Grey:
    """Return a page on which all writing is dark on paper, that on shaded bands too.

    Parameters
    ----------
    flat
        Squared page with even light, shape (rows, cols), 0 is black.
    dpi
        Its resolution.

    Returns
    -------
    numpy.ndarray
        The page itself where it has no such bands.
    """
    small, small_dpi = shrink_to_dpi(flat, dpi, _LOOK_DPI)
    turned = _turn_bands(flat, small, small_dpi, dpi)
    if turned is not flat:
        small, _ = shrink_to_dpi(turned, dpi, _LOOK_DPI)
    return _lift_grounds(turned, small, small_dpi)


def _lift_grounds(flat: Grey, small: Grey, dpi: float) -> Grey:
    """Return a page whose shaded grounds are as light as its paper.

    The ground is what is left when narrow dark things, as letters and rules are, are closed
    (compare Serra, "Image Analysis and Mathematical Morphology", 1982).
    """
    side = max(3, round(_STROKE_IN * dpi)) | 1
    calm = cv2.medianBlur(small, 3)
    ground = cv2.morphologyEx(calm, cv2.MORPH_CLOSE, np.ones((side, side), np.uint8))
    paper = float(np.median(ground))
    shaded = (ground < paper - _SHADED).astype(np.uint8)
    size = (max(1, round(_LEAST_HIGH_IN * dpi)), max(1, round(_LEAST_WIDE_IN * dpi)))
    areas = np.asarray(cv2.morphologyEx(shaded, cv2.MORPH_OPEN, np.ones(size, np.uint8)))
    if not areas.any():
        return flat
    smooth = cv2.blur(np.asarray(ground, np.float32), (side, 1))
    factor = np.where(areas > 0, paper / np.maximum(smooth, 1.0), 1.0).astype(np.float32)
    whole = cv2.resize(factor, flat.shape[::-1], interpolation=cv2.INTER_NEAREST)
    return np.asarray(cv2.multiply(flat, whole, dtype=cv2.CV_8U), np.uint8)


def _turn_bands(flat: Grey, small: Grey, small_dpi: float, dpi: float) -> Grey:
    """Return a page whose dark bands are inverted: their light letters become dark on paper."""
    boxes = _find_bands(small, small_dpi)
    if not boxes:
        return flat
    out = flat.copy()
    by = np.array(flat.shape[::-1]) / np.array(small.shape[::-1])
    for x0, y0, x1, y1 in boxes:
        left, right = round(x0 * by[0]), round(x1 * by[0])
        top, foot = round(y0 * by[1]), round(y1 * by[1])
        reach = max(2, round(_REACH_IN * dpi))
        top, foot = _reach_out(flat[:, left:right].mean(axis=1), top, foot, reach)
        left, right = _reach_out(flat[top:foot].mean(axis=0), left, right, reach)
        _turn(out[top:foot, left:right])
    return out


def _reach_out(level: NDArray[np.float64], first: int, last: int, reach: int) -> tuple[int, int]:
    """Return where a band begins and ends whose mean levels along it are known, its edges in."""
    low = max(0, first - reach)
    high = min(len(level), last + reach)
    dark = np.flatnonzero(level[low:high] < _EDGE_LEVEL)
    if not len(dark):
        return first, last
    return max(0, low + int(dark[0]) - 1), min(len(level), low + int(dark[-1]) + 2)


def _find_bands(small: Grey, dpi: float) -> list[tuple[int, int, int, int]]:
    """Return the boxes (px) of wide dark areas that hold something light."""
    dark = (small < _DARK).astype(np.uint8)
    side = max(1, round(_CLOSED_IN * dpi))
    closed = cv2.morphologyEx(dark, cv2.MORPH_CLOSE, np.ones((side, side), np.uint8))
    size = (max(1, round(_LEAST_WIDE_IN * dpi)), max(1, round(_LEAST_HIGH_IN * dpi)))
    opened = cv2.morphologyEx(closed, cv2.MORPH_OPEN, np.ones(size[::-1], np.uint8))
    count, _, stats, _ = cv2.connectedComponentsWithStats(opened, connectivity=4)
    out = []
    for x, y, wide, high, _ in stats[1:count].tolist():
        # A line of writing close by may have been joined to the band.
        first, last = _longest_run(dark[y : y + high, x : x + wide].mean(axis=1) >= _HALF)
        inside = dark[y + first : y + last, x : x + wide]
        light = 1.0 - float(inside.mean()) if inside.size else 0.0
        if last - first >= size[1] and _LIGHT_SHARE[0] <= light <= _LIGHT_SHARE[1]:
            out.append((x, y + first, x + wide, y + last))
    return out


def _longest_run(full: NDArray[np.bool_]) -> tuple[int, int]:
    """Return where the longest run of true values begins and ends."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], full.astype(np.int8), [0]])))
    runs = edges.reshape(-1, 2).tolist()
    first, last = max(runs, key=lambda r: r[1] - r[0], default=(0, 0))
    return first, last


def _turn(part: NDArray[np.uint8]) -> None:
    """Turn a band's letters dark and its ground to paper, in place; its edge goes with it."""
    if min(part.shape) < 4:
        return
    ground = float(np.median(part))
    light = float(np.percentile(part, 99))
    if light - ground < _LEAST_STEP:
        return
    # The ground's grain is no writing.
    low = ground + _GRAIN * (light - ground)
    scaled = PAPER_LEVEL - (part.astype(np.float32) - low) * (PAPER_LEVEL / (light - low))
    part[...] = np.clip(scaled, 0, PAPER_LEVEL).astype(np.uint8)
    # The band's edge is no rule.
    edge = max(2, min(part.shape) // 16)
    for side in (part[:edge], part[-edge:], part[:, :edge], part[:, -edge:]):
        side[...] = PAPER_LEVEL
