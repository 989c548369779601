"""Shaded bands become paper, and light letters on dark ones dark."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line._shared.bands import clear_bands
from keel_line._shared.paper import PAPER_LEVEL, flatten_light

DPI = 200.0


def draw(ground: int, letters: int, noise: float = 4.0) -> NDArray[np.uint8]:
    """A page with a band at heights 100 to 150, words on it and words below it."""
    grey = np.full((500, 900), PAPER_LEVEL, np.uint8)
    grey[100:150, 100:800] = ground
    cv2.putText(grey, "Vessel  Tons  Dues", (120, 135), cv2.FONT_HERSHEY_SIMPLEX, 0.9, letters, 2)
    cv2.putText(grey, "Wren   12   3.50", (120, 240), cv2.FONT_HERSHEY_SIMPLEX, 0.9, 30, 2)
    grain = np.random.default_rng(2).normal(0, noise, grey.shape)
    return np.clip(grey + grain, 0, 255).astype(np.uint8)


@pytest.mark.parametrize("ground", [50, 90, 130])
def test_light_letters_become_dark_on_paper(ground: int) -> None:
    out = clear_bands(draw(ground, 235), DPI)
    band = out[106:144, 110:790]
    assert np.median(band) > PAPER_LEVEL - 25
    dark = (band < 120).mean()
    assert 0.02 < dark < 0.3  # the letters, and not the ground
    np.testing.assert_array_equal(out[200:], draw(ground, 235)[200:])


@pytest.mark.parametrize("ground", [190, 210, 220])
def test_shading_is_lifted_and_its_letters_stay_dark(ground: int) -> None:
    out = clear_bands(draw(ground, 30), DPI)
    band = out[106:144, 110:790]
    assert abs(float(np.median(band)) - PAPER_LEVEL) < 8
    assert 0.02 < (band < 120).mean() < 0.3


def test_the_edge_of_shading_leaves_no_line() -> None:
    out = clear_bands(draw(205, 30, noise=0.0), DPI).astype(int)
    left = out[80:180, 106:116].mean(axis=1)
    assert left.min() > PAPER_LEVEL - 15


def test_a_page_without_bands_is_left_alone() -> None:
    grey = draw(PAPER_LEVEL, 30)
    cv2.rectangle(grey, (100, 300), (800, 450), 40, 3)
    assert clear_bands(grey, DPI) is grey


@pytest.mark.parametrize("high", [150, 300, 450])
def test_a_tall_heading_band_is_no_shadow(high: int) -> None:
    grey = np.full((2000, 1500), PAPER_LEVEL, np.uint8)
    grey[300 : 300 + high, 150:1350] = 95
    for y in range(360, 290 + high, 80):
        cv2.putText(grey, "Vessel  Tons  Dues", (200, y), cv2.FONT_HERSHEY_SIMPLEX, 1.2, 235, 3)
    for y in range(300 + high, 1100, 36):  # the table's rows, close below, between its rules
        cv2.putText(grey, "Gannet 345.20 Wren 1,206" * 2, (170, y + 34), 0, 1.0, 40, 3)
    for x in (150, 750, 1349):
        grey[300:1100, x - 2 : x + 2] = 40
    inside = np.s_[310 : 290 + high, 160:740]
    letters = grey[inside] > 200
    grain = np.random.default_rng(3).normal(0, 6, grey.shape)
    flat = flatten_light(np.clip(grey + grain, 0, 255).astype(np.uint8))
    band = clear_bands(flat, DPI)[inside]
    assert np.percentile(band[~letters], 5) > PAPER_LEVEL - 60
    assert np.percentile(band[letters], 80) < 120


def test_a_shadow_is_evened_out_though_it_is_deep() -> None:
    grey = np.full((2000, 1500), PAPER_LEVEL, np.float64)
    y, x = np.mgrid[:2000, :1500]
    grey *= 1 - 0.5 * np.exp(-(((y - 1000) / 250) ** 2) - ((x - 700) / 250) ** 2)
    flat = flatten_light(grey.astype(np.uint8)).astype(int)
    assert flat.min() > PAPER_LEVEL - 25
