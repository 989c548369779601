"""Ruling lines that are typed: rows of hyphens or underscores, and bars above each other."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Rule
from keel_line.model.page import PageText

_ACROSS = frozenset("-=_~\u2010\u2011\u2212\u2013\u2014\u2015\u2500\u2501\u2550")
_DOTS = frozenset(".\u00b7")
_CROSSES = frozenset("+\u251c\u2524\u252c\u2534\u253c\u250c\u2510\u2514\u2518")
_BARS = frozenset("|!:\u00a6\u2502\u2503\u2551")
_LEAST_ALONE, _LEAST_BESIDE, _LEAST_BARS = 3, 8, 3
_LEVEL, _TOUCH, _ABOVE, _NEXT_LINE = 0.35, 0.7, 0.3, 4.6
_THICK, _LOW = 0.12, 0.12


def take_typed_rules(text: PageText) -> PageText:
    """Return a page's text with its typed rules as ruling lines, and not as characters.

    Across: at least 3 hyphens or the like in a row on a line that holds nothing else (at least one
    row of them, the others may be shorter), or 8 beside other words. Down: at least 3 bars above
    each other on lines that follow each other, such rules across between them or not. Bars without
    white on either side are part of a word, unless other bars stand on the same lines.
    """
    if not _ACROSS.intersection(text.chars) and not _BARS.intersection(text.chars):
        return text
    lines = list(_find_lines(text.boxes))
    taken = np.zeros(len(text.chars), bool)
    rules: list[Rule] = []
    for line in lines:
        for run in _find_across(text, line):
            taken[run] = True
            rules.append(_make_across(text, run))
    for run in _find_bars(text, lines):
        taken[run] = True
        rules.append(_make_down(text.boxes[run]))
    if not rules:
        return text
    kept = np.flatnonzero(~taken)
    spaced = text.spaced.copy()
    after = np.flatnonzero(taken[:-1] & ~taken[1:]) + 1
    spaced[after] = True  # what stood on both sides of a bar is not one word
    return PageText(
        "".join(text.chars[k] for k in kept),
        text.boxes[kept],
        spaced[kept],
        (*text.rules, *rules),
        text.is_turned[kept],
    )


def _find_lines(boxes: NDArray[np.float64]) -> Iterator[NDArray[np.int64]]:
    """Yield the characters of each baseline, from the left, the lines from the top down."""
    if not len(boxes):
        return
    high = boxes[:, 3] - boxes[:, 1]
    order = np.argsort(boxes[:, 3], kind="stable")
    new = np.diff(boxes[order, 3]) > _LEVEL * np.median(high)
    for line in np.split(order, np.flatnonzero(new) + 1):
        yield line[np.argsort(boxes[line, 0], kind="stable")]


def _find_across(text: PageText, line: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    """Return the runs of characters of a line that are rules across."""
    chars = [text.chars[k] for k in line]
    signs = np.array([c in _ACROSS or c in _CROSSES for c in chars])
    dotted = np.array([s or c in _DOTS for s, c in zip(signs, chars, strict=True)])
    if len(line) >= _LEAST_BESIDE and all(
        d or c in _BARS for d, c in zip(dotted, chars, strict=True)
    ):
        signs = dotted
    if not signs.any():
        return []
    alone = all(s or c in _BARS for s, c in zip(signs, chars, strict=True))
    cap = float(np.median(text.boxes[line, 3] - text.boxes[line, 1]))
    gaps = text.boxes[line[1:], 0] - text.boxes[line[:-1], 2]
    parts = np.split(np.arange(len(line)), np.flatnonzero(gaps > _TOUCH * cap) + 1)
    runs = []
    for part in parts:
        split = np.split(part, np.flatnonzero(np.diff(signs[part].astype(int))) + 1)
        runs += [o for o in split if signs[o[0]] and any(chars[k] not in _CROSSES for k in o)]
    longest = max((len(own) for own in runs), default=0)
    if alone and longest >= _LEAST_ALONE:
        # A sign by itself is a rule where others show that the whole line is one.
        return [line[own] for own in runs if longest > _LEAST_ALONE or len(own) == longest]
    return [line[own] for own in runs if len(own) >= _LEAST_BESIDE]


def _make_across(text: PageText, run: NDArray[np.int64]) -> Rule:
    boxes = text.boxes[run]
    cap = float(np.median(boxes[:, 3] - boxes[:, 1]))
    base = float(np.median(boxes[:, 3]))
    low = text.chars[run[0]] == "_"
    at = base + _LOW * cap if low else base - cap / 2
    return Rule(
        "across", float(boxes[0, 0]), float(boxes[-1, 2]), at, 0.0, max(1.0, _THICK * cap), 1.0
    )


def _find_bars(text: PageText, lines: list[NDArray[np.int64]]) -> list[NDArray[np.int64]]:
    """Return the runs of bars that stand above each other."""
    bars = [k for line in lines for k in line.tolist() if text.chars[k] in _BARS]
    open_runs: list[list[int]] = []
    done: list[list[int]] = []
    for bar in bars:
        x0, _, x1, foot = text.boxes[bar]
        cap = float(text.boxes[bar, 3] - text.boxes[bar, 1])
        for run in open_runs:
            other = text.boxes[run[-1]]
            off = abs((other[0] + other[2]) - (x0 + x1)) / 2
            if (
                off <= _ABOVE * cap
                and text.chars[run[-1]] == text.chars[bar]
                and _LEVEL * cap < foot - other[3] <= _NEXT_LINE * cap
            ):
                run.append(bar)
                break
        else:
            open_runs.append([bar])
        gone = [r for r in open_runs if foot - text.boxes[r[-1], 3] > _NEXT_LINE * cap]
        done += gone
        open_runs = [r for r in open_runs if r not in gone]
    found = [np.array(r, np.int64) for r in (*done, *open_runs) if len(r) >= _LEAST_BARS]
    sure = [r for r in found if _are_bars(text, r)]
    # A bar stands beside itself, too.
    return [
        r
        for r in found
        if (_are_bars(text, r) if text.chars[r[0]] == ":" else _is_beside(text.boxes, r, sure))
    ]


def _are_bars(text: PageText, run: NDArray[np.int64]) -> bool:
    """Return whether signs above each other are bars: some have white on one side.

    Otherwise they belong to the words that they stand in. Colons need white before all of them,
    and after some: "Port:" and ":port" are words.
    """
    spaced = np.append(text.spaced, True)  # white follows the last sign
    before, after = spaced[run], spaced[run + 1]
    if text.chars[run[0]] == ":":
        return bool(before.all() and after.any())
    return bool((before | after).any())


def _is_beside(
    boxes: NDArray[np.float64], run: NDArray[np.int64], bars: list[NDArray[np.int64]]
) -> bool:
    """Return whether a column of ``bars`` stands on every line that ``run`` stands on."""
    feet = boxes[run, 3]
    return any(boxes[b, 3].min() <= feet.min() and boxes[b, 3].max() >= feet.max() for b in bars)


def _make_down(boxes: NDArray[np.float64]) -> Rule:
    """Return the rule of bars above each other, half a line longer at either end."""
    pitch = float(np.median([b[3] - a[3] for a, b in pairwise(boxes)]))
    cap = float(np.median(boxes[:, 3] - boxes[:, 1]))
    x = float(np.median((boxes[:, 0] + boxes[:, 2]) / 2))
    rest = max(0.0, (pitch - cap) / 2)
    top, foot = float(boxes[:, 1].min()) - rest, float(boxes[:, 3].max()) + rest
    return Rule("down", top, foot, x, 0.0, max(1.0, _THICK * cap), 1.0)
