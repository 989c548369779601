"""Which ink is writing, and which of it belongs together."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line.model.grid import Rule
from keel_line.rule.writing import Writing, drop_flat_lines, find_writing

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


def ends_with(*marks: tuple[int, int, int, int]) -> list[float]:
    """Return where four letters with some small marks (x, y, width, height in px) begin and end."""
    flat = draw_letters(range(60, 140, 20))
    for x, y, wide, high in marks:
        flat[y : y + high, x : x + wide] = INK
    return ends(flat)


def test_a_speck_that_stands_off_makes_no_piece_longer() -> None:
    assert ends_with((146, 44, 5, 5)) == ends_with()
    assert ends_with((44, 50, 5, 5)) == ends_with()


@pytest.mark.parametrize(
    "marks",
    [
        ((138, 57, 5, 5),),  # a full stop
        ((144, 57, 5, 5),),  # where letters are of one width
        ((144, 46, 6, 6), (144, 56, 6, 6)),  # a colon
        ((138, 40, 4, 8),),  # an apostrophe
        ((142, 50, 12, 4),),  # a dash
    ],
)
def test_marks_that_are_written_stay(marks: tuple[tuple[int, int, int, int], ...]) -> None:
    assert ends_with(*marks)[1] >= 140


def test_what_is_left_of_a_broken_rule_is_no_writing() -> None:
    flat = np.full((200, 600), 235, np.uint8)
    cv2.putText(flat, "Dues Tons", (60, 80), cv2.FONT_HERSHEY_SIMPLEX, 1.0, 30, 2)
    flat[120:123, 20:300] = 60
    flat[120:123, 310:360] = 60
    rule = Rule("across", 20, 300, 121.0, 0.0, 3.0, 1.0)
    assert (find_writing(flat, 150, [rule]).boxes[:, 1] < 100).all()
    elsewhere = replace(rule, position=160.0)
    assert (find_writing(flat, 150, [elsewhere]).boxes[:, 3] > 110).any()


def write_words(*words: tuple[int, int, str]) -> NDArray[np.uint8]:
    """Write words at (x, baseline) in capitals of 20 px."""
    grey = np.full((420, 900), 235, np.uint8)
    for x, y, text in words:
        cv2.putText(grey, text, (x, y), cv2.FONT_HERSHEY_SIMPLEX, 0.95, 20, 2, cv2.LINE_AA)
    return grey


@pytest.mark.parametrize("below", [324, 316])
def test_a_descender_that_touches_the_next_line_does_not_make_them_one(below: int) -> None:
    lines = [(40, 60 + 60 * i, f"QUAY {i} BERTHS") for i in range(4)]
    grey = write_words(*lines, (500, 290, "gypsy"), (500, below, "hulks"))
    cv2.line(grey, (520, 290), (520, 310), 20, 2)
    writing = find_writing(grey, DPI, [])
    beside = writing.boxes[writing.boxes[:, 0] > 450]
    assert len(beside) == 2
    assert beside[0, 3] <= beside[1, 1] + 1


def test_a_speck_by_itself_is_no_line() -> None:
    lines = [(40, 60 + 60 * i, f"QUAY {i} BERTHS") for i in range(4)]
    grey = write_words(*lines)
    cv2.circle(grey, (600, 150), 6, 20, -1)
    writing = find_writing(grey, DPI, [])
    assert len(np.unique(writing.lines)) == 4
    cv2.circle(grey, (600, 170), 6, 20, -1)  # beside a word of the line it may be a mark
    assert (find_writing(grey, DPI, []).boxes[:, 0] > 550).any()


def test_a_dash_in_a_row_is_kept_where_scraps_of_rules_are_dropped() -> None:
    boxes = [
        (100.0, 100.0, 180.0, 120.0),
        (300.0, 109.0, 320.0, 112.0),  # a dash
        (90.0, 140.0, 130.0, 143.0),  # what is left of a rule
        (100.0, 160.0, 180.0, 180.0),
    ]
    left = drop_flat_lines(Writing(np.array(boxes), np.array([0, 0, 1, 2]), 20.0))
    assert left.boxes[:, 1].tolist() == [100.0, 109.0, 160.0]
    assert left.lines.tolist() == [0, 0, 2]
