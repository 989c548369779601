"""Two pages in one picture: seen, parted, and told from one wide table."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line.model.page import Page, Resolution, SquareChoice
from keel_line.square.spread import find_spread
from keel_line.square.straighten import lay_out, square_page
from synth.pages import Sheet, Style, finish_page
from tests.conftest import inter, make_content

DPI = 100.0


def draw(
    *lefts_in: float, cols: int = 4, wide_in: float = 11.7, ruling: str = "none"
) -> NDArray[np.uint8]:
    sheet, rng = Sheet(DPI, (wide_in, 8.3)), np.random.default_rng(2)
    style = Style(inter(), inter(bold=True), 10.0, ruling=ruling)
    for left in lefts_in:
        sheet.draw_table(make_content(20, cols), (left, 0.8), style, rng)
    return finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey


@pytest.mark.parametrize("ruling", ["none", "full"])
def test_two_pages_side_by_side_are_seen(ruling: str) -> None:
    at = find_spread(draw(0.4, 6.4, ruling=ruling), DPI)
    assert at is not None
    assert 5.1 * DPI < at < 6.4 * DPI


@pytest.mark.parametrize(
    "grey",
    [
        draw(0.6, cols=8),
        draw(0.6, cols=8, ruling="full"),
        draw(0.4),
        draw(6.4),
        draw(0.5, wide_in=6.0),
        np.full((830, 1170), 255, np.uint8),
        np.zeros((830, 1170), np.uint8),
    ],
    ids=["wide", "wide ruled", "left only", "right only", "upright", "blank", "black"],
)
def test_one_page_is_not_parted(grey: NDArray[np.uint8]) -> None:
    assert find_spread(grey, DPI) is None


def test_squaring_tells_of_two_pages_and_lays_one_part() -> None:
    grey = draw(0.4, 6.4, ruling="full")
    page = Page(grey, Resolution(DPI, DPI), "book.png", 1, "scan")
    whole = square_page(page)
    assert whole.parted_at is not None
    assert "two pages" in whole.unsure
    right = (whole.parted_at, 0.0, float(grey.shape[1]), float(grey.shape[0]))
    part = square_page(page, SquareChoice(part=right))
    assert part.parted_at is None
    assert part.pixels.shape[1] == pytest.approx(grey.shape[1] - whole.parted_at, abs=3)
    corner = part.transform.to_original([(0.0, 0.0)])[0]
    assert corner[0] == pytest.approx(whole.parted_at, abs=3)


def test_a_part_of_a_fax_keeps_true_proportions() -> None:
    plan = lay_out((1000, 600), Resolution(204, 98), (), part=(400.0, 0.0, 1000.0, 600.0))
    assert plan.size == (600, round(600 * 204 / 98))
    assert plan.transform.to_squared([(400.0, 0.0)])[0, 0] == pytest.approx(0, abs=1)
