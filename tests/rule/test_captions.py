"""Captions and notes beside tables, on pages as the program surveys them."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
import pytest

from keel_line._shared.paper import flatten_light
from keel_line.model.geometry import Box
from keel_line.read.network import Network
from keel_line.read.pieces import read_pieces
from keel_line.rule.captions import find_beside, find_titles, find_titles_below
from keel_line.rule.grids import Survey, survey_page
from keel_line.rule.roles import BODY, CAPTION, NOTE, OUTSIDE, Roles
from keel_line.rule.sayings import BEGINS_LARGE, ENDS_AS_TEXT, IS_KNOWN, NOTE_OR_ITEM, SPACES
from keel_line.rule.writing import Writing
from synth.pages import Sheet, Style, finish_page
from tests.conftest import inter, make_content
from tests.rule.test_roles import TWO, roles_of, writing_of

DPI = 200
TABLE = (0.0, 120.0, 260.0, 180.0)


@pytest.fixture(scope="module")
def network() -> Network:
    return Network(threads=1)


def survey_of(sheet: Sheet, rng: np.random.Generator, network: Network) -> Survey:
    grey = finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey
    flat = flatten_light(grey)
    return survey_page(grey, DPI, flat, read=partial(read_pieces, network, flat))


def write_lines(sheet: Sheet, lines: list[str], foot_in: float, rng: np.random.Generator) -> None:
    """Write lines of 11 points so that the last one's baseline lies at ``foot_in``."""
    for i, line in enumerate(reversed(lines)):
        sheet.write((0.8, foot_in - 0.2 * i), line, inter(), 11, rng)


@pytest.mark.parametrize("ruling", ["full", "none"])
@pytest.mark.parametrize("lines", [1, 2])
def test_a_title_above_a_table_is_found(ruling: str, lines: int, network: Network) -> None:
    sheet, rng = Sheet(DPI, (8.0, 9.0)), np.random.default_rng(1)
    style = Style(inter(), inter(bold=True), 11.0, ruling=ruling)
    sheet.draw_table(make_content(8, 4), (0.8, 1.5), style, rng)
    write_lines(sheet, ["Table 3. Berth dues, March 1974", "in pounds"][:lines], 1.38, rng)
    (box,) = survey_of(sheet, rng, network).captions
    assert box is not None
    assert box[0] == pytest.approx(0.8 * DPI, abs=10)
    assert 1.25 * DPI < box[3] <= 1.5 * DPI
    assert box[3] - box[1] == pytest.approx((0.2 * lines + 0.02) * DPI, abs=16)


def test_a_paragraph_above_a_table_is_no_title(network: Network) -> None:
    sheet, rng = Sheet(DPI, (8.0, 9.0)), np.random.default_rng(1)
    style = Style(inter(), inter(bold=True), 11.0)
    sheet.draw_table(make_content(8, 4), (0.8, 2.2), style, rng)
    write_lines(sheet, ["The harbour master keeps a register of every vessel."] * 5, 2.1, rng)
    assert survey_of(sheet, rng, network).captions == (None,)


def test_each_table_has_its_own_title_or_none(network: Network) -> None:
    sheet, rng = Sheet(DPI, (8.0, 9.0)), np.random.default_rng(1)
    style = Style(inter(), inter(bold=True), 11.0)
    upper = sheet.draw_table(make_content(5, 4), (0.8, 1.0), style, rng)
    low = upper.box[3] / DPI + 0.7
    sheet.draw_table(make_content(5, 4), (0.8, low), style, rng)
    write_lines(sheet, ["Table 2. Drawn from stores"], low - 0.1, rng)
    first, second = survey_of(sheet, rng, network).captions
    assert first is None
    assert second is not None
    assert upper.box[3] < second[1] < second[3] <= low * DPI


def test_writing_far_off_is_neither_title_nor_note(network: Network) -> None:
    sheet, rng = Sheet(DPI, (8.0, 9.0)), np.random.default_rng(1)
    sheet.draw_table(make_content(5, 4), (0.8, 3.0), Style(inter(), inter(bold=True), 11.0), rng)
    write_lines(sheet, ["Brannock Sound"], 1.0, rng)
    write_lines(sheet, ["Far below, another matter"], 7.5, rng)
    survey = survey_of(sheet, rng, network)
    assert (survey.captions, survey.notes) == ((None,), (None,))


@pytest.mark.parametrize("ruling", ["full", "heading"])
def test_notes_close_under_a_table_are_found(ruling: str, network: Network) -> None:
    sheet, rng = Sheet(DPI, (8.0, 9.0)), np.random.default_rng(1)
    style = Style(inter(), inter(bold=True), 11.0, ruling=ruling)
    foot = sheet.draw_table(make_content(5, 4), (0.8, 1.0), style, rng).box[3] / DPI
    write_lines(sheet, ["* paid in the quarter after", "† by order of the board"], foot + 0.4, rng)
    (box,) = survey_of(sheet, rng, network).notes
    assert box is not None
    assert box[1] >= foot * DPI - 1
    assert box[3] == pytest.approx((foot + 0.43) * DPI, abs=16)


def test_a_caption_goes_to_the_nearest_table() -> None:
    writing = writing_of([(0.0, 260.0)], TWO, TWO, [(0.0, 200.0)])
    roles = roles_of(writing, [CAPTION, BODY, BODY, BODY, BODY, OUTSIDE])
    (box,) = find_beside([(0.0, 40.0, 260.0, 100.0)], writing, roles, CAPTION)
    assert box is not None
    assert box[1] < 0 < box[3] < 40
    assert find_beside([], writing, roles, CAPTION) == []


def test_all_lines_of_a_long_caption_belong_to_it() -> None:
    lines = [[(0.0, 260.0)]] * 6
    writing = writing_of(*[TWO] * 3, *lines)
    roles = roles_of(writing, [*[BODY] * 6, *[CAPTION] * 6])
    (box,) = find_beside([(0.0, 0.0, 260.0, 100.0)], writing, roles, CAPTION)
    assert box is not None
    assert box[1] < writing.boxes[6, 1]
    assert box[3] > writing.boxes[11, 3]


def test_a_table_has_one_caption_and_any_number_of_notes() -> None:
    writing = writing_of([(0.0, 260.0)], TWO, TWO, [(0.0, 200.0)])
    table = (0.0, 40.0, 260.0, 100.0)
    (box,) = find_beside([table], writing, roles_of(writing, [CAPTION] + [BODY] * 4 + [CAPTION]), 1)
    assert box is not None
    assert box[3] < 40
    (box,) = find_beside([table], writing, roles_of(writing, [NOTE] + [BODY] * 4 + [NOTE]), NOTE)
    assert box is not None
    assert box[3] > 100


def test_a_caption_is_its_whole_line_and_what_goes_on_from_it() -> None:
    lines = ([(0.0, 60.0)], [(0.0, 60.0), (90.0, 260.0)], [(0.0, 200.0)], TWO, TWO)
    writing = writing_of(*lines)
    own = [CAPTION, CAPTION, OUTSIDE, CAPTION, BODY, BODY, BODY, BODY]
    far = np.outer(np.arange(8) == 0, [0, 60, 0, 60])
    apart = writing.__class__(writing.boxes - far, writing.lines, writing.cap_px, writing.letters)
    (box,) = find_beside([TABLE], apart, roles_of(writing, own), CAPTION)
    assert box is not None
    assert box[2] >= 260.0
    assert 20.0 < box[1] < 40.0


def titled(writing: Writing, likely: list[float], ends: tuple[int, ...] = ()) -> Roles:
    """Roles of pieces that are captions with chances; ``ends`` tells which end as sentences do."""
    roles = roles_of(writing, [OUTSIDE] * len(likely))
    roles.roles[:, CAPTION] = likely
    roles.roles[:, OUTSIDE] = 1 - np.array(likely)
    said = roles.said.copy()
    said[list(ends), ENDS_AS_TEXT[0]] = 1.0
    return replace(roles, said=said)


BELOW = (0.0, 110.0, 260.0, 180.0)
LINES = [[(350.0, 430.0)], [(20.0, 400.0)], [(100.0, 240.0)]]


@pytest.mark.parametrize(
    ("likely", "upper", "left"),
    [
        ([0.0, 0.3, 0.3], 1, 20.0),
        ([0.0, 0.1, 0.3], 2, 100.0),  # a subtitle is likely enough as the lowest line alone
        ([0.0, 0.1, 0.0], 2, 100.0),
        ([0.3, 0.3, 0.3], 1, 20.0),  # what stands aside is none of it
    ],
)
def test_a_title_is_the_likely_lines_above_a_table(
    likely: list[float], upper: int, left: float
) -> None:
    writing = writing_of(*LINES)
    (box,) = find_titles([BELOW], writing, titled(writing, likely))
    assert box is not None
    assert box[0] == pytest.approx(left, abs=10)
    assert box[1] == pytest.approx(40.0 * upper, abs=10)
    assert box[3] < BELOW[1]


def test_a_title_may_reach_beyond_its_table() -> None:
    writing = writing_of([(20.0, 900.0)])
    (box,) = find_titles([(0.0, 40.0, 260.0, 180.0)], writing, titled(writing, [0.2]))
    assert box is not None
    assert box[2] > 900


@pytest.mark.parametrize(
    ("likely", "ends", "table"),
    [
        ([0.0, 0.3, 0.3], (2,), BELOW),  # a sentence
        ([0.0, 0.3, 0.3], (), (0.0, 200.0, 260.0, 300.0)),  # far off
        ([0.3] * 3, (), (0.0, -90.0, 260.0, -30.0)),  # below the table
    ],
)
def test_what_is_no_title(likely: list[float], ends: tuple[int, ...], table: Box) -> None:
    writing = writing_of(*LINES)
    assert find_titles([table], writing, titled(writing, likely, ends)) == [None]


def test_the_lines_under_another_table_end_there() -> None:
    writing = writing_of([(0.0, 200.0)], [(0.0, 200.0)])
    tables = [(0.0, -90.0, 260.0, 38.0), (0.0, 65.0, 260.0, 180.0)]
    _, box = find_titles(tables, writing, titled(writing, [0.3, 0.3]))
    assert box is not None
    assert box[1] > 30


ABOVE = (0.0, -90.0, 260.0, -10.0)
WORDED = {IS_KNOWN: 1.0, BEGINS_LARGE: 1.0, SPACES: 1.0}


def said_below(changed: dict[int, float], role: int = NOTE) -> list[Box | None]:
    """Look for a title under a table: a short line that says so much, then a paragraph."""
    writing = writing_of([(0.0, 120.0)], [(0.0, 400.0)], [(0.0, 400.0)])
    roles = roles_of(writing, [role, OUTSIDE, OUTSIDE])
    said = roles.said.copy()
    for place, value in {**WORDED, **changed}.items():
        said[0, place] = value
    return find_titles_below([ABOVE], writing, replace(roles, said=said), [])


def test_a_title_below_a_table_is_found() -> None:
    (box,) = said_below({})
    assert box is not None
    assert box[2] < 200
    assert ABOVE[3] < box[3] < 40


@pytest.mark.parametrize(
    ("changed", "role"),
    [
        ({IS_KNOWN: 0.0}, NOTE),
        ({BEGINS_LARGE: 0.0}, NOTE),
        ({SPACES: 0.0}, NOTE),
        ({ENDS_AS_TEXT[0]: 1.0}, NOTE),
        ({NOTE_OR_ITEM[0]: 1.0}, NOTE),
        ({}, OUTSIDE),
    ],
)
def test_what_is_no_title_below(changed: dict[int, float], role: int) -> None:
    assert said_below(changed, role) == [None]


@pytest.mark.parametrize(
    ("lines", "taken"),
    [
        ([[(0.0, 390.0)], [(0.0, 400.0)]], []),  # the first line of a paragraph
        ([[(0.0, 120.0)], [(0.0, 400.0)]], [(0.0, -10.0, 130.0, 30.0)]),  # another's caption
    ],
)
def test_a_line_that_goes_on_or_is_taken_is_no_title(
    lines: list[list[tuple[float, float]]], taken: list[Box]
) -> None:
    writing = writing_of(*lines)
    roles = roles_of(writing, [NOTE] * len(lines))
    said = roles.said.copy()
    for place, value in WORDED.items():
        said[:, place] = value
    assert find_titles_below([ABOVE], writing, replace(roles, said=said), taken) == [None]


def test_a_title_below_is_no_note() -> None:
    writing = writing_of([(0.0, 120.0)], [(0.0, 100.0)])
    roles = roles_of(writing, [NOTE, NOTE])
    (both,) = find_beside([ABOVE], writing, roles, NOTE)
    (rest,) = find_beside([ABOVE], writing, roles, NOTE, taken=[(0.0, -10.0, 130.0, 30.0)])
    assert both is not None
    assert rest is not None
    assert rest[1] > both[1] + 20
