"""How well a network reads prepared lines, in all and by group, condition and family."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

import torch
from torch import nn

from synth.scoring import edit_distance
from training.config import ALPHABET, TrainConfig
from training.data import Line, collate


@dataclass(frozen=True)
class Score:
    """One line's reading held against its truth; ``errors`` counts edits."""

    line: Line
    text: str
    errors: int


def read_greedily(classes: Iterable[int]) -> str:
    """Collapse the best class of each step into text: repeats merge, blanks drop."""
    out: list[str] = []
    last = 0
    for c in classes:
        if c not in (0, last):
            out.append(ALPHABET[c - 1])
        last = c
    return "".join(out)


def score_lines(net: nn.Module, lines: list[Line], batch: int = 64) -> list[Score]:
    """Read every line greedily and hold it against its truth."""
    net.eval()
    step = TrainConfig().recipe.step
    order = sorted(lines, key=lambda line: line.image.shape[1])
    scores = []
    with torch.inference_mode():
        for start in range(0, len(order), batch):
            chosen = order[start : start + batch]
            data = collate(chosen, None)
            best = net(data.pixels).argmax(dim=2)
            for line, row, width in zip(chosen, best, data.widths, strict=True):
                text = read_greedily(row[: int(width) // step].tolist()).strip()
                scores.append(Score(line, text, edit_distance(text, line.text)))
    return scores


def summarise(scores: list[Score]) -> dict[str, dict[str, float]]:
    """Return characters wrong and lines right (both in percent), in all and by kind."""
    kinds: dict[str, list[Score]] = defaultdict(list)
    for score in scores:
        kinds["all"].append(score)
        kinds[score.line.group].append(score)
        kinds[score.line.condition].append(score)
    return {
        kind: {
            "wrong": round(
                100 * sum(s.errors for s in own) / max(1, sum(len(s.line.text) for s in own)), 2
            ),
            "right": round(100 * sum(s.errors == 0 for s in own) / len(own), 2),
            "lines": len(own),
        }
        for kind, own in kinds.items()
    }
