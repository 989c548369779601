"""Two tables beside each other are two where their lines tell, and one table stays one."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Rule
from keel_line.rule.beside import part_beside

CAP = 20.0
LEFT = [(0, 90), (140, 200), (260, 320)]
RIGHT = [(420, 500), (560, 620), (680, 740)]


def line(top: float, *spans: tuple[float, float]) -> NDArray[np.float64]:
    return np.array([(a, top, b, top + CAP) for a, b in spans])


def shapes(rows: list[NDArray[np.float64]], *rules: Rule) -> list[int]:
    """Return how many lines each part has."""
    return [len(part) for part in part_beside(rows, rules, CAP)]


def across(y: float, start: float, end: float) -> Rule:
    return Rule("across", start, end, y, 0.0, 2.0, 1.0)


LEVEL = [line(50 * k, *LEFT, *RIGHT) for k in range(6)]


def test_columns_that_are_level_and_end_together_are_one_table() -> None:
    assert shapes(LEVEL) == [6]


def test_lines_that_are_not_level_are_two_tables() -> None:
    rows = [line(50 * k + off, *side) for k in range(6) for off, side in ((0, LEFT), (22, RIGHT))]
    assert shapes(rows) == [6, 6]


def test_one_that_goes_on_where_the_other_has_ended_is_another_table() -> None:
    assert shapes([*LEVEL, line(300, *LEFT), line(350, *LEFT)]) == [8, 6]
    assert shapes([*LEVEL, line(300, *LEFT)]) == [7]  # a total stands alone as well


def test_columns_that_are_seldom_filled_are_of_the_same_table() -> None:
    sparse = [line(50 * k, *LEFT, *(RIGHT if k in (0, 2, 3) else RIGHT[:1])) for k in range(6)]
    assert shapes([*sparse, line(300, *LEFT), line(350, *LEFT)]) == [8]
    assert shapes([line(50 * k, *LEFT, *(RIGHT[:1] if k < 5 else [])) for k in range(8)]) == [8]


def test_rules_that_end_at_the_gutter_part_and_one_over_it_does_not() -> None:
    ends = [across(y, 0, 330) for y in (-5, 45)] + [across(y, 410, 745) for y in (-5, 45)]
    assert shapes(LEVEL, *ends) == [6, 6]
    assert shapes(LEVEL, *ends, across(95, 0, 745)) == [6]


def test_wrapped_values_part_nothing() -> None:
    """Their lines lie between the others', but the columns beside them are level."""
    rows = []
    for k in range(5):
        rows += [
            line(80 * k, (0, 90)),
            line(80 * k + 13, *LEFT[1:], *RIGHT),
            line(80 * k + 26, (0, 60)),
        ]
    assert shapes(rows) == [15]


def test_pieces_that_were_level_with_the_other_tables_lines_find_their_own() -> None:
    rows = []
    for k in range(6):
        rows.append(np.concatenate([line(50 * k, *LEFT), line(50 * k + 9, RIGHT[0])]))
        rows.append(line(50 * k + 11, *RIGHT[1:]))
    first, second = part_beside(rows, (), CAP)
    assert [len(row) for row in first] == [3] * 6
    assert [len(row) for row in second] == [3] * 6


def test_of_two_gutters_that_part_as_evenly_the_wider_is_taken() -> None:
    """The narrower one runs down between two columns of one of the tables."""
    columns = [(0, 40), (60, 100), (190, 230), (250, 290)]
    short = [columns[0], *columns[2:]]
    rows = [line(50 * k, *(short if k in (2, 4) else columns), *RIGHT) for k in range(6)]
    rows += [line(50 * k, *RIGHT) for k in range(6, 9)]
    assert shapes(rows) == [6, 9]


def test_a_row_that_holds_a_small_mark_alone_is_kept() -> None:
    rows = []
    for k in range(6):
        rows.append(line(50 * k, *LEFT))
        mark = np.array([(580.0, 50.0 * k + 30, 590.0, 50.0 * k + 34)])
        rows.append(mark if k == 3 else line(50 * k + 22, *RIGHT))
    first, second = part_beside(rows, (), CAP)
    assert [len(row) for row in first] == [3] * 6
    assert [len(row) for row in second] == [3, 3, 3, 1, 3, 3]


def test_small_marks_beyond_a_gap_are_no_table() -> None:
    marks = [np.array([(420.0, 50.0 * k + 8, 424.0, 50.0 * k + 12)]) for k in range(6)]
    assert shapes([np.concatenate([line(50 * k, *LEFT), marks[k]]) for k in range(6)]) == [6]
