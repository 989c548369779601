"""Squares a page, in one resampling."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, flatten_light, shrink
from keel_line.errors import Failed
from keel_line.model.geometry import Box, Transform
from keel_line.model.page import Corners, Page, Resolution, SquareChoice, SquaredPage
from keel_line.square.back import drop_back
from keel_line.square.bend import Unbent, enlarge, find_bend, resample_smoothly
from keel_line.square.quality import estimate_dpi, judge_page
from keel_line.square.sheet import find_sheet, sheet_size
from keel_line.square.skew import Lean, estimate_skew
from keel_line.square.specks import drop_specks
from keel_line.square.spread import find_spread

_LEAVE_DEG = 0.02
_MOST_SIDE_PX = 12_000
_A4_LONG_IN = 11.69
_EDGE = 0.0012
_GLANCE_SIDE_PX = 1800
_LEAST_PART_PX = 16
UPRIGHT = Lean(0.0)
"""A page that lies straight."""


@dataclass(frozen=True)
class WayUp:
    """Quarter turns clockwise that bring a page upright, and whether that is certain."""

    turns: int
    sure: bool


FindWayUp: TypeAlias = Callable[[Grey, float], WayUp]
"""Takes a straight page with even light and its dpi."""


def square_page(
    page: Page, choice: SquareChoice | None = None, find_way_up: FindWayUp | None = None
) -> SquaredPage:
    """Square a page: straight, flat, upright and in true proportions.

    The squared page has the finer of the page's two resolutions in both directions. What the clerk
    chose is done as chosen; the rest is found. Where nothing can be found the page is left as it
    lies, with the reason in ``unsure``.

    Parameters
    ----------
    page
        The page as it came.
    choice
        What the clerk set.
    find_way_up
        Tells which way up a page is; without it pages are taken to be upright.
    """
    choice = choice or SquareChoice()
    if choice.corners is not None:
        corners = choice.corners
    else:
        corners = () if choice.part else _sheet_of(page)
    straight = _lay_straight(page, choice, corners)
    doubts = [straight.doubt] if straight.doubt else []
    laid, pixels, flat = straight.laid, straight.pixels, straight.flat
    turns = 0
    if choice.turns is not None:
        turns = choice.turns % 4
    elif find_way_up is not None:
        way = find_way_up(flat, laid.dpi)
        turns = way.turns
        if not way.sure and not doubts:  # where nothing lies in line that is said already
            doubts.append("it is not certain which way up the page is")
    if turns:
        laid = _turn_layout(laid, turns)
        pixels = np.ascontiguousarray(np.rot90(pixels, -turns))
        flat = np.ascontiguousarray(np.rot90(flat, -turns))
    if page.resolution.estimated and not corners:
        laid = replace(laid, dpi=estimate_dpi(flat, laid.dpi))
    parted_at = None
    if choice.part is None and not corners and not turns % 2:
        parted_at = _find_parting(flat, laid)
    if parted_at is not None:
        doubts.append("two pages seem to lie in this picture; Y parts them")
    verdict = judge_page(pixels, flat, laid.dpi)
    return SquaredPage(
        _clean(pixels, flat, laid.dpi, choice),
        laid.dpi,
        laid.transform,
        straight.angle_deg,
        turns,
        corners,
        "; ".join(doubts),
        verdict,
        straight.deviation_px,
        parted_at,
    )


def _find_parting(flat: Grey, laid: Layout) -> float | None:
    """Return the column of the page as it came at which two pages part; None where there is one."""
    at = find_spread(flat, laid.dpi)
    if at is None:
        return None
    return float(laid.transform.to_original([(at, flat.shape[0] / 2)])[0, 0])


@dataclass(frozen=True, eq=False)
class _Straight:
    """A page without lean and bend; ``doubt`` says why it may not be."""

    laid: Layout
    pixels: Grey
    flat: Grey
    angle_deg: float
    doubt: str
    deviation_px: float | None


def _lay_straight(page: Page, choice: SquareChoice, corners: Corners) -> _Straight:
    """Take the lean and the bend out of a page, in one resampling of the page as it came."""
    size_px = (page.pixels.shape[1], page.pixels.shape[0])
    laid = lay_out(size_px, page.resolution, corners, part=choice.part)
    lean, doubt = Lean(choice.angle_deg or 0.0), ""
    if choice.angle_deg is None:
        found = estimate_skew(_glance(page.pixels, laid)[0])
        if isinstance(found, Failed):
            doubt = found.reason
        else:
            lean = found
    if abs(lean.angle_deg) >= _LEAVE_DEG or lean.shear_deg:
        laid = lay_out(size_px, page.resolution, corners, lean, part=choice.part)
    unbent = _find_bend(page, choice, corners, laid)
    if unbent is not None:
        laid = replace(laid, transform=laid.transform.then_bend("bend", unbent.bend))
    pixels = _resample(page.pixels, laid)
    straight_px = None if unbent is None else unbent.deviation_px
    return _Straight(laid, pixels, flatten_light(pixels), lean.angle_deg, doubt, straight_px)


def _clean(pixels: Grey, flat: Grey, dpi: float, choice: SquareChoice) -> Grey:
    """Clean a page's light and dirt as the clerk chose."""
    out = flat if choice.even_light else pixels
    if choice.no_specks:
        out = drop_specks(out, flat, dpi)
    if choice.no_back:
        out = drop_back(out, flat, dpi)
    return out


def _find_bend(page: Page, choice: SquareChoice, corners: Corners, laid: Layout) -> Unbent | None:
    """Look for a bend where there may be one: in pictures that no scanner's glass pressed flat."""
    if choice.as_bent or page.kind == "fax":
        return None
    if not corners and not (page.kind == "photo" or page.resolution.estimated):
        return None
    small, smaller = _glance(page.pixels, laid)
    found = find_bend(flatten_light(small), laid.dpi / smaller)
    if isinstance(found, Failed):
        return None
    return Unbent(enlarge(found.bend, smaller), round(found.deviation_px * smaller, 2))


@dataclass(frozen=True)
class Layout:
    """A page's layout: its transform, and (width, height) and dpi of the result."""

    transform: Transform
    size: tuple[int, int]
    dpi: float


def lay_out(
    size_px: tuple[int, int],
    resolution: Resolution,
    corners: Corners,
    lean: Lean = UPRIGHT,
    turns: int = 0,
    part: Box | None = None,
) -> Layout:
    """Compute a page's layout without touching its pixels.

    Parameters
    ----------
    size_px
        (width, height) of the page as it came.
    resolution
        Its resolution; a sheet that is cut out takes its own from the size of its paper.
    corners
        Corners of the sheet; none where the whole picture is it.
    lean
        Lean that is taken out.
    turns
        Quarter turns clockwise, 0 to 3.
    part
        The part of the picture that is the page, where not all of it is and no corners are given.
    """
    whole = not corners
    laid = _true_proportions(size_px, resolution, part) if whole else _cut_out(size_px, corners)
    if abs(lean.angle_deg) >= _LEAVE_DEG or lean.shear_deg:
        turn, size = _turn(laid.size, lean)
        laid = Layout(laid.transform.then("deskew", turn), size, laid.dpi)
    return _turn_layout(laid, turns % 4) if turns % 4 else laid


def _turn_layout(laid: Layout, turns: int) -> Layout:
    size = (laid.size[1], laid.size[0]) if turns % 2 else laid.size
    quarters = _quarter_turns(laid.size, turns)
    return Layout(laid.transform.then("quarter turns", quarters), size, laid.dpi)


def _true_proportions(size_px: tuple[int, int], res: Resolution, part: Box | None = None) -> Layout:
    dpi = max(res.x_dpi, res.y_dpi)
    scale = (dpi / res.x_dpi, dpi / res.y_dpi)
    before = Transform()
    if part is not None:
        x0, y0 = round(part[0]), round(part[1])
        before = before.then("part", [[1.0, 0.0, -x0], [0.0, 1.0, -y0], [0.0, 0.0, 1.0]])
        size_px = (
            max(_LEAST_PART_PX, min(size_px[0], round(part[2])) - x0),
            max(_LEAST_PART_PX, min(size_px[1], round(part[3])) - y0),
        )
    if scale == (1.0, 1.0):
        return Layout(before, size_px, dpi)
    size = (max(1, round(size_px[0] * scale[0])), max(1, round(size_px[1] * scale[1])))
    exact = (size[0] / size_px[0], size[1] / size_px[1])
    # Pixel centres lie at whole numbers, hence the half-pixel shift.
    matrix = [[exact[0], 0, (exact[0] - 1) / 2], [0, exact[1], (exact[1] - 1) / 2]]
    return Layout(before.then("true proportions", matrix), size, dpi)


def _sheet_of(page: Page) -> Corners:
    """Look for a sheet where there may be one: in pictures whose resolution no machine stated."""
    if page.kind == "fax" or not (page.kind == "photo" or page.resolution.estimated):
        return ()
    found = find_sheet(page.pixels)
    return () if isinstance(found, Failed) else found


def _cut_out(size_px: tuple[int, int], corners: Corners) -> Layout:
    width, height = sheet_size(corners, size_px)
    smaller = min(1.0, _MOST_SIDE_PX / max(width, height))
    size = (max(16, round(width * smaller)), max(16, round(height * smaller)))
    # The sheet's very edge is left out, so that no sliver of the desk stays along it.
    edge = _EDGE * max(size)
    right, bottom = size[0] - 1.0 + edge, size[1] - 1.0 + edge
    target = np.array(
        [(-edge, -edge), (right, -edge), (right, bottom), (-edge, bottom)], np.float32
    )
    matrix = cv2.getPerspectiveTransform(np.array(corners, np.float32), target)
    # What the file says of a photograph's dots per inch has nothing to do with the paper.
    dpi = max(72.0, max(size) / _A4_LONG_IN)
    return Layout(Transform().then("sheet", matrix), size, round(dpi, 1))


def _glance(pixels: Grey, laid: Layout) -> tuple[Grey, int]:
    """Lay the page out small, to search it; return by how much it is smaller, too."""
    smaller = max(1, round(min(max(laid.size), max(pixels.shape)) / _GLANCE_SIDE_PX))
    small = shrink(pixels, 1 / smaller)
    if not laid.transform.steps:
        return small, smaller
    # Pixel centres lie at whole numbers, in the small pictures too.
    off = (smaller - 1) / 2
    larger = np.array([[smaller, 0, off], [0, smaller, off], [0, 0, 1.0]])
    matrix = np.linalg.inv(larger) @ laid.transform.matrix @ larger
    size = (laid.size[0] // smaller, laid.size[1] // smaller)
    return _warp(small, matrix, size, cv2.INTER_LINEAR), smaller


def _resample(pixels: Grey, laid: Layout) -> Grey:
    """Resample the original pixels; beyond their edge is paper."""
    if not laid.transform.steps:
        return pixels
    if laid.transform.bent:
        return resample_smoothly(pixels, laid.size, laid.transform.to_original, cv2.INTER_CUBIC)
    return _warp(pixels, laid.transform.matrix, laid.size, cv2.INTER_CUBIC)


def _warp(
    pixels: Grey, matrix: NDArray[np.float64], size: tuple[int, int], interpolation: int
) -> Grey:
    straight = bool(np.allclose(matrix[2], (0, 0, 1)))
    warp = cv2.warpAffine if straight else cv2.warpPerspective
    moved = warp(
        pixels,
        matrix[:2] if straight else matrix,
        size,
        flags=interpolation,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=float(np.percentile(pixels[::8, ::8], 80)),
    )
    return np.asarray(moved, np.uint8)


def _turn(size: tuple[int, int], lean: Lean) -> tuple[NDArray[np.float64], tuple[int, int]]:
    """Return the turn by -angle about the middle and the size that holds all of the page.

    Lines down the page are turned by the shear more, so that they stand upright too.
    """
    width, height = size
    across, down = np.deg2rad([lean.angle_deg, lean.angle_deg + lean.shear_deg])
    leaning = np.array([[np.cos(across), -np.sin(down)], [np.sin(across), np.cos(down)]])
    turn = np.linalg.inv(leaning)
    cos, sin = abs(np.cos(across)), abs(np.sin(across))
    new = (round(width * cos + height * sin), round(width * sin + height * cos))
    middle = np.array([(width - 1) / 2, (height - 1) / 2])
    shift = np.array([(new[0] - 1) / 2, (new[1] - 1) / 2]) - turn @ middle
    return np.column_stack([turn, shift]), new


def _quarter_turns(size: tuple[int, int], turns: int) -> list[list[float]]:
    """Return the map of pixel places under quarter turns clockwise; ``size`` before them."""
    width, height = size
    return {
        1: [[0.0, -1.0, height - 1.0], [1.0, 0.0, 0.0]],
        2: [[-1.0, 0.0, width - 1.0], [0.0, -1.0, height - 1.0]],
        3: [[0.0, 1.0, 0.0], [-1.0, 0.0, width - 1.0]],
    }[turns]
