"""Relations between columns: one is the sum, difference or product of others."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.amounts import read_amounts, write_like
from keel_line.check.sheet import Sheet
from keel_line.model.finding import Finding, Wanted

_LEAST_ROWS = 4
_MOST_BROKEN = 0.25
_HELD, _BROKEN = 4.0, -1.5
_MOST_COLUMNS = 12


@dataclass(frozen=True)
class Relation:
    """Column ``result`` is the sum (+) or the product (×) of ``parts``.

    A difference is a sum with another of its columns as the result.
    """

    result: int
    parts: tuple[int, ...]
    sign: str


def check_relations(sheet: Sheet) -> list[Finding]:
    """Find relations that nearly all rows keep, and the rows that do not."""
    first = sheet.heading_rows
    values: dict[int, NDArray[np.float64]] = {}
    shown: dict[int, int] = {}
    for col in range(sheet.cols):
        _, amounts = read_amounts(sheet.column(col))
        known = [a for a in amounts[first:] if a is not None]
        if len(known) >= _LEAST_ROWS:
            values[col] = np.array(
                [np.nan if a is None else float(a.value) for a in amounts[first:]]
            )
            shown[col] = max(a.places for a in known)
    if len(values) < 3 or len(values) > _MOST_COLUMNS:
        return []
    out: list[Finding] = []
    for relation in _find(values, shown):
        out += _hold(sheet, relation, values, shown, first)
    return out


def _expect(relation: Relation, values: dict[int, NDArray[np.float64]]) -> NDArray[np.float64]:
    parts = [values[c] for c in relation.parts]
    if relation.sign == "×":
        return np.asarray(parts[0] * parts[1])
    return np.asarray(np.sum(parts, axis=0))


def _keeps(
    want: NDArray[np.float64], have: NDArray[np.float64], sign: str, places: int
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Return which rows can be tested, and which of them keep a relation.

    ``want`` has shape (..., rows), what is wanted for any number of relations; ``have`` (rows,).
    """
    tested = np.isfinite(want) & np.isfinite(have) & ((want != 0) | (have != 0))
    slack = 0.5 * 10.0**-places * (1.01 if sign == "×" else 0.01)
    with np.errstate(invalid="ignore"):
        return tested, tested & (np.abs(want - have) <= slack)


def _find(values: dict[int, NDArray[np.float64]], shown: dict[int, int]) -> list[Relation]:
    cols = sorted(values)
    found = []
    for result in cols:
        others = [c for c in cols if c != result]
        left = [c for c in others if c < result]
        pairs = list(combinations(others, 2))
        longer = [tuple(left[-n:]) for n in range(3, len(left) + 1)]
        # All pairs at once: one by one they would take longer than a key may.
        first, second = (np.stack([values[p[k]] for p in pairs]) for k in (0, 1))
        runs = [np.sum([values[c] for c in parts], axis=0) for parts in longer]
        for sign, parts, want in (
            ("+", [*pairs, *longer], np.vstack([first + second, *runs])),
            ("×", pairs, first * second),
        ):
            tested, kept = _keeps(want, values[result], sign, shown[result])
            rows = tested.sum(axis=1)
            enough = (rows >= _LEAST_ROWS) & (kept.sum(axis=1) >= (1 - _MOST_BROKEN) * rows)
            found += [
                Relation(result, parts[k], sign)
                for k in np.flatnonzero(enough).tolist()
                # A part that is nothing everywhere makes any column the sum of the other.
                if all(np.nanmax(np.abs(values[c][kept[k]]), initial=0) > 0 for c in parts[k])
            ]
    # a + b = c also says that c - b = a: the one that is written last is the result.
    unique: dict[frozenset[int], Relation] = {}
    for relation in sorted(found, key=lambda r: -r.result):
        unique.setdefault(frozenset((*relation.parts, relation.result)), relation)
    return list(unique.values())


def _hold(
    sheet: Sheet,
    relation: Relation,
    values: dict[int, NDArray[np.float64]],
    shown: dict[int, int],
    first: int,
) -> list[Finding]:
    want = _expect(relation, values)
    have = values[relation.result]
    tested, kept = _keeps(want, have, relation.sign, shown[relation.result])
    made = f" {relation.sign} ".join(sheet.name(c) for c in relation.parts)
    what = f"{sheet.name(relation.result)} is {made}"
    out = []
    for k in np.flatnonzero(tested).tolist():
        row = first + k
        cells = tuple((row, c) for c in (*relation.parts, relation.result))
        if kept[k]:
            out.append(Finding("relation", f"{what}.", cells, _HELD, holds=True))
            continue
        wanted = []
        column = sheet.column(relation.result)
        point, _ = read_amounts(column)
        places = shown[relation.result]
        result = write_like(
            Decimal(f"{want[k]:.{places}f}"), places, sheet.text(row, relation.result), point
        )
        wanted.append(Wanted((row, relation.result), result))
        if relation.sign == "+":
            off = have[k] - want[k]
            for c in relation.parts:
                part_point, _ = read_amounts(sheet.column(c))
                value = Decimal(f"{values[c][k] + off:.{shown[c]}f}")
                text = write_like(value, shown[c], sheet.text(row, c), part_point)
                wanted.append(Wanted((row, c), text))
        said = sheet.text(row, relation.result)
        says = f"{what}: that makes {result}, but this cell says {said}."
        out.append(Finding("relation", says, cells, _BROKEN, tuple(wanted), (row, relation.result)))
    return out
