"""How likely a cell's reading is right, and which cells must be looked at so that few pass unseen.

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
)
"""Names of the features in the order of the model's weights.

margin: log odds of the best beam against all others; lowest: log odds of the least likely
character; doubtful: sum of -log over characters; length: log of the number of characters; size:
log of the capitals' height in source px over 20; unexplained: share of ink that no character
explains; unsure_line: 1 where the baseline was not seen on the line's own letters; dirt: log of
specks painted out.
"""

_CLIP = 9.0


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


def estimate_confidence(model: Calibration, features: Sequence[float]) -> float:
    """Return the probability (0.001 to 0.9999) that a reading with these features is right."""
    z = model.bias + sum(w * f for w, f in zip(model.weights, features, strict=True))
    return min(0.9999, max(0.001, 1 / (1 + math.exp(-max(-30.0, min(30.0, z))))))


def blank_confidence(dirt_px: int, cap_px: float) -> float:
    """Return the probability that a cell without writing is blank.

    Dirt as large as a full stop may have been one.
    """
    stop = (0.11 * cap_px) ** 2
    return 0.9998 if dirt_px == 0 else max(0.6, 0.9995 - 0.02 * dirt_px / max(stop, 1.0))


@dataclass(frozen=True)
class Flagging:
    """Which cells are flagged: those below ``least_confidence``."""

    least_confidence: float

    def is_flagged(self, confidence: float) -> bool:
        """Tell whether a cell with this confidence needs a look."""
        return confidence < self.least_confidence


def make_flagging(model: Calibration, unseen_per_thousand: float) -> Flagging:
    """Return the flagging under which about that many wrong cells in a thousand pass unseen.

    Between fitted rates the cut is taken in proportion to the logarithm of the rate.
    """
    cuts = sorted(model.cuts)
    if unseen_per_thousand <= cuts[0][0]:
        return Flagging(cuts[0][1])
    for (low, low_cut), (high, high_cut) in zip(cuts, cuts[1:], strict=False):
        if unseen_per_thousand <= high:
            share = math.log(unseen_per_thousand / low) / math.log(high / low)
            return Flagging(low_cut + share * (high_cut - low_cut))
    return Flagging(cuts[-1][1])
