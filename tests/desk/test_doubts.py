"""Doubts stay in order whatever comes, goes or is settled."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.desk.doubts import Doubts, Order
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import Reading
from keel_line.model.table import CellState, Settled, TableState

ORDERS: tuple[Order, ...] = ("columns", "rows", "doubt")


def make_table(number: int, confidences: list[float], cols: int = 3) -> TableState:
    cells = tuple(
        CellState(
            100 * number + k,
            Cell(k // cols, k % cols, 1, 1, (0.0, 0.0, 1.0, 1.0)),
            Reading("1", c),
            None,
            c < 0.9,
        )
        for k, c in enumerate(confidences)
    )
    grid = Grid((0.0, 0.0, 1.0, 1.0), (0.0, 1.0), (0.0, 1.0), tuple(c.cell for c in cells), ())
    return TableState(number, "Dues", number, 1, "dues.png", grid, 0, "", cells, 0.9)


def sort_plainly(tables: list[TableState], order: Order) -> list[tuple[int, int]]:
    def key(place: tuple[int, int]) -> tuple[float, ...]:
        state = tables[place[0]].cells[place[1]]
        col, row = state.cell.col, state.cell.row
        if order == "doubt":
            return (state.confidence, tables[place[0]].id, col, row)
        return (place[0], *((col, row) if order == "columns" else (row, col)))

    found = [
        (t, c) for t, table in enumerate(tables) for c, s in enumerate(table.cells) if s.in_doubt
    ]
    return sorted(found, key=key)


TABLES = st.lists(
    st.lists(st.sampled_from([0.1, 0.5, 0.8, 0.95, 0.99]), min_size=1, max_size=9),
    min_size=1,
    max_size=5,
)


@given(TABLES, st.sampled_from(ORDERS), st.data())
def test_they_are_in_order_whatever_is_done(
    confidences: list[list[float]], order: Order, data: st.DataObject
) -> None:
    tables = [make_table(n, own) for n, own in enumerate(confidences, 1)]
    doubts = Doubts()
    doubts.set_order(order, tables)
    for _ in range(6):
        kind = data.draw(st.sampled_from(["settle", "reopen", "go", "come"]))
        if kind in {"settle", "reopen"} and tables:
            index = data.draw(st.integers(0, len(tables) - 1))
            place = data.draw(st.integers(0, len(tables[index].cells) - 1))
            table = tables[index]
            before = table.cells[place]
            settled = Settled("1", by_hand=False) if kind == "settle" else None
            after = replace(before, settled=settled)
            doubts.remove(table.id, before, place)
            cells = (*table.cells[:place], after, *table.cells[place + 1 :])
            tables[index] = replace(table, cells=cells)
            doubts.add(table.id, after, place)
        elif kind == "go" and tables:
            tables = tables[1:]
            doubts.arrange(tables, set())
        else:
            number = max((t.id for t in tables), default=0) + 1
            fresh = make_table(number, data.draw(TABLES)[0])
            tables = [fresh, *tables]
            doubts.arrange(tables, {fresh.id})
        expected = sort_plainly(tables, order)
        assert doubts.listed() == expected
        assert len(doubts) == len(expected)
        assert doubts.first() == (expected[0] if expected else None)


@pytest.mark.parametrize("order", ORDERS)
def test_the_next_and_the_one_before_go_round(order: Order) -> None:
    tables = [make_table(1, [0.95] * 4), make_table(2, [0.5, 0.95, 0.1, 0.8]), make_table(3, [0.2])]
    doubts = Doubts()
    doubts.set_order(order, tables)
    expected = sort_plainly(tables, order)
    for rank, (t, c) in enumerate(expected):
        table, state = tables[t], tables[t].cells[c]
        assert doubts.before(table.id, state) == rank
        assert doubts.beside(table.id, state, 1) == expected[(rank + 1) % len(expected)]
        assert doubts.beside(table.id, state, -1) == expected[rank - 1]
    sure = tables[0].cells[0]  # no doubt itself
    if order != "doubt":
        assert doubts.beside(1, sure, 1) == expected[0]
        assert doubts.beside(1, sure, -1) == expected[-1]


def test_without_any_there_is_nothing_to_go_to() -> None:
    table = make_table(1, [0.95])
    doubts = Doubts()
    doubts.set_order("columns", [table])
    assert doubts.first() is None
    assert doubts.beside(1, table.cells[0], 1) is None
