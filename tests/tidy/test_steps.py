"""Steps: each does what it says, every text leads to its cells, and what does not fit is told."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line._shared.column_types import ColumnType
from keel_line.model.tidy import TidyTable, merge_sources
from keel_line.tidy.columns import (
    DropColumns,
    DropEmptyColumns,
    JoinColumns,
    MoveColumn,
    NamesFromHeadings,
    PartSigns,
    Rename,
    SetType,
    SplitColumn,
)
from keel_line.tidy.contents import ChangeCase, FillDown, MoveBlock, Replace, Trim, is_ditto
from keel_line.tidy.derive import Derive
from keel_line.tidy.rows import (
    BarsToColumn,
    DropEmptyRows,
    DropRows,
    DropTotals,
    FilterRows,
    NumberRows,
    SortRows,
)
from keel_line.tidy.shape import ColumnsToRows, RowsToColumns, Transpose
from keel_line.tidy.step import ColumnRef, MisfitError, Step, take_steps
from keel_line.tidy.trail import MOST_STEPS, Trail, decode_trail, encode_trail
from tests.tidy.tables import make, names, texts

A, B, C = ColumnRef("c1"), ColumnRef("c2"), ColumnRef("c3")


def test_headings_of_several_levels_become_names() -> None:
    table = make(("Vessel", "Dues", ""), ("", "In", "Out"), ("Wren", "1", "2"), heading_rows=2)
    sources = [c.sources.copy() for c in table.columns]
    sources[2][0] = sources[1][0]  # "Dues" stands over both
    table = table.put_columns(
        type(c)(c.id, c.name, c.texts, s) for c, s in zip(table.columns, sources, strict=True)
    )
    made = NamesFromHeadings().apply(table)
    assert names(made) == ["Vessel", "Dues In", "Dues Out"]
    assert (texts(made), made.heading_rows) == ([("Wren", "1", "2")], 0)
    with pytest.raises(MisfitError, match="no heading"):
        NamesFromHeadings().apply(made)


def test_what_is_empty_goes() -> None:
    table = make(("Head", "", ""), ("a", "", "1"), ("", "", ""), ("b", "", "2"), heading_rows=1)
    assert texts(DropEmptyRows().apply(table)) == [("Head", "", ""), ("a", "", "1"), ("b", "", "2")]
    assert [c.id for c in DropEmptyColumns().apply(table).columns] == ["c1", "c3"]


def test_rows_go_by_number_and_by_what_stands_in_them() -> None:
    table = make(("Head",), ("Wren",), ("Gannet",), ("Wren II",), ("BS 9",), heading_rows=1)
    assert texts(DropRows((2, 4, 9)).apply(table)) == [("Head",), ("Wren",), ("Wren II",)]
    assert DropRows((1, 2, 3, 7)).say() == "rows 1–3, 7 out"
    with pytest.raises(MisfitError, match="4 rows only"):
        DropRows((7,)).apply(table)
    kept = FilterRows(A, "begins with", "wren").apply(table)
    assert texts(kept) == [("Head",), ("Wren",), ("Wren II",)]
    assert texts(FilterRows(A, "is", "WREN", keep=False).apply(table))[1] == ("Gannet",)
    assert texts(FilterRows(A, "is like", "KQ 20").apply(table)) == [("Head",), ("BS 9",)]
    assert len(texts(FilterRows(A, "is empty").apply(table))) == 1


def test_totals_and_lines_carried_forward_go() -> None:
    table = make(
        ("Oil", "3"),
        ("Carried forward", "3"),
        ("b/f", "3"),
        ("Totally Tern", "1"),
        ("Total", "7"),
        ("Grand total", "7"),
    )
    assert texts(DropTotals().apply(table)) == [("Oil", "3"), ("Totally Tern", "1")]


def test_titles_across_become_a_column() -> None:
    table = make(("Yachts", ""), ("Wren", "1"), ("Tern", "2"), ("Colliers", ""), ("Gannet", "3"))
    made = BarsToColumn("Kind").apply(table)
    assert names(made)[0] == "Kind"
    assert texts(made) == [
        ("Yachts", "Wren", "1"),
        ("Yachts", "Tern", "2"),
        ("Colliers", "Gannet", "3"),
    ]
    assert made.columns[0].sources[:, 0].tolist() == [1, 1, 301]
    with pytest.raises(MisfitError):
        BarsToColumn().apply(made)


def test_rows_are_sorted_by_values_and_what_has_none_comes_last() -> None:
    table = make(("10", "a"), ("9", "b"), ("–", "c"), ("1,000", "d"))
    assert [r[1] for r in texts(SortRows(A).apply(table))] == ["b", "a", "d", "c"]
    assert [r[1] for r in texts(SortRows(A, falling=True).apply(table))] == ["d", "a", "b", "c"]
    assert texts(NumberRows().apply(table))[3] == ("4", "1,000", "d")


def test_columns_are_named_moved_and_left_out() -> None:
    table = make(("1", "2", "3"), names=("x", "y", "z"))
    assert names(Rename(B, "Dues").apply(table)) == ["x", "Dues", "z"]
    assert names(MoveColumn(C, A).apply(table)) == ["z", "x", "y"]
    assert names(MoveColumn(A).apply(table)) == ["y", "z", "x"]
    assert names(DropColumns((A, C)).apply(table)) == ["y"]
    by_name = ColumnRef("of another form", "Z")
    assert names(DropColumns((by_name,)).apply(table)) == ["x", "y"]
    with pytest.raises(MisfitError, match="“Tons” any more"):
        Rename(ColumnRef("c9", "Tons"), "t").apply(table)


def test_columns_are_joined_and_split() -> None:
    table = make(("£", "12", "Head, oil"), ("", "9", "lamp"), names=("", "Dues", "Item"))
    joined = JoinColumns((A, B), "").apply(table)
    assert (names(joined), texts(joined)[0][0]) == (["Dues", "Item"], "£12")
    assert sorted(joined.columns[0].sources[0].tolist()) == [1, 2]
    parted = SplitColumn(C, ",").apply(table)
    assert names(parted) == ["", "Dues", "Item", "Item 2"]
    assert [r[2:] for r in texts(parted)] == [("Head", "oil"), ("lamp", "")]
    assert parted.columns[3].sources[:, 0].tolist() == [3, -1]
    assert [r[2:] for r in texts(SplitColumn(C, width=2).apply(table))] == [
        ("He", "ad, oil"),
        ("la", "mp"),
    ]
    with pytest.raises(MisfitError, match="can be split"):
        SplitColumn(C, "/").apply(table)
    with pytest.raises(MisfitError, match="Two columns"):
        JoinColumns((A, A)).apply(table)


def test_signs_about_numbers_are_put_apart() -> None:
    table = make(("£12.50*", "3 cwt"), ("£3", "4 cwt"), names=("Dues", "Weight"))
    unit = PartSigns(B, "unit").apply(table)
    assert (names(unit), texts(unit)[0]) == (
        ["Dues", "Weight", "Weight unit"],
        ("£12.50*", "3", "cwt"),
    )
    mark = PartSigns(A, "mark").apply(table)
    assert texts(mark)[0][:2] == ("£12.50", "*")
    money = PartSigns(A, "currency").apply(mark)
    assert texts(money)[0][:2] == ("12.50", "£")
    with pytest.raises(MisfitError, match="No unit"):
        PartSigns(A, "unit").apply(table)


@pytest.mark.parametrize(
    "text", ['"', "”", "''", "do.", "Do", "ditto", "- do -", "–do.–", "〃", ",,"]
)
def test_signs_that_say_the_same(text: str) -> None:
    assert is_ditto(text)


@pytest.mark.parametrize("text", ["", "-", "Dover", "do not", "12", "Ido"])
def test_signs_that_say_something_else(text: str) -> None:
    assert not is_ditto(text)


def test_dittos_are_filled_from_above() -> None:
    table = make(("Head",), ("Oil",), ("do.",), ("”",), ("",), ("Wick",), ("do.",), heading_rows=1)
    made = FillDown(A).apply(table)
    assert [t for (t,) in texts(made)] == ["Head", "Oil", "Oil", "Oil", "", "Wick", "Wick"]
    assert made.columns[0].sources[2:4, 0].tolist() == [101, 101]
    assert texts(FillDown(A, blanks=True).apply(table))[4] == ("Oil",)


def test_texts_are_changed() -> None:
    table = make(("lamp OIL . . .",), ("lamp",))
    assert texts(ChangeCase(A, "words").apply(table))[0] == ("Lamp Oil . . .",)
    assert texts(ChangeCase(A, "capital").apply(table))[1] == ("LAMP",)
    assert texts(Trim(A).apply(table))[0] == ("lamp OIL",)
    assert texts(Replace(A, "lamp", "Lamp").apply(table))[0] == ("Lamp OIL . . .",)
    assert texts(Replace(A, "lamp", "x", whole=True).apply(table)) == [("lamp OIL . . .",), ("x",)]
    with pytest.raises(MisfitError):
        Replace(A, "").apply(table)


def test_a_block_of_cells_moves_where_nothing_stands() -> None:
    table = make(("a", "1", ""), ("b", "", "2"), ("c", "", "3"))
    made = MoveBlock(C, C, (2, 3), (0, -1)).apply(table)
    assert texts(made) == [("a", "1", ""), ("b", "2", ""), ("c", "3", "")]
    assert made.columns[1].sources[:, 0].tolist() == [2, 103, 203]
    with pytest.raises(MisfitError, match="stands"):
        MoveBlock(C, C, (2, 3), (0, -2)).apply(table)
    with pytest.raises(MisfitError, match="leave"):
        MoveBlock(C, C, (2, 3), (1, 0)).apply(table)


def test_columns_become_rows_and_rows_columns_again() -> None:
    table = make(("Oil", "1", "2"), ("Wick", "", "4"), names=("Item", "Jan", "Feb"))
    long = ColumnsToRows((B, C), "Month", "Used").apply(table)
    assert texts(long) == [
        ("Oil", "Jan", "1"),
        ("Oil", "Feb", "2"),
        ("Wick", "Jan", ""),
        ("Wick", "Feb", "4"),
    ]
    assert long.columns[2].sources[:, 0].tolist() == [2, 3, 102, 103]
    month, used = (ColumnRef(c.id, c.name) for c in long.columns[1:])
    back = RowsToColumns(month, used).apply(long)
    assert (names(back), texts(back)) == (["Item", "Jan", "Feb"], texts(table))
    with pytest.raises(MisfitError, match="Two rows"):
        RowsToColumns(month, used).apply(long.take_rows(np.array([0, 0])))


def test_rows_and_columns_are_swapped() -> None:
    table = make(("a", "1"), ("b", "2"), names=("x", "y"))
    made = Transpose().apply(table)
    assert texts(made) == [("x", "a", "b"), ("y", "1", "2")]
    assert made.columns[2].sources[:, 0].tolist() == [101, 102]


# --- steps one after another ---


def test_a_step_that_is_off_or_does_not_fit_is_passed_over() -> None:
    table = make(("a", "1"), ("b", "2"), names=("x", "y"))
    steps: list[Step] = [
        DropColumns((A,), off=True),
        Rename(ColumnRef("c9", "z"), "w"),
        DropColumns((B,)),
    ]
    taken = take_steps(table, steps)
    assert [t.misfit for t in taken] == ["", "There is no column “z” any more.", ""]
    assert names(taken[-1].table) == ["x"]


STEPS: list[Step] = [
    DropEmptyRows(),
    DropEmptyColumns(),
    DropRows((1, 3)),
    DropTotals(),
    DropColumns((B,)),
    FilterRows(A, "contains", "a"),
    SortRows(B),
    NumberRows(),
    MoveColumn(C, A),
    JoinColumns((A, B)),
    SplitColumn(A, "a"),
    FillDown(A, blanks=True),
    Replace(B, "a", "b"),
    ChangeCase(A, "capital"),
    Trim(A),
    SetType((A, B), ColumnType("decimal")),
    Rename(A, "Item"),
    Derive("New", "{Item}, “!”"),
    ColumnsToRows((B, C)),
    Transpose(),
    BarsToColumn(),
]
TABLES = st.lists(
    st.tuples(*[st.sampled_from(["", "a", "do.", "12", "Total", "ba a", "3.5"])] * 3),
    min_size=1,
    max_size=8,
)


@given(TABLES, st.lists(st.sampled_from(STEPS), max_size=6))
def test_whatever_is_done_each_text_leads_to_cells_of_the_paper(
    rows: list[tuple[str, str, str]], steps: list[Step]
) -> None:
    table = make(*rows)
    read = {int(s): t for c in table.columns for s, t in zip(c.sources[:, 0], c.texts, strict=True)}
    named = {c.name for c in table.columns}
    for taken in take_steps(table, steps):
        assert_whole(taken.table)
        for column in taken.table.columns:
            for text, sources in zip(column.texts, column.sources, strict=True):
                assert {int(s) for s in sources if s >= 0} <= read.keys()
                # Names of columns become texts, and stand in no cell where they were made.
                made = column.id[0] in "nft" or column.name == "Name" or text in named
                assert not text or made or (sources >= 0).any()
        named |= {c.name for c in taken.table.columns}


@given(TABLES, st.lists(st.sampled_from(STEPS), max_size=6), st.data())
def test_a_step_taken_out_leaves_the_table_as_if_it_had_never_been(
    rows: list[tuple[str, str, str]], steps: list[Step], data: st.DataObject
) -> None:
    table, trail = make(*rows), Trail()
    for step in steps:
        trail = trail.add(step)
    again = decode_trail(encode_trail(trail))
    assert again == trail
    if not steps:
        return
    at = data.draw(st.integers(0, len(steps) - 1))
    out = take_steps(table, trail.drop(at).steps)
    off = [t for k, t in enumerate(take_steps(table, trail.switch(at).steps)) if k != at]
    assert [texts(t.table) for t in out] == [texts(t.table) for t in off]
    assert trail.switch(at).switch(at) == trail
    if at + 1 < len(steps):
        assert trail.move(at, 1).move(at + 1, -1) == trail


def test_a_trail_that_is_damaged_or_hostile_is_refused() -> None:
    assert decode_trail("") == Trail()
    for text in ("{", '{"steps": [{"step": "open file"}]}', "x" * 5_000_000):
        with pytest.raises(ValueError, match=r".+"):
            decode_trail(text)
    many = encode_trail(Trail(tuple([DropEmptyRows()] * (MOST_STEPS + 1))))
    with pytest.raises(ValueError, match="many"):
        decode_trail(many)


def test_sources_of_joined_texts_are_each_named_once() -> None:
    a, b = np.array([[1], [2], [-1]]), np.array([[1], [3], [4]])
    assert merge_sources([a, b]).tolist() == [[1, -1], [2, 3], [4, -1]]


def assert_whole(table: TidyTable) -> None:
    for column in table.columns:
        assert column.texts.shape == (table.rows,)
        assert column.sources.shape[0] == table.rows
        assert all(isinstance(t, str) for t in column.texts)
    assert len(table.indexes) == len(table.columns)
    assert 0 <= table.heading_rows <= table.rows
