"""Repeated values of a column: where the ink is undecided, a known value is likelier.

A register names the same vessels and goods on every line. A reading that is word for word what
other cells of its column say is likelier than one that nearly is. How much so follows from how
often the column repeats itself, and from how near its own values lie to each other: running
numbers differ in one figure, and lend no weight to their neighbours.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.texts import differ_in
from keel_line.read.decode import Decoded, read_as
from keel_line.read.looks import SURE, score_texts

Worth: TypeAlias = Callable[[str], float]
"""How much likelier a text is for what its column says elsewhere: the log of it, 0 or more."""

_LEAST_COUNT = 0.5
_BORNE_OUT, _LEAST_KNOWN = 0.25, 1.5
_NEIGHBOURS = 30  # texts that lie one character from a value, as far as print confuses them
_USUAL_NEAR, _USUAL_VALUES = 0.5, 5.0
_USUAL_CELLS = 2.0
_CHANCE_REPEAT = 0.5
_MOST_REPEATS = 0.95
_MOST_VALUES = 12
_LONGER = 2
_LEAST_SHARE = 1e-4


Shares: TypeAlias = Mapping[str, float]
"""A cell's readings with their probabilities, which sum to 1 at most."""


@dataclass(frozen=True)
class ColumnValues:
    """How often each value occurs in a column.

    Attributes
    ----------
    counts
        How many of its cells say each text, each cell shared out among its readings.
    cells
        Number of its cells.
    repeated
        How many of them say what another one says.
    near
        Share of its values that another one differs from in a single character (0 to 1).
    """

    counts: Mapping[str, float]
    cells: int
    repeated: float
    near: float

    @property
    def values(self) -> list[str]:
        """Values of the column, the likeliest texts of each cell."""
        return _find_values(self.counts)

    def elsewhere(self, text: str, own: Shares) -> float:
        """Return how many of the other cells hold a text."""
        return max(0.0, self.counts.get(text, 0.0) - own.get(text, 0.0))

    def repeats_without(self, own: Shares) -> float:
        """Return the share of the other cells (0 to 1) whose value occurs again."""
        # Whom the cell repeats repeats it in turn.
        rest = self.repeated - 2.0 * _count_repeats(own, self.counts) - _CHANCE_REPEAT
        return min(_MOST_REPEATS, max(0.0, rest) / (self.cells - 1 + _USUAL_CELLS))


def make_worth(column: ColumnValues, own: Shares) -> Worth:
    """Return the weights that a column gives to the readings of one of its cells.

    A column says a value that it knows with the share of its cells that repeat one, as often as it
    says it elsewhere; or a new one, and the more of its values lie beside each other, the likelier
    a new one lies beside one that it knows.

    Parameters
    ----------
    column
        What its cells say.
    own
        The cell's own share in that, which lends it nothing.
    """
    repeats = column.repeats_without(own)
    scale = repeats / (1.0 - repeats) / column.cells / (column.near / _NEIGHBOURS)
    return lambda text: math.log1p(scale * column.elsewhere(text, own))


def gather_values(cells: Sequence[Shares]) -> ColumnValues:
    """Count a column's values, each cell shared out among its readings."""
    counts: dict[str, float] = {}
    for cell in cells:
        for text, share in cell.items():
            counts[text] = counts.get(text, 0.0) + share
    values = _find_values(counts)
    near: set[str] = set()
    for a, b in combinations(values, 2):
        if abs(len(a) - len(b)) <= 1 and differ_in(a, b) is not None:
            near |= {a, b}
    return ColumnValues(
        counts,
        len(cells),
        sum(_count_repeats(cell, counts) for cell in cells),
        (len(near) + _USUAL_NEAR) / (len(values) + _USUAL_VALUES),
    )


def _find_values(counts: Mapping[str, float]) -> list[str]:
    return [text for text, count in counts.items() if count >= _LEAST_COUNT]


def _count_repeats(cell: Shares, counts: Mapping[str, float]) -> float:
    """Return how likely two cells say the same (0 to 1)."""
    return sum(share * min(1.0, counts.get(text, 0.0) - share) for text, share in cell.items())


def choose_known(
    decoded: Decoded,
    probs: NDArray[np.float32],
    column: ColumnValues,
    own: Shares,
    alphabet: str,
) -> Decoded:
    """Choose a value of the column for an undecided line, if that is likelier.

    A reading that other cells bear out stays: where a column says two things that are nearly one,
    the more frequent of them is no likelier here than the ink says.

    Parameters
    ----------
    decoded
        The line's decoding.
    probs
        What the network gave for it, shape (steps, classes), class 0 the blank.
    column
        What the column says; values that are no reading of the line yet are held against its ink.
    own
        The cell's own share in that.
    alphabet
        Character of class ``i`` is ``alphabet[i - 1]``.

    Returns
    -------
    Decoded
        The likeliest by ink and column stands first among the beams; each keeps the probability
        that the ink gives it.
    """
    text, best = decoded.beams[0]
    if not text or best >= SURE or column.elsewhere(text, own) > _BORNE_OUT:
        return decoded
    if all(column.elsewhere(other, own) < _LEAST_KNOWN for other in column.counts):
        return decoded
    worth = make_worth(column, own)
    beams = [*decoded.beams, *_read_values(decoded, probs, column, alphabet)]
    ink = np.log([max(chance, 1e-9) for _, chance in beams])
    ink[0] = ink.max()  # where the language chose it against the ink, the column must outweigh both
    known = [column.elsewhere(other, own) >= _LEAST_KNOWN for other, _ in beams]
    lent = [worth(other) if k else 0.0 for (other, _), k in zip(beams, known, strict=True)]
    first = int(np.argmax(ink + lent))
    scale = sum(c for _, c in decoded.beams) / sum(c for _, c in beams)
    beams = [(other, chance * scale) for other, chance in beams]
    others = sorted((*beams[:first], *beams[first + 1 :]), key=lambda beam: -beam[1])
    ordered = (beams[first], *others)
    if first == 0:
        return replace(decoded, beams=ordered)
    return read_as(ordered[0][0], ordered, probs, alphabet, decoded.agreement)


def _read_values(
    decoded: Decoded, probs: NDArray[np.float32], column: ColumnValues, alphabet: str
) -> list[tuple[str, float]]:
    """Return the column's values compatible with the ink, with their chances.

    Their probabilities are to the likeliest reading's as the network's for either is.
    """
    text, best = decoded.beams[0]
    seen = {other for other, _ in decoded.beams}
    near = [
        v
        for v in column.values
        if v not in seen and "\n" not in v and abs(len(v) - len(text)) <= _LONGER
    ]
    near = sorted(near, key=lambda v: -column.counts[v])[:_MOST_VALUES]
    if not near:
        return []
    class_of = {char: i + 1 for i, char in enumerate(alphabet)}
    spelt = [tuple(class_of[c] for c in t) for t in (text, *near)]
    (logs,) = score_texts([probs], spelt)
    shares = np.exp(np.minimum(logs[1:] - logs[0], 0.0))
    return [
        (value, best * float(share))
        for value, share in zip(near, shares, strict=True)
        if share >= _LEAST_SHARE
    ]
