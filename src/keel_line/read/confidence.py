"""Confidence: the probability that a cell is right, and which cells are flagged for a tolerance.

A logistic model over features of the reading, fitted on validation material whose faces and words
were not trained on (``training.calibrate``); its figures travel beside the weights.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import msgspec

from keel_line.read.network import DATA_DIR

FEATURES = (
    "margin",
    "lowest",
    "doubtful",
    "length",
    "size",
    "unexplained",
    "unsure_line",
    "dirt",
    "agreement",
    "column",
    "language",
    "hard",
    "hard_margin",
    "lead",
    "hard_lead",
    "stretch",
)
"""Names of the features in the order of the model's weights.

margin: log odds of the best beam against all others; lowest: log odds of the least likely
character; doubtful: sum of -log over characters; length: log of the number of characters; size:
log of the capitals' height in source px over 20; unexplained: share of ink that no character
explains; unsure_line: 1 where the baseline was not seen on the line's own letters; dirt: log of
specks painted out; agreement: share of the looks that say the same; column: log of the share of
the column's other cells that are written in the same form, 0 where nothing is known; language: log
odds of the text against its runners-up where the language has as much say as the ink; hard: log of
the share of the table's other cells that were read with little margin; hard_margin: its product
with margin, for a wide margin says less about paper on which most readings are close; lead: log
odds of the text against its runners-up by ink, column and half of the language's say together;
hard_lead: its product with hard; stretch: how much further apart than
their shapes tell two letters within a word stand, in heights of capitals.
"""

_CLIP = 9.0
_CLOSE = 4.0
_USUAL_CELLS = 2
_USUAL_SHARE = 0.25


class Calibration(msgspec.Struct, frozen=True):
    """A fitted model.

    ``cuts`` are (wrong cells in a thousand that may pass unseen, least confidence that is not
    flagged), the strictest first.
    """

    weights: tuple[float, ...]
    bias: float
    cuts: tuple[tuple[float, float], ...]
    fitted_on: str


def load_calibration(path: Path = DATA_DIR / "confidence.json") -> Calibration:
    """Load the model that travels with the weights."""
    return msgspec.json.decode(path.read_bytes(), type=Calibration)


def log_odds(chance: float) -> float:
    """Return log(p / (1 - p)), bounded to ±9."""
    bounded = min(max(chance, 1e-6), 1 - 1e-6)
    return max(-_CLIP, min(_CLIP, math.log(bounded / (1 - bounded))))


def measure_hardness(margins: Sequence[float]) -> list[float]:
    """Return, for each cell, how hard the rest of its table is to read.

    Parameters
    ----------
    margins
        Log odds of the best beam of every cell that has a reading.

    Returns
    -------
    list of float
        Log of the share (a hundredth added) of the other cells with a margin under 4. A table of
        few cells is taken to be as hard as most.
    """
    close = [margin < _CLOSE for margin in margins]
    return [
        math.log(
            (sum(close) - own + _USUAL_CELLS * _USUAL_SHARE) / (len(close) - 1 + _USUAL_CELLS)
            + 0.01
        )
        for own in close
    ]


def estimate_confidence(model: Calibration, features: Sequence[float]) -> float:
    """Return the probability (0.001 to 0.9999) that a reading with these features is right."""
    z = model.bias + sum(w * f for w, f in zip(model.weights, features, strict=True))
    return min(0.9999, max(0.001, 1 / (1 + math.exp(-max(-30.0, min(30.0, z))))))


@dataclass(frozen=True)
class Flagging:
    """Which cells of a table are flagged.

    Attributes
    ----------
    rate
        Wrong cells that may pass unseen, of all (0 to 1).
    strict
        Cells at least this sure always pass.
    lenient
        Cells less sure than this never pass, however sure the rest of the table is.
    """

    rate: float
    strict: float
    lenient: float

    def find_cut(self, confidences: Sequence[float]) -> float:
        """Return the lowest confidence left unflagged in a table with these confidences.

        The surest cells pass for as long as the wrong ones to be expected among them stay within
        the rate; so a clean table is not flooded with flags that a poor one needs.
        """
        left = self.rate * len(confidences)
        passing = self.strict
        cut = self.strict
        for confidence in sorted(confidences, reverse=True):
            left -= 1.0 - confidence
            if left < 0 or confidence < self.lenient:
                break
            if confidence < passing:
                passing, cut = confidence, min(self.strict, passing)
        else:
            return min(self.strict, passing)
        # Cells as sure as the first that did not fit do not fit either.
        return cut if confidence == passing else min(self.strict, passing)


def make_flagging(model: Calibration, unseen_per_thousand: float) -> Flagging:
    """Return the flagging for a tolerance (wrong cells in 1,000 left unflagged).

    ``strict`` is the cut at which that many passed on the material that the model was fitted on,
    ``lenient`` the cut at which ten times as many did.
    """
    return Flagging(
        unseen_per_thousand / 1000,
        _interpolate(model.cuts, unseen_per_thousand),
        _interpolate(model.cuts, 10 * unseen_per_thousand),
    )


def _interpolate(pairs: Sequence[tuple[float, float]], rate: float) -> float:
    """Return the cut for a rate, between fitted ones in proportion to the rate's logarithm."""
    cuts = sorted(pairs)
    if rate <= cuts[0][0]:
        return cuts[0][1]
    for (low, low_cut), (high, high_cut) in zip(cuts, cuts[1:], strict=False):
        if rate <= high:
            share = math.log(rate / low) / math.log(high / low)
            return low_cut + share * (high_cut - low_cut)
    return cuts[-1][1]
