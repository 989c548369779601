"""Fits what is a ruling line, and what a row of letters: ``python -m training.rules FOLDER...``.

The folders hold pages with their truth (``synth.press.make``, ``training.manuals held``), none of
which the benchmark has. Each page's file tells which lines are drawn.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from unittest.mock import patch

import msgspec
import numpy as np
from numpy.typing import NDArray

from benchmarks.ruling import even_out
from keel_line.model.grid import Rule
from keel_line.model.page import SquareChoice
from keel_line.rule.perceptron import Perceptron
from keel_line.rule.rules import MEASURES, Look, find_rules, make_rule_field, measure_line
from keel_line.square.straighten import square_page
from synth.press.store import load_pressed
from training.measuring import Job, keep_measured, load_job, measure_folders, take_arguments
from training.perceptron import Choices, find_document, fit_perceptron, hold_out

MODEL = (
    Path(__file__).resolve().parent.parent / "src" / "keel_line" / "rule" / "data" / "rules.json"
)
_PAPERS = (("clean", "photo"), ("copy", "office"), ("fax", "fax-coarse"))
_HIDDEN, _PENALTY = 8, 3e-4
_NEAR_IN, _BEYOND_IN, _LEAST_IN = 0.02, 0.05, 0.17
_LONG_IN, _SHORT_COUNTS = 3.0, 0.3
_ODDS = (-1.0, -0.5, 0.0, 0.5, 1.0)


@dataclass(frozen=True, eq=False)
class MeasuredLines:
    """What may be lines on a page: their measures, lengths (inches), and which are drawn lines."""

    design: str
    measures: NDArray[np.float64]
    lengths: NDArray[np.float64]
    drawn: NDArray[np.bool_]


def measure_page(job: Job) -> MeasuredLines:
    """Measure all that is traced on a page's picture, whole and cut back to its clear part."""
    loaded, truth = load_job(job)
    squared = square_page(loaded.page, SquareChoice())
    dpi = squared.dpi
    seen: list[tuple[Rule, NDArray[np.float64]]] = []

    def keep(rule: Rule, look: Look, dpi: float, depth: float) -> NDArray[np.float64]:
        seen.append((rule, measure_line(rule, look, dpi, depth)))
        return seen[-1][1]

    reject_all = patch("keel_line.rule.rules.LEAST_ODDS", np.inf)  # what is rejected is cut back
    with reject_all, patch("keel_line.rule.rules.measure_line", keep):
        find_rules(make_rule_field(even_out(squared.pixels, dpi), dpi))
    file = load_pressed(job[0], truth, "digital", 0)
    onto = _whole(loaded.to_px) @ np.linalg.inv(_whole(file.to_px))

    def place(x: float, y: float) -> tuple[float, float]:
        moved = onto @ (x, y, 1.0)
        ((x, y),) = squared.transform.to_squared([moved[:2] / moved[2]]).tolist()
        return x, y

    lines = [_place(rule, place) for rule in (file.page.text.rules if file.page.text else ())]
    kept = [(r, m) for r, m in seen if r.length >= _LEAST_IN * dpi]
    return MeasuredLines(
        truth.design,
        np.array([m for _, m in kept]).reshape(-1, len(MEASURES)),
        np.array([r.length / dpi for r, _ in kept]),
        np.array([any(lies_on(r, line, dpi) for line in lines) for r, _ in kept], bool),
    )


def _whole(matrix: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.vstack([matrix, (0.0, 0.0, 1.0)])


def _place(rule: Rule, place: Callable[[float, float], tuple[float, float]]) -> Rule:
    """Return where a rule of a page's file lies on its picture."""
    ends = [(rule.start, rule.at(rule.start)), (rule.end, rule.at(rule.end))]
    if rule.direction == "across":
        (start, one), (end, other) = (place(x, y) for x, y in ends)
    else:
        (one, start), (other, end) = (place(x, y) for y, x in ends)
    slope = (other - one) / max(end - start, 1.0)
    return replace(rule, start=start, end=end, position=one, slope=slope)


def lies_on(traced: Rule, line: Rule, dpi: float) -> bool:
    """Return whether the middle of a traced line lies on a line of the file."""
    middle = (traced.start + traced.end) / 2
    beyond = _BEYOND_IN * dpi
    return (
        traced.direction == line.direction
        and line.start - beyond <= middle <= line.end + beyond
        and abs(traced.at(middle) - line.at(middle)) < _NEAR_IN * dpi
    )


def fit_model(pages: Sequence[MeasuredLines]) -> Perceptron:
    """Return the perceptron that tells lines from rows of letters; long ones count more."""
    lengths = np.concatenate([p.lengths for p in pages])
    choices = Choices(
        np.concatenate([p.measures for p in pages]),
        np.arange(len(lengths)),
        np.concatenate([p.drawn for p in pages]),
        _SHORT_COUNTS + np.minimum(lengths, _LONG_IN),
    )
    return fit_perceptron(choices, _HIDDEN, _PENALTY)


def main() -> None:
    """Measure, tell how a fit without a design does on that design, fit on all and write."""
    args = take_arguments(__doc__, MODEL)
    folders = [*args.folders, *args.office]
    pages = keep_measured(
        "rules", lambda: measure_folders(measure_page, folders, _PAPERS), again=args.again
    )
    models = hold_out(pages, [find_document(p.design) for p in pages], fit_model)
    odds = np.concatenate([m.find_odds(p.measures) for p, m in zip(pages, models, strict=True)])
    drawn = np.concatenate([p.drawn for p in pages])
    lengths = np.concatenate([p.lengths for p in pages])
    for least in _ODDS:
        told = odds > least
        sys.stdout.write(
            f"log odds over {least}, designs held out: {told[drawn].sum()} of {drawn.sum()} lines, "
            f"{lengths[drawn & told].sum() / lengths[drawn].sum():.1%} of their length; "
            f"{told[~drawn].sum()} of {(~drawn).sum()} others, "
            f"{lengths[~drawn & told].sum() / lengths[~drawn].sum():.1%}\n"
        )
    args.out.write_bytes(msgspec.json.encode(fit_model(pages)) + b"\n")


if __name__ == "__main__":
    main()
