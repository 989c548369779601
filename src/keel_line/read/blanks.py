"""Estimates whether a cell in which nothing is read is blank: specks may be dirt, or a lone mark.

A dash of which a fax leaves a speck looks like dirt. What tells them apart is where the speck
stands, whether other cells of the column have one in the same place, and how dirty the paper is.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.texts import is_lone_mark
from keel_line.read.evidence import EvidenceModel, load_evidence
from keel_line.read.ink import CellInk

USUAL_MARKS = 0.1
"""Share of lone marks where a column says nothing of it."""

MEASURES = (
    "marks",
    "again",
    "placed",
    "size",
    "many",
    "crowd",
    "unread",
    "empty",
    "placed_size",
    "unread_size",
    "one",
)
"""What is measured of a cell with ink in which nothing is read, in the order of the weights.

marks: log of the share of lone marks in its column; again: log of one more than the other cells of
the column that have a piece of ink in the same place; placed: 1 where a piece stands on the line
and off the sides; size: log of its area over a full stop's; many: log of the number of pieces;
crowd: log of the pieces in the table's other such cells, on average; unread: 1 where the
recogniser saw the ink and read nothing, empty: the log odds it gave to that; placed_size,
unread_size: their products with size; one: always 1.
"""

_CLEAN = 0.9998
# Ink that the recogniser read as nothing, in squares of the capital's height: no letter has less.
_LETTER_INK, _LETTER_SURE = 0.25, 0.85
_LEAST, _MOST, _BOUND = 0.001, 0.9998, 30.0
_FEW, _USUAL_CELLS = 0.5, 5.0
_STOP_CAPS = 0.11
_STRAY, _MOST_PIECES = 0.05, 10
_MOST_COMPARED = 60
# Pieces in the same place, in heights of capitals, of areas that differ by less than three times.
_AWAY_ACROSS, _AWAY_DOWN, _TIMES = 0.2, 0.15, 3.0
_ON_LINE = (-0.2, 1.1)  # heights over the baseline, in those of capitals
_OFF_SIDES = 0.15
_LEAST_STOPS, _MOST_STOPS = 0.02, 20.0


@dataclass(frozen=True, eq=False)
class Remnants:
    """A cell's leftover ink, measured in cap heights of its table.

    Attributes
    ----------
    text
        What is read in the cell.
    pieces
        Shape (n, 4): how far a piece's middle is from the cell's left side, how far above the
        baseline of its row, how far its nearest edge is from the cell's sides, and its area over
        that of a full stop.
    empty
        Log odds the recogniser gave to there being nothing; None where it was shown no ink.
    """

    text: str
    pieces: NDArray[np.float64]
    empty: float | None


def load_blanks() -> EvidenceModel:
    """Load the weights of the measures, fitted to made tables."""
    return load_evidence("blanks")


def measure_pieces(ink: CellInk, baseline: float, cap_px: float) -> NDArray[np.float64]:
    """Return the pieces of a cell's writing and of its dirt, in the form of :class:`Remnants`.

    ``baseline`` is where a line of its row stands or would stand (px from the top).
    """
    x, y, width, height, area = np.concatenate([ink.parts, ink.specks]).T.astype(np.float64)
    rows, cols = ink.mask.shape
    off = np.minimum.reduce([x, y, cols - x - width, rows - y - height])
    stop = (_STOP_CAPS * cap_px) ** 2
    middle, above = x + width / 2, baseline - (y + height / 2)
    return np.stack([middle / cap_px, above / cap_px, off / cap_px, area / stop], axis=1)


def _rate_lone_marks(texts: Sequence[str]) -> list[float]:
    """Return for each cell of a column how likely it holds a lone mark, by the others' texts.

    Few cells say little: half a mark in five cells is what is expected beforehand.
    """
    marks = [is_lone_mark(text) for text in texts]
    rest = len(texts) - 1 + _USUAL_CELLS
    return [(sum(marks) - own + _FEW) / rest for own in marks]


def _measure_crowds(table: Sequence[Remnants]) -> list[float]:
    """Return for each cell how many pieces the other cells have in which nothing is read."""
    counts = [0 if r.text else min(len(r.pieces), _MOST_PIECES) for r in table]
    cells = sum(not r.text for r in table)
    return [
        (sum(counts) - own) / max(cells - (not r.text), 1)
        for r, own in zip(table, counts, strict=True)
    ]


def _count_again(column: Sequence[Remnants]) -> list[list[int]]:
    """Return for each piece of each cell in which nothing is read how many have it in one place.

    Only other cells in which nothing is read, or a lone mark, bear witness; of any cell its largest
    pieces alone, for a picture printed in dots has thousands.
    """
    heard = [n for n, r in enumerate(column) if not r.text or is_lone_mark(r.text)]
    large = {n: _choose_largest(column[n].pieces) for n in heard}
    every = np.concatenate([column[n].pieces[large[n]] for n in heard] or [np.zeros((0, 4))])
    owner = np.repeat(heard, [len(large[n]) for n in heard]).astype(int)
    out: list[list[int]] = []
    for n, remnants in enumerate(column):
        counts = [0] * len(remnants.pieces)
        out.append(counts)
        if remnants.text:
            continue
        own = remnants.pieces[large[n]]
        away = np.abs(own[:, None, :2] - every[None, :, :2])
        times = np.abs(np.log(own[:, None, 3] / every[None, :, 3]))
        same = (away[..., 0] < _AWAY_ACROSS) & (away[..., 1] < _AWAY_DOWN)
        same &= (times < math.log(_TIMES)) & (owner != n)
        for at, row in zip(large[n].tolist(), same, strict=True):
            counts[at] = len(np.unique(owner[row]))
    return out


def _choose_largest(pieces: NDArray[np.float64]) -> NDArray[np.intp]:
    """Return which pieces are the largest, at most ``_MOST_COMPARED``."""
    return np.argsort(-pieces[:, 3], kind="stable")[:_MOST_COMPARED]


def measure_remains(
    table: Sequence[Remnants], columns: Sequence[Sequence[int]]
) -> list[tuple[float, ...] | None]:
    """Return the ``MEASURES`` of each cell with ink in which nothing is read; None for others.

    Parameters
    ----------
    table
        What every cell of a table has.
    columns
        Which of them make a column; a cell may be in none.
    """
    crowds = _measure_crowds(table)
    marks = [USUAL_MARKS] * len(table)
    again = [[0] * len(r.pieces) for r in table]
    for numbers in columns:
        column = [table[n] for n in numbers]
        shares = _rate_lone_marks([r.text for r in column])
        for n, share, own in zip(numbers, shares, _count_again(column), strict=True):
            marks[n], again[n] = share, own
    return [
        None if r.text or not len(r.pieces) else _measure(r, own, crowd, share)
        for r, own, crowd, share in zip(table, again, crowds, marks, strict=True)
    ]


def _measure(
    remnants: Remnants, again: Sequence[int], crowd: float, marks: float
) -> tuple[float, ...]:
    pieces = remnants.pieces
    low, high = _ON_LINE
    placed = (pieces[:, 1] > low) & (pieces[:, 1] < high) & (pieces[:, 2] > _OFF_SIDES)
    # The piece that is likeliest a mark: on the line, come again, large.
    _, most, size = max(zip(placed.tolist(), again, pieces[:, 3].tolist(), strict=True))
    on_line, unread = float(placed.any()), float(remnants.empty is not None)
    stops = math.log(min(max(size, _LEAST_STOPS), _MOST_STOPS))
    return (
        math.log(marks),
        math.log1p(most),
        on_line,
        stops,
        math.log(len(pieces)),
        math.log(_STRAY + crowd),
        unread,
        remnants.empty or 0.0,
        on_line * stops,
        unread * stops,
        1.0,
    )


def recurs(measures: Sequence[float] | None) -> bool:
    """Return whether other cells of a column have ink in the same place."""
    return measures is not None and measures[MEASURES.index("again")] > 0.0


def blank_confidence(
    measures: Sequence[float] | None, model: EvidenceModel, unread_ink: float = 0.0
) -> float:
    """Return the probability that a cell in which nothing is read is blank.

    As much ink as a letter has is never taken for dirt without a look.

    Parameters
    ----------
    measures
        The cell's ``MEASURES``; None where it has no ink at all.
    model
        What they are worth.
    unread_ink
        Area of the ink that the recogniser saw, in squares of the height of capitals.
    """
    if measures is None:
        return _CLEAN
    odds = min(max(model.rise(measures), -_BOUND), _BOUND)
    most = _MOST if unread_ink < _LETTER_INK else _LETTER_SURE
    return min(max(1 / (1 + math.exp(-odds)), _LEAST), most)
