from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from keel_line.errors import Failed
from keel_line.model.page import Page, Resolution
from keel_line.square.skew import Lean, estimate_skew
from keel_line.square.straighten import square_page
from tests.conftest import as_page, draw_page, make_content


@settings(max_examples=12, deadline=None, suppress_health_check=list(HealthCheck))
@given(angle=st.floats(-19.5, 19.5))
def test_any_angle_is_found_to_a_tenth(angle: float) -> None:
    made = draw_page(make_content(), angle_deg=angle, dpi=150)
    found = estimate_skew(made.grey)
    assert isinstance(found, Lean)
    assert found.angle_deg == pytest.approx(angle, abs=0.1)


@pytest.mark.parametrize("angle", [-0.3, -0.15, -0.05, 0.0, 0.125, 0.2])
def test_small_angles_are_not_drawn_to_nothing(angle: float) -> None:
    found = estimate_skew(draw_page(make_content(), angle_deg=angle, dpi=150).grey)
    assert isinstance(found, Lean)
    assert found.angle_deg == pytest.approx(angle, abs=0.05)


def test_squared_box_lies_on_the_original_ink() -> None:
    made = draw_page(make_content(), angle_deg=4.0)
    squared = square_page(as_page(made))
    # The table's top left corner, darkest where two rules meet, seen through the transform.
    dark = np.argwhere(squared.pixels < 110)
    y, x = dark[(dark[:, 0] + dark[:, 1]).argmin()]
    ((ox, oy),) = squared.transform.to_original([(x, y)])
    around = made.grey[round(oy) - 3 : round(oy) + 4, round(ox) - 3 : round(ox) + 4]
    assert around.min() < 110


def test_fax_gets_true_proportions_in_one_resampling() -> None:
    made = draw_page(make_content(), condition="fax-coarse", dpi=200)
    assert made.y_dpi == 98
    squared = square_page(as_page(made))
    rows, cols = squared.pixels.shape
    assert rows / cols == pytest.approx(6.0 / 6.5, rel=0.01)
    assert squared.dpi == 204


@pytest.mark.parametrize("level", [0, 128, 255])
def test_plain_page_is_left_alone_and_says_so(level: int) -> None:
    plain = np.full((600, 500), level, np.uint8)
    assert isinstance(estimate_skew(plain), Failed)
    squared = square_page(Page(plain, Resolution(100, 100), "plain.png", 1, "scan"))
    assert squared.angle_deg == 0
    assert squared.unsure
    assert squared.pixels.shape == plain.shape


def test_grey_is_kept() -> None:
    squared = square_page(as_page(draw_page(make_content(), angle_deg=2.0)))
    assert len(np.unique(squared.pixels)) > 60


@pytest.mark.parametrize("angle", [0.0, 1.5, -4.0, 17.0])
@pytest.mark.parametrize("mark", ["black edges", "streak", "holes", "specks"])
def test_marks_of_the_machine_do_not_turn_the_page(mark: str, angle: float) -> None:
    grey = draw_page(make_content(8, 5), angle_deg=angle, dpi=130, size_in=(8, 10)).grey.copy()
    rng = np.random.default_rng(3)
    if mark == "black edges":
        grey[:, :33], grey[-46:] = 20, 15
        grey[:20] = rng.integers(0, 60, (20, grey.shape[1]))
    elif mark == "streak":
        grey[:, 460:462] = 60
    elif mark == "holes":
        for y in (330, 720, 1100):
            grey[y - 18 : y + 18, 22:58] = 10
    else:
        grey[rng.random(grey.shape) < 0.002] = 0
    found = estimate_skew(grey)
    assert isinstance(found, Lean)
    assert found.angle_deg == pytest.approx(angle, abs=0.06)
