"""Fit what likeness to a page's own glyphs is worth, on validation pages.

Run as ``python -m training.likeness --pages 400`` after ``training.export``; calibrate after it.
Needs no PyTorch.
"""

from __future__ import annotations

import json
import logging
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import click
import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from keel_line._shared.paper import Grey, flatten_light
from keel_line.read.decode import decode_line
from keel_line.read.likeness import MEASURES, compare_glyphs
from keel_line.read.looks import look_again
from keel_line.read.network import DATA_DIR, Network
from keel_line.read.reader import prepare_grid
from training.config import ALPHABET
from training.pages import lay_page

log = logging.getLogger(__name__)

_SEED = 606
_PENALTY = 1e-4

Pairs = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.bool_]]
"""Log odds by the network alone (n,), measures (n, 6), and whether what was read is right (n,)."""


def gather_pairs(seed: int) -> Pairs:
    """Read one validation page; return its glyphs that are one of two kinds.

    Lines read with a character too many or too few are left out, and glyphs that are neither.
    """
    cv2.setNumThreads(1)
    page, squared, grids = lay_page("val", _SEED, seed)
    network = Network(threads=1)
    flat, recipe = flatten_light(squared.pixels), network.recipe.line
    pictures: list[Grey] = []
    written: list[str | None] = []
    for grid, table in zip(grids, page.tables, strict=False):
        truth = {(c.row, c.col, c.row_span, c.col_span): c.text for c in table.cells}
        if {(c.row, c.col, c.row_span, c.col_span) for c in grid.cells} != truth.keys():
            continue
        for cell in prepare_grid(flat, squared.dpi, grid, recipe):
            place = cell.cell
            lines = truth[place.row, place.col, place.row_span, place.col_span].split("\n")
            known = len(lines) == len(cell.pictures)
            pictures += cell.pictures
            written += lines if known else [None] * len(cell.pictures)
    probs = network.run(pictures)
    decoded = [decode_line(p, ALPHABET) for p in probs]
    looked = look_again(pictures, probs, decoded, network)
    odds, measures, right = [], [], []
    for c in compare_glyphs(pictures, probs, looked, ALPHABET, recipe):
        text = written[c.line]
        if text is None or len(text) != len(looked[c.line].text):
            continue
        read, rival = ALPHABET[c.kind - 1], ALPHABET[c.rival - 1]
        if text[c.place] in (read, rival):
            odds.append(-np.log(c.share))
            measures.append(c.measures)
            right.append(text[c.place] == read)
    return np.array(odds), np.array(measures).reshape(-1, MEASURES), np.array(right, bool)


def join(found: list[Pairs]) -> Pairs:
    """Put the pairs of several pages together."""
    odds, measures, right = zip(*found, strict=True)
    return np.concatenate(odds), np.concatenate(measures), np.concatenate(right)


def fit(pairs: Pairs) -> NDArray[np.float64]:
    """Fit weights by logistic regression; the network's own log odds count as they are."""
    odds, measures, right = pairs
    sign = np.where(right, 1.0, -1.0)

    def loss(weights: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
        z = sign * (odds + measures @ weights)
        slope = -sign / (1 + np.exp(np.clip(z, -60, 60)))
        value = np.logaddexp(0, -z).mean() + _PENALTY * float(weights @ weights)
        return float(value), measures.T @ slope / len(z) + 2 * _PENALTY * weights

    start = np.zeros(measures.shape[1])
    return np.asarray(minimize(loss, start, jac=True, method="L-BFGS-B").x, np.float64)


def judge(pairs: Pairs, weights: NDArray[np.float64]) -> tuple[float, int, int]:
    """Return the pairs' loss, and how many readings the weights mend and break."""
    odds, measures, right = pairs
    z = odds + measures @ weights
    loss = np.logaddexp(0, -np.where(right, z, -z)).sum()
    return float(loss), int(((z < 0) & ~right).sum()), int(((z < 0) & right).sum())


@click.command()
@click.option("--pages", default=400, show_default=True)
@click.option("--workers", default=2, show_default=True)
@click.option("--into", type=click.Path(path_type=Path), default=DATA_DIR / "likeness.json")
def main(pages: int, workers: int, into: Path) -> None:
    """Fit the weights of likeness and write them beside the recogniser's."""
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    with ProcessPoolExecutor(workers) as pool:
        found = list(pool.map(gather_pairs, range(pages)))
    middle = pages // 2  # not every other one: the paper goes by turns
    halves = join(found[:middle]), join(found[middle:])
    for own, other in (halves, halves[::-1]):
        log.info(
            "%d pairs of pages held out, %d of them wrong: loss %.1f; weighed %.1f, %d mended, "
            "%d broken",
            len(other[2]),
            (~other[2]).sum(),
            judge(other, np.zeros(MEASURES))[0],
            *judge(other, fit(own)),
        )
    every = join(found)
    weights = fit(every)
    into.write_text(
        json.dumps(
            {
                "weights": np.round(weights, 3).tolist(),
                "fitted_on": f"{len(every[2])} pairs of {pages} made pages of validation faces",
            }
        )
        + "\n",
        encoding="utf-8",
    )
    log.info("%s", weights.round(3).tolist())


if __name__ == "__main__":
    main()
