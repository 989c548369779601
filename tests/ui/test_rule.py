"""The Rule station: lines mended by real keys and by dragging pegs, over the demo docket."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from pytestqt.qtbot import QtBot

from keel_line.model.docket import PageState
from keel_line.model.table import TableState
from keel_line.ui.rule.station import RuleStation
from keel_line.ui.window import Window
from tests.ui.qtest import QTest

Key, Mod = Qt.Key, Qt.KeyboardModifier


@pytest.fixture
def rule(window: Window, qtbot: QtBot) -> RuleStation:
    window.resize(1280, 800)
    QTest.keyClick(window, Key.Key_3, Mod.ControlModifier)
    first = window.session.desk.pages()[0]
    qtbot.waitUntil(lambda: window.session.picture(first.id) is not None)
    window.rule.refresh()
    return window.rule


def page(window: Window) -> PageState:
    return window.session.desk.pages()[0]


def tables(window: Window) -> list[TableState]:
    first = page(window).id
    return [t for t in window.session.desk.tables() if t.page_id == first]


def press(
    rule: RuleStation,
    key: Qt.Key,
    modifier: Qt.KeyboardModifier = Mod.NoModifier,
    times: int = 1,
) -> None:
    for _ in range(times):
        QTest.keyClick(rule.view, key, modifier)


def test_a_line_is_removed_and_the_sheet_shows_it_at_once(
    window: Window, rule: RuleStation
) -> None:
    before = tables(window)[0]
    press(rule, Key.Key_Tab)
    assert rule.view.gutter == "down"
    press(rule, Key.Key_Right, times=2)
    press(rule, Key.Key_Delete)
    assert rule.model.columnCount() == before.grid.cols - 1
    joined = " ".join(
        next(c.text for c in before.cells if (c.cell.row, c.cell.col) == (3, col)) for col in (1, 2)
    )
    assert rule.model.data(rule.model.index(3, 1)) == joined.strip()
    assert page(window).drawn is None  # not before the clerk pauses
    rule.settle()
    assert tables(window)[0].grid.cols == before.grid.cols - 1
    assert not rule.mending
    QTest.keyClick(window, Key.Key_Z, Mod.ControlModifier)
    assert page(window).drawn is None
    assert tables(window)[0].grid.cols == before.grid.cols


def test_a_line_is_added_beside_the_peg_and_moved(window: Window, rule: RuleStation) -> None:
    grid = tables(window)[0].grid
    press(rule, Key.Key_Tab, times=2)
    assert rule.view.gutter == "across"
    press(rule, Key.Key_Down, times=4)
    press(rule, Key.Key_N)
    assert rule.model.rowCount() == grid.rows + 1
    new = (grid.y_lines[4] + grid.y_lines[5]) / 2
    assert rule.view.lines()[5] == pytest.approx(new)
    press(rule, Key.Key_Down, Mod.ShiftModifier, times=3)
    press(rule, Key.Key_Up, Mod.ShiftModifier | Mod.ControlModifier)
    assert rule.view.lines()[5] == pytest.approx(new + 3 - 10)
    rule.settle()
    assert tables(window)[0].grid.rows == grid.rows + 1


def test_settled_cells_keep_their_values(window: Window, rule: RuleStation) -> None:
    cell = next(c for c in tables(window)[0].cells if (c.cell.row, c.cell.col) == (6, 0))
    window.session.desk.replace(cell, "Quillfish")
    press(rule, Key.Key_Tab)
    press(rule, Key.Key_Right, times=4)
    press(rule, Key.Key_N)
    rule.settle()
    kept = next(c for c in tables(window)[0].cells if (c.cell.row, c.cell.col) == (6, 0))
    assert kept.settled is not None
    assert kept.text == "Quillfish"


def test_a_table_is_left_out_and_comes_back_as_found(window: Window, rule: RuleStation) -> None:
    press(rule, Key.Key_X)
    assert rule.model.rowCount() == 0
    rule.settle()
    assert tables(window) == []
    press(rule, Key.Key_F)
    assert len(tables(window)) == 1
    assert page(window).drawn is None


def test_the_whole_page_becomes_a_table_with_the_columns_of_its_writing(
    window: Window, rule: RuleStation, qtbot: QtBot
) -> None:
    before = tables(window)[0].grid
    press(rule, Key.Key_V)
    qtbot.waitUntil(lambda: rule.model.rowCount() > 0, timeout=8000)
    rule.settle()
    (whole,) = tables(window)
    assert whole.grid.cols >= before.cols
    assert whole.grid.rows > before.rows
    wide, high = page(window).squared_size_px
    assert whole.grid.box[2] - whole.grid.box[0] > 0.9 * wide
    assert whole.grid.box[3] - whole.grid.box[1] > 0.9 * high


def test_leaving_the_station_keeps_what_was_mended(window: Window, rule: RuleStation) -> None:
    cols = tables(window)[0].grid.cols
    press(rule, Key.Key_Tab)
    press(rule, Key.Key_Right)
    press(rule, Key.Key_Delete)
    QTest.keyClick(window, Key.Key_4, Mod.ControlModifier)
    assert tables(window)[0].grid.cols == cols - 1


def test_a_pause_keeps_what_was_mended(window: Window, rule: RuleStation, qtbot: QtBot) -> None:
    press(rule, Key.Key_Tab)
    press(rule, Key.Key_Right)
    press(rule, Key.Key_Delete)
    qtbot.waitUntil(lambda: page(window).drawn is not None, timeout=5000)


def test_a_peg_is_dragged_and_pulled_off(window: Window, rule: RuleStation) -> None:
    view, grid = rule.view, tables(window)[0].grid
    at = view._peg_at(grid, "down", 2).toPoint()
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(view, at + QPoint(9, 2))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at + QPoint(9, 2))
    moved = view.grid
    assert moved is not None
    assert moved.x_lines[2] > grid.x_lines[2] + 5
    at = view._peg_at(moved, "down", 2).toPoint()
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(view, at - QPoint(0, 60))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at - QPoint(0, 60))
    less = view.grid
    assert less is not None
    assert less.cols == grid.cols - 1


def test_a_press_in_the_gutter_adds_a_line(window: Window, rule: RuleStation) -> None:
    view, grid = rule.view, tables(window)[0].grid
    first, second = (view._peg_at(grid, "down", i) for i in (0, 1))
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=((first + second) / 2).toPoint())
    more = view.grid
    assert more is not None
    assert more.cols == grid.cols + 1


def test_escape_lets_go_and_arrows_move_the_page_again(rule: RuleStation) -> None:
    press(rule, Key.Key_Tab)
    press(rule, Key.Key_Escape)
    assert rule.view.gutter is None
    press(rule, Key.Key_Delete)
    assert not rule.mending


def test_cells_are_joined_and_parted_by_key(window: Window, rule: RuleStation) -> None:
    before = len(tables(window)[0].cells)
    press(rule, Key.Key_Tab, times=3)
    assert rule.view.picked == (0, 0, 0, 0)
    press(rule, Key.Key_Down, times=3)
    press(rule, Key.Key_Right)
    press(rule, Key.Key_Right, Mod.ShiftModifier)
    assert rule.view.picked == (3, 1, 3, 2)
    press(rule, Key.Key_J)
    rule.settle()
    joined = next(c for c in tables(window)[0].cells if (c.cell.row, c.cell.col) == (3, 1))
    assert joined.cell.col_span == 2
    assert len(tables(window)[0].cells) == before - 1
    press(rule, Key.Key_K)
    rule.settle()
    assert len(tables(window)[0].cells) == before
    assert rule.view.picked is not None


def test_heading_rows_are_set_by_key(window: Window, rule: RuleStation) -> None:
    before = tables(window)[0].header_rows
    press(rule, Key.Key_H)
    assert tables(window)[0].header_rows == before + 1
    assert f"{before + 1} heading rows" in rule._size.text()
    press(rule, Key.Key_H, Mod.ShiftModifier, times=before + 5)
    assert tables(window)[0].header_rows == 0
    window.actions_by_id["undo"].trigger()
    assert tables(window)[0].header_rows == 1


def test_a_table_is_named_in_place(window: Window, rule: RuleStation, qtbot: QtBot) -> None:
    before = tables(window)[0].name
    press(rule, Key.Key_E)
    assert rule.ask.field.isVisible()
    assert rule.ask.field.selectedText() == before
    QTest.keyClicks(rule.ask.field, "Dues, spring")
    QTest.keyClick(rule.ask.field, Key.Key_Return)
    assert tables(window)[0].name == "Dues, spring"
    assert rule._title.text() == "Dues, spring"
    assert not rule.ask.field.isVisible()
    qtbot.waitUntil(rule.view.hasFocus)
    press(rule, Key.Key_E)
    QTest.keyClicks(rule.ask.field, "dropped")
    QTest.keyClick(rule.ask.field, Key.Key_Escape)
    assert tables(window)[0].name == "Dues, spring"
    window.actions_by_id["undo"].trigger()
    assert tables(window)[0].name == before
