"""Open the product's model file as a checkpoint, so that training can go on from it anywhere.

Run as ``python -m training.reopen --name shipped`` and train on with ``--init shipped``. Batch
norms, which were folded away for reading, are given back: the network reads as it did, with the
statistics of its material as theirs.
"""

from __future__ import annotations

import logging
from collections.abc import Iterable
from dataclasses import asdict, replace
from pathlib import Path

import click
import numpy as np
import onnx
import torch
from onnx import numpy_helper
from torch import Tensor, nn

from keel_line.read.network import DATA_DIR
from training.config import ALPHABET, DESIGNS, TrainConfig
from training.data import collate, load_shard, make_batches
from training.net import LineNet, grow
from training.render import MATERIAL_DIR
from training.train import RUN_DIR, save_checkpoint

log = logging.getLogger(__name__)

_BATCHES = 24
_HALVED = "_half"
_QUANTISED = "_quantized"
_TRAINED_RMS = 0.15  # where weights under a norm settle in a run of usual rate and decay


def read_weights(model_file: Path) -> dict[str, Tensor]:
    """Return the folded weights of a model file by the names they have in the network.

    What was stored in 8 bits comes back as near as 8 bits were.
    """
    stored = {
        init.name: numpy_helper.to_array(init)
        for init in onnx.load(str(model_file)).graph.initializer
        if init.name.startswith("net.")
    }
    out = {}
    for name, values in stored.items():
        plain = name.removesuffix(_HALVED).removesuffix(_QUANTISED)
        if name.endswith(_QUANTISED):
            scale = stored.get(f"{plain}_scale", stored.get(f"{name}_scale"))
            if scale is None:
                raise ValueError(f"{model_file.name} has no scale for {plain}")
            values = values * scale.reshape(-1, *[1] * (values.ndim - 1))  # noqa: PLW2901
        elif name.endswith(("_scale", "_zero_point")):
            continue
        out[plain.removeprefix("net.")] = torch.from_numpy(values.astype(np.float32))
    return out


def unfold_norms(net: LineNet, folded: dict[str, Tensor], pixels: Iterable[Tensor]) -> None:
    """Load folded weights, and set each batch norm so that it only adds what was folded into it.

    ``pixels`` are batches of lines (batch, 1, 48, width) from which each norm takes its mean and
    variance; training's batches have the same, so that it goes on smoothly.
    """
    weights = dict(folded)
    gains: dict[str, float] = {}
    for name, module in net.named_modules():
        if isinstance(module, nn.BatchNorm2d):
            trunk, _, place = name.rpartition(".")
            before = f"{trunk}.{int(place) - 1}"
            bias = weights.pop(f"{before}.bias", None)
            if bias is not None:
                # The norm undoes any gain; small weights would be torn about by the first steps.
                gain = max(
                    1.0, _TRAINED_RMS / float(weights[f"{before}.weight"].square().mean().sqrt())
                )
                gains[name] = gain
                weights[f"{before}.weight"] = weights[f"{before}.weight"] * gain
                weights[f"{name}.bias"] = bias
                weights[f"{name}.weight"] = torch.full_like(bias, (1 + module.eps) ** 0.5 / gain)
    grow(net, weights)
    net.eval()
    sums: dict[str, Tensor] = {}

    def watch(name: str, norm: nn.BatchNorm2d) -> torch.utils.hooks.RemovableHandle:
        sums[name] = torch.zeros(3, norm.num_features, dtype=torch.float64)

        def add(_: nn.Module, inputs: tuple[Tensor, ...]) -> None:
            values = inputs[0].double()
            sums[name][0] += values.numel() / values.shape[1]
            sums[name][1] += values.sum((0, 2, 3))
            sums[name][2] += values.square().sum((0, 2, 3))

        return norm.register_forward_pre_hook(add)

    every = {n: m for n, m in net.named_modules() if isinstance(m, nn.BatchNorm2d)}
    hooks = [watch(name, norm) for name, norm in every.items()]
    with torch.no_grad():
        for batch in pixels:
            net(batch)
    for hook in hooks:
        hook.remove()
    for name, norm in every.items():
        count, total, squares = sums[name]
        mean = total / count
        variance = (squares / count - mean.square()).clamp(min=0)
        kept = {"running_mean": mean, "running_var": variance}
        if name in gains:
            kept["weight"] = (variance + norm.eps).sqrt() / gains[name]
            kept["bias"] = norm.bias.detach() + mean / gains[name]
        norm.load_state_dict(kept, strict=False)


@click.command()
@click.option("--name", default="shipped", show_default=True, help="Names the run's folder.")
@click.option("--model", type=click.Path(path_type=Path), default=DATA_DIR / "reader.onnx")
@click.option("--design", type=click.Choice(list(DESIGNS)), default="deep", show_default=True)
def main(name: str, model: Path, design: str) -> None:
    """Write the model file as the checkpoint of a run."""
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    config = replace(TrainConfig(), design=DESIGNS[design])
    rng = np.random.default_rng(config.seed)
    lines = load_shard(MATERIAL_DIR / "val-0000.npz")
    batches = list(make_batches(lines, config.batch_columns, rng))[:_BATCHES]
    net = LineNet(len(ALPHABET) + 1, config.design)
    unfold_norms(net, read_weights(model), (collate(b, None).pixels for b in batches))
    run = RUN_DIR / name
    run.mkdir(parents=True, exist_ok=True)
    save_checkpoint(
        run / "checkpoint.pt",
        {"net": net.state_dict(), "design": asdict(config.design), "step": 0},
    )
    log.info("%s", run / "checkpoint.pt")


if __name__ == "__main__":
    main()
