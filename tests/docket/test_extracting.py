"""A table on its side becomes a page of its own, upright, and is laid back again."""

from __future__ import annotations

import pytest

from keel_line.desk.desk import Desk
from keel_line.gather.sources import make_source
from tests.conftest import BERTHS, draw_lying
from tests.remembering import RememberingExecutor


@pytest.fixture(params=[1, 3])
def desk(request: pytest.FixtureRequest) -> Desk:
    desk = Desk()
    desk.add_source(make_source("page.png", draw_lying(request.param)))
    desk.run(RememberingExecutor())
    return desk


def texts(desk: Desk, table: int) -> list[str]:
    return [c.text for c in desk.tables()[table].cells]


def test_a_table_on_its_side_is_doubted_and_not_read(desk: Desk) -> None:
    upright, lying = desk.tables()
    assert texts(desk, 0) == [t for row in BERTHS[:4] for t in row]
    assert not upright.line_doubts
    assert lying.grid.on_side
    assert [d.why for d in lying.line_doubts] == [
        "This table is sideways. U moves it upright to a page of its own"
    ]
    assert all(c.flagged and c.text == "" for c in lying.cells)


def test_taken_out_it_is_read_upright_and_the_other_stays(desk: Desk) -> None:
    (page,) = desk.pages()
    kept = desk.tables()[0].cells[5]
    desk.replace(kept, "Settled")
    desk.extract_table(page, desk.tables()[1])
    desk.run(RememberingExecutor())
    first, second = desk.pages()
    assert (first.extracted, second.extracted) == (False, True)
    assert [t.page_id for t in desk.tables()] == [first.id, second.id]
    assert texts(desk, 1) == [t for row in BERTHS for t in row]
    assert not desk.tables()[1].grid.on_side
    assert "Settled" in texts(desk, 0)


def test_extraction_can_be_undone_and_redone(desk: Desk) -> None:
    (page,) = desk.pages()
    desk.extract_table(page, desk.tables()[1])
    desk.run(RememberingExecutor())
    step = desk.undo()
    assert step is not None
    assert step.station == "rule"
    desk.run(RememberingExecutor())
    assert [(len(desk.pages()), t.grid.on_side) for t in desk.tables()] == [(1, False), (1, True)]
    assert desk.redo() is not None
    desk.run(RememberingExecutor())
    assert [(len(desk.pages()), t.grid.on_side) for t in desk.tables()] == [(2, False), (2, False)]
    desk.join_parts(desk.pages()[1])
    desk.run(RememberingExecutor())
    assert [(len(desk.pages()), t.grid.on_side) for t in desk.tables()] == [(1, False), (1, True)]
    other = desk.extract_table(desk.pages()[0], desk.tables()[1])
    assert [p.id for p in desk.pages()] == [page.id, other]
