from __future__ import annotations

from itertools import product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from keel_line._shared.forms import form_of
from keel_line.read.column import gather_forms
from keel_line.read.decode import GIVING_WAY, LEAST_WAY, decode_line
from keel_line.read.looks import displace, look_again, score_texts, weigh_looks
from keel_line.read.network import Network

ALPHABET = "ab"


def steps(*rows: tuple[float, float]) -> NDArray[np.float32]:
    """Probabilities of a and b at each step, the rest of each step's 1 given to the blank."""
    return np.array([(1 - a - b, a, b) for a, b in rows], np.float32)


def merge(path: tuple[int, ...]) -> tuple[int, ...]:
    """What a path of classes spells: repeats as one, blanks left out."""
    kept = [c for i, c in enumerate(path) if i == 0 or path[i - 1] != c]
    return tuple(c for c in kept if c)


def give_way(probs: NDArray[np.float32], step: int, last: int, now: int) -> float:
    """How far one character takes another's place at a step; 1 where it is no other."""
    if 0 in {last, now} or last == now:
        return 1.0
    bare = probs[step - 1 : step + 1, 0].max()
    fall, rise = probs[step - 1, last] - probs[step, last], probs[step, now] - probs[step - 1, now]
    return float(np.clip(max(bare, min(fall, rise)) / GIVING_WAY, LEAST_WAY, 1))


@settings(max_examples=25)
@given(
    st.lists(st.tuples(st.floats(0.05, 0.45), st.floats(0.05, 0.45)), min_size=4, max_size=5),
    st.lists(st.integers(1, 2), max_size=3),
)
def test_a_texts_score_is_the_sum_over_all_its_paths(
    rows: list[tuple[float, float]], text: list[int]
) -> None:
    probs = steps(*rows)
    ways = [
        np.prod([probs[t, c] for t, c in enumerate(path)])
        * np.prod([give_way(probs, t, *path[t - 1 : t + 1]) for t in range(1, len(rows))])
        for path in product(range(3), repeat=len(rows))
        if merge(path) == tuple(text)
    ]
    total = float(np.sum(ways))
    longer = np.concatenate([probs, steps((0, 0), (0, 0))])
    scores = score_texts([probs, longer], [tuple(text), (1, 2, 1)])
    expected = np.log(total) if total else -np.inf
    assert scores[:, 0] == pytest.approx(expected, abs=1e-4)


def test_looks_that_agree_outweigh_the_first() -> None:
    first = steps((0.55, 0.45), (0, 0))
    other = steps((0.1, 0.9), (0, 0))
    weighed = weigh_looks(decode_line(first, ALPHABET), [first, other, other], ALPHABET)
    assert weighed.text == "b"
    assert weighed.agreement == pytest.approx(2 / 3)
    assert weighed.beams[0][1] > 0.7
    assert [t for t, _ in weighed.beams[:2]] == ["b", "a"]
    assert len(weighed.places) == len(weighed.chances) == 1
    assert weighed.chances[0] == pytest.approx(0.45, abs=0.01)


def test_a_first_look_that_holds_keeps_its_places() -> None:
    first = steps((0.6, 0.4), (0, 0))
    decoded = decode_line(first, ALPHABET)
    weighed = weigh_looks(decoded, [first, steps((0.9, 0.1), (0, 0))], ALPHABET)
    assert weighed.text == "a"
    assert weighed.agreement == 1.0
    np.testing.assert_array_equal(weighed.places, decoded.places)
    assert weighed.beams[0][1] > decoded.beams[0][1]


def test_only_what_is_in_doubt_is_looked_at_again() -> None:
    network = Network()
    sure = decode_line(steps((0.999, 0), (0, 0)), ALPHABET)
    picture = np.zeros((48, 80), np.uint8)
    assert look_again([picture], [steps((0.999, 0), (0, 0))], [sure], network) == [sure]


def test_what_is_no_writing_is_read_once_and_agrees_with_nothing() -> None:
    network = Network()
    letters = network.recipe.alphabet
    probs = np.full((20, len(letters) + 1), 1 / (len(letters) + 1), np.float32)
    probs[:, 1] += np.linspace(0, 0.2, 20)  # writing on its side leaves every letter open
    first = decode_line(probs / probs.sum(axis=1, keepdims=True), letters)
    assert 1 <= len(first.beams) <= 2
    (looked,) = look_again([np.zeros((48, 80), np.uint8)], [probs], [first], network)
    assert looked.agreement == 0.0
    assert looked.beams == first.beams


def test_copies_differ_in_place_and_width() -> None:
    picture = np.zeros((48, 80), np.uint8)
    picture[20:24, 20:60] = 200
    copies = displace(picture, 4)
    assert {c.shape[0] for c in copies} == {48}
    assert {c.shape[1] for c in copies} == {80, 76, 88}
    tops = {int(np.flatnonzero(c.max(axis=1))[0]) for c in copies}
    assert {18, 22} <= tops


# --- forms of a column ---


@pytest.mark.parametrize(
    ("text", "form"),
    [
        ("1,284.50", "9,9.9"),
        ("9 May 1974", "9 a 9"),
        ("Skerry\nHead", "a a"),
        ("N 4", "a 9"),
        ("Öresund", "a"),
        ("", ""),
    ],
)
def test_form_takes_each_run_as_one(text: str, form: str) -> None:
    assert form_of(text) == form


def test_a_form_that_the_column_does_not_know_is_unlikely() -> None:
    column = gather_forms([("12.50", 1.0)] * 30 + [("l2.50", 0.6)])
    assert column.log_share("l2.50", "l2.50", 0.6) < -1
    assert column.log_share("12.50", "l2.50", 0.6) > 1


def test_a_cell_does_not_speak_for_itself() -> None:
    column = gather_forms([("12", 1.0)])
    assert column.log_share("12", "12", 1.0) == pytest.approx(0.0)


@given(st.lists(st.text(alphabet="1a. ", max_size=6), max_size=8), st.text("1a. ", max_size=6))
def test_shares_of_known_forms_never_exceed_the_whole(texts: list[str], own: str) -> None:
    column = gather_forms([(t, 1.0) for t in [*texts, own]])
    forms = {form_of(t): t for t in texts}
    shares = [np.exp(column.log_share(t, own, 1.0)) / 20 for t in forms.values()]
    assert sum(shares) <= 1 + 1e-9


def test_a_glyph_that_may_be_either_of_two_is_not_both_in_turn() -> None:
    either = steps((0.6, 0.4), (0.5, 0.5))
    both = steps((0.98, 0.02), (0.02, 0.98))
    scores = score_texts([either, both], [(1,), (1, 2)])
    one, two = scores[:, 1] - scores[:, 0]
    assert one < -1
    assert two > 1
