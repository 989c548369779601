"""Finds each table's caption, or the title above it, and its notes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.rule.roles import CAPTION, NOTE, Roles
from keel_line.rule.sayings import (
    BEGINS_LARGE,
    ENDS_AS_TEXT,
    IS_KNOWN,
    NOTE_OR_ITEM,
    SPACES,
)
from keel_line.rule.writing import Writing, box_around, lie_outside

Ints = NDArray[np.int64]
_LIKELY = 0.5
_LEAST_CAPTION = 0.35  # a doubtful caption is right more often than none
_NEAR_CAPS, _PAD_CAPS = 5.0, 0.35
_BELOW = 1.5  # captions stand more often above
_WORDS_CAPS, _LEADING_CAPS = 1.8, 1.6
_TITLE_CAPS, _MOST_LINES, _ASIDE_CAPS = 2.6, 3, 2.5
_AS_CLOSE, _TALL_CAPS, _SHORT = 1.3, 2.0, 0.75
_LEAST_UPPER = 0.2  # how likely each line above a title's lowest is a caption at least


def find_beside(
    boxes: list[Box], writing: Writing, roles: Roles, role: int, taken: Sequence[Box] = ()
) -> list[Box | None]:
    """Return for each table the box around its caption, or its notes; None where it has none.

    ``boxes`` are the tables'; ``role`` is ``CAPTION`` or ``NOTE``. Lines of that role that stand
    close below each other go to the table that they stand nearest to, above or below it. A table
    has one caption: the nearest. What lies in ``taken`` is left out.
    """
    cap = writing.cap_px
    chosen = roles.roles.argmax(axis=1) == role
    if role == CAPTION:
        chosen |= (roles.roles[:, role] > _LEAST_CAPTION) & (roles.in_table <= _LIKELY)
    outside = (roles.in_table <= _LIKELY) & lie_outside(writing.boxes, taken)
    runs = [run for run in _find_runs(writing, outside) if chosen[run].any()]
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
    for blocks in own:
        kept = sorted(blocks, key=lambda block: block[0])[: 1 if role == CAPTION else None]
        pieces = [piece for _, block in kept for piece in block]
        out.append(_pad(writing.boxes[pieces], cap) if pieces else None)
    return out


def find_titles(boxes: Sequence[Box], writing: Writing, roles: Roles) -> list[Box | None]:
    """Return for each table the box around the lines close above it, 3 at most, or None.

    They are its title where nothing is its caption. What ends as a sentence does is none; above
    the lowest line, what is hardly a caption is none.
    """
    cap = writing.cap_px
    runs = _find_runs(writing, lie_outside(writing.boxes, boxes))
    lines = [box_around(writing.boxes[run]) for run in runs]
    likely = [float(roles.roles[run, CAPTION].mean()) for run in runs]
    upwards = sorted(range(len(runs)), key=lambda n: -lines[n][3])
    out: list[Box | None] = []
    for left, top, right, _ in boxes:
        over = [b[3] for b in boxes if b[3] < top and b[0] < right and b[2] > left]
        chosen: list[int] = []
        foot, near, least = top, _TITLE_CAPS, 0.0
        for number in upwards:
            x0, y0, x1, y1 = lines[number]
            beside = x0 >= right + _ASIDE_CAPS * cap or x1 <= left - _ASIDE_CAPS * cap
            if beside or (y0 + y1) / 2 > top or y0 < max(over, default=-np.inf):
                continue
            if foot - y1 > near * cap or likely[number] < least:
                break
            if not chosen and roles.said[runs[number][-1], list(ENDS_AS_TEXT)].any():
                break
            chosen.append(number)
            foot, near, least = min(foot, y0), _LEADING_CAPS, _LEAST_UPPER
        if not 0 < len(chosen) <= _MOST_LINES:
            out.append(None)
            continue
        x0, y0, x1, y1 = _pad(np.array([lines[number] for number in chosen]), cap)
        out.append((x0, y0, x1, min(y1, top)))
    return out


def find_titles_below(
    boxes: Sequence[Box], writing: Writing, roles: Roles, taken: Sequence[Box]
) -> list[Box | None]:
    """Return for each table the box around the line close below it that reads as a title, or None.

    Such a line begins with a capital and has several words, and it is neither a sentence nor a
    note. It ends where there is room for more, and what follows is hardly closer than the table.
    ``taken`` are the captions of others.
    """
    cap = writing.cap_px
    runs = _find_runs(writing, lie_outside(writing.boxes, [*boxes, *taken]))
    lines = [box_around(writing.boxes[run]) for run in runs]
    out: list[Box | None] = []
    for left, _, right, foot in boxes:
        below = [
            n
            for n, (x0, y0, x1, y1) in enumerate(lines)
            if (y0 + y1) / 2 > foot and x0 < right and x1 > left
        ]
        first = min(below, key=lambda n: lines[n][1], default=-1)
        if first < 0 or not _reads_as_title(runs[first], roles):
            out.append(None)
            continue
        _, y0, x1, y1 = lines[first]
        tops = [b[1] for b in (*boxes, *(lines[n] for n in below)) if b[1] > (y0 + y1) / 2]
        after = min(tops, default=np.inf) - y1
        wide = max((lines[n][2] for n in below if lines[n][1] - y1 <= after), default=right)
        fits = (
            y0 - foot <= min(_TITLE_CAPS * cap, _AS_CLOSE * after)
            and y1 - y0 <= _TALL_CAPS * cap
            and x1 - left <= _SHORT * (max(wide, right) - left)
        )
        out.append(_pad(writing.boxes[runs[first]], cap) if fits else None)
    return out


def _reads_as_title(run: Ints, roles: Roles) -> bool:
    """Return whether a line is thought to be a caption or a note, and is worded as a title."""
    if roles.roles[run][:, [CAPTION, NOTE]].sum(axis=1).mean() < _LIKELY:
        return False
    said = roles.said[run]
    whole = bool(said[:, IS_KNOWN].all() and said[0, BEGINS_LARGE] and said[:, SPACES].sum() > 0)
    return whole and not (said[0, list(NOTE_OR_ITEM)].any() or said[-1, list(ENDS_AS_TEXT)].any())


def _pad(boxes: NDArray[np.float64], cap: float) -> Box:
    """Return the box around several boxes, a little larger on each side."""
    x0, y0, x1, y1 = box_around(boxes)
    pad = _PAD_CAPS * cap
    return (x0 - pad, y0 - pad, x1 + pad, y1 + pad)


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


def _find_runs(writing: Writing, outside: NDArray[np.bool_]) -> list[Ints]:
    """Return runs of the pieces that are ``outside``: close neighbours on one line."""
    out: list[Ints] = []
    for line in np.unique(writing.lines):
        own = np.flatnonzero((writing.lines == line) & outside)
        own = own[np.argsort(writing.boxes[own, 0])]
        gaps = writing.boxes[own[1:], 0] - writing.boxes[own[:-1], 2]
        out += np.split(own, np.flatnonzero(gaps > _WORDS_CAPS * writing.cap_px) + 1)
    return [run for run in out if len(run)]
