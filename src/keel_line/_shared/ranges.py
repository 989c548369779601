"""Ranges of numbers as a clerk types them: 2-5, 8."""

from __future__ import annotations

import re
from collections.abc import Iterable


def parse_ranges(text: str, most: int) -> list[int] | None:
    """Parse ranges such as ``2-5, 8`` into their numbers (1 to ``most``), in order, each once.

    None where it names none, or says anything else.
    """
    numbers: set[int] = set()
    for part in re.split(r"[,;\s]+", re.sub(r"\s*[-–]\s*", "-", text.strip())):
        found = re.fullmatch(r"(\d+)(?:-(\d+))?", part)
        if found is None:
            return None
        first = int(found[1])
        last = int(found[2] or found[1])
        if not 1 <= first <= last <= most:
            return None
        numbers.update(range(first, last + 1))
    return sorted(numbers) or None


def say_ranges(numbers: Iterable[int]) -> str:
    """Format numbers as :func:`parse_ranges` accepts them, neighbours as one range."""
    runs: list[list[int]] = []
    for number in sorted(set(numbers)):
        if runs and number == runs[-1][1] + 1:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    return ", ".join(str(a) if a == b else f"{a}-{b}" for a, b in runs)
