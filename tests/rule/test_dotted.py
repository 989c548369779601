"""Dotted and dashed rules are rules; rows of dots that lead to a figure are none."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line._shared.paper import PAPER_LEVEL, measure_darkness
from keel_line.model.grid import Rule
from keel_line.rule.dotted import draw_dotted_whole
from keel_line.rule.rules import find_rules, make_rule_field
from keel_line.rule.survey import find_grids

DPI = 300.0
INK = 40
FRAME = (200, 200, 1400, 800)
# Length of a mark, from mark to mark, and thickness (px): dots, fine dots, dashes, squares.
MANNERS = [(4, 12, 4), (3, 8, 2), (15, 25, 4), (9, 18, 9), (13, 26, 13)]


def sheet() -> NDArray[np.uint8]:
    return np.full((1000, 1600), PAPER_LEVEL, np.uint8)


def draw_marks(
    grey: NDArray[np.uint8], axis: int, at: int, ends: tuple[int, int], manner: tuple[int, int, int]
) -> None:
    """Draw a row of marks across (axis 1) or down (axis 0)."""
    length, step, thick = manner
    along = grey if axis == 1 else grey.T
    for start in range(ends[0], ends[1] - length + 1, step):
        along[at : at + thick, start : start + length] = INK


def draw_table(manner: tuple[int, int, int]) -> NDArray[np.uint8]:
    """A frame with a rule under the heading and one between two columns, all of marks."""
    grey = sheet()
    x0, y0, x1, y1 = FRAME
    for y in (y0, y0 + 120, y1):
        draw_marks(grey, 1, y, (x0, x1), manner)
    for x in (x0, 800, x1):
        draw_marks(grey, 0, x, (y0, y1), manner)
    for row, y in enumerate(range(y0 + 80, y1, 90)):
        for x, text in (
            (230, "Vessel" if row == 0 else "Gannet"),
            (850, "Tons" if row == 0 else "345"),
        ):
            cv2.putText(grey, text, (x, y), cv2.FONT_HERSHEY_SIMPLEX, 1.2, INK, 3)
    return grey


def across(rules: list[Rule]) -> list[Rule]:
    return sorted((r for r in rules if r.direction == "across"), key=lambda r: r.position)


@pytest.mark.parametrize("manner", MANNERS)
def test_rules_of_marks_are_found_whole(manner: tuple[int, int, int]) -> None:
    rules = find_rules(make_rule_field(draw_table(manner), DPI))
    x0, y0, x1, y1 = FRAME
    found = across(rules)
    middle = manner[2] / 2
    assert [r.position - middle for r in found] == pytest.approx([y0, y0 + 120, y1], abs=3)
    down = sorted(r.position - middle for r in rules if r.direction == "down")
    assert down == pytest.approx([x0, 800, x1], abs=3)
    for rule in found:
        assert rule.start < x0 + 40
        assert rule.end > x1 - 40


def test_the_cells_of_a_dotted_frame() -> None:
    (grid,) = find_grids(draw_table((4, 12, 4)), DPI)
    assert grid.cols == 2
    assert grid.rows >= 2


def test_marks_that_letters_touch_do_not_end_a_rule() -> None:
    grey = sheet()
    draw_marks(grey, 1, 500, (200, 1400), (4, 12, 4))
    cv2.putText(grey, "gypsy moorings", (500, 496), cv2.FONT_HERSHEY_SIMPLEX, 1.2, INK, 3)
    (rule,) = across(find_rules(make_rule_field(grey, DPI)))
    assert (rule.start, rule.end) == pytest.approx((200, 1400), abs=15)


def test_dots_that_lead_to_a_figure_are_no_rule() -> None:
    grey = sheet()
    for y in range(200, 800, 60):
        cv2.putText(grey, "Coal", (200, y), cv2.FONT_HERSHEY_SIMPLEX, 1.2, INK, 3)
        draw_marks(grey, 1, y - 3, (310, 1250), (4, 12, 4))
        cv2.putText(grey, "345", (1260, y), cv2.FONT_HERSHEY_SIMPLEX, 1.2, INK, 3)
    assert not across(find_rules(make_rule_field(grey, DPI)))


def test_small_letters_of_one_width_are_no_rule() -> None:
    grey = sheet()
    for y in range(100, 900, 30):
        for k, x in enumerate(range(100, 1500, 16)):
            grey[y : y + 13, x : x + (9, 11, 10)[k % 3]] = INK
    ink = measure_darkness(grey)
    assert draw_dotted_whole(ink, DPI) is ink


@pytest.mark.parametrize(
    ("lines", "row", "found"),
    [
        ((200, 240, 320, 360), 291, False),  # a line of hyphens, where a line of text would stand
        ((200, 240, 280, 320), 310, True),  # close under letters that stand as far apart
    ],
)
def test_typed_hyphens_stay_with_the_text(lines: tuple[int, ...], row: int, *, found: bool) -> None:
    grey = sheet()
    for y in lines:
        for k, x in enumerate(range(200, 1400, 18)):
            cv2.rectangle(grey, (x - 4 - k % 3, y), (x + 4 + k % 3, y + 21), INK, 2)
    draw_marks(grey, 1, row, (194, 1400), (11, 18, 3))
    ink = measure_darkness(grey)
    assert bool((draw_dotted_whole(ink, DPI)[row + 1, 194:1390] > 150).all()) is found


def test_a_column_of_ones_is_no_rule() -> None:
    grey = sheet()
    for y in range(100, 900, 36):
        grey[y : y + 20, 300:304] = INK
        for x in (250, 270, 340):
            cv2.rectangle(grey, (x, y), (x + 12, y + 19), INK, 2)
    ink = measure_darkness(grey)
    assert draw_dotted_whole(ink, DPI) is ink


def test_first_figures_beside_ones_that_rise_or_hang_are_no_rule() -> None:
    """Old figures have no common height: 1 and 2 are low, 6 and 8 rise, 3 and 4 hang."""
    grey = sheet()
    for k, y in enumerate(range(100, 900, 30)):
        grey[y : y + 16, 300:304] = INK
        top, foot = (y - 8, y + 15) if k % 2 else (y, y + 23)
        cv2.rectangle(grey, (309, top), (318, foot), INK, 2)
    ink = measure_darkness(grey)
    assert draw_dotted_whole(ink, DPI) is ink


def test_dirt_is_no_rule() -> None:
    rng = np.random.default_rng(5)
    grey = sheet()
    for y, x in zip(rng.integers(0, 996, 6000), rng.integers(0, 1596, 6000), strict=True):
        grey[y : y + 3, x : x + 3] = INK
    ink = measure_darkness(grey)
    assert draw_dotted_whole(ink, DPI) is ink


def test_a_printers_screen_has_no_rules() -> None:
    grey = np.full((2400, 2400), PAPER_LEVEL, np.uint8)
    for y in (0, 1, 2):
        for x in (0, 1, 2):
            grey[y::12, x::12] = INK
    ink = measure_darkness(grey)
    assert draw_dotted_whole(ink, DPI) is ink


def test_columns_of_decimal_points_are_no_rule() -> None:
    grey = sheet()
    for y in range(100, 900, 40):
        cv2.putText(grey, "12.50", (300, y), cv2.FONT_HERSHEY_SIMPLEX, 0.9, INK, 2)
        draw_marks(grey, 1, y + 12, (200, 1400), (8, 16, 3))
    rules = find_rules(make_rule_field(grey, DPI))
    assert len(across(rules)) == 20
    assert all(r.direction == "across" for r in rules)
