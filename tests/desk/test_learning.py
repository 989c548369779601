"""What settled cells teach: doubted less, offered elsewhere, never set by itself."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from keel_line.desk.judge import judge_table
from keel_line.desk.learning import (
    Experience,
    Lessons,
    Topic,
    learn,
    pair_in_question,
    topic_of,
)
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import CharReading, Reading, RunnerUp
from keel_line.model.table import CellState, Settled, TableState
from keel_line.read.confidence import load_calibration, make_flagging

WORDS = [chr(97 + i % 26) + chr(97 + 7 * i % 26) + chr(97 + 11 * i % 26) + "o" for i in range(40)]


def doubtful(number: int, text: str, at: int, other: str, sure: float = 0.8) -> CellState:
    """A cell whose character ``at`` is in question against ``other``."""
    chars = tuple(
        CharReading(c, 0.6 if i == at else 0.999, (0, 0, 1, 1)) for i, c in enumerate(text)
    )
    runner_up = RunnerUp(text[:at] + other + text[at + 1 :], 0.3)
    reading = Reading(text, sure, chars, (runner_up,))
    cell = Cell(number, 0, 1, 1, (0.0, 20.0 * number, 80.0, 20.0 * number + 18))
    return CellState(number, cell, reading, None, flagged=True)


def settled(state: CellState, text: str | None = None) -> CellState:
    said = state.reading.text if text is None else text
    return replace(state, settled=Settled(said, by_hand=said != state.reading.text))


def test_only_a_single_pair_is_in_question() -> None:
    cell = doubtful(0, "S 1", 2, "I")
    assert pair_in_question(cell) == ("1", "I")
    two = tuple(replace(c, probability=0.5) for c in cell.reading.chars)
    assert pair_in_question(replace(cell, reading=replace(cell.reading, chars=two))) is None
    unread = replace(cell.reading, unread=((0.0, 0.0, 2.0, 2.0),))
    assert pair_in_question(replace(cell, reading=unread)) is None


@given(st.integers(0, 60), st.integers(0, 60), st.floats(0.01, 0.999))
def test_a_pair_is_never_doubted_more_and_few_cells_say_nothing(
    right: int, wrong: int, sure: float
) -> None:
    for topic in (Topic(("1", "I")), Topic(("-",), 2)):
        lessons = Lessons(Counter({topic: right}), Counter({topic: wrong}))
        heeded = lessons.apply_lessons(topic, sure)
        assert sure <= heeded <= 1
        if right + wrong < 3:
            assert heeded == sure


def test_a_pair_that_proved_wrong_stays_in_doubt() -> None:
    cells = [settled(doubtful(i, f"S {i}", 2, "I"), f"S I{i}") for i in range(9)]
    assert learn(cells).apply_lessons(Topic(("1", "I")), 0.9) == 0.9


def test_the_next_cells_of_a_pair_confirmed_many_times_are_doubted_less() -> None:
    fresh = [doubtful(i, f"{WORDS[i]}1", 4, "l", 0.7) for i in range(40)]
    ys = tuple(20.0 * i for i in range(41))
    grid = Grid((0, 0, 80, 800), (0.0, 80.0), ys, tuple(c.cell for c in fresh))
    plain = TableState(1, "Berths", 1, 1, "a.png", grid, 0, "", tuple(fresh))
    flagging = make_flagging(load_calibration(), 10.0)
    before = judge_table(plain, flagging)
    taught = judge_table(replace(plain, cells=(*map(settled, fresh[:25]), *fresh[25:])), flagging)
    assert before.cells[30].confidence < taught.cells[30].confidence


def dash(number: int, col: int, other: str = "–") -> CellState:
    """A hyphen that stands alone in a column and may be another sign."""
    reading = Reading("-", 0.75, (CharReading("-", 0.75, (0, 0, 1, 1)),), (RunnerUp(other, 0.2),))
    cell = Cell(number, col, 1, 1, (80.0 * col, 20.0 * number, 80.0 * col + 80, 20.0 * number + 18))
    return CellState(100 * col + number, cell, reading, None, flagged=True)


def test_marks_of_a_column_are_one_print_and_three_of_them_are_enough() -> None:
    ys = tuple(20.0 * i for i in range(11))
    fresh = [dash(i, col) for i in range(10) for col in range(2)]
    grid = Grid((0, 0, 160, 200), (0.0, 80.0, 160.0), ys, tuple(c.cell for c in fresh))
    flagging = make_flagging(load_calibration(), 1.0)

    def doubts(settle: int, said: str | None = None) -> list[int]:
        left = settle
        cells = []
        for state in fresh:
            teach = state.cell.col == 0 and left > 0
            left -= teach
            cells.append(settled(state, said) if teach else state)
        judged = judge_table(
            TableState(1, "Dues", 1, 1, "a.png", grid, 0, "", tuple(cells)), flagging
        )
        open_ = [s for s in judged.cells if s.flagged and s.settled is None]
        return [sum(s.cell.col == col for s in open_) for col in range(2)]

    assert doubts(0) == [10, 10]
    assert doubts(2) == [8, 10], "two say nothing yet"
    assert doubts(3) == [0, 10], "and the other column may have other marks"
    assert doubts(3, "–") == [7, 10], "what proved wrong stays in doubt"


def test_a_mark_is_a_topic_of_its_column_and_ink_beside_it_is_none() -> None:
    assert topic_of(dash(0, 1)) == Topic(("-",), 1)
    spread = dash(0, 1)
    assert topic_of(replace(spread, cell=replace(spread.cell, col_span=2))) == Topic(("-", "–"))
    unread = replace(spread.reading, unread=((0.0, 0.0, 2.0, 2.0),))
    assert topic_of(replace(spread, reading=unread)) is None
    assert topic_of(doubtful(0, "S 1", 2, "I")) == Topic(("1", "I"))
    assert topic_of(dash(0, 1, "1")) == Topic(("-", "1")), "a figure may stand there"


def test_a_value_put_right_before_is_offered_for_the_same_reading() -> None:
    experience = Experience()
    experience.add(settled(doubtful(0, "Marig0ld", 5, "o"), "Marigold"))
    same = doubtful(1, "Marig0ld", 5, "o")
    assert experience.offer(same) == ["Marigold"]
    assert experience.offer(doubtful(2, "G0nnet", 1, "a")) == []
    assert experience.offer(settled(same)) == []


def test_a_character_put_right_twice_is_offered_for_its_like() -> None:
    experience = Experience()
    cells = [settled(doubtful(i, f"{i}O{i}", 1, "0"), f"{i}0{i}") for i in (1, 2)]
    for cell in cells:
        experience.add(cell)
    assert experience.offer(doubtful(7, "74O", 2, "0")) == ["740"]
    assert experience.offer(doubtful(8, "O4", 1, "A")) == []  # the O is not in doubt there
    experience.add(cells[0], -1)  # taken back
    assert experience.offer(doubtful(7, "74O", 2, "0")) == []


def test_what_proved_right_as_often_is_not_offered() -> None:
    experience = Experience()
    for i in (1, 2):
        experience.add(settled(doubtful(i, f"{i}O{i}", 1, "0"), f"{i}0{i}"))
        experience.add(settled(doubtful(i + 9, f"{i}O{i}", 1, "0")))
    assert experience.offer(doubtful(7, "74O", 2, "0")) == []
