"""Flattens bent pages: curl, perspective and a feeder's stretch, from lines of text and rules.

Rules and the edges of text lines were straight on the flat sheet. Their slopes are measured all
over the page, a smooth displacement is fitted that takes the slopes away, and then fitted again to
the lines themselves, traced from end to end. (Fitting a smooth surface to text lines goes back to
Zhang and Tan, "Correcting document image warping based on regression of curved text lines", ICDAR
2003; the two steps and the fit are this project's.)
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.polynomial import chebyshev
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, measure_darkness, shrink_to
from keel_line.errors import Failed
from keel_line.model.geometry import Bend, Box

_SLOPE_SIDE_PX = 1000
_TRACE_SIDE_PX = 1700
_TILE_SHARE = 0.075
_STEEPEST = 0.16
_SLOPE_STEP = 0.008
_LEAST_POINTS = 40
_LEAST_PEAK = 1.25
_LEAST_TILES = 14
_LEAST_STEP = 8.0
_GRAINS = 6.5
_DEGREES = (8, 3)  # of the polynomial along the lines, and from line to line
_CURVATURE = 2e-3
_LINE_STIFFNESS = 5.0  # px weigh more than slopes
_LEAST_WAY_IN = 0.006
_ROUNDS = 5
_RIDGE = 1e-10  # keeps the equations solvable where lines bear on no term
_LEAST_LINES = 3
_LEAST_SPAN = 0.09
_WINDOW_SHARE = 0.016
_CLEAR_SHARE = 0.0035
_EDGE_SHARE = 0.02
_MOST_LEFT = 0.5


@dataclass(frozen=True)
class Unbent:
    """A bend, and how straight lines are once it is taken out.

    ``deviation_px`` is how far the traced lines keep from straight, in px of the page: three
    quarters of their points are nearer than that.
    """

    bend: Bend
    deviation_px: float


def find_bend(flat: Grey, dpi: float) -> Unbent | Failed:
    """Find the displacement that makes a page's lines straight.

    Parameters
    ----------
    flat
        Page whose lean is taken out, light evened out, shape (rows, cols).
    dpi
        Its resolution.

    Returns
    -------
    Unbent or Failed
        Failed where the lines are straight as they are, or too few to tell.
    """
    rough = _from_slopes(flat)
    if isinstance(rough, Failed):
        return rough
    if _greatest_way(rough) < _LEAST_WAY_IN * dpi:
        return Failed("the lines are straight")
    return _from_lines(flat, dpi, rough)


def _greatest_way(bend: Bend) -> float:
    x0, y0, x1, y1 = bend.box
    places = np.stack(np.meshgrid(np.linspace(x0, x1, 9), np.linspace(y0, y1, 9)), axis=-1)
    points = places.reshape(-1, 2)
    return float(np.abs(bend.move(points) - points).max())


# --- slopes -----------------------------------------------------------------------------------


def _from_slopes(flat: Grey) -> Bend | Failed:
    """Fit a displacement to the slopes of lines, measured in tiles all over the page."""
    small, factor = shrink_to(flat, _SLOPE_SIDE_PX)
    measured = [_measure_slopes(small, axis) for axis in (0, 1)]
    if len(measured[0][0]) < _LEAST_TILES:
        return Failed("there are too few lines to see whether the page is bent")
    box = _box_around(np.concatenate([places for places, _, _ in measured]))
    fitted = [
        _fit_slopes(places, slopes, weights, box, axis) / factor
        if len(places) >= _LEAST_TILES
        else np.zeros((2, 2))
        for axis, (places, slopes, weights) in enumerate(measured)
    ]
    x0, y0, x1, y1 = (v / factor for v in box)
    return Bend((x0, y0, x1, y1), _rows(fitted[1]), _rows(fitted[0]))


def _box_around(points: NDArray[np.float64]) -> Box:
    """Return the box around points, at least a pixel wide and high."""
    (x0, y0), (x1, y1) = points.min(axis=0).tolist(), points.max(axis=0).tolist()
    return (x0, y0, max(x1, x0 + 1.0), max(y1, y0 + 1.0))


def _measure_slopes(
    small: Grey, axis: int
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Measure how steeply lines run in each tile.

    Returns places (n, 2) of the tiles' middles in px, slopes (n,) in px of offset a px along the
    line, and weights (n,). ``axis`` 0 is for lines across the page, 1 for lines down it.
    """
    x, y = _edge_points(small, axis)
    # Along the picture's edges lie slivers of the desk and of what is beyond the page.
    far = _EDGE_SHARE * max(small.shape)
    within = (x > far) & (y > far) & (x < small.shape[1] - far) & (y < small.shape[0] - far)
    x, y = x[within], y[within]
    along, over = (x, y) if axis == 0 else (y, x)
    side = _TILE_SHARE * max(small.shape)
    slopes = np.arange(-_STEEPEST, _STEEPEST + 1e-9, _SLOPE_STEP)
    places, found, weights = [], [], []
    for inside in _overlapping_tiles(along, over, side):
        if len(inside) < _LEAST_POINTS:
            continue
        a, o = along[inside], over[inside]
        middle = (float(a.mean()), float(o.mean()))
        scores = _score_slopes(a - middle[0], o, slopes)
        best = int(scores.argmax())
        peak = float(scores[best] / np.sort(scores)[len(scores) // 2])
        if peak < _LEAST_PEAK or best in (0, len(slopes) - 1):
            continue
        left, mid, right = scores[best - 1 : best + 2]
        shift = 0.5 * (left - right) / min(left - 2 * mid + right, -1e-9)
        places.append(middle if axis == 0 else middle[::-1])
        found.append(slopes[best] + shift * _SLOPE_STEP)
        weights.append(min(peak - 1.0, 2.0))
    return np.array(places).reshape(-1, 2), np.array(found), np.array(weights)


def _overlapping_tiles(
    along: NDArray[np.float64], over: NDArray[np.float64], side: float
) -> Iterator[NDArray[np.intp]]:
    """Yield the points in each tile; tiles overlap by half their side."""
    columns = np.floor(along / (side / 2)).astype(int)
    bands = np.floor(over / (side / 2)).astype(int)
    across, down = columns.max(initial=-1) + 1, bands.max(initial=-1) + 1
    quarter = columns * (down + 1) + bands
    order = np.argsort(quarter, kind="stable")
    # A tile is two quarters below each other in one column, and two in the next.
    edges = np.searchsorted(quarter[order], np.arange((across + 2) * (down + 1)))
    for c in range(across):
        for b in range(down):
            own, beside = c * (down + 1) + b, (c + 1) * (down + 1) + b
            yield np.concatenate(
                [order[edges[own] : edges[own + 2]], order[edges[beside] : edges[beside + 2]]]
            )


def _score_slopes(
    along: NDArray[np.float64], over: NDArray[np.float64], slopes: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Return how sharply points fall together along lines of each slope."""
    turned = over.astype(np.float32)[None, :] - (
        slopes.astype(np.float32)[:, None] * along.astype(np.float32)[None, :]
    )
    bins = np.rint(turned - turned.min()).astype(np.int32)
    width = int(bins.max()) + 1
    bins += width * np.arange(len(slopes), dtype=np.int32)[:, None]
    counts = np.bincount(bins.ravel(), minlength=width * len(slopes)).astype(np.float64)
    return np.asarray((counts**2).reshape(len(slopes), width).sum(axis=1), np.float64)


def _edge_points(small: Grey, axis: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return x and y of the lower edges (axis 0) or right edges (axis 1) of ink."""
    signed = cv2.GaussianBlur(small, (0, 0), 0.8).astype(np.int16)
    step = np.diff(signed, axis=axis)
    sample = step[::2, ::2]
    grain = _GRAINS * float(np.median(np.abs(sample)))
    level = max(_LEAST_STEP, grain, 0.3 * float(np.percentile(sample, 99.7)))
    steep = step > level
    # Only where the step is steepest: one point an edge.
    if axis == 0:
        steep[1:-1] &= (step[1:-1] >= step[:-2]) & (step[1:-1] > step[2:])
    else:
        steep[:, 1:-1] &= (step[:, 1:-1] >= step[:, :-2]) & (step[:, 1:-1] > step[:, 2:])
    rows, cols = np.nonzero(steep)
    return cols.astype(float), rows.astype(float)


def _basis(
    points: NDArray[np.float64], box: Box, axis: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the terms of the displacement at points, and their derivatives along the lines.

    Both have shape (n, terms). Terms that only move lines as a whole are left out.
    """
    along, over = (0, 1) if axis == 0 else (1, 0)
    reach = (box[2] - box[0], box[3] - box[1])
    u = 2 * (points[:, along] - box[along]) / reach[along] - 1
    v = 2 * (points[:, over] - box[over]) / reach[over] - 1
    run = chebyshev.chebvander(u, _DEGREES[0])[:, 1:]
    still = chebyshev.chebvander(np.zeros(1), _DEGREES[0])[:, 1:]
    steps = [chebyshev.chebder(np.eye(_DEGREES[0] + 1)[i]) for i in range(1, _DEGREES[0] + 1)]
    slope = np.column_stack([chebyshev.chebval(u, s) for s in steps]) * (2 / reach[along])
    across = chebyshev.chebvander(v, _DEGREES[1])
    terms = ((run - still)[:, :, None] * across[:, None, :]).reshape(len(points), -1)
    slopes = (slope[:, :, None] * across[:, None, :]).reshape(len(points), -1)
    return terms, slopes


def _stiffness(box: Box, axis: int) -> NDArray[np.float64]:
    """Return rows that ask for little curvature all over the box, shape (n, terms)."""
    x0, y0, x1, y1 = box
    places = np.stack(np.meshgrid(np.linspace(x0, x1, 12), np.linspace(y0, y1, 12)), axis=-1)
    places = places.reshape(-1, 2)
    wide = (x1 - x0, y1 - y0)[axis]
    step = np.zeros(2)
    step[axis] = wide / 40
    low, high = np.array([x0, y0]), np.array([x1, y1])
    ahead = _basis(np.clip(places + step, low, high), box, axis)[1]
    behind = _basis(np.clip(places - step, low, high), box, axis)[1]
    return (ahead - behind) * wide * _CURVATURE


def _as_coefficients(solved: NDArray[np.float64], axis: int) -> NDArray[np.float64]:
    """Return the coefficients [i of x][j of y] of a displacement from its terms' weights."""
    inner = solved.reshape(_DEGREES[0], _DEGREES[1] + 1)
    still = chebyshev.chebvander(np.zeros(1), _DEGREES[0])[0, 1:]
    full = np.vstack([-(still @ inner), inner])
    return full if axis == 0 else full.T


def _fit_slopes(
    places: NDArray[np.float64],
    slopes: NDArray[np.float64],
    weights: NDArray[np.float64],
    box: Box,
    axis: int,
) -> NDArray[np.float64]:
    """Fit a displacement whose derivative along the lines takes their slopes away."""
    _, rows = _basis(places, box, axis)
    stiff = _stiffness(box, axis)
    kept = weights.copy()
    solved = np.zeros(rows.shape[1])
    for _ in range(_ROUNDS):
        solved = _solve(rows, -slopes, kept, stiff)
        off = np.abs(rows @ solved + slopes)
        spread = max(1.5 * float(np.median(off)), 0.002)
        kept = weights / (1 + (off / spread) ** 2)
    return _as_coefficients(solved, axis)


def _solve(
    rows: NDArray[np.float64],
    wanted: NDArray[np.float64],
    weights: NDArray[np.float64],
    stiff: NDArray[np.float64],
) -> NDArray[np.float64]:
    """Return the terms' weights for which rows, weighed, come nearest to what is wanted.

    By the normal equations: thousands of rows bear on a few dozen terms, and stiffness keeps the
    terms apart.
    """
    weighed = rows * weights[:, None]
    normal = weighed.T @ rows + stiff.T @ stiff
    normal[np.diag_indices_from(normal)] += _RIDGE * np.trace(normal) / len(normal)
    return np.asarray(np.linalg.solve(normal, weighed.T @ wanted), np.float64)


def _rows(coefficients: NDArray[np.float64]) -> tuple[tuple[float, ...], ...]:
    return tuple(tuple(round(float(c), 4) for c in row) for row in coefficients)


# --- lines ------------------------------------------------------------------------------------


def _from_lines(flat: Grey, dpi: float, rough: Bend) -> Unbent | Failed:
    """Fit the displacement again to lines traced on the page that ``rough`` has nearly unbent."""
    small, factor = shrink_to(flat, _TRACE_SIDE_PX)
    near = enlarge(rough, factor)
    laid = unbend(small, near)
    traced = [[near.move_back(line) for line in trace_lines(laid, axis)] for axis in (0, 1)]
    if not _are_enough(traced[0], 0, small.shape[1]):
        return Failed("there are too few lines to see how the page is bent")
    box = _box_around(np.concatenate([line for lines in traced for line in lines]))
    fitted, before, after = [], [], []
    for axis, lines in enumerate(traced):
        if not _are_enough(lines, axis, small.shape[1 - axis]):
            fitted.append(np.zeros((2, 2)))
            continue
        solved, untouched, rest = _fit_lines(lines, box, axis)
        fitted.append(solved)
        before.append(untouched)
        after.append(rest)
    left, had = (float(np.percentile(np.concatenate(v), 75)) for v in (after, before))
    if had < _LEAST_WAY_IN * dpi * factor / 2 or left > _MOST_LEFT * had:
        return Failed("the lines are straight, or do not run as one sheet's would")
    bend = enlarge(Bend(box, _rows(fitted[1]), _rows(fitted[0])), 1 / factor)
    return Unbent(bend, round(left / factor, 2))


def _are_enough(lines: list[NDArray[np.float64]], axis: int, extent: int) -> bool:
    spans = [float(np.ptp(line[:, axis])) for line in lines]
    return len(lines) >= _LEAST_LINES and max(spans) > _LEAST_SPAN * extent


def enlarge(bend: Bend, by: float) -> Bend:
    """Return the same bend of a picture that is ``by`` times as large."""
    x0, y0, x1, y1 = (v * by for v in bend.box)
    return Bend(
        (x0, y0, x1, y1), _rows(np.array(bend.across) * by), _rows(np.array(bend.down) * by)
    )


def trace_lines(laid: Grey, axis: int) -> list[NDArray[np.float64]]:
    """Trace rules that run nearly straight across (axis 0) or down (axis 1) a page.

    Returns
    -------
    list of arrays, shape (n, 2)
        Points (x, y) of each line, a few px apart, to a fraction of a px.
    """
    picture = laid if axis == 0 else np.ascontiguousarray(laid.T)
    ink = measure_darkness(picture)
    soft = np.asarray(cv2.blur(ink, (5, 1)), np.uint8)
    side = max(2, round(_CLEAR_SHARE * max(laid.shape)))
    sides = np.zeros_like(soft)
    sides[side:] = soft[:-side]
    sides[:-side] = np.maximum(sides[:-side], soft[side:])
    noise = float(np.median(np.abs(np.diff(soft[::4, ::4].astype(np.int16), axis=0))))
    lined = (soft > max(12.0, 6 * noise)) & (sides < soft // 2)
    window = max(9, round(_WINDOW_SHARE * max(laid.shape)) | 1)
    filled = cv2.blur(lined.astype(np.uint8) * np.uint8(255), (window, 3)) > 72
    bridged = cv2.morphologyEx(
        filled.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, window), np.uint8)
    )
    _, labels, table, _ = cv2.connectedComponentsWithStats(bridged, connectivity=8)
    least = 0.08 * picture.shape[1]
    out = []
    for i in np.flatnonzero(table[:, cv2.CC_STAT_WIDTH] > least).tolist():
        x, y, wide, high, _ = table[i].tolist()
        if i == 0 or high > 0.12 * wide + 6:
            continue
        patch = (labels[y : y + high, x : x + wide] == i) & lined[y : y + high, x : x + wide]
        weight = np.where(patch, ink[y : y + high, x : x + wide], 0).astype(np.float64)
        total = weight.sum(axis=0)
        seen = np.flatnonzero(total > 0)
        if len(seen) < 0.4 * wide:
            continue
        middle = (weight * np.arange(high)[:, None]).sum(axis=0)[seen] / total[seen]
        points = np.column_stack([x + seen, y + middle])[:: max(1, len(seen) // 150)]
        out.append(points if axis == 0 else points[:, ::-1])
    return out


def _fit_lines(
    lines: list[NDArray[np.float64]], box: Box, axis: int
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Fit a displacement after which every line keeps one place across.

    Returns its coefficients, and how far each point lies from its line's place before and after.
    """
    over = 1 if axis == 0 else 0
    points = np.concatenate(lines)
    owner = np.repeat(np.arange(len(lines)), [len(line) for line in lines])
    terms, _ = _basis(points, box, axis)
    stiff = _stiffness(box, axis) * _LINE_STIFFNESS
    weights = np.ones(len(points))
    solved = np.zeros(terms.shape[1])
    off = before = np.zeros(len(points))
    for _ in range(_ROUNDS):
        total = np.maximum(np.bincount(owner, weights), 1e-9)

        def centred(
            values: NDArray[np.float64],
            weights: NDArray[np.float64] = weights,
            total: NDArray[np.float64] = total,
        ) -> NDArray[np.float64]:
            means = np.bincount(owner, values * weights) / total
            return np.asarray(values - means[owner], np.float64)

        # Each line's own place is free: it is taken out of both sides.
        own_terms = np.column_stack([centred(t) for t in terms.T])
        own_places = centred(points[:, over])
        solved = _solve(own_terms, -own_places, weights, stiff)
        before = np.abs(own_places)
        off = np.abs(own_terms @ solved + own_places)
        spread = max(2.0 * float(np.median(off)), 0.15)
        weights = 1 / (1 + (off / spread) ** 2)
    return _as_coefficients(solved, axis), before, off


def unbend(picture: Grey, bend: Bend) -> Grey:
    """Return a picture with its bend taken out; beyond its edge lies paper."""
    rows, cols = picture.shape
    return resample_smoothly(picture, (cols, rows), bend.move_back, cv2.INTER_LINEAR)


_MAP_STEP_PX = 32
_STRIP = 16  # steps


def resample_smoothly(
    picture: Grey,
    size: tuple[int, int],
    back: Callable[[NDArray[np.float64]], NDArray[np.float64]],
    interpolation: int,
) -> Grey:
    """Resample a picture by a smooth map, a strip at a time so that little memory is used.

    Parameters
    ----------
    picture
        Shape (rows, cols).
    size
        (width, height) of what comes of it.
    back
        Tells where points, shape (n, 2), come from; it is asked for every 32nd pixel.
    interpolation
        As OpenCV names it.
    """
    cols, rows = size
    out = np.empty((rows, cols), np.uint8)
    paper = float(np.percentile(picture[::8, ::8], 80))
    # Nodes lie between pixels where resize takes its samples to lie, from one before the edge on.
    xs = np.arange(-_MAP_STEP_PX, cols + _MAP_STEP_PX, _MAP_STEP_PX) + (_MAP_STEP_PX - 1) / 2
    ys = np.arange(-_MAP_STEP_PX, rows + _MAP_STEP_PX, _MAP_STEP_PX) + (_MAP_STEP_PX - 1) / 2
    places = np.stack(np.meshgrid(xs, ys), axis=-1)
    came = back(places.reshape(-1, 2)).reshape(places.shape).astype(np.float32)
    nodes = [np.ascontiguousarray(came[..., k]) for k in (0, 1)]
    for first in range(0, len(ys) - 2, _STRIP):
        top = first * _MAP_STEP_PX
        high = min(rows - top, _STRIP * _MAP_STEP_PX)
        maps = [_fill_in(plane[first : first + _STRIP + 2], (cols, high)) for plane in nodes]
        out[top : top + high] = cv2.remap(
            picture,
            maps[0],
            maps[1],
            interpolation,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=paper,
        )
    return out


def _fill_in(part: NDArray[np.float32], size: tuple[int, int]) -> NDArray[np.float32]:
    """Return the values at every pixel, (width, height) of them, from those at the nodes around."""
    full_size = (part.shape[1] * _MAP_STEP_PX, part.shape[0] * _MAP_STEP_PX)
    full = cv2.resize(part, full_size, interpolation=cv2.INTER_LINEAR)
    inner = full[_MAP_STEP_PX : _MAP_STEP_PX + size[1], _MAP_STEP_PX : _MAP_STEP_PX + size[0]]
    return np.asarray(inner, np.float32)
