"""What is a ruling line is fitted on what the pages' files draw."""

from __future__ import annotations

import numpy as np
import pytest

from keel_line.model.grid import Rule
from keel_line.rule.rules import MEASURES
from synth.press.make import PRESS_DIR
from synth.press.store import each_page
from training.rules import MeasuredLines, fit_model, lies_on, measure_page


def test_long_lines_count_more_than_short_ones() -> None:
    measures = np.zeros((60, len(MEASURES)))
    drawn = np.arange(60) % 3 == 0  # one in three, and nothing tells which
    model = fit_model([MeasuredLines("one", measures, np.where(drawn, 3.0, 0.2), drawn)])
    assert model.find_odds(measures[:1])[0] > 0


@pytest.mark.parametrize(
    ("start", "position", "lies"),
    [(100.0, 50.0, True), (100.0, 54.0, True), (100.0, 70.0, False), (900.0, 50.0, False)],
)
def test_what_lies_on_a_line_of_the_file_is_drawn(
    start: float, position: float, *, lies: bool
) -> None:
    line = Rule("across", 50.0, 700.0, 50.0, 0.0, 2.0, 1.0)
    traced = Rule("across", start, start + 300.0, position, 0.0, 2.0, 1.0)
    assert lies_on(traced, line, 300.0) is lies


def test_the_drawn_lines_of_a_scan_are_among_what_is_traced() -> None:
    data, truth = next(page for page in each_page(PRESS_DIR) if page[1].design == "latex-full")
    measured = measure_page((data, truth, "clean"))
    assert measured.measures.shape == (len(measured.lengths), len(MEASURES))
    assert 0 < measured.drawn.sum() < len(measured.drawn)
    assert measured.lengths[measured.drawn].mean() > measured.lengths[~measured.drawn].mean()
