"""Fitting what a further piece of evidence is worth."""

from __future__ import annotations

import numpy as np

from training.logistic import fit, join, judge


def test_weights_are_found_again_and_mend_what_the_network_got_wrong() -> None:
    rng = np.random.default_rng(8)
    count = 20_000
    measures = np.column_stack([np.ones(count), rng.normal(size=(count, 5))])
    odds = rng.normal(1.5, 1.0, count)
    true = np.array([0.5, 0.0, -0.8, 1.6, 0.3, 0.0])
    right = rng.random(count) < 1 / (1 + np.exp(-(odds + measures @ true)))
    pairs = (odds, measures, right)
    found = fit(pairs)
    np.testing.assert_allclose(found, true, atol=0.15)
    before, now = judge(pairs, np.zeros(6)), judge(pairs, found)
    assert now[0] < before[0]
    assert now[1] - now[2] > before[1] - before[2]


def test_pages_without_a_pair_count_for_nothing() -> None:
    none = (np.zeros(0), np.zeros((0, 6)), np.zeros(0, bool))
    one = (np.ones(2), np.ones((2, 6)), np.array([True, False]))
    odds, measures, right = join([none, one, none])
    assert (len(odds), measures.shape, right.tolist()) == (2, (2, 6), [True, False])
