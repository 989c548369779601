"""Finds a sheet's outline in a photograph, and views it from straight above.

A sheet is the brightest large thing in the picture. Its four sides are fitted to the middle of
each edge, so that a cut corner or a finger over an edge does not move them; the proportions
follow from the perspective (Zhang and He, "Whiteboard scanning and image enhancement", Digital
Signal Processing 17, 2007).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import combinations

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, shrink, shrink_to
from keel_line.errors import Failed
from keel_line.model.page import Corners

_WORK_SIDE_PX = 1000
_LEVELS = (1.0, 0.85, 1.15, 0.72, 1.3)
_LEAST_SHARE = 0.15
_MOST_SHARE = 0.97
_LEAST_STEP = 5.0
_MOST_POINTS = 10
_SEEN = 0.72
_MOST_LINES = 5
_EDGE_BLUR_PX = 3.0
_EDGE_LEVELS = (5, 15)
_ASIDE_PX = 12.0
_SAMPLES = 64
_REACH_PX = 14
_ON_LINE_PX = 1.2
_BESIDE_PX = (-26.0, -18.0, 18.0, 26.0)
_PAPERS = (2**0.5, 11 / 8.5, 14 / 8.5)  # A sizes, letter, legal: longer side over shorter
_PAPER_SLACK = 0.035
_USUAL_FOCAL = 1.0  # over the picture's longer side
_FOCALS = (0.6, 1.9)


def find_sheet(grey: Grey) -> Corners | Failed:
    """Find the corners of the sheet in a picture, to about a thousandth of its size.

    Several levels of brightness are tried, for light may fall so that no single one parts sheet
    from desk; the figure is taken whose sides show the clearest step to the desk.

    Parameters
    ----------
    grey
        Picture, shape (rows, cols), 0 is black.

    Returns
    -------
    Corners or Failed
        Failed where no outline stands out: the sheet fills the picture, or there is none.
    """
    small, factor = shrink_to(grey, _WORK_SIDE_PX)
    soft = np.asarray(cv2.GaussianBlur(small, (0, 0), 1.2), np.uint8)
    best = _best_fit(soft, _region_quads(soft))
    if best is None:
        best = _best_fit(soft, _line_quads(soft))
    if best is None:
        return Failed("no sheet stands out from what lies around it")
    return _in_order((best + 0.5) / factor - 0.5)


def _best_fit(soft: Grey, quads: Iterable[NDArray[np.float64]]) -> NDArray[np.float64] | None:
    """Fit sides from each rough figure; return the corners of the largest that is seen well."""
    best, largest = None, _LEAST_SHARE * soft.size
    for rough in quads:
        fitted = _fit_sides(soft, rough)
        # Once more from where the first fit lies, now that it lies near.
        fitted = fitted and _fit_sides(soft, fitted[0])
        if fitted and fitted[1] >= _SEEN:
            area = float(cv2.contourArea(fitted[0].astype(np.float32)))
            if area > largest * (1.0 if best is None else 1.02):
                best, largest = fitted[0], area
    return best


def _region_quads(soft: Grey) -> Iterator[NDArray[np.float64]]:
    """Yield rough figures from the outlines of bright regions."""
    for region in _bright_regions(soft):
        contours, _ = cv2.findContours(region, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        yield from _rough_quads(max(contours, key=cv2.contourArea)[:, 0, :].astype(np.float64))


def _line_quads(soft: Grey) -> Iterator[NDArray[np.float64]]:
    """Yield rough figures of two long edges across and two down, for light that no level parts.

    A desk's grain is blurred away first, and a table's rules have the same paper on both sides.
    """
    softer = np.asarray(cv2.GaussianBlur(soft, (0, 0), _EDGE_BLUR_PX), np.uint8)
    edges = cv2.Canny(softer, *_EDGE_LEVELS)
    least = 0.28 * min(soft.shape)
    found = cv2.HoughLinesP(edges, 1, np.pi / 720, 70, minLineLength=least, maxLineGap=14)
    if found is None:
        return
    segments = found.reshape(-1, 4).astype(np.float64)
    spans = segments[:, 2:] - segments[:, :2]
    chosen: dict[bool, list[tuple[float, float, float, float]]] = {True: [], False: []}
    for i in np.argsort(-np.hypot(spans[:, 0], spans[:, 1])).tolist():
        level = bool(abs(spans[i, 0]) > abs(spans[i, 1]))
        direction = spans[i] / np.hypot(*spans[i])
        line = (*direction.tolist(), *segments[i, :2].tolist())
        if len(chosen[level]) == _MOST_LINES or any(_same(line, k) for k in chosen[level]):
            continue
        if _separates_light(softer, segments[i, :2], segments[i, 2:]):
            chosen[level].append(line)
    for across in combinations(chosen[True], 2):
        for down in combinations(chosen[False], 2):
            met = [_meet(across[a], down[d]) for a, d in ((0, 0), (0, 1), (1, 1), (1, 0))]
            quad = np.array([m for m in met if m is not None])
            if len(quad) == 4 and cv2.isContourConvex(quad.astype(np.float32)):
                yield quad


def _separates_light(soft: Grey, a: NDArray[np.float64], b: NDArray[np.float64]) -> bool:
    """Return whether one side of a segment is brighter than the other nearly all along."""
    direction = (b - a) / max(1.0, float(np.hypot(*(b - a))))
    aside = np.array([direction[1], -direction[0]])
    at = a + np.linspace(0.05, 0.95, _SAMPLES // 2)[:, None] * (b - a)
    sides = [_look_at(soft, at + reach * aside) for reach in (-_ASIDE_PX, _ASIDE_PX)]
    steps = np.sort(sides[1] - sides[0])
    tenth = len(steps) // 10
    return bool(steps[tenth] >= _LEAST_STEP or steps[-1 - tenth] <= -_LEAST_STEP)


def _look_at(soft: Grey, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the brightness at points (x, y), the edge's beyond the picture."""
    xs, ys = points.T.astype(np.float32)
    seen = cv2.remap(soft, xs, ys, cv2.INTER_NEAREST, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(seen.ravel(), np.float64)


def _same(a: tuple[float, float, float, float], b: tuple[float, float, float, float]) -> bool:
    """Return whether two lines run along the same edge."""
    away = abs((a[2] - b[2]) * b[1] - (a[3] - b[3]) * b[0])
    return away < 6 and abs(a[0] * b[1] - a[1] * b[0]) < 0.02


def _bright_regions(soft: Grey) -> Iterator[NDArray[np.uint8]]:
    """Yield masks of the brightest large region at several levels, writing filled in.

    Sought on half the pixels: it only has to be near enough for the sides to be fitted.
    """
    size = (soft.shape[1], soft.shape[0])
    soft = shrink(soft, 0.5)
    side = max(5, (max(soft.shape) // 40) | 1)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    # Closing takes the writing off the paper; it leaves the sheet's own edge where it is.
    plain = cv2.morphologyEx(soft, cv2.MORPH_CLOSE, kernel)
    middle, _ = cv2.threshold(plain, 0, 1, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    for level in _LEVELS:
        mask = (plain > middle * level).astype(np.uint8)
        mask = np.asarray(cv2.morphologyEx(mask, cv2.MORPH_OPEN, kernel), np.uint8)
        count, labels, table, _ = cv2.connectedComponentsWithStats(mask, connectivity=4)
        if count < 2:
            continue
        largest = 1 + int(np.asarray(table)[1:, cv2.CC_STAT_AREA].argmax())
        region = (labels == largest).astype(np.uint8)
        if _LEAST_SHARE <= float(region.mean()) <= _MOST_SHARE:
            yield np.asarray(cv2.resize(region, size, interpolation=cv2.INTER_NEAREST), np.uint8)


def _rough_quads(outline: NDArray[np.float64]) -> Iterator[NDArray[np.float64]]:
    """Yield four-sided figures, shape (4, 2), that the outline's hull may be.

    The four longest sides drawn on until they meet give a sheet with a torn corner its corner
    back; the largest figure between points of the hull holds where sides are bent.
    """
    hull = cv2.convexHull(outline.astype(np.float32))
    length = cv2.arcLength(hull, closed=True)
    for slack in (0.008, 0.02):
        points = cv2.approxPolyDP(hull, slack * length, closed=True)[:, 0, :].astype(np.float64)
        if not 4 <= len(points) <= _MOST_POINTS:
            continue
        sides = np.roll(points, -1, axis=0) - points
        longest = sorted(np.argsort(-np.hypot(sides[:, 0], sides[:, 1]))[:4].tolist())
        lines = [(*sides[i], *points[i]) for i in longest]
        met = [_meet(lines[i - 1], lines[i]) for i in range(4)]
        if all(m is not None for m in met):
            yield np.array(met, float)
        quads = [points[list(four)] for four in combinations(range(len(points)), 4)]
        yield max(quads, key=lambda quad: cv2.contourArea(quad.astype(np.float32)))


def _fit_sides(soft: Grey, quad: NDArray[np.float64]) -> tuple[NDArray[np.float64], float] | None:
    """Fit a line to the steps of brightness along each side.

    Returns the corners where the lines meet, shape (4, 2), and the share (0 to 1) of the places
    along the least clear side where paper gives way to a darker desk right on its line; None where
    that is no sheet.
    """
    rows, cols = soft.shape
    middle = quad.mean(axis=0)
    if not _is_brighter_inside(soft, quad):
        return None
    lines, shares = [], []
    for i in range(4):
        a, b = quad[i], quad[(i + 1) % 4]
        out = np.array([(b - a)[1], -(b - a)[0]]) / max(1.0, float(np.hypot(*(b - a))))
        if (middle - a) @ out > 0:
            out = -out
        at = a + np.linspace(0.06, 0.94, _SAMPLES)[:, None] * (b - a)
        places, clear = _step_places(soft, at, out)
        if clear.sum() < 0.3 * _SAMPLES:
            return None
        line, on_line = _straight_through((at + places[:, None] * out)[clear].astype(np.float32))
        lines.append(line)
        shares.append(float(on_line.sum()) / _SAMPLES)
    met = [_meet(lines[i - 1], lines[i]) for i in range(4)]
    found = np.array([m for m in met if m is not None])
    if len(found) < 4 or not cv2.isContourConvex(found.astype(np.float32)):
        return None
    margin = 0.15 * max(rows, cols)
    if (found < -margin).any() or (found > (cols + margin, rows + margin)).any():
        return None
    return found, min(shares)


def _is_brighter_inside(soft: Grey, quad: NDArray[np.float64]) -> bool:
    """Return whether there is paper within each side and darker desk beyond it.

    A table's frame has steps along it, too, and the same paper on both sides.
    """
    middle = quad.mean(axis=0)
    for i in range(4):
        a, b = quad[i], quad[(i + 1) % 4]
        out = np.array([(b - a)[1], -(b - a)[0]]) / max(1.0, float(np.hypot(*(b - a))))
        if (middle - a) @ out > 0:
            out = -out
        at = a + np.linspace(0.1, 0.9, _SAMPLES // 2)[:, None] * (b - a)
        sides = [_look_at(soft, at + reach * out) for reach in _BESIDE_PX]
        inner, outer = np.maximum(sides[0], sides[1]), np.maximum(sides[2], sides[3])
        if float(np.median(inner - outer)) < _LEAST_STEP:
            return False
    return True


def _step_places(
    soft: Grey, at: NDArray[np.float64], out: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Look across a side at each place; return how far out the steepest fall lies, and if clear."""
    reach = np.arange(-_REACH_PX, _REACH_PX + 1)
    xs = (at[:, :1] + reach * out[0]).astype(np.float32)
    ys = (at[:, 1:] + reach * out[1]).astype(np.float32)
    profile = cv2.remap(soft, xs, ys, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    fall = -np.diff(profile.astype(np.float64), axis=1)
    fall = fall[:, :-1] + fall[:, 1:]  # over two pixels: the blur has spread the step
    best = fall.argmax(axis=1)
    rows = np.arange(len(at))
    inner = np.clip(best, 1, fall.shape[1] - 2)
    left, mid, right = fall[rows, inner - 1], fall[rows, inner], fall[rows, inner + 1]
    bend = left - 2 * mid + right
    shift = np.where(bend < 0, 0.5 * (left - right) / np.minimum(bend, -1e-9), 0.0)
    places = reach[0] + 1 + inner + np.clip(shift, -1, 1)
    # The mean over four px before the step and over four beyond it, fewer at the ends.
    sums = np.cumsum(np.pad(profile.astype(np.float64), ((0, 0), (1, 0))), axis=1)
    last = profile.shape[1]

    def mean(start: NDArray[np.intp], end: NDArray[np.intp]) -> NDArray[np.float64]:
        return np.asarray((sums[rows, end] - sums[rows, start]) / (end - start), np.float64)

    before = mean(np.maximum(best - 3, 0), best + 1)
    beyond = mean(best + 2, np.minimum(best + 6, last))
    return places, before - beyond >= _LEAST_STEP


def _straight_through(
    points: NDArray[np.float32],
) -> tuple[tuple[float, float, float, float], NDArray[np.bool_]]:
    """Fit a line (direction, point), leaving out what lies off it (a finger, a torn corner).

    Returns also which points lie on the line.
    """
    line = _fit_line(points)
    on_line = np.ones(len(points), bool)
    for slack in (6.0, 3.0, _ON_LINE_PX):
        vx, vy, x, y = line
        on_line = np.abs((points - (x, y)) @ np.array([-vy, vx])) <= slack
        if on_line.sum() < 4:
            break
        line = _fit_line(points[on_line])
    return line, on_line


def _fit_line(points: NDArray[np.float32]) -> tuple[float, float, float, float]:
    fitted = cv2.fitLine(points, cv2.DIST_HUBER, 0, 0.01, 0.01).ravel()
    return float(fitted[0]), float(fitted[1]), float(fitted[2]), float(fitted[3])


def _meet(
    a: tuple[float, float, float, float], b: tuple[float, float, float, float]
) -> tuple[float, float] | None:
    across = a[0] * b[1] - a[1] * b[0]
    if abs(across) < 1e-6:
        return None
    t = ((b[2] - a[2]) * b[1] - (b[3] - a[3]) * b[0]) / across
    return a[2] + t * a[0], a[3] + t * a[1]


def _in_order(corners: NDArray[np.float64]) -> Corners:
    """Return the corners from the top left on, clockwise."""
    middle = corners.mean(axis=0)
    angles = np.arctan2(corners[:, 1] - middle[1], corners[:, 0] - middle[0])
    ring = corners[np.argsort(angles)]  # clockwise on a picture, whose y runs down
    first = int((ring.sum(axis=1)).argmin())
    tl, tr, br, bl = np.roll(ring, -first, axis=0).tolist()
    return (tuple(tl), tuple(tr), tuple(br), tuple(bl))


def sheet_size(corners: Corners, picture_px: tuple[int, int]) -> tuple[float, float]:
    """Return (width, height) in px of the sheet seen from straight above.

    The proportions are those of the perspective, taken for a usual paper's where they come close
    to one; the size is such that no side loses pixels.

    Parameters
    ----------
    corners
        The sheet's corners.
    picture_px
        (width, height) of the picture; the camera looked at its middle.
    """
    points = np.array(corners, float)
    tl, tr, br, bl = points
    top, bottom = np.hypot(*(tr - tl)), np.hypot(*(br - bl))
    left, right = np.hypot(*(bl - tl)), np.hypot(*(br - tr))
    width, height = float(max(top, bottom)), float(max(left, right))
    ratio = _true_ratio(points, picture_px)
    long_side = max(ratio, 1 / ratio)
    paper = min(_PAPERS, key=lambda p: abs(p - long_side))
    if abs(paper / long_side - 1) < _PAPER_SLACK:
        ratio = paper if ratio >= 1 else 1 / paper
    if width / height < ratio:
        width = height * ratio
    else:
        height = width / ratio
    return width, height


def _true_ratio(points: NDArray[np.float64], picture_px: tuple[int, int]) -> float:
    """Return width over height of the rectangle behind four corners.

    Where the perspective is too slight to tell the camera's focal length, a usual one is taken.
    """
    middle = np.array([picture_px[0] / 2, picture_px[1] / 2])
    m1, m2, m4, m3 = (np.append(p - middle, 1.0) for p in points)  # TL, TR, BL, BR of the paper
    k2 = np.dot(np.cross(m1, m4), m3) / np.dot(np.cross(m2, m4), m3)
    k3 = np.dot(np.cross(m1, m4), m2) / np.dot(np.cross(m3, m4), m2)
    n2, n3 = k2 * m2 - m1, k3 * m3 - m1
    usual = (_USUAL_FOCAL * max(picture_px)) ** 2
    steep = n2[2] * n3[2]
    focal_squared = -(n2[0] * n3[0] + n2[1] * n3[1]) / steep if steep else usual
    low, high = (limit * max(picture_px) for limit in _FOCALS)
    if not low**2 < focal_squared < high**2:  # seen too steeply from above to tell
        focal_squared = usual
    scale = np.diag([1 / focal_squared, 1 / focal_squared, 1.0])
    return float(np.sqrt((n2 @ scale @ n2) / (n3 @ scale @ n3)))
