"""Small perceptrons choose among cases, or none of them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pytest

from keel_line.rule.perceptron import Perceptron, log_odds
from training.perceptron import Choices, fit_perceptron, hold_out, mean_of


def make_choices(count: int, seed: int = 3) -> Choices:
    """Choices of three cases each: right is the largest first measure, if it is above 0."""
    rng = np.random.default_rng(seed)
    measures = rng.normal(size=(count, 3, 4))
    first = measures[:, :, 0]
    right = (first == first.max(axis=1, keepdims=True)) & (first > 0)
    numbers = np.repeat(np.arange(count), 3)
    return Choices(measures.reshape(-1, 4), numbers, right.ravel(), np.ones(count))


def test_the_right_case_is_the_likeliest_or_none() -> None:
    model = fit_perceptron(make_choices(400), 4, 1e-4)
    held = make_choices(200, seed=4)
    odds = model.find_odds(held.measures).reshape(-1, 3)
    found = (odds == odds.max(axis=1, keepdims=True)) & (odds > 0)
    assert (found == held.right.reshape(-1, 3)).all(axis=1).mean() > 0.93


def test_what_weighs_nothing_is_not_learnt() -> None:
    true, other = make_choices(200), make_choices(200, seed=5)
    both = Choices(
        np.concatenate([true.measures, other.measures]),
        np.concatenate([true.numbers, other.numbers + 200]),
        np.concatenate([true.right, ~other.right]),
        np.repeat([1.0, 1e-9], 200),
    )
    alone, among = (fit_perceptron(c, 4, 1e-3) for c in (true, both))
    held = make_choices(200, seed=6).measures
    assert np.corrcoef(alone.find_odds(held), among.find_odds(held))[0, 1] > 0.97


def test_the_mean_of_models_has_the_mean_odds() -> None:
    choices = make_choices(100)
    models = [fit_perceptron(choices, 3, 1e-2, start) for start in range(3)]
    assert len({m.hidden for m in models}) == 3
    wanted = np.mean([m.find_odds(choices.measures) for m in models], axis=0)
    assert mean_of(models).find_odds(choices.measures) == pytest.approx(wanted, abs=0.01)


def test_no_case_is_judged_by_what_its_design_taught() -> None:
    designs = [f"design {k % 9}" for k in range(90)]
    cases = list(range(90))
    taught: list[list[int]] = []

    def fit(kept: Sequence[int]) -> Perceptron:
        taught.append(list(kept))
        return fit_perceptron(make_choices(20), 2, 1e-2)

    hold_out(cases, designs, fit)
    assert len(taught) > 1
    for kept in taught:
        left = {designs[c] for c in cases if c not in kept}
        assert left
        assert not left & {designs[c] for c in kept}


def test_odds_of_what_is_as_good_as_sure_are_bounded() -> None:
    assert log_odds(np.array([0.0, 0.5, 1.0])).tolist() == [-6.0, 0.0, 6.0]
