"""Finds a text in everything that was read: in the docket at hand and in all others of the clerk.

A cell is found when it has every word that is looked for, with or without capitals, accents, and
commas between thousands. Dockets are only read.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from keel_line._shared.pulse import pulse
from keel_line._shared.texts import fold_text
from keel_line.docket.records import CellText
from keel_line.docket.texts import each_text
from keel_line.errors import DocketError
from keel_line.model.table import letters_of

MOST_FOUND = 500
"""So many places are told at most."""

_PULSE_EVERY = 500


@dataclass(frozen=True)
class Place:
    """Where a text was found.

    ``cell`` is its id in the docket, None where it is a table's name. ``row`` counts from 1.
    """

    docket: Path
    page: int
    source: str
    page_number: int
    table: str
    text: str
    cell: int | None = None
    column: str = ""
    row: int = 0


@dataclass(frozen=True)
class Found:
    """What a search found; ``more`` where there was more than it tells.

    ``closed`` are the dockets that could not be searched, each with the reason in words.
    """

    places: tuple[Place, ...]
    dockets: int
    more: bool = False
    closed: tuple[str, ...] = ()


def find_anywhere(sought: str, dockets: Sequence[Path], most: int = MOST_FOUND) -> Found:
    """Find a text in dockets, in their order.

    It reports that it is still running (:func:`pulse`), so that whoever listens can end it.
    """
    words = tuple(fold_text(sought).split())
    if not words:
        return Found((), 0)
    places: list[Place] = []
    closed: list[str] = []
    for path in dockets:
        try:
            for place in _find_in(path, words):
                if len(places) == most:
                    return Found(tuple(places), len(dockets), more=True, closed=tuple(closed))
                places.append(place)
        except DocketError as error:
            closed.append(str(error))
    return Found(tuple(places), len(dockets), closed=tuple(closed))


def _find_in(path: Path, words: Sequence[str]) -> Iterator[Place]:
    """Yield the places of one docket, in page order."""
    pulse()
    at, headings = -1, dict[int, str]()
    for count, (text, name, source, number) in enumerate(each_text(path)):
        if count % _PULSE_EVERY == 0:
            pulse()
        where = path, text.page, source, number, name
        if text.table != at:
            at, headings = text.table, {}
            if _has(name, words):
                yield Place(*where, name)
        if text.heading and text.text:
            headings[text.col] = " ".join(text.text.split())
        if _has(text.text, words):
            yield Place(*where, text.text, text.cell, _name(headings, text), text.row + 1)


def _has(text: str, words: Sequence[str]) -> bool:
    folded = fold_text(text)
    return all(word in folded for word in words)


def _name(headings: dict[int, str], text: CellText) -> str:
    return "" if text.heading else headings.get(text.col) or letters_of(text.col)
