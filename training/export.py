"""Export a checkpoint as the reader's model file: batch norms folded away, 8-bit convolutions."""

from __future__ import annotations

import json
import logging
from pathlib import Path

import click
import numpy as np
import onnx
import torch
from onnx import numpy_helper
from torch import Tensor, nn

from keel_line.read.network import DATA_DIR
from training.config import ALPHABET, MATERIAL_VERSION, Design, TrainConfig
from training.data import load_shard
from training.evaluate import score_lines, summarise
from training.net import LineNet
from training.quantise import pick_lines, quantise
from training.render import MATERIAL_DIR

log = logging.getLogger(__name__)


class WithProbabilities(nn.Module):
    """The network with its softmax, as the reader runs it."""

    def __init__(self, net: LineNet) -> None:
        super().__init__()
        self.net = net

    def forward(self, lines: Tensor) -> Tensor:
        """Return class probabilities, shape (batch, steps, classes)."""
        return self.net(lines).softmax(dim=2)


def fold_norms(module: nn.Module) -> None:
    """Fold each batch norm into the convolution before it, in place."""
    for child in module.children():
        if isinstance(child, nn.Sequential):
            for i in range(len(child) - 1):
                if isinstance(child[i], nn.Conv2d) and isinstance(child[i + 1], nn.BatchNorm2d):
                    child[i] = nn.utils.fuse_conv_bn_eval(child[i], child[i + 1])
                    child[i + 1] = nn.Identity()
        fold_norms(child)


def store_halved(model: onnx.ModelProto) -> None:
    """Store large 32-bit weights in 16 bits, cast back when the model is loaded."""
    casts = []
    for init in model.graph.initializer:
        if init.data_type != onnx.TensorProto.FLOAT or np.prod(init.dims) < 256:
            continue
        name = init.name
        halved = numpy_helper.from_array(
            numpy_helper.to_array(init).astype(np.float16), name + "_half"
        )
        init.CopyFrom(halved)
        casts.append(
            onnx.helper.make_node("Cast", [name + "_half"], [name], to=onnx.TensorProto.FLOAT)
        )
    for cast in reversed(casts):
        model.graph.node.insert(0, cast)


def write_whole(net: LineNet, target: Path) -> onnx.ModelProto:
    """Write a network whose norms are folded, with its softmax and 16-bit weights."""
    torch.onnx.export(
        WithProbabilities(net),
        (torch.zeros(2, 1, TrainConfig().recipe.height, 128),),
        str(target),
        input_names=["lines"],
        output_names=["probabilities"],
        dynamo=False,
        opset_version=17,
        dynamic_axes={"lines": {0: "batch", 3: "width"}, "probabilities": {0: "batch", 1: "steps"}},
    )
    model = onnx.load(str(target))
    store_halved(model)
    onnx.save(model, str(target))
    return model


@click.command()
@click.argument("checkpoint", type=click.Path(path_type=Path, exists=True))
@click.option("--into", type=click.Path(path_type=Path), default=DATA_DIR, show_default=True)
def main(checkpoint: Path, into: Path) -> None:
    """Write reader.onnx and its recipe reader.json; reader16.onnx goes beside the checkpoint."""
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    state = torch.load(checkpoint, weights_only=True)
    net = LineNet(len(ALPHABET) + 1, Design(**state["design"]))
    net.load_state_dict(state["net"])
    net.eval()
    figures = summarise(score_lines(net, load_shard(MATERIAL_DIR / "val-0000.npz")))
    fold_norms(net)
    # Kept beside the checkpoint: quantisation is tried anew from it without exporting again.
    model = write_whole(net, checkpoint.with_name("reader16.onnx"))
    target = into / "reader.onnx"
    quantise(model, pick_lines(), target)
    recipe = TrainConfig().recipe
    (into / "reader.json").write_text(
        json.dumps(
            {
                "alphabet": ALPHABET,
                "line": {
                    "height": recipe.height,
                    "baseline": recipe.baseline,
                    "cap": recipe.cap,
                    "margin": recipe.margin,
                    "step": recipe.step,
                },
                "material_version": MATERIAL_VERSION,
                "steps_trained": int(state["step"]),
                "figures": figures,
            },
            ensure_ascii=False,
            indent=1,
        ),
        encoding="utf-8",
    )
    log.info("%s: %d bytes, %s", target.name, target.stat().st_size, figures["all"])


if __name__ == "__main__":
    main()
