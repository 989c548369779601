"""The Square station, driven by real keys over the demo docket."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from pytestqt.qtbot import QtBot

from keel_line.desk.desk import Desk
from keel_line.gather.sources import make_source
from keel_line.model.docket import PageState
from keel_line.model.page import SquareChoice
from keel_line.ui.square.station import SquareStation
from keel_line.ui.window import Window
from tests.conftest import as_png, draw_page, make_content
from tests.remembering import RememberingExecutor
from tests.ui.conftest import open_window
from tests.ui.qtest import QTest

Key, Mod = Qt.Key, Qt.KeyboardModifier


@pytest.fixture
def square(window: Window, qtbot: QtBot) -> SquareStation:
    QTest.keyClick(window, Key.Key_2, Mod.ControlModifier)
    first = window.session.desk.pages()[0]
    qtbot.waitUntil(lambda: window.session.original(first) is not None)
    return window.station(SquareStation)


@pytest.fixture
def pair(qtbot: QtBot, tmp_path: Path) -> Iterator[Window]:
    """A window at Square over a docket of two small pages."""
    desk = Desk()
    for name, rows in (("dues.png", 6), ("berths.png", 5)):
        desk.add_source(make_source(name, as_png(draw_page(make_content(rows)).grey)))
    desk.run(RememberingExecutor())
    window = open_window(qtbot, desk, tmp_path / "dockets")
    window.go_to("square")
    first = desk.pages()[0]
    qtbot.waitUntil(lambda: window.session.original(first) is not None)
    yield window
    window.close()


def page(window: Window, number: int = 0) -> PageState:
    return window.session.desk.pages()[number]


def press(
    square: SquareStation, key: Qt.Key, modifier: Qt.KeyboardModifier = Mod.NoModifier
) -> None:
    QTest.keyClick(square.board, key, modifier)


def test_rotation_by_key_is_saved_and_undone(window: Window, square: SquareStation) -> None:
    before = page(window).angle_deg
    for _ in range(3):
        press(square, Key.Key_Right)
    press(square, Key.Key_Left, Mod.ShiftModifier)
    assert square.choice.angle_deg == pytest.approx(before - 0.3 + 1.0, abs=0.011)
    assert page(window).choice.angle_deg is None  # not before the clerk pauses
    square.settle()
    assert page(window).progress == "done"
    assert page(window).angle_deg == square.choice.angle_deg
    QTest.keyClick(window, Key.Key_Z, Mod.ControlModifier)
    assert page(window).choice == SquareChoice()
    assert page(window).angle_deg == pytest.approx(before, abs=0.02)


def test_a_pause_settles_what_was_set(window: Window, square: SquareStation, qtbot: QtBot) -> None:
    press(square, Key.Key_L)
    qtbot.waitUntil(lambda: page(window).choice.even_light, timeout=5000)
    press(square, Key.Key_R)
    qtbot.waitUntil(lambda: page(window).choice == SquareChoice(), timeout=5000)


def test_quarter_turns_go_round(window: Window, square: SquareStation) -> None:
    press(square, Key.Key_T)
    assert square.choice.turns == 1
    press(square, Key.Key_T, Mod.ShiftModifier)
    press(square, Key.Key_T, Mod.ShiftModifier)
    assert square.choice.turns == 3
    square.settle()
    wide, high = page(window).squared_size_px
    assert wide > high
    press(square, Key.Key_R)
    square.settle()
    assert page(window).turns == 0


def test_corners_are_set_by_key(window: Window, square: SquareStation) -> None:
    press(square, Key.Key_C)
    assert square.board.setting_corners
    for _ in range(4):
        press(square, Key.Key_Right, Mod.ShiftModifier)
    QTest.keyClick(square.board, Key.Key_Tab)
    press(square, Key.Key_Down)
    press(square, Key.Key_Return)
    assert not square.board.setting_corners
    corners = square.choice.corners
    assert corners is not None
    wide, _ = page(window).size_px
    assert corners[0][0] > 0.06 * wide
    assert corners[1][1] > corners[0][1]
    square.settle()
    assert page(window).corners == corners


def test_escape_drops_the_corners(square: SquareStation) -> None:
    press(square, Key.Key_C)
    press(square, Key.Key_Left)
    press(square, Key.Key_Escape)
    assert not square.board.setting_corners
    assert square.choice.corners is None


def test_a_corner_is_dragged_but_not_past_the_others(square: SquareStation) -> None:
    press(square, Key.Key_C)
    board = square.board
    places = board._corner_places()
    start = places[0].toPoint()
    QTest.mousePress(board, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(board, start + QPoint(20, 30))
    QTest.mouseMove(board, QPoint(board.width() - 2, board.height() - 2))
    QTest.mouseRelease(board, Qt.MouseButton.LeftButton, pos=start)
    press(square, Key.Key_Return)
    corners = square.choice.corners
    assert corners is not None
    assert corners[0][0] < corners[1][0]
    assert corners[0][1] < corners[3][1]


def test_the_page_is_turned_by_dragging(square: SquareStation) -> None:
    board = square.board
    middle = QPoint(board.width() // 2, board.height() // 2)
    QTest.mousePress(board, Qt.MouseButton.LeftButton, pos=middle + QPoint(100, 7))
    QTest.mouseMove(board, middle + QPoint(100, 12))
    QTest.mouseMove(board, middle + QPoint(100, 25))
    QTest.mouseRelease(board, Qt.MouseButton.LeftButton, pos=middle + QPoint(100, 25))
    angle = square.choice.angle_deg
    assert angle is not None
    assert -20 <= angle < square._page.angle_deg - 5  # type: ignore[union-attr]


def test_enter_accepts_pages_and_then_goes_to_rule(window: Window, square: SquareStation) -> None:
    count = len(window.session.desk.pages())
    for _ in range(count):
        press(square, Key.Key_Return)
    assert all(p.passed for p in window.session.desk.pages())
    assert window._at == "rule"


def test_pages_to_check_come_first(window: Window, square: SquareStation) -> None:
    desk = window.session.desk
    doubtful = (desk.pages()[1].id, desk.pages()[-1].id)
    with desk.docket._writing() as db:  # doubts that the demo does not have
        for number in doubtful:
            db.execute("UPDATE page SET unsure = 'nothing lies in line' WHERE id = ?", (number,))
    window.refresh()
    QTest.keyClick(window, Key.Key_4, Mod.ControlModifier)
    QTest.keyClick(window, Key.Key_2, Mod.ControlModifier)

    def at_hand() -> int:
        assert square._page is not None
        return square._page.id

    def waiting() -> str:
        return next(s.waiting for s in window.line._stops if s.name == "square")

    assert (at_hand(), waiting()) == (doubtful[0], "2 to check")
    press(square, Key.Key_Return)
    assert (at_hand(), waiting()) == (doubtful[1], "1 to check")
    press(square, Key.Key_Return)  # a page that was passed does not come again
    assert waiting() == "straighten pages"
    assert window._at == "rule"


def test_applying_settings_to_every_page_is_one_change(
    pair: Window,
) -> None:
    window, square = pair, pair.station(SquareStation)
    press(square, Key.Key_S)
    press(square, Key.Key_A)
    many = len(window.session.desk.pages())
    asked = f"Apply to {many} pages: remove specks? Press A again."
    assert window.message.text() == asked
    assert not any(p.choice.no_specks for p in window.session.desk.pages())
    press(square, Key.Key_A)
    assert all(p.choice.no_specks for p in window.session.desk.pages())
    press(square, Key.Key_A)
    assert "already" in window.message.text()
    QTest.keyClick(window, Key.Key_Z, Mod.ControlModifier)
    assert not any(p.choice.no_specks for p in window.session.desk.pages())


def test_applying_to_every_page_copies_only_the_clerks_settings(
    pair: Window,
) -> None:
    window, square = pair, pair.station(SquareStation)
    desk = window.session.desk
    db = desk.docket._db
    db.execute("UPDATE page SET turns = 1 WHERE id = ?", (desk.pages()[0].id,))
    window.refresh()
    before = [p.choice for p in desk.pages()]
    press(square, Key.Key_A)
    assert window.message.text().startswith("Nothing on this page was set by hand")
    press(square, Key.Key_L)
    press(square, Key.Key_A)
    press(square, Key.Key_A)
    assert [replace(p.choice, even_light=False) for p in desk.pages()] == before
    assert all(p.choice.even_light for p in desk.pages())


def test_the_original_shows_over_half_then_all_then_none(square: SquareStation) -> None:
    seen = []
    for _ in range(3):
        press(square, Key.Key_W)
        seen.append(square.board.wipe)
        assert not square.board.grab().isNull()
    assert seen == [0.5, 1.0, 0.0]


def test_settled_cells_survive_a_new_squaring(window: Window, square: SquareStation) -> None:
    cell = window.session.tables[0].cells[20]
    window.session.desk.replace(cell, "settled here")
    window.session.reload()
    press(square, Key.Key_Right)
    square.settle()
    texts = [c.text for c in window.session.tables[0].cells if c.settled]
    assert texts == ["settled here"]
    assert window.session.tables[0].cells[20].text == "settled here"
    assert "1 settled cell kept" in window.message.text()


def test_a_picture_is_parted_into_two_pages_and_joined_by_key(
    window: Window, square: SquareStation, qtbot: QtBot
) -> None:
    count = len(window.session.desk.pages())
    press(square, Key.Key_Y)
    pages = window.session.desk.pages()
    assert len(pages) == count + 1
    assert [p.progress for p in pages[:2]] == ["done", "done"]
    assert square._title.text().endswith("left part")
    press(square, Key.Key_Y)
    assert len(window.session.desk.pages()) == count
    assert len(window.session.tables) == 8
    window.actions_by_id["undo"].trigger()
    assert len(window.session.desk.pages()) == count + 1
    assert qtbot is not None


def test_the_ink_of_a_page_of_text_is_read_instead(
    window: Window, square: SquareStation, qtbot: QtBot
) -> None:
    press(square, Key.Key_I)
    assert "no text of its own" in window.message.text()
    window.go_to_page(page(window, 4).id)
    qtbot.waitUntil(lambda: window.session.original(page(window, 4)) is not None)
    assert "the file's own" in square._facts[-1][1].text()
    press(square, Key.Key_I)
    square.settle()
    assert page(window, 4).kind == "text"
    rota = [t for t in window.session.desk.tables() if t.page_id == page(window, 4).id]
    assert {c.reading.model for t in rota for c in t.cells} != {"real text"}
