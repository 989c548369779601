"""Sheets on a desk: corners, proportions, and pictures that show no sheet."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from keel_line.errors import Failed
from keel_line.model.page import Page, Resolution, SquareChoice
from keel_line.rule.survey import find_grids
from keel_line.square.sheet import find_sheet, sheet_size
from keel_line.square.straighten import square_page
from synth.camera import Photograph, take_photograph
from tests.conftest import draw_page, make_content

SIZE = (1500, 2000)


@cache
def paper() -> NDArray[np.uint8]:
    """An A4 sheet with a table, at 130 dpi."""
    return draw_page(make_content(7, 4), dpi=130, size_in=(8.27, 11.69)).grey


def photo(seed: int, **how: object) -> Photograph:
    return take_photograph(paper(), np.random.default_rng(seed), size_px=SIZE, **how)  # type: ignore[arg-type]


def corner_error(found: object, made: Photograph) -> float:
    """Largest distance of a corner from its truth, as a share of the picture's diagonal."""
    away = np.array(found) - made.corners
    return float(np.hypot(away[:, 0], away[:, 1]).max() / np.hypot(*SIZE))


@settings(max_examples=10, deadline=None, suppress_health_check=list(HealthCheck))
@given(seed=st.integers(0, 400))
def test_corners_that_are_found_are_right(seed: int) -> None:
    made = photo(seed, desk_level=70.0)
    found = find_sheet(made.grey)
    assert isinstance(found, Failed) or corner_error(found, made) < 0.003


def test_nearly_every_sheet_is_found() -> None:
    found = [find_sheet(photo(seed, desk_level=70.0).grey) for seed in range(16)]
    assert sum(not isinstance(f, Failed) for f in found) >= 15


@pytest.mark.parametrize("dimmest", [0.55, 0.4])
@pytest.mark.parametrize("seed", [5, 6, 7, 8])
def test_a_sheet_is_found_on_a_bright_desk_half_in_the_shade(seed: int, dimmest: float) -> None:
    """No one level of light parts such a sheet from its desk; its edges do."""
    made = photo(seed, desk_level=170.0)
    shaded = (made.grey * np.linspace(1.0, dimmest, SIZE[0])).astype(np.uint8)
    found = find_sheet(shaded)
    assert not isinstance(found, Failed)
    assert corner_error(found, made) < 0.003


@pytest.mark.parametrize("how", ["cut_corner", "finger"])
def test_a_torn_corner_or_a_finger_moves_nothing(how: str) -> None:
    for seed in (3, 4):
        made = photo(seed, desk_level=60.0, **{how: True})
        found = find_sheet(made.grey)
        assert not isinstance(found, Failed)
        assert corner_error(found, made) < 0.003


@pytest.mark.parametrize(
    "grey",
    [
        np.full((900, 700), 230, np.uint8),
        np.zeros((900, 700), np.uint8),
        np.random.default_rng(2).integers(0, 255, (900, 700)).astype(np.uint8),
    ],
    ids=["white", "black", "noise"],
)
def test_a_picture_of_no_sheet_has_none(grey: NDArray[np.uint8]) -> None:
    assert isinstance(find_sheet(grey), Failed)


def test_a_scan_that_fills_its_picture_has_no_sheet_to_cut_out() -> None:
    assert isinstance(find_sheet(paper()), Failed)


def test_paper_keeps_its_proportions() -> None:
    blank = np.full((1169, 827), 240, np.uint8)
    right = 0
    for seed in range(40):
        made = take_photograph(blank, np.random.default_rng(seed), size_px=(300, 400))
        corners = tuple((x, y) for x, y in made.corners.tolist())
        wide, high = sheet_size(corners, (300, 400))
        right += wide / high == pytest.approx(2**-0.5, rel=0.001)
        assert wide / high == pytest.approx(2**-0.5, rel=0.12)
    assert right >= 38


def test_seen_from_straight_above_a_rectangle_keeps_its_size() -> None:
    corners = ((100.0, 50.0), (900.0, 50.0), (900.0, 1050.0), (100.0, 1050.0))
    assert sheet_size(corners, (1000, 1400)) == pytest.approx((800, 1000))


def test_a_photographed_table_is_laid_flat() -> None:
    made = photo(11, desk_level=60.0)
    squared = square_page(Page(made.grey, Resolution(170, 170, estimated=True), "p", 1, "photo"))
    assert len(squared.corners) == 4
    assert squared.dpi == pytest.approx(max(squared.pixels.shape) / 11.69, rel=0.02)
    (grid,) = find_grids(squared.pixels, squared.dpi)
    assert (grid.rows, grid.cols) == (7, 4)
    # Every corner of the sheet that was seen comes to lie in a corner of the squared page.
    placed = squared.transform.to_squared(made.corners)
    rows, cols = squared.pixels.shape
    wanted = np.array([(0, 0), (cols, 0), (cols, rows), (0, rows)])
    assert np.abs(placed - wanted).max() < 0.02 * rows


def test_corners_set_by_hand_are_used_as_they_are() -> None:
    made = photo(11, desk_level=60.0)
    corners = tuple((x, y) for x, y in made.corners.tolist())
    page = Page(made.grey, Resolution(300, 300), "p", 1, "scan")
    squared = square_page(page, SquareChoice(corners=corners, angle_deg=0.0))
    assert squared.corners == corners
    whole = square_page(page, SquareChoice(corners=(), angle_deg=0.0))
    assert whole.pixels.shape == made.grey.shape


def test_a_stated_resolution_means_a_scanner_and_no_desk() -> None:
    framed = np.full((1400, 1100), 30, np.uint8)
    framed[60:1340, 60:1040] = 235
    cv2.putText(framed, "Dues 46.20", (200, 400), cv2.FONT_HERSHEY_SIMPLEX, 2, 20, 3)
    scan = square_page(Page(framed, Resolution(150, 150), "s", 1, "scan"))
    assert scan.corners == ()
