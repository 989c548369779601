from __future__ import annotations

import random
from decimal import Decimal

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keel_line._shared.amounts import Separators, find_separators, parse_amount, write_like
from keel_line.check.checks import run_checks, weigh_findings
from keel_line.check.columns import check_decimals, check_forms, check_lists, check_series, is_near
from keel_line.check.lines import check_lines
from keel_line.check.relations import check_relations
from keel_line.check.sheet import Sheet, Value
from keel_line.check.sums import check_sums
from keel_line.model.finding import Finding


def sheet(
    rows: list[list[str]], heading_rows: int = 1, others: dict[tuple[int, int], str] | None = None
) -> Sheet:
    values = {
        (r, c): Value(text, (others[r, c],) if others and (r, c) in others else ())
        for r, row in enumerate(rows)
        for c, text in enumerate(row)
    }
    return Sheet(len(rows), len(rows[0]), heading_rows, values)


def ledger(seed: int = 4, count: int = 8) -> list[list[str]]:
    """Berth dues: days times rate, and the totals of days and dues."""
    rng = random.Random(seed)
    rows, days, dues = [["Vessel", "Days", "Rate", "Dues"]], 0, 0.0
    for i in range(count):
        d, r = rng.randint(2, 20), rng.choice([12.5, 20.0, 7.25])
        rows.append([f"Vessel {i}", str(d), f"{r:.2f}", f"{d * r:,.2f}"])
        days, dues = days + d, dues + d * r
    return [*rows, ["Total", str(days), "", f"{dues:,.2f}"]]


def broken(findings: list[Finding]) -> list[Finding]:
    return [f for f in findings if not f.holds]


# --- amounts ---


@pytest.mark.parametrize(
    ("text", "point", "value", "places"),
    [
        ("1,284.50", ".", "1284.50", 2),
        ("1.284,50", ",", "1284.50", 2),
        ("12 400", ".", "12400", 0),
        ("£ 3.20", ".", "3.20", 2),
        ("(96.20)", ".", "-96.20", 2),
        ("-7", ".", "-7", 0),
        ("45.3%", ".", "45.3", 1),
        ("18.00 CR", ".", "-18.00", 2),
    ],
)
def test_amounts_are_read_as_they_are_written(
    text: str, point: str, value: str, places: int
) -> None:
    amount = parse_amount(text, point)
    assert amount is not None
    assert amount.value == Decimal(value)
    assert amount.places == places


@pytest.mark.parametrize("text", ["", "N 4", "12,84.50", "1.2.3", "(4", "12a", "9" * 20])
def test_what_is_no_amount_is_none(text: str) -> None:
    assert parse_amount(text) is None


@settings(max_examples=60)
@given(
    st.decimals(-999999, 999999, places=2, allow_nan=False),
    st.sampled_from(["1,284.50", "1284.50", "(1,284.50)", "£ 4.00", "£1,000.00"]),
)
def test_what_is_written_like_a_model_reads_back(value: Decimal, model: str) -> None:
    amount = parse_amount(write_like(value, 2, model))
    assert amount is not None
    assert amount.value == value


def test_a_columns_decimal_sign_is_what_most_show() -> None:
    assert find_separators(["1.284,50", "12,5", "7"]).point == ","
    assert find_separators(["1,284.50", "12,000", "7.5"]).point == "."
    assert find_separators(["1,284", "12,000"]).point == "."


@pytest.mark.parametrize(
    ("texts", "certain"),
    [
        (["1,250", "412", "5,400", "96"], True),
        (["1,250", "412", "96"], False),  # one number tells too little
        (["1,250", "5,400"], False),
        (["1,250", "412", "5,400", "96", "2480"], False),  # thousands that are not parted
        (["1,250", "412", "5.400", "96"], False),
    ],
)
def test_numbers_on_either_side_of_a_thousand_tell_what_parts_it(
    texts: list[str], *, certain: bool
) -> None:
    assert find_separators(texts).certain is certain
    if certain:
        assert find_separators(texts).point == "."
        swapped = [t.replace(",", ".") for t in texts]
        assert find_separators(swapped) == Separators(",", certain=True)


# --- sums ---


def test_totals_that_balance_hold_for_all_their_cells() -> None:
    findings = check_sums(sheet(ledger()))
    assert [f.holds for f in findings] == [True, True]
    assert {p for f in findings for p in f.places} == {(r, c) for r in range(1, 10) for c in (1, 3)}


def test_the_total_suggests_a_misread_addend() -> None:
    rows = ledger()
    right = rows[3][3]
    rows[3][3] = "1" + right
    (finding,) = broken(check_sums(sheet(rows)))
    assert finding.at == (9, 3)
    assert (3, 3) in {w.place for w in finding.wanted if w.text == right}
    assert rows[9][3] in finding.says


def test_the_total_suggests_an_unreadable_addend() -> None:
    rows = ledger()
    right = rows[5][3]
    rows[5][3] = "l2S.5O"
    (finding,) = broken(check_sums(sheet(rows)))
    assert (finding.at, finding.wanted[0].text) == ((5, 3), right)


def test_the_addends_suggest_an_unreadable_total() -> None:
    rows = ledger()
    right = rows[9][3]
    rows[9][3] = "S4O.2S"
    (finding,) = broken(check_sums(sheet(rows)))
    assert (finding.at, finding.wanted[0].text) == ((9, 3), right)


def test_subtotals_and_a_grand_total_are_found_without_names() -> None:
    amounts = ["101.25", "207.50", "33.10", "341.85", "12.05", "918.40", "930.45", "1,272.30"]
    findings = check_sums(sheet([["Dues"], *[[a] for a in amounts]]))
    assert all(f.holds for f in findings)
    assert {f.places[-1] for f in findings} >= {(4, 0), (8, 0)}


def test_chance_sums_of_small_numbers_are_ignored() -> None:
    assert check_sums(sheet([["Berth"], ["1"], ["2"], ["3"], ["7"], ["4"]])) == []


def test_columns_without_a_total_are_left_alone() -> None:
    rows = ledger()[:-1]
    assert check_sums(sheet(rows)) == []


# --- relations ---


def test_a_product_is_found_and_the_row_that_breaks_it() -> None:
    rows = ledger(count=10)[:-1]
    right = rows[4][3]
    rows[4][3] = "9" + right
    findings = check_relations(sheet(rows))
    assert sum(f.holds for f in findings) == 9
    (finding,) = broken(findings)
    assert (finding.at, finding.wanted[0].text) == ((4, 3), right)


def test_a_difference_is_found() -> None:
    rows = [["Read", "Before", "Used"]]
    rows += [[str(400 + 13 * i), str(300 + 7 * i), str(100 + 6 * i)] for i in range(6)]
    rows[3][2] = "118"
    (finding,) = broken(check_relations(sheet(rows)))
    assert {w.text for w in finding.wanted} >= {"112"}


def test_columns_that_have_nothing_to_do_with_each_other_have_no_relation() -> None:
    rng = random.Random(9)
    rows = [["a", "b", "c"]]
    rows += [[str(rng.randint(100, 900)) for _ in range(3)] for _ in range(12)]
    assert check_relations(sheet(rows)) == []


# --- columns by themselves ---


def test_a_number_out_of_step_is_told() -> None:
    rows = [["No."], *[[str(n)] for n in (11, 12, 13, 74, 15, 16, 17)]]
    (finding,) = broken(check_series(sheet(rows)))
    assert (finding.at, finding.wanted[0].text) == ((4, 0), "14")


def test_numbers_that_count_nothing_are_no_series() -> None:
    rows = [["Dues"], *[[str(n)] for n in (11, 35, 13, 74, 15, 90, 17)]]
    assert check_series(sheet(rows)) == []


def test_other_decimals_than_the_column_shows_are_doubted() -> None:
    rows = [["Dues"], *[[f"{n}.50"] for n in range(20, 31)], ["318"]]
    findings = check_decimals(sheet(rows, others={(12, 0): "3.18"}))
    assert [(f.at, f.wanted[0].text) for f in findings] == [((12, 0), "3.18")]


@pytest.mark.parametrize(
    ("values", "odd", "near"),
    [
        (["January", "February", "March", "May"], "Januarv", "January"),
        (["Mon", "Tue", "Wed", "Thu"], "Fn", None),
        (["Mon", "Tue", "Wed", "Thu"], "Frl", "Fri"),
        (["lamp oil", "lamp oil", "lamp oil", "rope"], "lamp oll", "lamp oil"),
    ],
)
def test_near_misses_of_a_list_are_told(values: list[str], odd: str, near: str | None) -> None:
    findings = broken(check_lists(sheet([["Kind"], *[[v] for v in values], [odd]])))
    assert [f.wanted[0].text for f in findings] == ([near] if near else [])


def test_one_letter_apart() -> None:
    assert is_near("abcd", "abed")
    assert is_near("abcd", "abc")
    assert is_near("bcd", "abcd")
    assert not is_near("abcd", "abcd")
    assert not is_near("abcd", "acbd")


# --- what follows ---


def test_a_sum_that_holds_takes_doubt_away_and_one_that_fails_adds_it() -> None:
    good = sheet(ledger())
    before = dict.fromkeys(good.values, 0.97)
    after = weigh_findings(good, before, run_checks(good))
    assert after[3, 3] > 0.998
    assert after[3, 0] == before[3, 0]
    rows = ledger()
    rows[3][3] = "1" + rows[3][3]
    bad = sheet(rows)
    after = weigh_findings(bad, before, run_checks(bad))
    assert after[3, 3] < 0.7
    assert after[4, 3] > 0.9


def test_a_reading_that_would_fit_draws_the_doubt_to_itself() -> None:
    rows = ledger()
    right, rows[3][3] = rows[3][3], rows[3][3].replace(".", "9.")
    bad = sheet(rows[:1] + rows[1:], others={(3, 3): right})
    before = dict.fromkeys(bad.values, 0.99)
    after = weigh_findings(bad, before, check_sums(bad))
    assert after[3, 3] == min(after.values())
    assert after[3, 3] < 0.5


def test_where_all_are_sure_and_nothing_fits_only_the_total_is_in_doubt() -> None:
    rows = ledger()
    total = len(rows) - 1
    rows[total][3] = "98,765.43"
    bad = sheet(rows)
    before = dict.fromkeys(bad.values, 0.9997)
    after = weigh_findings(bad, before, check_sums(bad))
    assert after[total, 3] < 0.5
    assert all(sure > 0.99 for place, sure in after.items() if place != (total, 3))


def test_where_many_are_unsure_a_sum_that_fails_doubts_them_all() -> None:
    rows = ledger()
    total = len(rows) - 1
    rows[total][3] = "98,765.43"
    bad = sheet(rows)
    before = dict.fromkeys(bad.values, 0.99)
    after = weigh_findings(bad, before, check_sums(bad))
    assert all(after[row, 3] < 0.98 for row in range(1, total))


def test_an_empty_table_has_no_findings() -> None:
    assert run_checks(Sheet(0, 0, 0, {})) == []
    assert run_checks(sheet([["", ""], ["", ""]])) == []


def test_dates_that_differ_by_a_figure_are_no_near_miss() -> None:
    rows = [["Out"], *[["31 Mar"]] * 4, ["30 Mar"]]
    assert check_lists(sheet(rows)) == []


@pytest.mark.parametrize(
    ("odd", "wanted"), [("S l", "S 1"), ("N O", "N 0"), ("Bay", None), ("S 12", None)]
)
def test_a_letter_where_the_column_has_a_figure_is_told(odd: str, wanted: str | None) -> None:
    rows = [["Berth"], *[[t] for t in ("S 3", "N 4", "N 2", "S 4", "W 11")], [odd]]
    findings = check_forms(sheet(rows))
    assert [f.wanted[0].text for f in findings] == ([wanted] if wanted else [])


def test_columns_of_many_forms_know_none() -> None:
    rows = [["Remarks"], *[[t] for t in ("N 4", "paid", "12.50", "see p. 4", "9 May", "S l")]]
    assert check_forms(sheet(rows)) == []


# --- lines ---


def lines_doubted(rows: list[list[str]], heading_rows: int = 1) -> list[tuple[int, int]]:
    values = {(r, c): Value(t) for r, row in enumerate(rows) for c, t in enumerate(row)}
    found = check_lines(Sheet(len(rows), len(rows[0]), heading_rows, values))
    assert all(f.lasting and not f.holds for f in found)
    return [p for f in found for p in f.places]


def test_several_rows_in_one_are_doubted() -> None:
    many = "\n".join("abcd")
    assert lines_doubted([["Vessel", "Tons"], [many, many]]) == [(1, 0), (1, 1)]
    assert lines_doubted([[many, many, ""]]) == [(0, 0), (0, 1)], "in a heading, too"
    two = ["a\nb", "1\n2", "3\n4", "x"]
    assert lines_doubted([["A", "B", "C", "D"], two]) == [(1, 0), (1, 1), (1, 2)]


def test_text_that_wraps_is_not_taken_for_rows() -> None:
    assert lines_doubted([["Harbour\ndues", "Net\ntons", "Days\nin"], ["a", "b", "c"]]) == []
    assert lines_doubted([["A", "B", "C"], ["Marigold\nof Ailsay", "12", "to the\nmole"]]) == []
    assert lines_doubted([["A", "B"], ["one\ntwo\nthree\nfour", "12"]]) == []
