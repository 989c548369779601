"""What was corrected says something of what was read alike in the docket's other tables."""

from __future__ import annotations

from dataclasses import replace

import pytest

from keel_line.desk.judge import judge_table
from keel_line.desk.misreadings import Misreadings, gather_misreadings
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import Reading, RunnerUp
from keel_line.model.table import CellState, Settled, TableState
from keel_line.read.confidence import load_calibration, make_flagging

FLAGGING = make_flagging(load_calibration(), 1.0)


def sure(row: int, text: str, other: str, col: int = 0, span: int = 1) -> CellState:
    """A cell beyond doubt that might say something else."""
    reading = Reading(text, 0.9999, (), (RunnerUp(other, 0.001),))
    cell = Cell(row, col, 1, span, (80.0 * col, 20.0 * row, 80.0 * (col + span), 20.0 * row + 18))
    return CellState(100 * col + row, cell, reading, None, flagged=False)


def settle(state: CellState, text: str | None = None) -> CellState:
    said = state.reading.text if text is None else text
    return replace(state, settled=Settled(said, by_hand=said != state.reading.text))


def lay(number: int, cols: int, *cells: CellState) -> TableState:
    rows = max(c.cell.row for c in cells) + 1
    xs, ys = (tuple(step * i for i in range(n + 1)) for step, n in ((80.0, cols), (20.0, rows)))
    grid = Grid((0.0, 0.0, xs[-1], ys[-1]), xs, ys, tuple(c.cell for c in cells))
    return TableState(number, "Berths", number, 1, "a.png", grid, 0, "", cells)


def judge(*cells: CellState) -> list[CellState]:
    cols = max(c.cell.col for c in cells) + 1
    return list(judge_table(lay(1, cols, *cells), FLAGGING).cells)


CODES = [("04-5471", "O4-5471"), ("04-5472", "O4-5472"), ("19-5403", "19-54O3")]


def test_cells_misread_as_one_that_was_put_right_are_in_doubt() -> None:
    fresh = [sure(i, *code) for i, code in enumerate(CODES)]
    beside = sure(1, "04-5472", "O4-5472", col=1)
    assert not any(c.in_doubt for c in judge(*fresh, beside))
    judged = judge(settle(fresh[0], "O4-5471"), *fresh[1:], beside)
    assert [c.recalled for c in judged] == ["", "O4-5472", "", ""]
    assert [c.in_doubt for c in judged] == [False, True, False, False]
    assert judged[1].confidence <= 0.5


def test_two_corrections_of_a_sign_speak_for_the_whole_column() -> None:
    fresh = [sure(i, *code) for i, code in enumerate(CODES)]
    again = sure(3, "77-0010", "77-O010")
    put_right = [settle(fresh[0], "O4-5471"), settle(again, "77-O010")]
    judged = judge(*put_right, *fresh[1:])
    assert [c.in_doubt for c in judged[2:]] == [True, True]


def test_what_proved_right_more_often_is_not_doubted_for_one_that_was_wrong() -> None:
    fresh = [sure(i, f"04-{i}", f"O4-{i}") for i in range(5)]
    borne_out = [settle(c) for c in fresh[:2]]
    judged = judge(*borne_out, settle(fresh[2], "O4-2"), *fresh[3:])
    assert not any(c.in_doubt for c in judged)
    judged = judge(borne_out[0], settle(fresh[2], "O4-2"), *fresh[3:])
    assert [c.in_doubt for c in judged] == [False, False, True, True]


def test_a_correction_of_more_than_a_character_says_nothing_of_others() -> None:
    fresh = [sure(i, *code) for i, code in enumerate(CODES)]
    judged = judge(settle(fresh[0], "O4-5411"), *fresh[1:])
    assert not any(c.in_doubt for c in judged)


def test_a_correction_reaches_the_other_pages_of_the_form() -> None:
    first = lay(1, 2, settle(sure(0, "04-71", "O4-71"), "O4-71"), sure(0, "4", "A", 1))
    second = lay(2, 2, sure(0, "04-72", "O4-72"), sure(0, "04-73", "O4-73", 1))
    other = lay(3, 3, sure(0, "04-72", "O4-72"))
    known = gather_misreadings([first, second, other])
    judged = [judge_table(t, FLAGGING, known) for t in (first, second, other)]
    assert [c.recalled for c in judged[1].cells] == ["O4-72", ""], "its own column alone"
    assert judged[1].cells[0].in_doubt
    assert judged[1].cells[0].expected_wrong == 0.0
    assert not any(c.in_doubt for c in judged[2].cells), "of another number of columns"


def test_what_is_taken_back_says_nothing_any_more() -> None:
    known = Misreadings()
    cell, like = sure(0, "04-71", "O4-71"), sure(1, "04-72", "O4-72")
    assert known.add(2, settle(cell, "O4-71"))
    kept = known.copy()
    assert known.recall(2, like) == "O4-72"
    assert known.add(2, settle(cell, "O4-71"), -1)
    assert known.recall(2, like) == ""
    assert kept.recall(2, like) == "O4-72"


@pytest.mark.parametrize(
    ("state", "says"),
    [
        (settle(sure(0, "04-71", "O4-71")), False),
        (settle(sure(0, "04-71", "O4-71"), "O4-17"), False),
        (settle(sure(0, "04-71", "O4-71", span=2), "O4-71"), False),
        (sure(0, "04-71", "O4-71"), False),
        (settle(sure(0, "04-71", "O4-71"), "04-7"), True),
    ],
    ids=["as read", "in two places", "over two columns", "not settled", "a character less"],
)
def test_what_says_something_of_others(state: CellState, *, says: bool) -> None:
    assert Misreadings().add(2, state) is says


def test_what_proves_right_is_heard_once_something_was_wrong() -> None:
    known = Misreadings()
    right = settle(sure(0, "04-70", "O4-70"))
    assert not known.add(2, right)
    known.add(2, settle(sure(1, "04-71", "O4-71"), "O4-71"))
    like = sure(3, "04-73", "O4-73")
    assert known.recall(2, like) == "O4-73", "once each"
    assert known.add(2, settle(sure(2, "04-72", "O4-72")))
    assert known.recall(2, like) == "", "right more often"
