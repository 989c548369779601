"""How far a page leans.

The angle is sought at which the edges of rules and text lines fall together in a projection
profile (Postl, "Detection of linear oblique structures and skew scan in digitized documents",
ICPR 1986), over the points of both edge directions, coarse to fine.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, flatten_light, shrink
from keel_line.errors import Failed

LIMIT_DEG = 20.0
_COARSE_SIDE_PX = 1100
_FINE_SIDE_PX = 2400
_MOST_POINTS = 60_000
_LEAST_POINTS = 300
_LEAST_PEAK = 1.12
_DARK = 110
_EDGE_SHARE = 0.008
_STREAK = 0.93


def estimate_skew(grey: Grey) -> float | Failed:
    """Estimate the angle by which a page's lines lean clockwise.

    Parameters
    ----------
    grey
        Page in true proportions, shape (rows, cols), 0 is black.

    Returns
    -------
    float or Failed
        Degrees within ±20; Failed where the page has too little on it or nothing lies in line.
    """
    coarse = _edge_points(grey, _COARSE_SIDE_PX)
    if coarse is None:
        return Failed("there is too little on the page to see how it lies")
    angles = np.arange(-LIMIT_DEG, LIMIT_DEG + 0.01, 0.5)
    scores = _scores(coarse, angles)
    best = float(angles[scores.argmax()])
    if scores.max() < _LEAST_PEAK * float(np.median(scores)):
        return Failed("nothing on the page lies clearly in line")
    near = np.arange(best - 0.6, best + 0.61, 0.1)
    best = float(near[_scores(coarse, near).argmax()])
    fine = _edge_points(grey, _FINE_SIDE_PX)
    points = coarse if fine is None else fine
    near = np.arange(best - 0.14, best + 0.141, 0.02)
    return float(np.clip(_peak(near, _scores(points, near)), -LIMIT_DEG, LIMIT_DEG))


def _edge_points(
    grey: Grey, side_px: int
) -> tuple[NDArray[np.float32], NDArray[np.float32]] | None:
    """Return (x, y) of lower edges and of right edges on a copy of bounded size."""
    factor = min(1.0, side_px / max(grey.shape))
    flat = flatten_light(shrink(grey, factor))
    soft = cv2.GaussianBlur(flat, (0, 0), 0.8)
    signed = soft.astype(np.int16)
    machine = _machine_marks(flat)
    sets = []
    rng = np.random.default_rng(0)
    for axis in (0, 1):
        step = np.diff(signed, axis=axis)
        level = max(18.0, 0.35 * float(np.percentile(step[::3, ::2], 99.7)))
        edges = (step > level) & ~machine[: step.shape[0], : step.shape[1]]
        rows, cols = np.nonzero(_without_streaks(edges, axis))
        if len(rows) > _MOST_POINTS:
            chosen = rng.choice(len(rows), _MOST_POINTS, replace=False)
            rows, cols = rows[chosen], cols[chosen]
        sets.append(np.column_stack([cols, rows]).astype(np.float32))
    if len(sets[0]) + len(sets[1]) < _LEAST_POINTS:
        return None
    return sets[0], sets[1]


def _machine_marks(flat: Grey) -> NDArray[np.bool_]:
    """Return where a machine left black edges: thick dark regions that run off the picture.

    They lie as the machine lies, not as the paper does.
    """
    side = max(5, round(min(flat.shape) * _EDGE_SHARE))
    dark = cv2.morphologyEx(
        (flat < _DARK).astype(np.uint8), cv2.MORPH_OPEN, np.ones((side, side), np.uint8)
    )
    _, labels, _, _ = cv2.connectedComponentsWithStats(dark, connectivity=4)
    along = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
    touching = np.zeros(int(labels.max()) + 1, bool)
    touching[along] = True
    touching[0] = False
    reach = np.ones((2 * side + 1, 2 * side + 1), np.uint8)
    return cv2.dilate(touching[labels].astype(np.uint8), reach) > 0


def _without_streaks(edges: NDArray[np.bool_], axis: int) -> NDArray[np.bool_]:
    """Leave out edges that run straight from one side of the picture to the other.

    Dust under a scanner's lamp draws such lines; no rule on a sheet reaches both of its ends.
    """
    counts = edges.sum(axis=1 - axis).astype(float)
    three = np.convolve(counts, np.ones(3), "same") / edges.shape[1 - axis]
    streaks = np.convolve(three >= _STREAK, np.ones(3), "same") > 0
    if not streaks.any():
        return edges
    kept = edges.copy()
    if axis == 0:
        kept[streaks] = False
    else:
        kept[:, streaks] = False
    return kept


def _scores(
    points: tuple[NDArray[np.float32], NDArray[np.float32]], angles: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Return how sharply the points fall together at each angle (1 is evenly spread)."""
    out = np.zeros(len(angles))
    for axis, chosen in enumerate(points):
        if len(chosen) < _LEAST_POINTS // 2:
            continue
        x, y = chosen[:, 0], chosen[:, 1]
        for i, angle in enumerate(np.deg2rad(angles)):
            cos, sin = np.float32(np.cos(angle)), np.float32(np.sin(angle))
            across = y * cos - x * sin if axis == 0 else x * cos + y * sin
            across -= across.min()
            counts = np.bincount(across.astype(np.int32)).astype(np.float64)
            out[i] += (counts**2).sum() / len(chosen) * len(counts) / len(chosen)
    return out


def _peak(angles: NDArray[np.float64], scores: NDArray[np.float64]) -> float:
    """Return the peak between samples, by a parabola through the three highest neighbours."""
    i = int(scores.argmax())
    if not 0 < i < len(angles) - 1:
        return float(angles[i])
    left, mid, right = scores[i - 1 : i + 2]
    bend = left - 2 * mid + right
    shift = 0.0 if bend == 0 else 0.5 * (left - right) / bend
    return float(angles[i] + shift * (angles[1] - angles[0]))
