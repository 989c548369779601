"""Fits which lines are a table's caption: ``python -m training.captions FOLDER... --office F``.

The folders hold pages with their truth (``synth.press.make``; ``training.manuals held``, given with
``--manual``), none of which the benchmark has, nor the training of roles.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from unittest.mock import patch

import msgspec
import numpy as np
from numpy.typing import NDArray

from benchmarks.press import MOSTLY, find_page_grids, place_texts, share_texts
from keel_line.model.geometry import Box
from keel_line.rule.captions import Option, choose, list_options
from keel_line.rule.perceptron import Perceptron
from keel_line.rule.roles import Roles
from keel_line.rule.writing import Writing
from synth.press.truth import PressPage
from training.measuring import Job, keep_measured, load_job, measure_folders
from training.perceptron import Choices, fit_perceptron, hold_out, mean_of
from training.roles import find_texts

MODEL = (
    Path(__file__).resolve().parent.parent / "src" / "keel_line" / "rule" / "data" / "captions.json"
)
_HIDDEN, _PENALTY, _FITS = 8, 1e-3, 4
_WEIGHTS = {"office": 2.0, "chance": 1.0, "manual": 0.5}
_NEAR_LINES = 3.0
_NONE, _UNKNOWN = -1, -2


@dataclass(frozen=True, eq=False)
class MeasuredPage:
    """What may be the caption of each table that was found on a page.

    ``right`` has the number of the option that is its caption, -1 where it has none, and -2 where
    no option is it, or the truth does not tell. ``kind`` says where the page is from: of designs
    like those of offices, of designs by chance, or of manuals.
    """

    design: str
    kind: str
    options: tuple[tuple[Option, ...], ...]
    right: tuple[int, ...]


def measure_page(job: Job, kind: str) -> MeasuredPage:
    """Measure what may be a caption on a page, where the truth has its table."""
    loaded, truth = load_job(job)
    seen: list[tuple[Sequence[Box], Writing, Roles]] = []

    def keep(boxes: Sequence[Box], writing: Writing, roles: Roles) -> list[Box | None]:
        seen.append((boxes, writing, roles))
        return [None] * len(boxes)

    with patch("keel_line.rule.survey.find_captions", keep):
        found = find_page_grids(loaded)
    places = place_texts(truth, loaded.to_px, found.transform.to_squared)
    if not seen or not found.grids:
        return MeasuredPage(truth.design, kind, (), ())
    boxes, writing, roles = seen[-1]
    texts = find_texts(writing, places.boxes, places.owner)
    options = list_options(boxes, writing, roles)
    right = [_UNKNOWN] * len(boxes)
    held = share_texts(boxes, truth, places)
    for captions, shares in zip(find_true_captions(truth), held, strict=True):
        if shares.max() >= MOSTLY and len(captions) < 2:
            own = int(shares.argmax())
            right[own] = _NONE
            if captions:
                right[own] = _find_right(options[own], np.flatnonzero(texts == captions[0]))
    return MeasuredPage(truth.design, kind, tuple(map(tuple, options)), tuple(right))


def find_true_captions(truth: PressPage) -> list[list[int]]:
    """Return the numbers of the texts that are each table's captions.

    The truth of manuals has captions, but does not say whose: they are the nearest table's.
    """
    out = [[t.caption] if t.caption >= 0 else [] for t in truth.tables]
    tables = [
        _around([line for c in t.cells for line in truth.texts[c.text].lines]) for t in truth.tables
    ]
    told = {t.caption for t in truth.tables}
    for number, text in enumerate(truth.texts):
        if text.role != "caption" or number in told or not text.lines:
            continue
        x0, y0, x1, y1 = _around(text.lines)
        high = float(np.median([line[3] - line[1] for line in text.lines]))
        best, nearest = -1, _NEAR_LINES * high
        for k, (left, top, right, foot) in enumerate(tables):
            away = top - y1 if y0 + y1 < top + foot else y0 - foot
            if min(right, x1) > max(left, x0) and -high < away < nearest:
                best, nearest = k, away
        if best >= 0:
            out[best].append(number)
    return out


def _around(lines: Sequence[Box]) -> Box:
    x0, y0, x1, y1 = np.array(lines, float).reshape(-1, 4).T
    return (
        float(x0.min(initial=np.inf)),
        float(y0.min(initial=np.inf)),
        float(x1.max(initial=-np.inf)),
        float(y1.max(initial=-np.inf)),
    )


def _find_right(options: Sequence[Option], pieces: NDArray[np.int64]) -> int:
    """Return the number of the option that is these pieces and no others."""
    wanted = set(pieces.tolist())
    told = (k for k, o in enumerate(options) if set(o.pieces.tolist()) == wanted)
    return next(told, _UNKNOWN)


def fit_model(pages: Sequence[MeasuredPage]) -> Perceptron:
    """Return the perceptron under which the true captions are likeliest.

    Its odds are the mean of several fits, which differ by where they began. Tables of offices count
    more, those of manuals less.
    """
    measures: list[NDArray[np.float64]] = []
    numbers: list[int] = []
    chosen: list[bool] = []
    weights: list[float] = []
    for page in pages:
        for options, right in zip(page.options, page.right, strict=True):
            if right == _UNKNOWN or not options:
                continue
            measures += [o.measures for o in options]
            numbers += [len(weights)] * len(options)
            chosen += [k == right for k in range(len(options))]
            weights.append(_WEIGHTS[page.kind])
    choices = Choices(
        np.array(measures), np.array(numbers), np.array(chosen), np.array(weights, float)
    )
    fits = [fit_perceptron(choices, _HIDDEN, _PENALTY, start) for start in range(_FITS)]
    return mean_of(fits)


def count_right(page: MeasuredPage, model: Perceptron) -> tuple[int, int]:
    """Return how many of a page's tables get the right caption, and how many could."""
    chosen = choose(page.options, model)
    told = [(o, c, r) for o, c, r in zip(page.options, chosen, page.right, strict=True) if r > -2]
    right = [c is (o[r] if r >= 0 else None) for o, c, r in told]
    return sum(right), len(right)


def main() -> None:
    """Measure, tell how a fit without a design does on that design, fit on all and write."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folders", type=Path, nargs="*")
    parser.add_argument("--office", type=Path, action="append", default=[])
    parser.add_argument("--manual", type=Path, action="append", default=[])
    parser.add_argument("--again", action="store_true", help="with what was measured last")
    parser.add_argument("--out", type=Path, default=MODEL)
    args = parser.parse_args()
    kinds = {"chance": args.folders, "office": args.office, "manual": args.manual}
    pages = keep_measured(
        "captions",
        lambda: [
            page
            for kind, folders in kinds.items()
            for page in measure_folders(partial(measure_page, kind=kind), folders)
        ],
        again=args.again,
    )
    held = hold_out(pages, [p.design for p in pages], fit_model)
    for kind in _WEIGHTS:
        own = [(p, m) for p, m in zip(pages, held, strict=True) if p.kind == kind]
        right, told = np.array([count_right(p, m) for p, m in own]).reshape(-1, 2).sum(axis=0)
        unknown = sum(r == _UNKNOWN for p, _ in own for r in p.right)
        sys.stdout.write(
            f"{kind}: {told} tables, and {unknown} of which no option is the caption or the truth "
            f"does not tell; by models without their designs: {right} right\n"
        )
    args.out.write_bytes(msgspec.json.encode(fit_model(pages)) + b"\n")


if __name__ == "__main__":
    main()
