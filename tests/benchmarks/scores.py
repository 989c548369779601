"""Scores of cells that the tests of measuring and reporting share."""

from __future__ import annotations

from benchmarks.measure import CellScore


def cell(
    truth: str,
    read: str | None,
    confidence: float = 0.9,
    *,
    flagged: bool = False,
    errors: int | None = None,
) -> CellScore:
    """Return the score of a cell that says ``truth`` and was read as ``read``."""
    wrong = int(truth != read) if errors is None else errors
    return CellScore(truth, read, confidence, flagged, wrong, "clean", "Inter")
