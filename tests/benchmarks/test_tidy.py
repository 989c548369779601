"""The benchmark of Tidy measures what it says, and what is asked is reached."""

from __future__ import annotations

import random

import numpy as np

from benchmarks.tidy import say_lines, score_joins, score_suggestions, score_types


def test_types_joins_and_suggestions_are_as_right_as_asked() -> None:
    columns, right, unseen, wrong = score_types(random.Random(5))
    assert columns == 200
    assert right + wrong.total() == columns
    assert right >= 0.96 * columns
    assert unseen <= 2
    pairs, joined, sure, _ = score_joins(np.random.default_rng(5))
    assert joined >= 0.97 * pairs
    assert sure == 0
    made, fits, missed, _ = score_suggestions(np.random.default_rng(5))
    assert fits >= 0.95 * made
    assert fits >= 0.9 * (fits + missed)


def test_the_report_has_a_line_for_each() -> None:
    assert [line.split("|")[1].strip() for line in say_lines() if line.startswith("| ")][1:] == [
        "types of columns",
        "joins",
        "suggestions",
        "needs that are suggested",
    ]
