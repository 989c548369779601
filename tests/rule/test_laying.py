"""Columns and cells of tables whose rows, headings and spanning pieces are known."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.model.grid import Grid, Rule
from keel_line.rule.assembly import FoundTable
from keel_line.rule.laying import lay_table
from keel_line.rule.pieces import measure_pieces
from keel_line.rule.roles import Roles
from keel_line.rule.sayings import TEXTS
from keel_line.rule.writing import Writing

Line = Sequence[tuple[float, float]]
CAP = 20.0
FOUR = [(0.0, 120.0), (200.0, 320.0), (400.0, 520.0), (600.0, 720.0)]


def lay(
    lines: Sequence[Line],
    *,
    spans: Sequence[tuple[int, int]] = (),
    joined: Sequence[int] = (),
    same: Sequence[tuple[int, int]] = (),
    headings: int = 1,
    rules: Sequence[Rule] = (),
    known: bool = False,
) -> Grid:
    """Lay out lines 60 px apart, each with the ends of its pieces.

    ``spans`` are the (line, piece) that span columns, or stand in the ``same`` cell as the one
    before; ``joined`` lines go on with the row before. Where texts are ``known``, all are figures.
    """
    boxes = [(a, 60.0 * n, b, 60.0 * n + CAP) for n, line in enumerate(lines) for a, b in line]
    numbers = np.array([n for n, line in enumerate(lines) for _ in line], np.int64)
    writing = Writing(np.array(boxes, float), numbers, CAP)
    own = tuple(np.flatnonzero(numbers == n) for n in range(len(lines)))
    marks = tuple(
        np.array([(n, k) in spans for k in range(len(line))]) for n, line in enumerate(lines)
    )
    goes_on = tuple(
        np.array([0.98 * ((n, k) in same) for k in range(len(line))])
        for n, line in enumerate(lines)
    )
    joins = tuple(float(n in joined) for n in range(1, len(lines)))
    table = FoundTable(own, joins, headings, marks, goes_on)
    return lay_table(table, writing, rules, roles_of(writing, known=known))


def roles_of(writing: Writing, *, known: bool) -> Roles:
    """Roles that tell nothing but whether each text is ``known``: then it is figures."""
    said = np.zeros((len(writing.boxes), TEXTS))
    said[:, :2] = known
    none = np.zeros(len(writing.boxes))
    near = measure_pieces(writing, []).near
    return Roles(np.zeros((len(none), 5)), none, none, none, none, none, none, near, said)


def spans_of(grid: Grid, row: int) -> list[tuple[int, int]]:
    return [(c.col, c.col_span) for c in grid.cells if c.row == row]


@given(rows=st.integers(1, 12), cols=st.integers(2, 6), wide=st.integers(30, 140))
def test_every_place_of_a_plain_table_is_a_cell(rows: int, cols: int, wide: int) -> None:
    grid = lay([[(200.0 * c, 200.0 * c + wide) for c in range(cols)]] * rows)
    assert (grid.rows, grid.cols) == (rows, cols)
    assert len(grid.cells) == rows * cols


def test_pieces_of_one_cell_make_no_column() -> None:
    words = [(0.0, 80.0), (200.0, 260.0), (300.0, 360.0), (500.0, 560.0)]
    assert lay([words] * 4).cols == 4
    assert lay([words] * 4, same=[(n, 2) for n in range(4)]).cols == 3


def test_a_line_that_goes_on_makes_no_row() -> None:
    lines = [FOUR, FOUR, [FOUR[0]], FOUR]
    grid = lay(lines, joined=[2])
    assert grid.rows == 3
    assert grid.y_lines[1] < 120
    assert grid.y_lines[2] > 140


def test_a_spanning_heading_stands_over_the_columns_about_its_middle() -> None:
    heads = [(0.0, 100.0), (260.0, 460.0), (600.0, 700.0)]
    grid = lay([heads, FOUR, *[FOUR] * 4], spans=[(0, 1)], headings=2)
    assert grid.rows == 6
    assert (1, 2) in spans_of(grid, 0)


def test_headings_beside_one_of_two_levels_span_both() -> None:
    upper = [(0.0, 100.0), (260.0, 460.0), (600.0, 700.0)]
    lower = FOUR[1:3]
    grid = lay([upper, lower, *[FOUR] * 4], spans=[(0, 1)], headings=2)
    high = {c.col for c in grid.cells if c.row == 0 and c.row_span == 2}
    assert high == {0, 3}


def test_a_rule_under_a_title_says_what_it_spans() -> None:
    title = [(430.0, 480.0)]
    rule = Rule("across", 190.0, 730.0, 40.0, 0.0, 2.0, 1.0)
    grid = lay([title, FOUR, *[FOUR] * 4], spans=[(0, 0)], headings=2, rules=[rule])
    assert (1, 3) in spans_of(grid, 0)


def test_a_bar_alone_on_its_line_spans_all_columns() -> None:
    grid = lay([FOUR, [(0.0, 300.0)], FOUR, FOUR], spans=[(1, 0)])
    assert spans_of(grid, 1) == [(0, 4)]


def test_a_piece_that_spans_parts_no_columns_and_closes_none() -> None:
    lines = [FOUR, [(0.0, 700.0)], *[FOUR] * 4]
    assert lay(lines, spans=[(1, 0)]).cols == 4


def test_a_long_number_that_reaches_far_to_the_left_makes_no_column() -> None:
    long: dict[int, Line] = {
        0: [(560, 914)],
        7: [(624, 676), (708, 766), (792, 914)],
        8: [(624, 643), (666, 914)],  # a sign stands off as wide as columns do
    }
    lines = [[(0, 240), (340, 376), *long.get(k, [(728 + 30 * (k % 4), 914)])] for k in range(18)]
    grid = lay(lines)
    assert (grid.rows, grid.cols) == (18, 3)


def test_a_column_whose_values_stand_beside_few_others_is_one() -> None:
    lines: list[Line] = [
        [(0, 120), (600, 700)],
        [(300, 400), (500, 560), (650, 700)],
        [(0, 180)],
        [(300, 390), (500, 560), (650, 700)],
        [(0, 190)],
        [(0, 110), (300, 410), (500, 560), (650, 700)],
    ]
    assert lay(lines, joined=[3, 4]).cols == 4


def test_strokes_that_stray_into_the_white_make_no_column() -> None:
    lines = [list(FOUR) for _ in range(12)]
    for line, left, right in [(0, 164.0, 172.0), (4, 166.0, 175.0)]:
        lines[line].insert(1, (left, right))
    assert lay(lines).cols == 4


@pytest.mark.parametrize("every", [1, 4], ids=["each line", "each row of four lines"])
def test_a_column_of_single_figures_is_one(every: int) -> None:
    lines: list[Line] = [
        [(0, 120), *([(160, 172)] if n % every == 0 else []), (200, 320 - 9 * (n % every))]
        for n in range(16)
    ]
    grid = lay(lines, joined=[n for n in range(16) if n % every], known=True)
    assert (grid.rows, grid.cols) == (16 // every, 3)


def test_what_may_be_a_sign_beside_each_number_is_no_column() -> None:
    lines: list[Line] = [[(0, 120), (160, 172), (200, 320)]] * 12
    assert lay(lines).cols == 2
    assert lay(lines, known=True).cols == 3


@pytest.mark.parametrize("first", [2, 3])
def test_a_rule_under_two_titles_is_that_of_neither(first: int) -> None:
    six = [(200.0 * c, 200.0 * c + 100) for c in range(6)]
    middles = [(six[1][0] + six[first][1]) / 2, (six[first + 1][0] + six[5][1]) / 2]
    heads = [(m - 30, m + 30) for m in middles]
    rule = Rule("across", 190.0, 1110.0, 40.0, 0.0, 2.0, 1.0)
    rows: list[Line] = [six] * 5
    grid = lay([heads, *rows], spans=[(0, 0), (0, 1)], headings=2, rules=[rule])
    assert spans_of(grid, 0) == [(0, 1), (1, first), (first + 1, 5 - first)]


def test_a_rule_under_a_title_of_two_lines_is_its_own() -> None:
    four = [(0.0, 100.0), (200.0, 300.0), (400.0, 500.0), (600.0, 700.0)]
    rule = Rule("across", 190.0, 510.0, 100.0, 0.0, 2.0, 1.0)
    title: list[Line] = [[(210.0, 330.0)], [(210.0, 290.0)]]  # off the middle of its columns
    spans = [(0, 0), (1, 0)]
    grid = lay([*title, *[four] * 5], spans=spans, joined=[1], headings=3, rules=[rule])
    assert (1, 2) in spans_of(grid, 0)


@pytest.mark.parametrize("end", [195.0, 230.0])
def test_a_value_that_runs_over_spans_nothing(end: float) -> None:
    lines: list[Line] = [FOUR] * 12
    lines[1] = [(0.0, end), *FOUR[2:]]
    assert spans_of(lay(lines), 1) == [(k, 1) for k in range(4)]


def test_a_grid_whose_line_keeps_clear_in_little_room_can_be_kept() -> None:
    lines = [[(0, 100 + (6 if n == 5 else 0)), (114, 200), (300, 380)] for n in range(14)]
    grid = lay(lines)
    assert grid.cols == 3
    assert 106 < grid.x_lines[1] < 114
    assert all(type(v) is float for v in (*grid.box, *grid.x_lines, *grid.y_lines))


def test_rules_down_part_columns_where_writing_stands_against_them() -> None:
    lines: list[Line] = [[(0, 90), (96, 180), (300, 380)]] * 6
    down = [Rule("down", -10.0, 330.0, x, 0.0, 2.0, 1.0) for x in (-10.0, 93.0, 240.0, 390.0)]
    grid = lay(lines, rules=down)
    assert grid.cols == 3
    assert grid.x_lines[1] == pytest.approx(93.0)


def test_boundaries_lie_on_the_rules_between_rows() -> None:
    rules = [Rule("across", -5.0, 725.0, y, 0.0, 2.0, 1.0) for y in (-8.0, 45.0, 210.0)]
    grid = lay([FOUR] * 4, rules=rules)
    assert grid.y_lines[1] == pytest.approx(45.0)
    assert grid.is_ruled("across", grid.y_lines[0])
    assert not grid.is_ruled("across", grid.y_lines[2])


@pytest.mark.parametrize("joined", [(), (2, 5)], ids=["a line of its own", "goes on"])
def test_a_name_beside_a_rule_names_the_rows_above_and_below_the_rule(
    joined: tuple[int, ...],
) -> None:
    values, name = FOUR[1:], FOUR[:1]
    places = {-8.0: -5.0, 45.0: -5.0, 130.0: 195.0, 225.0: -5.0, 310.0: 195.0, 405.0: -5.0}
    rules = [Rule("across", start, 725.0, y, 0.0, 2.0, 1.0) for y, start in places.items()]
    grid = lay([FOUR, *[values, name, values] * 2], joined=joined, rules=rules)
    assert grid.y_lines == pytest.approx(tuple(places))
    assert [(c.row, c.row_span) for c in grid.cells if c.col == 0] == [(0, 1), (1, 2), (3, 2)]
