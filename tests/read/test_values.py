"""Repeated values of a column: where the ink is undecided, a known value is likelier."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.read.decode import Decoded
from keel_line.read.values import choose_known, gather_values, make_worth

ALPHABET = " .aegilnrtvWTMS0123456789"
SURE = {"Tern": 0.99}


def line(*beams: tuple[str, float]) -> Decoded:
    text = beams[0][0]
    return Decoded(text, beams, np.zeros((len(text), 2)), np.ones(len(text)))


def write(text: str, *, instead: dict[int, tuple[str, float]] | None = None) -> np.ndarray:
    """Return steps that say a text, one character every other step, some of them in doubt."""
    probs = np.full((2 * len(text) + 1, len(ALPHABET) + 1), 1e-6, np.float32)
    probs[::2, 0] = 1.0
    for i, char in enumerate(text):
        other, chance = (instead or {}).get(i, (char, 0.0))
        probs[2 * i + 1, ALPHABET.index(other) + 1] = chance
        probs[2 * i + 1, ALPHABET.index(char) + 1] = 1.0 - chance
    return probs


def test_a_value_that_the_column_repeats_is_likelier_than_one_that_it_does_not_know() -> None:
    own = {"Tem": 0.6, "Tern": 0.4}
    column = gather_values([SURE, SURE, SURE, {"Wren": 0.99}, {"Teal": 0.99}, own])
    worth = make_worth(column, own)
    assert worth("Tern") > 2
    assert worth("Tem") == 0


def test_a_column_in_which_nothing_comes_twice_lends_nothing() -> None:
    own = {"1047": 0.5, "1041": 0.5}
    cells = [{text: 0.99} for text in ("1041", "1052", "1063", "1074", "1085")]
    assert make_worth(gather_values([*cells, own]), own)("1041") == pytest.approx(0.0, abs=0.2)


def test_values_that_lie_beside_each_other_lend_less() -> None:
    far = gather_values([{"Tern": 0.99}] * 3 + [{"Wren": 0.99}] * 3 + [{"Gannet": 0.99}] * 3)
    near = gather_values([{"Pier 1": 0.99}] * 3 + [{"Pier 2": 0.99}] * 3 + [{"Pier 3": 0.99}] * 3)
    assert make_worth(far, {})("Tern") > make_worth(near, {})("Pier 1") + 1


def test_a_cell_lends_nothing_to_itself() -> None:
    cells = [{"Tern": 0.99}, {"Wren": 0.99}, {"Wren": 0.99}, {"Wren": 0.99}]
    column = gather_values(cells)
    assert make_worth(column, cells[0])("Tern") == pytest.approx(0.0, abs=1e-9)
    assert make_worth(column, cells[1])("Wren") > 1


def test_an_open_line_says_what_its_column_says_and_keeps_the_inks_chances() -> None:
    own = {"Tera": 0.6, "Tern": 0.4}
    column = gather_values([*[SURE] * 5, own])
    read = line(("Tera", 0.6), ("Tern", 0.4))
    probs = write("Tera", instead={3: ("n", 0.4)})
    chosen = choose_known(read, probs, column, own, ALPHABET)
    assert chosen.text == "Tern"
    assert dict(chosen.beams) == pytest.approx({"Tern": 0.4, "Tera": 0.6})
    assert chosen.chances[3] == pytest.approx(0.4)


def test_a_value_that_is_no_reading_yet_is_held_against_the_ink() -> None:
    own = {"Tera": 0.9}
    column = gather_values([*[SURE] * 5, own])
    likely = write("Tera", instead={3: ("n", 0.2)})
    assert choose_known(line(("Tera", 0.9)), likely, column, own, ALPHABET).text == "Tern"
    clear = write("Tera")
    assert choose_known(line(("Tera", 0.9)), clear, column, own, ALPHABET).text == "Tera"


@pytest.mark.parametrize("beams", [(("Tera", 0.99), ("Tern", 0.01)), (("", 0.6), ("Tern", 0.4))])
def test_clear_ink_and_blank_lines_stay_as_read(beams: tuple[tuple[str, float], ...]) -> None:
    own = {"Tera": 0.99, "Tern": 0.01}
    column = gather_values([*[SURE] * 9, own])
    read = line(*beams)
    probs = write("Tera", instead={3: ("n", 0.4)})
    assert choose_known(read, probs, column, own, ALPHABET) is read


def test_a_reading_that_other_cells_bear_out_stays() -> None:
    own = {"Tera": 0.5, "Tern": 0.5}
    column = gather_values([*[SURE] * 5, {"Tera": 0.99}, own])
    read = line(("Tera", 0.5), ("Tern", 0.5))
    probs = write("Tera", instead={3: ("n", 0.5)})
    assert choose_known(read, probs, column, own, ALPHABET) is read


def test_what_one_other_cell_says_is_no_known_value() -> None:
    own = {"Tera": 0.6, "Tern": 0.4}
    column = gather_values([SURE, {"Wren": 0.99}, {"Wren": 0.99}, own])
    read = line(("Tera", 0.6), ("Tern", 0.4))
    probs = write("Tera", instead={3: ("n", 0.4)})
    assert choose_known(read, probs, column, own, ALPHABET).text == "Tera"


def test_values_of_several_lines_are_no_readings_of_one() -> None:
    own = {"Tera": 0.9}
    column = gather_values([*[{"Ter\nn": 0.99}] * 5, own])
    chosen = choose_known(line(("Tera", 0.9)), write("Tera"), column, own, ALPHABET)
    assert [text for text, _ in chosen.beams] == ["Tera"]


@given(
    st.lists(st.dictionaries(st.text(ALPHABET, min_size=1, max_size=5), st.just(0.3), max_size=3))
)
def test_what_a_column_lends_is_never_negative(cells: list[dict[str, float]]) -> None:
    column = gather_values(cells)
    assert column.cells == len(cells)
    for own in cells:
        assert 0 <= column.repeats_without(own) < 1
        worth = make_worth(column, own)
        assert all(worth(text) >= 0 and math.isfinite(worth(text)) for text in own)
