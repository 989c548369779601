"""Judges at which text lines a table begins and ends, with the whole table in view.

The network of roles looks a few lines far, piece by piece. Here a line close to an end is seen
beside the lines further in: what the network thinks of it, how far away it is, the rules, how its
pieces stand under theirs and what they say. A small perceptron makes one chance of it;
``training.ends`` fits it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Rule
from keel_line.rule.assembly import FoundTable, make_table
from keel_line.rule.perceptron import MOST_ODDS, load_perceptron, log_odds
from keel_line.rule.roles import BODY, HEADING, Roles
from keel_line.rule.sayings import BY_ITSELF, WITH_ABOVE, WITH_BELOW, WITH_COLUMN
from keel_line.rule.writing import Writing, box_around, line_middle

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_MODEL = Path(__file__).parent / "data" / "ends.json"
_INSIDE, _BEYOND, _SURE = 4, 3, 2  # lines to judge at an end, and those never judged
_TINY = 1e-4
_MUCH = 1.0  # log odds
_FLUSH_CAPS, _FLUSH_WITH = 0.4, 2
_RULED, _FAR_CAPS, _MOST_CAPS, _MOST_RULES, _MOST_LENGTH = 0.5, 3.0, 8.0, 4, 3.0
TOP, FOOT = -1, 1
_TEXTS = sum(part.stop - part.start for part in (BY_ITSELF, WITH_ABOVE, WITH_COLUMN))

MEASURES = (
    "top or foot",
    "in the table",
    "in the table, least",
    "in the table, most",
    "in the table, line before",
    "in the table, line after",
    "outside",
    "caption",
    "heading",
    "body",
    "note",
    "heading or body",
    "heading or body, line before",
    "begins another table",
    "joins",
    "step",
    "step to the usual one",
    "step to the widest",
    "step to the next",
    "rule before",
    "rule before, length",
    "rule after",
    "rules from here on",
    "ruled lines",
    "rules down",
    "rules down that reach here",
    "pieces",
    "pieces to the usual number",
    "one piece",
    "as many pieces as the line before",
    "flush left",
    "flush right",
    "flush in the middle",
    "beyond the left side",
    "beyond the right side",
    "extent",
    "widest piece",
    "widest piece of the table",
    "widest piece to the table's width",
    "height to the usual one",
    "height, difference",
    "lines",
    "texts known",
    *(f"text, {k}" for k in range(_TEXTS)),
)
"""What is measured of a line.

"Before" it are the lines nearer to the middle of the table, "after" it those further out.
"""


def judge_ends(
    tables: Sequence[FoundTable], writing: Writing, rules: Sequence[Rule], roles: Roles
) -> list[FoundTable]:
    """Return tables that begin and end at the likeliest lines, and how likely each end is wrong.

    At each end up to 4 lines may go, of 3 lines or more, and up to 3 that are in no table may come.

    Parameters
    ----------
    tables
        Tables with what the network thinks of them.
    writing, roles
        What their pieces' numbers refer to.
    rules
        Ruling lines that belong to no ruled table.
    """
    model = load_perceptron(_MODEL)
    out = list(tables)
    for k, table in enumerate(tables):
        free = np.ones(len(writing.boxes), bool)
        for other in (*out[:k], *out[k + 1 :]):
            free[other.pieces] = False
        lines, ends = list(table.lines), [0.0, 0.0]
        for place, side in enumerate((TOP, FOOT)):
            run, first = find_run(lines, side, writing, free)
            if first < len(run):
                odds = model.find_odds(measure_run(run, first, side, writing, rules, roles))
                most = len(lines) - first + _BEYOND
                count, ends[place] = count_likely(odds[:most], len(lines) - first)
                lines = run[: first + count][::side]
        if len(lines) != len(table.lines) or lines[0] is not table.lines[0]:
            out[k] = make_table(lines, writing, roles)
        out[k] = replace(out[k], ends=(ends[0], ends[1]))
    return out


def find_run(
    lines: Sequence[Ints], side: int, writing: Writing, free: NDArray[np.bool_]
) -> tuple[list[Ints], int]:
    """Return a table's lines from the inside out to one ``side``, and those beyond its end.

    Parameters
    ----------
    lines
        Numbers of the pieces of each of its text lines, from the top down.
    side
        ``TOP`` or ``FOOT``.
    writing
        What the numbers refer to.
    free
        Which pieces are in no other table, shape (n,). Lines are taken up to one that holds others.

    Returns
    -------
    list of arrays
        The numbers of the pieces of each line.
    int
        From which one on they are to be judged: from 2 on.
    """
    run = list(lines)[::side]
    boxes = writing.boxes
    left, _, right, _ = box_around(boxes[np.concatenate(run)])
    over = (boxes[:, 0] < right) & (boxes[:, 2] > left)
    beyond = over & ((writing.lines - writing.lines[run[-1][0]]) * side > 0)
    first = max(_SURE, len(run) - _INSIDE)
    for line in np.unique(writing.lines[beyond])[::side][: _BEYOND + 1].tolist():
        own = np.flatnonzero(over & (writing.lines == line))
        if not free[own].all():
            break
        run.append(own[np.argsort(boxes[own, 0])])
    return run, first if len(lines) >= _SURE else len(run)


def count_likely(odds: Floats, found: int) -> tuple[int, float]:
    """Return how many of some lines are a table's, and the chance (0 to 1) that it is not so many.

    ``odds`` are the log odds of each line to be the table's, given that all before it are.
    ``found`` is how many were taken before: it stays where another number is not much likelier.
    """
    within = np.append(0.0, np.cumsum(-np.logaddexp(0.0, -odds)))
    ends = np.append(-np.logaddexp(0.0, odds), 0.0)
    both = within + ends
    best = int(np.argmax(both))
    count = best if both[best] - both[found] > _MUCH else found
    return count, float(-np.expm1(both[count]))


def measure_run(
    run: Sequence[Ints],
    first: int,
    side: int,
    writing: Writing,
    rules: Sequence[Rule],
    roles: Roles,
) -> Floats:
    """Measure the lines of a run from ``first`` on; see :func:`find_run` and ``MEASURES``.

    Each is measured against all those before it.

    Returns
    -------
    shape (len(run) - first, len(MEASURES))
    """
    middles = side * np.array([line_middle(writing.boxes[line]) for line in run])
    out = [
        [
            float(side),
            *_measure_network(run, k, side, roles),
            *_measure_steps(middles, k, writing.cap_px),
            *_measure_rules(run, k, side, middles, writing, rules),
            *_measure_pieces(run, k),
            *_measure_places(run, k, writing),
            float(np.log(k)),
            *_measure_texts(run[k], side, roles),
        ]
        for k in range(first, len(run))
    ]
    return np.array(out).reshape(-1, len(MEASURES))


def _measure_network(run: Sequence[Ints], k: int, side: int, roles: Roles) -> list[float]:
    own, before = run[k], run[k - 1]
    lower = own if side == FOOT else before
    within, thought = log_odds(roles.in_table), np.log(roles.roles + _TINY)
    lead = thought[:, HEADING] - thought[:, BODY]
    return [
        float(within[own].mean()),
        float(within[own].min()),
        float(within[own].max()),
        float(within[before].mean()),
        float(within[run[k + 1]].mean()) if k + 1 < len(run) else -MOST_ODDS,
        *thought[own].mean(axis=0).tolist(),
        float(lead[own].mean()),
        float(lead[before].mean()),
        float(log_odds(roles.begins[lower]).mean()),
        float(log_odds(roles.joins[lower]).mean()),
    ]


def _measure_steps(middles: Floats, k: int, cap: float) -> list[float]:
    """Measure the distance from line ``k`` to the one before, and compare it with others.

    ``middles`` are the heights (px) of the lines' middles, larger from line to line.
    """
    steps = np.maximum(np.diff(middles[: k + 1]), _TINY)
    after = _find_step(middles, k, cap)
    step, inner = float(steps[-1]), steps[:-1]
    usual, widest = float(np.median(inner)), float(inner.max())
    return [float(np.log(r)) for r in (step / cap, step / usual, step / widest, after / step)]


def _find_step(middles: Floats, k: int, cap: float) -> float:
    """Return the distance (px) from line ``k`` to the next; 3 heights of capitals if it is last."""
    known = k + 1 < len(middles)
    return max(float(middles[k + 1] - middles[k]), _TINY) if known else _FAR_CAPS * cap


def _measure_rules(
    run: Sequence[Ints],
    k: int,
    side: int,
    middles: Floats,
    writing: Writing,
    rules: Sequence[Rule],
) -> list[float]:
    """Measure the rules before and after line ``k``, and how many lines before it have rules."""
    cap = writing.cap_px
    left, _, right, _ = box_around(writing.boxes[np.concatenate(run[:k])])
    wide = max(right - left, cap)
    across = [r for r in rules if r.direction == "across"]
    at = side * np.array([r.at((left + right) / 2) for r in across])
    cover = np.array([(min(r.end, right) - max(r.start, left)) / wide for r in across])
    cover, length = np.maximum(cover, 0.0), np.array([r.length / wide for r in across])
    before = (at > middles[k - 1]) & (at < middles[k])
    after = (at > middles[k]) & (at < middles[k] + _find_step(middles, k, cap))
    full = np.sort(at[cover > _RULED])
    parted = np.diff(np.searchsorted(full, middles[:k])) > 0
    y, inner_y = abs(middles[k]), abs(middles[k - 1])
    down = [
        r
        for r in rules
        if r.direction == "down"
        and left - cap < r.at(inner_y) < right + cap
        and r.start - cap < inner_y < r.end + cap
    ]
    reaching = sum(r.start <= y <= r.end for r in down)
    return [
        float(cover[before].max(initial=0.0)),
        min(float(length[before & (cover > 0.0)].max(initial=0.0)), _MOST_LENGTH),
        float(cover[after].max(initial=0.0)),
        float(min((full > middles[k - 1]).sum(), _MOST_RULES)),
        float(parted.mean()),
        float(len(down) > 0),
        reaching / max(len(down), 1),
    ]


def _measure_pieces(run: Sequence[Ints], k: int) -> list[float]:
    count, usual = len(run[k]), float(np.median([len(line) for line in run[:k]]))
    return [
        float(np.log(count)),
        float(np.log(count / usual)),
        float(count == 1),
        float(count == len(run[k - 1])),
    ]


def _measure_places(run: Sequence[Ints], k: int, writing: Writing) -> list[float]:
    """Measure how the pieces of line ``k`` stand under those before it, and how high they are."""
    cap = writing.cap_px
    own, inner = writing.boxes[run[k]], writing.boxes[np.concatenate(run[:k])]
    left, _, right, _ = box_around(inner)
    first, _, last, _ = box_around(own)
    wide = max(right - left, cap)
    widest, widest_inner = (float((b[:, 2] - b[:, 0]).max()) for b in (own, inner))
    high, high_inner = (float(np.median(b[:, 3] - b[:, 1])) / cap for b in (own, inner))
    pairs = zip(_sides(own), _sides(inner), strict=True)
    level = [np.abs(a[:, None] - b[None, :]) < _FLUSH_CAPS * cap for a, b in pairs]
    return [
        *(float((hits.sum(axis=1) >= _FLUSH_WITH).mean()) for hits in level),
        float(np.clip((left - first) / cap, -_MOST_CAPS, _MOST_CAPS)),
        float(np.clip((last - right) / cap, -_MOST_CAPS, _MOST_CAPS)),
        (last - first) / wide,
        *np.log(np.maximum([widest / cap, widest_inner / cap], _TINY)).tolist(),
        widest / wide,
        high - high_inner,
        abs(high - high_inner),
    ]


def _sides(boxes: Floats) -> tuple[Floats, Floats, Floats]:
    """Return the left and right sides of boxes and their middles, shape (n,) each."""
    return boxes[:, 0], boxes[:, 2], (boxes[:, 0] + boxes[:, 2]) / 2


def _measure_texts(line: Ints, side: int, roles: Roles) -> list[float]:
    """Measure the texts of a line, and compare them with the line before and with their columns."""
    said = roles.said[line]
    parts = (BY_ITSELF, WITH_ABOVE if side == FOOT else WITH_BELOW, WITH_COLUMN)
    own = np.concatenate([said[:, part].mean(axis=0) for part in parts])
    return [float(said.any(axis=1).mean()), *own.tolist()]
