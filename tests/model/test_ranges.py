from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line._shared.ranges import parse_ranges, say_ranges


@given(st.sets(st.integers(1, 60), min_size=1))
def test_ranges_are_parsed_in_order(numbers: set[int]) -> None:
    assert parse_ranges(say_ranges(numbers), 60) == sorted(numbers)


@pytest.mark.parametrize("text", ["", "0", "3-2", "1-61", "two", "1,,x", "-", "4-"])
def test_invalid_ranges_are_refused(text: str) -> None:
    assert parse_ranges(text, 60) is None


def test_neighbours_are_shown_as_one_range() -> None:
    assert say_ranges([5, 2, 3, 4, 9]) == "2-5, 9"
    assert parse_ranges(" 2 - 5 ; 9 9", 9) == [2, 3, 4, 5, 9]
