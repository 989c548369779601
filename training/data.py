"""Read rendered shards and batch their lines by width."""

from __future__ import annotations

import logging
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch import Tensor
from torch.nn import functional

from training.config import ALPHABET

log = logging.getLogger(__name__)

CLASS_OF = {char: i + 1 for i, char in enumerate(ALPHABET)}


@dataclass(frozen=True)
class Line:
    """One line of material; ``image`` is (48, width), ``spans`` is (len(text), 2)."""

    image: NDArray[np.uint8]
    text: str
    spans: NDArray[np.float32]
    group: str
    condition: str
    family: str


@dataclass(frozen=True)
class Batch:
    """Lines padded to one width.

    ``pixels`` (batch, 1, 48, width) 0 to 1; ``targets`` all classes in one row; ``frames``
    (batch, steps) the class that stands at each step, 0 for none, -1 beyond the line.
    """

    pixels: Tensor
    widths: Tensor
    targets: Tensor
    lengths: Tensor
    frames: Tensor


def load_shard(path: Path) -> list[Line]:
    """Load every line of a shard into memory."""
    with np.load(path) as data:
        pixels, widths, lengths = data["pixels"], data["widths"], data["lengths"]
        lefts = np.concatenate([[0], np.cumsum(widths)])
        starts = np.concatenate([[0], np.cumsum(lengths)])
        spans, texts = data["spans"], data["texts"]
        groups, conditions, families = data["groups"], data["conditions"], data["families"]
    return [
        Line(
            pixels[:, lefts[i] : lefts[i + 1]],
            str(texts[i]),
            spans[starts[i] : starts[i + 1]],
            str(groups[i]),
            str(conditions[i]),
            str(families[i]),
        )
        for i in range(len(widths))
    ]


def wait_for(path: Path, poll_s: float = 5.0, patience_s: float = 1800.0) -> Path:
    """Wait until a shard that is still being rendered is there.

    Raises
    ------
    FileNotFoundError
        When it does not appear in time.
    """
    waited = 0.0
    while not path.exists():
        if waited >= patience_s:
            raise FileNotFoundError(path)
        if waited == 0:
            log.info("waiting for %s", path.name)
        time.sleep(poll_s)
        waited += poll_s
    return path


def frame_classes(line: Line, steps: int, step_px: int) -> NDArray[np.int64]:
    """Return the class under each step: a character over the middle half of its width.

    Where a character begins and ends is left open (-1): the steps beside it may say either.
    """
    out = np.zeros(steps, np.int64)
    if np.isnan(line.spans).any():  # cut from a page, where the places are not known
        return np.full(steps, -1, np.int64)
    for char, (left, right) in zip(line.text, line.spans, strict=True):
        quarter = (right - left) / 4
        first = round(float(left + quarter) / step_px)
        last = round(float(right - quarter) / step_px)
        first, last = max(first, 0), max(last, first + 1)
        for open_step in (first - 1, last):
            if 0 <= open_step < steps and out[open_step] == 0:
                out[open_step] = -1
        out[first:last] = CLASS_OF[char]
    return out


def collate(lines: Sequence[Line], rng: np.random.Generator | None, step_px: int = 4) -> Batch:
    """Pad lines to one width; with ``rng``, also vary stretch, contrast, height and grain."""
    widest = max(line.image.shape[1] for line in lines)
    widest += -widest % (2 * step_px)
    pixels = np.zeros((len(lines), 1, lines[0].image.shape[0], widest), np.float32)
    frames = np.full((len(lines), widest // step_px), -1, np.int64)
    for i, line in enumerate(lines):
        width = line.image.shape[1]
        pixels[i, 0, :, :width] = line.image
        steps = width // step_px
        frames[i, :steps] = frame_classes(line, steps, step_px)[:steps]
    widths = torch.tensor([line.image.shape[1] for line in lines])
    tensor = torch.from_numpy(pixels).div_(255.0)
    frame_tensor = torch.from_numpy(frames)
    if rng is not None:
        tensor, frame_tensor, widths = _vary(tensor, frame_tensor, widths, rng, step_px)
    targets = torch.tensor([CLASS_OF[c] for line in lines for c in line.text])
    lengths = torch.tensor([len(line.text) for line in lines])
    return Batch(tensor, widths, targets, lengths, frame_tensor)


def _vary(
    pixels: Tensor, frames: Tensor, widths: Tensor, rng: np.random.Generator, step_px: int
) -> tuple[Tensor, Tensor, Tensor]:
    count, _, height, width = pixels.shape
    stretch = float(np.exp(rng.normal(0, 0.08))) if rng.random() < 0.6 else 1.0
    steps = max(4, round(width * stretch / step_px))
    if steps * step_px != width:
        pixels = functional.interpolate(
            pixels, size=(height, steps * step_px), mode="bilinear", align_corners=False
        )
        source = (torch.arange(steps) + 0.5) * (frames.shape[1] / steps)
        frames = frames[:, source.long().clamp(max=frames.shape[1] - 1)]
        widths = (widths * (steps * step_px / width)).long().clamp(min=step_px * 4)
    if rng.random() < 0.35:
        pixels = _slant(pixels, float(rng.normal(0, 0.12)))
    if rng.random() < 0.6:
        pixels = reshape_letters(pixels, rng)
    if rng.random() < 0.35:
        pixels = weigh_strokes(pixels, float(rng.uniform(-0.6, 0.8)))
    if rng.random() < 0.2:
        pixels = _soften(pixels, float(rng.uniform(0.1, 0.8)))
    gain = torch.from_numpy(rng.uniform(0.75, 1.25, (count, 1, 1, 1)).astype(np.float32))
    power = torch.from_numpy(rng.uniform(0.75, 1.35, (count, 1, 1, 1)).astype(np.float32))
    pixels = (pixels.clamp(min=1e-4).pow(power) * gain).clamp(0, 1)
    if rng.random() < 0.5:
        sigma = float(rng.uniform(0.01, 0.1))
        pixels = (
            pixels
            + torch.from_numpy(rng.standard_normal(tuple(pixels.shape), dtype=np.float32)) * sigma
        )
    if rng.random() < 0.5:
        shift = int(rng.choice([-3, -2, -1, 1, 2, 3]))
        pixels = torch.roll(pixels, shift, dims=2)
    return pixels, frames, widths


def _slant(pixels: Tensor, slope: float) -> Tensor:
    """Shear lines about half the height of their capitals, as an oblique face is drawn."""
    height, width = pixels.shape[2:]
    # Coordinates of affine_grid run from -1 to 1 over each side.
    theta = torch.tensor([[[1.0, slope * height / width, 0.0], [0.0, 1.0, 0.0]]])
    grid = functional.affine_grid(theta, [1, 1, height, width], align_corners=False)
    return functional.grid_sample(
        pixels, grid.expand(len(pixels), -1, -1, -1), mode="bilinear", align_corners=False
    )


def reshape_letters(pixels: Tensor, rng: np.random.Generator) -> Tensor:
    """Make lines look as if set in other faces: other heights of small letters, other widths.

    Each line is stretched and squeezed by turns along it, and its rows about the top of the small
    letters are moved up or down between the capitals' top and the baseline.
    """
    count, _, height, width = pixels.shape

    def draw(low: float, high: float) -> Tensor:
        return torch.from_numpy(rng.uniform(low, high, (count, 1, 1)).astype(np.float32))

    rows = torch.arange(height, dtype=torch.float32)[None, :, None]
    cols = torch.arange(width, dtype=torch.float32)[None, None, :]
    top, foot = height / 6, height * 0.75  # of capitals
    between = ((rows - top) / (foot - top)).clamp(0, 1)
    rows = rows + draw(-0.055, 0.055) * height * torch.sin(torch.pi * between) ** 2
    wave = 2 * torch.pi * (cols / (height * draw(0.8, 3.5)) + draw(0.0, 1.0))
    cols = cols + draw(0.0, 0.045) * height * torch.sin(wave)
    x = (cols + 0.5) * (2 / width) - 1
    y = (rows + 0.5) * (2 / height) - 1
    grid = torch.stack(torch.broadcast_tensors(x, y), dim=-1)
    return functional.grid_sample(pixels, grid, mode="bilinear", align_corners=False)


def weigh_strokes(pixels: Tensor, weight: float) -> Tensor:
    """Make strokes bolder (weight above 0) or lighter, by up to a pixel on either side."""
    bolder = functional.max_pool2d(pixels, 3, stride=1, padding=1)
    lighter = -functional.max_pool2d(-pixels, 3, stride=1, padding=1)
    other = bolder if weight > 0 else lighter
    return pixels + abs(weight) * (other - pixels)


def _soften(pixels: Tensor, weight: float) -> Tensor:
    """Blur lines along and across by a kernel of five, mixed in by ``weight``."""
    side = torch.tensor([1.0, 4.0, 6.0, 4.0, 1.0]) / 16
    kernel = (side[:, None] * side[None, :])[None, None]
    return pixels + weight * (functional.conv2d(pixels, kernel, padding=2) - pixels)


def make_batches(lines: list[Line], columns: int, rng: np.random.Generator) -> Iterator[list[Line]]:
    """Yield batches of lines of like width in random order, each of about ``columns`` columns."""
    jitter = rng.uniform(0.9, 1.1, len(lines))
    order = sorted(range(len(lines)), key=lambda i: lines[i].image.shape[1] * jitter[i])
    batches: list[list[Line]] = [[]]
    widest = 0
    for i in order:
        width = lines[i].image.shape[1]
        if batches[-1] and max(widest, width) * (len(batches[-1]) + 1) > columns:
            batches.append([])
            widest = 0
        batches[-1].append(lines[i])
        widest = max(widest, width)
    for b in rng.permutation(len(batches)):
        yield batches[b]
