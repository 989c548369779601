"""What a column keeps to by itself: running numbers, steady decimals, a closed list of values."""

from __future__ import annotations

from collections import Counter
from functools import lru_cache

from keel_line._shared.forms import form_of
from keel_line.check.amounts import write_like
from keel_line.check.sheet import Sheet, Value
from keel_line.check.sums import read_amounts
from keel_line.model.finding import Finding, Wanted

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
_MONTHS = (
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
_DAYS = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"]
CLOSED_LISTS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("a month", _MONTHS),
    ("a month", (*(m[:3] for m in _MONTHS), "sept")),
    ("a day of the week", tuple(_DAYS)),
    ("a day of the week", (*(d[:3] for d in _DAYS), "tues", "thur", "thurs")),
)


def check_series(sheet: Sheet) -> list[Finding]:
    """Find columns that count on by the same step, and the cells that fall out of step."""
    out = []
    for col in range(sheet.cols):
        texts = sheet.column(col)
        point, amounts = read_amounts(texts)
        rows = [r for r in range(sheet.heading_rows, sheet.rows) if amounts[r] is not None]
        values = [int(a.value) for r in rows if (a := amounts[r]) is not None and not a.places]
        if len(values) != len(rows) or len(rows) < _LEAST_SERIES:
            continue
        steps = Counter(b - a for a, b in zip(values, values[1:], strict=False))
        step, times = steps.most_common(1)[0]
        # One number out of step breaks two steps.
        if step == 0 or times < _SERIES_SHARE * (len(rows) - 1) - 1:
            continue
        origin = Counter(v - step * k for k, v in enumerate(values)).most_common(1)[0]
        if origin[1] < _SERIES_SHARE * len(rows):
            continue
        held = []
        for k, (row, value) in enumerate(zip(rows, values, strict=True)):
            due = origin[0] + step * k
            if value == due:
                held.append((row, col))
                continue
            amount = amounts[row]
            assert amount is not None  # noqa: S101 - rows hold amounts only
            text = write_like(amount.value - value + due, 0, texts[row], point)
            says = f"{sheet.name(col)} counts on by {step}; {text} would follow here."
            out.append(
                Finding(
                    "series",
                    says,
                    ((row, col),),
                    _SERIES_BROKEN,
                    (Wanted((row, col), text),),
                    (row, col),
                )
            )
        says = f"{sheet.name(col)} counts on by {step}."
        out.append(Finding("series", says, tuple(held), _SERIES_HELD, holds=True))
    return out


def check_decimals(sheet: Sheet) -> list[Finding]:
    """Find the amounts that show more or fewer decimals than all others of their column."""
    out = []
    for col in range(sheet.cols):
        texts = sheet.column(col)
        _, amounts = read_amounts(texts)
        rows = [r for r in range(sheet.heading_rows, sheet.rows) if amounts[r] is not None]
        if len(rows) < _LEAST_DECIMALS:
            continue
        shown = Counter(a.places for r in rows if (a := amounts[r]) is not None)
        usual, times = shown.most_common(1)[0]
        if times < _DECIMALS_SHARE * len(rows) or times == len(rows):
            continue
        for row in rows:
            amount = amounts[row]
            if amount is None or amount.places == usual:
                continue
            says = f"{sheet.name(col)} shows {_decimals(usual)}; here stand {amount.places}."
            wanted = tuple(
                Wanted((row, col), other)
                for other in _others(sheet, row, col)
                if (a := read_amounts((other,))[1][0]) is not None and a.places == usual
            )[:1]
            out.append(
                Finding("decimals", says, ((row, col),), _DECIMALS_BROKEN, wanted, (row, col))
            )
    return out


def check_forms(sheet: Sheet) -> list[Finding]:
    """Find texts in another form than their column's that another reading, or a twin, would mend.

    Twins are figures and letters of nearly one shape: 1 and l, 0 and O.
    """
    out = []
    for col in range(sheet.cols):
        texts = {r: sheet.text(r, col) for r in range(sheet.heading_rows, sheet.rows)}
        forms = {r: form_of(t) for r, t in texts.items() if t}
        if len(forms) < _LEAST_FORMED:
            continue
        usual, times = Counter(forms.values()).most_common(1)[0]
        if times < _FORMED_SHARE * len(forms) or "9" not in usual:
            continue
        for row, form in forms.items():
            if form == usual:
                continue
            tries = [*_others(sheet, row, col), *_with_twins(texts[row])]
            fit = next((t for t in tries if form_of(t) == usual), None)
            if fit is not None:
                says = f"{sheet.name(col)} is written like “{_example(texts, forms, usual)}”."
                place = (row, col)
                wanted = (Wanted(place, fit),)
                out.append(Finding("form", says, (place,), _FORM_BROKEN, wanted, place))
    return out


def _with_twins(text: str) -> list[str]:
    """Return a text with its letters as the figures they look like, and the other way round."""
    one_by_one = [
        text[:i] + twin + text[i + 1 :] for i, c in enumerate(text) for twin in _TWINS.get(c, "")
    ]
    all_figures = "".join(_FIGURE_OF.get(c, c) for c in text)
    return [*one_by_one, all_figures]


def _example(texts: dict[int, str], forms: dict[int, str], form: str) -> str:
    return next(texts[r] for r, f in forms.items() if f == form)


def _decimals(count: int) -> str:
    if count == 0:
        return "no decimals"
    return "1 decimal" if count == 1 else f"{count} decimals"


def _others(sheet: Sheet, row: int, col: int) -> tuple[str, ...]:
    return sheet.values.get((row, col), Value("")).others


def check_lists(sheet: Sheet) -> list[Finding]:
    """Find words that are nearly, but not quite, one of the values that their column holds."""
    out: list[Finding] = []
    for col in range(sheet.cols):
        words = {
            row: text
            for row in range(sheet.heading_rows, sheet.rows)
            if (text := sheet.text(row, col)) and any(c.isalpha() for c in text)
            if not any(c.isdigit() for c in text)
        }
        if len(words) < _LEAST_LISTED:
            continue
        closed = next(
            (
                (what, values)
                for what, values in CLOSED_LISTS
                if sum(_plain(t) in values for t in words.values()) >= _LISTED_SHARE * len(words)
            ),
            None,
        )
        if closed is not None:
            out += _near_misses(sheet, col, words, closed[1], f"no {closed[0][2:]}")
            continue
        often = Counter(words.values())
        usual = tuple(t for t, n in often.items() if n >= _OFTEN and len(t) >= _LEAST_LETTERS)
        rare = {r: t for r, t in words.items() if often[t] == 1 and len(t) >= _LEAST_LETTERS}
        for row, text in rare.items():
            near = next((u for u in usual if is_near(text, u)), None)
            if near is not None:
                says = f"{sheet.name(col)} holds “{near}” {often[near]} times; this is nearly it."
                out.append(_miss(row, col, near, says))
    return out


def _near_misses(
    sheet: Sheet, col: int, words: dict[int, str], values: tuple[str, ...], what: str
) -> list[Finding]:
    out = []
    held = tuple((row, col) for row, text in words.items() if _plain(text) in values)
    for row, text in words.items():
        if (row, col) in held:
            continue
        near = next((v for v in values if is_near(_plain(text), v)), None)
        if near is not None:
            shown = near.capitalize() if text[:1].isupper() else near
            shown = near.upper() if text.isupper() and len(text) > 1 else shown
            tail = "." if text.endswith(".") else ""
            says = f"“{text}” is {what}; “{shown}” is one letter away."
            out.append(_miss(row, col, shown + tail, says))
    out.append(
        Finding("list", f"{sheet.name(col)} keeps to its list.", held, _LIST_HELD, holds=True)
    )
    return out


def _miss(row: int, col: int, text: str, says: str) -> Finding:
    place = (row, col)
    return Finding("list", says, (place,), _LIST_BROKEN, (Wanted(place, text),), place)


def _plain(text: str) -> str:
    return text.rstrip(".").casefold()


@lru_cache(maxsize=4096)
def is_near(a: str, b: str) -> bool:
    """Tell whether one letter put in, left out or changed makes one text the other."""
    if a == b or abs(len(a) - len(b)) > 1:
        return False
    short, long = sorted((a, b), key=len)
    k = next((i for i, (x, y) in enumerate(zip(short, long, strict=False)) if x != y), len(short))
    return short[k + (len(a) == len(b)) :] == long[k + 1 :]
