"""Pieces over a column's boundary are parted where both values stand in their columns' places."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line.rule.parting import find_places, part_pieces

CAP = 20.0
XS = [0.0, 110.0, 300.0]
"""The first column's values end at 100, the second's begin at 120."""


def letters_of(*spans: tuple[float, float], top: float = 0.0) -> NDArray[np.float64]:
    return np.array([(a, top, b, top + CAP) for a, b in spans])


def column_rows(count: int = 6) -> list[NDArray[np.float64]]:
    return [
        np.array(
            [(40 + 5 * k, 50.0 + 50 * k, 100, 70 + 50 * k), (120, 50 + 50 * k, 210, 70 + 50 * k)]
        )
        for k in range(count)
    ]


def parted(
    *spans: tuple[float, float], dirt: tuple[float, float] | None = None
) -> list[list[float]]:
    """Return the ends of the pieces that one piece of the first line, with these letters, makes."""
    letters = letters_of(*spans)
    if dirt is not None:
        letters = np.vstack([letters, [(*dirt, dirt[0] + 4, dirt[1] + 4)]])
    whole = np.concatenate([letters[:, :2].min(axis=0), letters[:, 2:].max(axis=0)])
    rows = part_pieces([whole[None, :], *column_rows()], letters, XS, CAP)
    return [[float(p[0]), float(p[2])] for p in rows[0]]


def test_headings_set_close_together_are_two() -> None:
    assert parted((30, 60), (62, 100), (120, 150), (152, 200)) == [[30, 100], [120, 200]]


def test_dirt_between_two_values_makes_them_no_one() -> None:
    assert parted((70, 100), (120, 150), dirt=(108, 6)) == [[70, 112], [120, 150]]


@pytest.mark.parametrize(
    "spans",
    [
        ((30, 60), (62, 98), (104, 140), (144, 190)),  # no wider than between letters
        ((30, 84), (96, 200)),  # neither ends nor begins where its column's values do
        ((30, 60), (64, 104), (106, 160)),  # a word over the boundary
    ],
)
def test_a_title_over_both_stays_whole(spans: tuple[tuple[float, float], ...]) -> None:
    assert parted(*spans) == [[spans[0][0], spans[-1][1]]]


@pytest.mark.parametrize(("begin", "count"), [(20, 2), (34, 1)])
def test_a_gap_as_between_words_needs_two_ends_in_their_columns_places(
    begin: float, count: int
) -> None:
    """Values of a column that begin together end raggedly: one runs on up to the next column."""
    rows = [
        np.array(
            [(20, 50.0 + 50 * k, 60 + 9 * k, 70 + 50 * k), (120, 50 + 50 * k, 160 + 9 * k, 90)]
        )
        for k in range(5)
    ]
    whole = np.array([[begin, 0.0, 171, CAP]])
    letters = letters_of((begin, 108), (120, 171))
    assert len(part_pieces([whole, *rows], letters, XS, CAP)[0]) == count


def test_without_letters_nothing_is_parted() -> None:
    whole = np.array([[30.0, 0, 200, 20]])
    rows = part_pieces([whole, *column_rows()], np.zeros((0, 4)), XS, CAP)
    assert np.array_equal(rows[0], whole)


def test_a_columns_place_is_where_most_of_its_values_lie() -> None:
    first, second = find_places(column_rows(), XS, CAP)
    assert (first.right, first.flush_right) == (100, True)
    assert (second.left, second.flush_left, second.flush_right) == (120, True, True)
    ragged = [np.array([(10.0 + 30 * k, 0, 40 + 30 * k, 20)]) for k in range(3)]
    assert not find_places(ragged, XS, CAP)[0].flush_left


def test_a_column_without_values_is_as_wide_as_its_boundaries() -> None:
    rows = [np.array([(10.0, 0, 100, 20)])]
    assert (find_places(rows, XS, CAP)[1].left, find_places(rows, XS, CAP)[1].right) == (110, 300)
