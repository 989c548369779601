"""Open doubts grouped by kind, to be settled together."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from keel_line.desk.judge import values_wanted
from keel_line.desk.learning import WEAK, pair_in_question
from keel_line.model.table import CellState, TableState

Question = Literal["alike", "blank", "unread", "check", "pair", "character", "spread"]

_ORDER: dict[Question, int] = {
    "alike": 0,
    "blank": 1,
    "pair": 2,
    "character": 3,
    "check": 4,
    "unread": 5,
    "spread": 6,
}
_SIGN_NAMES = {
    " ": "a space",
    ".": "a point",
    ",": "a comma",
    "-": "a hyphen",
    "–": "a dash",
    "'": "a straight quote",
    "’": "an apostrophe",
    "": "nothing",
}


@dataclass(frozen=True)
class DoubtPlace:
    """A doubtful cell: its table's and its own index in the docket, and its other readings."""

    table: int
    cell: int
    others: tuple[str, ...]


@dataclass(frozen=True)
class Kind:
    """Open doubts of one kind.

    Attributes
    ----------
    question
        What is in question.
    about
        The characters in question: two for a pair, one for a character, none otherwise.
    says
        The kind in plain words.
    places
        Its doubts in the docket's order.
    """

    question: Question
    about: tuple[str, ...]
    says: str
    places: tuple[DoubtPlace, ...]


def sort_doubts(tables: Sequence[TableState], doubts: Sequence[tuple[int, int]]) -> list[Kind]:
    """Sort open doubts by kind: misread alike, blanks, pairs of characters, single ones, the rest.

    Each doubt is in one kind, in the order of the table. Kinds of more doubts come first within
    their sort.

    Parameters
    ----------
    tables
        The docket's tables.
    doubts
        (table, cell) of each open doubt, in the order in which the clerk goes through them.
    """
    found: dict[tuple[Question, tuple[str, ...]], list[DoubtPlace]] = defaultdict(list)
    for t, c in doubts:
        table, state = tables[t], tables[t].cells[c]
        wanted = [*filter(None, [state.recalled]), *values_wanted(table, state)]
        others = [r.text for r in state.reading.runners_up if r.text != state.text]
        offered = tuple(dict.fromkeys([*wanted, *others]))
        found[_question(state, wanted)].append(DoubtPlace(t, c, offered))
    for key in [k for k, places in found.items() if len(places) == 1 and k[1]]:
        found["spread", ()].extend(found.pop(key))  # one by itself is no kind
    return sorted(
        (
            Kind(q, about, _say(q, about), tuple(sorted(own, key=lambda p: (p.table, p.cell))))
            for (q, about), own in found.items()
        ),
        key=lambda k: (_ORDER[k.question], -len(k.places), k.about),
    )


def _question(state: CellState, wanted: Sequence[str]) -> tuple[Question, tuple[str, ...]]:
    """Return what is in question in a doubtful cell, and between which characters."""
    reading = state.reading
    if state.recalled:
        return "alike", ()
    if reading.unread or not reading.text:
        return ("unread" if reading.unread else "blank"), ()
    if state.broken or wanted:
        return "check", ()
    pair = pair_in_question(state)
    if pair is not None:
        return "pair", tuple(sorted(pair, key=lambda c: (not c, c)))
    weak = [c for c in reading.chars if c.probability < WEAK]
    if len(weak) == 1:
        return "character", (weak[0].char,)
    return "spread", ()


def _say(question: Question, about: tuple[str, ...]) -> str:
    if question == "pair":
        said = f"{_name(about[0])} or {_name(about[1])}"
        return said[0].upper() + said[1:] if about[0] in _SIGN_NAMES else said
    if question == "character":
        said = f"{_name(about[0])} is unclear"
        return said[0].upper() + said[1:] if about[0] in _SIGN_NAMES else said
    return {
        "alike": "Similar to a corrected cell",
        "blank": "Read as blank",
        "unread": "Unread ink",
        "check": "Fails a check",
        "spread": "Other doubts",
    }[question]


def _name(char: str) -> str:
    return _SIGN_NAMES.get(char, char)
