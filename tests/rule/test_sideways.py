from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from keel_line.model.grid import Rule
from keel_line.model.page import PageText
from keel_line.rule.sideways import find_letters, letters_of_text, turn_rules
from keel_line.rule.survey import find_grids, survey_page
from tests.conftest import draw_table, make_content

_DPI = 150.0


def lay(*pictures: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Lay pictures below one another on one sheet."""
    wide = max(p.shape[1] for p in pictures)
    paper = int(np.median(pictures[0]))
    rows = [np.pad(p, ((0, 0), (0, wide - p.shape[1])), constant_values=paper) for p in pictures]
    return np.ascontiguousarray(np.vstack(rows))


def table(ruling: str, rows: int = 8) -> NDArray[np.uint8]:
    grey = draw_table(make_content(rows, 4), ruling, _DPI)
    return grey[: round((1.4 + 0.36 * rows) * _DPI), : round(6.4 * _DPI)]


@pytest.mark.parametrize("turns", [1, 3])
@pytest.mark.parametrize("ruling", ["full", "across", "heading", "none"])
def test_a_table_on_its_side_is_told_from_the_upright_one_above_it(ruling: str, turns: int) -> None:
    page = lay(table("full", 5), np.rot90(table(ruling), turns))
    upright, lying = find_grids(page, _DPI)
    assert (upright.rows, upright.cols, upright.on_side) == (5, 4, False)
    assert (lying.rows, lying.cols, lying.on_side) == (4, 8, True)


def test_its_boxes_lie_where_its_cells_are() -> None:
    grey = np.ascontiguousarray(np.rot90(table("none"), 1))
    (grid,) = find_grids(grey, _DPI)
    inked = grey < 128
    for cell in grid.cells:
        x0, y0, x1, y1 = (round(v) for v in cell.box)
        assert inked[y0:y1, x0:x1].any()
    x0, y0, x1, y1 = (round(v) for v in grid.box)
    assert inked.sum() == inked[y0:y1, x0:x1].sum()


@pytest.mark.parametrize("ruling", ["full", "none"])
def test_upright_tables_are_not_taken_for_lying_ones(ruling: str) -> None:
    assert [g.on_side for g in find_grids(table(ruling), _DPI)] == [False]


@pytest.mark.parametrize("up", [True, False])
def test_a_files_own_characters_tell_which_way_they_run(*, up: bool) -> None:
    step = np.arange(20) * 8.0
    boxes = np.column_stack([step, np.full(20, 50.0), step + 6, np.full(20, 60.0)])
    if up:
        boxes = np.column_stack([boxes[:, 1], 200 - step - 10, boxes[:, 3], 200 - step])
    text = PageText("abcde" * 4, boxes, np.zeros(20, bool), ())
    assert letters_of_text(text).are_sideways((0.0, 0.0, 300.0, 300.0)) is up


def test_a_line_up_the_margin_is_no_table() -> None:
    words = table("none", 8)[round(1.2 * _DPI) : round(1.6 * _DPI)]
    page = lay(table("full", 6), np.rot90(words, 1))
    survey = survey_page(page, _DPI)
    assert [g.on_side for g in survey.grids] == [False]


@given(
    across=st.booleans(),
    start=st.floats(0, 500),
    length=st.floats(1, 500),
    position=st.floats(0, 900),
    slope=st.floats(-0.05, 0.05),
)
def test_turning_a_rule_keeps_it_on_the_same_ink(
    across: bool,  # noqa: FBT001
    start: float,
    length: float,
    position: float,
    slope: float,
) -> None:
    high = 1000.0
    rule = Rule("across" if across else "down", start, start + length, position, slope, 2.0, 1.0)
    (turned,) = turn_rules([rule], high)
    assert turned.direction != rule.direction
    for share in (0.0, 0.3, 1.0):
        along = rule.start + share * rule.length
        x, y = (along, rule.at(along)) if across else (rule.at(along), along)
        new_x, new_y = high - y, x
        on = turned.at(new_y) - new_x if across else turned.at(new_x) - new_y
        assert on == pytest.approx(0.0, abs=1e-6)
    four = [rule]
    for _ in range(4):
        four = turn_rules(four, high)
    assert replace(four[0], position=0, start=0, end=0) == replace(rule, position=0, start=0, end=0)


def test_tall_narrow_figures_are_letters_beside_each_other() -> None:
    page = np.full((600, 600), 235, np.uint8)
    for y in range(60, 540, 60):
        for x in (100, 109, 118, 300, 309, 318, 327):
            page[y : y + 18, x : x + 6] = 20
    letters = find_letters(page, _DPI, [])
    assert len(letters.down) == 8 * 7
    assert not letters.down.any()
