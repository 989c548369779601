"""How likely a grid is wrong, by how well it fits what is thought of its pieces."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.model.grid import LineDoubt
from keel_line.model.table import LEAST_CHANCE
from keel_line.rule.mend import make_plain_grid
from keel_line.rule.pieces import measure_pieces
from keel_line.rule.roles import BODY, HEADING, Roles
from keel_line.rule.sayings import IS_KNOWN, SAME_KIND, TEXTS
from keel_line.rule.unsure import MEASURES, doubt_grid, find_chance, measure_grid
from keel_line.rule.writing import Writing

ROWS, COLS = 5, 4
GRID = make_plain_grid((0, 0, 100 * COLS, 40 * ROWS), ROWS, COLS)


def writing() -> Writing:
    boxes = [
        (100 * c + 10, 40 * r + 10, 100 * c + 70, 40 * r + 30)
        for r in range(ROWS)
        for c in range(COLS)
    ]
    own = np.array(boxes, float)
    return Writing(own, (own[:, 1] // 40).astype(np.int64), 20.0)


def roles(same: float, joins: float = 0.01, inside: float = 0.999) -> Roles:
    pieces = writing()
    count = len(pieces.boxes)
    chances = np.full((count, 5), (1 - inside) / 4)
    chances[:, BODY] = inside
    chances[:COLS, [BODY, HEADING]] = chances[:COLS, [HEADING, BODY]]
    none, alike = np.full(count, 0.01), np.full(count, same)
    near, said = measure_pieces(pieces, []).near, np.zeros((count, TEXTS))
    said[:, IS_KNOWN], said[:, SAME_KIND] = 1.0, 0.9
    return Roles(chances, np.full(count, joins), none, none, none, alike, alike, near, said)


def test_a_grid_that_fits_is_hardly_wrong() -> None:
    measures = measure_grid(GRID, writing(), roles(0.01))
    assert measures.shape == (len(MEASURES),)
    assert find_chance(measures) < 0.1
    assert all(d.chance < LEAST_CHANCE for d in doubt_grid(GRID, writing(), roles(0.01)))


@pytest.mark.parametrize(
    "against", [roles(0.9, joins=0.9), roles(0.01, joins=0.9), roles(0.5, joins=0.5, inside=0.7)]
)
def test_what_speaks_against_a_grid_makes_it_doubtful(against: Roles) -> None:
    fits = find_chance(measure_grid(GRID, writing(), roles(0.01)))
    assert find_chance(measure_grid(GRID, writing(), against)) > 1.5 * fits
    doubts = doubt_grid(GRID, writing(), against)
    assert max(d.chance for d in doubts) > fits
    assert all(0 <= d.index <= ROWS and d.why for d in doubts)


def test_the_likeliest_doubt_has_the_chance_that_the_grid_is_wrong() -> None:
    first = LineDoubt("down", 2, "1 value crosses this line", 0.04)
    second = LineDoubt("across", 3, "This may not be a separate row", 0.02)
    own = replace(GRID, doubts=(first, second))
    doubts = doubt_grid(own, writing(), roles(0.03, joins=0.6))
    assert {(d.direction, d.index) for d in doubts} >= {("down", 2), ("across", 3)}
    assert max(d.chance for d in doubts) == find_chance(
        measure_grid(own, writing(), roles(0.03, joins=0.6))
    )


def test_where_the_grid_is_likelier_right_all_doubts_are_less_likely() -> None:
    first = LineDoubt("down", 2, "1 value crosses this line", 0.9)
    second = LineDoubt("across", 3, "This may not be a separate row", 0.3)
    own = replace(GRID, doubts=(first, second))
    chance = find_chance(measure_grid(own, writing(), roles(0.01)))
    assert chance < first.chance
    found = {d.index: d.chance for d in doubt_grid(own, writing(), roles(0.01))}
    assert found == {2: pytest.approx(chance), 3: pytest.approx(chance / 3)}


def test_a_grid_without_writing_has_no_chance_of_its_own() -> None:
    none = Writing(np.zeros((0, 4)), np.zeros(0, np.int64), 20.0)
    assert doubt_grid(GRID, none, roles(0.9)) == ()


@given(seed=st.integers(0, 2**32 - 1))
def test_a_chance_is_a_chance(seed: int) -> None:
    measures = np.random.default_rng(seed).normal(0, 5, len(MEASURES))
    assert 0.0 <= find_chance(measures) <= 1.0
