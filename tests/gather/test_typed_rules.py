"""Typed rules of a PDF's own characters: they are lines, and no writing."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.gather.typed_rules import take_typed_rules
from keel_line.model.page import PageText

WIDE, PITCH, CAP = 12.0, 40.0, 20.0


def typed(*lines: str) -> PageText:
    """A page typed with letters of one width, 40 px from line to line."""
    chars, boxes, spaced = "", [], []
    for number, line in enumerate(lines):
        low = 100.0 + PITCH * number
        for k, char in enumerate(line):
            if char != " ":
                chars += char
                boxes.append((WIDE * k + 1, low - CAP, WIDE * k + 11, low))
                spaced.append(k == 0 or line[k - 1] == " ")
    return PageText(chars, np.array(boxes).reshape(-1, 4), np.array(spaced, bool), ())


@pytest.mark.parametrize("sign", ["-", "\u2212"])  # typesetters print a minus for a hyphen
def test_a_row_of_hyphens_is_a_rule(sign: str) -> None:
    text = take_typed_rules(typed("Vessel  Tons", 12 * sign, "Wren      12"))
    assert text.chars == "VesselTonsWren12"
    (rule,) = text.rules
    assert rule.direction == "across"
    assert (rule.start, rule.end) == (1.0, 12 * WIDE - 1)
    assert 140 - CAP < rule.position < 140


def test_each_columns_row_of_signs_is_a_rule_of_its_own() -> None:
    text = take_typed_rules(typed("Vessel  Tons  d", "======  ====  =", "Wren      12  4"))
    assert [round(r.length / WIDE) for r in text.rules] == [6, 4, 1]


@pytest.mark.parametrize("line", ["Wren   ---   12", "Wren  --  -", "-", "--", "a-b-c---d"])
def test_signs_among_values_are_values(line: str) -> None:
    text = typed("Vessel  Tons  Dues", line)
    assert take_typed_rules(text) is text


def test_a_long_line_to_write_on_is_a_rule() -> None:
    text = take_typed_rules(typed("Name: ______________  Date: 4 May"))
    assert "_" not in text.chars
    assert text.rules[0].position > 100  # below the letters


def test_bars_above_each_other_are_a_rule_down() -> None:
    text = take_typed_rules(typed("a | bc", "------", "d | ef", "g | hi", "k | lm"))
    assert text.chars == "abcdefghiklm"
    (down,) = (r for r in text.rules if r.direction == "down")
    assert down.start < 100 - CAP
    assert down.end > 100 + 4 * PITCH
    assert text.spaced[1]  # what stands on its two sides is not one word


def test_bars_within_words_are_no_rule() -> None:
    text = typed("A1|Ailsay   12", "B1|Skerry    4", "C2|Tarn     11")
    assert take_typed_rules(text) is text


def test_bars_without_white_part_cells_beside_bars_with_some() -> None:
    text = take_typed_rules(typed("|A1|Ailsay|", "|B1|Skerry|", "|C2|Tarn  |"))
    assert text.chars == "A1AilsayB1SkerryC2Tarn"
    assert len(text.rules) == 3


@pytest.mark.parametrize("lines", [["Port: Ailsay", "Tons: 12"], ["a  :port", "b  :tons"]])
def test_colons_at_words_are_no_rule(lines: list[str]) -> None:
    text = typed(*lines, *lines)
    assert take_typed_rules(text) is text


def test_colons_after_words_between_bars_are_no_rule() -> None:
    text = take_typed_rules(typed("| Port: Ailsay |", "| Date: 4 May  |", "| Tons: 12     |"))
    assert text.chars == "Port:AilsayDate:4MayTons:12"


def test_colons_between_columns_are_a_rule() -> None:
    text = take_typed_rules(typed("Wren : 12", "Tarn :  4", "Skua :123"))
    assert text.chars == "Wren12Tarn4Skua123"


@given(st.lists(st.text("abcxyz0189 ,.£()", min_size=1, max_size=20), min_size=1, max_size=8))
def test_other_pages_stay_as_they_are(lines: list[str]) -> None:
    text = typed(*lines)
    assert take_typed_rules(text) is text
