"""Types of columns: what their texts mean, decided for a whole column.

The one definition: tidying, the screen and what is written all go by it. A text that does not fit
is told of and stays as it is.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, time, timedelta
from decimal import Decimal
from functools import lru_cache
from itertools import pairwise
from typing import Literal, TypeAlias, get_args

from keel_line._shared.amounts import Separators, Sign, find_separators, parse_amount
from keel_line._shared.forms import form_of
from keel_line._shared.texts import MONTHS, is_lone_mark

Kind: TypeAlias = Literal[
    "text",
    "whole number",
    "decimal",
    "money",
    "percent",
    "date",
    "time",
    "duration",
    "yes or no",
    "code",
    "pounds, shillings, pence",
]
DateOrder: TypeAlias = Literal["day first", "month first", "year first"]
Value: TypeAlias = str | Decimal | date | time | timedelta | bool
KINDS: tuple[Kind, ...] = get_args(Kind)
NUMBERS: frozenset[Kind] = frozenset({"whole number", "decimal", "money", "percent"})

_WEEKDAY = r"(?:(?:mon|tue|wed|thu|fri|sat|sun)[a-z]*\.?,?\s+)?"
_DAY_MONTH = re.compile(
    rf"^{_WEEKDAY}(?P<day>\d{{1,2}})(?:st|nd|rd|th)?[\s.\-]*(?:of\s+)?"
    r"(?P<month>[a-z]{3,9})\.?(?:,?[\s\-.]*(?P<year>\d{4}|'?\d{2}))?$",
    re.IGNORECASE,
)
_MONTH_DAY = re.compile(
    rf"^{_WEEKDAY}(?P<month>[a-z]{{3,9}})\.?\s*(?P<day>\d{{1,2}})(?:st|nd|rd|th)?"
    r"(?:,?\s+(?P<year>\d{4}|'\d{2}))?$",
    re.IGNORECASE,
)
_FIGURES = re.compile(r"^(\d{1,4})([./\-])(\d{1,2})\2(\d{1,4})$")
_TIME = re.compile(
    r"^(?P<hour>\d{1,2})[:. ](?P<minute>\d{2})(?:[:.](?P<second>\d{2}))?\s*(?P<half>[ap]\.?m\.?)?$",
    re.IGNORECASE,
)
_SPAN = re.compile(
    r"^(?:(?P<days>\d+)\s*d(?:ays?)?\.?\s*)?(?:(?P<hours>\d+)\s*h(?:(?:ou)?rs?)?\.?\s*)?"
    r"(?:(?P<minutes>\d+)\s*m(?:in(?:ute)?s?)?\.?\s*)?(?:(?P<seconds>\d+)\s*s(?:ec(?:ond)?s?)?\.?)?$",
    re.IGNORECASE,
)
_OLD_MONEY = re.compile(
    r"^£?\s?(?:(?P<pounds>\d[\d,]*)\s*[.\-/l]?\s*)?(?P<shillings>\d{1,2})\s*s\.?\s*"
    r"(?:(?P<pence>\d{1,2})\s*d\.?)?$"
    r"|^£\s?(?P<only>\d[\d,]*)[.\-/ ]\s?(?P<s>\d{1,2})[.\-/ ]\s?(?P<d>\d{1,2})$"
)
_SAYS_TIME = re.compile(r"\b(?:times?|hours?|clock|hrs?)\b", re.IGNORECASE)
_YES = {"yes", "y", "true", "✓", "✔"}
_NO = {"no", "n", "false", "✗", "✘"}
_MARKS = _YES | _NO
_CODE = re.compile(r"^(?=.*\d)[A-Za-z0-9][A-Za-z0-9 ./\-]{0,15}$")
_MEASURE = re.compile(r"^\d[\d.,]*\s*[a-zµ]{1,6}\.?$")
_CURRENCY = re.compile(r"[£$€¥]|\bkr\b|\bFr\b")
_NOTHING = frozenset({"nil", "n/a", "n.a.", "none"})
_FITS, _LEAST_FITS = 0.8, 0.65
_SAMPLE = 1000
_MOSTLY_FORMED = 0.9
_FIRST_YEAR = 1900
_MOST_DAYS = 31
_NUMBERED = re.compile(r"^(\d{1,3})\.(\d{1,3})$")


OPEN_SIGN = "its comma or point may part thousands or decimals"


@dataclass(frozen=True)
class ColumnType:
    """What a column's texts mean.

    Attributes
    ----------
    kind
        One of ``KINDS``.
    point
        The decimal sign of its numbers.
    places
        The most decimals it shows.
    currency
        The sign of its money; empty where none stands in the column.
    order
        What comes first in dates of figures alone.
    year
        The year of dates that show none; 0 where such a text is no date.
    first_year
        Years of two digits lie in the hundred years from here.
    """

    kind: Kind = "text"
    point: Sign = "."
    places: int = 0
    currency: str = ""
    order: DateOrder = "day first"
    year: int = 0
    first_year: int = _FIRST_YEAR

    def say(self) -> str:
        """Return it in words."""
        if self.kind == "money" and self.currency:
            return f"money {self.currency}"
        if self.kind == "date" and self.year:
            return f"date of {self.year}"
        return self.kind


@dataclass(frozen=True)
class Decided:
    """The type that a column shows.

    Attributes
    ----------
    type
        The likeliest.
    certain
        Whether nothing in the column speaks for another: no mixture, no open separator, no open
        order of day and month.
    why
        What leaves it open; empty where it is certain.
    mixed
        Whether all that leaves it open is that some of its cells do not fit.
    """

    type: ColumnType
    certain: bool = True
    why: str = ""
    mixed: bool = False


def is_blank(text: str) -> bool:
    """Return whether a text says that there is no value: nothing, a lone dash, "nil"."""
    plain = text.strip()
    if plain[:1].isdigit():  # most texts, and the quickest answer
        return False
    if not plain or plain.casefold() in _NOTHING:
        return True
    return is_lone_mark(plain) and plain not in _MARKS


def parse_value(text: str, kind: ColumnType) -> Value | None:
    """Return a text's value as its column's type has it; None where it does not fit.

    Blank texts have none either (:func:`is_blank`).
    """
    if is_blank(text):
        return None
    plain = " ".join(text.split()) if " " in text or not text.isprintable() else text
    return _PARSERS[kind.kind](plain, kind)


@dataclass(frozen=True)
class _Hints:
    """What stands about a column: its name, the year of the paper, its table's decimal sign."""

    name: str
    year: int
    point: Sign | None


def find_point(columns: Iterable[Iterable[str]]) -> Sign | None:
    """Return the decimal sign that a table's columns show, where all that show one agree."""
    shown = {s.point for texts in columns if (s := find_separators(_sample(texts))).certain}
    return shown.pop() if len(shown) == 1 else None


def _sample(texts: Iterable[str]) -> list[str]:
    """Return every so many of a long column's texts: of each it is asked when it is shown."""
    listed = list(texts)
    return listed[:: max(1, len(listed) // _SAMPLE)]


def decide_type(
    texts: Iterable[str], name: str = "", year: int = 0, point: Sign | None = None
) -> Decided:
    """Decide a column's type from its texts.

    Parameters
    ----------
    texts
        Those below its headings.
    name
        The column's name, which may hold a sign of money or a percent sign.
    year
        The year that the paper speaks of, for dates without one; 0 if unknown.
    point
        The decimal sign of the table's other columns, where this one leaves it open.
    """
    written = [" ".join(t.split()) for t in _sample(texts)]
    written = [t for t in written if not is_blank(t)]
    if not written:
        return Decided(ColumnType())
    counted = Counter(written)
    for kind, find in _FINDERS:
        found = find(counted, _Hints(name, year, point))
        if found is None:
            continue
        share = _share_that_fits(counted, found.type)
        if share >= _FITS:
            if share == 1.0:
                return found
            why = found.why or _say_misfits(share)
            return replace(found, certain=False, why=why, mixed=found.certain)
        if share >= _LEAST_FITS and kind in NUMBERS:
            return Decided(ColumnType(), certain=False, why=_say_misfits(share))
    return Decided(ColumnType())


def _say_misfits(share: float) -> str:
    return f"{max(1, round(100 * (1 - share)))}% of its cells do not fit"


def _share_that_fits(counted: Counter[str], kind: ColumnType) -> float:
    fits = sum(n for text, n in counted.items() if parse_value(text, kind) is not None)
    return fits / counted.total()


# --- numbers ---


_PLAIN = {
    ".": re.compile(r"^-?(?:\d{1,12}|\d{1,3}(?:,\d{3}){1,3})(?:\.\d{1,3})?$", re.ASCII),
    ",": re.compile(r"^-?(?:\d{1,12}|\d{1,3}(?:\.\d{3}){1,3})(?:,\d{1,3})?$", re.ASCII),
}


def _parse_plain(text: str, point: Sign) -> Decimal | None:
    """Return a plain number's value quickly; None where it takes a closer look."""
    if not _PLAIN[point].match(text):
        return None
    return Decimal(
        text.replace(",", "") if point == "." else text.replace(".", "").replace(",", ".")
    )


def _parse_amount(text: str, kind: ColumnType) -> Decimal | None:
    plain = _parse_plain(text, kind.point)
    if plain is not None:
        return plain
    amount = parse_amount(text, kind.point)
    if amount is None or "%" in text:
        return None
    return amount.value


def _parse_whole(text: str, kind: ColumnType) -> Decimal | None:
    amount = parse_amount(text, kind.point)
    return None if amount is None or amount.places or "%" in text else amount.value


def _parse_percent(text: str, kind: ColumnType) -> Decimal | None:
    amount = parse_amount(text, kind.point)
    return None if amount is None else amount.value / 100


def _find_number(counted: Counter[str], hints: _Hints) -> Decided | None:
    """Return the kind of number that a column's texts are."""
    separators = find_separators(counted)
    if not separators.certain and hints.point is not None:
        separators = Separators(hints.point, certain=True)
    amounts = [(t, parse_amount(t, separators.point)) for t in counted]
    known = [(t, a) for t, a in amounts if a is not None]
    if len(known) < _LEAST_FITS * len(amounts):
        return None
    places = max(a.places for _, a in known)
    signs = Counter(m.group() for t, _ in known if (m := _CURRENCY.search(t)))
    in_name = _CURRENCY.search(hints.name)
    currency = signs.most_common(1)[0][0] if signs else in_name.group() if in_name else ""
    why = ""
    if len(signs) > 1:
        why = f"it holds {' and '.join(sorted(signs))}"
    elif not separators.certain and any(c in t for t, _ in known for c in ",."):
        why = OPEN_SIGN
    kind: Kind = "decimal" if places else "whole number"
    percents = sum("%" in t for t, _ in known)
    if percents > len(known) / 2 or ("%" in hints.name and not currency):
        kind = "percent"
    elif currency or any(t.upper().endswith(("CR", "DR")) for t, _ in known):
        kind = "money"
    return Decided(
        ColumnType(kind, separators.point, places, currency if kind == "money" else ""),
        certain=not why,
        why=why,
    )


# --- codes, yes or no ---


def _parse_code(text: str, _kind: ColumnType) -> str | None:
    return text if _CODE.match(text) else None


def _find_zeros(counted: Counter[str], _hints: _Hints) -> Decided | None:
    """Return "code" for figures with leading zeros."""
    figures = [t for t in counted if t.isdigit()]
    zeros = sum(len(t) > 1 and t[0] == "0" for t in figures)
    told = zeros > 1 or (zeros and len({len(t) for t in figures}) == 1)
    return Decided(ColumnType("code")) if told and len(figures) >= _FITS * len(counted) else None


def _find_numbered(counted: Counter[str], _hints: _Hints) -> Decided | None:
    """Return "code" for numbers of sections, such as 3.9 before 3.10, which is not 3.1."""
    parts = [(int(m[1]), int(m[2])) for t in counted if (m := _NUMBERED.match(t))]
    if len(parts) < _FITS * len(counted):
        return None
    steps = [(a[1], b[1]) for a, b in pairwise(parts) if a[0] == b[0] and abs(a[1] - b[1]) == 1]
    over_nine = any({a, b} == {9, 10} for a, b in steps)
    often = 2 * len(steps) >= len(parts) - 1
    return Decided(ColumnType("code")) if over_nine and often else None


def _find_code(counted: Counter[str], _hints: _Hints) -> Decided | None:
    """Return "code" for letters with figures, of few forms."""
    mixed = [t for t in counted if any(c.isalpha() for c in t) and _CODE.match(t)]
    mixed = [t for t in mixed if len(t.split()) <= 2]
    dated = sum(_read_date(t) is not None for t in mixed) > len(mixed) / 2
    if len(mixed) < len(counted) or dated or _has_unit(mixed):
        return None
    forms = Counter(form_of(t) for t in mixed)
    often = sum(n for _, n in forms.most_common(3))
    return Decided(ColumnType("code")) if often >= _MOSTLY_FORMED * len(mixed) else None


def _has_unit(texts: Sequence[str]) -> bool:
    """Return whether texts are numbers with units after them, in small letters."""
    return all(_MEASURE.match(t) for t in texts)


def _parse_yes(text: str, _kind: ColumnType) -> bool | None:
    plain = text.casefold().rstrip(".")
    return True if plain in _YES else False if plain in _NO else None


def _find_yes(counted: Counter[str], _hints: _Hints) -> Decided | None:
    fits = sum(_parse_yes(t, ColumnType()) is not None for t in counted)
    return Decided(ColumnType("yes or no")) if fits >= _FITS * len(counted) else None


# --- dates and times ---


@dataclass(frozen=True)
class _Written:
    """A date as written: its figures, in their order where no month's name tells which is which."""

    parts: tuple[int, int, int]
    named: bool
    digits: tuple[int, int, int]  # how many each has; none where it is missing


@lru_cache(maxsize=1 << 16)
def _read_date(text: str) -> _Written | None:
    """Return a date's parts: (day, month, year) where the month is named, else as they stand."""
    match = _DAY_MONTH.match(text) or _MONTH_DAY.match(text)
    if match is not None:
        month = _month_of(match["month"])
        year = (match["year"] or "").lstrip("'")
        if month is None:
            return None
        digits = (len(match["day"]), 2, len(year))
        return _Written((int(match["day"]), month, int(year or 0)), named=True, digits=digits)
    match = _FIGURES.match(text)
    if match is None:
        return None
    first, _, second, third = match.groups()
    digits = (len(first), len(second), len(third))
    has_year = digits[0] == 4 or digits[2] in (2, 4) or (digits[0] == 2 and int(first) > _MOST_DAYS)
    if not has_year or digits[0] == 3 or (digits[0] > 2 and digits[2] > 2):
        return None
    return _Written((int(first), int(second), int(third)), named=False, digits=digits)


def _month_of(word: str) -> int | None:
    """Return a month's number by its name, whole or in three letters."""
    plain = word.casefold()
    for number, month in enumerate(MONTHS, 1):
        if plain in {month, month[:3]} or (plain == "sept" and month == "september"):
            return number
    return None


def _parse_date(text: str, kind: ColumnType) -> date | None:
    written = _read_date(text)
    if written is None:
        return None
    (first, second, third), digits = written.parts, written.digits
    if written.named:
        day, month, year, length = first, second, third, digits[2]
    elif digits[0] == 4:
        day, month, year, length = third, second, first, 4
    elif kind.order == "year first":
        day, month, year, length = third, second, first, digits[0]
    elif kind.order == "month first":
        day, month, year, length = second, first, third, digits[2]
    else:
        day, month, year, length = first, second, third, digits[2]
    if length == 0:
        year = kind.year
    elif length <= 2:
        year += kind.first_year - kind.first_year % 100
        year += 100 * (year < kind.first_year)
    try:
        return date(year, month, day)
    except ValueError:
        return None


def _find_date(counted: Counter[str], hints: _Hints) -> Decided | None:
    """Return "date" with the order that the column shows: a 13 settles it."""
    written = [w for t in counted if (w := _read_date(t)) is not None]
    if len(written) < _LEAST_FITS * len(counted):
        return None
    figures = [w.parts for w in written if not w.named and w.digits[0] != 4]
    day_first = sum(a > 12 and b <= 12 for a, b, _ in figures)
    month_first = sum(b > 12 and a <= 12 for a, b, _ in figures)
    order: DateOrder = "month first" if month_first > day_first else "day first"
    if figures and all(a > 31 or a == 0 for a, _, _ in figures):
        order = "year first"
    why = ""
    if figures and order != "year first":
        if day_first and month_first:
            why = "some dates put the day first, others the month"
        elif not day_first and not month_first:
            why = "either figure may be the day"
    years = [w.parts[2] for w in written if w.digits[2] == 4]
    first_year = min(years) // 100 * 100 if years else _FIRST_YEAR
    without = sum(w.digits[2] == 0 for w in written)
    if without and not hints.year:
        return None
    own = hints.year if without else 0
    return Decided(
        ColumnType("date", order=order, year=own, first_year=first_year),
        certain=not why,
        why=why,
    )


def _parse_time(text: str, _kind: ColumnType) -> time | None:
    match = _TIME.match(text)
    if match is None:
        return None
    hour, half = int(match["hour"]), (match["half"] or "").casefold().replace(".", "")
    if half and not 1 <= hour <= 12:
        return None
    if half:
        hour = hour % 12 + 12 * (half == "pm")
    try:
        return time(hour, int(match["minute"]), int(match["second"] or 0))
    except ValueError:
        return None


def _find_time(counted: Counter[str], hints: _Hints) -> Decided | None:
    """Return "time" where colons, halves of the day or the column's name say so."""
    fits = [t for t in counted if _parse_time(t, ColumnType()) is not None]
    told = [t for t in fits if ":" in t or "m" in t.casefold()]
    enough = len(told) >= len(fits) / 2 or _SAYS_TIME.search(hints.name)
    return Decided(ColumnType("time")) if enough and len(fits) >= _FITS * len(counted) else None


def _parse_duration(text: str, _kind: ColumnType) -> timedelta | None:
    match = _SPAN.match(text)
    if match is not None and any(match.groups()):
        parts = {name: int(value or 0) for name, value in match.groupdict().items()}
        return timedelta(**parts)
    clock = re.match(r"^(\d{1,4}):([0-5]\d)(?::([0-5]\d))?$", text)
    if clock is None:
        return None
    hours, minutes, seconds = (int(v or 0) for v in clock.groups())
    return timedelta(hours=hours, minutes=minutes, seconds=seconds)


def _find_duration(counted: Counter[str], _hints: _Hints) -> Decided | None:
    fits = sum(_parse_duration(t, ColumnType()) is not None for t in counted)
    return Decided(ColumnType("duration")) if fits >= _FITS * len(counted) else None


# --- old money ---


def _parse_old_money(text: str, _kind: ColumnType) -> Decimal | None:
    """Return pence: 12 to a shilling, 240 to a pound."""
    match = _OLD_MONEY.match(text)
    if match is None:
        return None
    pounds = int((match["pounds"] or match["only"] or "0").replace(",", ""))
    shillings = int(match["shillings"] or match["s"] or 0)
    pence = int(match["pence"] or match["d"] or 0)
    if shillings >= 20 or pence >= 12:
        return None
    return Decimal(240 * pounds + 12 * shillings + pence)


def _find_old_money(counted: Counter[str], _hints: _Hints) -> Decided | None:
    fits = sum(_parse_old_money(t, ColumnType()) is not None for t in counted)
    enough = fits >= _FITS * len(counted)
    return Decided(ColumnType("pounds, shillings, pence", currency="£")) if enough else None


def _keep(text: str, _kind: ColumnType) -> str:
    return text


_PARSERS: dict[Kind, Callable[[str, ColumnType], Value | None]] = {
    "text": _keep,
    "whole number": _parse_whole,
    "decimal": _parse_amount,
    "money": _parse_amount,
    "percent": _parse_percent,
    "date": _parse_date,
    "time": _parse_time,
    "duration": _parse_duration,
    "yes or no": _parse_yes,
    "code": _parse_code,
    "pounds, shillings, pence": _parse_old_money,
}
_FINDERS: tuple[tuple[Kind, Callable[[Counter[str], _Hints], Decided | None]], ...] = (
    ("yes or no", _find_yes),
    ("date", _find_date),
    ("time", _find_time),
    ("duration", _find_duration),
    ("pounds, shillings, pence", _find_old_money),
    ("code", _find_zeros),
    ("code", _find_numbered),
    ("decimal", _find_number),
    ("code", _find_code),
)
