"""A picture of two pages is parted, read in parts, and made one page again."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import numpy as np
import pytest

from keel_line.desk.desk import Desk
from keel_line.docket import schema
from keel_line.gather.sources import make_source
from synth.pages import Sheet, Style, finish_page
from tests.conftest import as_png, inter, make_content
from tests.remembering import RememberingExecutor

DPI = 150.0


@pytest.fixture
def desk() -> Desk:
    sheet, rng = Sheet(DPI, (11.7, 8.3)), np.random.default_rng(2)
    style = Style(inter(), inter(bold=True), 10.0)
    sheet.draw_table(make_content(6, 3), (0.8, 0.8), style, rng)
    sheet.draw_table(make_content(8, 4), (6.4, 0.8), style, rng)
    grey = finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey
    desk = Desk()
    desk.add_source(make_source("book.png", as_png(grey, (DPI, DPI))))
    desk.run(RememberingExecutor())
    return desk


def shapes(desk: Desk) -> list[tuple[int, int, int]]:
    ids = [p.id for p in desk.pages()]
    return [(ids.index(t.page_id), t.grid.rows, t.grid.cols) for t in desk.tables()]


def test_two_pages_are_told_and_parted_into_two(desk: Desk) -> None:
    (page,) = desk.pages()
    assert page.needs_review
    assert page.parted_at == pytest.approx(6.0 * DPI, abs=0.7 * DPI)
    desk.part_page(page)
    desk.run(RememberingExecutor())
    assert [p.number for p in desk.pages()] == [1, 1]
    assert shapes(desk) == [(0, 6, 3), (1, 8, 4)]
    assert not any(p.needs_review for p in desk.pages())
    first, second = desk.pages()
    assert first.squared_size_px[0] + second.squared_size_px[0] == page.size_px[0]


def test_splitting_can_be_undone_and_redone(desk: Desk) -> None:
    desk.part_page(desk.pages()[0])
    desk.run(RememberingExecutor())
    desk.replace(desk.tables()[1].cells[5], "77")
    assert desk.undo() is not None  # the cell
    step = desk.undo()
    assert step is not None
    assert len(step.page_ids) == 2
    desk.run(RememberingExecutor())
    assert shapes(desk) == [(0, 6, 3), (0, 8, 4)]
    assert desk.redo() is not None
    desk.run(RememberingExecutor())
    assert shapes(desk) == [(0, 6, 3), (1, 8, 4)]


@pytest.mark.parametrize("at", [0, 1])
def test_parts_become_one_page_again_from_either(desk: Desk, at: int) -> None:
    desk.part_page(desk.pages()[0])
    desk.run(RememberingExecutor())
    desk.join_parts(desk.pages()[at])
    desk.run(RememberingExecutor())
    assert shapes(desk) == [(0, 6, 3), (0, 8, 4)]
    desk.part_page(desk.pages()[0])  # the same two pages once more
    desk.run(RememberingExecutor())
    assert shapes(desk) == [(0, 6, 3), (1, 8, 4)]


def test_an_older_docket_keeps_its_pages_and_tables(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "old.keel"
    older = schema.MIGRATIONS[:8]
    with monkeypatch.context() as patched:
        patched.setattr(schema, "MIGRATIONS", older)
        with sqlite3.connect(path) as db:
            schema.prepare(db, "old.keel")
            db.execute("INSERT INTO source VALUES (1, 'a.png', 'x', x'00', 1, '', 'now')")
            db.execute("INSERT INTO page (id, source_id, number) VALUES (7, 1, 1)")
            db.execute(
                "INSERT INTO found_table (page_id, position, name, frame, header_rows)"
                " VALUES (7, 0, 'Dues', '{}', 1)"
            )
        db.close()
    with sqlite3.connect(path) as db:
        schema.prepare(db, "old.keel")
        assert db.execute("SELECT id, part, hidden FROM page").fetchall() == [(7, 0, 0)]
        assert db.execute("SELECT name FROM found_table WHERE page_id = 7").fetchall()
        db.execute("PRAGMA foreign_keys = ON")
        assert db.execute("PRAGMA foreign_key_check").fetchall() == []
        db.execute("DELETE FROM page WHERE id = 7")
        assert db.execute("SELECT count(*) FROM found_table").fetchone() == (0,)
    db.close()
