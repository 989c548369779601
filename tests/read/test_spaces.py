from __future__ import annotations

import numpy as np
import pytest

from keel_line._shared.paper import PAPER_LEVEL
from keel_line.read.decode import Decoded
from keel_line.read.spaces import (
    LEAST_GAP_CAPS,
    clear_marks,
    find_threshold,
    measure_gaps,
    open_gaps,
)


def spelt(text: str) -> Decoded:
    places = np.array([(4.0 * i, 4.0 * i + 2) for i in range(len(text))])
    return Decoded(text, ((text, 0.9), (text + "x", 0.05)), places, np.full(len(text), 0.99))


def test_gaps_are_measured_in_heights_of_capitals() -> None:
    inked = np.zeros(60, bool)
    for left in (0, 12, 40):
        inked[left : left + 10] = True
    gaps = measure_gaps(inked, spelt("ab4"), np.array([5.0, 17.0, 45.0]), 20.0)
    np.testing.assert_allclose(gaps, [0.1, 0.9])
    beside = measure_gaps(inked, spelt("a b"), np.array([5.0, 17.0, 45.0]), 20.0)
    assert np.isnan(beside).all()


def test_a_wide_gap_is_opened_with_a_doubt() -> None:
    opened = open_gaps(spelt("N4"), np.array([0.5]), LEAST_GAP_CAPS)
    assert opened.text == "N 4"
    assert opened.chances[1] == pytest.approx(0.5)
    assert opened.beams[0][0] == "N 4"
    assert opened.beams[1][0] == "N4"
    assert len(opened.places) == 3
    assert (np.diff(opened.places[:, 0]) > 0).all()


def test_what_is_usual_in_the_table_is_no_gap() -> None:
    wide_set = [np.full(30, 0.5)]
    assert find_threshold(wide_set) == pytest.approx(0.8)
    assert find_threshold([np.full(30, 0.1)]) == LEAST_GAP_CAPS
    assert find_threshold([np.full(5, 0.1)]) == float("inf")
    assert open_gaps(spelt("N4"), np.array([0.5]), 0.8).text == "N4"
    assert find_threshold([]) == float("inf")


@pytest.mark.parametrize("text", ["5,1", "iI", "11", "a-b"])
def test_gaps_beside_stops_and_narrow_letters_stay_closed(text: str) -> None:
    assert open_gaps(spelt(text), np.full(len(text) - 1, 0.9), LEAST_GAP_CAPS).text == text


def paper_with(*inked: tuple[int, int, int, int]) -> np.ndarray:
    grey = np.full((40, 80), PAPER_LEVEL, np.uint8)
    for x0, y0, x1, y1 in inked:
        grey[y0:y1, x0:x1] = 30
    return grey


FIGURES = ((5, 10, 15, 30), (45, 10, 55, 30))
MIDDLES = np.array([10.0, 30.0, 50.0])


def test_a_stop_on_bare_paper_is_a_space_in_doubt() -> None:
    cleared = clear_marks(spelt("1.2"), paper_with(*FIGURES), MIDDLES, 30.0, 20.0)
    assert cleared.text == "1 2"
    assert cleared.chances[1] == pytest.approx(0.5)
    assert [t for t, _ in cleared.beams[:2]] == ["1 2", "1.2"]


def test_a_stop_with_its_ink_stays() -> None:
    read = spelt("1.2")
    assert clear_marks(read, paper_with(*FIGURES, (28, 27, 32, 31)), MIDDLES, 30.0, 20.0) is read


def test_a_trace_of_ink_is_enough_for_a_stop() -> None:
    grey = paper_with(*FIGURES)
    grey[27:31, 28:32] = 150
    assert clear_marks(spelt("1,2"), grey, MIDDLES, 30.0, 20.0).text == "1,2"


def test_a_mark_beside_a_space_is_only_doubted() -> None:
    middles = np.array([10.0, 30.0, 38.0, 50.0])
    doubted = clear_marks(spelt("1. 2"), paper_with(*FIGURES), middles, 30.0, 20.0)
    assert doubted.text == "1. 2"
    assert doubted.chances[1] == pytest.approx(0.5)


def test_other_marks_are_left_alone() -> None:
    read = spelt("1-2")
    assert clear_marks(read, paper_with(*FIGURES), MIDDLES, 30.0, 20.0) is read
