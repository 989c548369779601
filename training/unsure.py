"""Fits how likely a grid is wrong: ``python -m training.unsure FOLDER...``.

The folders hold pages of the press room (``synth.press.make``), none of which the benchmark has.
"""

from __future__ import annotations

import argparse
import pickle
import sys
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from unittest.mock import patch

import cv2
import msgspec
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from benchmarks.press import score_page
from benchmarks.workers import open_workers
from keel_line.model.grid import Grid, LineDoubt
from keel_line.model.table import LEAST_CHANCE
from keel_line.rule.roles import Roles
from keel_line.rule.unsure import MEASURES, UnsureModel, measure_grid
from keel_line.rule.writing import Writing
from synth.press.store import each_page, load_pressed
from synth.press.truth import PressPage
from training.logistic import Pairs, join

MODEL = (
    Path(__file__).resolve().parent.parent / "src" / "keel_line" / "rule" / "data" / "unsure.json"
)
DAMAGES = ("digital", "clean", "copy", "fax", "photo")
_SEED = 9119
_KEPT = Path(__file__).resolve().parent.parent / ".cache" / "unsure.pickle"
_PENALTY, _MOST_RIGHT = 0.01, 0.04
_LEAST_ODDS = float(np.log(LEAST_CHANCE / (1 - LEAST_CHANCE)))
Job = tuple[bytes, PressPage, str]


def measure_page(job: Job) -> Pairs:
    """Return the measures of a page's tables that are found, and whether each is right."""
    cv2.setNumThreads(1)
    data, truth, damage = job
    kept: dict[tuple[float, ...], NDArray[np.float64]] = {}

    def keep(grid: Grid, writing: Writing, roles: Roles) -> tuple[LineDoubt, ...]:
        kept[grid.box] = measure_grid(grid, writing, roles)
        return ()

    with patch("keel_line.rule.grids.doubt_grid", keep):
        score = score_page(load_pressed(data, truth, damage, _SEED), truth, damage)
    found = [t for t in score.tables if t.found]
    measures = [kept[t.box] for t in found if t.box is not None]
    right = np.array([t.exact for t in found], bool)
    return np.zeros(len(found)), np.array(measures).reshape(-1, len(MEASURES)), right


def fit_model(pairs: Pairs) -> UnsureModel:
    """Return the model of measures by which grids are wrong."""
    _, measures, right = pairs
    middle, scale = measures.mean(axis=0), measures.std(axis=0) + 1e-3
    brought = np.clip((measures - middle) / scale, -4, 4)
    sign = np.where(right, -1.0, 1.0)

    def loss(weights: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
        z = sign * (brought @ weights[:-1] + weights[-1])
        slope = -sign / (1 + np.exp(np.clip(z, -60, 60)))
        value = np.logaddexp(0, -z).mean() + _PENALTY * float(weights[:-1] @ weights[:-1])
        own = brought.T @ slope / len(z) + 2 * _PENALTY * weights[:-1]
        return float(value), np.append(own, slope.mean())

    start = np.zeros(brought.shape[1] + 1)
    found = minimize(loss, start, jac=True, method="L-BFGS-B").x
    return UnsureModel(
        tuple(middle.round(5).tolist()),
        tuple(scale.round(5).tolist()),
        tuple(found[:-1].round(5).tolist()),
        round(float(found[-1]), 5),
    )


def find_odds(pairs: Pairs, model: UnsureModel) -> NDArray[np.float64]:
    """Return the log odds that each grid is wrong."""
    brought = (pairs[1] - np.array(model.middle)) / np.array(model.scale)
    odds: NDArray[np.float64] = np.clip(brought, -4, 4) @ np.array(model.weights) + model.bias
    return odds


def main() -> None:
    """Measure, tell how a fit without a design does on that design, fit on all and write."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folders", type=Path, nargs="+")
    parser.add_argument("--again", action="store_true", help="with what was measured last")
    parser.add_argument("--out", type=Path, default=MODEL)
    args = parser.parse_args()
    jobs: list[Job] = [
        (data, truth, d) for f in args.folders for data, truth in each_page(f) for d in DAMAGES
    ]
    found: Sequence[Pairs]
    if args.again and _KEPT.exists():
        found = pickle.loads(_KEPT.read_bytes())  # noqa: S301 - our own file
    else:
        with open_workers() as pool:
            found = list(pool.map(measure_page, jobs, chunksize=4))
        _KEPT.write_bytes(pickle.dumps(found))
    by_design: dict[str, list[Pairs]] = {}
    for pairs, (_, truth, _) in zip(found, jobs, strict=True):
        by_design.setdefault(truth.design, []).append(pairs)
    told, right = [], []
    for design, own in by_design.items():
        others = [p for name, ps in by_design.items() if name != design for p in ps]
        held = join(own)
        told.append(find_odds(held, fit_model(join(others))))
        right.append(held[2])
    odds, is_right = np.concatenate(told), np.concatenate(right)
    # So many right grids may be in doubt; where that asks for less doubt, all have less.
    shift = min(0.0, _LEAST_ODDS - float(np.quantile(odds[is_right], 1 - _MOST_RIGHT)))
    doubted = odds + shift >= _LEAST_ODDS
    sys.stdout.write(
        f"on designs held out: {(~is_right).sum()} wrong, {doubted[~is_right].mean():.1%} told; "
        f"{is_right.sum()} right, {doubted[is_right].mean():.1%} told (shift {shift:.2f})\n"
    )
    model = fit_model(join(found))
    model = replace(model, bias=round(model.bias + shift, 5))
    args.out.write_bytes(msgspec.json.format(msgspec.json.encode(model), indent=1) + b"\n")


if __name__ == "__main__":
    main()
