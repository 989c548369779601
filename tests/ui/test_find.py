"""Find anywhere, driven by keys."""

from __future__ import annotations

import shutil

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from keel_line.ui.proof.station import ProofStation
from keel_line.ui.window import Window
from tests.ui.qtest import QTest

Key, Mod = Qt.Key, Qt.KeyboardModifier


def look_for(window: Window, qtbot: QtBot, text: str) -> None:
    """Open the sheet with its key, type, and wait for what is found."""
    QTest.keyClick(window, Key.Key_F, Mod.ControlModifier)
    sheet = window.find_sheet
    qtbot.waitUntil(sheet.field.hasFocus)
    QTest.keyClicks(sheet.field, text)
    qtbot.waitUntil(lambda: bool(sheet.places) and sheet.list.rowCount() == len(sheet.places))


def test_enter_goes_to_the_cell_in_this_docket(window: Window, qtbot: QtBot) -> None:
    window.go_to("gather")
    look_for(window, qtbot, "marigold")
    sheet = window.find_sheet
    cells = [p for p in sheet.places if p.cell is not None]
    assert len(cells) >= 2
    QTest.keyClick(sheet.field, Key.Key_Down)
    chosen = sheet.places[1]
    QTest.keyClick(sheet.field, Key.Key_Return)
    assert not sheet.isVisible()
    assert window.session.cell.id == chosen.cell
    qtbot.waitUntil(window.station(ProofStation).interline.hasFocus)


def test_enter_opens_another_docket_at_the_cell(window: Window, qtbot: QtBot) -> None:
    own = window.session.desk.docket.path
    assert own is not None
    other = window.folder / "Earlier.keel"
    shutil.copy(own, other)
    look_for(window, qtbot, "marigold")
    sheet = window.find_sheet
    first = next(i for i, p in enumerate(sheet.places) if p.docket == other)
    assert all(p.docket == own for p in sheet.places[:first])  # the docket at hand comes first
    QTest.keyClick(sheet.field, Key.Key_Down)
    sheet.list.selectRow(first)
    chosen = sheet.places[first]
    QTest.keyClick(sheet.field, Key.Key_Return)
    assert window.session.desk.docket.path == other
    assert window.session.cell.id == chosen.cell


def test_escape_closes_and_nothing_moves(window: Window, qtbot: QtBot) -> None:
    before = window.session.cell.id
    look_for(window, qtbot, "marigold")
    QTest.keyClick(window.find_sheet.field, Key.Key_Escape)
    assert not window.find_sheet.isVisible()
    assert window.session.cell.id == before
    qtbot.waitUntil(window.station(ProofStation).interline.hasFocus)


def test_a_new_text_takes_the_place_of_the_one_before(window: Window, qtbot: QtBot) -> None:
    look_for(window, qtbot, "marigold")
    sheet = window.find_sheet
    sheet.field.selectAll()
    QTest.keyClicks(sheet.field, "no such words")
    assert sheet.list.rowCount() > 0  # those of the text before are still shown
    QTest.keyClick(sheet.field, Key.Key_Return)
    assert sheet.isVisible()  # but Enter does not go to one
    qtbot.waitUntil(lambda: sheet.count_shown.startswith("0 places"))
    QTest.keyClick(sheet.field, Key.Key_Return)  # nowhere to go
    assert sheet.isVisible()
