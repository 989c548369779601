"""What the clerk did outlives the cell or table that it was done to."""

from __future__ import annotations

import pytest

from keel_line.desk.desk import Desk
from keel_line.desk.history import place_changes
from keel_line.errors import DocketError
from keel_line.gather.sources import make_source
from keel_line.model.docket import PageState
from keel_line.model.finding import DrawnSum, Sums
from keel_line.model.grid import Grid
from keel_line.model.page import SquareChoice
from keel_line.model.reason import Reason
from keel_line.rule.mend import add_line, remove_line
from tests.conftest import as_png, draw_page, make_content
from tests.remembering import RememberingExecutor


@pytest.fixture
def desk() -> Desk:
    desk = Desk()
    desk.add_source(make_source("dues.png", as_png(draw_page(make_content()).grey)))
    desk.run(RememberingExecutor())
    return desk


def page(desk: Desk) -> PageState:
    return desk.pages()[0]


def mend(desk: Desk, grids: list[Grid]) -> None:
    desk.draw(page(desk), grids, Reason("lines"))
    desk.run(RememberingExecutor())


def take_back(desk: Desk) -> None:
    assert desk.undo() is not None
    desk.run(RememberingExecutor())


def text_at(desk: Desk, row: int, col: int) -> str:
    return next(
        c.text for t in desk.tables() for c in t.cells if (c.cell.row, c.cell.col) == (row, col)
    )


def test_history_outlives_a_cell_that_loses_its_place_and_comes_back(desk: Desk) -> None:
    cell = next(c for c in desk.tables()[0].cells if (c.cell.row, c.cell.col) == (3, 1))
    desk.replace(cell, "7,777")
    desk.replace(desk.cell(cell.id), "8,888")
    mend(desk, [])  # no table is left
    assert desk.docket.strays(page(desk).id) == ["8,888"]
    *history, drawn = desk.history()
    assert (drawn.kind, drawn.page) == ("drawn", ("dues.png", 1))
    assert [(c.after, c.reading) for c in history] == [
        ("7,777", cell.reading.text),
        ("8,888", cell.reading.text),
    ]
    assert all(c.who for c in history)
    lost = place_changes(history, desk.tables())
    assert [(c.table, c.source, c.page) for c in lost] == [("", "dues.png", 1)] * 2
    take_back(desk)
    assert text_at(desk, 3, 1) == "8,888"
    back = next(c for c in desk.tables()[0].cells if c.settled)
    assert [c.after for c in desk.history(back.id)] == ["7,777", "8,888"]
    assert desk.docket.strays(page(desk).id) == []
    desk.undo()
    assert text_at(desk, 3, 1) == "7,777"


def test_a_value_without_a_place_can_be_taken_back_and_made_again(desk: Desk) -> None:
    cell = desk.tables()[0].cells[9]
    desk.replace(cell, "7,777")
    mend(desk, [])
    db = desk.docket._db
    db.execute(
        "UPDATE operation SET state = 'dropped' WHERE kind = 'drawn'"
    )  # as if the mending were long ago
    assert desk.undo() is not None
    assert desk.docket.strays(page(desk).id) == []
    assert desk.redo() is not None
    assert desk.docket.strays(page(desk).id) == ["7,777"]


def test_several_readings_without_a_place_lose_nothing(desk: Desk) -> None:
    cell = desk.tables()[0].cells[9]
    desk.replace(cell, "7,777")
    grids = [t.grid for t in desk.tables()]
    for _ in range(3):
        mend(desk, [])
    desk.draw(page(desk), grids, Reason("lines"))
    desk.run(RememberingExecutor())
    settled = [c for t in desk.tables() for c in t.cells if c.settled]
    assert [c.text for c in settled] == ["7,777"]
    assert [c.after for c in desk.history(settled[0].id)] == ["7,777"]


def total(desk: Desk) -> Sums:
    return Sums((DrawnSum((5, 1), ((1, 1), (2, 1), (4, 1))),), ((5, 2),))


def test_drawn_sums_follow_their_cells_where_rows_change(desk: Desk) -> None:
    (table,) = desk.tables()
    desk.set_sums(table, total(desk), Reason("sum-set"))
    assert desk.tables()[0].sums == total(desk)
    ys = table.grid.y_lines
    taller = add_line(table.grid, "across", (ys[0] + ys[1]) / 2)
    mend(desk, [taller])  # all rows below the first are one further down
    moved = Sums((DrawnSum((6, 1), ((2, 1), (3, 1), (5, 1))),), ((6, 2),))
    assert desk.tables()[0].sums == moved
    take_back(desk)
    assert desk.tables()[0].sums == total(desk)


def test_drawn_sums_outlive_a_quarter_turn_and_its_undo(desk: Desk) -> None:
    desk.set_sums(desk.tables()[0], total(desk), Reason("sum-set"))
    desk.choose([(page(desk).id, SquareChoice(turns=1))], Reason("squared"))
    desk.run(RememberingExecutor())
    take_back(desk)
    assert desk.tables()[0].sums == total(desk)
    desk.undo()
    assert desk.tables()[0].sums == Sums()
    desk.redo()
    assert desk.tables()[0].sums == total(desk)


def test_a_sum_whose_total_has_no_cell_now_comes_back_with_it(desk: Desk) -> None:
    (table,) = desk.tables()
    desk.set_sums(table, total(desk), Reason("sum-set"))
    last = remove_line(table.grid, "across", table.grid.rows)  # the row of totals is cut off
    mend(desk, [last])
    assert desk.tables()[0].sums == Sums()
    desk.set_sums(desk.tables()[0], Sums(dropped=((1, 3),)), Reason("sum-set"))
    desk.draw(page(desk), [table.grid], Reason("lines"))
    desk.run(RememberingExecutor())
    assert desk.tables()[0].sums.drawn == total(desk).drawn
    assert desk.tables()[0].sums.dropped == ((1, 3), (5, 2))


def test_a_name_outlives_the_table_that_it_was_given_to(desk: Desk) -> None:
    (table,) = desk.tables()
    desk.rename(table, "Dues of March")
    desk.set_heading(table, 2)
    mend(desk, [])
    mend(desk, [])
    take_back(desk)
    take_back(desk)
    (again,) = desk.tables()
    assert (again.name, again.header_rows) == ("Dues of March", 2)
    desk.undo()
    assert desk.tables()[0].header_rows == table.header_rows
    desk.undo()
    assert desk.tables()[0].name == table.name


def test_settling_a_cell_that_is_no_more_says_so(desk: Desk) -> None:
    cell = desk.tables()[0].cells[9]
    mend(desk, [])
    with pytest.raises(DocketError, match="its page was read again"):
        desk.replace(cell, "7,777")
    with pytest.raises(DocketError, match="its page was read again"):
        desk.cell(cell.id, 0.5)


def test_more_heading_rows_than_are_left_are_all_there_are(desk: Desk) -> None:
    (table,) = desk.tables()
    desk.set_heading(table, 3)
    grid = table.grid
    while grid.rows > 1:
        grid = remove_line(grid, "across", grid.rows)
    mend(desk, [grid])
    (small,) = desk.tables()
    assert (small.grid.rows, small.header_rows) == (1, 1)
    take_back(desk)
    assert desk.tables()[0].header_rows == 3
