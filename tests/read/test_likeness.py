from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line._shared.paper import Grey
from keel_line.read.decode import Decoded, decode_line
from keel_line.read.glyphs import PageLines
from keel_line.read.likeness import compare_glyphs, load_likeness, weigh_likeness
from keel_line.read.prepare import LineRecipe

ALPHABET = " O0x"
RECIPE = LineRecipe()
MODEL = load_likeness()
APART = 10  # steps from one character's middle to the next
HALF_WIDTHS = {"O": 14, "0": 9}


def draw_line(text: str) -> Grey:
    """A prepared line of rings: an O is wide, a 0 narrow."""
    picture = np.zeros((RECIPE.height, RECIPE.step * APART * (len(text) + 1)), np.uint8)
    for i, char in enumerate(text):
        if char != " ":
            middle = (RECIPE.step * APART * (i + 1), 22)
            cv2.ellipse(picture, middle, (HALF_WIDTHS[char], 13), 0, 0, 360, 255, 4)
    return picture


def make_probs(text: str, chances: Sequence[float]) -> NDArray[np.float32]:
    """Steps where each character has its chance, what is left going to the other of O and 0."""
    probs = np.zeros((APART * (len(text) + 1), len(ALPHABET) + 1), np.float32)
    probs[:, 0] = 1
    for i, (char, chance) in enumerate(zip(text, chances, strict=True)):
        own = ALPHABET.index(char) + 1
        other = {1: 2, 2: 3, 3: 2}[own]
        probs[APART * (i + 1) - 1 : APART * (i + 1) + 2] = 0
        probs[APART * (i + 1) - 1 : APART * (i + 1) + 2, own] = chance
        probs[APART * (i + 1) - 1 : APART * (i + 1) + 2, other] = 1 - chance
    return probs


def weigh(*lines: tuple[str, str, Sequence[float]]) -> tuple[list[Decoded], list[Decoded]]:
    """Weigh lines of which each is given as drawn, as read, and with its characters' chances."""
    pictures = [draw_line(drawn) for drawn, _, _ in lines]
    probs = [make_probs(read, chances) for _, read, chances in lines]
    decoded = [decode_line(p, ALPHABET) for p in probs]
    return decoded, weigh_likeness(PageLines(pictures, probs, ALPHABET, RECIPE), decoded, MODEL)


SURE = [("OO0", "OO0", (0.999,) * 3), ("00O", "00O", (0.999,) * 3)]


def test_a_glyph_that_is_the_image_of_the_pages_zeros_is_one() -> None:
    before, after = weigh(*SURE, ("00", "O0", (0.6, 0.99)))
    assert before[2].text == "O0"
    assert after[2].text == after[2].beams[0][0] == "00"
    assert after[2].beams[0][1] > 0.7
    assert after[2].chances[0] > 0.7
    assert len(after[2].places) == 2


def test_a_glyph_like_its_own_kind_is_surer() -> None:
    before, after = weigh(*SURE, ("O0", "O0", (0.7, 0.99)))
    assert after[2].text == "O0"
    assert after[2].beams[0][1] > before[2].beams[0][1] + 0.05
    assert after[2].chances[0] > 0.95
    assert sum(c for _, c in after[2].beams) == pytest.approx(sum(c for _, c in before[2].beams))


def test_what_the_network_is_sure_of_is_not_overruled() -> None:
    _, after = weigh(*SURE, ("00", "O0", (0.9999, 0.99)))
    assert after[2].text == "O0"
    assert after[2].chances[0] < 0.9995  # yet it says less


@pytest.mark.parametrize("other", ["OOO", "   "])
def test_without_its_like_elsewhere_nothing_is_said(other: str) -> None:
    before, after = weigh((other, other, (0.999,) * 3), ("0 0", "O 0", (0.6, 0.99, 0.99)))
    assert after[1] is before[1]  # no 0 but on its own line


def test_doubtful_glyphs_are_nobodys_model() -> None:
    doubtful = [("00O", "OO0", (0.6,) * 3), ("0O0", "O0O", (0.6,) * 3)]
    before, after = weigh(*doubtful, ("0O", "0O", (0.7, 0.7)))
    assert all(a is b for a, b in zip(before, after, strict=True))


def test_a_character_without_a_place_stops_nothing() -> None:
    pictures = [draw_line(text) for text in ("OO0", "00O", "O0")]
    probs = [make_probs(text, (0.7,) * len(text)) for text in ("OO0", "00O", "O0")]
    decoded = [decode_line(p, ALPHABET) for p in probs]
    nowhere = replace(decoded[2], places=decoded[2].places[::-1] * [[1, 1], [0, 1]])
    decoded = [replace(d, chances=np.full(3, 0.95)) for d in decoded[:2]] + [nowhere]
    assert len(weigh_likeness(PageLines(pictures, probs, ALPHABET, RECIPE), decoded, MODEL)) == 3


def test_blank_lines_pass_through() -> None:
    before, after = weigh(*SURE, ("", "", ()))
    assert after[2] is before[2]
    assert after[2].text == ""


def test_a_glyph_is_nearer_to_its_own_kind() -> None:
    lines = [("O0", "O0", (0.999, 0.999)), ("OO", "OO", (0.999, 0.999)), ("00", "00", (0.999, 0.6))]
    pictures = [draw_line(drawn) for drawn, _, _ in lines]
    probs = [make_probs(read, chances) for _, read, chances in lines]
    decoded = [decode_line(p, ALPHABET) for p in probs]
    compared = compare_glyphs(PageLines(pictures, probs, ALPHABET, RECIPE), decoded)
    doubtful = next(c for c in compared if (c.line, c.place) == (2, 1))
    assert (ALPHABET[doubtful.kind - 1], ALPHABET[doubtful.rival - 1]) == ("0", "O")
    assert doubtful.share == pytest.approx(0.4 / 0.6)
    assert doubtful.measures[3] > 0.5, "the lead of its own kind"
    assert all(len(c.measures) == len(MODEL.weights) for c in compared)
