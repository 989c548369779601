"""Render training material through the product's own pipeline.

Pages are made, degraded, squared, ruled and cut as the reader cuts them. That is slower than
:mod:`training.render`, and shows rule stubs, neighbours and cut letters as no drawn line does.

Run as ``python -m training.crops --shards 12``.
"""

from __future__ import annotations

import logging
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from pathlib import Path

import click
import cv2
import numpy as np

from keel_line._shared.paper import flatten_light
from keel_line.read.cells import prepare_grid
from synth.faces import Split, load_faces
from synth.laying import lay, pair_texts, split_lines
from synth.lines import LineSample
from synth.pages import make_page
from training.config import ALPHABET, TrainConfig
from training.render import LINES_A_SHARD, MATERIAL_DIR, save_shard

log = logging.getLogger(__name__)

_SEED = {"train": 11, "val": 12, "held": 13}
_CONDITIONS = (
    "clean",
    "office",
    "copy",
    "fax",
    "clean",
    "fax-coarse",
    "office",
    "photo",
    "clean",
    "fax",
)


def cut_page(rng: np.random.Generator, split: Split, condition: str) -> Iterator[LineSample]:
    """Make a page and yield the lines of its cells with their truth.

    Cells whose lines were not found as they are written are left out; so are pages whose grid
    was not found.
    """
    dpi = (
        float(rng.choice([200, 300, 300, 300, 400])) if condition in {"clean", "office"} else 300.0
    )
    page = make_page(
        rng,
        load_faces(split),
        frozenset(ALPHABET),
        condition=condition,
        dpi=dpi,
        held=split != "train",
    )
    squared, grids = lay(page)
    flat = flatten_light(squared.pixels)
    for grid, texts in zip(grids, pair_texts(grids, page.tables), strict=True):
        if texts is None:
            continue
        cells = prepare_grid(flat, squared.dpi, grid, TrainConfig().recipe)
        for cell, text in zip(cells, texts, strict=True):
            # What is left of rules in a blank cell is to be read as nothing.
            lines = split_lines(text, len(cell.pictures))
            if lines is None:
                continue
            for line, picture in zip(lines, cell.pictures, strict=True):
                nowhere = np.full((len(line), 2), np.nan, np.float32)
                yield LineSample(picture, line, nowhere, "word", condition, page.family)


def render_crops(split: Split, number: int) -> Path:
    """Render one shard of crops; the same split and number always give the same lines."""
    path = MATERIAL_DIR / f"{split}-crops-{number:04d}.npz"
    if path.exists():
        return path
    cv2.setNumThreads(1)
    rng = np.random.default_rng([_SEED[split], number])
    samples: list[LineSample] = []
    pages = 0
    while len(samples) < LINES_A_SHARD:
        samples += cut_page(rng, split, _CONDITIONS[pages % len(_CONDITIONS)])
        pages += 1
    save_shard(path, samples)
    return path


@click.command()
@click.option("--split", type=click.Choice(["train", "val", "held"]), default="train")
@click.option("--shards", default=12, show_default=True)
@click.option("--first", default=0, show_default=True, help="Number of the first shard.")
@click.option("--workers", default=1, show_default=True)
def main(split: Split, shards: int, first: int, workers: int) -> None:
    """Render shards of lines cut from made pages."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(message)s")
    MATERIAL_DIR.mkdir(parents=True, exist_ok=True)
    with ProcessPoolExecutor(workers) as pool:
        runs = [pool.submit(render_crops, split, n) for n in range(first, first + shards)]
        for done, run in enumerate(as_completed(runs), 1):
            log.info("%s (%d of %d)", run.result().name, done, shards)


if __name__ == "__main__":
    main()
