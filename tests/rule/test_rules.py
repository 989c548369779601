"""Ruling lines that machines broke, or that stand close to text; rows of letters are none."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line._shared.paper import PAPER_LEVEL
from keel_line.rule.rules import find_rules, make_rule_field
from synth.pages import Sheet, finish_page
from tests.conftest import inter

DPI, INK = 204.0, 0
LEFT, RIGHT, Y = 100, 1100, 300


def sheet() -> NDArray[np.uint8]:
    return np.full((600, 1200), PAPER_LEVEL, np.uint8)


def draw_words(grey: NDArray[np.uint8], foot: int, scale: float, bold: int) -> None:
    for k, word in enumerate(("lighter", "skiffs", "ketches", "trawler", "barges")):
        place = (120 + 190 * k, foot)
        cv2.putText(grey, word, place, cv2.FONT_HERSHEY_SIMPLEX, scale, INK, bold)


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("gone", [0.1, 0.25])
def test_a_thin_rule_that_a_fax_broke_close_above_text_is_found(seed: int, gone: float) -> None:
    grey = sheet()
    draw_words(grey, Y + 21, 0.7, 2)  # its letters begin 4 px below the rule
    draw_words(grey, Y - 5, 0.7, 2)
    grey[Y - 1 : Y + 1, LEFT:RIGHT] = INK
    rng = np.random.default_rng(seed)
    for x in range(LEFT, RIGHT, 12):
        if rng.random() < gone:
            grey[Y - 1 : Y + 1, x : x + rng.integers(3, 9)] = PAPER_LEVEL
    (rule,) = find_rules(make_rule_field(grey, DPI))
    assert rule.start == pytest.approx(LEFT, abs=15)
    assert rule.end == pytest.approx(RIGHT, abs=15)


@pytest.mark.parametrize("gap", [0, 2, 4])
def test_a_whole_rule_in_tight_rows_is_found_though_letters_touch_it(gap: int) -> None:
    grey = sheet()
    for k in range(5):
        foot = Y + 25 * (k - 2)
        draw_words(grey, foot - gap, 0.7, 2)
        grey[foot : foot + 2, LEFT:RIGHT] = INK
    rules = [r for r in find_rules(make_rule_field(grey, DPI)) if r.direction == "across"]
    assert sorted(r.position for r in rules) == pytest.approx(
        [Y + 0.5 + 25 * (k - 2) for k in range(5)], abs=1.5
    )
    assert all(r.length > 0.95 * (RIGHT - LEFT) for r in rules)


@pytest.mark.parametrize("word", ["1", "41", "hall"])
@pytest.mark.parametrize("pitch_em", [1.0, 1.15])
def test_stems_of_letters_above_each_other_are_no_rule(word: str, pitch_em: float) -> None:
    page, rng = Sheet(300.0, (3.0, 2.5)), np.random.default_rng(1)
    for k in range(8):
        said = "2" if k == 5 else word
        page.write((1.0, 0.5 + k * pitch_em * 10 / 72), said, inter(), 10, rng)
    made = finish_page(page, rng, condition="clean", angle_deg=0.0)
    assert not find_rules(make_rule_field(made.grey, 300.0))


@pytest.mark.parametrize("rows", [3, 6])
def test_ones_above_each_other_close_beside_a_whole_rule_are_no_rule(rows: int) -> None:
    grey = sheet()
    for k in range(10):
        grey[100 + 27 * k : 102 + 27 * k, LEFT:RIGHT] = INK
    grey[100:345, RIGHT - 2 : RIGHT] = INK
    for k in range(rows):
        top = 131 + 27 * k
        grey[top : top + 19, RIGHT - 16 : RIGHT - 13] = INK
    down = [r for r in find_rules(make_rule_field(grey, DPI)) if r.direction == "down"]
    assert [r.position for r in down] == pytest.approx([RIGHT - 1.5], abs=1.5)


@pytest.mark.parametrize("bold", [2, 4])
@pytest.mark.parametrize("scale", [0.5, 0.8, 1.2])
def test_rows_of_letters_are_no_rules(scale: float, bold: int) -> None:
    grey = sheet()
    for foot in range(60, 560, round(40 * scale) + 10):
        draw_words(grey, foot, scale, bold)
    assert not find_rules(make_rule_field(grey, DPI))
