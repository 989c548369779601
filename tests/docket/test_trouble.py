from __future__ import annotations

import sqlite3
from pathlib import Path

import pytest

from keel_line.desk.desk import Desk
from keel_line.desk.pool import InlineExecutor
from keel_line.docket.store import Docket
from keel_line.errors import DocketError


def test_failed_pages_keep_their_reason(tmp_path: Path) -> None:
    docket = Docket(tmp_path / "a.keel")
    first, second = docket.add_source("two.tif", b"bytes", "sha", 2)
    docket.store_failure(second, "Page 2 of two.tif is damaged.")
    states = {p.id: (p.progress, p.trouble) for p in docket.pages()}
    assert states == {first: ("waiting", ""), second: ("failed", "Page 2 of two.tif is damaged.")}
    docket.close()


def test_sources_that_could_not_be_used_are_kept_by_name(tmp_path: Path) -> None:
    docket = Docket(tmp_path / "a.keel")
    docket.add_trouble("letter.txt", "letter.txt is not a picture.")
    (source,) = docket.sources()
    assert (source.name, source.pages, source.trouble) == (
        "letter.txt",
        0,
        "letter.txt is not a picture.",
    )
    assert docket.pages() == []
    docket.close()


def test_settings_are_kept(tmp_path: Path) -> None:
    path = tmp_path / "a.keel"
    desk = Desk(path)
    assert desk.unseen == 1.0
    desk.set_tolerance(0.5)
    desk.close()
    again = Desk(path)
    assert again.unseen == 0.5
    again.set_tolerance(5000)
    assert again.unseen == 100.0
    again.close()


def test_full_disk_is_told_and_nothing_is_half_done(demo_desk: Desk) -> None:
    docket = demo_desk.docket
    cells = demo_desk.tables()[0].cells
    demo_desk.replace(cells[0], "before")
    # As on a full disk: SQLite may not take one more page.
    (pages,) = docket._db.execute("PRAGMA page_count").fetchone()
    docket._db.execute(f"PRAGMA max_page_count = {pages}")
    with pytest.raises(DocketError, match="Make room on the disk"):
        demo_desk.replace(cells[1], "x" * 5_000_000)
    docket._db.execute("PRAGMA max_page_count = 1000000")
    assert demo_desk.cell(cells[0].id).text == "before"
    demo_desk.replace(cells[2], "after")
    assert demo_desk.cell(cells[2].id).text == "after"
    assert demo_desk.docket._db.execute("PRAGMA integrity_check").fetchone() == ("ok",)


def test_reading_a_page_again_replaces_what_was_found(tmp_path: Path, scan_file: Path) -> None:
    desk = Desk(tmp_path / "a.keel")
    desk.add_files([scan_file])
    desk.run(InlineExecutor(), threads=2)
    (page,) = desk.pages()
    response = desk.run(InlineExecutor(), threads=2)
    assert response == []
    before = [c.text for c in desk.tables()[0].cells]
    desk.docket._db.execute("UPDATE page SET progress = 'waiting'")
    desk.run(InlineExecutor(), threads=2)
    assert len(desk.tables()) == 1
    assert [c.text for c in desk.tables()[0].cells] == before
    assert desk.docket.squared_picture(page.id)
    assert desk.docket.small_picture(page.id + 99) is None
    desk.close()


def test_history_of_one_cell_is_its_own(demo_desk: Desk) -> None:
    a, b = demo_desk.tables()[0].cells[:2]
    demo_desk.accept([a, b])
    demo_desk.replace(a, "other")
    assert [c.after for c in demo_desk.history(a.id)] == [a.text, "other"]
    assert [c.before for c in demo_desk.history(a.id)] == [None, a.text]
    assert len(demo_desk.history()) == 3


def test_accepting_twice_keeps_by_hand(demo_desk: Desk) -> None:
    cell = demo_desk.tables()[0].cells[3]
    demo_desk.replace(cell, "by hand")
    demo_desk.accept([demo_desk.cell(cell.id)])
    settled = demo_desk.cell(cell.id).settled
    assert settled is not None
    assert settled.by_hand


def test_two_processes_see_one_docket(demo_desk: Desk) -> None:
    assert demo_desk.docket.path is not None
    other = sqlite3.connect(demo_desk.docket.path)
    cell = demo_desk.tables()[0].cells[0]
    demo_desk.replace(cell, "seen by both")
    row = other.execute("SELECT settled FROM cell WHERE id = ?", (cell.id,)).fetchone()
    other.close()
    assert row == ("seen by both",)
