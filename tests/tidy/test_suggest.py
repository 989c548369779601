"""Suggestions: what a table plainly needs is offered, and nothing that it does not."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from keel_line.model.tidy import TidyTable
from keel_line.tidy.look import (
    count_values,
    find_outliers,
    find_pair_outliers,
    spread_values,
)
from keel_line.tidy.step import take_steps
from keel_line.tidy.suggest import suggest, take_all
from tests.tidy.tables import make, names, texts

LOG = make(
    ("Date", "Item", "", "Drawn", "£", "Cost"),
    ("", "", "", "gal", "", ""),
    ("3 Mar", "Lamp oil . . . . .", "", "12 gal", "£", "1.20"),
    ("do.", "Wick . . . . . .", "", "3 gal", "£", "0.45"),
    ("9 Mar", "Soap . . . . .", "", "4 gal", "", "2.10*"),
    ("”", "Lamp oil . . . .", "", "12 gal", "£", "1.20"),
    ("", "", "", "", "", ""),
    ("", "Carried forward", "", "", "£", "4.95"),
    heading_rows=2,
    year=1974,
)


def words(table: TidyTable) -> list[str]:
    return [s.words for s in suggest(table)]


def test_a_log_needs_what_a_clerk_would_do() -> None:
    assert words(LOG) == [
        "2 heading rows: make names",
        "1 empty column: leave out",
        "1 empty row: leave out",
        "“Carried forward” is no entry: leave out",
        "2 cells of Date say the same: fill",
        "Drawn gal has “gal” after its numbers: put apart",
        "1 footnote mark at Cost: put apart",
        "Dots after 4 cells of Item: trim",
    ]


def test_all_taken_together_leave_a_typed_table() -> None:
    made = take_steps(LOG, take_all(LOG))[-1].table
    assert suggest(made) == []
    assert names(made) == ["Date", "Item", "Drawn gal", "Drawn gal unit", "£ Cost", "Cost mark"]
    assert texts(made)[1] == ("3 Mar", "Wick", "3", "gal", "£0.45", "")
    assert [None if c.type is None else c.type.say() for c in made.columns] == [
        "date of 1974",
        None,
        "whole number",
        None,
        "money £",
        None,
    ]


def test_what_was_declined_stays_away() -> None:
    first = suggest(LOG)[0]
    assert first.key not in [s.key for s in suggest(LOG, (first.key,))]


@pytest.mark.parametrize(
    "rows",
    [
        [("Wren", "at sea"), ("Tern", "in port"), ("Gannet", "sold")],
        [("Wren", "1,250"), ("Tern", "2,300")],  # thousands or decimals: nothing is certain
        [("3/4/74", "x"), ("5/4/74", "y")],
        [("Total", "12"), ("Total", "3")],  # all rows are totals: then none is
    ],
)
def test_nothing_is_suggested_where_nothing_is_plain(rows: list[tuple[str, str]]) -> None:
    assert words(make(*rows, names=("Name", "Value"))) == []


def test_names_over_rows_are_filled_down_and_other_blanks_are_not() -> None:
    grouped = make(
        ("Yachts", "Wren", "1"),
        ("", "Tern", "2"),
        ("", "Gannet", "3"),
        ("Colliers", "Gull", "4"),
        ("", "Teal", "5"),
        names=("Kind", "Vessel", "Days"),
    )
    assert words(grouped)[0] == "3 blanks under a name in Kind: fill"
    single = make(("Wren", "1", "x"), ("", "2", "y"), ("Tern", "3", "z"), ("Gull", "4", "w"))
    assert not any("fill" in w for w in words(single))


def test_cells_over_several_rows_are_filled_down_for_certain() -> None:
    table = make(("a", "Wren"), ("b", "Tern"), ("c", ""), names=("No", "Vessel"))
    column = table.columns[1]
    column.sources[2] = column.sources[1]  # one cell over both rows
    assert "1 blank under a name in Vessel: fill" in words(table)


def test_sections_become_a_column_and_a_line_alone_does_not() -> None:
    rows = [("Yachts", ""), ("Wren", "1"), ("Tern", "2"), ("Colliers", ""), ("Gull", "3")]
    assert words(make(*rows))[0] == "“Yachts” and 1 other across the table: make a column"
    note = [("Wren", "1"), ("see below", ""), ("Tern", "2")]
    assert not any("across" in w for w in words(make(*note)))


def test_an_entry_without_a_second_part_is_no_section() -> None:
    rows = [("Wren", ""), ("Tern", "schooner"), ("Gull", ""), ("Skua", "ketch"), ("Auk", "yawl")]
    assert not any("across" in w for w in words(make(*rows)))
    parted = [(name, rig, "Torran" if rig else "") for name, rig in rows]
    assert any("across" in w for w in words(make(*parted)))


def test_a_full_stop_after_a_number_is_no_unit() -> None:
    assert not any("after its numbers" in w for w in words(make(("1.",), ("2.",), ("3.",))))
    assert any("“kg.”" in w for w in words(make(("1 kg.",), ("2 kg.",), ("3 kg.",))))


@given(
    st.lists(
        st.tuples(*[st.sampled_from(["", "a", "do.", "12", "Total", "£", "3.5*", "7 m"])] * 3),
        min_size=1,
        max_size=8,
    ),
    st.integers(0, 2),
)
@example([("do.", "", ""), ("", "a", "a"), ("", "a", "a"), ("a", "", "")], 0)
def test_each_suggestion_fits_and_taking_them_ends(
    rows: list[tuple[str, str, str]], heading_rows: int
) -> None:
    table = make(*rows, heading_rows=min(heading_rows, len(rows)))
    for suggestion in suggest(table):
        taken = take_steps(table, suggestion.steps)
        assert not any(t.misfit for t in taken)
        left = [s.key for s in suggest(taken[-1].table)]
        assert suggestion.key not in left
    steps = take_all(table)
    done = take_steps(table, steps)[-1].table if steps else table
    assert suggest(done) == []


# --- a look at a column ---


def test_values_that_stand_apart_are_found() -> None:
    dues = [68.75, 68.75, 136.5, 110.0, 220.8, 128.8, 206.1, 6875.0, 137.5, 182.4]
    assert np.flatnonzero(find_outliers(np.array(dues))).tolist() == [7]
    days = np.array([1.0, 2, 3, 4, 50, 6, 7, np.nan, 9, 10])
    assert np.flatnonzero(find_outliers(days)).tolist() == [4]


def test_columns_of_few_or_of_steady_values_have_none() -> None:
    assert not find_outliers(np.array([1.0, 900.0])).any()
    assert not find_outliers(np.arange(40.0)).any()
    assert not find_outliers(np.full(20, np.nan)).any()
    rng = np.random.default_rng(4)
    assert find_outliers(rng.normal(100, 10, 400)).sum() == 0


def test_values_are_counted_and_spread() -> None:
    counted = count_values(["Name", "Wren", "Tern", "Wren", ""], 1)
    assert [(s.words, s.count, s.row) for s in counted] == [
        ("Wren", 2, 1),
        ("Tern", 1, 2),
        ("blank", 1, 4),
    ]
    spans = spread_values(np.array([np.nan, 0.0, 1.0, 9.0, 10.0]), lambda v: f"{v:.1f}")
    assert [(s.words, s.count, s.row) for s in spans] == [
        ("0.0", 2, 1),
        ("2.5", 0, -1),
        ("5.0", 0, -1),
        ("7.5", 2, 3),
    ]
    assert spread_values(np.full(3, np.nan), str) == []


@given(
    st.lists(st.integers(1, 400), min_size=8, max_size=40, unique=True),
    st.floats(-5, 5).filter(lambda k: abs(k) > 0.1),
    st.data(),
)
def test_a_row_off_the_line_of_two_columns_stands_apart(
    days: list[int], rate: float, data: st.DataObject
) -> None:
    x = np.array(days, float)
    y = rate * x + 12
    assert not find_pair_outliers(x, y).any()
    wrong = data.draw(st.integers(0, len(days) - 1))
    y[wrong] += 2 * np.ptp(y)
    y[(wrong + 1) % len(days)] = np.nan
    assert np.flatnonzero(find_pair_outliers(x, y)).tolist() == [wrong]


def test_columns_that_have_nothing_to_do_with_each_other_have_no_line() -> None:
    rng = np.random.default_rng(4)
    assert not find_pair_outliers(rng.random(50), rng.random(50)).any()
    assert not find_pair_outliers(np.ones(50), rng.random(50)).any()
    assert not find_pair_outliers(np.full(50, np.nan), rng.random(50)).any()
