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
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

import click
import numpy as np
import torch
from torch import Tensor, distributed, multiprocessing, nn
from torch.nn import functional

from training.config import ALPHABET, DESIGNS, TrainConfig
from training.data import Batch, Line, collate, load_shard, make_batches, wait_for
from training.evaluate import score_lines, summarise
from training.net import LineNet, grow
from training.render import MATERIAL_DIR

log = logging.getLogger(__name__)

RUN_DIR = Path(__file__).resolve().parent.parent / ".cache" / "runs"


@dataclass(frozen=True)
class Team:
    """Processes that train one network together, each on its own batches."""

    rank: int = 0
    size: int = 1

    def share_gradients(self, net: nn.Module) -> None:
        """Bring every process's gradients to the team's mean."""
        if self.size == 1:
            return
        grads = [p.grad for p in net.parameters() if p.grad is not None]
        flat = torch.cat([g.flatten() for g in grads])
        distributed.all_reduce(flat)
        flat /= self.size
        start = 0
        for grad in grads:
            grad.copy_(flat[start : start + grad.numel()].view_as(grad))
            start += grad.numel()


ALONE = Team()


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
    steps = (batch.widths // TrainConfig().recipe.step).clamp(max=logs.shape[1])
    ctc = functional.ctc_loss(
        logs.transpose(0, 1),
        batch.targets,
        steps,
        batch.lengths,
        reduction="sum",
        zero_infinity=True,
    ) / batch.lengths.sum().clamp(min=1)
    if frame_weight <= 0:
        return ctc
    frames = batch.frames[:, : logs.shape[1]]
    wide = functional.nll_loss(logs.flatten(0, 1), frames.flatten(), ignore_index=-1)
    return ctc + frame_weight * 4.0 * wide


def stream_batches(
    config: TrainConfig,
    shards: int,
    start_block: int,
    skip: int,
    material: Path,
    team: Team = ALONE,
) -> Iterator[tuple[int, int, Batch]]:
    """Yield (block, place in block, batch) for ever, from a given place on.

    In a team each process takes its own of every ``team.size`` batches.
    """
    block = start_block
    blocks = math.ceil(shards / config.block_shards)
    while True:
        rng = np.random.default_rng([config.seed, block])
        first = (block % blocks) * config.block_shards
        lines: list[Line] = []
        for number in range(first, min(first + config.block_shards, shards)):
            lines += load_shard(wait_for(material / f"train-{number:04d}.npz"))
        batches = list(make_batches(lines, config.batch_columns, rng))
        for first_place in range(0, len(batches) - team.size + 1, team.size):
            place = first_place + team.rank
            if first_place >= skip:
                batch_rng = np.random.default_rng([config.seed, block, place])
                yield block, first_place, collate(batches[place], batch_rng)
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
    team: Team = ALONE,
) -> LineNet:
    """Train to ``config.steps`` (or ``stop_after``), going on from the run's checkpoint if any."""
    run.mkdir(parents=True, exist_ok=True)
    torch.manual_seed(config.seed)
    net = LineNet(len(ALPHABET) + 1, config.design)
    if init is not None:
        grow(net, torch.load(init, weights_only=True)["net"])
    net = net.to(memory_format=torch.channels_last)
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
        if team.size == 1:
            torch.set_rng_state(state["random"])
        log.info("going on from step %d", step)
    val_file = material / "val-0000.npz"
    val = load_shard(val_file)[: config.val_lines] if val_file.exists() else []
    started, seen, mean_loss = time.monotonic(), 0, float("nan")
    _begin_training(net, config)
    batches = stream_batches(config, shards, block, place + 1, material, team)
    while step < (stop_after or config.steps):
        block, place, batch = next(batches)
        for group in optimiser.param_groups:
            group["lr"] = learning_rate(config, step)
        fade = max(0.0, 1 - step / (config.frame_fade * config.steps))
        loss = line_loss(net, batch, config.frame_weight * fade)
        optimiser.zero_grad(set_to_none=True)
        loss.backward()  # type: ignore[no-untyped-call]  # torch ships no type for it
        team.share_gradients(net)
        nn.utils.clip_grad_norm_(net.parameters(), config.clip)
        optimiser.step()
        step += 1
        seen += len(batch.lengths) * team.size
        value = loss.item()
        mean_loss = value if math.isnan(mean_loss) else 0.98 * mean_loss + 0.02 * value
        if team.rank > 0:
            continue
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
                    "design": asdict(config.design),
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
                _begin_training(net, config)
    return net


def _begin_training(net: LineNet, config: TrainConfig) -> None:
    net.train()
    for module in net.modules():
        if config.still_norms and isinstance(module, nn.BatchNorm2d):
            module.eval()


def _join(
    rank: int, size: int, config: TrainConfig, shards: int, run: Path, kept: dict[str, Any]
) -> None:
    """Train as one of a team of processes on this machine."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(message)s")
    torch.set_num_threads(1)
    meeting = f"file://{run.resolve()}/meeting"
    distributed.init_process_group("gloo", init_method=meeting, rank=rank, world_size=size)
    train(config, shards, run, team=Team(rank, size), **kept)
    distributed.destroy_process_group()


def train_together(
    config: TrainConfig, shards: int, run: Path, processes: int, **kept: object
) -> None:
    """Train with several processes of one thread each; with one, in this process."""
    run.mkdir(parents=True, exist_ok=True)
    (run / "meeting").unlink(missing_ok=True)
    if processes == 1:
        train(config, shards, run, **kept)  # type: ignore[arg-type]
        return
    multiprocessing.spawn(_join, (processes, config, shards, run, kept), processes)


@click.command()
@click.option("--name", default="first", show_default=True, help="Names the run's folder.")
@click.option("--steps", default=TrainConfig.steps, show_default=True)
@click.option("--shards", default=150, show_default=True)
@click.option("--rate", default=TrainConfig.peak_rate, show_default=True)
@click.option("--init", type=click.Path(path_type=Path), help="Checkpoint to begin from.")
@click.option("--material", type=click.Path(path_type=Path), default=MATERIAL_DIR)
@click.option("--stop-after", type=int, help="Stop at this step; the schedule stays.")
@click.option("--design", type=click.Choice(list(DESIGNS)), default="deep", show_default=True)
@click.option("--processes", default=1, show_default=True, help="Processes of one thread each.")
def main(
    name: str,
    steps: int,
    shards: int,
    rate: float,
    init: Path | None,
    material: Path,
    stop_after: int | None,
    design: str,
    processes: int,
) -> None:
    """Train the recogniser, going on where an earlier run of the same name stopped."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(message)s")
    torch.set_num_threads(1)
    config = replace(TrainConfig(), steps=steps, peak_rate=rate, design=DESIGNS[design])
    log.info("%s", asdict(config))
    train_together(
        config,
        shards,
        RUN_DIR / name,
        processes,
        init=init,
        material=material,
        stop_after=stop_after,
    )


if __name__ == "__main__":
    main()
