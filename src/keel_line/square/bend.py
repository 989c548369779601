"""Bent pages: curl, perspective without an outline, and the stretch of a feeder, from the lines.

Rules and the edges of text lines were straight on the flat sheet. Their slopes are measured all
over the page, a smooth displacement is fitted that takes the slopes away, and then fitted anew to
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

from keel_line._shared.paper import PAPER_LEVEL, Grey, shrink
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
    small = shrink(flat, min(1.0, _SLOPE_SIDE_PX / max(flat.shape)))
    factor = small.shape[1] / flat.shape[1]
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
        peak = float(scores[best] / np.median(scores))
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
    """Fit the displacement anew to lines traced on the page that ``rough`` has nearly unbent."""
    small = shrink(flat, min(1.0, _TRACE_SIDE_PX / max(flat.shape)))
    factor = small.shape[1] / flat.shape[1]
    near = _scaled(rough, factor)
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
    bend = _scaled(Bend(box, _rows(fitted[1]), _rows(fitted[0])), 1 / factor)
    return Unbent(bend, round(left / factor, 2))


def _are_enough(lines: list[NDArray[np.float64]], axis: int, extent: int) -> bool:
    spans = [float(np.ptp(line[:, axis])) for line in lines]
    return len(lines) >= _LEAST_LINES and max(spans) > _LEAST_SPAN * extent


def _scaled(bend: Bend, by: float) -> Bend:
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
    ink = cv2.subtract(np.full_like(picture, PAPER_LEVEL), picture)
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
    grid = sparse_map((cols, rows), bend.move_back)
    return remap_in_strips(picture, grid, (cols, rows), cv2.INTER_LINEAR)


MAP_STEP_PX = 32
_STRIP = 8  # steps


def sparse_map(
    size: tuple[int, int], back: Callable[[NDArray[np.float64]], NDArray[np.float64]]
) -> NDArray[np.float32]:
    """Ask where every 32nd pixel comes from, shape (rows, cols, 2): x and y."""
    xs = np.arange(0, size[0] + MAP_STEP_PX, MAP_STEP_PX, dtype=float)
    ys = np.arange(0, size[1] + MAP_STEP_PX, MAP_STEP_PX, dtype=float)
    places = np.stack(np.meshgrid(xs, ys), axis=-1)
    return back(places.reshape(-1, 2)).reshape(places.shape).astype(np.float32)


def remap_in_strips(
    picture: Grey, grid: NDArray[np.float32], size: tuple[int, int], interpolation: int
) -> Grey:
    """Resample a picture by a sparse map, a strip at a time so that little memory is used."""
    cols, rows = size
    out = np.empty((rows, cols), np.uint8)
    paper = float(np.percentile(picture[::8, ::8], 80))
    plain = _plain_part(grid)
    xs = np.arange(cols, dtype=np.float32)
    way = np.array([[1 / MAP_STEP_PX, 0, 0], [0, 1 / MAP_STEP_PX, 0]])
    for first in range(0, len(grid) - 1, _STRIP):
        top = first * MAP_STEP_PX
        high = min(rows - top, _STRIP * MAP_STEP_PX)
        if high <= 0:
            break
        part = grid[first : first + _STRIP + 1]
        # Only what is left beside the plain part is interpolated: that varies little and smoothly.
        full = cv2.warpAffine(
            part - _lay_plain(plain, grid.shape[1], first, len(part)),
            way,
            (cols, high),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REPLICATE,
        )
        ys = np.arange(top, top + high, dtype=np.float32)[:, None]
        for k in (0, 1):
            full[..., k] += plain[0, k] * xs + plain[1, k] * ys + plain[2, k]
        out[top : top + high] = cv2.remap(
            picture,
            full[..., 0],
            full[..., 1],
            interpolation,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=paper,
        )
    return out


def _plain_part(grid: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return the affine map (rows: by x, by y, constant) that comes nearest to a sparse map."""
    ys, xs = np.mgrid[: grid.shape[0], : grid.shape[1]].reshape(2, -1) * float(MAP_STEP_PX)
    left = np.column_stack([xs, ys, np.ones(len(xs))])
    solved = np.linalg.lstsq(left, grid.reshape(-1, 2), rcond=None)[0]
    return np.asarray(solved, np.float32)


def _lay_plain(
    plain: NDArray[np.float32], across: int, first: int, down: int
) -> NDArray[np.float32]:
    xs = np.arange(across, dtype=np.float32)[None, :, None] * MAP_STEP_PX
    ys = np.arange(first, first + down, dtype=np.float32)[:, None, None] * MAP_STEP_PX
    return np.asarray(xs * plain[0] + ys * plain[1] + plain[2], np.float32)
