"""What settled cells teach: doubted less, offered elsewhere, never set by itself."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from keel_line.desk.judge import judge_table
from keel_line.desk.learning import Experience, Lessons, learn, pair_in_question
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
    lessons = Lessons(Counter({("1", "I"): right}), Counter({("1", "I"): wrong}))
    heeded = lessons.heed(("1", "I"), sure)
    assert sure <= heeded < 1
    if right + wrong < 3:
        assert heeded == sure


def test_a_pair_that_proved_wrong_stays_in_doubt() -> None:
    cells = [settled(doubtful(i, f"S {i}", 2, "I"), f"S I{i}") for i in range(9)]
    assert learn(cells).heed(("1", "I"), 0.9) == 0.9


def test_the_next_cells_of_a_pair_confirmed_many_times_are_doubted_less() -> None:
    fresh = [doubtful(i, f"{WORDS[i]}1", 4, "l", 0.7) for i in range(40)]
    ys = tuple(20.0 * i for i in range(41))
    grid = Grid((0, 0, 80, 800), (0.0, 80.0), ys, tuple(c.cell for c in fresh))
    plain = TableState(1, "Berths", 1, 1, "a.png", grid, 0, "", tuple(fresh))
    flagging = make_flagging(load_calibration(), 10.0)
    before = judge_table(plain, flagging)
    taught = judge_table(replace(plain, cells=(*map(settled, fresh[:25]), *fresh[25:])), flagging)
    assert before.cells[30].confidence < taught.cells[30].confidence


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
