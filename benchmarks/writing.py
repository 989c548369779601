"""What kind of thing a cell says: figures alone, words, both together, or rare signs."""

from __future__ import annotations

import re

BLANK = "blank"
_KINDS = (
    ("figures alone: numbers, dates, times", re.compile(r"[-\d\s.,'’+–−()%£€$¥¢½¼¾×°/:²³]*")),
    ("words and names", re.compile(r"[^\W\d_][^\W\d_\s.,&'’()/–-]*(?:[\s.,&'’()/–-]+[^\W\d_]*)*")),
    ("letters and figures: codes, units, dates", re.compile(r"[-\w\s.,'’+–−()%£€$¥¢½¼¾×°/:²³&#]*")),
)
_OTHER = "rare signs, or a mark alone"
KINDS = (*(name for name, _ in _KINDS), _OTHER, BLANK)
"""The kinds in the order in which they are told."""


def name_kind(text: str) -> str:
    """Return which of ``KINDS`` the text of a cell is."""
    if not text.strip():
        return BLANK
    if not any(c.isalnum() for c in text):
        return _OTHER
    return next((name for name, form in _KINDS if form.fullmatch(text)), _OTHER)
