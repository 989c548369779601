"""The ink of a cell: how dark it is, and what is left of the rules around it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import array_shapes, arrays

from keel_line._shared.paper import PAPER_LEVEL, grey_percentile
from keel_line.read.ink import take_ink

CAP_PX, ROWS, COLS = 22.0, 60, 200
LETTER = (30, 20, 42, 42)


@given(
    arrays(np.uint8, array_shapes(min_dims=2, max_dims=2, max_side=30)),
    st.floats(0.0, 1.0),
)
def test_a_percentile_is_that_of_numpy(grey: np.ndarray, share: float) -> None:
    assert grey_percentile(grey, share) == pytest.approx(np.percentile(grey, 100 * share), abs=1e-6)


@pytest.mark.parametrize(
    "remain",
    [(0, 0, COLS, 2), (0, 0, 2, ROWS), (0, 30, 10, 32), (100, 0, 102, 8), (198, 40, 200, 42)],
    ids=["a rule above", "a rule to the left", "a stub across", "a stub down", "a corner's speck"],
)
def test_remains_of_rules_at_a_cells_sides_are_no_writing(remain: tuple[int, ...]) -> None:
    grey = np.full((ROWS, COLS), PAPER_LEVEL, np.uint8)
    for x0, y0, x1, y1 in (LETTER, remain):
        grey[y0:y1, x0:x1] = 20
    ink = take_ink(grey, 200.0, CAP_PX, 3.0)
    assert ink.parts[:, :4].tolist() == [[30, 20, 12, 22]]


def test_a_letter_at_a_cells_side_is_writing() -> None:
    grey = np.full((ROWS, COLS), PAPER_LEVEL, np.uint8)
    grey[20:42, 0:12] = 20
    assert len(take_ink(grey, 200.0, CAP_PX, 3.0).parts) == 1
