"""Pictures that are no page, or two, or hardly one: squared as well as can be, never a fault."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line.model.page import Page, Resolution
from keel_line.square.straighten import square_page
from tests.conftest import draw_page, make_content

RNG = np.random.default_rng(6)


def two_pages() -> NDArray[np.uint8]:
    page = draw_page(make_content(4, 3), dpi=100, size_in=(5, 6)).grey
    desk = np.full((700, 1200), 60, np.uint8)
    desk[50:650, 60:560] = page
    desk[50:650, 640:1140] = page
    return desk


def blurred() -> NDArray[np.uint8]:
    page = draw_page(make_content(4, 3), dpi=100).grey
    return np.asarray(cv2.GaussianBlur(page, (0, 0), 25), np.uint8)


PICTURES = {
    "noise": RNG.integers(0, 255, (500, 400)).astype(np.uint8),
    "gradient": np.tile(np.linspace(0, 255, 600).astype(np.uint8), (400, 1)),
    "black": np.zeros((300, 300), np.uint8),
    "white": np.full((300, 300), 255, np.uint8),
    "sliver": np.full((16, 3000), 240, np.uint8),
    "stamp": RNG.integers(0, 255, (17, 19)).astype(np.uint8),
    "two pages": two_pages(),
    "blurred": blurred(),
    "bright spot": np.asarray(
        cv2.circle(np.full((600, 500), 40, np.uint8), (250, 300), 160, 230, -1), np.uint8
    ),
}


@pytest.mark.parametrize("kind", ["photo", "scan"])
@pytest.mark.parametrize("name", PICTURES)
def test_any_picture_is_squared_somehow(name: str, kind: str) -> None:
    estimated = kind == "photo"
    page = Page(PICTURES[name], Resolution(100, 100, estimated=estimated), name, 1, kind)  # type: ignore[arg-type]
    squared = square_page(page)
    assert min(squared.pixels.shape) >= 16
    assert abs(squared.angle_deg) <= 20
    assert len(squared.corners) in {0, 4}
    corner = squared.transform.to_squared([(0.0, 0.0)])
    assert np.isfinite(corner).all()


@pytest.mark.parametrize("name", ["black", "white", "blurred"])
def test_a_page_with_nothing_to_go_by_says_so(name: str) -> None:
    squared = square_page(Page(PICTURES[name], Resolution(100, 100), name, 1, "scan"))
    assert squared.unsure
