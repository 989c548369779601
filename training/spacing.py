"""Fit the judge of spaces on pages of the training faces, read by the product's own pipeline.

Run as ``python -m training.spacing`` after ``training.export``; calibrate after it.
"""

from __future__ import annotations

import json
import logging
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import click
import cv2
import msgspec
import numpy as np
import torch
from numpy.typing import NDArray
from torch import nn
from torch.nn import functional

from keel_line._shared.paper import flatten_light
from keel_line.read.cells import prepare_grid
from keel_line.read.decode import decode_line
from keel_line.read.looks import look_again
from keel_line.read.network import DATA_DIR, Network
from keel_line.read.reader import measure_table_gaps
from keel_line.read.spaces import (
    GAP_FEATURES,
    LineGaps,
    SpaceModel,
    judge_gaps,
    measure_gap_features,
    measure_setting,
)
from synth.faces import Split
from synth.laying import pair_texts, split_lines
from training.pages import CONDITIONS, lay_page

log = logging.getLogger(__name__)

_SEED = {"train": 505, "val": 506, "held": 507}
_HIDDEN = 24
_SMALL_TABLE_LINES = 3
_EPOCHS = 30
_PENALTY = 1e-4


def gather_gaps(split: Split, seed: int) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Read one made page; return the features of its gaps and whether each is a space.

    Lines that were read with a character too many or too few are left out: their gaps cannot be
    laid beside the truth.
    """
    cv2.setNumThreads(1)
    page, squared, grids = lay_page(split, _SEED[split], seed)
    features, spaced = [np.zeros((0, GAP_FEATURES))], [np.zeros(0, bool)]
    network = Network(threads=1)
    flat = flatten_light(squared.pixels)
    for grid, texts in zip(grids, pair_texts(grids, page.tables), strict=True):
        if texts is None:
            continue
        cells = prepare_grid(flat, squared.dpi, grid, network.recipe.line)
        pictures = [p for cell in cells for p in cell.pictures]
        probs = network.run(pictures)
        decoded = [decode_line(p, network.recipe.alphabet) for p in probs]
        each = iter(zip(look_again(pictures, probs, decoded, network), probs, strict=True))
        own = [[next(each) for _ in cell.pictures] for cell in cells]
        gaps, _ = measure_table_gaps(
            cells, [[d for d, _ in o] for o in own], [[p for _, p in o] for o in own], network
        )
        lines: list[tuple[LineGaps, str | None]] = []
        for text, found in zip(texts, gaps, strict=True):
            unknown: list[str | None] = [None] * len(found)
            lines += zip(found, split_lines(text, len(found)) or unknown, strict=True)
        for group in _as_tables(lines):
            setting = measure_setting([line for line, _ in group])
            for line, said in group:
                if said and len(line.text) == len(said.replace(" ", "")) >= 2:
                    features.append(measure_gap_features(line, setting))
                    spaced.append(find_spaces(said))
    return np.concatenate(features), np.concatenate(spaced)


def _as_tables(
    lines: Sequence[tuple[LineGaps, str | None]],
) -> list[Sequence[tuple[LineGaps, str | None]]]:
    """Return a table's lines, and every other three of them as a table of their own.

    In a small table there is little to learn from of how its letters are set.
    """
    return [
        lines,
        *(lines[i : i + _SMALL_TABLE_LINES] for i in range(0, len(lines), 2 * _SMALL_TABLE_LINES)),
    ]


def find_spaces(text: str) -> NDArray[np.bool_]:
    """Return whether a space stands between each two neighbours among a text's other characters."""
    glyphs = [i for i, char in enumerate(text) if char != " "]
    return np.diff(glyphs) > 1


def fit(features: NDArray[np.float64], spaced: NDArray[np.bool_]) -> dict[str, object]:
    """Fit a network of one hidden layer; return it as the product's model file has it."""
    torch.manual_seed(1974)
    middle, scale = features.mean(axis=0), features.std(axis=0) + 1e-6
    x = torch.from_numpy(np.clip((features - middle) / scale, -8, 8)).float()
    y = torch.from_numpy(spaced).float()
    net = nn.Sequential(nn.Linear(GAP_FEATURES, _HIDDEN), nn.ReLU(), nn.Linear(_HIDDEN, 1))
    optimiser = torch.optim.AdamW(net.parameters(), lr=5e-3, weight_decay=_PENALTY)
    schedule = torch.optim.lr_scheduler.CosineAnnealingLR(optimiser, _EPOCHS)
    for _ in range(_EPOCHS):
        for rows in torch.randperm(len(x)).split(512):
            optimiser.zero_grad()
            functional.binary_cross_entropy_with_logits(net(x[rows])[:, 0], y[rows]).backward()
            optimiser.step()
        schedule.step()
    inner, out = net[0], net[2]
    return {
        "middle": np.round(middle, 5).tolist(),
        "scale": np.round(scale, 5).tolist(),
        "hidden": np.round(inner.weight.detach().numpy(), 4).tolist(),
        "hidden_bias": np.round(inner.bias.detach().numpy(), 4).tolist(),
        "out": np.round(out.weight.detach().numpy()[0], 4).tolist(),
        "out_bias": round(float(out.bias.detach()[0]), 4),
    }


def choose_pages(pages: int, copies: int) -> list[int]:
    """Return the numbers of the first pages, and of so many photocopies beyond them.

    Copies of which thin strokes are lost have gaps that no others have, and few are among the rest.
    """
    copy = CONDITIONS.index("copy")
    first = pages + (copy - pages) % len(CONDITIONS)
    return [*range(pages), *(first + len(CONDITIONS) * i for i in range(copies))]


def gather(
    split: Split, pages: Sequence[int], workers: int
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Gather the gaps of pages with these numbers."""
    with ProcessPoolExecutor(workers) as pool:
        found = list(pool.map(gather_gaps, [split] * len(pages), pages))
    return np.concatenate([f for f, _ in found]), np.concatenate([s for _, s in found])


@click.command()
@click.option("--pages", default=120, show_default=True)
@click.option("--copies", default=50, show_default=True, help="Photocopies besides.")
@click.option("--checks", default=40, show_default=True, help="Validation pages to measure on.")
@click.option("--workers", default=2, show_default=True)
@click.option("--into", type=click.Path(path_type=Path), default=DATA_DIR / "spaces.json")
def main(pages: int, copies: int, checks: int, workers: int, into: Path) -> None:
    """Fit the judge of spaces and write it beside the weights."""
    logging.basicConfig(level=logging.INFO, format="%(message)s")
    torch.set_num_threads(1)
    features, spaced = gather("train", choose_pages(pages, copies), workers)
    model = fit(features, spaced)
    model["fitted_on"] = (
        f"{len(spaced)} gaps of {pages} made pages of the training faces, {copies} copies besides"
    )
    into.write_text(json.dumps(model), encoding="utf-8")
    report("training", features, spaced, into)
    if checks:
        report("validation", *gather("val", range(checks), workers), into)


def report(name: str, features: NDArray[np.float64], spaced: NDArray[np.bool_], file: Path) -> None:
    """Log how many gaps are judged wrong, before and now."""
    model = msgspec.json.decode(file.read_bytes(), type=SpaceModel)
    judged = judge_gaps(model, features) > 0.5
    before = features[:, 1] > 0.5
    log.info(
        "%s: %d gaps, %d spaces; wrong before %d, now %d",
        name,
        len(spaced),
        spaced.sum(),
        (before != spaced).sum(),
        (judged != spaced).sum(),
    )


if __name__ == "__main__":
    main()
