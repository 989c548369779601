"""Tables made where the clerk says there is one, and laid on other pages of a form."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.model.geometry import Box
from keel_line.model.grid import Rule
from keel_line.rule.area import (
    LEAST_SIDE_IN,
    clip_box,
    describe_area,
    find_in_area,
    fit_to_rules,
    parse_area,
    part_cells,
)
from keel_line.rule.mend import fill_box, make_plain_grid, shift_grid
from keel_line.rule.survey import find_grids, survey_page
from synth.pages import Sheet, finish_page
from tests.conftest import TWO_LINES, draw_table, inter, make_content

DPI = 150.0


@pytest.mark.parametrize("ruling", ["none", "full"])
def test_an_area_around_a_table_becomes_that_table(ruling: str) -> None:
    grey = draw_table(make_content(7, 4), ruling)
    (found,) = find_grids(grey, DPI)
    x0, y0, x1, y1 = found.box
    made = find_in_area(grey, DPI, (x0 - 12, y0 - 12, x1 + 12, y1 + 12))
    assert (made.rows, made.cols) == (7, 4)
    if ruling == "full":  # the paper's own frame
        assert made.box == pytest.approx(found.box, abs=2)
    else:
        assert made.box == pytest.approx((x0 - 12, y0 - 12, x1 + 12, y1 + 12), abs=1.5)


def test_a_part_of_a_table_can_be_taken_alone() -> None:
    grey = draw_table(make_content(8, 4), "none")
    (found,) = find_grids(grey, DPI)
    half = (found.box[0], found.y_lines[3], found.x_lines[2], found.box[3])
    made = find_in_area(grey, DPI, half)
    assert (made.rows, made.cols) == (5, 2)


def test_running_text_becomes_rows_of_one_column_when_it_is_asked_for() -> None:
    sheet, rng = Sheet(DPI, (8.0, 9.0)), np.random.default_rng(3)
    for i in range(5):
        sheet.write((0.8, 1.5 + 0.25 * i), "The harbour master keeps a register", inter(), 11, rng)
    grey = finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey
    assert find_grids(grey, DPI) == []
    (block,) = survey_page(grey, DPI).rejected_areas
    made = find_in_area(grey, DPI, block)
    assert (made.rows, made.cols) == (5, 1)


@pytest.mark.parametrize("ruling", ["across", "full"])
def test_each_printed_line_becomes_a_row_where_it_is_asked_for(ruling: str) -> None:
    grey = draw_table(make_content(8, 4, TWO_LINES), ruling)
    (found,) = find_grids(grey, DPI)
    assert found.rows == 8
    parted = part_cells(grey, DPI, found)
    assert parted.rows == 10  # not where the others are set beside the middle of two lines
    assert len(parted.cells) == 40
    assert set(found.y_lines) <= set(parted.y_lines)
    one = part_cells(grey, DPI, found, 6)
    assert set(one.y_lines) < set(parted.y_lines)
    assert one.rows == 9
    assert part_cells(grey, DPI, found, 1) is found
    assert part_cells(grey, DPI, parted) is parted


def test_a_cell_that_holds_a_whole_table_is_split_both_ways() -> None:
    grey = draw_table(make_content(8, 4), "none")
    (found,) = find_grids(grey, DPI)
    crowded = make_plain_grid(found.box, 1, 1)
    parted = part_cells(grey, DPI, crowded)
    assert (parted.rows, parted.cols) == (8, 4)
    assert part_cells(grey, DPI, crowded, 0).cols == 1  # one row by itself keeps its columns


def test_an_empty_area_is_one_cell() -> None:
    made = find_in_area(np.full((600, 500), 240, np.uint8), DPI, (50, 60, 300, 400))
    assert (made.rows, made.cols) == (1, 1)
    assert made.box == (50, 60, 300, 400)


boxes = st.tuples(*[st.floats(-500, 2500)] * 4)


@given(boxes)
def test_a_clipped_box_lies_on_the_page_and_is_large_enough(box: Box) -> None:
    x0, y0, x1, y1 = clip_box(box, (1200, 900), DPI)
    assert 0 <= x0 < x1 <= 900
    assert 0 <= y0 < y1 <= 1200
    assert min(x1 - x0, y1 - y0) >= LEAST_SIDE_IN * DPI - 1e-6


@pytest.mark.parametrize(
    ("text", "box"),
    [
        ("25.4 50.8 101.6 25.4", (300, 600, 1500, 900)),
        ("25,4 50,8 101,6 25,4 mm", (300, 600, 1500, 900)),
        ("1, 2, 4, 1 in", (300, 600, 1500, 900)),
        ("1in 2in 4in 1in", None),
        ("30 60 120 40 px", (30, 60, 150, 100)),
        ("2.54; 5.08; 10.16 × 2.54 cm", (300, 600, 1500, 900)),
        ("30,60,120,40 px", (30, 60, 150, 100)),
        ("1.2.3 4 5 6", None),
        ("20 30 40", None),
        ("20 30 0 40", None),
        ("here", None),
        ("", None),
    ],
)
def test_an_area_is_typed(text: str, box: Box | None) -> None:
    found = parse_area(text, 300.0)
    assert found == (None if box is None else pytest.approx(box))


@given(st.floats(0, 2000), st.floats(0, 2000), st.floats(20, 900), st.floats(20, 900))
def test_an_area_is_told_as_it_is_typed(x: float, y: float, wide: float, high: float) -> None:
    box = (x, y, x + wide, y + high)
    assert parse_area(describe_area(box, 300.0), 300.0) == pytest.approx(box, abs=2)


@pytest.mark.parametrize("shift", [(40.0, -30.0), (-55.0, 61.0), (0.0, 0.0)])
def test_a_forms_lines_are_shifted_onto_another_page_of_it(shift: tuple[float, float]) -> None:
    grey = draw_table(make_content(9, 4), "full")
    (grid,) = find_grids(grey, DPI)
    survey = survey_page(grey, DPI)
    fitted = fit_to_rules(shift_grid(grid, *shift), survey.rules, DPI)
    assert fitted.x_lines == pytest.approx(grid.x_lines, abs=1.5)
    assert fitted.y_lines == pytest.approx(grid.y_lines, abs=1.5)
    assert all(fitted.is_ruled("down", x) for x in fitted.x_lines)


def test_lines_stay_where_they_were_laid_on_a_page_without_rules() -> None:
    grid = make_plain_grid((60, 70, 400, 300), 4, 3)
    assert fit_to_rules(grid, (), DPI).x_lines == grid.x_lines


@pytest.mark.parametrize("outer", ["above", "below"])
def test_lines_stay_where_a_row_further_on_would_meet_the_rules_as_well(outer: str) -> None:
    """The clerk took a line out at the table's end: the page has one more, at the same distance."""
    grid = make_plain_grid((60, 100, 400, 350), 5, 3)
    places = [100.0, 150.0, 200.0, 250.0, 300.0, 350.0]
    # The rule at the other end lies a little off, so that a row further on meets all a bit better.
    places = [50.0, *places[:-1], 352.0] if outer == "above" else [98.0, *places[1:], 400.0]
    rules = [Rule("across", 60, 400, y, 0.0, 2.0, 1.0) for y in places]
    fitted = fit_to_rules(grid, rules, DPI)
    assert fitted.y_lines == pytest.approx(grid.y_lines, abs=2.5)


def test_a_grid_fills_a_box() -> None:
    grid = fill_box(make_plain_grid((10, 20, 110, 220), 2, 4), (0, 0, 200, 100))
    assert grid.x_lines == (0, 50, 100, 150, 200)
    assert grid.y_lines == (0, 50, 100)
    assert grid.cells[-1].box == (150, 50, 200, 100)
