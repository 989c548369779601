"""Logistic regression beside odds that are known: what a further piece of evidence is worth."""

from __future__ import annotations

import json
import logging
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import click
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from keel_line.read.network import DATA_DIR

log = logging.getLogger(__name__)

Pairs = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.bool_]]
"""Log odds without the evidence (n,), its measures (n, k), and whether what was read is right."""

_PENALTY = 1e-4


def join(found: Sequence[Pairs]) -> Pairs:
    """Put the pairs of several pages together."""
    odds, measures, right = zip(*found, strict=True)
    return np.concatenate(odds), np.concatenate(measures), np.concatenate(right)


def fit(pairs: Pairs) -> NDArray[np.float64]:
    """Fit one weight a measure; the log odds that are known count as they are."""
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


def fit_in_halves(found: Sequence[Pairs]) -> tuple[NDArray[np.float64], list[str]]:
    """Fit weights on all pages, and tell what those of either half do on the other.

    Parameters
    ----------
    found
        The pairs of each page.

    Returns
    -------
    weights
        One a measure, of all pages.
    list of str
        A line for each half that was held out.
    """
    middle = len(found) // 2  # not every other one: the paper goes by turns
    halves = join(found[:middle]), join(found[middle:])
    said = []
    for own, other in (halves, halves[::-1]):
        before, _, _ = judge(other, np.zeros(other[1].shape[1]))
        now, mended, broken = judge(other, fit(own))
        said.append(
            f"{len(other[2])} pairs of pages held out, {(~other[2]).sum()} of them wrong: loss "
            f"{before:.1f}; weighed {now:.1f}, {mended} mended, {broken} broken"
        )
    return fit(join(found)), said


def fit_pages(gather: Callable[[int], Pairs], pages: int, workers: int, into: Path) -> None:
    """Gather the pairs of made pages, fit weights, and write them beside the recogniser's.

    Parameters
    ----------
    gather
        Returns the pairs of the page of a number.
    pages
        How many pages, numbered from 0.
    workers
        How many processes gather.
    into
        The file of the weights.
    """
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    with ProcessPoolExecutor(workers) as pool:
        found = list(pool.map(gather, range(pages)))
    weights, said = fit_in_halves(found)
    for line in said:
        log.info("%s", line)
    pairs = sum(len(right) for _, _, right in found)
    model = {
        "weights": np.round(weights, 3).tolist(),
        "fitted_on": f"{pairs} pairs of {pages} made pages of validation faces",
    }
    into.write_text(json.dumps(model) + "\n", encoding="utf-8")
    log.info("%s", weights.round(3).tolist())


def make_command(gather: Callable[[int], Pairs], file: str, about: str) -> click.Command:
    """Return the command that fits weights and writes them beside the recogniser's.

    ``gather`` is that of :func:`fit_pages`, ``file`` the name of the weights' file, ``about`` what
    the command says of itself.
    """

    @click.command(help=about)
    @click.option("--pages", default=400, show_default=True)
    @click.option("--workers", default=2, show_default=True)
    @click.option("--into", type=click.Path(path_type=Path), default=DATA_DIR / file)
    def main(pages: int, workers: int, into: Path) -> None:
        fit_pages(gather, pages, workers, into)

    return main
