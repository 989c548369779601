"""Tables beside each other whose rules all break at the white between them."""

from __future__ import annotations

import pytest

from keel_line.model.grid import Rule
from keel_line.rule.assembly import find_tables
from keel_line.rule.roles import BODY
from tests.rule.test_roles import roles_of, writing_of

Places = list[tuple[float, float]]
FAR: Places = [(0.0, 60.0), (100.0, 160.0), (400.0, 460.0), (500.0, 560.0)]
CLOSE: Places = [(0.0, 60.0), (100.0, 160.0), (200.0, 260.0), (300.0, 360.0)]


def rules_at(heights: list[float], *ends: tuple[float, float]) -> list[Rule]:
    """Rules across: at each height one between each pair of ends."""
    return [Rule("across", a, b, y, 0.0, 2.0, 1.0) for y in heights for a, b in ends]


def count_tables(places: Places, rules: list[Rule], *, parted: bool = False) -> int:
    """Find the tables in 5 lines of 4 pieces; ``parted`` if the network takes them for two."""
    writing = writing_of(*[places] * 5)
    beyond = frozenset(range(2, 20, 4)) if parted else frozenset()
    return len(find_tables(writing, roles_of(writing, [BODY] * 20, parted=beyond), rules))


BROKEN = ((-10.0, 180.0), (380.0, 580.0))


def test_rules_that_break_at_one_strip_part_two_tables() -> None:
    assert count_tables(FAR, rules_at([-10.0, 30.0, 190.0], *BROKEN)) == 2


@pytest.mark.parametrize(
    "rules",
    [
        rules_at([-10.0, 190.0], *BROKEN),  # too few: short rules under two titles are like that
        [*rules_at([-10.0, 30.0, 70.0], *BROKEN), *rules_at([110.0], (-10.0, 580.0))],
        rules_at([30.0, 110.0, 190.0], (90.0, 170.0), (390.0, 470.0)),  # under single amounts
        rules_at([-10.0, 30.0, 190.0], (-10.0, 180.0)),  # no rule goes on
        [*rules_at([-10.0, 30.0, 190.0], BROKEN[0]), *rules_at([10.0, 50.0, 90.0], BROKEN[1])],
    ],
)
def test_other_rules_part_nothing(rules: list[Rule]) -> None:
    assert count_tables(FAR, rules) == 1


def test_parts_as_close_as_columns_stay_two_where_rules_break_between_them() -> None:
    broken = rules_at([-10.0, 30.0, 190.0], (-10.0, 170.0), (190.0, 370.0))
    assert count_tables(CLOSE, broken, parted=True) == 2
    assert count_tables(CLOSE, [], parted=True) == 1
