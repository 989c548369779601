from __future__ import annotations

from benchmarks.answering import AnswerScore, add_answers, answer_all, make_table
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import Reading, RunnerUp
from keel_line.read.confidence import load_calibration, make_flagging

FLAGGING = make_flagging(load_calibration(), 1.0)
TRUTH = ["O4-1", "O4-2", "O4-3", "17"]


def read(text: str, sure: float) -> Reading:
    return Reading(text, sure, (), (RunnerUp(text.replace("0", "O"), 0.001),))


READINGS = [read("04-1", 0.5), read("04-2", 0.9999), read("04-3", 0.9999), read("17", 0.6)]
CELLS = tuple(Cell(i, 0, 1, 1, (0.0, 20.0 * i, 80.0, 20.0 * i + 20)) for i in range(4))
GRID = Grid((0.0, 0.0, 80.0, 80.0), (0.0, 80.0), tuple(20.0 * i for i in range(5)), CELLS)


def test_the_clerk_is_asked_of_what_was_read_alike() -> None:
    table = make_table(GRID, READINGS, FLAGGING)
    assert [s.flagged for s in table.cells] == [True, False, False, True]
    asked, answered = answer_all(table, TRUTH, FLAGGING)
    assert asked == 4
    assert [s.text for s in answered.cells] == TRUTH
    assert not answered.cells[3].settled.by_hand  # type: ignore[union-attr]


def test_what_answers_reveal_is_counted_beside_what_they_do_not() -> None:
    score = AnswerScore()
    add_answers(score, make_table(GRID, READINGS, FLAGGING), TRUTH, FLAGGING)
    assert score == AnswerScore(asked=4, asked_apart=2, unseen=2, left=0, apart=2)
