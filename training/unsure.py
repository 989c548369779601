"""Fits how likely a grid is wrong: ``python -m training.unsure FOLDER... --office FOLDER``.

The folders hold pages with their truth (``synth.press.make``, ``training.manuals held``), none of
which the benchmark has, nor the training of roles: a network is surer of what it learnt from.
"""

from __future__ import annotations

import sys
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
from keel_line.rule.perceptron import Perceptron
from keel_line.rule.roles import Roles
from keel_line.rule.unsure import MEASURES, measure_grid
from keel_line.rule.writing import Writing
from training.measuring import Job, load_job, measure_kinds, take_arguments
from training.perceptron import Choices, find_document, fit_perceptron, hold_out

MODEL = (
    Path(__file__).resolve().parent.parent / "src" / "keel_line" / "rule" / "data" / "unsure.json"
)
_HIDDEN, _PENALTY, _OFFICE, _RIGHT_IN_DOUBT = 8, 3e-3, 3.0, 0.05


@dataclass(frozen=True, eq=False)
class Measured:
    """The tables that were found on a page of a design: their measures, and whether each is right.

    ``office`` says that the page is like those that offices print, ``damage`` what befell it.
    """

    design: str
    office: bool
    damage: str
    measures: NDArray[np.float64]
    right: NDArray[np.bool_]


def measure_page(job: Job, *, office: bool) -> Measured:
    """Measure a page's tables that are found, and whether each is right."""
    loaded, truth = load_job(job)
    kept: dict[tuple[float, ...], NDArray[np.float64]] = {}

    def keep(grid: Grid, writing: Writing, roles: Roles) -> tuple[LineDoubt, ...]:
        kept[grid.box] = measure_grid(grid, writing, roles)
        return ()

    with patch("keel_line.rule.survey.doubt_grid", keep):
        score = score_page(loaded, truth, job[2])
    found = [t for t in score.tables if t.found and t.box is not None]
    measures = [kept[t.box] for t in found if t.box is not None]
    right = np.array([t.exact for t in found], bool)
    own = np.array(measures).reshape(-1, len(MEASURES))
    return Measured(truth.design, office, job[2], own, right)


def fit_model(pages: Sequence[Measured]) -> Perceptron:
    """Return the perceptron that tells from measures which grids are wrong; offices count more."""
    counts = [np.full(len(p.right), _OFFICE if p.office else 1.0) for p in pages]
    measures = np.concatenate([p.measures for p in pages])
    wrong = ~np.concatenate([p.right for p in pages])
    choices = Choices(measures, np.arange(len(wrong)), wrong, np.concatenate(counts))
    return fit_perceptron(choices, _HIDDEN, _PENALTY)


def find_held_odds(pages: Sequence[Measured]) -> list[NDArray[np.float64]]:
    """Return the log odds of each page's tables by a model that was fitted without its design."""
    models = hold_out(pages, [find_document(p.design) for p in pages], fit_model)
    return [m.find_odds(p.measures) for p, m in zip(pages, models, strict=True)]


def find_slope(odds: NDArray[np.float64], right: NDArray[np.bool_]) -> float:
    """Return by what to multiply log odds so that chances grow as wrong grids do.

    As Platt has it ("Probabilistic outputs for support vector machines", 1999).
    """

    def loss(line: NDArray[np.float64]) -> float:
        z = line[0] * odds + line[1]
        return float(np.logaddexp(0, np.where(right, z, -z)).mean())

    return float(minimize(loss, [1.0, 0.0], method="Nelder-Mead").x[0])


def limit_doubts(odds: NDArray[np.float64], weights: NDArray[np.float64]) -> float:
    """Return what to add to the log odds of right grids so that 5% of them are in doubt.

    More than that a clerk should not have to look at; and designs that were never seen here have
    more wrong grids than these.
    """
    order = np.argsort(odds)
    share = np.cumsum(weights[order]) / weights.sum()
    highest = float(odds[order][np.searchsorted(share, 1 - _RIGHT_IN_DOUBT)])
    return float(np.log(LEAST_CHANCE / (1 - LEAST_CHANCE))) - highest


def weigh_thirds(damages: Sequence[str]) -> NDArray[np.float64]:
    """Return weights by which files, clean scans, and all other paper count a third each."""
    kinds = np.array([{"digital": 0, "clean": 1}.get(d, 2) for d in damages])
    out: NDArray[np.float64] = 1.0 / np.bincount(kinds, minlength=3)[kinds]
    return out


def main() -> None:
    """Measure, tell how a fit without a design does on that design, fit on all and write."""
    args = take_arguments(__doc__, MODEL)
    pages = measure_kinds("unsure", measure_page, args)
    odds = find_held_odds(pages)
    office = np.concatenate([np.full(len(p.right), p.office) for p in pages])
    told, right = np.concatenate(odds), np.concatenate([p.right for p in pages])
    slope = find_slope(told[office], right[office])
    damages = np.concatenate([np.full(len(p.right), p.damage) for p in pages])[office & right]
    offset = limit_doubts(slope * told[office & right], weigh_thirds(damages.tolist()))
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
    model = replace(
        model,
        last=tuple(round(slope * w, 4) for w in model.last),
        bias=round(slope * model.bias + offset, 4),
    )
    args.out.write_bytes(msgspec.json.encode(model) + b"\n")


if __name__ == "__main__":
    main()
