"""Typed rules on paper: bars above each other, and rows of flat letters."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from keel_line.rule.typed import take_typed_rules
from keel_line.rule.writing import Writing, find_writing

CAP = 20.0


def writing_of(
    *pieces: tuple[float, float, float, float], letters: Sequence[tuple[float, ...]] | None = None
) -> Writing:
    """Pieces of writing (x, y, width, height), each on a line of its own."""
    boxes = np.array([(x, y, x + w, y + h) for x, y, w, h in pieces], float)
    own = boxes if letters is None else np.array(letters, float)
    return Writing(boxes, np.arange(len(boxes)), CAP, own)


def test_bars_above_each_other_are_a_rule_down() -> None:
    words = [(0.0, 40.0 * k, 90.0, 20.0) for k in range(6)]
    bars = [(120.0 + k % 2, 40.0 * k - 4, 4.0, 28.0) for k in range(6)]
    writing, rules = take_typed_rules(writing_of(*words, *bars))
    assert len(writing.boxes) == 6
    (rule,) = rules
    assert rule.direction == "down"
    assert abs(rule.position - 122) < 2
    assert rule.end - rule.start > 220


def test_a_column_of_ones_is_no_rule() -> None:
    ones = [(120.0, 40.0 * k, 6.0, 20.0) for k in range(8)]
    writing, rules = take_typed_rules(writing_of(*ones))
    assert rules == []
    assert len(writing.boxes) == 8


def test_colons_above_each_other_are_a_rule_and_single_dots_are_none() -> None:
    colons = [(120.0, 40.0 * k + 2, 4.0, 18.0) for k in range(6)]
    dots = [(120.0, 40.0 * k + y, 124.0, 40.0 * k + y + 4) for k in range(6) for y in (2, 16)]
    assert len(take_typed_rules(writing_of(*colons, letters=dots))[1]) == 1
    assert take_typed_rules(writing_of(*colons, letters=dots[::2]))[1] == []


def test_a_row_of_flat_letters_is_a_rule_across() -> None:
    dashes = [(12.0 * k, 100.0, 12.0 * k + 9, 104.0) for k in range(20)]
    writing, rules = take_typed_rules(
        writing_of((0.0, 99.0, 240.0, 6.0), (0.0, 40.0, 90.0, 20.0), letters=dashes)
    )
    assert [r.direction for r in rules] == ["across"]
    assert len(writing.boxes) == 1


def test_nothing_written_has_no_rules() -> None:
    empty = Writing(np.zeros((0, 4)), np.zeros(0, np.int64), CAP)
    assert take_typed_rules(empty) == (empty, [])


def typed_page(*lines: str) -> np.ndarray:
    """A page at 150 dpi of letters of one width: blocks for letters, and bars."""
    page = np.full((40 * len(lines) + 80, 700), 235, np.uint8)
    for row, line in enumerate(lines):
        foot = 60 + 40 * row
        for k, char in enumerate(line):
            left = 40 + 14 * k
            if char == "|":
                page[foot - 20 : foot + 4, left + 4 : left + 7] = 20
            elif char != " ":
                page[foot - 18 : foot, left : left + 11] = 20
    return page


def test_bars_one_space_from_words_are_rules_and_words_one_space_apart_are_one_piece() -> None:
    lines = ["aaaa aaa | aaaaaa | aa", "aaaa aa  | aaa    | aaaa"] * 4
    found = find_writing(typed_page(*lines), 150, [])
    writing, rules = take_typed_rules(found)
    assert [r.direction for r in rules] == ["down", "down"]
    assert sorted(round((r.position - 45) / 14) for r in rules) == [9, 18]
    assert np.bincount(writing.lines).tolist() == [3] * 8
