"""Joins and suggestions are measured on tables that people wrote."""

from __future__ import annotations

import pytest

pytest.importorskip("docutils")

from keel_line.tidy.joins import LIKELY
from training.manuals.tidying import Table, find_suggestions, score_joins

VESSELS = ("Wren", "Tern", "Gull", "Skua", "Auk", "Marigold", "Gannet", "Plover", "Dunlin", "Ruff")
DUES = Table(
    "harbour",
    [{0: "Vessel", 1: "Dues"}, *({0: v, 1: f"{3 * k}.40"} for k, v in enumerate(VESSELS))],
    cols=2,
    heading=1,
)
BERTHS = Table(
    "harbour",
    [{0: "Berth", 1: "Seen"}, *({0: str(k), 1: "yes"} for k in range(1, 7))],
    cols=2,
    heading=1,
)


def test_a_table_that_is_cut_goes_on_and_another_does_not() -> None:
    pairs = score_joins([[DUES, BERTHS]])
    assert [goes_on for goes_on, _ in pairs] == [True, False]
    assert [chance >= LIKELY for _, chance in pairs] == [True, False]


def test_what_a_table_needs_is_found_but_for_types() -> None:
    found = [(t.package, s.key) for t, s in find_suggestions([[DUES]])]
    assert found == [("harbour", "names")]
