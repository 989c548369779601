"""Measures what pieces of writing say, and whether one goes on with another."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from scipy import sparse

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

_OWN, _PAIR, _COLUMN = 26, 7, 4  # measures of a text, of each two neighbours, of its column
_WAYS = 4
_MOST_SHAPE = 12
_CAPTION = re.compile(r"^(table|tab[.]|list|schedule|appendix|statement|return)\b", re.IGNORECASE)
_NUMBERED = re.compile(r"^\w+[.]? ?\d+ ?[.:)\u2013-]")
_NOTE = re.compile(
    r"^([*\u2020\u2021\u00a7]|[(]?\w[)]|notes?\b|sources?\b|n[.]b[.])", re.IGNORECASE
)
_ITEM = re.compile(r"^([\u2013\u2022-]|\d+[.)])\s")
_SUMS = ("total", "sum", "carried", "brought", "balance")
_SMALL_WORD = re.compile(
    r"(an?|and|are|as|at|be|but|by|for|from|has|have|if|in|into|is|its?|nor|not|of|on|or|per|so|"
    r"than|that|the|their|this|to|under|upon|via|was|were|when|where|which|who|will|with)",
    re.IGNORECASE,
)
_CODE_SIGNS = frozenset("=_<>[]{}/\\|$#@&")
_OPEN_ENDS = (",", "-", "(", "/", "+", "&")
_ENDS = (".", ":", ";", "!", "?")
_LONG_WORD = 3
_NUMBER, _MARK, _WORDS, _MIXED = range(4)


@dataclass(frozen=True)
class _Said:
    """A piece's text and what is found in it.

    ``opened`` and ``closed`` count brackets whose other half is not in it. It ``ends_open`` where
    more must follow.
    """

    text: str
    shape: str
    kind: int
    opened: int
    closed: int
    begins_small: bool
    begins_word: bool
    ends_open: bool


def measure_texts(
    texts: Sequence[str | None] | None, near: Ints, columns: Sequence[sparse.csr_array]
) -> Floats:
    """Measure what pieces say; zeros where it is not known.

    Parameters
    ----------
    texts
        What each of n pieces says, None where it is not known.
    near
        Number of each piece's neighbour above, below, left and right, shape (n, 4), -1 for none.
    columns
        For the pieces of its column above each piece, and for those below, their shares, shape
        (n, n).

    Returns
    -------
    shape (n, TEXTS)
    """
    count = len(near)
    out = np.zeros((count, TEXTS))
    if texts is None:
        return out
    said = [None if text is None else _take_apart(text) for text in texts]
    for k, own in enumerate(said):
        if own is None:
            continue
        out[k, :_OWN] = _measure_own(own)
        for way, other in enumerate(near[k].tolist()):
            beside = said[other] if other >= 0 else None
            if beside is not None:
                first = _OWN + way * _PAIR
                pair = (beside, own) if way % 2 == 0 else (own, beside)
                out[k, first : first + _PAIR] = _measure_pair(*pair)
    out[:, -_COLUMN:] = _measure_column(said, columns)
    return out


def _take_apart(text: str) -> _Said:
    words = text.split()
    opened = closed = 0
    for c in text:
        if c in "([{":
            opened += 1
        elif c in ")]}":
            if opened:
                opened -= 1
            else:
                closed += 1
    return _Said(
        text,
        _shape_of(text),
        _kind_of(text),
        opened,
        closed,
        text[:1].islower(),
        text[:1].isalnum(),
        bool(words and _SMALL_WORD.fullmatch(words[-1])) or text.endswith(_OPEN_ENDS),
    )


def _shape_of(text: str) -> str:
    """Return the form of a text: 9 for each run of figures, a for small letters, A for capitals."""
    out: list[str] = []
    for c in text:
        sign = "9" if c.isdigit() else "a" if c.islower() else "A" if c.isalpha() else c
        if not out or out[-1] != sign:
            out.append(sign)
            if len(out) == _MOST_SHAPE:
                break
    return "".join(out)


def _kind_of(text: str) -> int:
    letters = sum(c.isalpha() for c in text)
    figures = sum(c.isdigit() for c in text)
    if not letters:
        return _NUMBER if figures else _MARK
    return _MIXED if figures else _WORDS


def _measure_own(said: _Said) -> tuple[float, ...]:
    text = said.text
    letters = sum(c.isalpha() for c in text)
    figures = sum(c.isdigit() for c in text)
    size = max(1, len(text.replace(" ", "")))
    words = text.split()
    small = sum(w[:1].islower() and len(w) >= _LONG_WORD for w in words)
    return (
        1.0,
        figures / size,
        letters / size,
        sum(c.isupper() for c in text) / max(1, letters),
        said.begins_small,
        text.endswith("."),
        text.endswith((",", ";", "-")),
        bool(_CAPTION.match(text)),
        bool(_NUMBERED.match(text)),
        bool(_NOTE.match(text)),
        bool(_ITEM.match(text)),
        np.log1p(len(text)),
        np.log1p(text.count(" ")),
        text.lower().startswith(_SUMS),
        text[:1].isupper(),
        text[:1].isdigit(),
        said.kind == _NUMBER,
        said.kind == _MARK,
        said.kind == _MIXED,
        bool(words and _SMALL_WORD.fullmatch(words[0])),
        said.ends_open,
        min(said.opened, 2),
        min(said.closed, 2),
        text.endswith(":"),
        sum(c in _CODE_SIGNS for c in text) / size,
        small / max(1, len(words)),
    )


def _measure_pair(first: _Said, second: _Said) -> tuple[float, ...]:
    """Measure whether a piece goes on with the one before it, and whether they look alike."""
    return (
        1.0,
        first.text == second.text,
        first.shape == second.shape,
        first.kind == second.kind,
        second.begins_small and not first.text.endswith(_ENDS),
        bool(first.opened and second.closed),
        first.ends_open and second.begins_word,
    )


def _measure_column(said: Sequence[_Said | None], columns: Sequence[sparse.csr_array]) -> Floats:
    """Measure which share of each piece's column has the same form, and which the same kind."""
    known = np.array([s is not None for s in said], bool)
    numbers: dict[str, int] = {}
    shapes = np.array([numbers.setdefault(s.shape, len(numbers)) if s else -1 for s in said])
    kinds = np.array([s.kind if s else -1 for s in said])
    out = []
    for column in columns:
        own = np.repeat(np.arange(len(said)), np.diff(column.indptr))
        other = column.indices
        both = known[own] & known[other]
        own, other = own[both], other[both]
        total = np.maximum(np.bincount(own, minlength=len(said)), 1)
        for what in (shapes, kinds):
            alike = np.bincount(own, what[own] == what[other], minlength=len(said))
            out.append(alike / total)
    return np.column_stack(out)


TEXTS = _OWN + _WAYS * _PAIR + _COLUMN
"""How many measures there are of each text."""

IS_KNOWN, ENDS_WITH_STOP = 0, 5
"""The places of two measures: is the text known, and does it end with a full stop."""

FIGURES_AND_LETTERS = slice(1, 3)
"""The places of two measures: how much of a text is figures, and how much is letters."""

BEGINS_SMALL = 4
"""The place of a measure: does the text begin with a small letter."""

FIRST_WORD = (7, 8, 4, 14, 15, 9, 10)
"""The places of measures of how a text begins: naming a table, numbered, with a small letter, a
capital, a figure, as notes do, as an item of a list."""

LENGTH, CODE = 11, 24
"""The places of two measures: how many characters has a text (log(1 + n)); which share of them are
signs of code."""

ENDS = (5, 6, 23, 20)
"""The places of measures of how a text ends: with a full stop; a comma or the like; a colon; where
more must follow."""

BY_ITSELF = slice(0, _OWN)
"""The places of the measures that look at a text alone."""

WITH_COLUMN = slice(TEXTS - _COLUMN, TEXTS)
"""The places of the measures that compare a text with the other texts of its column."""

WITH_BELOW = slice(_OWN + _PAIR, _OWN + 2 * _PAIR)
"""The places of the measures that compare a text with the one below it.

They are those that ``WITH_ABOVE`` has for the text above.
"""

WITH_ABOVE = slice(_OWN, _OWN + _PAIR)
"""The places of the measures of a text and the one above it: are both known, do they look alike,
does the lower one go on with the upper one (by its first letter, brackets, the last word)."""

ENDS_AS_TEXT = (5, 6, 23)
"""The places of three measures: does it end with a full stop; a comma or the like; a colon."""

SAME_KIND = slice(TEXTS - _COLUMN + 1, None, 2)
"""The places of two measures: which share of the texts above in the column, and of those below, is
of the same kind (numbers, words, both mixed, or marks)."""
