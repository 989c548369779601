"""Second stage: lines cut from made pages by the product's own pipeline, mixed with drawn lines.

Run as ``python -m training.finetune --init first``. The pipeline's cuts show what no drawn line
does (rule stubs, neighbours, the line finder's own errors); the drawn lines keep variety.
"""

from __future__ import annotations

import logging
import shutil
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import click
import torch

from training.config import DESIGNS, TrainConfig
from training.render import MATERIAL_DIR
from training.train import RUN_DIR, train_together

log = logging.getLogger(__name__)

DRAWN_A_CROP_SHARD = 2


def mix_material(
    into: Path, crops: Sequence[int], drawn: Sequence[int], source: Path = MATERIAL_DIR
) -> int:
    """Link shards of cuts and of drawn lines into one folder in turn; return how many.

    A shard of cuts is followed by two of drawn lines, in the order given; cuts begin again at
    their first when they are through. Shards need not be rendered yet: training waits for them.
    """
    into.mkdir(parents=True, exist_ok=True)
    chosen: list[Path] = []
    for number, shard in enumerate(drawn):
        if number % DRAWN_A_CROP_SHARD == 0:
            turn = number // DRAWN_A_CROP_SHARD
            chosen.append(source / f"train-crops-{crops[turn % len(crops)]:04d}.npz")
        chosen.append(source / f"train-{shard:04d}.npz")
    for number, path in enumerate(chosen):
        link = into / f"train-{number:04d}.npz"
        link.unlink(missing_ok=True)
        link.symlink_to(path)
    val = into / "val-0000.npz"
    if not val.exists():
        shutil.copy(source / "val-crops-0000.npz", val)
    return len(chosen)


def parse_numbers(text: str) -> list[int]:
    """Return the numbers of "3-5,9": 3, 4, 5, 9."""
    out: list[int] = []
    for part in text.split(","):
        first, _, last = part.partition("-")
        out += range(int(first), int(last or first) + 1)
    return out


@click.command()
@click.option("--name", default="second", show_default=True)
@click.option("--init", default="first", show_default=True, help="Run to begin from.")
@click.option("--steps", default=2600, show_default=True)
@click.option("--rate", default=6e-4, show_default=True)
@click.option("--crops", default="0-6", show_default=True, help="Shards of cuts, as 0-6,9.")
@click.option("--drawn", default="146-159", show_default=True, help="Shards of drawn lines.")
@click.option("--design", type=click.Choice(list(DESIGNS)), default="deep", show_default=True)
@click.option("--processes", default=1, show_default=True, help="Processes of one thread each.")
@click.option("--stop-after", type=int, help="Stop at this step; the schedule stays.")
@click.option("--still-norms", is_flag=True, help="Keep the batch norms of a reopened model.")
def main(
    name: str,
    init: str,
    steps: int,
    rate: float,
    crops: str,
    drawn: str,
    design: str,
    processes: int,
    stop_after: int | None,
    *,
    still_norms: bool,
) -> None:
    """Train on from a first run with cuts mixed in."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(message)s")
    torch.set_num_threads(1)
    run = RUN_DIR / name
    shards = mix_material(run / "material", parse_numbers(crops), parse_numbers(drawn))
    # A small, steady frame loss keeps each character's peak over its ink while the rest adapts.
    config = replace(
        TrainConfig(),
        steps=steps,
        peak_rate=rate,
        design=DESIGNS[design],
        warmup=0.05,
        frame_weight=0.1,
        frame_fade=10.0,
        seed=1975,
        block_shards=6,
        check_every=250,
        still_norms=still_norms,
    )
    train_together(
        config,
        shards,
        run,
        processes,
        material=run / "material",
        init=RUN_DIR / init / "checkpoint.pt",
        stop_after=stop_after,
    )


if __name__ == "__main__":
    main()
