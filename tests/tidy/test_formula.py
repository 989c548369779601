"""Formulas: what docs/formulas.md says holds, and what is wrong is told with its place."""

from __future__ import annotations

import re
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.tidy.derive import Derive, find_troubles
from keel_line.tidy.formula import (
    WORDS,
    Cell,
    FormulaError,
    Node,
    find_columns,
    parse_formula,
    reckon,
    write_value,
)
from keel_line.tidy.step import MisfitError
from tests.tidy.tables import make

PAGE = (Path(__file__).parents[2] / "docs" / "formulas.md").read_text(encoding="utf-8")
EXAMPLES = re.findall(r"^\| `([^`]+)` \|([^|]*)\|([^|]*)\|([^|]*)\|$", PAGE, re.MULTILINE)
TABLE = make(
    ("Marigold", "3 March 1974", "15 March 1974", "220.80", "04:40"),
    ("Gannet", "4 March 1974", "5 March 1974", "68.75", "15:10"),
    names=("Vessel", "In", "Out", "Dues", "Arrived"),
)


@pytest.mark.parametrize(("formula", "first", "second", "words"), EXAMPLES)
def test_the_page_says_what_comes_out(formula: str, first: str, second: str, words: str) -> None:
    if words.strip().startswith("no such column"):
        with pytest.raises(MisfitError, match="no column"):
            Derive("New", formula).apply(TABLE)
        return
    made = Derive("New", formula).apply(TABLE).columns[-1]
    assert (made.name, list(made.texts)) == ("New", [first.strip(), second.strip()])


def test_the_page_has_every_word() -> None:
    assert len(EXAMPLES) > 20
    for word in WORDS:
        assert re.search(rf"`[^`]*\b{word}\b[^`]*`", PAGE), word


@pytest.mark.parametrize(
    ("formula", "at", "words"),
    [
        ("{Dues", 0, "not closed"),
        ("1 + “open", 4, "not closed"),
        ("1 +", 3, "missing at the end"),
        ("", 0, "missing at the end"),
        ("(1", 2, "“)” is expected"),
        ("1 2", 2, "“2” is not expected"),
        ("Dues + 1", 0, "Columns stand in { }"),
        ("sum {Dues}", 4, "“of” is expected"),
        ("sum of 3", 7, "A column"),
        ("if 1 then 2", 11, "“else” is expected"),
        ("1 rounded to 99", 13, "from 0 to 12"),
        ("{ } + 1", 0, "name is missing"),
        ("1 $ 2", 2, "no meaning"),
        ("(" * 300 + "1" + ")" * 300, 61, "too many brackets"),
        ("-" * 300 + "1", 61, "too many signs"),
        ("not " * 300 + "1", None, "too many nots"),
        ("if 1 then " * 150 + "1", None, "too many ifs"),
        ("1" * 3000, 0, "2,000 characters"),
    ],
)
def test_what_is_wrong_is_told_with_its_place(formula: str, at: int | None, words: str) -> None:
    with pytest.raises(FormulaError, match=re.escape(words)) as caught:
        parse_formula(formula)
    assert at is None or caught.value.at == at


def test_what_cannot_be_reckoned_is_blank_and_told() -> None:
    assert find_troubles(TABLE, "{Dues} ÷ ({Dues} − 68.75)") == {1: "Nothing can be divided by 0."}
    made = Derive("New", "{Dues} ÷ ({Dues} − 68.75)").apply(TABLE).columns[-1]
    assert made.texts[1] == ""
    assert set(find_troubles(TABLE, "{Vessel} + 1")) == {0, 1}
    assert set(find_troubles(TABLE, "year of {Dues}")) == {0, 1}
    assert set(find_troubles(TABLE, "{In} > {Dues}")) == {0, 1}
    assert set(find_troubles(TABLE, "if {In} then 1 else 2")) == {0, 1}


def test_a_column_that_is_missing_or_doubled_does_not_fit() -> None:
    with pytest.raises(MisfitError, match="no column “Tons”"):
        Derive("New", "{Tons}").apply(TABLE)
    doubled = make(("1", "2"), names=("Dues", "dues"))
    with pytest.raises(MisfitError, match="Several columns"):
        Derive("New", "{Dues}").apply(doubled)
    with pytest.raises(MisfitError, match="character 5"):
        Derive("New", "1 + ").apply(TABLE)


def test_a_derived_text_leads_to_the_cells_that_it_came_from() -> None:
    made = Derive("New", "{Out} − {In}").apply(TABLE).columns[-1]
    assert [set(row) - {-1} for row in made.sources.tolist()] == [{2, 3}, {102, 103}]


NUMBERS = st.decimals(
    min_value=-1000, max_value=1000, allow_nan=False, allow_infinity=False, places=2
)


@given(NUMBERS, NUMBERS, NUMBERS)
def test_numbers_are_reckoned_exactly(a: Decimal, b: Decimal, c: Decimal) -> None:
    columns: dict[str, list[Cell]] = {"a": [a], "b": [b], "c": [c]}
    node = parse_formula("{a} + {b} × {c} − ({a} − {c}) × 2")
    assert reckon(node, columns, 1).values == [a + b * c - (a - c) * 2]
    assert find_columns(node) == ["a", "b", "c"]


@given(st.text(alphabet="{}abc()+−×÷=<>“” 12.,ifthenelsoforad", max_size=40))
def test_any_text_is_a_formula_or_told_of(text: str) -> None:
    node, told = Node("value"), None
    try:
        node = parse_formula(text)
    except FormulaError as error:
        told = error
    if told is not None:
        assert 0 <= told.at <= len(text)
        assert str(told)
        return
    columns: dict[str, list[Cell]] = {name: [Decimal(1), None] for name in find_columns(node)}
    reckoned = reckon(node, columns, 2)
    assert len(reckoned.values) == 2
    assert all(isinstance(write_value(v), str) for v in reckoned.values)
