from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line._shared.paper import PAPER_LEVEL
from keel_line.model.grid import Rule
from keel_line.rule.headings import count_heading_rows
from keel_line.rule.rules import find_rules, look_along, make_rule_field
from keel_line.rule.survey import find_grids
from synth.pages import CellContent
from tests.conftest import draw_page, make_content


def sheet(rows: int = 900, cols: int = 700) -> NDArray[np.uint8]:
    return np.full((rows, cols), PAPER_LEVEL, np.uint8)


def rule(position: float, start: float, end: float) -> Rule:
    return Rule("across", start, end, position, 0.0, 2.0, 1.0)


def test_a_whole_line_is_seen_as_one() -> None:
    ink = np.zeros((100, 400), np.uint8)
    ink[50:52, 20:380] = 180
    seen = look_along(ink, rule(50.5, 20, 380), 20, 380, 200)
    assert seen.inked > 0.98
    assert seen.clear > 0.98
    assert seen.is_line


def test_a_row_of_strokes_is_no_line() -> None:
    ink = np.zeros((100, 400), np.uint8)
    for x in range(20, 380, 9):
        ink[30:55, x : x + 4] = 180
    assert not look_along(ink, rule(50.0, 20, 380), 20, 380, 200).is_line


def test_a_row_of_bold_letters_is_no_thick_rule() -> None:
    grey = sheet()
    for y in (100, 200, 300):
        cv2.line(grey, (50, y), (650, y), 20, 2)
    for x in range(80, 620, 12):  # as high as a thick rule is thick, and with a gap to the next
        grey[147:155, x : x + 9] = 20
    cv2.line(grey, (80, 250), (620, 250), 20, 8)
    places = sorted(round(r.position) for r in find_rules(make_rule_field(grey, 150)))
    assert places == [100, 200, 250, 300]


def test_a_broken_line_is_a_line() -> None:
    ink = np.zeros((100, 400), np.uint8)
    ink[50:52, 20:380] = 180
    for x in range(20, 380, 20):
        ink[50:52, x : x + 9] = 0
    seen = look_along(ink, rule(50.5, 20, 380), 20, 380, 200)
    assert 0.4 < seen.inked < 0.8
    assert seen.is_line


def test_what_shines_through_is_no_line() -> None:
    grey = sheet()
    for y in (100, 300, 500):
        cv2.line(grey, (50, y), (650, y), 20, 2)
    cv2.line(grey, (50, 200), (650, 200), PAPER_LEVEL - 24, 2)
    places = sorted(round(r.position) for r in find_rules(make_rule_field(grey, 150)))
    assert places == [100, 300, 500]


def test_text_that_touches_a_rule_does_not_hide_it() -> None:
    made = draw_page(make_content(4, 3))
    grey = made.grey.copy()
    x0, _, x1, y1 = (round(v) for v in made.tables[0].cells[4].box)
    for x in range(x0 + 10, x1 - 10, 14):
        grey[y1 - 16 : y1, x : x + 5] = 30
    (grid,) = find_grids(grey, 200)
    assert (grid.rows, grid.cols) == (4, 3)
    assert len(grid.cells) == 12


@pytest.mark.parametrize("side", ["top", "bottom", "left", "right"])
def test_an_outer_line_that_is_lost_takes_no_cells_with_it(side: str) -> None:
    made = draw_page(make_content(5, 4))
    (whole,) = find_grids(made.grey, 200)
    grey = made.grey.copy()
    x0, y0, x1, y1 = (round(v) for v in whole.box)
    inner = 8
    band = {
        "top": (slice(y0 - 6, y0 + 4), slice(x0 + inner, x1 - inner)),
        "bottom": (slice(y1 - 4, y1 + 6), slice(x0 + inner, x1 - inner)),
        "left": (slice(y0 + inner, y1 - inner), slice(x0 - 6, x0 + 4)),
        "right": (slice(y0 + inner, y1 - inner), slice(x1 - 4, x1 + 6)),
    }[side]
    grey[band] = 255
    (grid,) = find_grids(grey, 200)
    assert (grid.rows, grid.cols) == (5, 4)
    assert grid.box == pytest.approx(whole.box, abs=6)


def test_lines_that_overshoot_do_not_add_cells() -> None:
    grey = sheet()
    for y in (100, 200, 300):
        cv2.line(grey, (80, y), (640, y), 20, 2)
    for x in (100, 350, 620):
        cv2.line(grey, (x, 80), (x, 325), 20, 2)
    (grid,) = find_grids(grey, 150)
    assert (grid.rows, grid.cols) == (2, 2)
    x0, y0, x1, y1 = grid.box
    assert (x0, x1) == pytest.approx((100, 620), abs=2)
    assert (y0, y1) == pytest.approx((100, 300), abs=2)


def test_one_cell_is_no_table() -> None:
    grey = sheet()
    cv2.rectangle(grey, (100, 100), (500, 400), 20, 2)
    assert find_grids(grey, 150) == []


def test_a_table_at_the_pages_edge() -> None:
    grey = sheet(500, 500)
    for y in (0, 100, 200, 300):
        cv2.line(grey, (0, y), (400, y), 20, 3)
    for x in (0, 200, 400):
        cv2.line(grey, (x, 0), (x, 300), 20, 3)
    grids = find_grids(grey, 150)
    assert len(grids) <= 1
    for grid in grids:
        assert 2 <= grid.rows <= 3


def test_graph_paper_comes_to_an_end() -> None:
    grey = sheet(800, 800)
    grey[::12] = 120
    grey[:, ::12] = 120
    for grid in find_grids(grey, 150):
        assert grid.rows * grid.cols == len(grid.cells)


def test_tables_side_by_side() -> None:
    grey = sheet()
    for left in (40, 390):
        for y in (100, 180, 260):
            cv2.line(grey, (left, y), (left + 260, y), 20, 2)
        for x in (left, left + 130, left + 260):
            cv2.line(grey, (x, 100), (x, 260), 20, 2)
    grids = find_grids(grey, 150)
    assert [(g.rows, g.cols) for g in grids] == [(2, 2), (2, 2)]
    assert grids[0].box[0] < grids[1].box[0]


def test_a_table_within_a_frame_is_the_table() -> None:
    made = draw_page(make_content(5, 3))
    grey = made.grey.copy()
    cv2.rectangle(grey, (20, 20), (grey.shape[1] - 20, grey.shape[0] - 20), 20, 3)
    grids = find_grids(grey, 200)
    assert [(g.rows, g.cols) for g in grids] == [(5, 3)]


def test_spanning_headings_make_two_heading_rows() -> None:
    spans = (CellContent(0, 1, "Weight", 1, 2), CellContent(0, 0, "Cargo", 2, 1))
    made = draw_page(make_content(6, 3, spans))
    (grid,) = find_grids(made.grey, 200)
    texts = ["Weight" if c.col_span > 1 else "tons" if c.row < 2 else "18.20" for c in grid.cells]
    assert count_heading_rows(grid, texts) == 2


def test_words_alone_make_no_heading() -> None:
    made = draw_page(make_content(4, 3))
    (grid,) = find_grids(made.grey, 200)
    assert count_heading_rows(grid, ["word"] * len(grid.cells)) == 0


def test_a_streak_through_the_page_is_no_rule() -> None:
    grey = draw_page(make_content(5, 4)).grey.copy()
    cv2.line(grey, (420, 0), (420, grey.shape[0]), 60, 2)
    (grid,) = find_grids(grey, 200)
    assert (grid.rows, grid.cols) == (5, 4)


def test_a_picture_cut_out_along_its_table_keeps_its_rules() -> None:
    made = draw_page(make_content(5, 4))
    x0, y0, x1, y1 = (round(v) for v in made.tables[0].box)
    (grid,) = find_grids(np.ascontiguousarray(made.grey[y0 - 4 : y1 + 5, x0 - 4 : x1 + 5]), 200)
    assert (grid.rows, grid.cols) == (5, 4)
