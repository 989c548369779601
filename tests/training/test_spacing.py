"""The judge of spaces: what it is fitted on, and that a fit comes back as the product reads it."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest

from keel_line.read.spaces import GAP_FEATURES, SpaceModel, judge_gaps

spacing = pytest.importorskip("training.spacing")


@pytest.mark.parametrize(
    ("text", "spaces"),
    [("N 4", [True]), ("5,181", [False] * 4), ("a b  c", [True, True]), ("x", []), ("", [])],
)
def test_the_truth_of_each_gap(text: str, spaces: list[bool]) -> None:
    assert spacing.find_spaces(text).tolist() == spaces


def test_a_fit_is_read_by_the_product() -> None:
    rng = np.random.default_rng(1)
    features = rng.normal(size=(4000, GAP_FEATURES))
    spaced = features[:, 2] + 0.5 * features[:, 3] > 0
    fitted = spacing.fit(features, spaced)
    model = msgspec.convert(fitted, SpaceModel)
    judged = judge_gaps(model, features) > 0.5
    assert (judged == spaced).mean() > 0.97


def test_copies_are_chosen_beyond_the_first_pages() -> None:
    numbers = spacing.choose_pages(20, 3)
    assert numbers[:20] == list(range(20))
    assert len(set(numbers)) == 23
    assert all(n >= 20 and spacing.CONDITIONS[n % 8] == "copy" for n in numbers[20:])


def test_some_lines_make_small_tables_of_their_own() -> None:
    lines = [(object(), str(i)) for i in range(8)]
    whole, *small = spacing._as_tables(lines)
    assert whole == lines
    assert [[text for _, text in group] for group in small] == [["0", "1", "2"], ["6", "7"]]
