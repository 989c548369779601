"""What a piece of evidence beside the ink's own is worth between two readings."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache

import msgspec

from keel_line.read.network import DATA_DIR


class EvidenceModel(msgspec.Struct, frozen=True):
    """By how much the log odds of what was read rise: one weight a measure of the evidence."""

    weights: tuple[float, ...]
    fitted_on: str = ""

    def rise(self, measures: Sequence[float]) -> float:
        """Return by how much the log odds rise where the evidence has these measures."""
        return sum(w * m for w, m in zip(self.weights, measures, strict=True))


@cache
def load_evidence(name: str) -> EvidenceModel:
    """Load the model ``name`` that travels with the recogniser's weights."""
    return msgspec.json.decode((DATA_DIR / f"{name}.json").read_bytes(), type=EvidenceModel)
