"""Totals and subtotals down a column, found by their names and by arithmetic.

A sum that balances over many figures is strong evidence for all of them: a misread figure breaks it
unless another misreading makes up for it to the last place.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal

from keel_line._shared.amounts import Amount, read_amounts, write_like
from keel_line.check.sheet import Sheet
from keel_line.model.finding import Finding, Wanted

_TOTAL_WORDS = re.compile(
    r"\b(?:sub-?\s?)?(?:total|totals|sum|carried (?:forward|down|over)|c/f|c/d|"
    r"gesamt|summe|zusammen|totaal|totale|totaux|suma|somme|i alt|sammanlagt)\b",
    re.IGNORECASE,
)
HELD, BROKEN = 5.0, -1.5
"""What a sum that comes out, and one that does not, adds to the log odds of its cells."""

LEAST_ADDENDS = 2
_MANY_ADDENDS = 3
_LEAST_DIGITS = 4


@dataclass(frozen=True)
class Span:
    """Rows whose amounts another row adds up: from ``first`` to before ``total``."""

    first: int
    total: int


def check_sums(sheet: Sheet) -> list[Finding]:
    """Check every total of a table against its addends."""
    first = sheet.heading_rows
    columns = {}
    for col in range(sheet.cols):
        texts = sheet.column(col)
        point, amounts = read_amounts(texts)
        if sum(a is not None for a in amounts[first:]) > LEAST_ADDENDS:
            columns[col] = (texts, point, amounts)
    if not columns:
        return []
    named = [r for r in range(first + LEAST_ADDENDS, sheet.rows) if _is_named(sheet, r)]
    held: dict[Span, list[int]] = {}
    for col, (_, _, amounts) in columns.items():
        for span in _find_spans(amounts, first):
            held.setdefault(span, []).append(col)
    spans = _choose_spans(held, named, {c: a for c, (_, _, a) in columns.items()}, first)
    out = []
    for span in spans:
        for col, (texts, point, amounts) in columns.items():
            finding = _judge(sheet, span, col, texts, point, amounts, spans)
            if finding is not None:
                out.append(finding)
    return out


def _is_named(sheet: Sheet, row: int) -> bool:
    return any(_TOTAL_WORDS.search(sheet.text(row, col)) for col in range(sheet.cols))


def _find_spans(amounts: tuple[Amount | None, ...], first: int) -> list[Span]:
    """Find the rows that are the sum of all amounts since the last such row, or since the top."""
    spans: list[Span] = []
    since = first
    part = Decimal(0)
    parts: list[Decimal] = []
    count = 0
    for row in range(first, len(amounts)):
        amount = amounts[row]
        if amount is None:
            continue
        value = amount.value
        if count >= LEAST_ADDENDS and value == part and value != 0:
            spans.append(Span(since, row))
            parts.append(value)
            since, part, count = row + 1, Decimal(0), 0
        elif len(parts) >= LEAST_ADDENDS and count == 0 and value == sum(parts):
            spans.append(Span(first, row))
            since = row + 1
        else:
            part += value
            count += 1
    return spans


def _choose_spans(
    held: dict[Span, list[int]],
    named: list[int],
    columns: dict[int, tuple[Amount | None, ...]],
    first: int,
) -> list[Span]:
    """Keep the spans that are no coincidence, and add those that a total's name implies."""
    kept = []
    for span, cols in held.items():
        strong = any(
            _digits(columns[c][span.total])
            >= _LEAST_DIGITS
            + (sum(a is not None for a in columns[c][span.first : span.total]) < _MANY_ADDENDS)
            for c in cols
        )
        if span.total in named or len(cols) >= 2 or strong:
            kept.append(span)
    totals = {s.total for s in kept}
    for row in named:
        if row not in totals:
            before = max((t for t in {*totals, *named} if t < row), default=first - 1)
            if row - before > LEAST_ADDENDS:
                kept.append(Span(before + 1, row))
    return sorted(kept, key=lambda s: (s.total, s.first))


def _digits(amount: Amount | None) -> int:
    return 0 if amount is None else len(str(abs(amount.value)).replace(".", "").strip("0"))


def _judge(
    sheet: Sheet,
    span: Span,
    col: int,
    texts: tuple[str, ...],
    point: str,
    amounts: tuple[Amount | None, ...],
    spans: list[Span],
) -> Finding | None:
    """Check one column against a span; None if the column holds no such amounts."""
    inner = {s.total for s in spans if span.first <= s.total < span.total}
    own = [r for r in range(span.first, span.total) if texts[r]]
    rows = sorted(inner) or own  # a grand total adds up its subtotals
    known = [r for r in rows if amounts[r] is not None]
    unknown = [r for r in rows if amounts[r] is None]
    total = amounts[span.total]
    if len(known) < LEAST_ADDENDS or len(unknown) > 1 or not texts[span.total]:
        return None
    if total is None and unknown:
        return None
    places = max(a.places for r in known if (a := amounts[r]) is not None)
    adds = sum((a.value for r in known if (a := amounts[r]) is not None), Decimal(0))
    cells = tuple((r, col) for r in (*rows, span.total))
    name = sheet.name(col)
    if total is not None and not unknown:
        if adds == total.value:
            says = f"{name} adds up to {texts[span.total]}."
            return Finding("sum", says, cells, HELD, holds=True)
        off = total.value - adds
        wanted = [Wanted((span.total, col), write_like(adds, places, texts[span.total], point))]
        for row in known:
            amount = amounts[row]
            assert amount is not None  # noqa: S101 - known
            wanted.append(
                Wanted((row, col), write_like(amount.value + off, places, texts[row], point))
            )
        says = f"{name} adds up to {wanted[0].text}, but the total says {texts[span.total]}."
        return Finding("sum", says, cells, BROKEN, tuple(wanted), (span.total, col))
    if total is None:
        model = next(texts[r] for r in known)
        want = Wanted((span.total, col), write_like(adds, places, model, point))
        says = f"{name} adds up to {want.text}, but the total says {texts[span.total]}."
        return Finding("sum", says, cells, BROKEN, (want,), (span.total, col))
    row = unknown[0]
    want = Wanted((row, col), write_like(total.value - adds, places, texts[known[0]], point))
    says = f"The total of {name} needs {want.text} here."
    return Finding("sum", says, ((row, col),), 2 * BROKEN, (want,), (row, col))
