from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.desk.typing import complete, say_unlike
from keel_line.model.table import Settled
from tests.desk.test_kinds import cell, table

VESSELS = table(
    cell(0, "Marigold"),
    cell(1, "Marigold"),
    cell(2, "Margaret Ann"),
    cell(3, "Gull", "Marguerite"),
)


@pytest.mark.parametrize(
    ("typed", "rest"),
    [
        ("Mari", "gold"),
        ("ma", "rigold"),
        ("Marga", "ret Ann"),
        ("Margu", "erite"),
        ("Marigold", ""),
        ("X", ""),
        ("", ""),
        (" ", ""),
    ],
)
def test_a_value_of_the_column_is_expected(typed: str, rest: str) -> None:
    assert complete(VESSELS, VESSELS.cells[3], typed) == rest


def test_what_was_settled_counts_for_more() -> None:
    settled = replace(VESSELS.cells[2], settled=Settled("Margaret Ann", by_hand=False))
    state = replace(VESSELS, cells=(*VESSELS.cells[:2], settled, VESSELS.cells[3]))
    assert complete(state, state.cells[3], "Mar") == "garet Ann"


def test_months_are_expected_where_there_are_months() -> None:
    months = table(cell(0, "January"), cell(1, "March"), cell(2, "Apri1"))
    assert complete(months, months.cells[2], "Sep") == "tember"
    assert complete(VESSELS, VESSELS.cells[0], "Sep") == ""


def test_a_cell_does_not_complete_itself() -> None:
    state = table(cell(0, "Only here"), cell(1, "Gull"))
    assert complete(state, state.cells[0], "Only") == ""


@given(st.text(max_size=4))
def test_a_completion_goes_on_from_what_was_typed(typed: str) -> None:
    rest = complete(VESSELS, VESSELS.cells[3], typed)
    assert not rest or (typed + rest).casefold() in {
        "marigold",
        "margaret ann",
        "gull",
        "marguerite",
    }


AMOUNTS = table(*(cell(i, f"{i}4.50") for i in range(1, 7)), cell(7, "6,8"))


def test_another_form_than_the_columns_is_told() -> None:
    assert "“14.50”" in say_unlike(AMOUNTS, AMOUNTS.cells[6], "68-50")
    assert say_unlike(AMOUNTS, AMOUNTS.cells[6], "168.50") == ""
    assert say_unlike(AMOUNTS, AMOUNTS.cells[6], "") == ""


def test_columns_of_words_and_headings_are_not_held_to_a_form() -> None:
    words = table(*(cell(i, "Gull") for i in range(6)))
    assert say_unlike(words, words.cells[0], "2 gulls") == ""
    headed = replace(AMOUNTS, header_rows=2)
    assert say_unlike(headed, headed.cells[0], "Dues £") == ""
