"""How likely a cell in which nothing is read is blank: specks may be dirt, or a lone mark.

A column that has dashes for nil may have one more that hardly shows; where no other cell of the
column holds a mark alone, specks are dirt.
"""

from __future__ import annotations

from collections.abc import Sequence

USUAL_MARKS = 0.1
"""Share of lone marks where a column says nothing of it."""

_CLEAN = 0.9998
_STOP_CAPS = 0.11
# How much likelier a mark leaves such dirt than a blank cell does: for each stop's worth, at most.
_DIRT_OF_A_STOP, _MOST_DIRT = 0.02, 0.3
_FEW, _USUAL_CELLS = 0.5, 5.0
# Shares that are read as nothing, though there is ink: of lone marks, and of blank cells
# (training/README.md says where they come from).
_MARKS_AS_NOTHING, _BLANKS_AS_NOTHING = 0.115, 0.086
_MOST_INK, _INK_SURE = 0.25, 0.3


def is_lone_mark(text: str) -> bool:
    """Tell whether a cell's text has neither a letter nor a figure: a dash, a ditto mark."""
    return bool(text) and not any(char.isalnum() for char in text)


def share_marks(texts: Sequence[str]) -> list[float]:
    """Return for each cell of a column how likely it holds a lone mark, by the others' texts.

    Few cells say little: half a mark in five cells is what is expected beforehand.
    """
    marks = [is_lone_mark(text) for text in texts]
    rest = len(texts) - 1 + _USUAL_CELLS
    return [(sum(marks) - own + _FEW) / rest for own in marks]


def blank_confidence(dirt_px: int, cap_px: float, marks: float) -> float:
    """Return the probability that a cell without writing is blank.

    Parameters
    ----------
    dirt_px
        Pixels that were judged dirt; as large as a full stop they may have been one.
    cap_px
        Height of the capitals (px).
    marks
        How likely a cell of its column holds a lone mark (0 to 1).
    """
    stops = dirt_px / max((_STOP_CAPS * cap_px) ** 2, 1.0)
    return _CLEAN - marks * min(_MOST_DIRT, _DIRT_OF_A_STOP * stops)


def nothing_confidence(ink_px: int, cap_px: float, marks: float) -> float:
    """Return the probability that a cell is blank whose ink the recogniser reads as nothing.

    ``ink_px`` are its pixels; the other arguments are those of :func:`blank_confidence`. More ink
    than a letter has is hardly dirt.
    """
    mark = marks * _MARKS_AS_NOTHING
    blank = (1.0 - marks) * _BLANKS_AS_NOTHING
    sure = blank / (mark + blank)
    return sure if ink_px <= _MOST_INK * cap_px**2 else min(sure, _INK_SURE)
