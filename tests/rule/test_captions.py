"""Captions and notes beside tables, on pages as the program surveys them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line._shared.paper import flatten_light
from keel_line.model.geometry import Box
from keel_line.read.network import Network
from keel_line.read.pieces import read_pieces
from keel_line.rule.captions import (
    MEASURES,
    Option,
    choose,
    find_captions,
    find_notes,
    list_options,
)
from keel_line.rule.perceptron import Perceptron
from keel_line.rule.roles import BODY, CAPTION, NOTE, OUTSIDE
from keel_line.rule.sayings import ENDS
from keel_line.rule.survey import Survey, survey_page
from keel_line.rule.writing import Writing
from synth.pages import Sheet, Style, finish_page
from tests.conftest import inter, make_content
from tests.rule.test_roles import CAP, TWO, roles_of, writing_of

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
    lines = [
        "The harbour master keeps a register of every vessel that comes",
        "in, and of what she lands. Dues are paid at the office before",
        "she leaves, or within a month where her owner keeps an account.",
        "Vessels of the navy pay none. The register is open to all.",
    ]
    write_lines(sheet, lines, 2.0, rng)
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


def model_of(**weights: float) -> Perceptron:
    """A model whose odds are the sum of a few measures times their weights."""
    names = [name.replace(": ", " ").replace(",", "").replace(" ", "_") for name in MEASURES]
    row = [weights.get(name, 0.0) for name in names]
    assert len(weights) == sum(w != 0.0 for w in row)
    both = (tuple(row), tuple(-w for w in row))
    flat = (0.0,) * len(names)
    return Perceptron(flat, (1.0,) * len(names), both, (0.0, 0.0), (1.0, -1.0), 0.0)


LIKELY = model_of(caption_mean=1.0, away_from_the_table=-0.2)
OVER_IT = model_of(caption_mean=1.0, middle_off=-0.1)


def lines_of(option: Option | None, writing: Writing) -> list[int]:
    return [] if option is None else sorted(set(writing.lines[option.pieces].tolist()))


def choose_on(tables: Sequence[Box], writing: Writing, roles: list[int]) -> list[list[int]]:
    options = list_options(tables, writing, roles_of(writing, roles))
    return [lines_of(option, writing) for option in choose(options, LIKELY)]


def test_the_likeliest_lines_are_the_caption() -> None:
    writing = writing_of([(0.0, 260.0)], TWO, TWO, [(0.0, 200.0)])
    table = (0.0, 40.0, 260.0, 100.0)
    assert choose_on([table], writing, [CAPTION] + [BODY] * 4 + [OUTSIDE]) == [[0]]
    assert choose_on([table], writing, [OUTSIDE] + [BODY] * 4 + [CAPTION]) == [[3]]
    assert choose_on([table], writing, [OUTSIDE] + [BODY] * 4 + [OUTSIDE]) == [[]]
    assert choose_on([], writing, [OUTSIDE] * 6) == []


def test_a_line_between_two_tables_is_the_caption_of_one() -> None:
    writing = writing_of(TWO, [(0.0, 200.0)], [(0.0, 180.0)], TWO)
    tables = [(0.0, -10.0, 260.0, 30.0), (0.0, 110.0, 260.0, 150.0)]
    roles = [BODY, BODY, OUTSIDE, CAPTION, BODY, BODY]
    assert choose_on(tables, writing, roles) == [[], [2]]
    roles[2] = CAPTION
    first, second = choose_on(tables, writing, roles)
    assert (first, second) == ([1], [2])


def test_a_caption_ends_where_another_table_stands() -> None:
    writing = writing_of([(0.0, 200.0)], TWO, [(0.0, 200.0)], TWO)
    tables = [(0.0, 30.0, 260.0, 70.0), (0.0, 110.0, 260.0, 150.0)]
    roles = roles_of(writing, [CAPTION, BODY, BODY, OUTSIDE, BODY, BODY])
    _, second = list_options(tables, writing, roles)
    assert {tuple(lines_of(o, writing)) for o in second} == {(2,)}


def test_lines_are_one_caption_where_they_stand_close() -> None:
    lines = [[(0.0, 260.0)]] * 8
    writing = writing_of(*lines)
    above = (0.0, 320.0, 260.0, 400.0)
    (options,) = list_options([above], writing, roles_of(writing, [OUTSIDE] * 8))
    found = {tuple(lines_of(o, writing)) for o in options}
    assert (7,) in found
    assert (2, 3, 4, 5, 6, 7) in found  # six at most
    assert (1, 2, 3, 4, 5, 6, 7) not in found
    assert (5, 6) in found  # one line is between
    assert (4,) not in found  # three are
    apart = replace(writing, boxes=writing.boxes - [0, 60, 0, 60] * (writing.lines < 7)[:, None])
    (options,) = list_options([above], apart, roles_of(apart, [OUTSIDE] * 8))
    assert (6, 7) not in {tuple(lines_of(o, apart)) for o in options}


def test_captions_of_tables_beside_each_other_stay_apart() -> None:
    writing = writing_of([(0.0, 210.0), (240.0, 400.0)])
    tables = [(0.0, 40.0, 200.0, 100.0), (240.0, 40.0, 440.0, 100.0)]
    roles = roles_of(writing, [CAPTION, CAPTION])
    first, second = choose(list_options(tables, writing, roles), OVER_IT)
    assert first is not None
    assert second is not None
    assert (first.pieces.tolist(), second.pieces.tolist()) == ([0], [1])
    alone = choose(list_options([(0.0, 40.0, 440.0, 100.0)], writing, roles), LIKELY)
    assert alone[0] is not None
    assert alone[0].pieces.tolist() == [0, 1]


def measure_of(option: Option, name: str) -> float:
    return float(option.measures[MEASURES.index(name)])


def test_where_lines_stand_is_measured() -> None:
    writing = writing_of([(20.0, 220.0)], TWO)
    (options,) = list_options([(0.0, 30.0, 260.0, 70.0)], writing, roles_of(writing, [CAPTION] * 3))
    (own,) = options
    assert measure_of(own, "below") == 0
    assert measure_of(own, "left edge") == 20 / CAP
    assert measure_of(own, "middle, off") == pytest.approx(10 / CAP)
    assert measure_of(own, "away from the table") == pytest.approx(np.log1p((30 - CAP) / CAP))
    assert measure_of(own, "the only table") == 1


def test_a_box_ends_where_its_table_begins() -> None:
    writing = writing_of([(0.0, 200.0)], TWO)
    table = (0.0, CAP + 2.0, 260.0, 70.0)
    (box,) = find_captions([table], writing, roles_of(writing, [CAPTION, BODY, BODY]))
    assert box is not None
    assert box[1] < 0 < CAP < box[3] <= table[1]


@given(
    st.lists(st.lists(st.integers(0, 12), min_size=1, max_size=3, unique=True), max_size=9),
    st.lists(st.tuples(st.integers(0, 8), st.integers(0, 12), st.integers(1, 4)), max_size=4),
    st.randoms(use_true_random=False),
)
def test_no_piece_is_in_two_captions_nor_in_a_table(
    lines: list[list[int]], places: list[tuple[int, int, int]], random: np.random.Generator
) -> None:
    writing = writing_of(*[[(50.0 * x, 50.0 * x + 45) for x in sorted(row)] for row in lines])
    tables = [(50.0 * x, 40.0 * y - 10, 50.0 * x + 200, 40.0 * (y + h) - 10) for y, x, h in places]
    kinds = [random.choice([OUTSIDE, CAPTION, NOTE]) for _ in writing.lines]
    chosen = choose(list_options(tables, writing, roles_of(writing, kinds)), LIKELY)
    assert len(chosen) == len(tables)
    taken = [k for option in chosen if option is not None for k in option.pieces.tolist()]
    assert len(taken) == len(set(taken))
    middles = (writing.boxes[taken, :2] + writing.boxes[taken, 2:]) / 2
    for box in tables:
        assert not ((middles > box[:2]) & (middles < box[2:])).all(axis=1).any()


def test_a_table_has_any_number_of_notes() -> None:
    writing = writing_of([(0.0, 260.0)], TWO, TWO, [(0.0, 200.0)], [(0.0, 210.0)])
    roles = roles_of(writing, [NOTE] + [BODY] * 4 + [NOTE] * 2)
    (box,) = find_notes([(0.0, 40.0, 260.0, 100.0)], writing, roles, [])
    assert box is not None
    assert box[1] < 40
    assert box[3] > 160
    assert find_notes([], writing, roles, []) == []


def test_what_is_taken_is_no_note() -> None:
    writing = writing_of([(0.0, 120.0)], [(0.0, 100.0)])
    roles = roles_of(writing, [NOTE, NOTE])
    table = (0.0, -90.0, 260.0, -10.0)
    (both,) = find_notes([table], writing, roles, [])
    (rest,) = find_notes([table], writing, roles, [(0.0, -10.0, 130.0, 30.0)])
    assert both is not None
    assert rest is not None
    assert rest[1] > both[1] + 20


@pytest.mark.parametrize(
    ("lines", "top", "found"),
    [
        ([[(0.0, 200.0)]], 40.0, True),  # a page's only heading
        ([[(0.0, 400.0)], [(0.0, 200.0)]], 80.0, True),
        ([[(0.0, 200.0)], [(0.0, 300.0)], [(0.0, 200.0)]], 120.0, False),  # text
        ([[(0.0, 200.0)]], 140.0, False),  # far off
    ],
)
def test_what_a_page_begins_with_is_the_title_of_a_table_right_below(
    lines: list[list[tuple[float, float]]], top: float, *, found: bool
) -> None:
    writing = writing_of(*lines)
    (box,) = find_captions(
        [(0.0, top, 260.0, top + 80)], writing, roles_of(writing, [OUTSIDE] * len(lines))
    )
    assert (box is not None) == found
    if box is not None:
        assert box[1] == pytest.approx(top - 40, abs=10)


def test_a_lone_line_between_two_tables_is_the_lower_ones_title() -> None:
    writing = writing_of(TWO, TWO, TWO, [(0.0, 200.0)], TWO)
    roles = roles_of(writing, [BODY] * 6 + [OUTSIDE] + [BODY] * 2)
    upper, lower = (0.0, -10.0, 260.0, 85.0), (0.0, 155.0, 260.0, 200.0)
    first, second = find_captions([upper, lower], writing, roles)
    assert first is None
    assert second is not None
    assert 85 < second[1] < second[3] <= 155


def test_a_sentence_that_a_page_begins_with_is_no_title() -> None:
    writing = writing_of([(0.0, 200.0)])
    roles = roles_of(writing, [OUTSIDE])
    table = (0.0, 40.0, 260.0, 120.0)
    assert find_captions([table], writing, roles) != [None]
    roles.said[0, ENDS[0]] = 1.0
    assert find_captions([table], writing, roles) == [None]
