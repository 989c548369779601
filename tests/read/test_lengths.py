"""Readings of other lengths, weighed by whether the page's glyphs explain them."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from keel_line._shared.paper import Grey
from keel_line.read.decode import Decoded, align, align_all, decode_line
from keel_line.read.evidence import EvidenceModel
from keel_line.read.glyphs import PageLines
from keel_line.read.lengths import compare_lengths, load_lengths, weigh_lengths
from keel_line.read.prepare import LineRecipe

ALPHABET = " 1H4"
RECIPE = LineRecipe()
MODEL = load_lengths()
APART = 8  # steps from one character's middle to the next


def draw_line(text: str) -> Grey:
    """A prepared line of upright strokes, crosses and ladders."""
    picture = np.zeros((RECIPE.height, RECIPE.step * APART * (len(text) + 1)), np.uint8)
    for i, char in enumerate(text):
        x = RECIPE.step * APART * (i + 1)
        strokes = {
            "1": [((x, 8), (x, 36)), ((x - 7, 15), (x, 8))],
            "4": [((x + 4, 8), (x + 4, 36)), ((x - 9, 27), (x + 9, 27)), ((x + 4, 8), (x - 9, 27))],
            "H": [((x - 9, 8), (x - 9, 36)), ((x + 9, 8), (x + 9, 36)), ((x - 9, 22), (x + 9, 22))],
        }
        for a, b in strokes.get(char, []):
            cv2.line(picture, a, b, 255, 4)
    return picture


def make_probs(parts: list[dict[int, str]]) -> NDArray[np.float32]:
    """Steps where each part of a line says, by step off its middle, which character is seen."""
    probs = np.zeros((APART * (len(parts) + 1), len(ALPHABET) + 1), np.float32)
    probs[:, 0] = 1
    for i, part in enumerate(parts):
        for off, char in part.items():
            probs[APART * (i + 1) + off] = 0.0005
            probs[APART * (i + 1) + off, ALPHABET.index(char) + 1] = 0.998
    return probs


def is_sure(text: str) -> list[dict[int, str]]:
    return [{0: char} for char in text]


def weigh(
    drawn: str, parts: list[dict[int, str]], beams: dict[str, float], others: tuple[str, ...]
) -> tuple[Decoded, list[Decoded]]:
    """Weigh the beams of one line on a page of other lines that were surely read."""
    pictures = [*(draw_line(text) for text in others), draw_line(drawn)]
    probs = [*(make_probs(is_sure(text)) for text in others), make_probs(parts)]
    decoded = [decode_line(p, ALPHABET) for p in probs]
    text = next(iter(beams))
    classes = tuple(ALPHABET.index(c) + 1 for c in text)
    places = align(probs[-1], classes)
    decoded[-1] = Decoded(text, tuple(beams.items()), places, np.full(len(text), 0.6))
    return decoded[-1], weigh_lengths(PageLines(pictures, probs, ALPHABET, RECIPE), decoded, MODEL)


OTHERS = ("1H4", "4H1", "H14")


def test_one_glyph_that_was_read_as_two_is_one() -> None:
    before, after = weigh("H4", [{0: "H"}, {-2: "1", 1: "4"}], {"H14": 0.7, "H4": 0.3}, OTHERS)
    found = after[-1]
    assert found.text == found.beams[0][0] == "H4"
    assert len(found.places) == len(found.chances) == 2
    assert sum(c for _, c in found.beams) == pytest.approx(sum(c for _, c in before.beams))


def test_two_glyphs_that_were_read_as_one_are_two() -> None:
    parts = [{0: "H"}, {0: "1"}, {0: "4"}]
    _, after = weigh("H14", parts, {"H4": 0.7, "H14": 0.3}, OTHERS)
    assert after[-1].text == "H14"


def test_a_reading_that_the_page_explains_is_surer() -> None:
    before, after = weigh("H14", is_sure("H14"), {"H14": 0.7, "H4": 0.3}, OTHERS)
    assert after[-1].text == "H14"
    assert after[-1].beams[0][1] > before.beams[0][1] + 0.1
    np.testing.assert_array_equal(after[-1].places, before.places)


@pytest.mark.parametrize(
    "beams",
    [{"H14": 0.999, "H4": 0.001}, {"H14": 0.6, "H1H": 0.4}, {"H 4": 0.6, "H4": 0.4}],
    ids=["beyond doubt", "of one length", "but for spaces"],
)
def test_other_lines_stay_as_they_are(beams: dict[str, float]) -> None:
    before, after = weigh("H14", is_sure("H14"), beams, OTHERS)
    assert after[-1] is before


def test_blank_lines_and_empty_readings_pass_through() -> None:
    before, after = weigh("1", is_sure("1"), {"1": 0.6, "": 0.4}, OTHERS)
    assert after[-1] is before
    blank = Decoded("", (("", 0.5), ("1", 0.5)), np.zeros((0, 2)), np.zeros(0))
    picture, probs = draw_line("1"), make_probs(is_sure("1"))
    assert weigh_lengths(PageLines([picture], [probs], ALPHABET, RECIPE), [blank], MODEL) == [blank]


def test_the_right_reading_leads_and_the_count_is_told() -> None:
    pictures = [*(draw_line(text) for text in OTHERS), draw_line("H4")]
    probs = [*(make_probs(is_sure(t)) for t in OTHERS), make_probs([{0: "H"}, {-2: "1", 1: "4"}])]
    decoded = [decode_line(p, ALPHABET) for p in probs]
    decoded[-1] = Decoded(
        "H14", (("H14", 0.75), ("H4", 0.25)), align(probs[-1], (3, 2, 4)), np.full(3, 0.6)
    )
    (one,) = compare_lengths(PageLines(pictures, probs, ALPHABET, RECIPE), decoded)
    assert (one.line, one.text, one.other) == (3, "H14", "H4")
    assert one.share == pytest.approx(1 / 3)
    more, lead = one.measures
    assert more == -1
    assert lead < -0.5
    assert EvidenceModel((0.0, 2.0)).rise(one.measures) == pytest.approx(2 * lead)


@given(st.integers(0, 2**32 - 1))
def test_texts_are_laid_along_the_steps_alone_as_together(seed: int) -> None:
    rng = np.random.default_rng(seed)
    probs = rng.dirichlet(np.full(5, 0.3), int(rng.integers(6, 30))).astype(np.float32)
    texts = [tuple(rng.integers(1, 5, n).tolist()) for n in (0, 1, 3)]
    together = align_all(probs, texts)
    for text, places in zip(texts, together, strict=True):
        np.testing.assert_array_equal(align(probs, text), places)
        assert places.shape == (len(text), 2)
        assert (places[1:, 0] >= places[:-1, 1]).all()
        assert ((places[:, 1] > places[:, 0]) & (places[:, 1] <= len(probs))).all()
