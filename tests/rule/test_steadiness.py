"""Boundaries that hang on how large the letters are taken to be."""

from __future__ import annotations

import numpy as np
import pytest

from keel_line.model.grid import Grid, LineDoubt, Rule
from keel_line.rule.alignment import find_aligned
from keel_line.rule.steadiness import find_unstable
from keel_line.rule.writing import Writing

CAP = 20.0


def set_table(white: float, pitch: float = 50.0, rows: int = 9) -> Writing:
    """Three columns: between the first two ample white, before the last as much as asked (px)."""
    boxes, lines = [], []
    for row in range(rows):
        top = 40 + pitch * row
        left = 30.0
        for wide, gap in ((120, 90), (100, white), (80, 0)):
            boxes.append((left, top, left + wide, top + CAP))
            lines.append(row)
            left += wide + gap
    return Writing(np.array(boxes), np.array(lines), CAP)


def doubts_of(writing: Writing, rules: tuple[Rule, ...] = ()) -> tuple[Grid, list[LineDoubt]]:
    (grid,) = find_aligned(writing, rules)
    return grid, find_unstable(grid, writing, rules)


@pytest.mark.parametrize("white", [30.0, 60.0, 200.0])
def test_ample_white_is_not_doubted(white: float) -> None:
    grid, doubts = doubts_of(set_table(white))
    assert (grid.cols, doubts) == (3, [])


def test_white_that_is_barely_enough_is_doubted() -> None:
    widths = np.arange(6.0, 30.0, 0.5)
    steady = [find_aligned(set_table(w), ())[0].cols for w in widths]
    barely = float(widths[steady.index(3)])  # the least that is found
    grid, doubts = doubts_of(set_table(barely))
    assert grid.cols == 3
    assert [(d.direction, d.index) for d in dict.fromkeys(doubts)] == [("down", 2)]
    assert "narrow gap" in doubts[0].why


def test_white_that_is_barely_too_narrow_is_doubted() -> None:
    widths = np.arange(6.0, 30.0, 0.5)
    steady = [find_aligned(set_table(w), ())[0].cols for w in widths]
    nearly = float(widths[steady.index(3) - 1])
    grid, doubts = doubts_of(set_table(nearly))
    assert grid.cols == 2
    assert doubts
    assert all("Column 2 may be two" in d.why for d in doubts)


def test_what_rules_part_is_not_doubted() -> None:
    writing = set_table(30.0, rows=4)
    grid, _ = doubts_of(writing)
    ruled = [Rule("down", grid.box[1], grid.box[3], x, 0.0, 2.0, 1.0) for x in grid.x_lines]
    ruled += [Rule("across", grid.box[0], grid.box[2], y, 0.0, 2.0, 1.0) for y in grid.y_lines]
    drawn = Grid(grid.box, grid.x_lines, grid.y_lines, grid.cells, tuple(ruled))
    nothing = Writing(writing.boxes[:1], writing.lines[:1], CAP)
    assert find_unstable(drawn, nothing, ()) == []
    assert find_unstable(grid, nothing, ()) != [], "nothing like a table is left of it"
