"""Which segments make one table: all that speaks for it and against it counts."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.model.grid import Rule
from keel_line.rule.assembly import _gather, find_tables
from keel_line.rule.pieces import measure_pieces
from keel_line.rule.roles import BODY, HEADING, Roles
from keel_line.rule.sayings import TEXTS
from keel_line.rule.tables import find_by_roles
from keel_line.rule.writing import Writing
from tests.rule.test_roles import TWO, roles_of, writing_of

Links = dict[tuple[int, int], float]
COUNT = 7
PAIRS = st.tuples(st.integers(0, COUNT - 1), st.integers(0, COUNT - 1)).filter(
    lambda p: p[0] < p[1]
)


def links_of(weights: st.SearchStrategy[float]) -> st.SearchStrategy[Links]:
    return st.dictionaries(PAIRS, weights, max_size=12)


def together(groups: list[list[int]], a: int, b: int) -> bool:
    return any(a in own and b in own for own in groups)


@given(links_of(st.floats(-4, 4)))
def test_each_is_in_one_group_and_no_two_groups_want_to_be_one(links: Links) -> None:
    groups = _gather(COUNT, links)
    assert sorted(k for own in groups for k in own) == list(range(COUNT))
    for n, one in enumerate(groups):
        for other in groups[n + 1 :]:
            between = [
                w for (a, b), w in links.items() if {a, b} & set(one) and {a, b} & set(other)
            ]
            assert sum(between) <= 1e-9


@given(links_of(st.floats(0.1, 4)))
def test_all_that_is_linked_is_together(links: Links) -> None:
    groups = _gather(COUNT, links)
    assert all(together(groups, a, b) for a, b in links)


@given(links_of(st.floats(-4, 0)))
def test_nothing_is_joined_without_a_reason(links: Links) -> None:
    assert _gather(COUNT, links) == [[k] for k in range(COUNT)]


def test_one_link_does_not_outweigh_several_against() -> None:
    assert together(_gather(3, {(0, 1): 3.0, (1, 2): 3.0}), 0, 2)
    apart = _gather(3, {(0, 1): 3.0, (1, 2): 2.0, (0, 2): -4.0})
    assert not together(apart, 0, 2)


def test_a_table_that_begins_under_another_is_one_of_its_own_though_one_piece_is_unsure() -> None:
    lines = [0, 1, 2, 3, 4, 5]
    boxes = [(x, 40.0 * y, x + 60, 40.0 * y + 20) for y in lines for x in (0.0, 100.0, 200.0)]
    writing = Writing(np.array(boxes), np.repeat(lines, 3), 20.0)
    near = measure_pieces(writing, []).near
    roles = np.full((18, 5), 0.01)
    roles[:, BODY] = 0.96
    begins = np.zeros(18)
    begins[9:12] = (0.98, 0.2, 0.98)  # of the fourth line, where the second table begins
    none = np.zeros(18)
    said = np.zeros((len(near), TEXTS))
    found = find_tables(writing, Roles(roles, none, begins, none, none, none, none, near, said))
    assert sorted(len(t.lines) for t in found) == [3, 3]


@pytest.mark.parametrize("levels", [1, 2])
def test_headings_over_the_white_between_columns_belong_to_the_table_below(levels: int) -> None:
    boxes = [(165.0, 40.0 * y, 190.0, 40.0 * y + 20) for y in range(levels)]  # over no piece
    rows = range(levels, levels + 4)
    boxes += [(x, 40.0 * y, x + 60, 40.0 * y + 20) for y in rows for x in (0.0, 100.0, 200.0)]
    lines = np.array([y // 40 for _, y, _, _ in boxes], np.int64)
    writing = Writing(np.array(boxes), lines, 20.0)
    near = measure_pieces(writing, []).near
    roles = np.full((len(boxes), 5), 0.01)
    roles[: levels + 3, HEADING] = roles[levels + 3 :, BODY] = 0.96
    none, said = np.zeros(len(boxes)), np.zeros((len(boxes), TEXTS))
    (found,) = find_tables(writing, Roles(roles, none, none, none, none, none, none, near, said))
    assert len(found.lines) == levels + 4
    assert found.headings == levels + 1


@pytest.mark.parametrize(
    ("rules", "count"),
    [
        ([(0.0, 900.0, -10.0), (0.0, 900.0, 170.0)], 1),
        ([(0.0, 900.0, -10.0)], 2),  # one of a page's own
        ([(0.0, 160.0, -10.0), (700.0, 900.0, -10.0), (0.0, 900.0, 170.0)], 2),  # two frames
        ([(0.0, 900.0, -200.0), (0.0, 900.0, 400.0)], 2),  # far off
    ],
)
def test_level_parts_that_the_same_rules_run_over_are_one_table(
    rules: list[tuple[float, float, float]], count: int
) -> None:
    places = (0.0, 100.0, 700.0, 800.0)
    writing = writing_of(*[[(x, x + 60) for x in places]] * 4)
    parted = frozenset(range(2, 16, 4))  # the network takes the right half for another table
    across = [Rule("across", start, end, y, 0.0, 2.0, 1.0) for start, end, y in rules]
    found = find_tables(writing, roles_of(writing, [BODY] * 16, parted=parted), across)
    assert len(found) == count


def table_with_a_lone_line(rules: list[float], *, lone: int = 1) -> int:
    """Lay out a table of 4 rows below lone lines, with rules across at heights; return its rows."""
    lines = [[(80.0, 180.0)]] * lone + [TWO] * 4
    writing = writing_of(*lines)
    roles = roles_of(writing, [HEADING] * (lone + 2) + [BODY] * 6)
    across = [Rule("across", -5.0, 265.0, y, 0.0, 2.0, 1.0) for y in rules]
    (grid,) = find_by_roles(writing, across, roles)
    return grid.rows


@pytest.mark.parametrize("lone", [1, 2, 3])
def test_lone_lines_above_the_first_rule_are_a_title(lone: int) -> None:
    top = 40.0 * lone - 10
    assert table_with_a_lone_line([top, top + 40, top + 170], lone=lone) == 4


@pytest.mark.parametrize(
    "rules",
    [
        [],  # nothing tells
        [-10.0, 30.0],  # the frame holds it too
        [70.0],  # the first rule lies below the heading
    ],
)
def test_a_lone_line_that_no_rule_cuts_off_is_heading(rules: list[float]) -> None:
    assert table_with_a_lone_line(rules) == 5


@pytest.mark.parametrize(
    ("chances", "wide"),
    [
        ((0.98, 0.45), (True, True)),  # the other tells
        ((0.58, 0.02), (False, False)),
        ((0.98, 0.02), (True, False)),  # both are sure
    ],
)
def test_names_of_sections_span_alike_where_one_is_unsure(
    chances: tuple[float, float], wide: tuple[bool, bool]
) -> None:
    names = (1, 4)
    boxes = [
        (x, 40.0 * y, x + 60, 40.0 * y + 20)
        for y in range(7)
        for x in ((0.0,) if y in names else (0.0, 100.0, 200.0))
    ]
    lines = np.array([y // 40 for _, y, _, _ in boxes], np.int64)
    writing = Writing(np.array(boxes), lines, 20.0)
    alone = [int(np.flatnonzero(lines == y)[0]) for y in names]
    roles = np.full((len(boxes), 5), 0.01)
    roles[:3, HEADING] = roles[3:, BODY] = 0.96
    none, said = np.zeros(len(boxes)), np.zeros((len(boxes), TEXTS))
    spans = none.copy()
    spans[alone] = chances
    near = measure_pieces(writing, []).near
    (found,) = find_tables(writing, Roles(roles, none, none, none, spans, none, none, near, said))
    assert tuple(bool(found.spans[y][0]) for y in names) == wide
