"""Colours become grey, the back of the sheet is kept down, and plainly wrong resolutions mended."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image

from keel_line._shared.paper import PAPER_LEVEL, flatten_light
from keel_line.gather.pictures import colour_to_grey
from keel_line.gather.sources import load_page
from keel_line.model.page import Page, Resolution, SquareChoice
from keel_line.square.back import drop_back, shines_through
from keel_line.square.quality import estimate_dpi
from keel_line.square.straighten import square_page
from tests.conftest import as_png, draw_page, make_content


def patch(
    colour: tuple[int, int, int], paper: tuple[int, int, int] = (250, 250, 250)
) -> NDArray[np.uint8]:
    out = np.full((80, 80, 3), paper, np.uint8)
    out[30:50, 20:60] = colour
    return out


@pytest.mark.parametrize(
    "colour", [(60, 90, 220), (230, 40, 40), (40, 160, 60), (240, 150, 150), (20, 20, 20)]
)
def test_coloured_ink_is_darker_than_its_brightness(colour: tuple[int, int, int]) -> None:
    rgb = patch(colour)
    bright = np.asarray(Image.fromarray(rgb).convert("L"))
    grey = colour_to_grey(rgb)
    assert grey[40, 40] <= bright[40, 40] + 1
    assert grey[40, 40] < 175
    assert grey[5, 5] == pytest.approx(250, abs=3)


def test_coloured_lines_vanish_and_black_writing_stays() -> None:
    assert colour_to_grey(patch((240, 120, 110)), no_colour=True)[40, 40] > 220
    assert colour_to_grey(patch((20, 20, 20)), no_colour=True)[40, 40] < 30


def test_yellowed_paper_is_no_colour() -> None:
    grey = colour_to_grey(patch((30, 30, 30), paper=(235, 222, 180)), no_colour=True)
    assert grey[40, 40] < 45
    assert grey[5, 5] > 215


def test_a_page_is_loaded_as_the_clerk_chose() -> None:
    red = Image.fromarray(patch((240, 110, 110)))
    data = as_png(np.asarray(red))
    assert load_page(data, "form.png", 1).pixels[40, 40] < 130
    assert load_page(data, "form.png", 1, no_colour=True).pixels[40, 40] > 220


def with_back() -> NDArray[np.uint8]:
    """A page through which the writing of its back shines."""
    page = draw_page(make_content(14, 5), dpi=150, size_in=(7, 7)).grey.astype(float)
    back = 255.0 - np.roll(
        draw_page(make_content(14, 5), dpi=150, size_in=(7, 7)).grey[:, ::-1], 37, axis=0
    )
    return np.asarray(np.clip(page - 0.16 * back, 0, 255), np.uint8)


def test_pale_broken_rules_are_no_writing_of_the_back() -> None:
    page = draw_page(make_content(20, 6), dpi=150, size_in=(7, 9)).grey.copy()
    for y in range(60, 1300, 30):  # in pieces as high and wide as letters
        for x in range(40, 980, 22):
            piece = page[y : y + 5, x : x + 20]
            piece -= np.minimum(piece, 40)
    assert not shines_through(flatten_light(page), 150)


def test_the_back_is_seen_and_painted_out() -> None:
    page = with_back()
    flat = flatten_light(page)
    assert shines_through(flat, 150)
    twice = np.asarray(cv2.resize(flat, None, fx=2, fy=2), np.uint8)
    assert shines_through(twice, 300)
    front = flatten_light(draw_page(make_content(14, 5), dpi=150, size_in=(7, 7)).grey)
    assert not shines_through(front, 150)
    clean = flatten_light(drop_back(page, flat, 150))
    dark = front < 120
    assert np.abs(clean.astype(int) - flat)[dark].mean() < 2
    bare = front > PAPER_LEVEL - 8
    assert (clean[bare] > PAPER_LEVEL - 12).mean() > 0.97
    assert (flat[bare] > PAPER_LEVEL - 12).mean() < 0.97


def test_the_clerk_may_take_the_back_away() -> None:
    page = Page(with_back(), Resolution(150, 150), "p", 1, "scan")
    found = square_page(page)
    assert any("back of the sheet" in r for r in found.verdict.reasons)
    chosen = square_page(page, SquareChoice(no_back=True))
    assert chosen.pixels.mean() > found.pixels.mean()


@pytest.mark.parametrize(("stated", "true"), [(40.0, 150.0), (600.0, 150.0), (150.0, 150.0)])
def test_a_resolution_that_cannot_be_is_estimated_from_the_text(stated: float, true: float) -> None:
    flat = flatten_light(draw_page(make_content(14, 5), dpi=150, size_in=(7, 7)).grey)
    assert estimate_dpi(flat, stated) == pytest.approx(true, rel=0.25)


def test_without_text_the_resolution_stays() -> None:
    assert estimate_dpi(np.full((500, 400), PAPER_LEVEL, np.uint8), 48.0) == 48.0
