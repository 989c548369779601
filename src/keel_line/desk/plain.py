"""Replaces typographic dashes and quotation marks by plain ones, for clerks who want that.

Which dash or quotation mark the paper shows is open in many faces and of no use in most sheets.
What was read stays in the docket as it was; this is how it is seen.
"""

from __future__ import annotations

from dataclasses import replace

from keel_line._shared.texts import DASH_AND_QUOTES, write_plain
from keel_line.model.reading import CharReading, Reading, RunnerUp
from keel_line.model.table import CellState

# The runners-up are not all the readings there are: of 229 cells lifted further none was wrong.
_MOST_LIFTED = 0.98


def see_plainly(state: CellState) -> CellState:
    """Return a cell with plain dashes and quotation marks.

    A value that the clerk typed stays as it was typed; a cell of which nothing changes is the same.
    """
    reading, settled = write_plainly(state.reading), state.settled
    if settled is not None and not settled.by_hand and settled.text != write_plain(settled.text):
        settled = replace(settled, text=write_plain(settled.text))
    if reading is state.reading and settled is state.settled:
        return state
    return replace(state, reading=reading, settled=settled)


def differs_in_signs(reading: Reading) -> bool:
    """Return whether the likeliest other reading is the same but for a dash or quotation mark."""
    return bool(reading.runners_up) and write_plain(reading.runners_up[0].text) == write_plain(
        reading.text
    )


def write_plainly(reading: Reading) -> Reading:
    """Return a reading with plain dashes and quotation marks.

    Readings that differ in nothing else are one then. Their share of the doubt goes to the
    confidence, and to that of each such sign.
    """
    text = write_plain(reading.text)
    if text == reading.text and all(r.text == write_plain(r.text) for r in reading.runners_up):
        return reading
    others: dict[str, float] = {}
    for other in reading.runners_up:
        plain = write_plain(other.text)
        others[plain] = others.get(plain, 0.0) + other.probability
    doubt = sum(others.values())
    alike = others.pop(text, 0.0)
    lifted = min(_MOST_LIFTED, alike / doubt) if doubt > 0 else 0.0
    confidence = reading.confidence
    if not reading.held_down and not reading.unread:
        confidence = _lift(confidence, lifted)
    return replace(
        reading,
        text=text,
        confidence=confidence,
        chars=tuple(_write_char(char, lifted) for char in reading.chars),
        runners_up=tuple(
            RunnerUp(other, chance) for other, chance in sorted(others.items(), key=lambda o: -o[1])
        ),
    )


def _write_char(char: CharReading, lifted: float) -> CharReading:
    plain = write_plain(char.char)
    if plain not in DASH_AND_QUOTES:
        return char
    return replace(char, char=plain, probability=_lift(char.probability, lifted))


def _lift(chance: float, lifted: float) -> float:
    """Raise a chance (0 to 1) by the share of its doubt that is removed."""
    return chance + (1.0 - chance) * lifted
