"""What the clerk sets at Square is kept, can be undone, and never loses what was settled."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import pytest

from keel_line.desk.desk import Desk
from keel_line.docket import schema
from keel_line.docket.store import Docket
from keel_line.gather.sources import make_source
from keel_line.model.docket import PageState, Step
from keel_line.model.page import SquareChoice
from keel_line.model.reason import Reason
from keel_line.rule.mend import add_line
from tests.conftest import as_png, draw_page, make_content
from tests.remembering import RememberingExecutor


@pytest.fixture
def desk() -> Desk:
    made = draw_page(make_content(), angle_deg=1.5)
    desk = Desk()
    desk.add_source(make_source("dues.png", as_png(made.grey)))
    desk.run(RememberingExecutor())
    return desk


def page(desk: Desk) -> PageState:
    return desk.pages()[0]


def test_settings_survive_reading_a_page_again(desk: Desk) -> None:
    desk.choose([(page(desk).id, SquareChoice(angle_deg=1.2, no_specks=True))], Reason("squared"))
    assert page(desk).progress == "waiting"
    desk.run(RememberingExecutor())
    assert page(desk).angle_deg == 1.2
    assert page(desk).choice == SquareChoice(angle_deg=1.2, no_specks=True)
    desk.run(RememberingExecutor())
    assert page(desk).choice.angle_deg == 1.2


def test_settled_cells_stay_where_they_lie_on_the_paper(desk: Desk) -> None:
    cell = desk.tables()[0].cells[9]
    desk.replace(cell, "7,777")
    desk.accept([desk.tables()[0].cells[14]])
    desk.choose([(page(desk).id, SquareChoice(turns=0, angle_deg=1.0))], Reason("squared"))
    desk.run(RememberingExecutor())
    (table,) = desk.tables()
    settled = [c for c in table.cells if c.settled is not None]
    assert [(c.cell.row, c.cell.col) for c in settled] == [
        (cell.cell.row, cell.cell.col),
        (table.cells[14].cell.row, table.cells[14].cell.col),
    ]
    assert settled[0].text == "7,777"
    assert [c.after for c in desk.history(settled[0].id)] == ["7,777"]
    assert desk.notices[-1].text.endswith("was read again. 2 settled cells kept their values.")
    assert not desk.notices[-1].trouble


@pytest.mark.parametrize("share", [0.4, 0.45, 0.6])
def test_a_settled_value_stays_with_its_ink_where_its_cell_is_parted(
    desk: Desk, share: float
) -> None:
    (table,) = desk.tables()
    cell = next(c for c in table.cells if (c.cell.row, c.cell.col) == (3, 1))
    read = cell.text
    desk.replace(cell, "7,777")
    left, right = table.grid.x_lines[1:3]
    desk.draw(
        page(desk), [add_line(table.grid, "down", left + share * (right - left))], Reason("lines")
    )
    desk.run(RememberingExecutor())
    parts = [c for c in desk.tables()[0].cells if c.cell.row == 3 and c.cell.col in {1, 2}]
    assert {c.reading.text for c in parts} == {read, ""}
    assert [c.text for c in parts if c.reading.text == read] == ["7,777"]
    assert [c.text for c in parts if c.settled is not None] == ["7,777"]


def test_what_was_said_of_a_blank_part_never_blanks_what_is_written(desk: Desk) -> None:
    (table,) = desk.tables()
    cell = next(c for c in table.cells if (c.cell.row, c.cell.col) == (3, 1))
    left, right = table.grid.x_lines[1:3]
    parted = add_line(table.grid, "down", left + 0.45 * (right - left))
    desk.draw(page(desk), [parted], Reason("lines"))
    desk.run(RememberingExecutor())
    (blank,) = [
        c
        for c in desk.tables()[0].cells
        if c.cell.row == 3 and c.cell.col in {1, 2} and not c.reading.text
    ]
    desk.accept([blank])
    for step in (desk.undo, desk.undo, desk.redo, desk.redo):
        step()
        desk.run(RememberingExecutor())
        written = [c for c in desk.tables()[0].cells if c.cell.row == 3 and c.reading.text]
        assert [c.text for c in written] == [c.reading.text for c in written]
        assert cell.text in {c.text for c in written}


def test_settled_cells_without_a_place_come_back_when_it_does(desk: Desk) -> None:
    cell = desk.tables()[0].cells[9]
    desk.replace(cell, "7,777")
    corners = ((900.0, 700.0), (1300.0, 700.0), (1300.0, 1200.0), (900.0, 1200.0))
    desk.choose([(page(desk).id, SquareChoice(corners=corners))], Reason("squared"))
    desk.run(RememberingExecutor())
    assert desk.docket.strays(page(desk).id) == ["7,777"]
    assert "7,777" in desk.notices[-1].text
    assert desk.undo() == Step(page_ids=(page(desk).id,))
    assert page(desk).progress == "done"  # what was found before is known
    assert desk.docket.strays(page(desk).id) == []
    assert [c.text for c in desk.tables()[0].cells if c.settled] == ["7,777"]


def test_changes_of_cells_and_pages_are_undone_in_order(desk: Desk) -> None:
    cell = desk.tables()[0].cells[5]
    desk.replace(cell, "one")
    desk.choose([(page(desk).id, SquareChoice(turns=1))], Reason("squared"))
    desk.choose([(page(desk).id, SquareChoice(turns=2))], Reason("squared"))
    assert desk.undo() == Step(page_ids=(page(desk).id,))
    assert page(desk).choice.turns == 1
    assert desk.undo() == Step(page_ids=(page(desk).id,))
    assert page(desk).choice == SquareChoice()
    assert desk.undo() == Step(cell_ids=(cell.id,))
    assert desk.undo() is None
    assert desk.redo() == Step(cell_ids=(cell.id,))
    assert desk.redo() == Step(page_ids=(page(desk).id,))
    assert page(desk).choice.turns == 1


def test_an_angle_beyond_the_limit_is_refused(desk: Desk) -> None:
    with pytest.raises(ValueError, match="at most 20"):
        desk.choose([(page(desk).id, SquareChoice(angle_deg=21))], Reason("squared"))
    assert page(desk).progress == "done"


def test_an_accepted_page_needs_no_check_until_it_changes(desk: Desk) -> None:
    number = page(desk).id
    desk.accept_page(number)
    assert page(desk).passed
    desk.choose([(number, SquareChoice(turns=2))], Reason("squared"))
    assert not page(desk).passed


def test_a_docket_of_the_first_schema_is_brought_up_to_date(tmp_path: Path) -> None:
    path = tmp_path / "old.keel"
    old = sqlite3.connect(path)
    old.executescript(schema.MIGRATIONS[0].script)
    old.executescript(
        "INSERT INTO source (name, sha256, data, pages, added) VALUES ('a', 'b', x'00', 1, 'now');"
        "INSERT INTO page (source_id, number) VALUES (1, 1); PRAGMA user_version = 1;"
    )
    old.execute(f"PRAGMA application_id = {schema.APPLICATION_ID}")
    old.close()
    docket = Docket(path)
    (state,) = docket.pages()
    assert state.choice == SquareChoice()
    assert state.verdict.outlook == "good"
    docket.choose([(state.id, SquareChoice(turns=3))], "clerk", Reason("squared"))
    assert docket.pages()[0].choice.turns == 3
    docket.close()


def test_pages_changed_together_are_undone_together() -> None:
    desk = Desk()
    for name, angle in (("a.png", 0.5), ("b.png", 1.0)):
        made = draw_page(make_content(2, 2), angle_deg=angle, size_in=(4, 3))
        desk.add_source(make_source(name, as_png(made.grey)))
    first, second = (p.id for p in desk.pages())
    desk.choose([(i, SquareChoice(even_light=True)) for i in (first, second)], Reason("squared"))
    assert desk.undo() == Step(page_ids=(first, second))
    assert [p.choice.even_light for p in desk.pages()] == [False, False]
    assert desk.redo() == Step(page_ids=(first, second))
    assert [p.choice.even_light for p in desk.pages()] == [True, True]
