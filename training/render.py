"""Render training material ahead of training, in shards on disk, with several workers.

Run as ``python -m training.render --shards 60 --workers 2``. A shard that is there already is
kept, so an interrupted run goes on where it stopped.
"""

from __future__ import annotations

import logging
import os
from concurrent.futures import ProcessPoolExecutor, as_completed
from pathlib import Path

import click
import cv2
import numpy as np

from synth.faces import Split, load_faces
from synth.lines import LineSample, make_sheet
from synth.text import CODE_HEAVY_SHARES, LONE_MARK_SHARES, LOOK_ALIKE_SHARES
from training.config import ALPHABET, MATERIAL_VERSION, TrainConfig

log = logging.getLogger(__name__)

MATERIAL_DIR = Path(__file__).resolve().parent.parent / ".cache" / f"material-{MATERIAL_VERSION}"
LINES_A_SHARD = 4000
CODE_HEAVY_FROM = 200
BLENDED_FROM = 840
LOOK_ALIKES_FROM = 940
LONE_MARKS_FROM = 960
_SPLIT_SEED = {"train": 1, "val": 2, "held": 3}


def save_shard(path: Path, samples: list[LineSample]) -> None:
    """Write samples side by side into one compressed file, beside and then renamed."""
    widths = np.array([s.image.shape[1] for s in samples])
    part = path.with_suffix(".part.npz")
    np.savez(
        part,
        pixels=np.concatenate([s.image for s in samples], axis=1),
        widths=widths,
        texts=np.array([s.text for s in samples]),
        lengths=np.array([len(s.text) for s in samples]),
        spans=np.concatenate([s.spans for s in samples]).astype(np.float32),
        groups=np.array([s.group for s in samples]),
        conditions=np.array([s.condition for s in samples]),
        families=np.array([s.family for s in samples]),
    )
    part.rename(path)


def render_shard(split: Split, number: int) -> Path:
    """Render one shard; the same split and number always give the same lines."""
    path = MATERIAL_DIR / f"{split}-{number:04d}.npz"
    if path.exists():
        return path
    cv2.setNumThreads(1)
    rng = np.random.default_rng([_SPLIT_SEED[split], number, MATERIAL_VERSION])
    faces = load_faces(split)
    allowed = set(ALPHABET)
    recipe = TrainConfig().recipe
    easy = split == "train" and number < 10
    # Since the third stage shards are rich in codes of short pieces that stand apart.
    shares = CODE_HEAVY_SHARES if number >= CODE_HEAVY_FROM else None
    if number >= LOOK_ALIKES_FROM:  # the twelfth stage's turn on signs of nearly one shape
        shares = LOOK_ALIKE_SHARES
    if number >= LONE_MARKS_FROM:  # and the fourteenth's on marks that stand alone
        shares = LONE_MARK_SHARES
    blended = 0.5 if split == "train" and number >= BLENDED_FROM else 0.0
    if split == "train" and number >= LONE_MARKS_FROM:
        blended = 0.7
    samples: list[LineSample] = []
    while len(samples) < LINES_A_SHARD:
        samples += make_sheet(
            rng,
            faces,
            allowed,
            recipe,
            held=split != "train",
            easy=easy,
            shares=shares,
            blended=blended,
        )
    save_shard(path, samples)
    return path


@click.command()
@click.option("--split", type=click.Choice(["train", "val", "held"]), default="train")
@click.option("--shards", default=60, show_default=True, help="How many shards there shall be.")
@click.option("--first", default=0, show_default=True, help="Number of the first shard.")
@click.option("--workers", default=2, show_default=True)
def main(split: Split, shards: int, first: int, workers: int) -> None:
    """Render shards of prepared lines."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(message)s")
    os.environ["OMP_NUM_THREADS"] = "1"
    MATERIAL_DIR.mkdir(parents=True, exist_ok=True)
    with ProcessPoolExecutor(workers) as pool:
        runs = [pool.submit(render_shard, split, n) for n in range(first, first + shards)]
        for done, run in enumerate(as_completed(runs), 1):
            log.info("%s (%d of %d)", run.result().name, done, shards)


if __name__ == "__main__":
    main()
