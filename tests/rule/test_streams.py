"""Boundaries between columns: the set that is best for the table as a whole."""

from __future__ import annotations

from itertools import combinations

import numpy as np
from hypothesis import example, given
from hypothesis import strategies as st
from numpy.typing import NDArray

from keel_line.rule.streams import _choose, find_streams

CAP = 20.0
WHITES = st.lists(
    st.tuples(st.floats(-1, 7), st.floats(0.2, 5), st.floats(-4, 4)), min_size=1, max_size=8
)


def worth(
    chosen: tuple[int, ...], own: NDArray[np.float64], whites: list[tuple[float, float, float]]
) -> float:
    """Return what a set of boundaries at the places 0, 1, 2 … is worth."""
    total = sum(float(own[k]) for k in chosen)
    return total + sum(w for a, b, w in whites if any(a < k < b for k in chosen))


@given(WHITES, st.lists(st.floats(-4, 1), min_size=2, max_size=7))
@example([(0.0, 2.0, -2.0), (0.5, 1.0, 3.0)], [0.0, -2.0])  # white that begins at a place
def test_no_other_set_of_boundaries_is_better(
    spans: list[tuple[float, float, float]], costs: list[float]
) -> None:
    whites = [(a, a + wide, w) for a, wide, w in spans]
    own = np.array(costs)
    places = np.arange(len(own), dtype=float)
    chosen = _choose(places, own, np.array(whites))
    every = (
        worth(some, own, whites)
        for many in range(len(own) + 1)
        for some in combinations(range(len(own)), many)
    )
    assert np.isclose(worth(tuple(chosen), own, whites), max(every), atol=1e-9)
    assert chosen == sorted(set(chosen))


def find(
    rows: list[list[tuple[float, float]]], chance: float = 0.05, ruled: tuple[float, ...] = ()
) -> list[float]:
    """Return the boundaries of lines of pieces; ``chance`` is that of any two to be one cell."""
    boxes = [np.array([(a, 0.0, b, CAP) for a, b in row]).reshape(-1, 4) for row in rows]
    spans = [np.zeros(len(row), bool) for row in rows]
    same = [np.full(len(row), chance) for row in rows]
    return [s.middle for s in find_streams(boxes, spans, same, ruled, CAP)]


PLAIN = [(0.0, 100.0), (200.0, 300.0), (400.0, 480.0)]


@given(st.integers(2, 20), st.floats(0.01, 0.2))
def test_columns_are_parted_in_the_middle_of_their_white(rows: int, chance: float) -> None:
    assert find([PLAIN] * rows, chance) == [150.0, 350.0]


def test_what_is_said_to_be_one_cell_is_not_parted() -> None:
    assert find([PLAIN] * 9, 0.9) == []
    assert find([PLAIN] * 9, 0.9, ruled=(150.0,)) == []  # not by a short rule alone
    assert find([[(0.0, 300.0)]] * 4) == []
    assert find([]) == []


def test_the_rules_of_a_frame_are_no_columns() -> None:
    assert find([PLAIN] * 3, ruled=(-4.0, 150.0, 482.0, 486.0)) == [150.0, 350.0]


def test_a_long_value_does_not_take_a_boundary_away() -> None:
    over = [(0.0, 240.0), (400.0, 480.0)]
    found = find([PLAIN] * 6 + [over] + [PLAIN] * 3)
    assert len(found) == 2
    assert 100.0 < found[0] < 200.0
    assert found[1] == 350.0


def test_one_line_that_is_misjudged_is_outvoted() -> None:
    boxes = [np.array([(a, 0.0, b, CAP) for a, b in PLAIN])] * 8
    spans = [np.zeros(3, bool)] * 8
    same = [np.full(3, 0.1) for _ in range(8)]
    same[4][1] = 0.9
    found = find_streams(boxes, spans, same, (), CAP)
    assert [s.middle for s in found] == [150.0, 350.0]
