"""At which lines a table begins and ends, judged with the whole table in view."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.model.grid import Rule
from keel_line.rule.assembly import FoundTable, make_table
from keel_line.rule.ends import FOOT, MEASURES, TOP, count_likely, find_run, judge_ends, measure_run
from keel_line.rule.pieces import measure_pieces
from keel_line.rule.roles import BODY, HEADING, OUTSIDE, Roles
from keel_line.rule.sayings import TEXTS
from keel_line.rule.writing import Writing

CAP, PITCH = 20.0, 45.0
COLS, ROWS = 3, 8


def page(above: int = 1, below: int = 1) -> Writing:
    """Return a table with lines of prose above and below it, a blank line away."""
    boxes, lines, y, line = [], [], 100.0, 0

    def prose(count: int) -> None:
        nonlocal y, line
        for _ in range(count):
            boxes.append((60.0, y, 760.0, y + 1.2 * CAP))
            lines.append(line)
            y, line = y + PITCH, line + 1

    prose(above)
    y += PITCH
    for _ in range(ROWS):
        for c in range(COLS):
            boxes.append((100.0 + 200.0 * c, y, 200.0 + 200.0 * c, y + CAP))
            lines.append(line)
        y, line = y + PITCH, line + 1
    y += PITCH
    prose(below)
    return Writing(np.array(boxes), np.array(lines, np.int64), CAP)


def roles(writing: Writing, within: np.ndarray) -> Roles:
    """Return roles by the chance of each piece to be in a table."""
    count = len(writing.boxes)
    chances = np.full((count, 5), 0.001)
    chances[:, BODY], chances[:, OUTSIDE] = within, 1 - within
    first = np.flatnonzero(within > 0.5)[:COLS]
    chances[first, HEADING], chances[first, BODY] = chances[first, BODY], 0.01
    none = np.full(count, 0.01)
    near = measure_pieces(writing, []).near
    return Roles(chances, none, none, none, none, none, none, near, np.zeros((count, TEXTS)))


def table(writing: Writing, thought: Roles, lines: range) -> FoundTable:
    return make_table([np.flatnonzero(writing.lines == n) for n in lines], writing, thought)


def in_table(writing: Writing, above: int) -> np.ndarray:
    return (writing.lines >= above) & (writing.lines < above + ROWS)


def lines_of(found: FoundTable, writing: Writing) -> list[int]:
    return [int(writing.lines[line[0]]) for line in found.lines]


@given(st.integers(0, 3), st.integers(0, 3))
def test_what_is_plain_to_the_network_stays(above: int, below: int) -> None:
    writing = page(above, below)
    thought = roles(writing, np.where(in_table(writing, above), 0.99, 0.01))
    whole = table(writing, thought, range(above, above + ROWS))
    (judged,) = judge_ends([whole], writing, (), thought)
    assert judged.lines is whole.lines
    assert max(judged.ends) < 0.2


def test_a_line_of_prose_that_the_network_took_goes() -> None:
    writing = page(1, 2)
    within = np.where(in_table(writing, 1), 0.99, 0.01)
    within[writing.lines == ROWS + 1] = 0.55
    thought = roles(writing, within)
    longer = table(writing, thought, range(1, ROWS + 2))
    (judged,) = judge_ends([longer], writing, (), thought)
    assert lines_of(judged, writing) == list(range(1, ROWS + 1))
    assert 0.0 <= judged.ends[0] < judged.ends[1] < 1.0  # it is the foot that is unsure


def test_a_row_that_the_network_left_out_comes() -> None:
    writing = page(1, 1)
    within = np.where(in_table(writing, 1), 0.99, 0.01)
    within[writing.lines == ROWS] = 0.45
    thought = roles(writing, within)
    shorter = table(writing, thought, range(1, ROWS))
    (judged,) = judge_ends([shorter], writing, (), thought)
    assert lines_of(judged, writing) == list(range(1, ROWS + 1))


def test_the_lines_of_another_table_stay_where_they_are() -> None:
    writing = page(0, 0)
    thought = roles(writing, np.full(len(writing.boxes), 0.99))
    upper, lower = table(writing, thought, range(4)), table(writing, thought, range(4, ROWS))
    first, second = judge_ends([upper, lower], writing, (), thought)
    assert not set(first.pieces.tolist()) & set(second.pieces.tolist())


def test_a_run_goes_from_the_inside_out_and_on_to_the_next_table() -> None:
    writing = page(2, 6)
    thought = roles(writing, np.where(in_table(writing, 2), 0.99, 0.01))
    own = table(writing, thought, range(2, 2 + ROWS))
    free = np.ones(len(writing.boxes), bool)
    run, first = find_run(own.lines, FOOT, writing, free)
    assert [int(writing.lines[line[0]]) for line in run] == list(range(2, 2 + ROWS + 4))
    assert first == ROWS - 4
    run, first = find_run(own.lines, TOP, writing, free)
    assert [int(writing.lines[line[0]]) for line in run] == list(range(1 + ROWS, -1, -1))
    free[writing.lines == 2 + ROWS + 1] = False
    assert len(find_run(own.lines, FOOT, writing, free)[0]) == ROWS + 1


def test_few_lines_are_not_judged() -> None:
    writing = page(0, 1)
    thought = roles(writing, np.where(in_table(writing, 0), 0.99, 0.01))
    lone = table(writing, thought, range(1))
    run, first = find_run(lone.lines, FOOT, writing, np.ones(len(writing.boxes), bool))
    assert first == len(run)
    (judged,) = judge_ends([lone], writing, (), thought)
    assert judged.lines is lone.lines
    assert judged.ends == (0.0, 0.0)


@given(st.lists(st.floats(-5, 5), min_size=1, max_size=7), st.data())
def test_as_many_lines_are_taken_as_is_likeliest(odds: list[float], data: st.DataObject) -> None:
    found = data.draw(st.integers(0, len(odds)))
    chances = 1 / (1 + np.exp(-np.array(odds)))
    likely = [
        float(np.prod(chances[:k]) * (1 - chances[k] if k < len(odds) else 1.0))
        for k in range(len(odds) + 1)
    ]
    count, otherwise = count_likely(np.array(odds), found)
    assert otherwise == pytest.approx(1 - likely[count], abs=1e-9)
    assert count == found or likely[count] > likely[found]
    assert max(likely) < 2.72 * likely[count]  # not much likelier: e times


@given(st.floats(0.5, 3.0), st.floats(0, 500))
def test_neither_size_nor_place_counts(scale: float, off: float) -> None:
    writing = page(1, 3)
    moved = Writing(writing.boxes * scale + off, writing.lines, CAP * scale)
    within = np.where(in_table(writing, 1), 0.99, 0.01)
    rules = [
        (Rule("across", 90.0, 620.0, 172.0, 0.0, 2.0, 1.0)),
        (Rule("down", 170.0, 560.0, 250.0, 0.0, 2.0, 1.0)),
    ]
    drawn = [
        Rule(
            r.direction,
            r.start * scale + off,
            r.end * scale + off,
            r.position * scale + off,
            0.0,
            2.0 * scale,
            1.0,
        )
        for r in rules
    ]
    out = []
    for own, ruled in ((writing, rules), (moved, drawn)):
        thought = roles(own, within)
        found = table(own, thought, range(1, 1 + ROWS))
        for side in (TOP, FOOT):
            run, first = find_run(found.lines, side, own, np.ones(len(own.boxes), bool))
            out.append(measure_run(run, first, side, own, ruled, thought))
            assert out[-1].shape == (len(run) - first, len(MEASURES))
    for measured, again in zip(out[:2], out[2:], strict=True):
        assert measured == pytest.approx(again, abs=1e-6)
