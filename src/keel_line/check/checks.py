"""All cross-checks of a table, in order of precedence."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Literal

from keel_line.check.columns import check_decimals, check_forms, check_lists, check_series, is_near
from keel_line.check.lines import check_lines
from keel_line.check.relations import check_relations
from keel_line.check.sheet import Sheet
from keel_line.check.sums import check_sums
from keel_line.model.finding import Finding, Place

CHECKS: tuple[Callable[[Sheet], list[Finding]], ...] = (
    check_sums,
    check_relations,
    check_series,
    check_lists,
    check_forms,
    check_decimals,
    check_lines,
)

Likeness = Literal["other", "near", "far"]
"""Whether a wanted value is among a cell's other readings, one character away, or far off."""

_LIKENESS: dict[Likeness, float] = {"other": 30.0, "near": 8.0, "far": 0.3}
_SMALL_BLAME = 0.02
_LEAST_BLAME = 1e-6
_USUAL_BLAME = 0.3  # of the cells of a check together, where one of them is misread
_MOST_SURE = 0.9999
_LEAST_SURE = 0.001


def run_checks(sheet: Sheet) -> list[Finding]:
    """Run every check over a table."""
    return [finding for check in CHECKS for finding in check(sheet)]


def weigh_findings(
    sheet: Sheet, confidences: Mapping[Place, float], findings: Sequence[Finding]
) -> dict[Place, float]:
    """Return confidences (0.001 to 0.9999) adjusted by the findings of the checks.

    Where a check fails, the doubt is shared out among its cells by how likely each was wrong before
    and by whether the value that is wanted there is near to what was read. Where all are sure and
    no value is near, the paper itself may not add up, or not mean a sum: then only the cell that
    the check marks is in doubt. Where checks hold, only the strongest counts for each cell: they
    are no independent witnesses.
    """
    held: dict[Place, float] = {}
    broken: dict[Place, float] = {}
    for finding in findings:
        own = [p for p in finding.places if p in confidences]
        if finding.holds:
            for place in own:
                held[place] = max(held.get(place, 0.0), finding.weight)
            continue
        wanted = {w.place: w.text for w in finding.wanted}
        blame = {
            p: (1.0 - confidences[p])
            * _LIKENESS[likeness(sheet.text(*p), sheet.others(*p), wanted.get(p))]
            for p in own
        }
        whole = sum(blame.values())
        usual = share = _chance_of(-finding.weight)  # that the reading, not the paper, is off
        if len(own) > 1 and finding.at in blame:
            likely = min(max(whole, _LEAST_BLAME) / _USUAL_BLAME, 1.0)
            share = _chance_of(math.log(likely) - finding.weight)
            broken[finding.at] = max(broken.get(finding.at, 0.0), usual - share)
        for place in own if whole > 0 else ():
            broken[place] = max(broken.get(place, 0.0), share * blame[place] / whole)
    out = dict(confidences)
    for place, weight in held.items():
        if place not in broken or broken[place] < _SMALL_BLAME:
            bounded = min(max(out[place], _LEAST_SURE), _MOST_SURE)
            out[place] = 1.0 / (1.0 + math.exp(-math.log(bounded / (1.0 - bounded)) - weight))
    for place, wrong in broken.items():
        out[place] = min(out[place], 1.0 - wrong)
    return {p: min(_MOST_SURE, max(_LEAST_SURE, c)) for p, c in out.items()}


def _chance_of(log_odds: float) -> float:
    return 1.0 / (1.0 + math.exp(-log_odds))


def likeness(text: str, others: Sequence[str], wanted: str | None) -> Likeness:
    """Return how near a wanted value is to what was read, ``text``, and to its other readings."""
    if wanted is None:
        return "far"
    if wanted in others:
        return "other"
    return "near" if is_near(wanted, text) else "far"
