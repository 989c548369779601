"""Train the recogniser. ``python -m training.train --help``.

A run is its configuration: shards are taken in blocks in a fixed order and every block's batches
and variations follow from the seed, so that a run that was stopped goes on as if it had not been.
"""

from __future__ import annotations

import json
import logging
import math
import time
from collections.abc import Iterator
from dataclasses import asdict, replace
from pathlib import Path

import click
import numpy as np
import torch
from torch import Tensor, nn
from torch.nn import functional

from training.config import ALPHABET, TrainConfig
from training.data import Batch, Line, collate, load_shard, make_batches, wait_for
from training.evaluate import score_lines, summarise
from training.net import LineNet
from training.render import MATERIAL_DIR

log = logging.getLogger(__name__)

RUN_DIR = Path(__file__).resolve().parent.parent / ".cache" / "runs"


def learning_rate(config: TrainConfig, step: int) -> float:
    """Return the rate at a step: a linear rise, then a cosine down to a hundredth."""
    rise = max(1, int(config.warmup * config.steps))
    if step < rise:
        return config.peak_rate * (step + 1) / rise
    share = (step - rise) / max(1, config.steps - rise)
    return config.peak_rate * (0.01 + 0.99 * 0.5 * (1 + math.cos(math.pi * min(share, 1.0))))


def line_loss(net: nn.Module, batch: Batch, frame_weight: float) -> Tensor:
    """CTC loss a character, and the per-step cross entropy weighted by ``frame_weight``."""
    logits = net(batch.pixels.contiguous(memory_format=torch.channels_last))
    logs = functional.log_softmax(logits, dim=2)
    steps = (batch.widths // 2).clamp(max=logs.shape[1])
    ctc = (
        functional.ctc_loss(
            logs.transpose(0, 1),
            batch.targets,
            steps,
            batch.lengths,
            reduction="sum",
            zero_infinity=True,
        )
        / batch.lengths.sum()
    )
    if frame_weight <= 0:
        return ctc
    frames = batch.frames[:, : logs.shape[1]]
    wide = functional.nll_loss(logs.flatten(0, 1), frames.flatten(), ignore_index=-1)
    return ctc + frame_weight * 4.0 * wide


def stream_batches(
    config: TrainConfig, shards: int, start_block: int, skip: int, material: Path
) -> Iterator[tuple[int, int, Batch]]:
    """Yield (block, place in block, batch) for ever, from a given place on."""
    block = start_block
    blocks = math.ceil(shards / config.block_shards)
    while True:
        rng = np.random.default_rng([config.seed, block])
        first = (block % blocks) * config.block_shards
        lines: list[Line] = []
        for number in range(first, min(first + config.block_shards, shards)):
            lines += load_shard(wait_for(material / f"train-{number:04d}.npz"))
        for place, chosen in enumerate(make_batches(lines, config.batch_columns, rng)):
            batch_rng = np.random.default_rng([config.seed, block, place])
            if place >= skip:
                yield block, place, collate(chosen, batch_rng)
        skip = 0
        block += 1


def save_checkpoint(path: Path, state: dict[str, object]) -> None:
    """Write a checkpoint beside and rename it, so that a kill leaves the last one whole."""
    part = path.with_suffix(".part")
    torch.save(state, part)
    part.replace(path)


def train(
    config: TrainConfig,
    shards: int,
    run: Path,
    *,
    material: Path = MATERIAL_DIR,
    stop_after: int | None = None,
    init: Path | None = None,
) -> LineNet:
    """Train to ``config.steps`` (or ``stop_after``), going on from the run's checkpoint if any."""
    run.mkdir(parents=True, exist_ok=True)
    torch.manual_seed(config.seed)
    net = LineNet(len(ALPHABET) + 1, config.channels).to(memory_format=torch.channels_last)
    if init is not None:
        net.load_state_dict(torch.load(init, weights_only=True)["net"])
    optimiser = torch.optim.AdamW(
        net.parameters(), lr=config.peak_rate, weight_decay=config.weight_decay, betas=(0.9, 0.98)
    )
    step, block, place = 0, 0, -1
    checkpoint = run / "checkpoint.pt"
    if checkpoint.exists():
        state = torch.load(checkpoint, weights_only=True)
        net.load_state_dict(state["net"])
        optimiser.load_state_dict(state["optimiser"])
        step, block, place = state["step"], state["block"], state["place"]
        torch.set_rng_state(state["random"])
        log.info("going on from step %d", step)
    val_file = material / "val-0000.npz"
    val = load_shard(val_file)[: config.val_lines] if val_file.exists() else []
    started, seen, mean_loss = time.monotonic(), 0, float("nan")
    net.train()
    batches = stream_batches(config, shards, block, place + 1, material)
    while step < (stop_after or config.steps):
        block, place, batch = next(batches)
        for group in optimiser.param_groups:
            group["lr"] = learning_rate(config, step)
        fade = max(0.0, 1 - step / (config.frame_fade * config.steps))
        loss = line_loss(net, batch, config.frame_weight * fade)
        optimiser.zero_grad(set_to_none=True)
        loss.backward()  # type: ignore[no-untyped-call]  # torch ships no type for it
        nn.utils.clip_grad_norm_(net.parameters(), config.clip)
        optimiser.step()
        step += 1
        seen += len(batch.lengths)
        value = loss.item()
        mean_loss = value if math.isnan(mean_loss) else 0.98 * mean_loss + 0.02 * value
        if step % 100 == 0:
            log.info(
                "step %d loss %.4f rate %.5f, %.0f lines/s",
                step,
                mean_loss,
                learning_rate(config, step),
                seen / (time.monotonic() - started),
            )
        if step % config.check_every == 0 or step == (stop_after or config.steps):
            save_checkpoint(
                checkpoint,
                {
                    "net": net.state_dict(),
                    "optimiser": optimiser.state_dict(),
                    "step": step,
                    "block": block,
                    "place": place,
                    "random": torch.get_rng_state(),
                },
            )
            if val:
                figures = summarise(score_lines(net, val))
                log.info("step %d validation %s", step, json.dumps(figures["all"]))
                with (run / "log.jsonl").open("a", encoding="utf-8") as out:
                    out.write(json.dumps({"step": step, "loss": mean_loss, **figures}) + "\n")
                net.train()
    return net


@click.command()
@click.option("--name", default="first", show_default=True, help="Names the run's folder.")
@click.option("--steps", default=TrainConfig.steps, show_default=True)
@click.option("--shards", default=150, show_default=True)
@click.option("--channels", default=TrainConfig.channels, show_default=True)
@click.option("--rate", default=TrainConfig.peak_rate, show_default=True)
@click.option("--init", type=click.Path(path_type=Path), help="Checkpoint to begin from.")
@click.option("--material", type=click.Path(path_type=Path), default=MATERIAL_DIR)
@click.option("--stop-after", type=int, help="Stop at this step; the schedule stays.")
@click.option("--threads", default=1, show_default=True)
def main(
    name: str,
    steps: int,
    shards: int,
    channels: int,
    rate: float,
    init: Path | None,
    material: Path,
    stop_after: int | None,
    threads: int,
) -> None:
    """Train the recogniser, going on where an earlier run of the same name stopped."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(message)s")
    torch.set_num_threads(threads)
    config = replace(TrainConfig(), steps=steps, channels=channels, peak_rate=rate)
    log.info("%s", asdict(config))
    train(config, shards, RUN_DIR / name, init=init, material=material, stop_after=stop_after)


if __name__ == "__main__":
    main()
