"""Pages that are hard on finding grids: nothing breaks, and nobody's drawing becomes a table."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line.rule.survey import survey_page

DPI = 150.0
SIZE = (1754, 1240)
WORDS = ("quay", "tide", "berth", "dues", "tons", "crew", "wren", "ice")
Grey = NDArray[np.uint8]


def paper() -> Grey:
    return np.full(SIZE, 235, np.uint8)


def write(grey: Grey, text: str, x: float, y: float, scale: float = 0.4) -> None:
    cv2.putText(
        grey, text, (round(x), round(y)), cv2.FONT_HERSHEY_SIMPLEX, scale, 30, 1, cv2.LINE_AA
    )


def many_words() -> Grey:
    grey = paper()
    rng = np.random.default_rng(1)
    for row in range(100):
        x = 60.0
        while x < 1140:
            word = WORDS[int(rng.integers(8))]
            write(grey, word, x, 60 + 16.5 * row, 0.35)
            x += 9 * len(word) + float(rng.uniform(4, 6))
    return grey


def only_rules() -> Grey:
    grey = paper()
    for y in range(80, 1700, 24):
        grey[y : y + 2, 60:1180] = 40
    return grey


def squared() -> Grey:
    grey = only_rules()
    for x in range(60, 1181, 24):
        grey[80:1690, x : x + 2] = 40
    return grey


def crossword() -> Grey:
    grey = paper()
    rng = np.random.default_rng(2)
    number = 0
    for row in range(15):
        for col in range(15):
            x, y = 200 + 56 * col, 300 + 56 * row
            cv2.rectangle(grey, (x, y), (x + 56, y + 56), 30, 2)
            if rng.random() < 0.25:
                grey[y : y + 56, x : x + 56] = 25
            elif rng.random() < 0.25:
                number += 1
                write(grey, str(number), x + 4, y + 15, 0.35)
    return grey


def boxes() -> Grey:
    grey = paper()
    for row in range(20):
        for col in range(10):
            x, y = 60 + 113 * col, 80 + 80 * row
            cv2.rectangle(grey, (x, y), (x + 95, y + 50), 40, 2)
            write(grey, WORDS[(row + col) % 8], x + 4, y + 14, 0.35)
    return grey


def staves() -> Grey:
    grey = paper()
    rng = np.random.default_rng(3)
    for top in range(120, 1600, 130):
        for k in range(5):
            grey[top + 12 * k : top + 12 * k + 2, 80:1160] = 40
        for x in range(120, 1150, 45):
            y = top + int(rng.integers(-1, 9)) * 6
            cv2.ellipse(grey, (x, y), (8, 6), -20, 0, 360, 25, -1)
            grey[max(0, y - 40) : y, x + 7 : x + 9] = 30
    return grey


def chart() -> Grey:
    grey = paper()
    rng = np.random.default_rng(4)
    for k in range(6):
        grey[200 + 250 * k : 202 + 250 * k, 100:1140] = 90
        grey[200:1452, 100 + 208 * k : 102 + 208 * k] = 90
    points = np.array([600, 800]) + np.cumsum(rng.normal(0, 25, (60, 2)), axis=0)
    cv2.polylines(grey, [points.astype(np.int32)], isClosed=False, color=40, thickness=2)
    for _ in range(25):
        x, y = rng.uniform(120, 1080), rng.uniform(230, 1430)
        write(grey, WORDS[int(rng.integers(8))].capitalize(), x, y, 0.5)
    return grey


PAGES = (many_words, only_rules, squared, crossword, boxes, staves, chart)


@pytest.mark.parametrize("draw", PAGES, ids=lambda draw: draw.__name__)
def test_no_page_is_too_much(draw: Callable[[], Grey]) -> None:
    survey = survey_page(draw(), DPI)
    for grid in survey.grids:
        assert 1 <= grid.rows <= 200
        assert 1 <= grid.cols <= 60


@pytest.mark.parametrize("draw", [many_words, only_rules, squared], ids=lambda draw: draw.__name__)
def test_what_nobody_would_call_a_table_is_none(draw: Callable[[], Grey]) -> None:
    assert survey_page(draw(), DPI).grids == ()
