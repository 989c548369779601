"""Fits which white is a space between words: ``python -m training.gaps FOLDER...``.

The folders hold pages with their truth (``synth.press.make``, ``training.manuals held``), none of
which the benchmark has.
"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from unittest.mock import patch

import msgspec
import numpy as np
from numpy.typing import NDArray

from benchmarks.press import find_page_grids, place_texts
from keel_line.rule.gaps import LEAST_ODDS, join_words, measure_gaps
from keel_line.rule.perceptron import Perceptron
from keel_line.rule.writing import Writing
from training.measuring import Job, keep_measured, load_job, measure_folders, take_arguments
from training.perceptron import Choices, find_document, fit_perceptron, hold_out
from training.roles import find_texts

MODEL = Path(__file__).resolve().parent.parent / "src" / "keel_line" / "rule" / "data" / "gaps.json"
_HIDDEN, _PENALTY = 12, 5e-4


@dataclass(frozen=True, eq=False)
class MeasuredGaps:
    """The narrow gaps of a page: their measures, and which of them part words of one text."""

    design: str
    measures: NDArray[np.float64]
    inside: NDArray[np.bool_]


def measure_page(job: Job) -> MeasuredGaps:
    """Measure the gaps of a page where the truth has the texts on both sides."""
    loaded, truth = load_job(job)
    seen: list[Writing] = []

    def keep(writing: Writing) -> Writing:
        seen.append(writing)
        return join_words(writing)

    with patch("keel_line.rule.survey.join_words", keep):
        found = find_page_grids(loaded)
    places = place_texts(truth, loaded.to_px, found.transform.to_squared)
    pairs, measures = measure_gaps(seen[-1])
    left, right = find_texts(seen[-1], places.boxes, places.owner)[pairs].T
    known = (left >= 0) & (right >= 0)
    return MeasuredGaps(truth.design, measures[known], (left == right)[known])


def fit_model(pages: Sequence[MeasuredGaps]) -> Perceptron:
    """Return the perceptron that tells from measures which gaps part words of one text.

    The gaps of a page count together as the square root of their number.
    """
    inside = np.concatenate([p.inside for p in pages])
    weights = [np.full(len(p.inside), 1.0 / np.sqrt(max(1, len(p.inside)))) for p in pages]
    measures = np.concatenate([p.measures for p in pages])
    choices = Choices(measures, np.arange(len(inside)), inside, np.concatenate(weights))
    return fit_perceptron(choices, _HIDDEN, _PENALTY)


def main() -> None:
    """Measure, tell how a fit without a design does on that design, fit on all and write."""
    args = take_arguments(__doc__, MODEL)
    folders = [*args.folders, *args.office]
    pages = keep_measured("gaps", lambda: measure_folders(measure_page, folders), again=args.again)
    models = hold_out(pages, [find_document(p.design) for p in pages], fit_model)
    told = np.concatenate(
        [m.find_odds(p.measures) > LEAST_ODDS for p, m in zip(pages, models, strict=True)]
    )
    inside = np.concatenate([p.inside for p in pages])
    sys.stdout.write(
        f"{inside.sum()} gaps between words of one text, designs held out: {told[inside].sum()} "
        f"joined; {(~inside).sum()} others: {told[~inside].sum()} joined\n"
    )
    args.out.write_bytes(msgspec.json.encode(fit_model(pages)) + b"\n")


if __name__ == "__main__":
    main()
