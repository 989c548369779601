"""Stops and commas at the ends of words of running text."""

from __future__ import annotations

import numpy as np
import pytest

from keel_line.read.decode import Decoded, decode_line
from keel_line.read.stops import add_stops

ALPHABET = "abcT ,.3-"


def decode(text: str, hidden: dict[int, tuple[str, float]]) -> tuple[Decoded, np.ndarray]:
    """Decode a line that says ``text``; after some characters stands a mark that is unsure."""
    steps: list[np.ndarray] = []

    def add(chances: dict[str, float]) -> None:
        row = np.zeros(len(ALPHABET) + 1, np.float32)
        for char, chance in chances.items():
            row[ALPHABET.index(char) + 1] = chance
        row[0] = 1 - row.sum()
        steps.append(row)

    for k, char in enumerate(text):
        add({char: 0.97})
        add({})
        if k in hidden:
            mark, chance = hidden[k]
            add({mark: chance})
            add({})
    probs = np.array(steps)
    return decode_line(probs, ALPHABET), probs


@pytest.mark.parametrize(
    ("text", "after", "mark", "said"),
    [
        ("ab Tc", 1, ".", "ab. Tc"),
        ("ab c", 1, ".", "ab c"),  # a small letter begins no sentence
        ("ab c", 1, ",", "ab, c"),
        ("ab", 1, ".", "ab."),
        ("ab 3", 1, ".", "ab. 3"),
        ("abc", 1, ".", "abc"),  # within a word the ink alone decides
        ("ab-", 2, ".", "ab-"),
    ],
)
def test_a_word_may_end_with_a_mark_of_which_little_is_seen(
    text: str, after: int, mark: str, said: str
) -> None:
    line, probs = decode(text, {after: (mark, 0.35)})
    assert line.text == text
    found = add_stops(line, probs, ALPHABET)
    assert found.text == said
    assert len(found.places) == len(found.chances) == len(said)
    assert sum(chance for _, chance in found.beams) <= 1 + 1e-6
    assert found.beams[0][0] == said


def test_a_mark_of_which_nothing_is_seen_is_not_added() -> None:
    line, probs = decode("ab Tc", {1: (".", 0.1)})
    assert add_stops(line, probs, ALPHABET) is line


def test_an_added_mark_leaves_the_line_in_doubt() -> None:
    line, probs = decode("ab Tc", {1: (".", 0.3)})
    found = add_stops(line, probs, ALPHABET)
    assert found.beams[0][1] <= 0.5
    assert found.chances[2] == pytest.approx(0.3, abs=0.01)
