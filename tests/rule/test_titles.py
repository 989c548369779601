"""Titles close above tables that have no caption."""

from __future__ import annotations

import numpy as np
import pytest

from keel_line.model.geometry import Box
from keel_line.rule.grids import find_grids
from keel_line.rule.titles import find_titles, is_title
from synth.pages import Sheet, Style, finish_page
from tests.conftest import inter, make_content

DPI = 150


def titles_of(sheet: Sheet, rng: np.random.Generator) -> list[Box | None]:
    grey = finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey
    return find_titles(grey, DPI, find_grids(grey, DPI))


def write_lines(sheet: Sheet, lines: list[str], foot_in: float, rng: np.random.Generator) -> None:
    """Write lines of 11 points so that the last one's baseline lies at ``foot_in``."""
    for i, line in enumerate(reversed(lines)):
        sheet.write((0.8, foot_in - 0.2 * i), line, inter(), 11, rng)


@pytest.mark.parametrize("ruling", ["full", "none"])
@pytest.mark.parametrize("lines", [1, 2])
def test_a_title_above_a_table_is_found(ruling: str, lines: int) -> None:
    sheet, rng = Sheet(DPI, (8.0, 9.0)), np.random.default_rng(1)
    style = Style(inter(), inter(bold=True), 11.0, ruling=ruling)
    sheet.draw_table(make_content(8, 4), (0.8, 1.5), style, rng)
    write_lines(sheet, ["Table 3. Berth dues, March 1974", "in pounds"][:lines], 1.38, rng)
    (box,) = titles_of(sheet, rng)
    assert box is not None
    assert box[0] == pytest.approx(0.8 * DPI, abs=8)
    assert 1.25 * DPI < box[3] <= 1.5 * DPI
    assert box[3] - box[1] == pytest.approx((0.2 * lines + 0.02) * DPI, abs=12)


def test_a_paragraph_above_a_table_is_no_title() -> None:
    sheet, rng = Sheet(DPI, (8.0, 9.0)), np.random.default_rng(1)
    style = Style(inter(), inter(bold=True), 11.0)
    sheet.draw_table(make_content(8, 4), (0.8, 2.2), style, rng)
    write_lines(sheet, ["the harbour master keeps a register of every vessel"] * 5, 2.1, rng)
    assert titles_of(sheet, rng) == [None]


def test_each_table_has_its_own_title_or_none() -> None:
    sheet, rng = Sheet(DPI, (8.0, 9.0)), np.random.default_rng(1)
    style = Style(inter(), inter(bold=True), 11.0)
    upper = sheet.draw_table(make_content(5, 4), (0.8, 1.0), style, rng)
    low = upper.box[3] / DPI + 0.7
    sheet.draw_table(make_content(5, 4), (0.8, low), style, rng)
    write_lines(sheet, ["Drawn from stores"], low - 0.1, rng)
    first, second = titles_of(sheet, rng)
    assert first is None
    assert second is not None
    assert upper.box[3] < second[1] < second[3] <= low * DPI


def test_writing_far_above_is_no_title() -> None:
    sheet, rng = Sheet(DPI, (8.0, 9.0)), np.random.default_rng(1)
    sheet.draw_table(make_content(5, 4), (0.8, 2.0), Style(inter(), inter(bold=True), 11.0), rng)
    write_lines(sheet, ["Brannock Sound"], 1.3, rng)
    assert titles_of(sheet, rng) == [None]


def test_what_ends_as_a_sentence_does_is_no_title() -> None:
    assert is_title("Berth dues, March 1974")
    assert not is_title("Heights are given in metres above the datum. ")
