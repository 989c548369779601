"""Finds typed ruling lines on paper: bars above each other, and rows of hyphens or the like."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Rule
from keel_line.rule.writing import Writing, find_bars

_FLAT_CAPS, _FLAT_WIDE_CAPS, _FLAT_LETTERS = 0.7, 6.0, 0.45
_ABOVE_CAPS, _NEXT_LINE_CAPS, _LEAST_BARS = 0.3, 4.5, 4
_THICK_CAPS = 0.12


def take_typed_rules(writing: Writing) -> tuple[Writing, list[Rule]]:
    """Return a page's writing without its typed rules, and these as ruling lines.

    Down: at least 4 narrow pieces above each other on lines that follow each other. Across: long
    pieces all of whose letters are flat.
    """
    if not len(writing.boxes):
        return writing, []
    cap = writing.cap_px
    taken = np.zeros(len(writing.boxes), bool)
    rules = []
    for run in _find_bars(writing, cap):
        taken[run] = True
        rules.append(_make_down(writing.boxes[run], cap))
    for k in _find_flat(writing, cap):
        taken[k] = True
        x0, y0, x1, y1 = writing.boxes[k].tolist()
        rules.append(Rule("across", x0, x1, (y0 + y1) / 2, 0.0, max(1.0, _THICK_CAPS * cap), 1.0))
    if not rules:
        return writing, []
    kept = ~taken
    return replace(writing, boxes=writing.boxes[kept], lines=writing.lines[kept]), rules


def _find_bars(writing: Writing, cap: float) -> list[NDArray[np.int64]]:
    """Return the runs of bars, taller than capitals, or of colons that stand above each other."""
    boxes = writing.boxes
    order = np.flatnonzero(find_bars(boxes, writing.letters, cap))
    middles = (boxes[:, :2] + boxes[:, 2:]) / 2
    runs: list[list[int]] = []
    for k in order[np.argsort(middles[order, 1], kind="stable")].tolist():
        for run in runs:
            off, apart = np.abs(middles[k] - middles[run[-1]]).tolist()
            if off <= _ABOVE_CAPS * cap and apart <= _NEXT_LINE_CAPS * cap:
                run.append(k)
                break
        else:
            runs.append([k])
    return [np.array(r, np.int64) for r in runs if len(r) >= _LEAST_BARS]


def _make_down(boxes: NDArray[np.float64], cap: float) -> Rule:
    """Return the rule of bars above each other, half the white between them longer at the ends."""
    white = float(np.median([max(0.0, b[1] - a[3]) for a, b in pairwise(boxes)]))
    x = float(np.median((boxes[:, 0] + boxes[:, 2]) / 2))
    top, foot = float(boxes[:, 1].min()) - white / 2, float(boxes[:, 3].max()) + white / 2
    return Rule("down", top, foot, x, 0.0, max(1.0, _THICK_CAPS * cap), 1.0)


def _find_flat(writing: Writing, cap: float) -> list[int]:
    """Return the long pieces that hold flat letters alone."""
    wide = writing.boxes[:, 2] - writing.boxes[:, 0]
    high = writing.boxes[:, 3] - writing.boxes[:, 1]
    middles = (writing.letters[:, :2] + writing.letters[:, 2:]) / 2
    tall = writing.letters[:, 3] - writing.letters[:, 1] > _FLAT_LETTERS * cap
    out = []
    for k in np.flatnonzero((wide >= _FLAT_WIDE_CAPS * cap) & (high <= _FLAT_CAPS * cap)).tolist():
        box = writing.boxes[k]
        inside = ((middles >= box[:2]) & (middles <= box[2:])).all(axis=1)
        if inside.any() and not tall[inside].any():
            out.append(k)
    return out
