"""Doubts sorted by what is in question."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line._shared.texts import differ_in
from keel_line.desk.kinds import sort_doubts
from keel_line.model.finding import Finding, Findings, Wanted
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import CharReading, Reading, RunnerUp
from keel_line.model.table import CellState, TableState

BOX = (0.0, 0.0, 10.0, 10.0)


def cell(
    number: int,
    text: str,
    *others: str,
    weak: str = "",
    unread: bool = False,
    broken: bool = False,
) -> CellState:
    chars = tuple(CharReading(c, 0.5 if c in weak else 0.99, BOX) for c in text)
    reading = Reading(
        text,
        0.5,
        chars,
        tuple(RunnerUp(o, 0.1) for o in others),
        unread=(BOX,) if unread else (),
    )
    return CellState(number, Cell(number, 0, 1, 1, BOX), reading, None, flagged=True, broken=broken)


def table(*cells: CellState, findings: tuple[Finding, ...] = ()) -> TableState:
    rows = max(1, len(cells))
    grid = Grid(
        BOX, (0.0, 10.0), tuple(float(i) for i in range(rows + 1)), tuple(c.cell for c in cells)
    )
    return TableState(1, "t", 1, 1, "s", grid, 0, "", cells, 0.9, Findings(findings))


def kinds_of(state: TableState) -> dict[str, list[int]]:
    doubts = [(0, i) for i, c in enumerate(state.cells) if c.in_doubt]
    return {k.says: [p.cell for p in k.places] for k in sort_doubts([state], doubts)}


@pytest.mark.parametrize(
    ("a", "b", "pair"),
    [
        ("12.5", "12,5", (".", ",")),
        ("N 4", "N4", (" ", "")),
        ("l", "1", ("l", "1")),
        ("", "7", ("", "7")),
        ("11", "1", ("1", "")),
        ("same", "same", None),
        ("ab", "cd", None),
        ("abc", "a", None),
    ],
)
def test_what_differs_between_two_readings(a: str, b: str, pair: tuple[str, str] | None) -> None:
    assert differ_in(a, b) == pair
    assert differ_in(b, a) == (None if pair is None else pair[::-1])


def test_what_was_misread_alike_is_a_kind_of_its_own_and_offers_what_it_says_then() -> None:
    codes = [
        replace(cell(i, f"04-{i}", f"84-{i}", f"O4-{i}", weak="0"), recalled=f"O4-{i}")
        for i in range(2)
    ]
    state = table(cell(2, ""), *codes, cell(3, "0K", "OK", weak="0"))
    doubts = [(0, i) for i in range(4)]
    first, *_ = sort_doubts([state], doubts)
    assert first.says == "Similar to a corrected cell"
    assert [p.cell for p in first.places] == [1, 2]
    assert first.places[0].others == ("O4-0", "84-0")


@given(st.text("ab1", max_size=6), st.integers(0, 6), st.sampled_from("xyz"))
def test_one_put_in_is_what_differs(text: str, at: int, char: str) -> None:
    assert differ_in(text, text[:at] + char + text[at:]) == ("", char)


def test_doubts_are_sorted_by_what_is_in_question() -> None:
    state = table(
        cell(0, "1,284", "1.284"),
        cell(1, ""),
        cell(2, "S l", "S 1"),
        cell(3, "7.5", "7,5"),
        cell(4, "", unread=True),
        cell(5, "N l", "N 1"),
        cell(6, "Gull", "Cull", "Bull", weak="Gul"),
        cell(7, "96", broken=True),
    )
    assert kinds_of(state) == {
        "Read as blank": [1],
        "1 or l": [2, 5],
        "A comma or a point": [0, 3],
        "Fails a check": [7],
        "Unread ink": [4],
        "Other doubts": [6],
    }


def test_one_of_its_kind_lies_with_the_others() -> None:
    state = table(cell(0, "rn", "m"), cell(1, "4", "9"), cell(2, "c", "e"))
    assert kinds_of(state) == {"Other doubts": [0, 1, 2]}


def test_what_a_check_wants_is_offered_first() -> None:
    finding = Finding("sum", "says", ((0, 0),), -2.0, (Wanted((0, 0), "8"),), at=(0, 0))
    state = table(cell(0, "3", "5", broken=True), findings=(finding,))
    (kind,) = sort_doubts([state], [(0, 0)])
    assert kind.says == "Fails a check"
    assert kind.places[0].others == ("8", "5")


def test_no_doubt_is_no_kind() -> None:
    assert sort_doubts([table(cell(0, "1"))], []) == []
