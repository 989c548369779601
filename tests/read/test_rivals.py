"""Other readings of a cell, and how far what was read leads them."""

from __future__ import annotations

import math

import numpy as np
import pytest

from keel_line.model.reading import RunnerUp
from keel_line.read.decode import Decoded
from keel_line.read.rivals import chance_of, find_runners_up, measure_lead


def line(*beams: tuple[str, float]) -> Decoded:
    text = beams[0][0]
    return Decoded(text, beams, np.zeros((len(text), 2)), np.ones(len(text)))


def knows_nothing(_: str) -> float:
    return 0.0


def likes_points(text: str) -> float:
    return 0.0 if "." in text else -3.0


def test_one_line_at_a_time_is_read_otherwise() -> None:
    lines = [line(("Wren", 0.8), ("Wrem", 0.2)), line(("Tern", 0.6), ("Tem", 0.3), ("", 0.1))]
    found = find_runners_up(lines, knows_nothing)
    assert [r.text for r in found] == ["Wren\nTem", "Wrem\nTern"]
    assert [r.probability for r in found] == pytest.approx([0.8 * 0.3, 0.2 * 0.6])
    assert chance_of(lines) == pytest.approx(0.48)


def test_what_fits_the_column_is_offered_first_with_the_inks_own_chance() -> None:
    found = find_runners_up([line(("1,5", 0.7), ("15", 0.2), ("1.5", 0.1))], likes_points)
    assert found == (RunnerUp("1.5", 0.1), RunnerUp("15", 0.2))


def test_a_lead_is_the_log_odds_by_ink_where_nothing_else_is_known() -> None:
    others = (RunnerUp("15", 0.2), RunnerUp("1,5", 0.1))
    same = dict.fromkeys(("1.5", "15", "1,5"), -4.0)
    lead = measure_lead("1.5", 0.7, others, knows_nothing, same)
    assert lead == pytest.approx(math.log(0.7 / 0.3))


def test_column_and_language_widen_or_narrow_a_lead() -> None:
    others = (RunnerUp("15", 0.2),)
    same = {"1.5": -4.0, "15": -4.0}
    alone = measure_lead("1.5", 0.7, others, knows_nothing, same)
    assert measure_lead("1.5", 0.7, others, likes_points, same) == pytest.approx(alone + 3)
    likelier = {"1.5": -4.0, "15": -2.0}
    assert measure_lead("1.5", 0.7, others, knows_nothing, likelier) == pytest.approx(alone - 1)


def test_a_lead_is_bounded_and_widest_where_there_are_no_others() -> None:
    far = {"a": -400.0, "b": 0.0}
    assert measure_lead("a", 0.9, (), knows_nothing, far) == 12
    assert measure_lead("a", 0.9, (RunnerUp("b", 0.1),), knows_nothing, far) == -6
    assert measure_lead("b", 0.9, (RunnerUp("a", 0.1),), knows_nothing, far) == 12
