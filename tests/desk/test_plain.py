"""Dashes and quotes written plainly: how readings are seen, not what was read."""

from __future__ import annotations

import sqlite3
from dataclasses import replace

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line._shared.texts import write_plain
from keel_line.desk.desk import Desk
from keel_line.desk.plain import see_plainly, write_plainly
from keel_line.model.grid import Cell
from keel_line.model.reading import CharReading, Reading, RunnerUp
from keel_line.model.table import CellState, Settled

BOX = (0.0, 0.0, 1.0, 1.0)


def read(text: str, sure: float, **others: float) -> Reading:
    """A reading whose character in question is its first dash; ``others`` by their text."""
    chars = tuple(CharReading(c, 0.6 if c in "-–" else 0.999, BOX) for c in text)
    return Reading(text, sure, chars, tuple(RunnerUp(t, p) for t, p in others.items()))


def test_a_doubt_between_two_dashes_is_none_any_more() -> None:
    plain = write_plainly(read("41–48", 0.6, **{"41-48": 0.36, "41–43": 0.04}))
    assert plain.text == "41-48"
    assert plain.confidence == pytest.approx(0.6 + 0.4 * 0.9)
    assert [(r.text, r.probability) for r in plain.runners_up] == [("41-43", 0.04)]
    assert "".join(c.char for c in plain.chars) == "41-48"
    assert plain.chars[2].probability == pytest.approx(0.6 + 0.4 * 0.9)
    assert [c.probability for i, c in enumerate(plain.chars) if i != 2] == [0.999] * 4


def test_other_doubts_stay_and_like_readings_are_one() -> None:
    plain = write_plainly(read("8’ 6", 0.7, **{"3’ 6": 0.1, "3' 6": 0.1, "8' 6": 0.1}))
    assert [r.text for r in plain.runners_up] == ["3' 6"]
    assert plain.runners_up[0].probability == pytest.approx(0.2)
    assert plain.confidence == pytest.approx(0.7 + 0.3 / 3)


@pytest.mark.parametrize("why", [{"held_down": True}, {"unread": (BOX,)}])
def test_what_no_other_reading_explains_keeps_its_doubt(why: dict[str, object]) -> None:
    reading = read("4–5", 0.5, **{"4-5": 0.5})
    plain = write_plainly(replace(reading, **why))  # type: ignore[arg-type]
    assert plain.text == "4-5"
    assert plain.confidence == 0.5


TEXTS = st.text(alphabet="a1-–—'’“\"”", min_size=1, max_size=4)


@given(TEXTS, st.floats(0, 1), st.dictionaries(TEXTS, st.floats(0, 0.2), max_size=5))
def test_plain_readings_are_as_long_no_less_sure_and_never_certain(
    text: str, sure: float, others: dict[str, float]
) -> None:
    reading = read(text, sure, **{t: p for t, p in others.items() if t != text})
    plain = write_plainly(reading)
    assert len(plain.text) == len(text)
    assert not set(plain.text) & set("–—’“”")
    assert sure <= plain.confidence <= 1
    assert 1 - plain.confidence >= 0.0199 * (1 - sure)
    texts = [r.text for r in plain.runners_up]
    assert plain.text not in texts
    assert len(set(texts)) == len(texts)
    assert write_plainly(plain) == plain


def test_what_the_clerk_typed_stays_and_what_was_accepted_is_written_plainly() -> None:
    reading = read("4–5", 0.5, **{"4-5": 0.5})
    cell = CellState(1, Cell(0, 0, 1, 1, BOX), reading, None, flagged=True)
    typed = replace(cell, settled=Settled("4—5", by_hand=True))
    accepted = replace(cell, settled=Settled("4–5", by_hand=False))
    assert see_plainly(typed).text == "4—5"
    assert see_plainly(accepted).text == "4-5"


def test_a_docket_keeps_what_was_read(demo_desk: Desk) -> None:
    path = demo_desk.docket.path
    assert path is not None
    first = next(s for t in demo_desk.tables() for s in t.cells if s.text)
    dashes = read("41–48", 0.6, **{"41-48": 0.4})
    with sqlite3.connect(path) as db:
        evidence = msgspec.json.encode(dashes).decode()
        db.execute("UPDATE cell SET evidence = ? WHERE id = ?", (evidence, first.id))
    db.close()

    def see() -> CellState:
        return next(s for t in demo_desk.tables() for s in t.cells if s.id == first.id)

    assert see().text == "41–48"
    assert see().in_doubt
    demo_desk.set_plain_signs(plain=True)
    assert demo_desk.plain_signs
    assert see().text == "41-48"
    assert not see().in_doubt
    alone = demo_desk.cell(first.id)
    assert (alone.text, alone.flagged) == ("41-48", False)
    demo_desk.accept([see()])
    assert see().text == "41-48"
    assert not see().settled.by_hand  # type: ignore[union-attr]
    demo_desk.undo()
    demo_desk.set_plain_signs(plain=False)
    assert see().text == "41–48"
    assert see().in_doubt


def test_plain_signs_are_one_character_each() -> None:
    assert write_plain("‚Marram’ — “Light” 1–2 ‐ −3") == "'Marram' - \"Light\" 1-2 - -3"
