"""Second stage: lines cut from made pages by the product's own pipeline, mixed with drawn lines.

Run as ``python -m training.finetune --init first``. The pipeline's cuts show what no drawn line
does (rule stubs, neighbours, the line finder's own errors); the drawn lines keep variety.
"""

from __future__ import annotations

import logging
import shutil
from dataclasses import replace
from pathlib import Path

import click
import torch

from training.config import TrainConfig
from training.render import MATERIAL_DIR
from training.train import RUN_DIR, train

log = logging.getLogger(__name__)

DRAWN_A_CROP_SHARD = 2


def mix_material(into: Path, source: Path = MATERIAL_DIR) -> int:
    """Link shards of cuts and of drawn lines into one folder in turn; return how many."""
    into.mkdir(parents=True, exist_ok=True)
    crops = sorted(source.glob("train-crops-*.npz"))
    drawn = sorted(p for p in source.glob("train-[0-9]*.npz"))[::-1]
    chosen: list[Path] = []
    for i, crop in enumerate(crops):
        chosen += [crop, *drawn[i * DRAWN_A_CROP_SHARD : (i + 1) * DRAWN_A_CROP_SHARD]]
    for number, path in enumerate(chosen):
        link = into / f"train-{number:04d}.npz"
        if not link.exists():
            link.symlink_to(path)
    val = into / "val-0000.npz"
    if not val.exists():
        shutil.copy(source / "val-crops-0000.npz", val)
    return len(chosen)


@click.command()
@click.option("--name", default="second", show_default=True)
@click.option("--init", default="first", show_default=True, help="Run to begin from.")
@click.option("--steps", default=2600, show_default=True)
@click.option("--rate", default=6e-4, show_default=True)
@click.option("--stop-after", type=int, help="Stop at this step; the schedule stays.")
def main(name: str, init: str, steps: int, rate: float, stop_after: int | None) -> None:
    """Train on from a first run with cuts mixed in."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(message)s")
    torch.set_num_threads(1)
    run = RUN_DIR / name
    shards = mix_material(run / "material")
    # A small, steady frame loss keeps each character's peak over its ink while the rest adapts.
    config = replace(
        TrainConfig(),
        steps=steps,
        peak_rate=rate,
        warmup=0.05,
        frame_weight=0.1,
        frame_fade=10.0,
        seed=1975,
        block_shards=6,
        check_every=250,
    )
    train(
        config,
        shards,
        run,
        material=run / "material",
        init=RUN_DIR / init / "checkpoint.pt",
        stop_after=stop_after,
    )


if __name__ == "__main__":
    main()
