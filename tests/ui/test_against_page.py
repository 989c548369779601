"""The readings over the page, driven by keys."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from pytestqt.qtbot import QtBot

from keel_line.ui.proof.station import ProofStation
from keel_line.ui.window import Window
from tests.ui.conftest import Keys
from tests.ui.qtest import QTest

Key = Qt.Key


def shot(window: Window) -> QImage:
    return window.station(ProofStation).against.page.grab().toImage()


def test_one_key_shows_ink_and_readings_in_turn(window: Window, press: Keys) -> None:
    press(Key.Key_F3)
    page = window.station(ProofStation).against.page
    assert window.station(ProofStation).at_page
    seen = []
    pictures = []
    for _ in range(4):
        seen.append(page.showing)
        pictures.append(shot(window))
        QTest.keyClick(page, Key.Key_Space)
    assert seen == ["both", "reading", "ink", "outside"]
    assert page.showing == "both"
    assert pictures[0] != pictures[1] != pictures[2]


def test_the_readings_are_what_stands_in_the_cells(window: Window, press: Keys) -> None:
    press(Key.Key_F3)
    page = window.station(ProofStation).against.page
    QTest.keyClick(page, Key.Key_Space)
    before = shot(window)
    window.session.replace_text("Quite another vessel")
    assert shot(window) != before
    window.actions_by_id["undo"].trigger()
    assert shot(window) == before


def test_the_outline_counts_what_is_there(window: Window, press: Keys) -> None:
    press(Key.Key_F3)
    table = window.session.table
    assert table is not None
    said = dict(window.station(ProofStation).against.outline.lines())
    assert said["Rows"].startswith(str(table.grid.rows))
    assert said["Columns"] == str(table.grid.cols)
    assert said["Open doubts"] == str(sum(c.in_doubt for c in table.cells))
    assert table.cells[-1].text in said["Last row"]


def test_page_down_goes_to_the_next_table_and_escape_back(
    window: Window, press: Keys, qtbot: QtBot
) -> None:
    press(Key.Key_F3)
    page = window.station(ProofStation).against.page
    QTest.keyClick(page, Key.Key_PageDown)
    assert window.session.table_index == 1
    qtbot.waitUntil(
        lambda: (
            window.session.table is not None
            and window.session.picture(window.session.table.page_id) is not None
        )
    )
    assert dict(window.station(ProofStation).against.outline.lines())
    QTest.keyClick(page, Key.Key_Escape)
    assert not window.station(ProofStation).at_page
    qtbot.waitUntil(window.station(ProofStation).interline.hasFocus)
    assert window.session.table_index == 1


def test_what_is_outside_all_tables_is_shown_and_counted(
    window: Window, press: Keys, qtbot: QtBot
) -> None:
    rota = next(k for k, t in enumerate(window.session.tables) if "rota" in t.name)
    window.session.go_to(rota, 0)
    page_id = window.session.tables[rota].page_id
    qtbot.waitUntil(lambda: window.session.picture(page_id) is not None)
    press(Key.Key_F3)
    against = window.station(ProofStation).against
    assert ("Outside", "1 block of writing in no table") in against.outline.lines()
    ink = shot(window)
    for _ in range(3):
        QTest.keyClick(against.page, Key.Key_Space)
    assert against.page.showing == "outside"
    assert len(against.page.outside) == 1
    assert shot(window) != ink


def test_a_page_says_that_it_is_being_loaded(window: Window, press: Keys) -> None:
    press(Key.Key_F3)
    page = window.station(ProofStation).against.page
    page.show_page(None, [], -1)
    loading = shot(window)
    page.show_page(None, [], -1, " ")
    assert shot(window) != loading
