"""Grids mended by hand: every mend gives a whole grid again."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.model.grid import Grid
from keel_line.rule.mend import (
    add_line,
    join_cells,
    make_plain_grid,
    move_line,
    part_cell,
    remove_line,
)

PLAIN = make_plain_grid((100.0, 50.0, 400.0, 250.0), 4, 3)


def fields(grid: Grid) -> np.ndarray:
    """How many cells cover each field: all ones where the grid is whole."""
    out = np.zeros((grid.rows, grid.cols), int)
    for c in grid.cells:
        out[c.row : c.row + c.row_span, c.col : c.col + c.col_span] += 1
    return out


def test_a_boundary_moves_with_the_cells_beside_it() -> None:
    moved = move_line(PLAIN, "down", 1, 230.0)
    assert moved.x_lines == (100.0, 230.0, 300.0, 400.0)
    assert moved.cells[0].box == (100.0, 50.0, 230.0, 100.0)
    assert moved.cells[2].box == PLAIN.cells[2].box


def test_a_boundary_stays_between_its_neighbours() -> None:
    assert move_line(PLAIN, "down", 1, 999.0).x_lines[1] == 294.0
    assert move_line(PLAIN, "across", 0, -20.0).y_lines[0] == -20.0


def test_a_new_boundary_parts_cells() -> None:
    more = add_line(PLAIN, "down", 250.0)
    assert (more.rows, more.cols) == (4, 4)
    assert len(more.cells) == 16
    assert add_line(PLAIN, "down", 203.0) is PLAIN
    wider = add_line(PLAIN, "across", 300.0)
    assert wider.box == (100.0, 50.0, 400.0, 300.0)
    assert len(wider.cells) == 15


def test_a_cell_that_spans_goes_on_spanning() -> None:
    joined = join_cells(PLAIN, (0, 1), (0, 3))
    more = add_line(joined, "down", 250.0)
    assert more.cells[0].col_span == 4
    assert (fields(more) == 1).all()


def test_a_removed_boundary_makes_two_columns_one() -> None:
    less = remove_line(PLAIN, "down", 1)
    assert less.x_lines == (100.0, 300.0, 400.0)
    assert less.cells[0].box == (100.0, 50.0, 300.0, 100.0)
    outer = remove_line(PLAIN, "across", 4)
    assert outer.box == (100.0, 50.0, 400.0, 200.0)
    assert outer.rows == 3


def test_the_last_column_stays() -> None:
    one = make_plain_grid((0.0, 0.0, 90.0, 90.0), 1, 1)
    assert remove_line(one, "down", 0) is one


def test_cells_are_joined_and_parted() -> None:
    joined = join_cells(PLAIN, (1, 3), (0, 2))
    assert [(c.row, c.col, c.row_span, c.col_span) for c in joined.cells if c.row_span > 1] == [
        (1, 0, 2, 2)
    ]
    again = join_cells(joined, (2, 4), (1, 3))  # reaches into the joined one
    assert (1, 0, 3, 3) in {(c.row, c.col, c.row_span, c.col_span) for c in again.cells}
    assert part_cell(joined, 2, 1).cells == PLAIN.cells


MENDS = st.lists(
    st.tuples(
        st.sampled_from(["move", "add", "remove", "join", "part"]),
        st.sampled_from(["across", "down"]),
        st.integers(0, 9),
        st.floats(0, 500),
    ),
    max_size=12,
)


@given(mends=MENDS)
def test_any_mends_leave_a_whole_grid(mends: list[tuple[str, str, int, float]]) -> None:
    grid = PLAIN
    for what, direction, number, place in mends:
        lines = grid.y_lines if direction == "across" else grid.x_lines
        index = number % len(lines)
        row, col = number % grid.rows, number % grid.cols
        if what == "move":
            grid = move_line(grid, direction, index, place)  # type: ignore[arg-type]
        elif what == "add":
            grid = add_line(grid, direction, place)  # type: ignore[arg-type]
        elif what == "remove":
            grid = remove_line(grid, direction, index)  # type: ignore[arg-type]
        elif what == "join":
            grid = join_cells(grid, (row, row + 1), (0, col + 1))
        else:
            grid = part_cell(grid, row, col)
        assert (fields(grid) == 1).all()
        assert list(grid.x_lines) == sorted(grid.x_lines)
        assert list(grid.y_lines) == sorted(grid.y_lines)


@pytest.mark.parametrize("direction", ["across", "down"])
def test_adding_and_removing_gives_the_grid_back(direction: str) -> None:
    more = add_line(PLAIN, direction, 130.0)  # type: ignore[arg-type]
    lines = more.y_lines if direction == "across" else more.x_lines
    assert remove_line(more, direction, lines.index(130.0)) == PLAIN  # type: ignore[arg-type]
