"""Whether a cell in which nothing is read is blank."""

from __future__ import annotations

import pytest

from keel_line.read.blanks import (
    USUAL_MARKS,
    blank_confidence,
    is_lone_mark,
    nothing_confidence,
    share_marks,
)

CAP_PX = 30.0
STOP_PX = round((0.11 * CAP_PX) ** 2)


@pytest.mark.parametrize(
    ("text", "lone"),
    [("-", True), ("”", True), ("..", True), ("", False), ("nil", False)],
)
def test_a_lone_mark_has_neither_letter_nor_figure(text: str, *, lone: bool) -> None:
    assert is_lone_mark(text) is lone


def test_marks_are_expected_where_the_other_cells_have_them() -> None:
    dashed = share_marks(["-", "-", "-", "", "41", "-"])
    plain = share_marks(["12", "9", "", "30", "41", "7"])
    assert min(dashed) > 0.3
    assert max(plain) < 0.06
    assert dashed[3] > dashed[0], "a cell's own mark is no evidence for itself"


def test_few_cells_say_little() -> None:
    assert share_marks([""]) == [pytest.approx(USUAL_MARKS)]


def test_specks_are_doubted_in_a_column_of_dashes_and_hardly_in_one_of_amounts() -> None:
    large = 6 * STOP_PX
    assert blank_confidence(0, CAP_PX, 0.5) > 0.999
    assert blank_confidence(large, CAP_PX, 0.5) < 0.95
    assert blank_confidence(large, CAP_PX, 0.01) > 0.99
    assert blank_confidence(large, CAP_PX, 0.5) < blank_confidence(STOP_PX, CAP_PX, 0.5)


def test_ink_read_as_nothing_is_a_mark_where_marks_stand() -> None:
    assert nothing_confidence(20, CAP_PX, 0.01) > 0.95
    assert nothing_confidence(20, CAP_PX, 0.8) < 0.3


def test_as_much_ink_as_a_letter_has_is_never_taken_for_dirt() -> None:
    letter = round(0.5 * CAP_PX**2)
    assert nothing_confidence(letter, CAP_PX, 0.01) <= 0.3
