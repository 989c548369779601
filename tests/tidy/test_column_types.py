"""What a column's texts mean is decided for the whole column, and nothing is forced into it."""

from __future__ import annotations

from datetime import date, time, timedelta
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line._shared.column_types import (
    KINDS,
    ColumnType,
    Kind,
    decide_type,
    find_point,
    is_blank,
    parse_value,
)


@pytest.mark.parametrize(
    ("texts", "name", "kind", "values"),
    [
        (["12", "9", "1,400,000"], "Days", "whole number", [12, 9, 1_400_000]),
        (["18.40", "107"], "Rate", "decimal", [Decimal("18.40"), 107]),
        (["18,40", "1.107,05"], "Rate", "decimal", [Decimal("18.40"), Decimal("1107.05")]),
        (["£18.40", "£2"], "Rate", "money", [Decimal("18.40"), 2]),
        (["18.40", "(2.10)"], "Dues £", "money", [Decimal("18.40"), Decimal("-2.10")]),
        (["18.40", "2.10 CR"], "Dues", "money", [Decimal("18.40"), Decimal("-2.10")]),
        (["12.5%", "3%"], "Share", "percent", [Decimal("0.125"), Decimal("0.03")]),
        (["12.5", "3.0"], "Share %", "percent", [Decimal("0.125"), Decimal("0.03")]),
        (["3 Mar 1974", "9th April, 1974"], "", "date", [date(1974, 3, 3), date(1974, 4, 9)]),
        (["March 3, 1974", "Sept. 9 1974"], "", "date", [date(1974, 3, 3), date(1974, 9, 9)]),
        (["3/4/74", "13/4/74"], "", "date", [date(1974, 4, 3), date(1974, 4, 13)]),
        (["4/3/74", "4/13/74"], "", "date", [date(1974, 4, 3), date(1974, 4, 13)]),
        (["1874-03-02", "1874-12-30"], "", "date", [date(1874, 3, 2), date(1874, 12, 30)]),
        (["3.4.74", "13.4.1874"], "", "date", [date(1874, 4, 3), date(1874, 4, 13)]),
        (["Mon 3 May 1976"], "", "date", [date(1976, 5, 3)]),
        (["08:15", "23:59"], "", "time", [time(8, 15), time(23, 59)]),
        (["8.30 a.m.", "12.15 p.m."], "", "time", [time(8, 30), time(12, 15)]),
        (["2h 15m", "36 h"], "", "duration", [timedelta(hours=2.25), timedelta(hours=36)]),
        (["26:15", "36:00"], "", "duration", [timedelta(hours=26.25), timedelta(hours=36)]),
        (["yes", "No", "Y"], "", "yes or no", [True, False, True]),
        (["007", "012"], "", "code", ["007", "012"]),
        (["BS 114", "KQ 20"], "", "code", ["BS 114", "KQ 20"]),
        (["3.8", "3.9", "3.10", "3.11"], "", "code", ["3.8", "3.9", "3.10", "3.11"]),
        (["3.8", "9.10", "4.9"], "", "decimal", [Decimal("3.8"), Decimal("9.10"), Decimal("4.9")]),
        (["5.4.3", "5.4.1"], "", "text", ["5.4.3", "5.4.1"]),
        (["57/4/3", "58/12/9"], "", "date", [date(1957, 4, 3), date(1958, 12, 9)]),
        (["£12 4s. 6d.", "3s 11d"], "", "pounds, shillings, pence", [2934, 47]),
        (["Marigold", "Tern of Ailsay"], "", "text", ["Marigold", "Tern of Ailsay"]),
        (["N 4 to sea", "S 1 to N 3"], "", "text", ["N 4 to sea", "S 1 to N 3"]),
    ],
)
def test_the_type_is_what_the_column_shows(
    texts: list[str], name: str, kind: Kind, values: list[object]
) -> None:
    decided = decide_type(texts, name)
    assert decided.type.kind == kind
    assert decided.certain
    assert [parse_value(t, decided.type) for t in texts] == values


@pytest.mark.parametrize(
    ("texts", "kind", "why"),
    [
        (["£12.00", "$3.00"], "money", "it holds $ and £"),
        (["1,250", "2,300"], "whole number", "its comma or point"),
        (["3/4/74", "5/4/74"], "date", "either figure may be the day"),
        (["13/4/74", "4/13/74", *["15/4/74"] * 18], "date", "some dates put the day first"),
        ([*map(str, range(11)), "see note"], "whole number", "8% of its cells do not fit"),
        ([*(f"{h:02}:15" for h in range(11)), "24:00"], "time", "8% of its cells do not fit"),
        (["12", "9", "see note", "lost", "5", "7"], "text", "33% of its cells do not fit"),
    ],
)
def test_what_leaves_it_open_is_told(texts: list[str], kind: Kind, why: str) -> None:
    decided = decide_type(texts)
    assert decided.type.kind == kind
    assert not decided.certain
    assert why in decided.why


def test_a_column_that_leaves_it_open_writes_as_the_others_do() -> None:
    columns = [["1,250", "2,300"], ["12.50", "3.20"], ["x", "y"]]
    assert find_point(columns) == "."
    assert decide_type(columns[0], point=".").certain
    other = decide_type(columns[0], point=",")
    assert (other.type.kind, parse_value("1,250", other.type)) == ("decimal", Decimal("1.250"))
    assert find_point([*columns, ["1,25", "0,3"]]) is None


def test_times_are_known_by_their_column_too() -> None:
    assert decide_type(["06 12", "18 40"], "High water time").type.kind == "time"
    assert decide_type(["06 12", "18 40"], "Berth").type.kind == "text"


def test_dates_without_a_year_are_dates_where_the_paper_names_one() -> None:
    assert decide_type(["3 Mar", "15 Mar"]).type.kind == "text"
    decided = decide_type(["3 Mar", "15 Mar"], year=1974)
    assert decided.type.say() == "date of 1974"
    assert parse_value("15 Mar", decided.type) == date(1974, 3, 15)


@pytest.mark.parametrize(
    ("text", "kind"),
    [
        ("29 Feb 1900", "date"),
        ("31/4/74", "date"),
        ("24:00", "time"),
        ("13.15 p.m.", "time"),
        ("1.2.3", "decimal"),
        ("12.50", "whole number"),
        ("12%", "decimal"),
        ("£1 20s 0d", "pounds, shillings, pence"),
        ("perhaps", "yes or no"),
        ("BS/114 and others", "code"),
    ],
)
def test_what_does_not_exist_fits_no_type(text: str, kind: Kind) -> None:
    assert parse_value(text, ColumnType(kind)) is None


def test_blanks_say_nothing() -> None:
    assert all(map(is_blank, ("", "  ", "–", "...", "nil", "N/A")))
    assert not any(map(is_blank, ("0", "✓", "a")))
    decided = decide_type(["–", "12", "", "nil", "9"])
    assert (decided.type.kind, decided.certain) == ("whole number", True)
    assert decide_type(["", "–"]).type == ColumnType()


@given(st.lists(st.text(max_size=12), max_size=12), st.text(max_size=8))
def test_any_texts_have_a_type_and_no_value_is_made_up(texts: list[str], name: str) -> None:
    decided = decide_type(texts, name)
    assert decided.type.kind in KINDS
    assert decided.certain == (not decided.why)
    for text in texts:
        for kind in KINDS:
            value = parse_value(text, ColumnType(kind))
            assert value is None or not is_blank(text)


@given(
    st.lists(
        st.dates(date(1800, 1, 1), date(2099, 12, 31)).map(lambda d: d.strftime("%d/%m/%Y")),
        min_size=1,
        max_size=30,
    )
)
def test_dates_of_figures_come_back_where_a_day_tells_the_order(texts: list[str]) -> None:
    decided = decide_type(texts)
    told = any(int(t[:2]) > 12 for t in texts)
    assert decided.type.kind == "date"
    assert decided.certain == told
    if told:
        values = [parse_value(t, decided.type) for t in texts]
        assert [v.strftime("%d/%m/%Y") for v in values if isinstance(v, date)] == texts
