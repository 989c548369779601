"""A cell's value, and how a spreadsheet must show it so that it looks as on the paper."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, time, timedelta
from decimal import Decimal
from functools import lru_cache
from typing import Any, Literal, TypeAlias

from keel_line._shared.column_types import ColumnType, is_blank, parse_value
from keel_line._shared.pulse import pulse
from keel_line._shared.texts import MONTHS
from keel_line.send.sent import SentTable

MOST_EXACT = 15
"""Digits of a number that a spreadsheet holds exactly."""
MISFIT = "Written as on the paper: it is no {}."
_CODE_LIKE = re.compile(r"^[^\d]*0\d", re.ASCII)
_TOKENS = re.compile(r"\d+|[^\W\d_]+|[\W_]+")
_TEXTS = frozenset({"text", "code", "yes or no", "pounds, shillings, pence"})
_ABOUT = "".join(chr(c) for c in range(32, 127) if not chr(c).isdigit()) + "£€¥–−\u00a0\u202f\u2009"
_PULSE_EVERY = 64  # cells
_SAYS_NEGATIVE = frozenset("(-–−")

Part: TypeAlias = tuple[
    Literal["", "day", "month", "year", "weekday", "hour", "minute", "second"], str
]
"""A part of a date or time: what it is, and how; of what stands between, its text."""


@dataclass(frozen=True)
class NumberLook:
    """How a number looks: what stands before and after its figures, decimals, thousands."""

    before: str = ""
    after: str = ""
    places: int = 0
    grouped: bool = False
    negative: bool = False
    percent: bool = False


@dataclass(frozen=True)
class TimeLook:
    """How a date, time or duration looks, part by part."""

    parts: tuple[Part, ...]
    half: bool = False
    duration: bool = False


Look: TypeAlias = NumberLook | TimeLook


@dataclass(frozen=True)
class SentValue:
    """A cell's value, and how it looks on the paper; ``look`` is None for texts.

    ``misfit`` names the column's type where the cell does not fit it, else it is empty.
    """

    value: str | Decimal | date | time | timedelta
    look: Look | None = None
    misfit: str = ""


def type_column(table: SentTable, col: int, *, as_text: bool = False) -> Iterator[SentValue]:
    """Yield the values of a column below its heading."""
    column = table.columns[col]
    first = table.heading_rows
    kind = ColumnType() if as_text else column.type
    as_texts = {row for (row, c), mark in table.marks.items() if c == col and mark.as_text}
    for row in range(first, len(column.texts)):
        if (row - first) % _PULSE_EVERY == 0:
            pulse()
        text = str(column.texts[row])
        yield SentValue(text) if row in as_texts else type_cell(text, kind)


@lru_cache(maxsize=1 << 16)  # values of a column come again
def type_cell(text: str, kind: ColumnType) -> SentValue:
    """Return a text's value as its column's type has it; the text itself where it has none."""
    if kind.kind in _TEXTS or is_blank(text):
        return SentValue(text)
    value = parse_value(text, kind)
    if value is None:
        return SentValue(text, misfit=kind.say() if any(c.isalnum() for c in text) else "")
    exact = not isinstance(value, Decimal) or (
        len(value.as_tuple().digits) <= MOST_EXACT and not _CODE_LIKE.match(text)
    )
    if isinstance(value, str | bool) or not exact:
        return SentValue(text)
    return SentValue(value, _look_of(text, value, kind))


def _look_of(text: str, value: Decimal | date | time | timedelta, kind: ColumnType) -> Look:
    """Return how a value is printed."""
    if isinstance(value, Decimal):
        return look_of_number(text, value, kind)
    if isinstance(value, date):
        return TimeLook(tuple(_parts_of_date(text, kind)))
    if isinstance(value, time):
        return TimeLook(tuple(_parts_of_time(text)), half="m" in text.casefold())
    parts: tuple[Part, ...] = (("hour", "h"), ("", ":"), ("minute", "mm"))
    more: tuple[Part, ...] = (("", ":"), ("second", "ss")) if value.seconds % 60 else ()
    return TimeLook((*parts, *more), duration=True)


def look_of_number(text: str, value: Decimal, kind: ColumnType) -> NumberLook:
    """Return how a number is printed: its decimals, its separators, and the signs around it."""
    plain = " ".join(text.split())
    core = plain.strip(_ABOUT)
    before, _, after = plain.partition(core)
    whole, point, decimals = core.rpartition(kind.point)
    places = len(decimals) if point and decimals.isdigit() else 0
    if point and not places:
        whole = core
    grouped = not (whole if point else core).isdigit()
    percent = kind.kind == "percent"
    if percent:
        after = after.replace("%", "", 1)
    negative = value < 0
    if negative and before in {"-", "–", "−"} and not after.strip():
        before = "-"
    if not negative:
        before = "".join(c for c in before if c not in _SAYS_NEGATIVE) if before != "+" else before
    return _share_look(before, after, places, grouped, negative, percent)


@lru_cache(maxsize=4096)
def _share_look(*parts: Any) -> NumberLook:
    """Return one look for all numbers that look the same."""
    return NumberLook(*parts)


def _parts_of_date(text: str, kind: ColumnType) -> Iterator[Part]:
    """Yield the parts of a date that :func:`parse_value` read, as they are printed."""
    tokens = _TOKENS.findall(" ".join(text.split()))
    named = any(_is_month(t) for t in tokens)
    figures = [t for t in tokens if t.isdigit()]
    padded = any(len(t) == 2 and t[0] == "0" for t in figures)
    if named:
        order = ["year", "day"] if len(figures[0]) == 4 else ["day", "year"]
    elif len(figures[0]) == 4 or kind.order == "year first":
        order = ["year", "month", "day"]
    else:
        order = (
            ["month", "day", "year"] if kind.order == "month first" else ["day", "month", "year"]
        )
    at = iter(order)
    for token in tokens:
        if token.isdigit():
            part = next(at)
            long = len(token) == 2 and padded
            if part == "year":
                yield "year", "yyyy" if len(token) == 4 else "yy"
            elif part == "day":
                yield "day", "dd" if long else "d"
            else:
                yield "month", "mm" if long else "m"
        elif _is_month(token):
            yield "month", "mmm" if len(token) <= 4 and token.casefold() not in MONTHS else "mmmm"
        elif token.casefold()[:3] in {"mon", "tue", "wed", "thu", "fri", "sat", "sun"}:
            yield "weekday", "ddd" if len(token) <= 4 else "dddd"
        else:
            yield "", token


def _is_month(token: str) -> bool:
    plain = token.casefold()
    return plain == "sept" or any(plain in {m, m[:3]} for m in MONTHS)


def _parts_of_time(text: str) -> Iterator[Part]:
    """Yield the parts of a time as they are printed; the half of the day is none of them."""
    tokens = [t for t in _TOKENS.findall(" ".join(text.split())) if not t.isalpha()]
    while tokens and not tokens[-1].isdigit():
        tokens.pop()
    names: Iterator[Literal["hour", "minute", "second"]] = iter(("hour", "minute", "second"))
    for token in tokens:
        if token.isdigit():
            part = next(names)
            letter = part[0]
            yield part, letter * (2 if part != "hour" or token[0] == "0" else 1)
        else:
            yield "", token


@lru_cache(maxsize=4096)
def excel_format(look: Look) -> str:
    """Return a look as workbooks write it."""
    if isinstance(look, TimeLook):
        shown = "".join(how if part else _quoted(how) for part, how in look.parts)
        if look.duration:
            shown = shown.replace("h", "[h]", 1)
        return shown + (" AM/PM" if look.half else "")
    number = ("#,##0" if look.grouped else "0") + ("." + "0" * look.places if look.places else "")
    number += "%" if look.percent else ""
    if look.negative and look.before == "-" and not look.after:
        return number
    whole = f"{_quoted(look.before)}{number}{_quoted(look.after)}"
    return f"{number};{whole}" if look.negative else whole


def _quoted(text: str) -> str:
    """Return a text in quotes, as a format shows it unchanged."""
    return "" if not text else '"' + text.replace('"', "") + '"'


def plain_number(value: Decimal, look: Look | None, point: str = ".") -> str:
    """Return a number with as many decimals as are printed, and nothing else about it."""
    percent, places = isinstance(look, NumberLook) and look.percent, 0
    if isinstance(look, NumberLook):
        places = look.places + 2 * percent
    shown = f"{value:.{places}f}"
    return shown if point == "." else shown.replace(".", point)
