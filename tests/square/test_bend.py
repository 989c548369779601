"""Bent pages: lines come straight, flat pages are left alone, places go there and back."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from keel_line._shared.paper import flatten_light
from keel_line.errors import Failed
from keel_line.model.geometry import Bend, Transform
from keel_line.model.page import Page, Resolution, SquareChoice
from keel_line.rule.survey import find_grids
from keel_line.square.bend import find_bend, resample_smoothly
from keel_line.square.skew import Lean, estimate_skew
from keel_line.square.straighten import square_page
from synth.camera import photograph_bent
from synth.pages import MadePage
from tests.conftest import draw_page, make_content

SIZE = (1200, 1600)


@cache
def sheet() -> MadePage:
    return draw_page(make_content(16, 5), dpi=110, size_in=(8.27, 11.69))


def row_rules(made: MadePage) -> list[NDArray[np.float64]]:
    """Points along each of the table's rules across, on the flat page."""
    (table,) = made.tables
    x0, _, x1, _ = table.box
    ys = sorted({c.box[1] for c in table.cells} | {table.box[3]})
    return [np.column_stack([np.linspace(x0, x1, 40), np.full(40, y)]) for y in ys]


def worst_deviation(lines: list[NDArray[np.float64]]) -> float:
    return max(float(np.abs(line[:, 1] - line[:, 1].mean()).max()) for line in lines)


@pytest.mark.parametrize("seed", [2, 5, 8])
def test_curled_rules_come_straight(seed: int) -> None:
    made = photograph_bent(sheet().grey, np.random.default_rng(seed), size_px=SIZE)
    squared = square_page(Page(made.grey, Resolution(130, 130, estimated=True), "p", 1, "photo"))
    seen = [made.places(line) for line in row_rules(sheet())]
    laid = [squared.transform.to_squared(line) for line in seen]
    assert worst_deviation(seen) > 2.5
    assert worst_deviation(laid) < 1.5
    assert squared.straight_px is not None
    (grid,) = find_grids(squared.pixels, squared.dpi)
    assert (grid.rows, grid.cols) == (16, 5)


def test_the_clerk_may_keep_a_bend() -> None:
    made = photograph_bent(sheet().grey, np.random.default_rng(2), size_px=SIZE)
    page = Page(made.grey, Resolution(130, 130, estimated=True), "p", 1, "photo")
    left = square_page(page, SquareChoice(as_bent=True))
    assert left.straight_px is None
    assert not left.transform.bent


def test_a_flat_page_is_left_alone() -> None:
    flat = flatten_light(sheet().grey)
    assert isinstance(find_bend(flat, 110), Failed)


@pytest.mark.parametrize("level", [0, 130, 255])
def test_an_empty_page_has_no_bend(level: int) -> None:
    assert isinstance(find_bend(np.full((900, 700), level, np.uint8), 110), Failed)


Rows = tuple[tuple[float, ...], ...]
COEFFICIENTS = st.lists(
    st.lists(st.floats(-6, 6), min_size=3, max_size=3), min_size=4, max_size=4
).map(lambda rows: tuple(map(tuple, rows)))


@settings(max_examples=30)
@given(across=COEFFICIENTS, down=COEFFICIENTS)
def test_places_go_there_and_back(across: Rows, down: Rows) -> None:
    bend = Bend((100.0, 100.0, 900.0, 1300.0), across, down)
    way = Transform().then("deskew", [[1, 0.02, 3], [-0.02, 1, 1]]).then_bend("bend", bend)
    points = np.array([(0.0, 0.0), (500.0, 700.0), (880.0, 120.0), (1000.0, 1400.0)])
    np.testing.assert_allclose(way.to_original(way.to_squared(points)), points, atol=0.05)


def test_a_map_asked_here_and_there_moves_pixels_as_the_whole_map_does() -> None:
    rng = np.random.default_rng(4)
    picture = cv2.GaussianBlur(rng.integers(0, 256, (200, 300), dtype=np.uint8), (0, 0), 3)
    turn = np.array([[0.98, 0.03, 4.0], [-0.03, 1.01, 2.0]])
    moved = resample_smoothly(
        np.asarray(picture, np.uint8),
        (280, 180),
        lambda points: points @ turn[:, :2].T + turn[:, 2],
        cv2.INTER_LINEAR,
    )
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    whole = cv2.warpAffine(picture, turn, (280, 180), flags=flags)
    inner = np.s_[10:160, 10:260]
    assert np.abs(moved[inner].astype(int) - whole[inner]).max() <= 3


# --- stretched by a feeder ---


@pytest.mark.parametrize("shear", [0.8, -0.5])
@pytest.mark.parametrize("angle", [2.0, -7.5])
def test_lines_down_may_lean_otherwise_than_lines_across(shear: float, angle: float) -> None:
    made = draw_page(make_content(12, 6), angle_deg=angle, dpi=150, size_in=(8, 9))
    rows, cols = made.grey.shape
    pull = np.array([[1, -np.tan(np.deg2rad(shear)), 0.0], [0, 1, 0.0]])
    sheared = cv2.warpAffine(made.grey, pull, (cols, rows), flags=cv2.INTER_CUBIC, borderValue=240)
    found = estimate_skew(np.asarray(sheared, np.uint8))
    assert isinstance(found, Lean)
    # Lines across lean a little less once they are pulled along.
    assert found.angle_deg == pytest.approx(angle, abs=0.15)
    assert found.shear_deg == pytest.approx(shear, abs=0.15)
    squared = square_page(Page(np.asarray(sheared, np.uint8), Resolution(150, 150), "p", 1, "scan"))
    (table,) = made.tables
    x0, y0, x1, y1 = table.box
    corners = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])
    turn = cv2.getRotationMatrix2D((0, 0), -angle, 1.0)[:, :2]
    seen = corners @ turn.T @ pull[:, :2].T
    laid = squared.transform.to_squared(seen)
    along, down = laid[1] - laid[0], laid[3] - laid[0]
    assert abs(np.rad2deg(np.arctan2(along[1], along[0]))) < 0.1
    assert abs(np.rad2deg(np.arctan2(-down[0], down[1]))) < 0.1


def test_an_even_page_has_no_shear() -> None:
    found = estimate_skew(draw_page(make_content(12, 6), angle_deg=1.3, dpi=150).grey)
    assert isinstance(found, Lean)
    assert found.shear_deg == 0
