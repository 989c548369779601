"""Fits how likely a grid is wrong: ``python -m training.unsure FOLDER... --office FOLDER``.

The folders hold pages with their truth (``synth.press.make``, ``training.manuals held``), none of
which the benchmark has, nor the training of roles: a network is surer of what it learnt from.
"""

from __future__ import annotations

import sys
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from unittest.mock import patch

import msgspec
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from benchmarks.press import score_page
from keel_line.model.grid import Grid, LineDoubt
from keel_line.model.table import LEAST_CHANCE
from keel_line.rule.roles import Roles
from keel_line.rule.unsure import MEASURES, UnsureModel, measure_grid
from keel_line.rule.writing import Writing
from training.measuring import Job, load_job, measure_kinds, take_arguments

MODEL = (
    Path(__file__).resolve().parent.parent / "src" / "keel_line" / "rule" / "data" / "unsure.json"
)
_PENALTY, _FOLDS, _OFFICE, _RIGHT_IN_DOUBT = 0.01, 10, 3.0, 0.05


@dataclass(frozen=True, eq=False)
class Measured:
    """The tables that were found on a page of a design: their measures, and whether each is right.

    ``office`` says that the page is like those that offices print.
    """

    design: str
    office: bool
    measures: NDArray[np.float64]
    right: NDArray[np.bool_]


def measure_page(job: Job, *, office: bool) -> Measured:
    """Measure a page's tables that are found, and whether each is right."""
    loaded, truth = load_job(job)
    kept: dict[tuple[float, ...], NDArray[np.float64]] = {}

    def keep(grid: Grid, writing: Writing, roles: Roles) -> tuple[LineDoubt, ...]:
        kept[grid.box] = measure_grid(grid, writing, roles)
        return ()

    with patch("keel_line.rule.grids.doubt_grid", keep):
        score = score_page(loaded, truth, job[2])
    found = [t for t in score.tables if t.found and t.box is not None]
    measures = [kept[t.box] for t in found if t.box is not None]
    right = np.array([t.exact for t in found], bool)
    return Measured(truth.design, office, np.array(measures).reshape(-1, len(MEASURES)), right)


def fit_model(pages: Sequence[Measured]) -> UnsureModel:
    """Return the model of measures by which grids are wrong; those of offices count more."""
    measures, right, weights = _join(pages)
    middle, scale = measures.mean(axis=0), measures.std(axis=0) + 1e-3
    brought = np.clip((measures - middle) / scale, -4, 4)
    sign, share = np.where(right, -1.0, 1.0), weights / weights.sum()

    def loss(model: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
        z = sign * (brought @ model[:-1] + model[-1])
        slope = -sign * share / (1 + np.exp(np.clip(z, -60, 60)))
        value = share @ np.logaddexp(0, -z) + _PENALTY * float(model[:-1] @ model[:-1])
        own = brought.T @ slope + 2 * _PENALTY * model[:-1]
        return float(value), np.append(own, slope.sum())

    start = np.zeros(brought.shape[1] + 1)
    found = minimize(loss, start, jac=True, method="L-BFGS-B").x
    return UnsureModel(
        tuple(middle.round(5).tolist()),
        tuple(scale.round(5).tolist()),
        tuple(found[:-1].round(5).tolist()),
        round(float(found[-1]), 5),
    )


def _join(
    pages: Sequence[Measured],
) -> tuple[NDArray[np.float64], NDArray[np.bool_], NDArray[np.float64]]:
    """Return the measures of all tables, whether each is right, and how much it counts."""
    counts = [np.full(len(p.right), _OFFICE if p.office else 1.0) for p in pages]
    measures = np.concatenate([p.measures for p in pages])
    return measures, np.concatenate([p.right for p in pages]), np.concatenate(counts)


def find_odds(measures: NDArray[np.float64], model: UnsureModel) -> NDArray[np.float64]:
    """Return the log odds that each grid is wrong."""
    brought = (measures - np.array(model.middle)) / np.array(model.scale)
    odds: NDArray[np.float64] = np.clip(brought, -4, 4) @ np.array(model.weights) + model.bias
    return odds


def find_held_odds(pages: Sequence[Measured]) -> list[NDArray[np.float64]]:
    """Return the log odds of each page's tables by a model that was fitted without its design."""
    folds = [zlib.crc32(p.design.encode()) % _FOLDS for p in pages]
    models = {
        fold: fit_model([p for p, own in zip(pages, folds, strict=True) if own != fold])
        for fold in sorted(set(folds))
    }
    return [find_odds(p.measures, models[f]) for p, f in zip(pages, folds, strict=True)]


def calibrate(odds: NDArray[np.float64], right: NDArray[np.bool_]) -> tuple[float, float]:
    """Return by what to multiply log odds, and what to add, so that chances are as things are.

    As Platt has it ("Probabilistic outputs for support vector machines", 1999).
    """

    def loss(line: NDArray[np.float64]) -> float:
        z = line[0] * odds + line[1]
        return float(np.logaddexp(0, np.where(right, z, -z)).mean())

    slope, offset = minimize(loss, [1.0, 0.0], method="Nelder-Mead").x.tolist()
    return slope, offset


def raise_chances(odds: NDArray[np.float64]) -> float:
    """Return what to add to the log odds of right grids so that a few of them are in doubt.

    Designs that were never seen here have more wrong grids. So chances are raised until 5% of the
    right grids are in doubt, the most that a clerk should have to look at.
    """
    least = float(np.log(LEAST_CHANCE / (1 - LEAST_CHANCE)))
    return max(0.0, least - float(np.quantile(odds, 1 - _RIGHT_IN_DOUBT)))


def main() -> None:
    """Measure, tell how a fit without a design does on that design, fit on all and write."""
    args = take_arguments(__doc__, MODEL)
    pages = measure_kinds("unsure", measure_page, args)
    odds = find_held_odds(pages)
    office = np.concatenate([np.full(len(p.right), p.office) for p in pages])
    told, right = np.concatenate(odds), np.concatenate([p.right for p in pages])
    slope, offset = calibrate(told[office], right[office])
    offset += raise_chances(slope * told[office & right] + offset)
    chances = 1 / (1 + np.exp(-slope * told - offset))
    doubted = chances >= LEAST_CHANCE
    for name, own in (("office", office), ("others", ~office)):
        wrong, fine = own & ~right, own & right
        sys.stdout.write(
            f"{name}, designs held out: {wrong.sum()} wrong, {doubted[wrong].mean():.1%} told; "
            f"{fine.sum()} right, {doubted[fine].mean():.1%} told; "
            f"mean chance {chances[own].mean():.3f}, wrong {(~right[own]).mean():.3f}\n"
        )
    model = fit_model(pages)
    for name, weight in zip(MEASURES, model.weights, strict=True):
        sys.stdout.write(f"{weight:7.2f}  {name}\n")
    model = replace(
        model,
        weights=tuple(round(slope * w, 5) for w in model.weights),
        bias=round(slope * model.bias + offset, 5),
    )
    args.out.write_bytes(msgspec.json.format(msgspec.json.encode(model), indent=1) + b"\n")


if __name__ == "__main__":
    main()
