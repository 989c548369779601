"""The history of corrections, driven by keys."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from keel_line.model.page import SquareChoice
from keel_line.model.reason import Reason
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.window import Window
from tests.ui.conftest import Keys
from tests.ui.qtest import QTest

Key, Mod = Qt.Key, Qt.KeyboardModifier


def test_typing_searches_and_enter_goes_to_the_cell(
    window: Window, press: Keys, qtbot: QtBot
) -> None:
    press(Key.Key_Return)  # the column's heading
    corrected = window.session.cell.id
    press("Hollin Wyke")
    press(Key.Key_Return)
    press(Key.Key_Return, times=2)
    press(Key.Key_F6)
    history = window.station(ProofStation).history
    assert window.station(ProofStation).at_history
    assert len(history.shown()) == 4
    QTest.keyClicks(history.search, "hollin")
    (only,) = history.shown()
    assert only.record.subject == corrected
    assert only.record.after == "Hollin Wyke"
    QTest.keyClick(history.search, Key.Key_Return)
    assert not window.station(ProofStation).at_history
    assert window.session.cell.id == corrected
    qtbot.waitUntil(window.station(ProofStation).interline.hasFocus)


def test_tab_shows_the_cell_at_hand_alone(window: Window, press: Keys) -> None:
    first = (window.session.table_index, window.session.cell_index)
    press(Key.Key_Return, times=2)
    window.session.go_to(*first)
    press(Key.Key_F6)
    history = window.station(ProofStation).history
    QTest.keyClick(history.search, Key.Key_Tab)
    assert [c.record.subject for c in history.shown()] == [window.session.cell.id]
    QTest.keyClick(history.search, Key.Key_Tab)
    assert len(history.shown()) == 2
    QTest.keyClick(history.search, Key.Key_Down)
    QTest.keyClick(history.search, Key.Key_Return)
    assert (window.session.table_index, window.session.cell_index) == first


def test_undone_changes_stay_in_the_history(window: Window, press: Keys) -> None:
    press(Key.Key_Return)
    press(Key.Key_F6)
    window.actions_by_id["undo"].trigger()
    (only,) = window.station(ProofStation).history.shown()
    assert only.record.undone


def test_what_is_shown_is_written(window: Window, press: Keys, tmp_path: Path) -> None:
    press(Key.Key_Return)  # the column's heading
    press("Zzyzx")
    press(Key.Key_Return)
    press(Key.Key_F6)
    history = window.station(ProofStation).history
    QTest.keyClicks(history.search, "zzyzx")
    history.write(tmp_path / "corrections")
    text = (tmp_path / "corrections.csv").read_text(encoding="utf-8-sig")
    assert len(text.splitlines()) == 2
    assert "Zzyzx" in text
    history.write(tmp_path / "none" / "corrections.csv")
    assert "none" in window.message.text()


def test_escape_goes_back_with_nothing_changed(window: Window, press: Keys) -> None:
    at = window.session.cell.id
    press(Key.Key_F6)
    QTest.keyClick(window.station(ProofStation).history.search, Key.Key_Escape)
    assert not window.station(ProofStation).at_history
    assert window.session.cell.id == at


def test_what_was_done_to_tables_and_pages_is_told_too(window: Window, press: Keys) -> None:
    session = window.session
    table, page = session.tables[2], session.desk.pages()[0]
    session.rename(table, "Harbour dues")
    session.set_heading(session.tables[2], 2)
    choice = SquareChoice(angle_deg=0.5)
    session.desk.docket.choose([(page.id, choice)], "clerk", Reason("squared"))
    press(Key.Key_F6)
    history = window.station(ProofStation).history
    squared, heading, named = history.shown()
    assert (named.record.before, named.after, named.table) == (None, "Harbour dues", "Harbour dues")
    assert (heading.after, str(heading.record.reason)) == ("2", "heading rows set")
    assert (squared.source, squared.page) == (page.source_name, page.number)
    shown = [history.proxy.index(row, 1).data() for row in range(3)]
    assert shown == [f"page {page.number} of {page.source_name}", "Harbour dues", "Harbour dues"]
    QTest.keyClick(history.search, Key.Key_Down)
    QTest.keyClick(history.search, Key.Key_Return)
    assert session.table_index == 2
    press(Key.Key_F6)
    QTest.keyClick(history.search, Key.Key_Return)  # the page
    assert session.table is not None
    assert session.table.page_id == page.id
