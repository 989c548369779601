"""Estimates a page's skew.

The angle is sought at which the edges of rules and text lines fall together in a projection
profile (Postl, "Detection of linear oblique structures and skew scan in digitized documents",
ICPR 1986), over the points of both edge directions, coarse to fine.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, flatten_light, shrink
from keel_line.errors import Failed

LIMIT_DEG = 20.0
_COARSE_SIDE_PX = 1100
_FINE_SIDE_PX = 1800
_LEAST_STEP = 6.0
_GRAINS = 6.5  # four standard deviations of even noise
_MOST_POINTS = 30_000
_LEAST_POINTS = 300
_LEAST_PEAK = 1.12
_DARK = 110
_EDGE_SHARE = 0.008
_BINS_A_PX = np.float32(2)
_STREAK = 0.93
_MOST_SHEAR_DEG = 1.2
_SHEAR_STEP_DEG = 0.06
_LEAST_SHEAR_DEG = 0.05
_CLEAR_PEAK = 1.6
_LEAST_GAIN = 1.15


@dataclass(frozen=True)
class Lean:
    """A page's skew, in degrees clockwise.

    ``angle_deg`` (within ±20) is the lean of its lines across; lines down it lean by ``shear_deg``
    more, where a feeder stretched the page; 0 where that cannot be told.
    """

    angle_deg: float
    shear_deg: float = 0.0


def estimate_skew(grey: Grey) -> Lean | Failed:
    """Estimate how far a page's lines lean.

    Parameters
    ----------
    grey
        Page in true proportions, shape (rows, cols), 0 is black.

    Returns
    -------
    Lean or Failed
        Failed where the page has too little on it or nothing lies in line.
    """
    # By whole factors, which is several times as quick as by others.
    flat = flatten_light(shrink(grey, 1 / max(1, round(max(grey.shape) / _FINE_SIDE_PX))))
    small = shrink(flat, 1 / max(1, round(max(flat.shape) / _COARSE_SIDE_PX)))
    machine = _machine_marks(small)
    coarse = _edge_points(small, machine)
    if coarse is None:
        return Failed("there is too little on the page to find its skew")
    angles = np.arange(-LIMIT_DEG, LIMIT_DEG + 0.01, 0.5)
    scores = _scores((coarse[0][::2], coarse[1][::2]), angles)
    best = float(angles[scores.argmax()])
    if scores.max() < _LEAST_PEAK * float(np.median(scores)):
        return Failed("no clear lines on the page show its skew")
    near = np.arange(best - 0.6, best + 0.61, 0.1)
    best = float(near[_scores(coarse, near).argmax()])
    points = coarse
    if flat is not small:
        size = (flat.shape[1], flat.shape[0])
        wide = cv2.resize(machine.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
        points = _edge_points(flat, wide) or coarse
    near = np.arange(best - 0.14, best + 0.141, 0.02)
    angle = float(np.clip(_peak(near, _scores(points, near)), -LIMIT_DEG, LIMIT_DEG))
    return _part_directions(points, angle)


def _part_directions(points: tuple[NDArray[np.float32], NDArray[np.float32]], angle: float) -> Lean:
    """Tell the lean of lines across from that of lines down, where both stand out clearly."""
    around = angle + np.arange(-_MOST_SHEAR_DEG, _MOST_SHEAR_DEG + 1e-6, _SHEAR_STEP_DEG)
    found, gains = [], []
    for axis in (0, 1):
        none = np.zeros((0, 2), np.float32)
        thinned = points[axis][::3]
        own = _scores((thinned, none) if axis == 0 else (none, thinned), around)
        peak = int(own.argmax())
        clear = own[peak] > _CLEAR_PEAK * float(np.median(own)) and 0 < peak < len(own) - 1
        if not clear:
            return Lean(angle)
        near = around[peak] + np.arange(-0.06, 0.061, 0.02)
        all_points = (points[0], none) if axis == 0 else (none, points[1])
        own = _scores(all_points, near)
        found.append(_peak(near, own))
        gains.append(float(own.max() / _scores(all_points, np.array([angle]))[0]))
    shear = found[1] - found[0]
    if abs(shear) < _LEAST_SHEAR_DEG or max(gains) < _LEAST_GAIN:
        return Lean(angle)
    return Lean(float(np.clip(found[0], -LIMIT_DEG, LIMIT_DEG)), float(shear))


def _edge_points(
    flat: Grey, machine: NDArray[np.bool_]
) -> tuple[NDArray[np.float32], NDArray[np.float32]] | None:
    """Return (x, y) of lower edges and of right edges; None where there are too few.

    ``machine`` tells where a machine left marks of its own.
    """
    signed = cv2.GaussianBlur(flat, (0, 0), 0.8).astype(np.int16)
    sets = []
    rng = np.random.default_rng(0)
    for axis in (0, 1):
        step = np.diff(signed, axis=axis)
        sample = step[::3, ::2]
        # Counted by level: that is much quicker than sorting a page's worth of steps.
        counts = np.bincount((sample + 255).ravel(), minlength=511)
        either_way = counts[255:] + np.append(0, counts[254::-1])
        # Grain is told from faint writing by how much of the page it covers.
        grain = _GRAINS * _percentile(either_way, 50)
        level = max(_LEAST_STEP, grain, 0.35 * (_percentile(counts, 99.7) - 255))
        edges = (step > level) & ~machine[: step.shape[0], : step.shape[1]]
        places = np.flatnonzero(_drop_streaks(edges, axis))
        if len(places) > _MOST_POINTS:
            places = places[np.sort(rng.integers(0, len(places), _MOST_POINTS))]
        rows, cols = np.divmod(places, edges.shape[1])
        sets.append(_place_finely(step, rows, cols, axis))
    if len(sets[0]) + len(sets[1]) < _LEAST_POINTS:
        return None
    return sets[0], sets[1]


def _percentile(counts: NDArray[np.intp], share: float) -> float:
    """Return the level (its place in ``counts``) that so many of a hundred do not exceed."""
    total = np.cumsum(counts)
    return float(np.searchsorted(total, share / 100 * total[-1]))


def _place_finely(
    step: NDArray[np.int16], rows: NDArray[np.intp], cols: NDArray[np.intp], axis: int
) -> NDArray[np.float32]:
    """Return (x, y) of the edges that are steepest among their neighbours across, between pixels.

    A parabola through three neighbours has its top there. Whole pixels would fall together best
    where the page lies straight, and draw small angles towards 0.
    """
    at = rows if axis == 0 else cols
    last = step.shape[axis] - 1
    inner = (at > 0) & (at < last)
    rows, cols, at = rows[inner], cols[inner], at[inner]
    own = step[rows, cols].astype(np.float32)
    if axis == 0:
        before, after = step[rows - 1, cols], step[rows + 1, cols]
    else:
        before, after = step[rows, cols - 1], step[rows, cols + 1]
    steepest = (own >= before) & (own > after)
    own, before, after = own[steepest], before[steepest], after[steepest]
    finely = at[steepest] + 0.5 * (before - after) / (before - 2 * own + after)
    x, y = (cols[steepest], finely) if axis == 0 else (finely, rows[steepest])
    return np.column_stack([x, y]).astype(np.float32)


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


def _drop_streaks(edges: NDArray[np.bool_], axis: int) -> NDArray[np.bool_]:
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
            counts = np.bincount((across * _BINS_A_PX).astype(np.int32)).astype(np.float64)
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
