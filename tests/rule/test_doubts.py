"""Which boundaries need a check: each kind of doubt once, and none on a plain table."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from keel_line.model.grid import Direction, Grid, LineDoubt
from keel_line.model.table import LEAST_CHANCE
from keel_line.rule.doubts import find_doubts
from keel_line.rule.mend import add_line, move_line, remove_line
from keel_line.rule.survey import survey_page
from synth.pages import CellContent
from tests.conftest import draw_table, make_content

DPI = 150.0


def doubts_of(grey: np.ndarray, change: object = None) -> tuple[Grid, tuple[LineDoubt, ...]]:
    survey = survey_page(grey, DPI)
    (grid,) = survey.grids
    grid = change(grid) if callable(change) else grid
    return grid, find_doubts(grid, grey, DPI, survey.rules)


@pytest.mark.parametrize("ruling", ["full", "across", "heading", "none"])
def test_a_plain_table_is_not_doubted(ruling: str) -> None:
    _, doubts = doubts_of(draw_table(make_content(9, 4), ruling))
    assert all(d.chance < LEAST_CHANCE for d in doubts)


def test_a_line_through_writing_is_doubted() -> None:
    grey = draw_table(make_content(9, 4), "none")
    (found,) = survey_page(grey, DPI).grids
    into = found.x_lines[2] + 0.4 * (found.x_lines[3] - found.x_lines[2])
    _, doubts = doubts_of(grey, lambda grid: move_line(grid, "down", 2, into))
    assert [(d.direction, d.index) for d in doubts] == [("down", 2)]
    assert "cross this line" in doubts[0].why


@pytest.mark.parametrize(
    ("direction", "index", "inward"),
    [("across", 0, 1), ("across", 9, -1), ("down", 0, 1), ("down", 4, -1)],
)
def test_a_side_through_writing_is_doubted(direction: Direction, index: int, inward: int) -> None:
    grey = draw_table(make_content(9, 4), "none")

    def cut(grid: Grid) -> Grid:
        # Into the middle of what stands against that side.
        step = 14 if direction == "across" else 20
        return move_line(grid, direction, index, grid.lines(direction)[index] + inward * step)

    _, doubts = doubts_of(grey, cut)
    assert (direction, index, "Writing crosses the table's edge") in [
        (d.direction, d.index, d.why) for d in doubts
    ]


def test_a_column_that_may_be_two_is_doubted() -> None:
    _, doubts = doubts_of(
        draw_table(make_content(9, 4), "none"), lambda g: remove_line(g, "down", 2)
    )
    assert [d.why for d in doubts] == ["Column 2 may be two: a gap runs down it"]


def test_an_empty_column_is_doubted() -> None:
    grey = draw_table(make_content(9, 3), "none")
    _, doubts = doubts_of(grey, lambda g: add_line(g, "down", g.box[2] + 40))
    assert [(d.index, d.why) for d in doubts] == [(3, "Column 4 is empty")]


def test_a_row_close_under_another_is_doubted() -> None:
    content = make_content(8, 4, (CellContent(4, 1, "Marigold\nof Ailsay"),))
    grey = draw_table(content, "none")
    survey = survey_page(grey, DPI)
    (grid,) = survey.grids
    top, low = grid.y_lines[4], grid.y_lines[5]
    split = add_line(grid, "across", (top + low) / 2)
    before, after = (
        {(d.direction, d.index) for d in find_doubts(g, grey, DPI, survey.rules)}
        for g in (grid, split)
    )
    assert ("across", 5) in after - before


def test_a_rule_of_which_little_is_left_is_doubted() -> None:
    grey = draw_table(make_content(9, 4), "full")
    (grid,) = survey_page(grey, DPI).grids
    faint = replace(
        grid,
        rules=tuple(
            replace(r, strength=0.4)
            if r.direction == "down" and abs(r.position - grid.x_lines[2]) < 4
            else r
            for r in grid.rules
        ),
    )
    doubts = [d for d in find_doubts(faint, grey, DPI, grid.rules) if d.chance >= LEAST_CHANCE]
    assert [(d.direction, d.index) for d in doubts] == [("down", 2)]
    assert "almost gone" in doubts[0].why
