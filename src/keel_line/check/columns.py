"""Checks within one column: running numbers, steady decimals, a closed list of values."""

from __future__ import annotations

import re
from collections import Counter
from functools import lru_cache

from keel_line._shared.amounts import read_amounts, write_like
from keel_line._shared.forms import form_of
from keel_line._shared.texts import MONTHS, differ_in
from keel_line.check.sheet import Column, Sheet
from keel_line.model.finding import Finding, Place, Wanted

_WORDS = re.compile(r"^[^\d]*[^\W\d_][^\d]*$")  # letters, and no figure
_LEAST_SERIES = 5
_SERIES_SHARE = 0.8
_SERIES_HELD, _SERIES_BROKEN = 2.5, -3.0
_LEAST_DECIMALS, _DECIMALS_SHARE = 6, 0.9
_DECIMALS_BROKEN = -2.0
_LEAST_LISTED, _LISTED_SHARE = 4, 0.6
_OFTEN = 3
_LEAST_FORMED, _FORMED_SHARE, _FORM_BROKEN = 5, 0.7, -2.5
_FIGURE_OF = {"l": "1", "I": "1", "|": "1", "O": "0", "o": "0", "S": "5", "B": "8", "Z": "2"}
_TWINS = {**_FIGURE_OF, "0": "O", "1": "Il", "5": "S", "8": "B", "2": "Z"}
_LEAST_LETTERS = 4
_LIST_BROKEN, _LIST_HELD = -3.0, 1.0
_COLUMNS_KEPT = 512  # of tables at hand; a settled cell changes one of them
_DAYS = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"]
CLOSED_LISTS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("a month", MONTHS),
    ("a month", (*(m[:3] for m in MONTHS), "sept")),
    ("a day of the week", tuple(_DAYS)),
    ("a day of the week", (*(d[:3] for d in _DAYS), "tues", "thur", "thurs")),
)


def check_series(sheet: Sheet) -> list[Finding]:
    """Find columns with a constant step, and the cells that break it."""
    return [f for column in sheet.columns for f in _series_of(column)]


@lru_cache(maxsize=_COLUMNS_KEPT)
def _series_of(column: Column) -> tuple[Finding, ...]:
    point, amounts = read_amounts(column.texts)
    known = [(r, a) for r in column.body if (a := amounts[r]) is not None]
    if len(known) < _LEAST_SERIES or any(a.places for _, a in known):
        return ()
    values = [int(a.value) for _, a in known]
    steps = Counter(b - a for a, b in zip(values, values[1:], strict=False))
    step, times = steps.most_common(1)[0]
    # One number out of step breaks two steps.
    if step == 0 or times < _SERIES_SHARE * (len(known) - 1) - 1:
        return ()
    origin, agree = Counter(v - step * k for k, v in enumerate(values)).most_common(1)[0]
    if agree < _SERIES_SHARE * len(known):
        return ()
    out, held = [], []
    for k, (row, amount) in enumerate(known):
        place = (row, column.number)
        due = origin + step * k
        if values[k] == due:
            held.append(place)
            continue
        text = write_like(amount.value - values[k] + due, 0, column.texts[row], point)
        says = f"{column.name} changes by {step} each row; expected {text} here."
        wanted = (Wanted(place, text),)
        out.append(Finding("series", says, (place,), _SERIES_BROKEN, wanted, place))
    says = f"{column.name} changes by {step} each row."
    return (*out, Finding("series", says, tuple(held), _SERIES_HELD, holds=True))


def check_decimals(sheet: Sheet) -> list[Finding]:
    """Find the amounts that show more or fewer decimals than all others of their column."""
    return [f for column in sheet.columns for f in _decimals_of(column)]


@lru_cache(maxsize=_COLUMNS_KEPT)
def _decimals_of(column: Column) -> tuple[Finding, ...]:
    _, amounts = read_amounts(column.texts)
    known = [(r, a) for r in column.body if (a := amounts[r]) is not None]
    if len(known) < _LEAST_DECIMALS:
        return ()
    usual, times = Counter(a.places for _, a in known).most_common(1)[0]
    if times < _DECIMALS_SHARE * len(known):
        return ()
    out = []
    for row, amount in known:
        if amount.places == usual:
            continue
        place = (row, column.number)
        says = f"{column.name} shows {_say_decimals(usual)}; this number has {amount.places}."
        wanted = tuple(
            Wanted(place, other)
            for other in column.others[row]
            if (a := read_amounts((other,))[1][0]) is not None and a.places == usual
        )[:1]
        out.append(Finding("decimals", says, (place,), _DECIMALS_BROKEN, wanted, place))
    return tuple(out)


def _say_decimals(count: int) -> str:
    if count == 0:
        return "no decimals"
    return "1 decimal" if count == 1 else f"{count} decimals"


def check_forms(sheet: Sheet) -> list[Finding]:
    """Find texts unlike their column's form that another reading, or a look-alike, would fit.

    Twins are figures and letters of nearly one shape: 1 and l, 0 and O.
    """
    return [f for column in sheet.columns for f in _forms_of(column)]


@lru_cache(maxsize=_COLUMNS_KEPT)
def _forms_of(column: Column) -> tuple[Finding, ...]:
    forms = {r: form_of(column.texts[r]) for r in column.body if column.texts[r]}
    if len(forms) < _LEAST_FORMED:
        return ()
    usual, times = Counter(forms.values()).most_common(1)[0]
    if times < _FORMED_SHARE * len(forms) or "9" not in usual:
        return ()
    example = next(column.texts[r] for r, form in forms.items() if form == usual)
    out = []
    for row, form in forms.items():
        if form == usual:
            continue
        tries = [*column.others[row], *_with_twins(column.texts[row])]
        fit = next((t for t in tries if form_of(t) == usual), None)
        if fit is not None:
            place = (row, column.number)
            says = f"{column.name} is written like “{example}”."
            wanted = (Wanted(place, fit),)
            out.append(Finding("form", says, (place,), _FORM_BROKEN, wanted, place))
    return tuple(out)


def _with_twins(text: str) -> list[str]:
    """Return a text with letters and the figures they look like swapped."""
    one_by_one = [
        text[:i] + twin + text[i + 1 :] for i, c in enumerate(text) for twin in _TWINS.get(c, "")
    ]
    all_figures = "".join(_FIGURE_OF.get(c, c) for c in text)
    return [*one_by_one, all_figures]


def check_lists(sheet: Sheet) -> list[Finding]:
    """Find words that are nearly, but not quite, one of the values that their column holds."""
    return [f for column in sheet.columns for f in _lists_of(column)]


@lru_cache(maxsize=_COLUMNS_KEPT)
def _lists_of(column: Column) -> tuple[Finding, ...]:
    words = {r: t for r in column.body if (t := column.texts[r]) and _WORDS.match(t)}
    if len(words) < _LEAST_LISTED:
        return ()
    for what, values in CLOSED_LISTS:
        if sum(_plain(t) in values for t in words.values()) >= _LISTED_SHARE * len(words):
            return _near_misses(column, words, values, f"not {what}")
    often = Counter(words.values())
    usual = [t for t, n in often.items() if n >= _OFTEN and len(t) >= _LEAST_LETTERS]
    out = []
    for row, text in words.items():
        if often[text] > 1 or len(text) < _LEAST_LETTERS:
            continue
        near = next((u for u in usual if is_near(text, u)), None)
        if near is not None:
            says = f"{column.name} holds “{near}” {often[near]} times; this is almost the same."
            out.append(_miss((row, column.number), near, says))
    return tuple(out)


def _near_misses(
    column: Column, words: dict[int, str], values: tuple[str, ...], what: str
) -> tuple[Finding, ...]:
    out = []
    held = tuple((row, column.number) for row, text in words.items() if _plain(text) in values)
    for row, text in words.items():
        if (row, column.number) in held:
            continue
        near = next((v for v in values if is_near(_plain(text), v)), None)
        if near is not None:
            shown = near.capitalize() if text[:1].isupper() else near
            shown = near.upper() if text.isupper() and len(text) > 1 else shown
            tail = "." if text.endswith(".") else ""
            says = f"“{text}” is {what}; “{shown}” differs by one letter."
            out.append(_miss((row, column.number), shown + tail, says))
    says = f"{column.name} holds only values of its list."
    return (*out, Finding("list", says, held, _LIST_HELD, holds=True))


def _miss(place: Place, text: str, says: str) -> Finding:
    return Finding("list", says, (place,), _LIST_BROKEN, (Wanted(place, text),), place)


def _plain(text: str) -> str:
    return text.rstrip(".").casefold()


@lru_cache(maxsize=4096)
def is_near(a: str, b: str) -> bool:
    """Return whether two texts differ by one inserted, deleted or changed letter."""
    return differ_in(a, b) is not None
