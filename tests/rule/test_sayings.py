"""What pieces of writing say, measured, and whether one goes on with another."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from keel_line.rule.pieces import measure_pieces
from keel_line.rule.sayings import ENDS_AS_TEXT, ENDS_WITH_STOP, TEXTS, measure_texts
from keel_line.rule.writing import Writing

TWO = [(0.0, 60.0), (200.0, 260.0)]


def said(*rows: tuple[str | None, str | None]) -> NDArray[np.float64]:
    """What two columns of pieces say, row by row, measured."""
    boxes = [(a, 40.0 * n, b, 40.0 * n + 20.0) for n in range(len(rows)) for a, b in TWO]
    lines = np.repeat(np.arange(len(rows)), 2)
    pieces = measure_pieces(Writing(np.array(boxes), lines, 20.0), [])
    texts = [text for row in rows for text in row]
    return measure_texts(texts, pieces.near, pieces.groups[2:])


@given(st.lists(st.tuples(*[st.none() | st.text(max_size=12)] * 2), min_size=1, max_size=5))
def test_whatever_is_said_is_measured_and_what_is_unknown_is_nothing(
    rows: list[tuple[str | None, str | None]],
) -> None:
    found = said(*rows)
    assert found.shape == (2 * len(rows), TEXTS)
    assert np.isfinite(found).all()
    unknown = [text is None for row in rows for text in row]
    assert (found[unknown] == 0).all()
    assert (found[np.logical_not(unknown), 0] == 1).all()


def test_without_texts_nothing_is_said() -> None:
    assert (measure_texts(None, np.full((3, 4), -1), []) == 0).all()


@pytest.mark.parametrize(
    ("open_line", "whole_line", "below"),
    [
        ("Charged as agreed", "Charged as agreed.", "by the owners"),
        ("Paid (in two", "Paid in two", "parts)"),
        ("Repairs to the", "Repairs to sea", "North quay"),
    ],
)
def test_a_line_that_goes_on_is_told_by_the_end_of_the_one_above(
    open_line: str, whole_line: str, below: str
) -> None:
    on, anew = (said((upper, None), (below, None))[2] for upper in (open_line, whole_line))
    assert not np.allclose(on, anew)


def test_values_of_one_form_are_told_from_others_over_and_under_them() -> None:
    alike = said(("1,250.00", None), ("317.40", None), ("2,046.15", None))
    other = said(("Skerry Head", None), ("317.40", None), ("b/f", None))
    assert not np.allclose(alike[2], other[2])
    # The column counts all that stands there, not the next piece alone.
    further = said(("1,250.00", None), ("317.40", None), ("2,046.15", None), ("17.90", None))
    mixed = said(("1,250.00", None), ("317.40", None), ("2,046.15", None), ("lost", None))
    assert not np.allclose(further[2], mixed[2])
    assert np.allclose(further[2, :-4], mixed[2, :-4])


def test_what_stands_beside_a_piece_counts_too() -> None:
    assert not np.allclose(said(("Quay of", "stone"))[1], said(("Quay", "stone"))[1])


def test_what_ends_as_running_text_does() -> None:
    own = said(("He paid.", "He paid,"), ("He paid:", "Tons landed"))
    ends = own[:, list(ENDS_AS_TEXT)].any(axis=1)
    assert ends.tolist() == [True, True, True, False]
    assert own[:, ENDS_WITH_STOP].tolist() == [1.0, 0.0, 0.0, 0.0]
