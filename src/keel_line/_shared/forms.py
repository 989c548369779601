"""The form of a text: each run of figures and each run of letters counts as one sign."""

from __future__ import annotations

import re

_FIGURES = re.compile(r"\d+")
_LETTERS = re.compile(r"[^\W\d_]+")


def form_of(text: str) -> str:
    """Return a text's form: runs of letters as "a", runs of figures as "9", the rest as it is.

    "1,284.50" and "96.20" differ, "9 May" and "21 Sept" do not.
    """
    return _FIGURES.sub("9", _LETTERS.sub("a", text.replace("\n", " ")))
