"""Finds the caption and the notes of each table, from the roles of the writing around it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.rule.roles import CAPTION, NOTE, Roles
from keel_line.rule.writing import Writing, box_around

Ints = NDArray[np.int64]
_LIKELY = 0.5
_LEAST_CAPTION = 0.35  # a doubtful caption is right more often than none
_NEAR_CAPS, _PAD_CAPS = 5.0, 0.35
_BELOW = 1.5  # captions stand more often above
_WORDS_CAPS, _LEADING_CAPS = 1.8, 1.6


def find_beside(boxes: list[Box], writing: Writing, roles: Roles, role: int) -> list[Box | None]:
    """Return for each table the box around its caption, or its notes; None where it has none.

    ``boxes`` are the tables'; ``role`` is ``CAPTION`` or ``NOTE``. Lines of that role that stand
    close below each other go to the table that they stand nearest to, above or below it. A table
    has one caption: the nearest.
    """
    cap = writing.cap_px
    chosen = roles.roles.argmax(axis=1) == role
    if role == CAPTION:
        chosen |= (roles.roles[:, role] > _LEAST_CAPTION) & (roles.in_table <= _LIKELY)
    runs = [run for run in _find_runs(writing, roles) if chosen[run].any()]
    own: list[list[tuple[float, Ints]]] = [[] for _ in boxes]
    for block in _find_blocks(runs, writing):
        pieces = block if role == CAPTION else block[chosen[block]]
        x0, y0, x1, y1 = box_around(writing.boxes[pieces])
        best, nearest = -1, _NEAR_CAPS * cap * (2 if role == NOTE else 1)
        for k, box in enumerate(boxes):
            if min(box[2], x1) - max(box[0], x0) <= 0:
                continue
            away = max(box[1] - y1, y0 - box[3], 0.0)
            if role == CAPTION and y0 > box[3]:
                away *= _BELOW
            if away < nearest:
                best, nearest = k, away
        if best >= 0:
            own[best].append((nearest, pieces))
    out: list[Box | None] = []
    pad = _PAD_CAPS * cap
    for blocks in own:
        if not blocks:
            out.append(None)
            continue
        kept = sorted(blocks, key=lambda block: block[0])[: 1 if role == CAPTION else None]
        x0, y0, x1, y1 = box_around(writing.boxes[np.concatenate([block for _, block in kept])])
        out.append((x0 - pad, y0 - pad, x1 + pad, y1 + pad))
    return out


def _find_blocks(runs: list[Ints], writing: Writing) -> list[Ints]:
    """Make blocks of runs that stand close below each other; return the pieces of each block."""
    blocks: list[tuple[Ints, Box]] = []
    for run in runs:  # from the top down
        box = box_around(writing.boxes[run])
        for k, (above, last) in enumerate(blocks):
            beside = min(last[2], box[2]) - max(last[0], box[0]) > 0
            if beside and box[1] - last[3] <= _LEADING_CAPS * writing.cap_px:
                blocks[k] = (np.concatenate([above, run]), box)
                break
        else:
            blocks.append((run, box))
    return [block for block, _ in blocks]


def _find_runs(writing: Writing, roles: Roles) -> list[Ints]:
    """Return the runs of pieces outside tables that stand close to each other on a line."""
    out: list[Ints] = []
    outside = roles.in_table <= _LIKELY
    for line in np.unique(writing.lines):
        own = np.flatnonzero((writing.lines == line) & outside)
        own = own[np.argsort(writing.boxes[own, 0])]
        gaps = writing.boxes[own[1:], 0] - writing.boxes[own[:-1], 2]
        out += np.split(own, np.flatnonzero(gaps > _WORDS_CAPS * writing.cap_px) + 1)
    return [run for run in out if len(run)]
