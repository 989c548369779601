"""Cells that span rows where rules across a table leave their column out."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line.model.grid import Cell, Rule
from keel_line.rule.row_spans import find_partial, with_row_spans
from keel_line.rule.survey import find_grids
from synth.pages import CellContent, Sheet, Style, TableContent, finish_page
from tests.conftest import inter

DPI = 150.0


def draw(first_col: list[tuple[int, str]], *, last: bool = False) -> NDArray[np.uint8]:
    """Draw a table ruled across whose first (or last) column has cells of so many rows."""
    spanning = 3 if last else 0
    cells = [CellContent(0, c, f"Head {'abcd'[c]}") for c in range(4)]
    row = 1
    for count, text in first_col:
        cells.append(CellContent(row, spanning, text, count, 1))
        cells += [
            CellContent(r, c, f"{r * 37 + c * 11 + 10}.{c}0")
            for r in range(row, row + count)
            for c in range(4)
            if c != spanning
        ]
        row += count
    content = TableContent(tuple(cells), row, (1.3, 1.0, 1.0, 1.3), "lrrl")
    sheet = Sheet(DPI, (7.0, 7.0))
    rng = np.random.default_rng(3)
    style = Style(inter(), inter(bold=True), 11.0, ruling="across")
    sheet.draw_table(content, (0.8, 0.8), style, rng)
    return finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey


@pytest.mark.parametrize("last", [False, True], ids=["first column", "last column"])
def test_a_cell_that_rules_leave_out_spans_its_rows(*, last: bool) -> None:
    (grid,) = find_grids(draw([(3, "North"), (1, "Quay"), (4, "South")], last=last), DPI)
    own = [(c.row, c.row_span) for c in grid.cells if c.col == (3 if last else 0)]
    assert own == [(0, 1), (1, 3), (4, 1), (5, 4)]
    assert {c.row_span for c in grid.cells if c.col in (1, 2)} == {1}


def test_without_partial_rules_no_cell_spans() -> None:
    (grid,) = find_grids(draw([(1, "North")] * 6), DPI)
    assert {c.row_span for c in grid.cells} == {1}


def rule(y: float, start: float = 0, end: float = 600) -> Rule:
    return Rule("across", start, end, y, 0.0, 2.0, 1.0)


def test_rules_that_begin_at_one_place_are_partial_and_a_broken_one_is_not() -> None:
    whole = [rule(y) for y in (0, 100, 200)]
    partial = [rule(50, 150), rule(150, 148)]
    broken = rule(75, 230)
    short = [rule(60, 450), rule(160, 450)]
    box = (0.0, -1.0, 600.0, 201.0)
    assert find_partial([*whole, *partial, broken, *short], box, 20) == partial


def test_a_partial_rule_may_have_lost_its_end_at_the_side_of_the_table() -> None:
    partial = [rule(50, 150), rule(100, 148), rule(150, 150, 540)]
    assert find_partial([rule(0), *partial, rule(200)], (0.0, -1.0, 600.0, 201.0), 20) == partial


def test_a_copy_that_lost_parts_of_rules_still_shows_which_cells_span() -> None:
    grey = draw([(3, "North"), (1, "Quay"), (4, "South")])
    (before,) = find_grids(grey, DPI)
    x0, _, x1, _ = (round(v) for v in before.box)
    short, broken = (round(before.y_lines[k]) for k in (2, 4))
    paper = int(np.median(grey))
    grey[short - 3 : short + 4, x1 - 50 : x1 + 5] = paper  # a partial rule without its end
    middle = x0 + round(0.4 * (x1 - x0))
    grey[broken - 3 : broken + 4, middle : middle + 40] = paper  # a whole one in two pieces
    (grid,) = find_grids(grey, DPI)
    assert [(c.row, c.row_span) for c in grid.cells if c.col == 0] == [
        (0, 1),
        (1, 3),
        (4, 1),
        (5, 4),
    ]


@pytest.mark.parametrize(("start", "joined"), [(150.0, True), (450.0, False)])
def test_a_line_under_a_single_amount_joins_no_cells(start: float, *, joined: bool) -> None:
    ys, xs = (0.0, 50.0, 100.0, 150.0), (0.0, 150.0, 400.0, 600.0)
    cells = [
        Cell(r, c, 1, 1, (xs[c], ys[r], xs[c + 1], ys[r + 1])) for r in range(3) for c in range(3)
    ]
    written = {(0, 0), *((r, c) for r in range(3) for c in (1, 2))}
    found = with_row_spans(cells, written, [rule(50, 150), rule(100, start)], ys, 20)
    assert [c.row_span for c in found if c.col == 0] == ([3] if joined else [1, 1, 1])
