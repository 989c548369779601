"""Marks where offered readings differ, and names signs that are easily confused."""

from __future__ import annotations

from difflib import SequenceMatcher

_MOST_NAMED = 2
_NAMES = {
    "I": "capital I",
    "l": "small L",
    "1": "figure 1",
    "|": "upright stroke",
    "O": "capital O",
    "o": "small O",
    "0": "figure 0",
    "S": "capital S",
    "5": "figure 5",
    "B": "capital B",
    "8": "figure 8",
    "Z": "capital Z",
    "2": "figure 2",
    "G": "capital G",
    "6": "figure 6",
    "-": "hyphen",
    "–": "en dash",
    "—": "em dash",
    "¬": "angled dash",
    "'": "straight apostrophe",
    "’": "curled apostrophe",
    "‘": "opening quote",
    '"': "straight quotes",
    "“": "opening quotes",
    "”": "closing quotes",
    ".": "point",
    ",": "comma",
    ":": "colon",
    ";": "semicolon",
    "·": "raised dot",
    "•": "bullet",
    "°": "degree sign",
    "º": "raised o",
    "×": "times sign",
    "x": "small X",
    "X": "capital X",
    " ": "space",
    "\n": "new line",
}


def find_differing(text: str, other: str) -> tuple[int, ...]:
    """Return which characters of a text another reading does not have in their places."""
    matcher = SequenceMatcher(None, text, other, autojunk=False)
    return tuple(
        at
        for tag, start, end, _, _ in matcher.get_opcodes()
        if tag != "equal"
        for at in range(start, end)
    )


def name_signs(text: str, places: tuple[int, ...]) -> str:
    """Return the names of a few easily confused characters; empty for others."""
    if not 0 < len(places) <= _MOST_NAMED:
        return ""
    names = [_NAMES.get(text[at], "") for at in places]
    return ", ".join(names) if all(names) else ""
