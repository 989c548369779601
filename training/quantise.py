"""Store the exported network in 8 bits: a third of the time, half of the file.

Weights and features of every convolution but the first and the last become 8-bit numbers whose
scales are taken from lines of training material (post-training quantisation, after Jacob and
others, "Quantization and training of neural networks for efficient integer-arithmetic-only
inference", CVPR 2018). Weights use 7 of the 8 bits, so that processors without 8-bit dot products,
whose sums of products saturate, read the same as those with them.
"""

from __future__ import annotations

import logging
from collections.abc import Iterator, Sequence
from pathlib import Path

import click
import numpy as np
import onnx
from numpy.typing import NDArray
from onnx import numpy_helper
from onnxruntime.quantization import (
    CalibrationDataReader,
    CalibrationMethod,
    QuantFormat,
    QuantType,
    quantize_static,
)
from onnxruntime.quantization.shape_inference import quant_pre_process

from keel_line.read.network import DATA_DIR
from training.data import load_shard
from training.render import MATERIAL_DIR

log = logging.getLogger(__name__)

_LINES = 480
_BATCH = 8
_SEED = 11
_HALVED = "_half"


class _Lines(CalibrationDataReader):  # type: ignore[misc]
    """Hands out batches of lines, each padded to its widest."""

    def __init__(self, pictures: Sequence[NDArray[np.uint8]]) -> None:
        self._batches = iter(list(_batch(pictures)))

    def get_next(self) -> dict[str, NDArray[np.float32]] | None:
        batch = next(self._batches, None)
        return None if batch is None else {"lines": batch}


def _batch(pictures: Sequence[NDArray[np.uint8]]) -> Iterator[NDArray[np.float32]]:
    ordered = sorted(pictures, key=lambda p: p.shape[1])
    for start in range(0, len(ordered), _BATCH):
        own = ordered[start : start + _BATCH]
        wide = max(p.shape[1] for p in own)
        batch = np.zeros((len(own), 1, own[0].shape[0], wide + -wide % 16), np.float32)
        for row, picture in zip(batch, own, strict=True):
            row[0, :, : picture.shape[1]] = picture / np.float32(255)
        yield batch


def widen(model: onnx.ModelProto) -> None:
    """Turn weights that are stored in 16 bits into 32-bit ones, in place."""
    stored = {init.name: init for init in model.graph.initializer}
    for node in list(model.graph.node):
        if node.op_type == "Cast" and node.input[0].endswith(_HALVED) and node.input[0] in stored:
            init = stored[node.input[0]]
            values = numpy_helper.to_array(init).astype(np.float32)
            init.CopyFrom(numpy_helper.from_array(values, node.output[0]))
            model.graph.node.remove(node)


def quantise(model: onnx.ModelProto, pictures: Sequence[NDArray[np.uint8]], target: Path) -> None:
    """Write a network, its weights in 16 or 32 bits, with 8-bit convolutions.

    ``pictures`` are lines, shape (rows, width) each, 255 is ink, from which the scales are taken.
    """
    widen(model)
    wide, prepared = target.with_suffix(".wide.onnx"), target.with_suffix(".prepared.onnx")
    try:
        onnx.save(model, str(wide))
        quant_pre_process(str(wide), str(prepared), skip_symbolic_shape=True)
        nodes = onnx.load(str(prepared)).graph.node
        convolutions = [n.name for n in nodes if n.op_type == "Conv"]
        # Sums over a line of any length do not fit one scale: the style stays as it is.
        style = [n.name for n in nodes if "/style/" in n.name]
        quantize_static(
            str(prepared),
            str(target),
            _Lines(pictures),
            quant_format=QuantFormat.QDQ,
            per_channel=True,
            reduce_range=True,
            activation_type=QuantType.QUInt8,
            weight_type=QuantType.QInt8,
            calibrate_method=CalibrationMethod.MinMax,
            op_types_to_quantize=["Conv", "Add", "Relu"],
            nodes_to_exclude=[convolutions[0], convolutions[-1], *style],
        )
    finally:
        wide.unlink(missing_ok=True)
        prepared.unlink(missing_ok=True)


def pick_lines(shard: str = "val-0000") -> list[NDArray[np.uint8]]:
    """Pick the lines from which scales are taken."""
    lines = load_shard(MATERIAL_DIR / f"{shard}.npz")
    chosen = np.random.default_rng(_SEED).permutation(len(lines))[:_LINES]
    return [lines[i].image for i in chosen]


@click.command()
@click.argument("model", type=click.Path(path_type=Path, exists=True))
@click.option("--target", type=click.Path(path_type=Path), default=DATA_DIR / "reader.onnx")
def main(model: Path, target: Path) -> None:
    """Write MODEL, as it was exported in 16 bits, with 8-bit convolutions."""
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    quantise(onnx.load(str(model)), pick_lines(), target)
    log.info("%s: %d bytes", target.name, target.stat().st_size)


if __name__ == "__main__":
    main()
