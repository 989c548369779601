"""Numbers as they are written in tables: separators, signs, brackets and money about them.

The one definition of a number: checks, the screen and what is written all go by it. What a comma
or a point means is decided for a whole column.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache
from typing import Literal

Sign = Literal[".", ","]

_AMOUNT = re.compile(
    r"^(?P<open>\()?(?P<sign>[-–−+])?\s?(?P<money>[£$€¥]|kr|Fr)?\s?(?P<minus>[-–−])?"
    r"(?P<digits>\d[\d.,'’ ]*)\s?(?P<after>%|CR|DR|cr|dr)?(?P<close>\))?$",
    re.ASCII,
)
_GROUPED = re.compile(r"^\d{1,3}(?P<by>[.,'’ ])\d{3}(?:(?P=by)\d{3})*$", re.ASCII)
_SPACES = str.maketrans(dict.fromkeys("\u00a0\u2009\u202f", " "))
_MOST_DIGITS = 15
_TEXTS_KEPT = 1 << 16  # checks, the screen and what is written ask for the same texts
_MOST_SHORT, _LEAST_EACH = 3, 2
"""A number below 1,000 has up to three figures; two numbers below and two above must be there."""
_CLEARLY = 4
"""How many numbers must speak for a decimal sign for each that speaks against it."""


@dataclass(frozen=True)
class Amount:
    """A number as written.

    Attributes
    ----------
    value
        Its value; brackets and CR make it negative.
    places
        How many decimals it shows.
    plain
        Whether it is figures alone, with a minus at most: no money, percent, brackets, plus or
        leading zeros, as codes have.
    grouped
        Whether its thousands are parted.
    """

    value: Decimal
    places: int
    plain: bool = True
    grouped: bool = False


@dataclass(frozen=True)
class Separators:
    """How a column writes its numbers.

    Attributes
    ----------
    point
        The decimal sign; where nothing tells, the likelier one.
    certain
        Whether the numbers show it. "12,5" and "1,234,567" do; "1,250" may be either.
    """

    point: Sign = "."
    certain: bool = False


def _match(text: str) -> re.Match[str] | None:
    return _AMOUNT.match(text.strip().translate(_SPACES))


def find_separators(texts: Iterable[str]) -> Separators:
    """Decide what the signs in a column's numbers mean.

    "1,250" beside "412" and "96" has its thousands parted: numbers with decimals have as many
    throughout.
    """
    sure: dict[Sign, int] = {".": 0, ",": 0}
    likely: dict[Sign, int] = {".": 0, ",": 0}
    short = long = 0
    for text in texts:
        told = _read_sign(text)
        if told is not None:
            point, certain = told
            (sure if certain else likely)[point] += 1
        elif text.strip().isdecimal():
            long += len(text.strip()) > _MOST_SHORT
            short += len(text.strip()) <= _MOST_SHORT
    if any(sure.values()):
        point = "," if sure[","] > sure["."] else "."
        return Separators(point, certain=sure[point] >= _CLEARLY * sure[_other(point)])
    counts = sorted(likely.values())
    parted = counts[0] == long == 0 and min(counts[1], short) >= _LEAST_EACH
    return Separators("," if likely[","] > likely["."] else ".", certain=parted)


@lru_cache(maxsize=_TEXTS_KEPT)
def _read_sign(text: str) -> tuple[Sign, bool] | None:
    """Return which decimal sign a text suggests, and whether it is certain; None for neither."""
    match = _match(text)
    return None if match is None else _read_number_sign(match["digits"].strip())


def _read_number_sign(digits: str) -> tuple[Sign, bool] | None:
    """Return which decimal sign a number suggests, and whether it is certain; None for neither."""
    found: list[Sign] = [c for c in digits if c in {".", ","}]  # type: ignore[misc] # just these two
    if not found:
        return None
    last = found[-1]
    head, _, tail = digits.rpartition(last)
    if len(set(found)) == 2:
        return (last, True) if found.count(last) == 1 else None
    if len(found) > 1:  # stands between thousands
        return (_other(last), True) if _GROUPED.match(digits) else None
    if len(tail) != 3 or not _GROUPED.match(digits) or head.startswith("0"):
        return last, True
    return _other(last), False


def _other(sign: Sign) -> Sign:
    return "." if sign == "," else ","


def decide_columns(columns: Sequence[Sequence[str]]) -> list[Separators]:
    """Decide what the signs in each of a table's columns mean.

    A column that leaves it open writes its numbers as the table's other columns do, where all of
    these that show it agree.
    """
    own = [find_separators(texts) for texts in columns]
    shown = {s.point for s in own if s.certain}
    if len(shown) != 1:
        return own
    (point,) = shown
    return [s if s.certain else Separators(point, certain=True) for s in own]


def is_open(text: str, separators: Separators) -> bool:
    """Return whether a number has two meanings, as "1,250" where its column does not decide."""
    return not separators.certain and _read_sign(text) is not None


@lru_cache(maxsize=512)
def read_amounts(texts: tuple[str, ...]) -> tuple[str, tuple[Amount | None, ...]]:
    """Return a column's decimal sign and its amounts."""
    point = find_separators(texts).point
    return point, tuple(parse_amount(t, point) for t in texts)


@lru_cache(maxsize=_TEXTS_KEPT)
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
    match = _match(text)
    if match is None or bool(match["open"]) != bool(match["close"]):
        return None
    whole, dot, decimals = match["digits"].strip().partition(point)
    if dot and not decimals.isdigit():
        return None
    grouped = bool(_GROUPED.match(whole))
    if not whole.isdigit() and not grouped:
        return None
    digits = "".join(c for c in whole if c.isdigit())
    if len(digits) + len(decimals) > _MOST_DIGITS:
        return None
    value = Decimal(f"{digits}.{decimals}" if decimals else digits)
    less = match["open"] or match["minus"] or (match["sign"] and match["sign"] != "+")
    if less or (match["after"] or "").upper() == "CR":
        value = -value
    about = match["open"] or match["money"] or match["after"] or match["sign"] == "+"
    code = len(digits) > 1 and digits.startswith("0")
    return Amount(value, len(decimals), plain=not about and not code, grouped=grouped)


def after_point(text: str, point: str = ".") -> str:
    """Return a number from its decimal sign on, empty if it has none."""
    amount = parse_amount(text, point)
    if amount is None or not amount.places:
        return ""
    return text[text.rindex(point) :]


def write_like(value: Decimal, places: int, model: str, point: str = ".") -> str:
    """Write an amount in the style of ``model``: thousands, brackets, currency sign."""
    match = _match(model)
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
