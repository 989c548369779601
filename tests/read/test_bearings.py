"""The room that a table's characters leave on either side."""

from __future__ import annotations

from itertools import product

import numpy as np
import pytest

from keel_line.read.bearings import Bearings, Gap, measure_bearings

BEHIND = {"A": -0.06, "I": 0.08, "l": 0.05, "V": -0.07}
BEFORE = {"A": -0.05, "I": 0.07, "l": 0.06, "V": -0.08}


def gap(left: str, right: str, beyond: float = 0.0) -> Gap:
    return left, right, 0.2 + BEHIND[left] + BEFORE[right] + beyond


def gaps(times: int) -> list[Gap]:
    return [gap(a, b) for a, b in product(BEHIND, BEFORE)] * times


def test_room_is_learnt_from_gaps() -> None:
    found = measure_bearings(gaps(20), 0.17)
    for left, right in product(BEHIND, BEFORE):
        assert found.expect(left, right) == pytest.approx(gap(left, right)[2], abs=0.01)
    assert found.count("A", "V") == 80
    assert found.noise < 0.02


def test_a_pair_that_never_stood_side_by_side_is_known_by_its_characters() -> None:
    found = measure_bearings([g for g in gaps(20) if g[:2] != ("A", "V")], 0.17)
    assert found.expect("A", "V") == pytest.approx(gap("A", "V")[2], abs=0.015)


def test_spaces_that_were_not_read_do_not_widen_the_room() -> None:
    missed = [gap("I", "A", 0.5), gap("l", "V", 0.5), gap("V", "l", 0.4)] * 4
    found = measure_bearings([*gaps(5), *missed], 0.17)
    assert found.expect("I", "A") == pytest.approx(gap("I", "A")[2], abs=0.04)
    assert gap("I", "A", 0.5)[2] - found.expect("I", "A") > 0.4


def test_a_character_seen_once_is_hardly_trusted() -> None:
    odd = ("J", "A", 0.2 + BEFORE["A"] + 0.2)
    found = measure_bearings([*gaps(5), odd], 0.17)
    assert 0.0 < found.behind["J"] < 0.15
    assert found.count("J", "A") == 1


def test_little_text_and_strange_characters_have_the_usual_room() -> None:
    assert measure_bearings(gaps(1)[:5], 0.17) == Bearings(0.17)
    assert measure_bearings(gaps(1)[:5], 0.8).expect("A", "V") == 0.8
    found = measure_bearings(gaps(5), 0.17)
    assert found.expect("q", "q") == found.usual
    assert found.count("q", "A") == 0


def test_gaps_all_far_apart_are_still_measured() -> None:
    wide = [("a", "b", float(w)) for w in np.linspace(0, 6, 13)]
    found = measure_bearings(wide, 0.17)
    assert np.isfinite(found.expect("a", "b"))
    assert np.isfinite(found.noise)
