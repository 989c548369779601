"""Whether a cell in which nothing is read is blank."""

from __future__ import annotations

import math

import numpy as np
import pytest

from keel_line._shared.paper import PAPER_LEVEL
from keel_line._shared.texts import is_lone_mark
from keel_line.read.blanks import (
    MEASURES,
    USUAL_MARKS,
    Remnants,
    blank_confidence,
    load_blanks,
    measure_pieces,
    measure_remains,
    recurs,
)
from keel_line.read.ink import take_ink

CAP_PX = 30.0
MODEL = load_blanks()
NO_PIECES = np.zeros((0, 4))


def lay(
    text: str, *pieces: tuple[float, float, float, float], empty: float | None = None
) -> Remnants:
    """A cell with these pieces of ink."""
    return Remnants(text, np.array(pieces, float).reshape(-1, 4), empty)


def measure(table: list[Remnants]) -> list[dict[str, float] | None]:
    """The measures by name of a table of one column."""
    found = measure_remains(table, [list(range(len(table)))])
    return [None if own is None else dict(zip(MEASURES, own, strict=True)) for own in found]


def judge(table: list[Remnants]) -> list[float]:
    found = measure_remains(table, [list(range(len(table)))])
    return [blank_confidence(own, MODEL) for own in found]


@pytest.mark.parametrize(
    ("text", "lone"),
    [("-", True), ("”", True), ("..", True), ("", False), ("nil", False)],
)
def test_a_lone_mark_has_neither_letter_nor_figure(text: str, *, lone: bool) -> None:
    assert is_lone_mark(text) is lone


def test_pieces_are_measured_from_the_left_side_and_from_the_line() -> None:
    grey = np.full((60, 300), PAPER_LEVEL, np.uint8)
    grey[29:32, 148:152] = 20
    ink = take_ink(grey, 200.0, CAP_PX, 3.0)
    ((middle, above, off, stops),) = measure_pieces(ink, 45.5, CAP_PX)
    assert middle == pytest.approx(150 / CAP_PX)
    assert above == pytest.approx(15 / CAP_PX)
    assert off == pytest.approx(28 / CAP_PX)
    assert stops == pytest.approx(12 / (0.11 * CAP_PX) ** 2)


def test_marks_are_expected_where_the_other_cells_have_them() -> None:
    speck = (2.0, 0.3, 0.5, 1.0)
    dashed = measure([lay(t, speck) for t in ("-", "-", "-", "", "41", "-")])[3]
    plain = measure([lay(t, speck) for t in ("12", "9", "30", "", "41", "7")])[3]
    alone = measure([lay("", speck)])[0]
    assert dashed is not None
    assert plain is not None
    assert alone is not None
    assert dashed["marks"] > math.log(0.3)
    assert plain["marks"] < math.log(0.06)
    assert alone["marks"] == pytest.approx(math.log(USUAL_MARKS))


def test_only_cells_with_ink_in_which_nothing_is_read_are_measured() -> None:
    speck = (2.0, 0.3, 0.5, 1.0)
    assert [m is None for m in measure([lay("7", speck), lay(""), lay("", speck)])] == [
        True,
        True,
        False,
    ]


def test_specks_in_one_place_down_a_column_bear_each_other_out() -> None:
    rng = np.random.default_rng(3)
    strewn = [
        lay("", (float(x), float(y), 0.4, 1.0)) for x, y in rng.uniform((0, -1), (9, 1.5), (9, 2))
    ]
    ranged = [lay("", (2.0 + 0.05 * (n % 3), 0.3, 0.4, 1.0)) for n in range(9)]
    said = [m["again"] for m in measure(ranged) if m]
    assert said == pytest.approx([math.log(9)] * 9)
    assert max(m["again"] for m in measure(strewn) if m) < math.log(4)
    assert max(judge(ranged)) < 0.5 < min(judge(strewn))
    found = measure_remains(ranged, [list(range(9))])
    assert all(recurs(own) for own in found)
    assert not recurs(None)
    assert not recurs(measure_remains(ranged[:1], [[0]])[0])


def test_other_sizes_and_what_stands_in_words_bear_no_witness() -> None:
    small, large = (2.0, 0.3, 0.4, 1.0), (2.0, 0.3, 0.4, 9.0)
    assert [m and m["again"] for m in measure([lay("", small), lay("", large)])] == [0.0, 0.0]
    assert [m and m["again"] for m in measure([lay("", small), lay("41", small)])] == [0.0, None]
    assert measure([lay("", small), lay("-", small)])[0]["again"] == pytest.approx(math.log(2))  # type: ignore[index]


def test_a_mark_counts_where_it_stands_on_the_line_and_off_the_sides() -> None:
    on, below, aside = (2.0, 0.3, 0.5, 2.0), (2.0, -0.9, 0.5, 2.0), (0.1, 0.3, 0.05, 2.0)
    assert [m and m["placed"] for m in measure([lay("", p) for p in (on, below, aside)])] == [
        1,
        0,
        0,
    ]
    said = [judge([lay("", p)])[0] for p in (on, below)]
    assert said[0] < said[1]


def test_a_large_piece_is_less_surely_dirt_than_a_small_one_and_more_so_on_dirty_paper() -> None:
    small, large = (lay("", (2.0, 0.3, 0.5, stops)) for stops in (0.3, 6.0))
    assert judge([large])[0] < judge([small])[0]
    dirty = [lay("", *[(float(x), -0.8, 0.5, 0.5) for x in range(8)]) for _ in range(6)]
    assert judge([large, *[lay("")] * 6])[0] < judge([large, *dirty])[0]


def test_what_the_recogniser_saw_and_read_as_nothing_is_told_from_specks_it_never_saw() -> None:
    piece = (2.0, 0.3, 0.5, 2.0)
    unsure, sure = (judge([lay("", piece, empty=odds)])[0] for odds in (0.5, 6.0))
    assert unsure < sure


def test_a_cell_without_ink_is_blank() -> None:
    assert blank_confidence(None, MODEL) > 0.999
    assert judge([Remnants("", NO_PIECES, None)]) == [blank_confidence(None, MODEL)]


def test_as_much_ink_as_a_letter_has_is_never_surely_dirt() -> None:
    aside = lay("", (2.0, -0.9, 0.5, 20.0), empty=9.0)
    dirty = [lay("", *[(float(x), -0.8, 0.5, 0.5) for x in range(9)]) for _ in range(9)]
    (found, *_) = measure_remains([aside, *dirty], [list(range(10))])
    assert blank_confidence(found, MODEL, 0.1) > 0.9
    assert blank_confidence(found, MODEL, 0.3) <= 0.85


def test_cells_of_thousands_of_dots_are_held_against_each_other_by_their_largest() -> None:
    rng = np.random.default_rng(4)
    dots = np.column_stack([rng.uniform(0, 40, 5000), rng.uniform(-1, 2, 5000)])
    dotted = np.column_stack([dots, np.full(5000, 0.5), np.full(5000, 0.2)])
    mark = np.array([[2.0, 0.3, 0.5, 3.0]])
    cells = [Remnants("", np.concatenate([dotted, mark]), None) for _ in range(40)]
    assert [m and m["again"] for m in measure(cells)] == pytest.approx([math.log(40)] * 40)
