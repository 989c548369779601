"""Judges which text lines of a table are one row, with the whole table in view.

The network of roles looks a few lines far, piece by piece. Here all that speaks for two lines is
weighed together: what each piece says, how far apart the table's lines are, its rules, and how its
lines are filled. A small perceptron makes one chance of it; ``training.joining`` fits it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Rule
from keel_line.rule.assembly import FoundTable
from keel_line.rule.perceptron import MOST_ODDS, load_perceptron, log_odds
from keel_line.rule.pieces import WAYS
from keel_line.rule.roles import BODY, HEADING, Roles
from keel_line.rule.sayings import BEGINS_SMALL, WITH_ABOVE
from keel_line.rule.writing import Writing, box_around, line_middle

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_MODEL = Path(__file__).parent / "data" / "joining.json"
_UP = WAYS.index("up")
_TINY = 1e-4
_RULED = 0.5
_SMALL_AFTER = 4  # where it stands that a small letter follows no full stop
_FULL, _FLUSH_CAPS, _FAR_CAPS = 0.8, 0.5, 9.0

MEASURES = (
    "joins, mean",
    "joins, least",
    "joins, most",
    "joins, line before",
    "joins, line after",
    "joins, lines filled alike",
    "same cell, mean",
    "same cell, most",
    "same cell, pieces",
    "in the table, line before",
    "in the table",
    "heading",
    "step",
    "step to the usual one",
    "step to the widest",
    "step to the next",
    "step to the one before",
    "rule between",
    "rule after",
    "ruled lines",
    "pieces, line before",
    "pieces",
    "pieces to the fullest line, line before",
    "pieces to the fullest line",
    "one piece",
    "first column filled, line before",
    "first column filled",
    "widest piece, line before",
    "widest piece",
    "extent, line before",
    "extent",
    "below a piece",
    "above a piece",
    "room above, least",
    "room above, most",
    "texts known",
    "texts begin small",
    "texts equal",
    "texts of one form",
    "texts of one kind",
    "texts go on",
    "brackets go on",
    "words go on",
    "a text goes on",
)
"""What is measured of each line but the first, and the line before it."""


def judge_joins(
    table: FoundTable, writing: Writing, rules: Sequence[Rule], roles: Roles
) -> FoundTable:
    """Return a table with the chance that each line goes on with the row of the line before.

    Parameters
    ----------
    table
        The table's lines, with what the network thinks of each.
    writing, roles
        What its pieces' numbers refer to.
    rules
        Ruling lines that belong to no ruled table.
    """
    if not table.joins:
        return table
    measures = measure_lines(table, writing, rules, roles)
    chances = load_perceptron(_MODEL).find_chances(measures)
    return replace(table, joins=tuple(chances.tolist()))


def measure_lines(
    table: FoundTable, writing: Writing, rules: Sequence[Rule], roles: Roles
) -> Floats:
    """Measure each line but the first; see ``MEASURES``.

    Returns
    -------
    shape (lines - 1, len(MEASURES))
    """
    counts = np.array([len(line) for line in table.lines], float)
    first = _fill_first(table.lines, writing, counts)
    room = _find_room(table.pieces, writing)
    return np.column_stack(
        [
            _measure_network(table.lines, roles, np.column_stack([counts, first])),
            _measure_steps(table.lines, writing),
            _measure_rules(table, writing, rules),
            _measure_filling(counts, first),
            _measure_extents(table.lines, writing),
            np.array(
                [
                    [*_measure_places(a, b, writing, roles, room), *_measure_texts(b, roles)]
                    for a, b in zip(table.lines[:-1], table.lines[1:], strict=True)
                ]
            ),
        ]
    )


def _measure_network(lines: Sequence[Ints], roles: Roles, filled: Floats) -> Floats:
    """Measure what the network thinks; lines are alike where ``filled``, shape (n, 2), is equal."""
    joins = [log_odds(roles.joins[line]) for line in lines]
    mean = np.array([own.mean() for own in joins])
    same = []
    for above, line in zip(lines[:-1], lines[1:], strict=True):
        under = np.isin(roles.near[line, _UP], above)
        own = log_odds(roles.same_up[line[under]])
        same.append((own.mean() if len(own) else 0.0, own.max(initial=-MOST_ODDS), under.mean()))
    within = np.array([roles.in_table[line].mean() for line in lines])
    lead = np.log(roles.roles[:, HEADING] + _TINY) - np.log(roles.roles[:, BODY] + _TINY)
    _, kind = np.unique(filled[1:], axis=0, return_inverse=True)
    kind = kind.reshape(-1)
    alike = np.bincount(kind, mean[1:]) / np.bincount(kind)
    return np.column_stack(
        [
            mean[1:],
            [own.min() for own in joins[1:]],
            [own.max() for own in joins[1:]],
            np.append(0.0, mean[1:-1]),
            np.append(mean[2:], 0.0),
            alike[kind],
            np.array(same),
            within[:-1],
            within[1:],
            [lead[line].mean() for line in lines[1:]],
        ]
    )


def _measure_steps(lines: Sequence[Ints], writing: Writing) -> Floats:
    """Measure how far each line is below the one before, as such and beside the table's others."""
    middles = np.array([line_middle(writing.boxes[line]) for line in lines])
    steps = np.maximum(np.diff(middles) / writing.cap_px, _TINY)
    ones = np.ones(1)
    after, before = np.append(steps[1:] / steps[:-1], ones), np.append(ones, steps[:-1] / steps[1:])
    return np.column_stack(
        [
            np.log(steps),
            np.log(steps / np.median(steps)),
            np.log(steps / np.quantile(steps, 0.9)),
            np.log(after),
            np.log(before),
        ]
    )


def _measure_rules(table: FoundTable, writing: Writing, rules: Sequence[Rule]) -> Floats:
    """Measure how much of the table's width is ruled between the lines, and below the next one."""
    left, _, right, _ = box_around(writing.boxes[table.pieces])
    middles = np.array([line_middle(writing.boxes[line]) for line in table.lines])
    ruled = np.zeros(len(middles) - 1)
    for rule in rules:
        if rule.direction != "across":
            continue
        at = int(np.searchsorted(middles, rule.at((left + right) / 2))) - 1
        if 0 <= at < len(ruled):
            shared = (min(rule.end, right) - max(rule.start, left)) / max(right - left, 1.0)
            ruled[at] = max(ruled[at], shared)
    share = float((ruled > _RULED).mean())
    return np.column_stack([ruled, np.append(ruled[1:], 1.0), np.full(len(ruled), share)])


def _fill_first(lines: Sequence[Ints], writing: Writing, counts: Floats) -> Floats:
    """Return for each line whether its first column is filled.

    Lines in which nearly all columns are filled show where the second one begins.
    """
    boxes = writing.boxes
    full = [line for line in lines if len(line) >= max(2.0, _FULL * counts.max())]
    if not full:
        return np.ones(len(lines))
    second = float(np.median([boxes[line[1], 0] for line in full]))
    return np.array([boxes[line[0], 0] < second - _FLUSH_CAPS * writing.cap_px for line in lines])


def _measure_filling(counts: Floats, first: Floats) -> Floats:
    share = counts / counts.max()
    return np.column_stack(
        [
            np.log(counts[:-1]),
            np.log(counts[1:]),
            share[:-1],
            share[1:],
            counts[1:] == 1,
            first[:-1],
            first[1:],
        ]
    )


def _measure_extents(lines: Sequence[Ints], writing: Writing) -> Floats:
    """Measure each line's widest piece, and the share of the table's width it spans."""
    boxes = writing.boxes
    ends = np.array([(boxes[line, 0].min(), boxes[line, 2].max()) for line in lines])
    whole = max(float(ends[:, 1].max() - ends[:, 0].min()), 1.0)
    extent = (ends[:, 1] - ends[:, 0]) / whole
    widest = [float((boxes[line, 2] - boxes[line, 0]).max()) / writing.cap_px for line in lines]
    wide = np.log(np.maximum(widest, _TINY))
    return np.column_stack([wide[:-1], wide[1:], extent[:-1], extent[1:]])


def _find_room(pieces: Ints, writing: Writing) -> Floats:
    """Return how much longer than each piece the longest one is that begins at the same place.

    In heights of capitals, by the pieces' numbers; 0 for those of no table.
    """
    boxes = writing.boxes[pieces]
    flush = np.abs(boxes[:, None, 0] - boxes[None, :, 0]) < _FLUSH_CAPS * writing.cap_px
    out = np.zeros(len(writing.boxes))
    out[pieces] = (np.where(flush, boxes[:, 2], -np.inf).max(axis=1) - boxes[:, 2]) / writing.cap_px
    return out


def _measure_places(
    above: Ints, line: Ints, writing: Writing, roles: Roles, room: Floats
) -> list[float]:
    """Measure which pieces are over each other, and the room behind those above."""
    boxes = writing.boxes
    over = (boxes[line, None, 0] < boxes[above, 2]) & (boxes[line, None, 2] > boxes[above, 0])
    upper = roles.near[line, _UP]
    behind = np.minimum(room[upper[np.isin(upper, above)]], _FAR_CAPS)
    return [
        float(over.any(axis=1).mean()),
        float(over.any(axis=0).mean()),
        float(behind.min(initial=_FAR_CAPS)),
        float(behind.max(initial=0.0)) if len(behind) else _FAR_CAPS,
    ]


def _measure_texts(line: Ints, roles: Roles) -> list[float]:
    """Measure whether what the pieces of a line say goes on with what those above say."""
    said = roles.said[line]
    pairs = said[:, WITH_ABOVE]
    known = pairs[:, 0] > 0
    mean = pairs[known, 1:].mean(axis=0) if known.any() else np.zeros(pairs.shape[1] - 1)
    most = float(pairs[known, _SMALL_AFTER].max(initial=0.0))
    return [float(known.mean()), float(said[:, BEGINS_SMALL].max()), *mean.tolist(), most]
