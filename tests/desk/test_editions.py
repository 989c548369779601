"""A file that comes again takes over what was done to its earlier edition."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from keel_line.desk.desk import Desk
from keel_line.desk.editions import (
    compare_tables,
    find_editions,
    follow_edition,
    is_same_ink,
)
from keel_line.desk.tidying import read_trail, tidy_table
from keel_line.model.reason import Reason
from keel_line.model.table import TableState
from keel_line.rule.mend import remove_line
from synth.pages import CellContent
from tests.conftest import as_png, draw_page, make_content
from tests.remembering import RememberingExecutor
from tests.tidy.test_joins import HEADING, XS, entries, table

CHANGED = CellContent(2, 1, "99.9")


def add(desk: Desk, folder: Path, *spans: CellContent, angle_deg: float = 0.0) -> None:
    """Add the same form under the same name, with some cells changed."""
    folder.mkdir(exist_ok=True)
    path = folder / "dues.png"
    path.write_bytes(as_png(draw_page(make_content(spans=spans), angle_deg=angle_deg).grey))
    desk.add_files([path])
    desk.run(RememberingExecutor())


def of_page(desk: Desk, number: int) -> TableState:
    page = desk.pages()[number]
    (found,) = [t for t in desk.tables() if t.page_id == page.id]
    return found


@pytest.fixture
def desk(tmp_path: Path) -> Desk:
    desk = Desk(tmp_path / "dues.keel")
    add(desk, tmp_path / "first")
    return desk


def test_names_steps_and_unchanged_values_are_taken_over(desk: Desk, tmp_path: Path) -> None:
    assert find_editions(desk) == []
    first = of_page(desk, 0)
    for number in (5, 9, 13):
        desk.replace(first.cells[number], f"by hand {number}")
    desk.rename(first, "Harbour dues")
    desk.set_steps(first, tidy_table(of_page(desk, 0)).drop_column(3))
    add(desk, tmp_path / "second", CHANGED, angle_deg=0.6)
    (edition,) = find_editions(desk)
    assert (edition.old.name, edition.new.name) == ("dues.png", "dues.png")
    done = follow_edition(desk, edition)
    assert (done.waiting, done.tables) == (0, 1)
    now = of_page(desk, 1)
    assert now.name == "Harbour dues"
    assert len(read_trail(now).steps) == 1
    settled = {(s.cell.row, s.cell.col): s.text for s in now.cells if s.settled}
    # The one that was changed on the paper is not among them.
    assert settled == {(1, 1): "by hand 5", (3, 1): "by hand 13"}
    told = {(d.row, d.col): (d.before, d.now) for d in done.differences}
    assert told == {(2, 1): ("by hand 9", "99.9")}
    assert done.differences[0].cell == now.cells[9].id
    assert find_editions(desk) == []  # it is offered once
    assert desk.undo() is not None
    assert not any(s.settled for s in of_page(desk, 1).cells)
    desk.close()


def test_lines_that_the_clerk_drew_are_laid_first(desk: Desk, tmp_path: Path) -> None:
    first = of_page(desk, 0)
    desk.draw(
        desk.pages()[0], [remove_line(first.grid, "across", first.grid.rows)], Reason("lines")
    )
    desk.run(RememberingExecutor())
    rows = of_page(desk, 0).grid.rows
    add(desk, tmp_path / "second", angle_deg=-0.5)
    (edition,) = find_editions(desk)
    assert follow_edition(desk, edition).waiting == 1
    assert find_editions(desk) == [edition]
    assert follow_edition(desk, edition).waiting == 1  # not read yet
    desk.run(RememberingExecutor())
    done = follow_edition(desk, edition)
    assert (done.waiting, done.differences) == (0, ())
    assert of_page(desk, 1).grid.rows == rows == 5
    desk.close()


def test_rows_that_came_or_went_are_told_as_one() -> None:
    rows = entries(1, 6)
    before = table(1, rows)
    now = table(2, [*rows[:2], ("7b", "Skua", "9.00"), *rows[3:]])
    _, told = compare_tables(before, now)
    assert [(d.col, d.before, d.now) for d in told] == [
        (0, rows[2][0], "7b"),
        (1, rows[2][1], "Skua"),
        (2, rows[2][2], "9.00"),
    ]
    _, told = compare_tables(before, table(2, [*rows, ("7", "Skua", "9.00")]))
    assert [(d.col, d.before, d.now) for d in told] == [(-1, "", "7 · Skua · 9.00")]
    _, told = compare_tables(before, table(2, rows[1:]))
    assert [(d.row, d.col, d.now) for d in told] == [(-1, -1, "")]
    cells, told = compare_tables(
        before, table(2, [r[:2] for r in rows], heading=HEADING[:2], xs=XS[:3])
    )
    assert cells == []
    assert (told[0].before, told[0].now) == ("3 columns", "2 columns")


def test_ink_is_compared_whatever_its_size() -> None:
    made = draw_page(make_content(), dpi=200.0).grey
    other = draw_page(make_content(), dpi=300.0).grey
    small, large = (100, 150, 320, 240), (150, 225, 480, 360)
    assert is_same_ink(made, small, other, large)
    assert not is_same_ink(made, small, other, (480, 300, 810, 435))
    blank = np.full((60, 200), 250, np.uint8)
    assert is_same_ink(blank, (0, 0, 200, 60), blank, (0, 0, 200, 60))
    assert not is_same_ink(made, small, blank, (0, 0, 200, 60))
    assert not is_same_ink(made, (0, 0, 2, 2), other, large)


def test_an_other_name_is_no_edition(desk: Desk, tmp_path: Path) -> None:
    path = tmp_path / "other.png"
    path.write_bytes(as_png(draw_page(make_content(), angle_deg=0.3).grey))
    desk.add_files([path])
    assert find_editions(desk) == []
    desk.docket.set_setting("followed", "nonsense")
    assert find_editions(desk) == []
    desk.close()
