from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import binom

from keel_line.desk.desk import Desk
from keel_line.desk.sample import RIGHT, WRONG, draw_sample, judge_drawn, judge_sample
from keel_line.model.table import CellState, Settled
from tests.desk.test_kinds import cell, table


def test_only_cells_that_nobody_looked_at_are_drawn() -> None:
    sure = [replace(cell(i, "7"), flagged=False) for i in range(6)]
    sure[2] = replace(sure[2], settled=Settled("7", by_hand=False))
    state = table(*sure, cell(6, "8"))
    drawn = draw_sample([state], 20, np.random.default_rng(1))
    assert drawn == [(0, 0), (0, 1), (0, 3), (0, 4), (0, 5)]
    assert draw_sample([], 20, np.random.default_rng(1)) == []


def test_each_cell_has_the_same_chance() -> None:
    state = table(*(replace(cell(i, "7"), flagged=False) for i in range(10)))
    rng = np.random.default_rng(1974)
    hits = np.zeros(10)
    for _ in range(600):
        for _, c in draw_sample([state], 3, rng):
            hits[c] += 1
    assert hits.min() > 130
    assert hits.max() < 230


@given(st.integers(1, 40), st.floats(0.001, 0.4), st.data())
def test_alike_chances_are_binomial(count: int, chance: float, data: st.DataObject) -> None:
    wrong = data.draw(st.integers(0, count))
    verdict = judge_sample([chance] * count, wrong)
    as_many = float(binom.sf(wrong - 1, count, chance))
    if abs(as_many - 0.05) > 1e-6:
        assert verdict.fits == (as_many >= 0.05)
    assert verdict.expected == pytest.approx(count * chance)
    assert wrong / count <= verdict.at_most <= 1


def test_more_wrong_ones_than_chance_allows_are_told() -> None:
    assert "stricter tolerance" in judge_sample([0.001] * 20, 2).say()
    said = judge_sample([0.001] * 20, 0).say()
    assert said.startswith("Of 20 cells checked at random, none was wrong; 0.0 expected")
    assert "13.9%" in said  # 1 - 0.05 ** (1 / 20)


def cells_of(desk: Desk) -> dict[int, CellState]:
    return {state.id: state for table in desk.tables() for state in table.cells}


def test_the_history_says_what_was_drawn(demo_desk: Desk) -> None:
    assert judge_drawn(demo_desk.history(), cells_of(demo_desk).get) is None
    a, b, c, other = demo_desk.tables()[0].cells[10:14]
    demo_desk.accept([a], RIGHT)
    demo_desk.replace(b, "correct", WRONG)
    demo_desk.accept([other])
    demo_desk.replace(c, "taken back", WRONG)
    demo_desk.undo()
    verdict = judge_drawn(demo_desk.history(), cells_of(demo_desk).get)
    assert verdict is not None
    assert (verdict.drawn, verdict.wrong) == (2, 1)
