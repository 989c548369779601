"""Which lines are one row is fitted on measures."""

from __future__ import annotations

import numpy as np

from keel_line.rule.joining import MEASURES
from training.joining import MeasuredTable, find_held_chances, fit_model


def tables(count: int, *, turned: str = "", office: bool = False) -> list[MeasuredTable]:
    """Return tables whose first two measures together tell the rows; in one design the reverse."""
    rng = np.random.default_rng(6)
    out = []
    for k in range(count):
        name = f"design {k}"
        measures = rng.normal(size=(12, len(MEASURES)))
        joined = (measures[:, 0] > 0) != (measures[:, 1] > 0)  # no line through the origin tells it
        out.append(
            MeasuredTable(name, office, measures, joined != (name == turned), np.zeros(12, bool))
        )
    return out


def test_what_two_measures_tell_together_is_found() -> None:
    model = fit_model(tables(60))
    held = tables(80)[60:]
    right = [((model.find_chances(t.measures) > 0.5) == t.joined).mean() for t in held]
    assert np.mean(right) > 0.85


def test_a_design_is_judged_by_what_the_others_teach() -> None:
    turned = "design 3"
    made = tables(60, turned=turned)
    for table, chances in zip(made, find_held_chances(made), strict=True):
        if table.design == turned:
            assert ((chances > 0.5) == table.joined).mean() < 0.5


def test_lines_of_offices_count_more() -> None:
    rng = np.random.default_rng(7)
    measures = rng.normal(size=(400, len(MEASURES)))
    joined = measures[:, 0] > 0
    none = np.zeros(400, bool)
    others = MeasuredTable("others", False, measures, joined, none)
    office = MeasuredTable("office", True, measures, ~joined, none)
    chances = fit_model([others, office]).find_chances(measures)
    assert ((chances > 0.5) == office.joined).mean() > 0.9
