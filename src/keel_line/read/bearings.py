"""Side bearings: the room that a table's characters leave on either side, learnt from its gaps.

A gap is as wide as the left character's room behind it and the right one's before it: AV stand
close, IL far apart. What a gap has beyond that is a space's, however narrow a face sets its words.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

_LEAST_GAPS = 12
_ROUNDS = 3
_RIDGE = 1.0  # gaps' worth of a character without any room of its own
_FAR = 0.25  # in capitals: gaps this far off are no gaps between letters
_LEAST_NOISE = 0.01
_USUAL_NOISE = 0.1

Gap = tuple[str, str, float]
"""The characters on either side of a gap, and its width over the height of capitals."""


@dataclass(frozen=True)
class Bearings:
    """The room that characters leave, over the height of capitals.

    Attributes
    ----------
    usual
        Median gap.
    behind, before
        What each character adds to the gap on its right, on its left.
    seen_behind, seen_before
        On how many gaps that rests.
    noise
        Root mean square of what the gaps differ from what is expected of them.
    """

    usual: float
    behind: Mapping[str, float] = field(default_factory=dict)
    before: Mapping[str, float] = field(default_factory=dict)
    seen_behind: Mapping[str, int] = field(default_factory=dict)
    seen_before: Mapping[str, int] = field(default_factory=dict)
    noise: float = _USUAL_NOISE

    def expect(self, left: str, right: str) -> float:
        """Return how wide a gap between two characters is expected to be."""
        return self.usual + self.behind.get(left, 0.0) + self.before.get(right, 0.0)

    def count(self, left: str, right: str) -> int:
        """Return the number of gaps behind an estimate, for the rarer of two characters."""
        return min(self.seen_behind.get(left, 0), self.seen_before.get(right, 0))


def measure_bearings(gaps: Sequence[Gap], usual: float) -> Bearings:
    """Fit the bearings of a table's characters to its gaps within words.

    Least squares with a ridge penalty, the gaps that lie far off left out by turns. Where there are
    few gaps every one is expected to be as wide as ``usual``.
    """
    if len(gaps) < _LEAST_GAPS:
        return Bearings(usual)
    lefts, left = np.unique([gap[0] for gap in gaps], return_inverse=True)
    rights, right = np.unique([gap[1] for gap in gaps], return_inverse=True)
    width = np.array([gap[2] for gap in gaps])
    middle = float(np.median(width))
    room, off = np.zeros(len(lefts) + len(rights)), np.zeros(len(gaps))
    near = np.ones(len(gaps), np.bool_)
    for _ in range(_ROUNDS):
        if near.sum() < _LEAST_GAPS:
            near[:] = True
        room = _solve(
            left[near],
            len(lefts) + right[near],
            width[near] - middle,
            len(lefts) + len(rights),
        )
        off = width - middle - room[left] - room[len(lefts) + right]
        near = np.abs(off) < _FAR
    seen_left = np.bincount(left[near], minlength=len(lefts))
    seen_right = np.bincount(right[near], minlength=len(rights))
    return Bearings(
        middle,
        dict(zip(lefts.tolist(), room.tolist(), strict=False)),
        dict(zip(rights.tolist(), room[len(lefts) :].tolist(), strict=True)),
        dict(zip(lefts.tolist(), seen_left.tolist(), strict=True)),
        dict(zip(rights.tolist(), seen_right.tolist(), strict=True)),
        float(np.sqrt(np.mean(off[near] ** 2))) + _LEAST_NOISE if near.any() else _USUAL_NOISE,
    )


def _solve(
    left: NDArray[np.intp], right: NDArray[np.intp], over: NDArray[np.float64], size: int
) -> NDArray[np.float64]:
    """Return each character's room on each side, from how gaps differ from the usual one."""
    normal = _RIDGE * np.eye(size)
    wanted = np.zeros(size)
    for a, b in ((left, left), (right, right), (left, right), (right, left)):
        np.add.at(normal, (a, b), 1.0)
    np.add.at(wanted, left, over)
    np.add.at(wanted, right, over)
    return np.asarray(np.linalg.solve(normal, wanted), np.float64)
