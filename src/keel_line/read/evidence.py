"""Weighs evidence besides the ink between two readings."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache

import msgspec

from keel_line.read.network import DATA_DIR


class EvidenceModel(msgspec.Struct, frozen=True):
    """A model that raises the log odds of a reading: one weight for each measure."""

    weights: tuple[float, ...]
    fitted_on: str = ""

    def rise(self, measures: Sequence[float]) -> float:
        """Return the rise of the log odds for these measures."""
        return sum(w * m for w, m in zip(self.weights, measures, strict=True))


@cache
def load_evidence(name: str) -> EvidenceModel:
    """Load the model ``name`` that travels with the recogniser's weights."""
    return msgspec.json.decode((DATA_DIR / f"{name}.json").read_bytes(), type=EvidenceModel)
