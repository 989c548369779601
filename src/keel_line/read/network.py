"""The recogniser's network and its recipe, run with onnxruntime."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import msgspec
import numpy as np
import onnxruntime as ort
from numpy.typing import NDArray

from keel_line._shared.paper import Grey
from keel_line._shared.pulse import pulse
from keel_line.read.prepare import LineRecipe

DATA_DIR = Path(__file__).parent / "data"
_BATCH_STEPS, _UNIT_STEPS = 4096, 16


class Recipe(msgspec.Struct, frozen=True):
    """The recipe stored with the weights: alphabet, geometry, material and figures."""

    alphabet: str
    line: LineRecipe
    material_version: int
    steps_trained: int
    figures: dict[str, dict[str, float]]


@dataclass(frozen=True)
class Network:
    """A loaded recogniser; ``threads`` is how many cores one run may use."""

    model_file: Path = DATA_DIR / "reader.onnx"
    recipe_file: Path = DATA_DIR / "reader.json"
    threads: int = 2

    @cached_property
    def recipe(self) -> Recipe:
        """The recipe that the weights were trained with."""
        return msgspec.json.decode(self.recipe_file.read_bytes(), type=Recipe)

    @cached_property
    def hash(self) -> str:
        """Short hash of the weights."""
        return hashlib.sha256(self.model_file.read_bytes()).hexdigest()[:12]

    @cached_property
    def _session(self) -> ort.InferenceSession:
        options = ort.SessionOptions()
        options.intra_op_num_threads = self.threads
        options.inter_op_num_threads = 1
        options.log_severity_level = 3
        return ort.InferenceSession(
            str(self.model_file), options, providers=["CPUExecutionProvider"]
        )

    def run(self, lines: Sequence[Grey]) -> list[NDArray[np.float32]]:
        """Return class probabilities, shape (steps, classes), of each prepared line.

        Lines run together where blank paper makes them equally wide: what is read in one does not
        depend on the others. They come back in the order they were given.
        """
        out: list[NDArray[np.float32]] = [np.zeros((0, 0), np.float32)] * len(lines)
        recipe = self.recipe.line
        unit = _UNIT_STEPS * recipe.step
        by_width: dict[int, list[int]] = {}
        for number, line in enumerate(lines):
            by_width.setdefault(max(1, -(-line.shape[1] // unit)) * unit, []).append(number)
        for width, numbers in by_width.items():
            most = max(1, _BATCH_STEPS * recipe.step // width)
            for first in range(0, len(numbers), most):
                pulse()
                chosen = numbers[first : first + most]
                batch = np.zeros((len(chosen), 1, recipe.height, width), np.float32)
                for k, i in enumerate(chosen):
                    batch[k, 0, :, : lines[i].shape[1]] = lines[i]
                (probs,) = self._session.run(None, {"lines": batch / np.float32(255)})
                for k, i in enumerate(chosen):
                    out[i] = probs[k, : max(1, lines[i].shape[1] // recipe.step)]
        return out
