"""Roles of pieces of writing, and the tables that follow from them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.model.grid import Rule
from keel_line.model.page import PageText
from keel_line.rule.assembly import find_tables
from keel_line.rule.headed import RowPieces, place_cells
from keel_line.rule.parting import ColumnPlace
from keel_line.rule.pieces import FEATURES, Pieces, measure_pieces, texts_of
from keel_line.rule.roles import (
    BODY,
    CAPTION,
    HEADING,
    OUTSIDE,
    Roles,
    find_roles,
    find_roles_reading,
)
from keel_line.rule.sayings import TEXTS
from keel_line.rule.writing import Writing

CAP = 20.0


def writing_of(*lines: list[tuple[float, float]]) -> Writing:
    """Pieces of writing from left to right of each line, 40 px from line to line."""
    boxes = [(a, 40.0 * n, b, 40.0 * n + CAP) for n, row in enumerate(lines) for a, b in row]
    numbers = [n for n, row in enumerate(lines) for _ in row]
    return Writing(np.array(boxes, float).reshape(-1, 4), np.array(numbers, np.int64), CAP)


def roles_of(
    writing: Writing,
    roles: list[int],
    begins: frozenset[int] = frozenset(),
    parted: frozenset[int] = frozenset(),
) -> Roles:
    """Roles that are sure; ``begins`` and ``parted`` are numbers of pieces."""
    count = len(writing.boxes)
    chances = np.full((count, 5), 0.01)
    chances[np.arange(count), roles] = 0.96
    flags = [np.array([float(k in s) for k in range(count)]) for s in (begins, parted)]
    near = measure_pieces(writing, []).near
    none = np.zeros(count)
    said = np.zeros((len(near), TEXTS))
    return Roles(chances, none, flags[0], flags[1], none, none, none, near, said)


TWO = [(0.0, 60.0), (200.0, 260.0)]


@given(
    st.lists(
        st.tuples(st.integers(0, 14), st.integers(0, 40), st.integers(1, 20)),
        min_size=1,
        max_size=30,
    )
)
def test_a_piece_hears_the_means_of_its_line_and_its_column(
    places: list[tuple[int, int, int]],
) -> None:
    line, left, wide = np.array(sorted(places)).T
    boxes = np.column_stack([left, 40 * line, left + wide, 40 * line + 20]).astype(float)
    found = measure_pieces(Writing(10 * boxes, line, 20.0), []).groups
    for k in range(len(line)):
        over = (left < left[k] + wide[k]) & (left + wide > left[k])
        away = line - line[k]
        wanted = (
            (away == 0) & (left < left[k]),
            (away == 0) & (left > left[k]),
            over & (away < 0) & (away >= -10),
            over & (away > 0) & (away <= 10),
        )
        for group, own in zip(found, wanted, strict=True):
            assert np.allclose(group.toarray()[k], own / max(own.sum(), 1))


def test_pieces_are_measured_whatever_stands_there() -> None:
    empty = writing_of()
    assert measure_pieces(empty, []).features.shape == (0, FEATURES)
    pieces = measure_pieces(writing_of(TWO, [(0.0, 400.0)]), [])
    assert pieces.features.shape == (3, FEATURES)
    assert np.isfinite(pieces.features).all()


def test_neighbours_are_those_above_below_and_beside() -> None:
    near = measure_pieces(writing_of(TWO, TWO), []).near
    assert near.tolist() == [[-1, 2, -1, 1], [-1, 3, 0, -1], [0, -1, -1, 3], [1, -1, 2, -1]]


def test_a_rule_and_what_is_said_change_the_measures() -> None:
    writing = writing_of(TWO, TWO)
    rule = Rule("across", 0.0, 260.0, 30.0, 0.0, 2.0, 1.0)
    bare = measure_pieces(writing, []).features
    assert not np.allclose(bare, measure_pieces(writing, [rule]).features)
    texts = ["Vessel", "Dues", "Wren", "1,250"]
    said = measure_pieces(writing, [], texts).features
    assert (measure_pieces(writing, []).with_texts(texts).features == said).all()
    assert not np.allclose(bare, said)


def test_each_piece_says_what_its_characters_say() -> None:
    boxes = np.array([(x, 0.0, x + 8.0, 20.0) for x in (0.0, 10.0, 24.0, 200.0)])
    text = PageText("Wr3Q", boxes, np.array([True, False, True, True]), ())
    pieces = Writing(
        np.array([[0.0, 0.0, 32.0, 20.0], [200.0, 0.0, 208.0, 20.0]]), np.zeros(2, np.int64), CAP
    )
    assert texts_of(pieces, text) == ["Wr 3", "Q"]


def test_chances_of_roles_add_up_to_one() -> None:
    roles = find_roles(writing_of(TWO, TWO, TWO, [(0.0, 500.0)]), [])
    assert roles.roles.sum(axis=1) == pytest.approx(1.0)
    assert ((roles.joins >= 0) & (roles.joins <= 1)).all()


def test_no_writing_has_no_roles() -> None:
    assert find_roles(writing_of(), []).roles.shape == (0, 5)


def test_lines_of_table_pieces_make_one_table_and_writing_between_makes_two() -> None:
    writing = writing_of(TWO, TWO, [(0.0, 260.0)], TWO, TWO)
    body = [HEADING, HEADING, BODY, BODY, OUTSIDE, BODY, BODY, BODY, BODY]
    tables = find_tables(writing, roles_of(writing, body))
    assert [[line.tolist() for line in t.lines] for t in tables] == [
        [[0, 1], [2, 3]],
        [[5, 6], [7, 8]],
    ]
    assert [t.headings for t in tables] == [1, 0]
    whole = find_tables(writing, roles_of(writing, [*body[:4], BODY, *body[5:]]))
    assert [len(t.lines) for t in whole] == [5]


def test_a_table_may_begin_right_under_or_beside_another() -> None:
    writing = writing_of(*[[*TWO, (500.0, 560.0), (700.0, 760.0)]] * 4)
    body = [BODY] * 16
    assert len(find_tables(writing, roles_of(writing, body))) == 1
    below, beside = frozenset(range(8, 12)), frozenset(range(2, 16, 4))
    assert len(find_tables(writing, roles_of(writing, body, begins=below))) == 2
    assert len(find_tables(writing, roles_of(writing, body, parted=beside))) == 2


@pytest.mark.parametrize(("lines", "apart", "count"), [(4, 140.0, 1), (4, 190.0, 2), (2, 140.0, 2)])
def test_what_is_level_and_close_is_one_table(lines: int, apart: float, count: int) -> None:
    third = 260.0 + apart  # the columns of each stand 140 px apart
    writing = writing_of(*[[*TWO, (third, third + 60), (third + 200, third + 260)]] * lines)
    parted = frozenset(range(2, 4 * lines, 4))
    roles = roles_of(writing, [BODY] * 4 * lines, parted=parted)
    assert len(find_tables(writing, roles)) == count


def test_what_stands_on_other_lines_is_another_table() -> None:
    both, left = [*TWO, (400.0, 460.0), (600.0, 660.0)], TWO
    writing = writing_of(*[both] * 4, *[left] * 2)
    roles = roles_of(writing, [BODY] * 20, parted=frozenset(range(2, 16, 4)))
    assert len(find_tables(writing, roles)) == 2


def test_what_is_hardly_a_table_is_none() -> None:
    writing = writing_of(TWO, TWO, TWO)
    roles = roles_of(writing, [BODY] * 6)
    assert len(find_tables(writing, roles)) == 1
    unsure = replace(roles, roles=np.tile([0.4, 0.0, 0.1, 0.5, 0.0], (6, 1)))
    assert find_tables(writing, unsure) == []
    few = writing_of(TWO)
    assert find_tables(few, roles_of(few, [BODY] * 2)) == []


def test_slivers_along_an_edge_are_no_table() -> None:
    writing = writing_of([(0.0, 3.0)], [(0.0, 3.0)], [(0.0, 2.0)])
    assert find_tables(writing, roles_of(writing, [BODY] * 3)) == []


def place(left: float, right: float) -> ColumnPlace:
    return ColumnPlace(left, right, flush_left=True, flush_right=False)


XS = (0.0, 100.0, 200.0, 300.0, 400.0)
PLACES = [place(x + 10, x + 90) for x in XS[:-1]]


def row(
    *pieces: tuple[float, float, bool], under: tuple[tuple[float, float] | None, ...] = ()
) -> RowPieces:
    boxes = np.array([(a, 0.0, b, CAP) for a, b, _ in pieces])
    return RowPieces(boxes, np.array([s for _, _, s in pieces]), under)


SINGLE = row(*((x + 10, x + 60, False) for x in XS[:-1]))


def spans_of(top: RowPieces, headings: int = 2) -> set[tuple[int, int, int, int]]:
    cells = place_cells([top, SINGLE, SINGLE], XS, (0.0, 40.0, 80.0, 120.0), PLACES, headings, CAP)
    return {(c.row, c.col, c.row_span, c.col_span) for c in cells if c.row == 0}


def test_a_title_spans_the_columns_over_whose_middle_it_stands() -> None:
    # Headings beside it go on through its two levels.
    assert spans_of(row((270.0, 330.0, True))) == {(0, 0, 2, 1), (0, 1, 2, 1), (0, 2, 1, 2)}


def test_a_short_rule_says_how_far_a_title_spans() -> None:
    top = row((220.0, 280.0, True), under=((105.0, 395.0),))
    assert (0, 1, 1, 3) in spans_of(top)


def test_two_titles_share_the_columns() -> None:
    found = spans_of(row((70.0, 130.0, True), (270.0, 330.0, True)))
    assert found == {(0, 0, 1, 2), (0, 2, 1, 2)}


def test_a_name_alone_across_the_body_spans_all_columns() -> None:
    cells = place_cells(
        [SINGLE, row((10.0, 150.0, True)), SINGLE], XS, (0.0, 40.0, 80.0, 120.0), PLACES, 1, CAP
    )
    assert [(c.col, c.col_span) for c in cells if c.row == 1] == [(0, 4)]


def reading(
    monkeypatch: pytest.MonkeyPatch,
    writing: Writing,
    roles: list[int],
    joins: dict[int, float] | None = None,
) -> tuple[list[np.ndarray], list[list[str | None]]]:
    """Find roles that are known, reading "said"; return what was read, and what was made of it.

    ``joins`` are the chances of some pieces that their lines go on with the row above.
    """
    asked: list[np.ndarray] = []
    told: list[list[str | None]] = []

    def tell(own: Pieces, texts: list[str | None]) -> Pieces:
        told.append(texts)
        return own

    def read(boxes: np.ndarray, cap: float) -> list[str]:
        assert cap == CAP
        asked.append(boxes)
        return ["" if y0 == 0 else "said" for y0 in boxes[:, 1].tolist()]

    known = roles_of(writing, roles)
    chances = [(joins or {}).get(k, 0.0) for k in range(len(known.joins))]
    known = replace(known, joins=np.array(chances))
    monkeypatch.setattr("keel_line.rule.roles.judge_pieces", lambda _: known)
    monkeypatch.setattr(Pieces, "with_texts", tell)
    find_roles_reading(writing, [], read)
    return asked, told


def test_tables_and_what_stands_close_to_them_are_read_before_roles_are_told(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    prose = [[(0.0, 700.0)]] * 20
    writing = writing_of([(0.0, 90.0)], [(0.0, 460.0)], *[TWO] * 9, *prose)
    roles = [CAPTION, CAPTION, *[HEADING] * 2, *[BODY] * 16, *[OUTSIDE] * 20]
    asked, told = reading(monkeypatch, writing, roles)
    (boxes,) = asked
    # Two lines above, the table, five lines below; what is not plainly in the body comes first.
    assert sorted(boxes[:, 1].tolist()) == [
        0.0,
        40.0,
        *sorted(80.0 + 40 * k for k in [*range(9)] * 2),
        *(440.0 + 40 * k for k in range(5)),
    ]
    assert boxes[-16:, 1].min() == 120.0
    (texts,) = told
    assert texts[0] is None  # nothing was seen there
    assert texts[1:25] == ["said"] * 24
    assert texts[25:] == [None] * 15


@pytest.mark.parametrize(("chance", "unsure"), [(0.5, True), (0.999, False), (0.001, False)])
def test_of_a_long_table_lines_that_may_go_on_are_read_with_those_above(
    monkeypatch: pytest.MonkeyPatch, chance: float, *, unsure: bool
) -> None:
    writing = writing_of(*[TWO] * 120)
    # The left of the line before the last.
    (boxes,), _ = reading(monkeypatch, writing, [BODY] * 240, {236: chance})
    assert len(boxes) < 240
    tops = boxes[:2, 1].tolist()
    assert tops == ([117 * 40.0, 118 * 40.0] if unsure else [0.0, 0.0])


def test_where_no_table_is_nothing_is_read(monkeypatch: pytest.MonkeyPatch) -> None:
    prose = writing_of(*[[(0.0, 700.0)]] * 20)
    assert reading(monkeypatch, prose, [OUTSIDE] * 20) == ([], [])
    empty = writing_of()
    assert reading(monkeypatch, empty, []) == ([], [])


def test_without_a_reader_roles_are_found_at_once() -> None:
    writing = writing_of(*[TWO] * 5)
    found = find_roles_reading(writing, [], None)
    assert np.allclose(found.roles, find_roles(writing, []).roles)


def test_what_is_said_does_not_tell_whether_tables_stand_beside_each_other() -> None:
    four = [(0.0, 60.0), (100.0, 160.0), (400.0, 460.0), (500.0, 560.0)]
    writing = writing_of(*[four] * 5)
    texts = ["Berth", "Dues", "Berth", "Dues", *[str(30 * k) for k in range(16)]]
    bare, said = find_roles(writing, []), find_roles(writing, [], texts)
    seen = find_roles_reading(writing, [], lambda boxes, _: texts[: len(boxes)])
    assert not np.allclose(bare.roles, said.roles)
    assert np.allclose(bare.parted, said.parted)
    assert np.allclose(bare.parted, seen.parted)
