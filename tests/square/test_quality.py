"""The verdict on a page before it is read, specks, and what the clerk may set."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from keel_line._shared.paper import PAPER_LEVEL, flatten_light
from keel_line.model.page import Page, Resolution, SquareChoice, Verdict
from keel_line.square.quality import judge_page
from keel_line.square.skew import Lean
from keel_line.square.specks import drop_specks
from keel_line.square.straighten import WayUp, lay_out, square_page
from tests.conftest import as_page, draw_page, make_content


def judge(grey: NDArray[np.uint8], dpi: float = 200) -> Verdict:
    return judge_page(grey, flatten_light(grey), dpi)


@pytest.fixture(scope="module")
def clean() -> NDArray[np.uint8]:
    return draw_page(make_content()).grey


def told(verdict: Verdict) -> str:
    return " ".join(verdict.reasons)


def test_a_clean_page_is_good_and_says_nothing(clean: NDArray[np.uint8]) -> None:
    verdict = judge(clean)
    assert verdict.outlook == "good"
    assert verdict.reasons == ()
    assert verdict.text_px == pytest.approx(22, abs=3)


def test_small_text_names_its_height_and_what_would_help(clean: NDArray[np.uint8]) -> None:
    small = np.asarray(cv2.resize(clean, None, fx=0.3, fy=0.3, interpolation=cv2.INTER_AREA))
    verdict = judge(small.astype(np.uint8), 60)
    assert verdict.outlook == "poor"
    assert f"{verdict.text_px:.0f} px high" in told(verdict)
    assert verdict.text_px == pytest.approx(6.6, abs=1)
    assert "a scan at" in told(verdict)


def test_a_blurred_page_is_told(clean: NDArray[np.uint8]) -> None:
    blurred = np.asarray(cv2.GaussianBlur(clean, (0, 0), 5.5), np.uint8)
    verdict = judge(blurred)
    assert verdict.outlook == "poor"
    assert "blurred" in told(verdict)


def test_faint_writing_is_told(clean: NDArray[np.uint8]) -> None:
    faint = (235 - (235 - clean.clip(0, 235).astype(int)) * 0.3).astype(np.uint8)
    assert "faint" in told(judge(np.minimum(faint, 180 + faint // 4).astype(np.uint8)))


def test_uneven_light_is_told(clean: NDArray[np.uint8]) -> None:
    shade = np.linspace(1.0, 0.4, clean.shape[1])[None, :]
    assert "uneven" in told(judge((clean * shade).astype(np.uint8)))


def test_a_page_cut_through_its_table_is_told(clean: NDArray[np.uint8]) -> None:
    cut = np.ascontiguousarray(clean[:, 178:])
    assert "cut off" in told(judge(cut))


def test_an_empty_page_is_not_judged_by_its_text() -> None:
    assert judge(np.full((400, 300), PAPER_LEVEL, np.uint8)) == Verdict()


# --- specks ---


def test_specks_go_and_stops_stay() -> None:
    grey = draw_page(make_content()).grey.copy()
    before = grey.copy()
    rng = np.random.default_rng(4)
    for y, x in rng.integers((900, 40), (1150, 1250), (60, 2)):
        grey[y, x] = 10
    swept = drop_specks(grey, flatten_light(grey), 200)
    assert (swept[900:1150] < 120).sum() <= (before[900:1150] < 120).sum()
    table = slice(150, 600)
    assert np.abs(swept[table].astype(int) - before[table]).max() <= 40


def test_a_page_without_specks_is_given_back_as_it_is() -> None:
    plain = np.full((400, 300), PAPER_LEVEL, np.uint8)
    cv2.putText(plain, "46.20", (60, 200), cv2.FONT_HERSHEY_SIMPLEX, 2, 20, 4)
    assert drop_specks(plain, plain, 200) is plain


# --- what the clerk sets ---


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_turns_map_places_as_they_turn_pixels(turns: int) -> None:
    grey = np.full((300, 200), PAPER_LEVEL, np.uint8)
    grey[40:44, 150:154] = 10
    page = Page(grey, Resolution(100, 100), "p", 1, "scan")
    squared = square_page(page, SquareChoice(turns=turns, angle_deg=0.0))
    y, x = np.argwhere(squared.pixels < 100).mean(axis=0)
    ((ox, oy),) = squared.transform.to_original([(x, y)])
    assert (ox, oy) == pytest.approx((151.5, 41.5), abs=0.01)
    plan = lay_out((200, 300), page.resolution, (), Lean(0.0), turns)
    assert plan.size == (squared.pixels.shape[1], squared.pixels.shape[0])
    np.testing.assert_allclose(plan.transform.matrix, squared.transform.matrix)


@settings(max_examples=15, deadline=None)
@given(angle=st.floats(-20, 20), turns=st.integers(0, 3))
def test_a_plan_goes_there_and_back(angle: float, turns: int) -> None:
    plan = lay_out((1240, 1754), Resolution(204, 98), (), Lean(angle), turns)
    points = np.array([(0.0, 0.0), (620.0, 400.0), (1239.0, 1753.0)])
    back = plan.transform.to_original(plan.transform.to_squared(points))
    np.testing.assert_allclose(back, points, atol=1e-6)
    there = plan.transform.to_squared(points)
    assert (there > -3).all()
    assert (there < np.array(plan.size) + 3).all()


def test_what_tells_the_way_up_is_asked_only_where_the_clerk_said_nothing() -> None:
    asked = []

    def find_way_up(flat: NDArray[np.uint8], dpi: float) -> WayUp:
        asked.append((flat.shape, dpi))
        return WayUp(2, sure=False)

    page = as_page(draw_page(make_content(3, 3), size_in=(5, 4)))
    found = square_page(page, None, find_way_up)
    assert found.turns == 2
    assert "which way up" in found.unsure
    chosen = square_page(page, SquareChoice(turns=0), find_way_up)
    assert chosen.turns == 0
    assert not chosen.unsure
    assert len(asked) == 1


def test_even_light_and_specks_are_done_where_they_are_chosen() -> None:
    made = draw_page(make_content(3, 3), size_in=(5, 4))
    shade = np.linspace(1.0, 0.5, made.grey.shape[1])[None, :]
    page = Page((made.grey * shade).astype(np.uint8), Resolution(200, 200), "p", 1, "scan")
    dark = square_page(page)
    even = square_page(page, SquareChoice(even_light=True))
    assert np.percentile(dark.pixels[:, -40:], 80) < 150
    assert np.percentile(even.pixels[:, -40:], 80) == pytest.approx(PAPER_LEVEL, abs=12)
