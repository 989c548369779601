"""Which texts are plain numbers, so that a spreadsheet can add them up."""

from __future__ import annotations

import re
from dataclasses import dataclass

_PLAIN = re.compile(r"^-?(?:\d{1,3}(?:,\d{3})+|0|[1-9]\d*)(?:\.(\d+))?$")
_MOST_DIGITS = 15


@dataclass(frozen=True)
class PlainNumber:
    """A number's value and the spreadsheet format that shows it as the paper does."""

    value: float
    format: str


def parse_number(text: str) -> PlainNumber | None:
    """Return the number that a text plainly is, or None.

    Digits with or without commas between thousands and a decimal point; anything else (leading
    zeros, as in codes; signs of money; more digits than a spreadsheet holds) stays text.
    """
    stripped = text.strip()
    match = _PLAIN.match(stripped)
    if match is None or sum(c.isdigit() for c in stripped) > _MOST_DIGITS:
        return None
    places = len(match.group(1) or "")
    whole = "#,##0" if "," in stripped else "0"
    return PlainNumber(
        float(stripped.replace(",", "")), whole + ("." + "0" * places if places else "")
    )
