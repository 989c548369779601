"""Compare texts, find lone marks, replace typographic signs, and count nouns."""

from __future__ import annotations

import re
import unicodedata
from difflib import SequenceMatcher

Pair = tuple[str, str]
"""The character that one text has and the one that the other has there; empty for none."""

MONTHS = (
    "january",
    "february",
    "march",
    "april",
    "may",
    "june",
    "july",
    "august",
    "september",
    "october",
    "november",
    "december",
)

_ALIKE = 0.75  # of two texts, of which a machine may have spoilt a character

_PLAIN = str.maketrans(
    {
        **dict.fromkeys("\u2010\u2011\u2013\u2014\u2212", "-"),
        **dict.fromkeys("\u2018\u2019\u201a", "'"),
        **dict.fromkeys("\u201c\u201d\u201e", '"'),
    }
)

_THOUSANDS = re.compile(r"(?<=\d)[,' ](?=\d{3}(?!\d))")

DASH_AND_QUOTES = frozenset("-'\"")
"""What dashes and quotation marks are when they are written plainly."""


def write_plain(text: str) -> str:
    """Return a text with every dash as a hyphen and every quotation mark as a straight one.

    It is as long as before: each character stays in its place.
    """
    return text.translate(_PLAIN)


def fold_text(text: str) -> str:
    """Return a text as a search compares it: lower case, no accents, no commas in numbers."""
    parted = unicodedata.normalize("NFKD", write_plain(text))
    bare = "".join(c for c in parted if not unicodedata.combining(c)).casefold()
    return _THOUSANDS.sub("", " ".join(bare.split()))


def count_shared(a: str, b: str) -> int:
    """Return how many characters two texts share from their beginning on."""
    pairs = enumerate(zip(a, b, strict=False))
    return next((i for i, (x, y) in pairs if x != y), min(len(a), len(b)))


def differ_in(a: str, b: str) -> Pair | None:
    """Return the difference between two readings if it is at most one character on each side.

    An empty side stands for a character that the other reading does not have; None where the two
    are alike or differ in more.
    """
    first = count_shared(a, b)
    last = 0
    while last < min(len(a), len(b)) - first and a[-1 - last] == b[-1 - last]:
        last += 1
    mid_a, mid_b = a[first : len(a) - last], b[first : len(b) - last]
    if max(len(mid_a), len(mid_b)) != 1:
        return None
    return mid_a, mid_b


def are_alike(a: str, b: str) -> bool:
    """Return whether two texts are the same but for what a machine may have misread."""
    if a == b:
        return True
    match: SequenceMatcher[str] = SequenceMatcher(None, a, b, autojunk=False)
    return match.real_quick_ratio() >= _ALIKE and match.ratio() >= _ALIKE


def is_lone_mark(text: str) -> bool:
    """Return whether a text is a lone mark, such as a dash: no letter, no figure."""
    return bool(text) and not any(char.isalnum() for char in text)


def count_of(number: int, noun: str) -> str:
    """Return a number with its noun, in the plural unless it is one: "1 page", "1,200 pages"."""
    return f"{number:,} {noun}" if number == 1 else f"{number:,} {noun}s"
