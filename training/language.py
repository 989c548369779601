"""Count the language model from made texts: words and names from the training lists, and figures.

Run as ``python -m training.language``; half a minute. The held-out tenth of the words is left out.
"""

from __future__ import annotations

import logging
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import click
import numpy as np

from keel_line.read.language import count_language, save_language
from keel_line.read.network import DATA_DIR
from synth.text import Group, make_text
from training.config import ALPHABET

log = logging.getLogger(__name__)

_SHARES: dict[Group, float] = {
    "number": 0.20,
    "date": 0.08,
    "code": 0.10,
    "name": 0.20,
    "word": 0.25,
    "phrase": 0.12,
    "symbols": 0.05,
}
_PART = 20_000


def make_texts(part: int) -> list[str]:
    """Make one part of the texts; the same part is always the same."""
    rng = np.random.default_rng([77, part])
    return [make_text(rng, shares=_SHARES)[0] for _ in range(_PART)]


@click.command()
@click.option("--parts", default=15, show_default=True, help=f"Parts of {_PART:,} texts.")
@click.option("--workers", default=2, show_default=True)
@click.option("--into", type=click.Path(path_type=Path), default=DATA_DIR / "language.npz")
def main(parts: int, workers: int, into: Path) -> None:
    """Count the model and write it beside the weights."""
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    with ProcessPoolExecutor(workers) as pool:
        texts = [t for part in pool.map(make_texts, range(parts)) for t in part]
    model = count_language(texts, ALPHABET)
    save_language(model, into)
    grams = [len(level.grams) for level in model.levels]
    log.info(
        "%d texts, n-grams kept by length %s, %d bytes", len(texts), grams, into.stat().st_size
    )


if __name__ == "__main__":
    main()
