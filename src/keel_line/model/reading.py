"""A cell's reading: evidence that a correction never overwrites."""

from __future__ import annotations

from dataclasses import dataclass

from keel_line.model.geometry import Box


@dataclass(frozen=True, slots=True)
class CharReading:
    """One character with its probability (0 to 1) and its place on the squared page (px)."""

    char: str
    probability: float
    box: Box
    line: int = 0


@dataclass(frozen=True, slots=True)
class RunnerUp:
    """Another reading of the same ink and its probability (0 to 1)."""

    text: str
    probability: float


@dataclass(frozen=True, slots=True)
class Reading:
    """A cell's reading.

    Attributes
    ----------
    text
        What the ink says; lines are parted by a line break; empty for a blank cell.
    confidence
        Calibrated probability (0 to 1) that the whole text is right.
    chars
        Characters with their places; line breaks and blanks at the ends are left out.
    runners_up
        Up to five other readings, the likeliest first.
    reasons
        Why the cell may be doubted, in plain words.
    features
        What the confidence was made from, by name.
    model
        Short hash of the recogniser that read it.
    unread
        Boxes on the squared page (px) around ink that is no dirt and that no character explains.
    held_down
        Whether what no other reading explains holds the confidence down, as writing that runs on
        over the cell's side.
    """

    text: str
    confidence: float
    chars: tuple[CharReading, ...] = ()
    runners_up: tuple[RunnerUp, ...] = ()
    reasons: tuple[str, ...] = ()
    features: tuple[tuple[str, float], ...] = ()
    model: str = ""
    unread: tuple[Box, ...] = ()
    held_down: bool = False
