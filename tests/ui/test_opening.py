"""A large docket is opened little by little, and the clerk works in it meanwhile."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

import keel_line.ui.session as session_module
from keel_line.desk.desk import Desk
from keel_line.gather.sources import Source
from keel_line.ui.backlog import Backlog
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.send.station import SendStation
from keel_line.ui.window import Window
from tests.docket.paper import PaperReader
from tests.ui.conftest import open_window
from tests.ui.qtest import QTest

PAGES = 12
Key, Mod = Qt.Key, Qt.KeyboardModifier


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Window]:
    """A window in which only the first page is open yet, and nothing goes on by itself."""
    path = tmp_path / "Large.keel"
    desk = Desk(path)
    desk.add_source(Source("volume.pdf", b"1", "1", PAGES))
    desk.set_tolerance(0.1)
    desk.run(PaperReader())
    desk.replace(desk.tables()[-1].cells[7], "settled before")
    desk.close()
    monkeypatch.setattr(session_module, "_CELLS_AT_ONCE", 0)
    monkeypatch.setattr(Backlog, "work_soon", lambda *_: None)
    opened = open_window(qtbot, Desk(None), tmp_path)
    opened.session.to_open.budget_s = 0.0
    opened.open_docket(path)
    opened.session.hold()
    yield opened
    opened.close()


def go_on(window: Window) -> None:
    """Let the rest of the docket be opened."""
    while not window.session.is_open:
        window.session.to_open.work()


def test_the_first_doubts_are_there_at_once_and_the_rest_follows(window: Window) -> None:
    session = window.session
    assert len(session.tables) == 1
    assert session.cell.in_doubt
    assert window._at == "proof"
    here = session.cell.id
    session.to_open.work()
    assert len(session.tables) == 2
    assert "Opening: " in window._running.text()
    go_on(window)
    assert len(session.tables) == PAGES
    assert session.cell.id == here
    assert not window._running.isVisible()
    assert len(session.doubts()) == sum(c.in_doubt for t in session.tables for c in t.cells)


def test_the_page_that_the_clerk_goes_to_is_opened_first(window: Window) -> None:
    session = window.session
    last = window.session.desk.pages()[-1].id
    window.go_to_page(last)
    assert session.table is not None
    assert session.table.page_id == last
    assert len(session.tables) == 2
    here = session.cell.id
    go_on(window)
    assert session.cell.id == here
    assert session.table_index == PAGES - 1
    assert [t.page_id for t in session.tables] == [p.id for p in session.desk.pages()]


def test_an_undo_opens_the_page_that_it_changes(window: Window) -> None:
    session = window.session
    QTest.keyClick(window.station(ProofStation).interline, Key.Key_Z, Mod.ControlModifier)
    assert session.table is not None
    assert session.table.page_id == session.desk.pages()[-1].id
    assert session.cell.settled is None
    assert len(session.tables) == 2
    go_on(window)
    assert session.proofs.total.settled == 0


def test_a_cell_settled_meanwhile_is_kept(window: Window) -> None:
    session = window.session
    settled = session.cell.id
    QTest.keyClick(window.station(ProofStation).interline, Key.Key_Return)
    go_on(window)
    state = session.proofs.cell(settled)
    assert state is not None
    assert state.settled is not None
    assert session.proofs.total.settled == 2


def test_what_needs_the_whole_docket_waits(window: Window) -> None:
    proof = window.station(ProofStation)
    proof.open_history()
    assert "still being opened" in window.message.text()
    assert not proof.at_history
    proof.draw_sample()
    assert not proof._drawn
    window.go_to("send")
    assert not window.station(SendStation).write_button.isEnabled()
    go_on(window)
    assert window.station(SendStation).write_button.isEnabled()
    window.go_to("proof")
    proof.open_history()
    assert proof.at_history


def test_another_docket_may_be_opened_before_the_first_is_open(
    window: Window, tmp_path: Path
) -> None:
    window.new_docket()
    assert not window.session.tables
    assert window.session.is_open
    window.session.to_open.work()
    assert not window.session.tables
