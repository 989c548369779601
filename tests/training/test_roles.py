"""What pieces on paper say, by the file that was printed."""

from __future__ import annotations

import numpy as np
import pytest

pytest.importorskip("torch")

from keel_line.rule.writing import Writing
from training.roles import carry_texts

BOXES = np.array([(0.0, 0.0, 100.0, 20.0), (200.0, 0.0, 260.0, 20.0), (0.0, 40.0, 100.0, 60.0)])
TEXTS = ["Skerry Head", "1,250", "Fair Haven"]


class Exact:
    """Chance that misreads nothing."""

    def random(self) -> float:
        return 0.99


def carried(*boxes: tuple[float, float, float, float]) -> list[str | None]:
    writing = Writing(np.array(boxes), np.zeros(len(boxes), np.int64), 20.0)
    return carry_texts(TEXTS, BOXES, writing, Exact())  # type: ignore[arg-type]


def test_pieces_at_the_same_places_say_the_same() -> None:
    assert carried(*(tuple(b) for b in BOXES + 1.5)) == TEXTS


def test_pieces_that_ran_together_say_both() -> None:
    assert carried((0.0, 0.0, 260.0, 20.0)) == ["Skerry Head 1,250"]


def test_parts_of_a_piece_say_the_words_that_stand_there() -> None:
    assert carried((0.0, 0.0, 58.0, 20.0), (64.0, 0.0, 100.0, 20.0)) == ["Skerry", "Head"]


def test_what_the_file_has_no_writing_for_says_nothing() -> None:
    assert carried((400.0, 0.0, 410.0, 20.0), (0.0, 21.0, 100.0, 36.0)) == [None, None]


def test_some_pieces_are_misread() -> None:
    writing = Writing(np.tile(BOXES[:1], (400, 1)), np.zeros(400, np.int64), 20.0)
    said = carry_texts(TEXTS, BOXES, writing, np.random.default_rng(1))
    wrong = sum(text != TEXTS[0] for text in said)
    assert 20 < wrong < 100
