"""Made faces lie between two real ones and keep every letter what it is."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image, ImageDraw, ImageFont

from keel_line.read.prepare import LineRecipe
from synth.blend import BlendedFont, Glyph, blend_glyphs, choose_partner, draw_glyph
from synth.lines import make_sheet
from tests.conftest import inter
from training.config import ALPHABET


def draw(char: str, *, bold: bool = False) -> Glyph:
    return draw_glyph(ImageFont.truetype(str(inter(bold=bold).path), 90), char)


@pytest.mark.parametrize("char", ["H", "0", "a", "7", "%"])
def test_what_lies_between_is_heavier_than_the_light_and_lighter_than_the_bold(char: str) -> None:
    light, bold = draw(char), draw(char, bold=True)
    middle = blend_glyphs(light, bold, 0.5)
    assert middle is not None
    assert light.ink.sum() < middle.ink.sum() < bold.ink.sum()
    assert light.advance < middle.advance < bold.advance


def test_at_either_end_stands_the_letter_itself() -> None:
    light, bold = draw("R"), draw("R", bold=True)
    first, last = blend_glyphs(light, bold, 0.0), blend_glyphs(light, bold, 1.0)
    assert first is not None
    assert last is not None
    assert (first.ink == light.ink).mean() > 0.99
    assert (last.ink == bold.ink).mean() > 0.99


@pytest.mark.parametrize(("one", "other"), [("I", "O"), (" ", "x")])
def test_unlike_letters_are_not_blended(one: str, other: str) -> None:
    assert blend_glyphs(draw(one), draw(other), 0.5) is None


def test_a_made_face_draws_a_letter_alike_each_time_and_where_the_pen_is() -> None:
    font = BlendedFont((inter(), inter(bold=True)), 30.0, np.random.default_rng(5))
    pages = []
    for x in (10, 40):
        page = Image.new("L", (100, 60), 255)
        font.stamp(ImageDraw.Draw(page), (x, 45), "H", 0)
        pages.append(np.asarray(page))
    np.testing.assert_array_equal(pages[0][:, :60], pages[1][:, 30:90])
    rows = np.flatnonzero((pages[0] < 128).any(axis=1))
    assert rows[-1] == 44  # it stands on the baseline
    assert rows[-1] - rows[0] + 1 == pytest.approx(30, abs=1)


def test_a_face_alone_is_its_own_partner() -> None:
    assert choose_partner(np.random.default_rng(1), inter(), (inter(),)) == inter()


def test_sheets_in_made_faces_carry_their_truth() -> None:
    samples = make_sheet(
        np.random.default_rng(2),
        (inter(), inter(bold=True)),
        frozenset(ALPHABET),
        LineRecipe(),
        blended=1.0,
        easy=True,
    )
    for sample in samples:
        assert sample.spans.shape == (len(sample.text), 2)
        inked = np.flatnonzero((sample.image[12:36] > 128).any(axis=0))
        assert inked.size
