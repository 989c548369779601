"""How far a reading is from the truth."""

from __future__ import annotations

from collections.abc import Sequence


def edit_distance(a: Sequence[str], b: Sequence[str]) -> int:
    """Count the insertions, deletions and replacements between two strings (Levenshtein, 1966)."""
    row = list(range(len(b) + 1))
    for i, x in enumerate(a, 1):
        before, row[0] = row[0], i
        for j, y in enumerate(b, 1):
            before, row[j] = row[j], min(row[j] + 1, row[j - 1] + 1, before + (x != y))
    return row[-1]
