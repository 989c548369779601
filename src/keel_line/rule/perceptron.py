"""A perceptron with one hidden layer, as the small models that see a whole table are.

``training.perceptron`` fits them.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path

import msgspec
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_TINY = 1e-4
MOST_SPREADS = 4.0
"""Measures are kept within this many standard deviations of their mean."""

MOST_ODDS = 6.0
"""Log odds are kept between minus this and this: chances between 0.002 and 0.998."""


@dataclass(frozen=True)
class Perceptron:
    """Weights of the perceptron, and what measures are brought to first.

    ``hidden`` has a row for each hidden unit.
    """

    middle: tuple[float, ...]
    scale: tuple[float, ...]
    hidden: tuple[tuple[float, ...], ...]
    hidden_bias: tuple[float, ...]
    last: tuple[float, ...]
    bias: float

    def find_odds(self, measures: Floats) -> Floats:
        """Return the log odds of each row of ``measures``: shape (n, m) gives shape (n,)."""
        brought = np.clip(
            (measures - np.array(self.middle)) / np.array(self.scale), -MOST_SPREADS, MOST_SPREADS
        )
        hidden = np.maximum(brought @ np.array(self.hidden).T + np.array(self.hidden_bias), 0.0)
        out: Floats = hidden @ np.array(self.last) + self.bias
        return out

    def find_chances(self, measures: Floats) -> Floats:
        """Return the chance (0 to 1) of each row of ``measures``: shape (n, m) gives shape (n,)."""
        out: Floats = 1.0 / (1.0 + np.exp(-self.find_odds(measures)))
        return out


def log_odds(chances: Floats) -> Floats:
    """Return the log odds of chances (0 to 1), kept within ``MOST_ODDS`` of 0."""
    held = np.clip(chances, _TINY, 1 - _TINY)
    out: Floats = np.clip(np.log(held / (1 - held)), -MOST_ODDS, MOST_ODDS)
    return out


@cache
def load_perceptron(path: Path) -> Perceptron:
    """Load a perceptron from its JSON file. The package ``training`` writes these files."""
    return msgspec.json.decode(path.read_bytes(), type=Perceptron)
