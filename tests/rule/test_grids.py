from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line._shared.paper import flatten_light
from keel_line.model.grid import Grid
from keel_line.rule.grids import build_grids
from keel_line.rule.headings import count_heading_rows
from keel_line.rule.rules import find_rules, make_rule_field
from keel_line.rule.survey import find_grids
from keel_line.square.straighten import square_page
from synth.pages import CellContent, MadePage
from synth.paper import photocopy
from tests.conftest import as_page, draw_page, make_content


def shape(grid: Grid) -> set[tuple[int, int, int, int]]:
    return {(c.row, c.col, c.row_span, c.col_span) for c in grid.cells}


def truth(made: MadePage, number: int = 0) -> set[tuple[int, int, int, int]]:
    return {(c.row, c.col, c.row_span, c.col_span) for c in made.tables[number].cells}


@pytest.mark.parametrize("angle", [0.0, -3.1, 5.0])
@pytest.mark.parametrize("frame", ["single", "double", "thick"])
def test_grid_of_a_ruled_page(angle: float, frame: str) -> None:
    made = draw_page(make_content(), angle_deg=angle, frame=frame)
    squared = square_page(as_page(made))
    (grid,) = find_grids(squared.pixels, squared.dpi)
    assert shape(grid) == truth(made)


@pytest.mark.parametrize("condition", ["office", "copy", "fax", "photo"])
def test_grid_through_machines(condition: str) -> None:
    made = draw_page(make_content(), condition=condition, angle_deg=0.7)
    squared = square_page(as_page(made))
    (grid,) = find_grids(squared.pixels, squared.dpi)
    assert shape(grid) == truth(made)


def test_cells_that_span() -> None:
    spans = (
        CellContent(0, 1, "Both", 1, 2),
        CellContent(0, 0, "Down", 2, 1),
        CellContent(4, 2, "Four", 2, 2),
    )
    made = draw_page(make_content(6, 4, spans))
    (grid,) = find_grids(made.grey, 200)
    assert shape(grid) == truth(made)


def test_two_tables_from_the_top_down() -> None:
    made = draw_page(make_content(3, 4), make_content(5, 3))
    grids = find_grids(made.grey, 200)
    assert [(g.rows, g.cols) for g in grids] == [(3, 4), (5, 3)]
    assert grids[0].box[3] < grids[1].box[1]


def test_faint_lines() -> None:
    made = draw_page(make_content(), rule_level=190, rule_pt=0.5)
    (grid,) = find_grids(made.grey, 200)
    assert shape(grid) == truth(made)


def break_rules(grey: NDArray[np.uint8], made: MadePage) -> NDArray[np.uint8]:
    """Wipe a third of every rule away in short pieces."""
    out = grey.copy()
    rng = np.random.default_rng(3)
    for cell in made.tables[0].cells:
        x0, y0, x1, y1 = (round(v) for v in cell.box)
        for y in (y0, y1):
            for x in range(x0 + 6, x1 - 6, 12):
                if rng.random() < 0.8:
                    out[y - 3 : y + 4, x : x + 4] = 240
        for x in (x0, x1):
            for y in range(y0 + 6, y1 - 6, 12):
                if rng.random() < 0.8:
                    out[y : y + 4, x - 3 : x + 4] = 240
    return out


def test_broken_lines() -> None:
    made = draw_page(make_content())
    (grid,) = find_grids(break_rules(made.grey, made), 200)
    assert shape(grid) == truth(made)


@pytest.mark.parametrize(("rule_pt", "generations", "seed"), [(1.0, 1, 0), (0.8, 2, 6)])
def test_rules_of_which_copiers_left_scraps(rule_pt: float, generations: int, seed: int) -> None:
    spans = (CellContent(1, 0, "North", 3, 1), CellContent(4, 0, "South", 3, 1))
    made = draw_page(make_content(9, 5, spans), rule_pt=rule_pt)
    (grid,) = find_grids(photocopy(made.grey, np.random.default_rng(seed), generations), 200)
    assert shape(grid) == truth(made)


def test_dashes_in_cells_that_span_rows_part_nothing() -> None:
    spans = tuple(CellContent(2, col, "", 2, 1) for col in (1, 2, 3))
    made = draw_page(make_content(6, 4, spans))
    grey = made.grey.copy()
    for x0, y0, x1, y1 in (c.box for c in made.tables[0].cells if c.row_span == 2):
        y, inset = round((y0 + y1) / 2), 0.3 * (x1 - x0)
        grey[y : y + 3, round(x0 + inset) : round(x1 - inset)] = 20
    (grid,) = find_grids(grey, 200)
    assert shape(grid) == truth(made)


@pytest.mark.parametrize("lost", [0.22, 0.8])
def test_a_copier_may_lose_a_rule_between_two_values(lost: float) -> None:
    made = draw_page(make_content(7, 4))
    (whole,) = find_grids(made.grey, 200)
    x, top, low = round(whole.x_lines[2]), whole.y_lines[3], whole.y_lines[4]
    start = round(top + (0.5 - lost / 2) * (low - top))
    grey = made.grey.copy()
    grey[start : round(start + lost * (low - top)), x - 4 : x + 5] = grey[5, 5]
    (grid,) = find_grids(grey, 200)
    assert len(grid.cells) == 28


def test_boxes_lie_within_their_rules() -> None:
    made = draw_page(make_content())
    (grid,) = find_grids(made.grey, 200)
    wanted = {(c.row, c.col): c.box for c in made.tables[0].cells}
    for cell in grid.cells:
        x0, y0, x1, y1 = wanted[cell.row, cell.col]
        for got, low, high in (
            (cell.box[0], x0, x0 + 6),
            (cell.box[1], y0, y0 + 6),
            (cell.box[2], x1 - 6, x1),
            (cell.box[3], y1 - 6, y1),
        ):
            assert low - 0.5 <= got <= high + 0.5


def test_rules_have_places_to_a_fraction_of_a_pixel() -> None:
    grey = np.full((300, 400), 235, np.uint8)
    cv2.line(grey, (40, 100), (360, 100), 30, 1)
    cv2.line(grey, (40, 101), (360, 101), 150, 1)
    (rule,) = find_rules(make_rule_field(flatten_light(grey), 200))
    assert rule.direction == "across"
    assert rule.at(200) == pytest.approx(100.3, abs=0.25)
    assert rule.length == pytest.approx(320, abs=12)


@pytest.mark.parametrize("level", [0, 255])
def test_plain_page_has_no_table(level: int) -> None:
    assert find_grids(np.full((900, 700), level, np.uint8), 150) == []


def test_heading_rows() -> None:
    made = draw_page(make_content(5, 3))
    (grid,) = find_grids(made.grey, 200)
    heads = [f"Head {'abc'[c.col]}" if c.row == 0 else "12.50" for c in grid.cells]
    assert count_heading_rows(grid, heads) == 1
    assert count_heading_rows(grid, ["12.50"] * len(grid.cells)) == 0


@pytest.mark.parametrize("direction", ["down", "across"])
def test_a_long_stroke_in_one_cell_parts_nothing(direction: str) -> None:
    made = draw_page(make_content())
    (before,) = find_grids(made.grey, 200)
    x0, y0, x1, y1 = next(c for c in before.cells if (c.row, c.col) == (3, 2)).box
    grey = made.grey.copy()
    x, y = round(x0 + 0.8 * (x1 - x0)), round(y0 + 0.85 * (y1 - y0))
    if direction == "down":
        grey[round(y0) + 10 : round(y1) - 10, x : x + 3] = 20
    else:
        grey[y : y + 3, round(x0) + 12 : round(x1) - 12] = 20
    (grid,) = find_grids(grey, 200)
    assert shape(grid) == truth(made)


def test_strokes_of_two_letters_in_line_part_nothing() -> None:
    """A stroke that hangs down to a rule, and one that stands up to it below, as in p and k."""
    made = draw_page(make_content(9, 4))
    (before,) = find_grids(made.grey, 200)
    boxes = {(c.row, c.col): c.box for c in before.cells}
    upper, lower = boxes[4, 2], boxes[5, 2]
    x = round(0.8 * upper[2] + 0.2 * upper[0])
    grey = made.grey.copy()
    grey[round(upper[1]) + 9 : round(lower[3]) - 9, x : x + 3] = 20
    (grid,) = find_grids(grey, 200)
    assert shape(grid) == truth(made)


def draw_low_rows() -> NDArray[np.uint8]:
    """Draw a table whose rows are little higher than letters, under a title across it."""
    grey = np.full((500, 800), 235, np.uint8)
    for y in range(100, 311, 30):
        cv2.line(grey, (100, y), (700, y), 40, 2)
    for x in (100, 300, 500, 700):
        cv2.line(grey, (x, 100 if x in (100, 700) else 130), (x, 310), 40, 2)
    return grey


@pytest.mark.parametrize("top", [106, 226], ids=["above the rule", "on the rule"])
def test_a_letter_in_line_with_a_rule_parts_no_title_and_one_that_touches_a_rule_hides_none(
    top: int,
) -> None:
    grey = draw_low_rows()
    cv2.line(grey, (300, top), (300, top + 18), 40, 7)
    field = make_rule_field(grey, 200)
    (grid,) = build_grids(field, find_rules(field))
    assert [(c.col, c.col_span) for c in grid.cells if c.row == 0] == [(0, 3)]
    assert len(grid.cells) == 1 + 6 * 3


def test_a_row_of_letters_in_line_with_a_rule_is_no_rule() -> None:
    spans = (
        CellContent(0, 0, "Moniker", 2, 1),
        CellContent(0, 1, "Both", 1, 2),
        CellContent(0, 3, "HEEXMEFLAN", 2, 1),
    )
    made = draw_page(make_content(6, 4, spans))
    (grid,) = find_grids(made.grey, 200)
    assert shape(grid) == truth(made)


@pytest.mark.parametrize("side", ["before", "after"])
def test_a_rule_ends_before_the_letters_that_stand_beside_it(side: str) -> None:
    """The strokes of a heading beside a short rule lie at its height, one close to the next.

    The letter that is farthest away has a bar there.
    """
    grey = np.full((200, 1000), 235, np.uint8)
    cv2.line(grey, (300, 100), (700, 100), 60, 2)
    for x in range(180, 285, 8) if side == "before" else range(715, 820, 8):
        cv2.line(grey, (x, 92), (x, 108), 60, 4)
    bar = 148 if side == "before" else 832
    cv2.line(grey, (bar, 100), (bar + 22, 100), 60, 2)
    (rule,) = [r for r in find_rules(make_rule_field(grey, 250)) if r.direction == "across"]
    assert (rule.start, rule.end) == pytest.approx((300, 700), abs=4)


def test_bold_letters_that_touch_are_no_thick_rule_and_a_thick_rule_is_one() -> None:
    """A copier runs the letters of a bold word into each other; their holes still tell."""
    grey = np.full((300, 600), 235, np.uint8)
    for k in range(12):  # rings side by side, as thick and as close as bold letters
        cv2.circle(grey, (110 + 16 * k, 100), 6, 40, 5)
    grey = np.asarray(cv2.GaussianBlur(grey, (3, 3), 0), np.uint8)
    assert not find_rules(make_rule_field(grey, 250))
    cv2.line(grey, (100, 200), (260, 200), 40, 12)
    (rule,) = find_rules(make_rule_field(grey, 250))
    assert rule.position == pytest.approx(200, abs=1.5)
