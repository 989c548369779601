"""The Rule station: lines mended by real keys and by dragging pegs, over the demo docket."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import msgspec
import pytest
from PyQt6.QtCore import QPoint, Qt
from pytestqt.qtbot import QtBot

from keel_line.desk.desk import Desk
from keel_line.desk.jigs import Shelf, read_jig
from keel_line.gather.sources import make_source
from keel_line.model.docket import PageState
from keel_line.model.finding import DrawnSum, Sums
from keel_line.model.grid import LineDoubt
from keel_line.model.reason import Reason
from keel_line.model.table import TableState
from keel_line.ui.rule.side import describe_table
from keel_line.ui.rule.station import RuleStation
from keel_line.ui.window import Window
from tests.conftest import BERTHS, TWO_LINES, as_png, draw_lying, draw_table, make_content
from tests.remembering import RememberingExecutor
from tests.ui.qtest import QTest

Key, Mod = Qt.Key, Qt.KeyboardModifier


@pytest.fixture
def rule(window: Window, qtbot: QtBot) -> RuleStation:
    window.resize(1280, 800)
    QTest.keyClick(window, Key.Key_3, Mod.ControlModifier)
    first = window.session.desk.pages()[0]
    qtbot.waitUntil(lambda: window.session.picture(first.id) is not None)
    window.station(RuleStation).refresh()
    return window.station(RuleStation)


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


def test_mending_is_kept_where_the_docket_is_left_at_once(
    window: Window, rule: RuleStation, tmp_path: Path
) -> None:
    path = window.session.desk.docket.path
    assert path is not None
    other = Desk(tmp_path / "other.keel")
    other.docket.add_source("other.png", b"", "0", 9)  # pages of the same numbers
    other.close()
    columns = tables(window)[0].grid.cols
    press(rule, Key.Key_Tab)
    press(rule, Key.Key_Right)
    press(rule, Key.Key_N)
    window.open_docket(tmp_path / "other.keel")
    assert all(p.drawn is None for p in window.session.desk.pages())
    rule.settle()  # as it would when the hands rest
    assert all(p.drawn is None for p in window.session.desk.pages())
    left = Desk(path)
    (drawn,) = [p.drawn for p in left.pages() if p.drawn is not None]
    assert drawn.grids[0].cols == columns + 1
    left.close()


def test_mending_is_kept_where_the_window_is_closed_at_once(
    window: Window, rule: RuleStation
) -> None:
    path = window.session.desk.docket.path
    press(rule, Key.Key_Tab)
    press(rule, Key.Key_Right)
    press(rule, Key.Key_N)
    window.close()
    left = Desk(path)
    assert [p.drawn is not None for p in left.pages()].count(True) == 1
    assert [p.progress for p in left.pages()].count("waiting") == 1
    left.close()


def test_a_line_is_removed_and_the_sheet_shows_it_at_once(
    window: Window, rule: RuleStation
) -> None:
    before = tables(window)[0]
    press(rule, Key.Key_Tab)
    assert rule.view.gutter == "down"
    press(rule, Key.Key_Right, times=2)
    press(rule, Key.Key_Delete)
    assert rule.side.model.columnCount() == before.grid.cols - 1
    joined = " ".join(
        next(c.text for c in before.cells if (c.cell.row, c.cell.col) == (3, col)) for col in (1, 2)
    )
    assert rule.side.model.data(rule.side.model.index(3, 1)) == joined.strip()
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
    assert rule.side.model.rowCount() == grid.rows + 1
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


def test_a_removed_table_returns_after_reset(window: Window, rule: RuleStation) -> None:
    press(rule, Key.Key_X)
    assert rule.side.model.rowCount() == 0
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
    assert rule.side.model.rowCount() == 0
    qtbot.waitUntil(lambda: rule.side.model.rowCount() > 0, timeout=8000)
    rule.settle()
    (whole,) = tables(window)
    assert whole.grid.cols >= before.cols
    assert whole.grid.rows > before.rows
    wide, high = page(window).squared_size_px
    assert whole.grid.box[2] - whole.grid.box[0] > 0.9 * wide
    assert whole.grid.box[3] - whole.grid.box[1] > 0.9 * high


def test_leaving_the_station_saves_the_edits(window: Window, rule: RuleStation) -> None:
    cols = tables(window)[0].grid.cols
    press(rule, Key.Key_Tab)
    press(rule, Key.Key_Right)
    press(rule, Key.Key_Delete)
    QTest.keyClick(window, Key.Key_4, Mod.ControlModifier)
    assert tables(window)[0].grid.cols == cols - 1


def test_a_pause_saves_the_edits(window: Window, rule: RuleStation, qtbot: QtBot) -> None:
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


def test_escape_deselects_the_peg_and_arrows_move_the_page(rule: RuleStation) -> None:
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


@pytest.mark.parametrize(
    ("notes", "said"),
    [
        ("Figures in brackets are refunds.", "Note: Figures in brackets are refunds."),
        ("Note: figures in brackets are refunds.", "Note: figures in brackets are refunds."),
        ("Source: harbour log", "Source: harbour log"),
    ],
)
def test_a_note_is_called_a_note_once(window: Window, notes: str, said: str) -> None:
    table = replace(tables(window)[0], notes=notes)
    assert describe_table(table, 1).splitlines()[-1] == said


def test_heading_rows_are_set_by_key(window: Window, rule: RuleStation) -> None:
    before = tables(window)[0].header_rows
    press(rule, Key.Key_H)
    assert tables(window)[0].header_rows == before + 1
    assert f"{before + 1} heading rows" in rule.side.outline.text()
    press(rule, Key.Key_H, Mod.ShiftModifier, times=before + 5)
    assert tables(window)[0].header_rows == 0
    window.actions_by_id["undo"].trigger()
    assert tables(window)[0].header_rows == 1


def test_a_table_is_named_in_place(window: Window, rule: RuleStation, qtbot: QtBot) -> None:
    before = tables(window)[0].name
    press(rule, Key.Key_E)
    assert rule.side.ask.field.isVisible()
    assert rule.side.ask.field.selectedText() == before
    QTest.keyClicks(rule.side.ask.field, "Dues, spring")
    QTest.keyClick(rule.side.ask.field, Key.Key_Return)
    assert tables(window)[0].name == "Dues, spring"
    assert rule.side.title.text() == "Dues, spring"
    assert not rule.side.ask.field.isVisible()
    qtbot.waitUntil(rule.view.hasFocus)
    press(rule, Key.Key_E)
    QTest.keyClicks(rule.side.ask.field, "dropped")
    QTest.keyClick(rule.side.ask.field, Key.Key_Escape)
    assert tables(window)[0].name == "Dues, spring"
    window.actions_by_id["undo"].trigger()
    assert tables(window)[0].name == before


def on_page(window: Window, number: int) -> list[TableState]:
    chosen = window.session.desk.pages()[number].id
    return [t for t in window.session.desk.tables() if t.page_id == chosen]


def test_a_table_is_drawn_with_a_frame(window: Window, rule: RuleStation, qtbot: QtBot) -> None:
    (grid,) = (t.grid for t in tables(window))
    press(rule, Key.Key_X)
    rule.settle()
    assert tables(window) == []
    press(rule, Key.Key_D)
    frame = rule.view.frame_in_hand
    assert frame is not None
    press(rule, Key.Key_Left)
    press(rule, Key.Key_Down, Mod.ShiftModifier)
    moved = rule.view.frame_in_hand
    assert moved is not None
    assert moved.box[0] < frame.box[0]
    assert moved.box[3] > frame.box[3]
    around = f"{grid.box[0] - 9} {grid.box[1] - 9} "
    around += f"{grid.box[2] - grid.box[0] + 18} {grid.box[3] - grid.box[1] + 18} px"
    press(rule, Key.Key_A)
    rule.side.ask.field.clear()
    QTest.keyClicks(rule.side.ask.field, around)
    QTest.keyClick(rule.side.ask.field, Key.Key_Return)
    press(rule, Key.Key_Return)
    assert rule.view.frame_in_hand is None
    qtbot.waitUntil(lambda: rule.side.model.rowCount() > 0, timeout=8000)
    rule.settle()
    (drawn,) = tables(window)
    assert (drawn.grid.rows, drawn.grid.cols) == (grid.rows, grid.cols)
    assert any(c.text for c in drawn.cells)
    window.actions_by_id["undo"].trigger()
    assert tables(window) == []


def test_escape_draws_nothing(window: Window, rule: RuleStation) -> None:
    press(rule, Key.Key_D)
    press(rule, Key.Key_Escape)
    assert rule.view.frame_in_hand is None
    assert not rule.mending
    assert len(tables(window)) == 1


def test_a_frame_is_dragged(rule: RuleStation) -> None:
    press(rule, Key.Key_D)
    view = rule.view
    start, end = view.rect().center() - QPoint(60, 40), view.rect().center() + QPoint(70, 90)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(view, end)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=end)
    frame = view.frame_in_hand
    assert frame is not None
    first, last = view._on_page(start.toPointF()), view._on_page(end.toPointF())
    assert frame.box == pytest.approx((*first, *last))


def test_a_table_is_moved_as_a_whole_and_put_back(window: Window, rule: RuleStation) -> None:
    before = tables(window)[0].grid
    press(rule, Key.Key_M)
    press(rule, Key.Key_Right, times=2)
    assert rule.view.grid is not None
    assert rule.view.grid.x_lines[0] > before.x_lines[0]
    press(rule, Key.Key_Escape)
    assert not rule.mending
    press(rule, Key.Key_M)
    press(rule, Key.Key_Down, Mod.AltModifier)
    press(rule, Key.Key_Return)
    rule.settle()
    after = tables(window)[0].grid
    shift = after.y_lines[0] - before.y_lines[0]
    assert shift > 0
    assert after.y_lines == pytest.approx([y + shift for y in before.y_lines])
    assert after.x_lines == pytest.approx(before.x_lines)


def test_a_table_is_dragged_along(window: Window, rule: RuleStation) -> None:
    before = tables(window)[0].grid
    press(rule, Key.Key_M)
    view = rule.view
    start = view.rect().center()
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(view, start + QPoint(12, 0))
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=start + QPoint(12, 0))
    assert view.grid is not None
    shifts = [b - a for a, b in zip(before.x_lines, view.grid.x_lines, strict=True)]
    assert shifts == pytest.approx([12 / view._scale] * len(shifts), rel=0.02)


def test_a_copy_lies_beside_and_both_stay(window: Window, rule: RuleStation) -> None:
    before = tables(window)[0]
    press(rule, Key.Key_C)
    press(rule, Key.Key_Return)
    rule.settle()
    first, second = tables(window)
    assert (second.grid.rows, second.grid.cols) == (before.grid.rows, before.grid.cols)
    assert second.grid.box != first.grid.box
    assert first.grid.x_lines == pytest.approx(before.grid.x_lines)


def test_an_invalid_area_is_asked_for_again(window: Window, rule: RuleStation) -> None:
    before = tables(window)[0].grid.box
    press(rule, Key.Key_A)
    shown = rule.side.ask.field.text()
    assert shown.endswith("mm")
    QTest.keyClicks(rule.side.ask.field, "over there")
    QTest.keyClick(rule.side.ask.field, Key.Key_Return)
    assert rule.side.ask.isVisible()
    assert "four numbers" in window.message.text()
    rule.side.ask.field.clear()
    QTest.keyClicks(rule.side.ask.field, shown.replace(shown.split()[0], "12.0", 1))
    QTest.keyClick(rule.side.ask.field, Key.Key_Return)
    rule.settle()
    after = tables(window)[0].grid.box
    assert after[0] == pytest.approx(12.0 / 25.4 * page(window).dpi, abs=2)
    assert after[1:2] == pytest.approx(before[1:2], abs=2)


def test_a_grid_is_used_on_another_page_and_undone(window: Window, rule: RuleStation) -> None:
    before = [t.grid.cols for t in on_page(window, 1)]
    press(rule, Key.Key_P)
    assert rule.side.ask.field.text() == "2-7"
    QTest.keyClicks(rule.side.ask.field, "2, 9")
    QTest.keyClick(rule.side.ask.field, Key.Key_Return)
    assert "1 to 7" in window.message.text()
    rule.side.ask.field.clear()
    QTest.keyClicks(rule.side.ask.field, "2")
    QTest.keyClick(rule.side.ask.field, Key.Key_Return)
    assert [t.grid.cols for t in on_page(window, 1)] == [tables(window)[0].grid.cols]
    window.actions_by_id["undo"].trigger()
    assert [t.grid.cols for t in on_page(window, 1)] == before


def test_tables_can_be_reordered(window: Window, rule: RuleStation, qtbot: QtBot) -> None:
    second = window.session.desk.pages()[1].id
    window.go_to_page(second)
    qtbot.waitUntil(lambda: window.session.picture(second) is not None)
    rule.refresh()
    before = [t.name for t in on_page(window, 1)]
    press(rule, Key.Key_O)
    rule.settle()
    assert [t.name for t in on_page(window, 1)] == before[::-1]


def test_enter_walks_through_the_lines_in_doubt(
    window: Window, rule: RuleStation, qtbot: QtBot
) -> None:
    desk, first = window.session.desk, page(window)
    for number in range(len(desk.pages())):  # what the demo's grids have in doubt
        for table in on_page(window, number):
            window.session.accept_lines(table)
    grid = tables(window)[0].grid
    doubts = (LineDoubt("down", 3, "1 value runs this line"), LineDoubt("across", 5, "x"))
    desk.draw(first, [replace(grid, doubts=doubts)], Reason("lines"))
    window.jobs.read_waiting()
    qtbot.waitUntil(lambda: window.session.proofs.total.lines == 2)
    assert "2 lines to check" in [s.waiting for s in window.line._stops]
    rule.refresh()
    assert "2 lines to check" in rule.side.doubt.text()
    press(rule, Key.Key_Return)
    assert (rule.view.gutter, rule.view.peg) == ("down", 3)
    assert "1 of 2: 1 value runs this line" in rule.side.doubt.text()
    press(rule, Key.Key_Return)
    assert (rule.view.gutter, rule.view.peg) == ("across", 5)
    press(rule, Key.Key_Return)
    assert window.session.proofs.total.lines == 0
    assert window._at == "proof"
    window.actions_by_id["undo"].trigger()
    assert window.session.proofs.total.lines == 2


def test_the_menu_does_what_the_keys_do(window: Window, rule: RuleStation) -> None:
    actions = {a.text().split("\t")[-1]: a for a in rule.make_menu().actions()}
    assert {"D", "M", "C", "A", "P", "O", "X", "V", "F", "H", "E", "N", "J", "K"} <= actions.keys()
    before = tables(window)[0].header_rows
    actions["H"].trigger()
    assert tables(window)[0].header_rows == before + 1
    actions["X"].trigger()
    assert rule.side.model.rowCount() == 0


def test_a_fault_while_rows_are_looked_for_is_logged(
    rule: RuleStation,
    qtbot: QtBot,
    caplog: pytest.LogCaptureFixture,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    def fail(*_: object) -> None:
        raise RuntimeError("out of ink")

    monkeypatch.setattr("keel_line.ui.jobs.find_in_area", fail)
    press(rule, Key.Key_V)
    qtbot.waitUntil(lambda: "out of ink" in caplog.text, timeout=5000)


def test_the_sheet_keeps_every_column_in_sight_where_they_fit(
    window: Window, rule: RuleStation, qtbot: QtBot
) -> None:
    side, table = rule.side, window.session.tables[0]
    view, bar = side.sheet.viewport(), side.sheet.verticalScrollBar()
    assert view is not None
    assert bar is not None

    def widths(width: int) -> list[int]:
        side.sheet.setFixedWidth(width)
        qtbot.waitUntil(lambda: side.sheet.width() == width)
        side.show_table(table, 1, "")
        return [side.sheet.columnWidth(col) for col in range(table.grid.cols)]

    airy = widths(3000)
    bare = sum(airy) - 4 * len(airy)
    tight = sum(widths(bare + bar.sizeHint().width() + 12))
    assert bare <= tight < sum(airy)
    assert tight <= view.width()


def test_a_table_on_its_side_becomes_a_page_of_its_own_by_one_key(
    empty_window: Window, qtbot: QtBot
) -> None:
    window, desk = empty_window, empty_window.session.desk
    desk.add_source(make_source("berths.png", draw_lying(1)))
    desk.run(RememberingExecutor())
    window.session.reload()
    window.go_to("rule")
    (first,) = desk.pages()
    qtbot.waitUntil(lambda: window.session.picture(first.id) is not None)
    press(window.station(RuleStation), Key.Key_Return)
    assert "is sideways" in window.station(RuleStation).side.doubt.text()
    press(window.station(RuleStation), Key.Key_U)
    assert [p.extracted for p in desk.pages()] == [False, True]
    assert [t.grid.on_side for t in desk.tables()] == [False, False]
    assert tuple(c.text for c in desk.tables()[1].cells[:4]) == BERTHS[0]
    assert "wants a look" not in window.station(RuleStation).side.doubt.text()
    QTest.keyClick(window, Key.Key_Z, Mod.ControlModifier)
    assert [t.grid.on_side for t in desk.tables()] == [False, True]


def test_a_heading_that_the_next_page_repeats_is_said(empty_window: Window, qtbot: QtBot) -> None:
    window, desk = empty_window, empty_window.session.desk
    for number, rows in enumerate((6, 9), 1):
        grey = draw_table(make_content(rows, 4), "full")
        desk.add_source(make_source(f"{number}.png", as_png(grey, (150.0, 150.0))))
    desk.run(RememberingExecutor())
    window.session.reload()
    window.go_to("rule")
    first, second = desk.pages()
    qtbot.waitUntil(lambda: window.session.picture(first.id) is not None)
    assert "repeats" not in window.station(RuleStation).side.outline.text()
    press(window.station(RuleStation), Key.Key_PageDown)
    qtbot.waitUntil(lambda: window.session.picture(second.id) is not None)
    assert (
        f"repeats that of “{desk.tables()[0].name}” on page 1 of 1.png"
        in window.station(RuleStation).side.outline.text()
    )


def test_rows_are_parted_at_their_printed_lines_by_one_key(
    empty_window: Window, qtbot: QtBot
) -> None:
    window, desk = empty_window, empty_window.session.desk
    grey = draw_table(make_content(8, 4, TWO_LINES), "full")
    desk.add_source(make_source("wrapped.png", as_png(grey, (150.0, 150.0))))
    desk.run(RememberingExecutor())
    window.session.reload()
    window.go_to("rule")
    rule, (first,) = window.station(RuleStation), desk.pages()
    qtbot.waitUntil(lambda: window.session.picture(first.id) is not None)

    def rows() -> int:
        return 0 if rule.view.grid is None else rule.view.grid.rows

    assert rows() == 8
    press(rule, Key.Key_Tab, times=2)
    press(rule, Key.Key_Down, times=6)
    press(rule, Key.Key_L)  # the row below the peg alone
    qtbot.waitUntil(lambda: rows() == 9)
    press(rule, Key.Key_Escape)
    press(rule, Key.Key_L)
    qtbot.waitUntil(lambda: rows() == 10)
    rule.settle()
    assert [t.grid.rows for t in desk.tables()] == [10]
    assert {"Linnet", "Sandpiper"} <= {c.text for c in desk.tables()[0].cells}
    QTest.keyClick(window, Key.Key_Z, Mod.ControlModifier)
    assert [t.grid.rows for t in desk.tables()] == [8]


def test_a_form_is_kept_and_its_lines_are_laid_on_the_next_page(
    window: Window, rule: RuleStation, tmp_path: Path
) -> None:
    session = window.session
    session.shelf = Shelf(tmp_path / "Jigs")
    press(rule, Key.Key_R)
    assert "no jig yet" in window.message.text()
    press(rule, Key.Key_J, Mod.ControlModifier)
    QTest.keyClicks(rule.side.ask.field, "")
    QTest.keyClick(rule.side.ask.field, Key.Key_Return)
    (jig,) = session.shelf.jigs()
    assert jig.page is not None
    assert rule.side.form.text() == ""  # its own lines are there already
    x = jig.page.x
    other = msgspec.structs.replace(jig.page, x=(*x[:-1], x[-1] - 2.0, x[-1]))
    session.shelf.keep(msgspec.structs.replace(jig, page=other))
    rule.refresh()
    assert "looks like the form" in rule.side.form.text()
    press(rule, Key.Key_R)
    drawn = page(window).drawn
    assert drawn is not None
    assert drawn.to_fit
    assert drawn.grids[0].cols == len(x)
    QTest.keyClick(window, Key.Key_Z, Mod.ControlModifier)
    assert page(window).drawn is None
    press(rule, Key.Key_R, Mod.ShiftModifier)
    assert page(window).drawn is not None


def test_sums_of_a_form_are_set_with_its_lines_or_alone(
    window: Window, rule: RuleStation, tmp_path: Path
) -> None:
    session = window.session
    session.shelf = Shelf(tmp_path / "Jigs")
    summed = Sums((DrawnSum((6, 5), ((4, 5), (5, 5))),))
    path = session.keep_as_jig("Dues", tables(window)[0])
    jig = read_jig(path)
    assert jig.page is not None
    form = msgspec.structs.replace(jig.page, printed=True, sums=summed)
    session.shelf.keep(msgspec.structs.replace(jig, page=form))
    rule.refresh()
    assert rule.side.form.text().endswith("R uses its sums.")
    press(rule, Key.Key_R)
    assert page(window).drawn is None  # its lines were there
    assert tables(window)[0].sums == summed == session.proofs.tables[0].sums
    QTest.keyClick(window, Key.Key_Z, Mod.ControlModifier)
    assert tables(window)[0].sums == Sums()
    x = form.x
    other = msgspec.structs.replace(form, x=(*x[:-1], x[-1] - 2.0, x[-1]))
    session.shelf.keep(msgspec.structs.replace(jig, page=other))
    rule.refresh()
    assert "R uses its lines and sums." in rule.side.form.text()
    press(rule, Key.Key_R)
    assert page(window).drawn is not None
    assert page(window).progress == "done"
    assert tables(window)[0].grid.cols == len(x)
    assert tables(window)[0].sums == summed
    QTest.keyClick(window, Key.Key_Z, Mod.ControlModifier)
    assert page(window).drawn is None
    assert tables(window)[0].sums == Sums()


def test_the_clerk_may_choose_a_form_that_the_page_does_not_look_like(
    window: Window, rule: RuleStation, tmp_path: Path
) -> None:
    session = window.session
    session.shelf = Shelf(tmp_path / "Jigs")
    assert session.table is not None
    session.keep_as_jig("Dues", session.table)
    menu = rule.forms.make_menu(session.shelf.jigs())
    (action,) = menu.actions()
    assert action.text() == "Dues"
    action.trigger()
    assert page(window).drawn is not None
