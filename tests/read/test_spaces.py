from __future__ import annotations

import numpy as np
import pytest

from keel_line.read.decode import Decoded
from keel_line.read.spaces import LEAST_GAP_CAPS, find_threshold, measure_gaps, open_gaps


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
