from __future__ import annotations

import numpy as np
import pytest

from keel_line.read.confidence import Calibration, estimate_confidence
from training.calibrate import find_cuts, fit


def test_fit_finds_the_chances_behind_the_cells() -> None:
    rng = np.random.default_rng(4)
    features = rng.normal(0, 2, (6000, 2))
    chance = 1 / (1 + np.exp(-(1.2 * features[:, 0] - 0.4 * features[:, 1] + 0.5)))
    weights, bias = fit(features, rng.random(6000) < chance)
    model = Calibration(tuple(weights.tolist()), bias, ((1.0, 0.5),), "")
    said = np.array([estimate_confidence(model, tuple(f)) for f in features])
    assert np.abs(said - chance).mean() < 0.03


def test_cuts_let_no_more_pass_than_their_rate() -> None:
    rng = np.random.default_rng(5)
    confidence = rng.beta(9, 1, 20_000)
    right = rng.random(20_000) < confidence
    cuts = dict(find_cuts(confidence, right))
    for rate, cut in cuts.items():
        passing = (confidence >= cut) & ~right
        assert passing.sum() <= rate / 1000 * len(right) + 1
    ordered = [cuts[r] for r in sorted(cuts)]
    assert ordered == sorted(ordered, reverse=True)


def test_cells_that_are_all_wrong_are_all_flagged() -> None:
    confidence = np.linspace(0.5, 0.9, 50)
    ((_, cut), *_) = find_cuts(confidence, np.zeros(50, bool))
    assert cut == pytest.approx(0.9)
