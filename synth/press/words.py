"""The words of made pages, and columns of a table before it is filled."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import msgspec
import numpy as np

from synth.press.model import Align

Rng = np.random.Generator

WORDS: dict[str, list[str]] = msgspec.toml.decode(
    Path(__file__).with_suffix(".toml").read_bytes(), type=dict[str, list[str]]
)
"""Lists of words by what they are of, from ``words.toml``."""


@dataclass(frozen=True)
class Column:
    """A kind of column: its heading, its unit, a maker of its values and how these stand."""

    heading: str
    unit: str
    make: Callable[[], str]
    align: Align
    adds_up: bool = False
    typed: bool = False
    word_gap: float = 0.0
    formula: bool = False


def pick(rng: Rng, options: Sequence[str]) -> str:
    """Return one of some texts."""
    return str(options[int(rng.integers(len(options)))])


def make_sentence(rng: Rng) -> str:
    """Return a sentence of the office's reports."""
    return pick(rng, WORDS["sentences"])
