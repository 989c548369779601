"""Fits the small perceptrons of ``keel_line.rule``: each chooses among a few cases, or none."""

from __future__ import annotations

import re
import zlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from keel_line.rule.perceptron import MOST_SPREADS, Perceptron

Floats = NDArray[np.float64]
T = TypeVar("T")
_SEED, _FOLDS, _ROUNDS = 9119, 6, 600
_MANUAL = re.compile(r"(pack|desc|typed)\d+(?=p\d+$)")


@dataclass(frozen=True, eq=False)
class Choices:
    """Choices among cases, of which at most one is right.

    ``measures`` has shape (n, m); ``numbers``, shape (n,), tells which choice each case belongs to,
    from 0 up in ascending order; ``right``, shape (n,), which cases are right; ``weights`` how much
    each choice counts.
    """

    measures: Floats
    numbers: NDArray[np.int64]
    right: NDArray[np.bool_]
    weights: Floats


def fit_perceptron(choices: Choices, hidden: int, penalty: float, start: int = 0) -> Perceptron:
    """Return the perceptron under which the right cases are likeliest.

    A case's chance is its odds' share of the odds of its choice's cases and 1, which stands for
    none of them (conditional logit; McFadden 1974). A choice of one case is a logistic regression.
    ``start`` tells the random weights apart that it begins with.
    """
    measures, share = choices.measures, choices.weights / choices.weights.sum()
    middle, scale = measures.mean(axis=0), measures.std(axis=0) + 1e-3
    brought = np.clip((measures - middle) / scale, -MOST_SPREADS, MOST_SPREADS)
    wide = measures.shape[1]
    firsts = np.flatnonzero(np.diff(choices.numbers, prepend=-1))
    rng = np.random.default_rng([_SEED, start])
    begin = np.concatenate(
        [
            rng.normal(0, 1 / np.sqrt(wide), hidden * wide),
            np.zeros(hidden),
            rng.normal(0, 1 / np.sqrt(hidden), hidden),
            np.zeros(1),
        ]
    )

    def loss(weights: Floats) -> tuple[float, Floats]:
        first, first_bias, last = _part(weights, hidden, wide)
        raised = brought @ first.T + first_bias
        held = np.maximum(raised, 0.0)
        odds = held @ last + weights[-1]
        most = np.maximum(np.maximum.reduceat(odds, firsts), 0.0)
        each = np.exp(odds - most[choices.numbers])
        total = np.add.reduceat(each, firsts) + np.exp(-most)
        slope = share[choices.numbers] * (each / total[choices.numbers] - choices.right)
        back = np.outer(slope, last) * (raised > 0)
        own = np.concatenate(
            [(back.T @ brought).ravel(), back.sum(axis=0), held.T @ slope, [slope.sum()]]
        )
        gained = np.add.reduceat(choices.right * odds, firsts) - most - np.log(total)
        value = penalty * float(weights @ weights) - float(share @ gained)
        return value, own + 2 * penalty * weights

    options = {"maxiter": _ROUNDS}
    found = minimize(loss, begin, jac=True, method="L-BFGS-B", options=options).x
    first, first_bias, last = _part(found, hidden, wide)
    return Perceptron(
        _round(middle),
        _round(scale),
        tuple(_round(row) for row in first),
        _round(first_bias),
        _round(last),
        round(float(found[-1]), 4),
    )


def _part(weights: Floats, hidden: int, wide: int) -> tuple[Floats, Floats, Floats]:
    """Return the weights of the first layer, what is added there, and those of the last."""
    at = hidden * wide
    return weights[:at].reshape(hidden, wide), weights[at : at + hidden], weights[at + hidden : -1]


def _round(values: Floats) -> tuple[float, ...]:
    return tuple(values.round(4).tolist())


def mean_of(models: Sequence[Perceptron]) -> Perceptron:
    """Return the perceptron whose odds are the mean of several that were fitted to one material."""
    first = models[0]
    return Perceptron(
        first.middle,
        first.scale,
        tuple(row for model in models for row in model.hidden),
        tuple(bias for model in models for bias in model.hidden_bias),
        tuple(round(weight / len(models), 4) for model in models for weight in model.last),
        round(sum(model.bias for model in models) / len(models), 4),
    )


def find_document(design: str) -> str:
    """Return the manual that a page is of, by the name of its design, or the design itself."""
    manual = _MANUAL.match(design)
    return manual[0] if manual else design


def hold_out(
    cases: Sequence[T], designs: Sequence[str], fit: Callable[[Sequence[T]], Perceptron]
) -> list[Perceptron]:
    """Return for each case a model that was fitted without the designs of its part (a sixth)."""
    parts = [zlib.crc32(design.encode()) % _FOLDS for design in designs]
    models = {
        part: fit([case for case, own in zip(cases, parts, strict=True) if own != part])
        for part in sorted(set(parts))
    }
    return [models[part] for part in parts]
