"""Sums that the clerk drew: kept, mended, held against what stands."""

from __future__ import annotations

import pytest

from keel_line.check.checks import run_checks
from keel_line.check.drawn_sums import apply_sums, judge_sum, propose_addends, say_sum
from keel_line.check.sheet import Sheet, Value
from keel_line.model.finding import DrawnSum, Sums


def sheet(*rows: str, heading_rows: int = 1) -> Sheet:
    values = {
        (r, c): Value(text) for r, row in enumerate(rows) for c, text in enumerate(row.split("|"))
    }
    return Sheet(len(rows), 1 + max(c for _, c in values), heading_rows, values)


LEDGER = sheet("Vessel|Dues", "Marigold|1,200.00", "Gannet|68.75", "Wren|15.75", "All|1,284.50")
OWN = DrawnSum((4, 1), ((1, 1), (2, 1), (3, 1)))


def test_a_drawn_sum_that_comes_out_holds_for_all_its_cells() -> None:
    finding = judge_sum(LEDGER, OWN)
    assert finding is not None
    assert finding.holds
    assert set(finding.places) == {(1, 1), (2, 1), (3, 1), (4, 1)}


def test_one_that_does_not_says_what_it_makes_and_what_would_fit() -> None:
    wrong = sheet("Vessel|Dues", "Marigold|1,200.00", "Gannet|68.75", "Wren|15.75", "All|1,264.50")
    finding = judge_sum(wrong, OWN)
    assert finding is not None
    assert not finding.holds
    assert finding.at == (4, 1)
    assert finding.says == "The chosen cells add up to 1,284.50, but this cell says 1,264.50."
    wanted = {w.place: w.text for w in finding.wanted}
    assert wanted == {(4, 1): "1,284.50", (1, 1): "1,180.00", (2, 1): "48.75", (3, 1): "-4.25"}


def test_cells_from_anywhere_can_make_a_sum() -> None:
    table = sheet("a|b|c", "1|2|5", "x|2|", heading_rows=0)
    finding = judge_sum(table, DrawnSum((1, 2), ((1, 0), (1, 1), (2, 1))))
    assert finding is not None
    assert finding.holds


def test_words_make_no_sum() -> None:
    assert judge_sum(LEDGER, DrawnSum((4, 0), ((1, 0), (2, 0)))) is None


def test_what_the_clerk_says_stands_in_place_of_what_was_found() -> None:
    found = run_checks(LEDGER)
    assert any(f.kind == "sum" and f.places[-1] == (4, 1) for f in found)
    dropped = apply_sums(found, LEDGER, Sums().drop((4, 1)))
    assert not any(f.kind == "sum" for f in dropped)
    assert [f for f in dropped if f.kind != "sum"] == [f for f in found if f.kind != "sum"]
    fewer = DrawnSum((4, 1), ((1, 1), (2, 1)))
    drawn = apply_sums(found, LEDGER, Sums().drop((4, 1)).draw(fewer))
    assert [f.holds for f in drawn if f.kind == "sum"] == [False]


def test_the_found_sum_is_proposed_then_what_stands_above_then_to_the_left() -> None:
    assert propose_addends(LEDGER, (4, 1)) == ((1, 1), (2, 1), (3, 1))
    broken = sheet("Dues", "12", "9", "seen", "40", "7", "11")
    assert propose_addends(broken, (6, 0)) == ((4, 0), (5, 0))
    across = sheet("x", "A|3|4|8", heading_rows=1)
    assert propose_addends(across, (1, 3)) == ((1, 1), (1, 2))


@pytest.mark.parametrize(
    ("drawn", "says"),
    [
        (OWN, "3 cells add up to 1,284.50, as this cell says."),
        (DrawnSum((4, 1), ((2, 1),)), "1 cell adds up to 68.75, but this cell says 1,284.50."),
        (DrawnSum((4, 1), ((1, 0),)), "The chosen cells hold no numbers."),
        (DrawnSum((4, 1), ()), "No cells chosen. Move with the arrows; Space adds a cell."),
    ],
)
def test_what_the_chosen_cells_make_is_said(drawn: DrawnSum, says: str) -> None:
    assert say_sum(LEDGER, drawn) == says


def test_a_later_sum_takes_the_place_of_one_with_the_same_total() -> None:
    sums = Sums().draw(OWN).draw(DrawnSum((4, 1), ((1, 1),)))
    assert [s.addends for s in sums.drawn] == [((1, 1),)]
    assert sums.drop((4, 1)) == Sums((), ((4, 1),))
