"""Runners-up: other readings of a cell, and the lead of the first over them."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import TypeAlias

from keel_line.model.reading import RunnerUp
from keel_line.read.decode import Decoded

Fit: TypeAlias = Callable[[str], float]
"""How well a text fits its column: the log of its form's share there."""

_MOST = 5
_LEAST_CHANCE = 1e-4
_LANGUAGE = 0.5  # of the say that the ink has
_LEAST_AHEAD, _MOST_AHEAD = -6.0, 12.0
_MOST_BEHIND = 30.0


def find_runners_up(decoded: Sequence[Decoded], fit: Fit) -> tuple[RunnerUp, ...]:
    """Return other readings of a cell, each with one line's next best.

    They are offered in the order of what the ink says weighed by what the column knows; the
    probability that stays with each is the ink's alone.

    Parameters
    ----------
    decoded
        The cell's lines.
    fit
        How well a text fits the cell's column.
    """
    texts = [d.text for d in decoded]
    best = chance_of(decoded)
    out = []
    for i, d in enumerate(decoded):
        for text, chance in d.beams[1:]:
            if chance < _LEAST_CHANCE or not text:
                continue
            whole = "\n".join([*texts[:i], text, *texts[i + 1 :]])
            out.append(RunnerUp(whole, round(best * chance / max(d.beams[0][1], 1e-9), 5)))
    out.sort(key=lambda r: -r.probability * math.exp(fit(r.text)))
    return tuple(out[:_MOST])


def chance_of(decoded: Sequence[Decoded]) -> float:
    """Return the probability, by ink, that all of a cell's lines were read right."""
    return math.prod(d.beams[0][1] for d in decoded)


def measure_lead(
    text: str,
    chance: float,
    runners_up: Sequence[RunnerUp],
    fit: Fit,
    likely: Mapping[str, float],
) -> float:
    """Return the lead of a reading over others by ink, column and language together.

    Parameters
    ----------
    text, chance
        What was read, and its probability by the ink.
    runners_up
        The other readings.
    fit
        How well a text fits the cell's column.
    likely
        The language's log probability of each of the texts against usual ones of its length.

    Returns
    -------
    float
        Log odds, -6 to 12; 12 where there are no other readings.
    """
    shares = 0.0
    for other in runners_up:
        behind = fit(other.text) - fit(text) + _LANGUAGE * (likely[other.text] - likely[text])
        shares += other.probability / max(chance, 1e-6) * math.exp(min(behind, _MOST_BEHIND))
    if shares <= 0:
        return _MOST_AHEAD
    return min(max(-math.log(shares), _LEAST_AHEAD), _MOST_AHEAD)
