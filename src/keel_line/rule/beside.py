"""Tells tables beside each other: every rule stops at the white strip between them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import Rule
from keel_line.rule.roles import Roles
from keel_line.rule.writing import Writing, box_around

_LEAST_HEIGHTS, _LEAST_COLUMNS = 3, 2
_LEVEL_CAPS, _SAME_CAPS, _NEAR_CAPS = 0.6, 1.0, 3.0


def find_strips(rules: Sequence[Rule], writing: Writing) -> list[Box]:
    """Find the white strips between tables beside each other, by the rules across that end there.

    At three heights or more a rule ends at the strip's left side and another one begins at its
    right side; none runs over it. On both sides rules run over two columns or more: short ones
    underline single amounts.
    """
    cap = writing.cap_px
    across = [r for r in rules if r.direction == "across"]
    out = []
    for breaks in _gather(_find_breaks(across, cap), cap):
        left = max(a.end for a, _ in breaks)
        right = min(b.start for _, b in breaks)
        ys = sorted(b.position for _, b in breaks)
        strip = (left, ys[0] - _NEAR_CAPS * cap, right, ys[-1] + _NEAR_CAPS * cap)
        heights = 1 + sum(low - high > cap for high, low in pairwise(ys))
        sides = ([a for a, _ in breaks], [b for _, b in breaks])
        if (
            heights >= _LEAST_HEIGHTS
            and left < right
            and not _crosses(across, strip)
            and all(_count_columns(side, writing, strip) >= _LEAST_COLUMNS for side in sides)
        ):
            out.append(strip)
    return out


def _find_breaks(across: Sequence[Rule], cap: float) -> list[tuple[Rule, Rule]]:
    """Return each rule with the next one that goes on at its height."""
    out = []
    for rule in across:
        after = [
            other
            for other in across
            if other.start > rule.end
            and abs(other.position - rule.at(rule.end)) <= _LEVEL_CAPS * cap
        ]
        if after:
            out.append((rule, min(after, key=lambda r: r.start)))
    return out


def _gather(breaks: Iterable[tuple[Rule, Rule]], cap: float) -> list[list[tuple[Rule, Rule]]]:
    """Group gaps in rules: gaps in a group have nearly the same left end and the same right end."""
    groups: list[list[tuple[Rule, Rule]]] = []
    for left, right in breaks:
        for group in groups:
            first, second = group[0]
            if max(abs(left.end - first.end), abs(right.start - second.start)) <= _SAME_CAPS * cap:
                group.append((left, right))
                break
        else:
            groups.append([(left, right)])
    return groups


def _crosses(across: Iterable[Rule], strip: Box) -> bool:
    """Return whether a rule across runs through the middle of a strip."""
    left, top, right, foot = strip
    middle = (left + right) / 2
    return any(r.start < middle < r.end and top <= r.at(middle) <= foot for r in across)


def _count_columns(rules: Sequence[Rule], writing: Writing, strip: Box) -> int:
    """Count the pieces on each text line level with a strip, and return the greatest count.

    Only pieces between the ends of the rules count.
    """
    middles = (writing.boxes[:, :2] + writing.boxes[:, 2:]) / 2
    first, last = min(r.start for r in rules), max(r.end for r in rules)
    within = (middles[:, 0] > first) & (middles[:, 0] < last)
    within &= (middles[:, 1] > strip[1]) & (middles[:, 1] < strip[3])
    lines = writing.lines[within]
    return int(np.bincount(lines).max()) if len(lines) else 0


def part_at(strips: Sequence[Box], writing: Writing, roles: Roles) -> Roles:
    """Return roles in which what stands right of a strip surely is of another table.

    ``Roles.parted`` of the first piece of each line beyond the strip says so.
    """
    parted = roles.parted.copy()
    x = (writing.boxes[:, 0] + writing.boxes[:, 2]) / 2
    y = (writing.boxes[:, 1] + writing.boxes[:, 3]) / 2
    for left, top, right, foot in strips:
        beyond = np.flatnonzero((x > (left + right) / 2) & (y > top) & (y < foot))
        for line in np.unique(writing.lines[beyond]):
            own = beyond[writing.lines[beyond] == line]
            parted[own[np.argmin(x[own])]] = 1.0
    return replace(roles, parted=parted)


def are_parted(
    left: NDArray[np.int64], right: NDArray[np.int64], writing: Writing, strips: Sequence[Box]
) -> bool:
    """Return whether a strip lies between two groups of pieces, one left and one right of it."""
    _, top, inner, foot = box_around(writing.boxes[left])
    outer, high, _, low = box_around(writing.boxes[right])
    return any(
        inner <= (s[0] + s[2]) / 2 <= outer and s[1] < min(foot, low) and s[3] > max(top, high)
        for s in strips
    )
