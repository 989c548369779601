"""Fit the reader's confidence on validation pages: faces and words that were not trained on.

Run as ``python -m training.calibrate --pages 120`` after ``training.export``. Needs no PyTorch.
"""

from __future__ import annotations

import json
import logging
import math
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import click
import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from keel_line.read.confidence import FEATURES, Calibration, estimate_confidence
from keel_line.read.network import DATA_DIR
from keel_line.read.reader import Reader
from synth.laying import pair_texts
from training.pages import lay_page

log = logging.getLogger(__name__)

RATES = (0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0)
_SEED = 404
_PENALTY = 0.0005


@dataclass(frozen=True)
class ReadCell:
    """A cell of a validation page: the features of its reading, and whether it is right.

    Cells in which nothing is read have no features; ``confidence`` (0 to 1) is theirs alone.
    """

    features: tuple[float, ...]
    confidence: float
    right: bool


def gather_page(seed: int) -> list[ReadCell]:
    """Read one validation page; return its cells."""
    cv2.setNumThreads(1)
    page, squared, grids = lay_page("val", _SEED, seed)
    neutral = Calibration((0.0,) * len(FEATURES), 0.0, ((1.0, 0.5),), "")
    reader = Reader(calibration=neutral)
    out = []
    read = reader.read_page(squared.pixels, squared.dpi, grids)
    for readings, texts in zip(read, pair_texts(grids, page.tables), strict=True):
        if texts is None:
            continue  # a wrong grid is no fault of the reading
        for reading, text in zip(readings, texts, strict=True):
            values = tuple(v for _, v in reading.features)
            right = text.split() == reading.text.split()
            out.append(ReadCell(values, reading.confidence, right))
    return out


def fit(
    features: NDArray[np.float64], right: NDArray[np.bool_]
) -> tuple[NDArray[np.float64], float]:
    """Fit a logistic model with a small ridge penalty; return weights and bias."""
    scale = features.std(axis=0) + 1e-9
    middle = features.mean(axis=0)
    x = (features - middle) / scale
    y = right.astype(float)

    def loss(w: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
        z = x @ w[:-1] + w[-1]
        value = np.logaddexp(0, -z * (2 * y - 1)).mean() + _PENALTY * (w[:-1] ** 2).mean()
        slope = (1 / (1 + np.exp(-z)) - y) / len(y)
        grad = np.append(x.T @ slope + 2 * _PENALTY * w[:-1] / (len(w) - 1), slope.sum())
        return float(value), grad

    found = minimize(loss, np.zeros(x.shape[1] + 1), jac=True, method="L-BFGS-B").x
    weights = found[:-1] / scale
    return weights, float(found[-1] - weights @ middle)


def find_cuts(
    confidence: NDArray[np.float64], right: NDArray[np.bool_]
) -> list[tuple[float, float]]:
    """Find for each rate the least confidence that is not flagged.

    The expected wrong among the unflagged, by the model and by count (whichever is greater), stays
    within the rate of all cells, those in which nothing is read among them.
    """
    order = np.argsort(-confidence)
    sure, wrong = confidence[order], ~right[order]
    counted = np.maximum(np.cumsum(wrong), np.cumsum(1 - sure)) / len(sure)
    cuts = []
    for rate in RATES:
        passing = np.flatnonzero(counted <= rate / 1000)
        last = int(passing[-1]) if len(passing) else 0
        cuts.append((rate, round(float(sure[last]), 6)))
    return cuts


@click.command()
@click.option("--pages", default=120, show_default=True)
@click.option("--workers", default=2, show_default=True)
@click.option("--into", type=click.Path(path_type=Path), default=DATA_DIR / "confidence.json")
def main(pages: int, workers: int, into: Path) -> None:
    """Fit the confidence and write it beside the weights."""
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    with ProcessPoolExecutor(workers) as pool:
        every = [c for page in pool.map(gather_page, range(pages)) for c in page]
    cells = [c for c in every if c.features]
    unread = [c for c in every if not c.features]
    features = np.array([c.features for c in cells])
    right = np.array([c.right for c in cells])
    log.info(
        "%d cells in which nothing is read, said to be blank with %.4f, were %.4f",
        len(unread),
        np.mean([c.confidence for c in unread]),
        np.mean([c.right for c in unread]),
    )
    half = np.arange(len(right)) % 2 == 0
    weights, bias = fit(features[half], right[half])
    model = Calibration(tuple(map(float, weights)), bias, ((1.0, 0.5),), "")
    held = np.array([estimate_confidence(model, f) for f in features[~half]])
    gaps = []
    for low, high in zip((0, 0.5, 0.8, 0.95, 0.99), (0.5, 0.8, 0.95, 0.99, 1.01), strict=True):
        inside = (held >= low) & (held < high)
        if inside.any():
            gap = held[inside].mean() - right[~half][inside].mean()
            gaps.append(inside.mean() * abs(gap))
            log.info(
                "%.2f to %.2f: %d cells, said %.4f, were %.4f",
                low,
                high,
                inside.sum(),
                held[inside].mean(),
                right[~half][inside].mean(),
            )
    log.info(
        "%d cells, %.2f%% right, calibration error %.4f",
        len(right),
        100 * right.mean(),
        math.fsum(gaps),
    )
    weights, bias = fit(features, right)
    model = Calibration(tuple(map(float, weights)), bias, ((1.0, 0.5),), "")
    confidence = np.array(
        [estimate_confidence(model, c.features) if c.features else c.confidence for c in every]
    )
    into.write_text(
        json.dumps(
            {
                "weights": [round(float(w), 6) for w in weights],
                "bias": round(bias, 6),
                "cuts": find_cuts(confidence, np.array([c.right for c in every])),
                "fitted_on": f"{len(every)} cells of {pages} made pages of validation faces",
            }
        ),
        encoding="utf-8",
    )


if __name__ == "__main__":
    main()
