"""Sums that the clerk set or dropped."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

from keel_line._shared.amounts import find_separators, parse_amount, write_like
from keel_line.check.sheet import Sheet
from keel_line.check.sums import BROKEN, HELD, LEAST_ADDENDS, check_sums
from keel_line.model.finding import DrawnSum, Finding, Place, Sums, Wanted


def apply_sums(findings: Sequence[Finding], sheet: Sheet, sums: Sums) -> list[Finding]:
    """Return the findings with the clerk's own sums in place of the detected ones."""
    if not sums.drawn and not sums.dropped:
        return list(findings)
    own = {s.total for s in sums.drawn}
    kept = [
        f
        for f in findings
        if f.kind != "sum" or not {f.places[-1], f.at} & (own | set(sums.dropped))
    ]
    judged = (judge_sum(sheet, s) for s in sums.drawn)
    return [*(f for f in judged if f is not None), *kept]


def judge_sum(sheet: Sheet, drawn: DrawnSum) -> Finding | None:
    """Check a sum that the clerk set; None if its cells hold no amounts.

    An addend without an amount counts as nothing where its cell is blank.
    """
    texts = [sheet.text(*p) for p in drawn.addends]
    total_text = sheet.text(*drawn.total)
    point = find_separators((*texts, total_text)).point
    known = [
        (place, text, amount)
        for place, text in zip(drawn.addends, texts, strict=True)
        if (amount := parse_amount(text, point)) is not None
    ]
    unread = [
        p for p, t in zip(drawn.addends, texts, strict=True) if t and p not in {k[0] for k in known}
    ]
    total = parse_amount(total_text, point)
    if not known or (total is None and not total_text):
        return None
    adds = sum((amount.value for _, _, amount in known), Decimal(0))
    places = max(amount.places for _, _, amount in known)
    cells = (*drawn.addends, drawn.total)
    if total is not None and adds == total.value and not unread:
        says = f"The {len(known)} chosen cells add up to {total_text}."
        return Finding("sum", says, cells, HELD, holds=True)
    model = total_text if total is not None else known[0][1]
    wanted = [Wanted(drawn.total, write_like(adds, places, model, point))]
    if total is not None and not unread:
        off = total.value - adds
        wanted += [
            Wanted(place, write_like(amount.value + off, places, text, point))
            for place, text, amount in known
        ]
    says = f"The chosen cells add up to {wanted[0].text}, but this cell says {total_text}."
    return Finding("sum", says, cells, BROKEN, tuple(wanted), drawn.total)


def propose_addends(sheet: Sheet, total: Place) -> tuple[Place, ...]:
    """Return the cells that most likely add up to a total.

    Those of the sum that was found there; otherwise the amounts above it, up to the first cell that
    is written but no amount; without any, those to its left.
    """
    for finding in check_sums(sheet):
        if finding.places[-1] == total and len(finding.places) > LEAST_ADDENDS:
            return finding.places[:-1]
    row, col = total
    above = _run(sheet, [(r, col) for r in range(row - 1, sheet.heading_rows - 1, -1)])
    if len(above) >= LEAST_ADDENDS:
        return tuple(reversed(above))
    return tuple(reversed(_run(sheet, [(row, c) for c in range(col - 1, -1, -1)])))


def _run(sheet: Sheet, places: Sequence[Place]) -> list[Place]:
    """Return a run of amounts: blanks are skipped, any other text ends it."""
    point = find_separators([sheet.text(*p) for p in places]).point
    out = []
    for place in places:
        text = sheet.text(*place)
        if text and parse_amount(text, point) is None:
            break
        if text:
            out.append(place)
    return out


def say_sum(sheet: Sheet, drawn: DrawnSum) -> str:
    """Describe the sum of the chosen cells while the clerk chooses them."""
    many = len(drawn.addends)
    if not many:
        return "No cells chosen. Move with the arrows; Space adds a cell."
    chosen = "1 cell adds up to" if many == 1 else f"{many} cells add up to"
    texts = [sheet.text(*p) for p in drawn.addends]
    total_text = sheet.text(*drawn.total)
    point = find_separators((*texts, total_text)).point
    amounts = [a for a in (parse_amount(t, point) for t in texts) if a is not None]
    if not amounts:
        return "The chosen cells hold no numbers."
    adds = sum((a.value for a in amounts), Decimal(0))
    made = write_like(adds, max(a.places for a in amounts), total_text or texts[0], point)
    total = parse_amount(total_text, point)
    if total is not None and total.value == adds:
        return f"{chosen} {made}, as this cell says."
    return f"{chosen} {made}, but this cell says {total_text or 'nothing'}."
