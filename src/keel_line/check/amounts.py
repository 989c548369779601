"""Amounts as they are written in tables: separators, signs, brackets and money about them."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

_AMOUNT = re.compile(
    r"^(?P<open>\()?(?P<sign>[-–−+])?\s?(?P<money>[£$€¥]|kr|Fr)?\s?(?P<minus>[-–−])?"
    r"(?P<digits>\d[\d.,'’ ]*)\s?(?P<after>%|CR|DR|cr|dr)?(?P<close>\))?$"
)
_GROUPED = re.compile(r"^\d{1,3}(?P<by>[.,'’ ])\d{3}(?:(?P=by)\d{3})*$")
_MOST_DIGITS = 15


@dataclass(frozen=True)
class Amount:
    """A number as written: its value and how many decimals it shows."""

    value: Decimal
    places: int


def find_point(texts: Iterable[str]) -> str:
    """Return the decimal sign that a column's numbers use: "." unless most have a comma there."""
    votes = {".": 0, ",": 0}
    for text in texts:
        match = _AMOUNT.match(text.strip())
        if match is None:
            continue
        signs = [c for c in match["digits"] if c in votes]
        if not signs:
            continue
        last = signs[-1]
        tail = len(match["digits"].strip()) - match["digits"].strip().rfind(last) - 1
        if len(set(signs)) == 2 or (signs.count(last) == 1 and tail != 3):
            votes[last] += 1
        elif signs.count(last) > 1 or tail == 3:  # stands between thousands, most likely
            votes["," if last == "." else "."] += 1
    return "," if votes[","] > votes["."] else "."


def parse_amount(text: str, point: str = ".") -> Amount | None:
    """Return the amount that a text is, or None.

    Parameters
    ----------
    text
        One line. Signs of money, a percent sign, CR or DR may stand about the figures; brackets and
        CR make it negative.
    point
        The decimal sign; other signs must part thousands.
    """
    match = _AMOUNT.match(text.strip())
    if match is None or bool(match["open"]) != bool(match["close"]):
        return None
    whole, dot, decimals = match["digits"].strip().partition(point)
    if dot and not decimals.isdigit():
        return None
    if not whole.isdigit() and not _GROUPED.match(whole):
        return None
    digits = "".join(c for c in whole if c.isdigit())
    if len(digits) + len(decimals) > _MOST_DIGITS:
        return None
    value = Decimal(f"{digits}.{decimals or 0}")
    less = match["open"] or match["minus"] or (match["sign"] and match["sign"] != "+")
    if less or (match["after"] or "").upper() == "CR":
        value = -value
    return Amount(value, len(decimals))


def write_like(value: Decimal, places: int, model: str, point: str = ".") -> str:
    """Write an amount as ``model`` is written: its thousands, its brackets, its sign of money."""
    match = _AMOUNT.match(model.strip())
    by = ""
    if match is not None:
        between = [c for c in match["digits"].strip() if c in ".,'’ " and c != point]
        by = between[0] if between else ""
    whole, _, decimals = f"{abs(value):.{places}f}".partition(".")
    grouped = f"{int(whole):,}".replace(",", by) if by else whole
    text = grouped + (point + decimals if decimals else "")
    if match is None:
        return f"-{text}" if value < 0 else text
    money = match["money"] or ""
    space = " " if money and f"{money} " in model else ""
    after = match["after"] or ""
    if value < 0 and match["open"]:
        return f"({money}{space}{text}{after if after != 'CR' else ''})"
    sign = "-" if value < 0 and after.upper() != "CR" else ""
    return f"{sign}{money}{space}{text}" + (f" {after}" if f" {after}" in model else after)
