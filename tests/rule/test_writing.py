"""Which ink is writing, and which of it belongs together."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line.rule.writing import find_writing

DPI, PAPER, INK = 150, 235, 30
LETTERS = range(60, 400, 20)  # left sides of letters 14 px wide
TOP, FOOT = 40, 62


def draw_letters(lefts: range) -> NDArray[np.uint8]:
    flat = np.full((120, 900), PAPER, np.uint8)
    for x in lefts:
        cv2.rectangle(flat, (x, TOP), (x + 13, FOOT - 1), INK, 3)
    return flat


def ends(flat: NDArray[np.uint8]) -> list[float]:
    """Return where each piece begins and ends."""
    return [x for box in find_writing(flat, DPI, []).boxes.tolist() for x in (box[0], box[2])]


def test_a_long_word_whose_letters_touch_is_writing() -> None:
    flat = draw_letters(LETTERS)
    apart = ends(flat)
    flat[FOOT - 3 : FOOT, LETTERS[0] : LETTERS[-1]] = INK
    assert ends(flat) == pytest.approx(apart, abs=3)


def test_an_empty_box_as_high_as_a_line_is_no_writing() -> None:
    flat = draw_letters(LETTERS)
    cv2.rectangle(flat, (440, TOP - 8), (860, FOOT + 8), INK, 2)
    assert ends(flat) == pytest.approx(ends(draw_letters(LETTERS)), abs=3)


@pytest.mark.parametrize("mark", [(6, 6), (12, 3)], ids=["full stop", "underscore"])
def test_a_low_mark_after_a_letter_without_ink_so_low_belongs_to_it(mark: tuple[int, int]) -> None:
    flat = draw_letters(LETTERS)
    last = LETTERS[-1]
    flat[TOP + 6 : FOOT + 4, last : last + 30] = PAPER  # its upper bar is left, as of a 7
    wide, high = mark
    flat[FOOT - 2 : FOOT - 2 + high, last + 20 : last + 20 + wide] = INK
    _, end = ends(flat)
    assert end == pytest.approx(last + 20 + wide, abs=2)


def test_an_underscore_between_two_words_makes_them_one() -> None:
    flat = draw_letters(range(60, 200, 20))
    for x in range(220, 400, 20):
        cv2.rectangle(flat, (x, TOP), (x + 13, FOOT - 1), INK, 3)
    assert len(ends(flat)) == 4
    flat[FOOT + 1 : FOOT + 4, 197:217] = INK
    assert len(ends(flat)) == 2
