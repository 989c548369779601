"""Which lines of a table are one row, judged with the whole table in view."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.model.grid import Rule
from keel_line.rule.assembly import FoundTable, take_all
from keel_line.rule.joining import MEASURES, judge_joins, measure_lines
from keel_line.rule.pieces import measure_pieces
from keel_line.rule.roles import BODY, HEADING, Roles
from keel_line.rule.sayings import TEXTS
from keel_line.rule.writing import Writing

CAP, PITCH, WRAP = 20.0, 60.0, 28.0
COLS = 3


def writing(rows: int, wrapped: frozenset[int]) -> Writing:
    """Return rows of three pieces; under those of ``wrapped`` the last column goes on, closer."""
    boxes, y = [], 100.0
    for row in range(rows):
        boxes += [(200.0 * c, y, 200.0 * c + 100 + 60 * (c == 2), y + CAP) for c in range(COLS)]
        if row in wrapped:
            y += WRAP
            boxes.append((400.0, y, 470.0, y + CAP))
        y += PITCH
    own = np.array(boxes)
    return Writing(own, np.unique(own[:, 1], return_inverse=True)[1].astype(np.int64), CAP)


def roles(pieces: Writing, joins: np.ndarray | float) -> Roles:
    """Return roles that tell body from heading, and what is thought of lines, but nothing else."""
    count = len(pieces.boxes)
    chances = np.full((count, 5), 0.001)
    chances[:, BODY] = 0.996
    chances[:COLS, [BODY, HEADING]] = chances[:COLS, [HEADING, BODY]]
    none = np.full(count, 0.01)
    near = measure_pieces(pieces, []).near
    lines = np.full(count, 0.0) + joins
    return Roles(chances, lines, none, none, none, none, lines, near, np.zeros((count, TEXTS)))


def judge(pieces: Writing, thought: Roles, rules: tuple[Rule, ...] = ()) -> tuple[bool, ...]:
    return judge_joins(take_all(pieces, thought), pieces, rules, thought).joined


def rule(y: float) -> Rule:
    return Rule("across", 0.0, 560.0, y, 0.0, 2.0, 1.0)


@given(st.integers(5, 12), st.sets(st.integers(1, 4), max_size=3))
def test_what_is_plain_to_the_network_stays(rows: int, wrapped: set[int]) -> None:
    pieces = writing(rows, frozenset(wrapped))
    goes_on = np.bincount(pieces.lines)[pieces.lines] == 1
    joined = judge(pieces, roles(pieces, np.where(goes_on, 0.99, 0.01)))
    first = np.unique(pieces.lines, return_index=True)[1]
    assert joined == tuple(goes_on[first][1:].tolist())


def test_where_the_network_is_unsure_the_step_tells() -> None:
    wrapped = frozenset({2, 4, 5})
    pieces = writing(9, wrapped)
    alone = np.bincount(pieces.lines)[pieces.lines] == 1
    joined = judge(pieces, roles(pieces, np.where(alone, 0.4, 0.02)))
    assert sum(joined) == len(wrapped)
    even = replace(pieces, boxes=pieces.boxes.copy())
    even.boxes[:, [1, 3]] = 100 + 60 * even.lines[:, None] + np.array([0, CAP])
    chances = [
        judge_joins(take_all(p, t), p, (), t).joins
        for p in (pieces, even)
        for t in [roles(p, np.where(alone, 0.4, 0.02))]
    ]
    lone = np.flatnonzero(np.bincount(pieces.lines)[1:] == 1)
    assert np.array(chances[0])[lone].min() > np.array(chances[1])[lone].max()


def test_a_rule_between_lines_speaks_for_two_rows() -> None:
    pieces = writing(6, frozenset({3}))
    alone = np.bincount(pieces.lines)[pieces.lines] == 1
    thought = roles(pieces, np.where(alone, 0.5, 0.02))
    tops = np.array([pieces.boxes[pieces.lines == n, 1].min() for n in np.unique(pieces.lines)])
    every = tuple(rule(y - 4) for y in tops[1:].tolist())
    but_one = tuple(r for r in every if abs(r.position - tops[4] + 4) > 1)
    number = 3  # the line that is alone
    free = judge_joins(take_all(pieces, thought), pieces, but_one, thought).joins
    ruled = judge_joins(take_all(pieces, thought), pieces, every, thought).joins
    assert ruled[number] < free[number] - 0.05


@pytest.mark.parametrize("rows", [1, 2])
def test_few_lines_can_be_measured(rows: int) -> None:
    pieces = writing(rows, frozenset())
    thought = roles(pieces, 0.01)
    table = take_all(pieces, thought)
    if rows > 1:
        measures = measure_lines(table, pieces, (), thought)
        assert measures.shape == (rows - 1, len(MEASURES))
        assert np.isfinite(measures).all()
    judged: FoundTable = judge_joins(table, pieces, (), thought)
    assert judged.joined == (False,) * (rows - 1)


@given(st.floats(0.5, 3.0), st.floats(-500, 500))
def test_neither_size_nor_place_counts(scale: float, off: float) -> None:
    pieces = writing(7, frozenset({2, 3}))
    moved = Writing(pieces.boxes * scale + off, pieces.lines, pieces.cap_px * scale)
    own, other = (
        measure_lines(take_all(p, t), p, (), t) for p in (pieces, moved) for t in [roles(p, 0.2)]
    )
    assert own == pytest.approx(other, abs=1e-6)
