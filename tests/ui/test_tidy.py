"""The Tidy station, driven by keys and by mouse."""

from __future__ import annotations

import threading
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from keel_line.desk.desk import Desk
from keel_line.desk.tidying import Tidying, tidy_table
from keel_line.gather.sources import Source
from keel_line.send.sent import SendOptions
from keel_line.ui import session as session_module
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.send.station import SendStation
from keel_line.ui.tidy.station import TidyStation
from keel_line.ui.window import Window
from tests.docket.paper import PaperReader
from tests.ui.qtest import QTest

Key, Mod = Qt.Key, Qt.KeyboardModifier
NONE = Mod.NoModifier


@pytest.fixture
def tidy(window: Window, qtbot: QtBot) -> TidyStation:
    window.session.go_to(0, 0)
    QTest.keyClick(window, Key.Key_5, Mod.ControlModifier)
    station = window.station(TidyStation)
    qtbot.waitUntil(station.view.hasFocus)
    return station


def at_hand(station: TidyStation) -> Tidying:
    assert station.tidying is not None
    return station.tidying


def names(station: TidyStation) -> list[str]:
    return [c.name for c in at_hand(station).table.columns]


def press(station: TidyStation, key: Qt.Key | str, modifier: Qt.KeyboardModifier = NONE) -> None:
    """Press a key where the keyboard is."""
    at = QApplication.focusWidget() or station.view
    if isinstance(key, str):
        QTest.keyClicks(at, key)
    else:
        QTest.keyClick(at, key, modifier)


def go_to_column(station: TidyStation, col: int) -> None:
    press(station, Key.Key_Home)
    for _ in range(col):
        press(station, Key.Key_Right)


def test_one_key_takes_all_and_undo_takes_it_back(
    window: Window, tidy: TidyStation, qtbot: QtBot
) -> None:
    assert tidy.ready.words[0] == "Heading row: make names"
    press(tidy, Key.Key_Return, Mod.ControlModifier)
    assert names(tidy)[:2] == ["Vessel", "Reg."]
    assert tidy.trail.words[:2] == ["as read", "headings to names"]
    assert tidy.ready.words == []
    assert "6 steps taken. Ctrl+Z undoes it." in window.message.text()
    # The stores log goes on over a page: that waits on the line first.
    qtbot.waitUntil(lambda: "Tidy: 1 join to check" in window.line.accessibleDescription())
    log = len(window.session.tables) - 2
    window.session.go_to(log, 0)
    press(tidy, Key.Key_1)
    assert "Tidy: 2 of 8 tidied" in window.line.accessibleDescription()
    press(tidy, Key.Key_Z, Mod.ControlModifier)
    window.session.go_to(0, 0)
    press(tidy, Key.Key_Z, Mod.ControlModifier)
    assert tidy.trail.words == ["as read"]
    press(tidy, Key.Key_Y, Mod.ControlModifier)
    assert len(tidy.trail.words) == 7


def test_a_figure_takes_one_suggestion_and_alt_declines_it(tidy: TidyStation) -> None:
    first, second, *rest = tidy.ready.words
    press(tidy, Key.Key_2, Mod.AltModifier)
    assert tidy.ready.words == [first, *rest]
    press(tidy, Key.Key_1)
    assert names(tidy)[0] == "Vessel"
    assert second not in tidy.ready.words
    press(tidy, Key.Key_9)  # there are not so many
    assert tidy.trail.words == ["as read", "headings to names"]


def test_a_column_is_named_typed_moved_and_left_out(window: Window, tidy: TidyStation) -> None:
    press(tidy, Key.Key_1)
    press(tidy, "n")
    press(tidy, "Ship")
    press(tidy, Key.Key_Return)
    assert names(tidy)[0] == "Ship"
    assert tidy.view.hasFocus()
    press(tidy, Key.Key_Right, Mod.ControlModifier)
    assert names(tidy)[:2] == ["Reg.", "Ship"]
    assert tidy.view.currentIndex().column() == 1
    press(tidy, "t")
    press(tidy, "nonsense")
    press(tidy, Key.Key_Return)
    assert "is no type" in window.message.text()
    tidy.ask.field.clear()
    press(tidy, "cod")
    press(tidy, Key.Key_Return)
    assert at_hand(tidy).types[1].type.kind == "code"
    assert "Marigold" in [
        at_hand(tidy).table.columns[1].texts[r] for r in at_hand(tidy).find_misfits(1)
    ]
    press(tidy, "x")
    assert "Ship" not in names(tidy)
    press(tidy, "n")
    press(tidy, Key.Key_Escape)
    assert tidy.view.hasFocus()
    assert not tidy.ask.isVisible()


def test_a_formula_is_completed_checked_and_made(tidy: TidyStation) -> None:
    press(tidy, Key.Key_Return, Mod.ControlModifier)
    press(tidy, "=")
    press(tidy, "Stay = {Ou")
    assert "is not closed" in tidy.ask._label.text()
    press(tidy, Key.Key_Tab)
    press(tidy, " - {I")
    press(tidy, Key.Key_Tab)
    assert tidy.ask.field.text() == "Stay = {Out} - {In}"
    assert "Enter makes the column" in tidy.ask._label.text()
    assert tidy.typed == "Stay = {Out} - {In}"
    press(tidy, Key.Key_Return)
    assert names(tidy)[-1] == "Stay"
    assert at_hand(tidy).table.columns[-1].texts[0] == "12"
    assert tidy.typed == ""


def test_rows_are_left_out_sorted_and_columns_joined_and_split(tidy: TidyStation) -> None:
    press(tidy, Key.Key_1)
    rows = at_hand(tidy).table.rows
    press(tidy, Key.Key_Down, Mod.ShiftModifier)
    press(tidy, Key.Key_Delete)
    assert at_hand(tidy).table.rows == rows - 2
    go_to_column(tidy, 1)
    press(tidy, "j")
    assert names(tidy)[1] == "Reg. Berth"
    press(tidy, "p")
    tidy.ask.field.setText(" ")
    press(tidy, Key.Key_Return)
    assert names(tidy)[1:3] == ["Reg. Berth", "Reg. Berth 2"]
    press(tidy, "s")
    assert tidy.trail.words[-1] == "sorted by Reg. Berth"
    press(tidy, "f")
    assert tidy.trail.words[-1].endswith("filled from above")


def test_more_is_one_key_away(tidy: TidyStation) -> None:
    press(tidy, Key.Key_1)
    press(tidy, "m")
    assert tidy.more.isVisible()
    QTest.keyClick(tidy.more, Key.Key_Down)
    QTest.keyClick(tidy.more, Key.Key_Return)
    assert tidy.trail.words[-1] == "rows kept where Vessel is “Marigold”"
    assert {*at_hand(tidy).table.columns[0].texts} == {"Marigold"}
    press(tidy, "r")
    tidy.ask.field.setText("Marigold > Wren")
    QTest.keyClick(tidy.ask.field, Key.Key_Return)
    assert {*at_hand(tidy).table.columns[0].texts} == {"Wren"}


def test_steps_on_the_trail_are_switched_moved_and_taken_out(
    window: Window, tidy: TidyStation
) -> None:
    press(tidy, Key.Key_Return, Mod.ControlModifier)
    words = tidy.trail.words
    press(tidy, Key.Key_Tab)
    assert tidy.trail.hasFocus()
    assert tidy.trail.at == len(words) - 2
    assert words[-1] in window.message.text()
    for _ in words[2:]:
        press(tidy, Key.Key_Left)
    press(tidy, Key.Key_Space)  # headings to names
    assert names(tidy)[0] == ""
    assert tidy.trail.hasFocus()
    press(tidy, Key.Key_Space)
    assert names(tidy)[0] == "Vessel"
    press(tidy, Key.Key_Right, Mod.ControlModifier)
    assert tidy.trail.words[1:3] == [words[2], words[1]]
    press(tidy, Key.Key_Delete)
    assert tidy.trail.words == ["as read", words[2], *words[3:]]
    press(tidy, Key.Key_Escape)
    assert tidy.view.hasFocus()


def test_enter_leads_to_the_ink(window: Window, tidy: TidyStation) -> None:
    press(tidy, Key.Key_Return, Mod.ControlModifier)
    press(tidy, Key.Key_Down)
    go_to_column(tidy, 7)
    row = tidy.view.currentIndex().row()
    cell = at_hand(tidy).find_cell(row, 7)
    press(tidy, Key.Key_Return)
    assert window._at == "proof"
    assert window.session.cell.id == cell
    QTest.keyClicks(window.station(ProofStation).interline, "see note")
    QTest.keyClick(window.station(ProofStation).editor, Key.Key_Return)
    window.go_to("tidy")
    window.session.go_to(0, 0)
    assert at_hand(tidy).table.columns[7].texts[row] == "see note"
    assert tidy.view.sheet.is_misfit(row, 7)
    assert "“see note” is no money £" in tidy.view.sheet.say_misfit(row, 7)


def test_a_derived_text_without_a_cell_says_so(window: Window, tidy: TidyStation) -> None:
    press(tidy, Key.Key_1)
    press(tidy, "=")
    press(tidy, "One = 1")
    press(tidy, Key.Key_Return)
    press(tidy, Key.Key_End)
    press(tidy, Key.Key_Return)
    assert "comes from no cell" in window.message.text()
    assert window._at == "tidy"


def test_the_mouse_takes_suggestions_and_goes_to_points(
    window: Window, tidy: TidyStation, qtbot: QtBot
) -> None:
    box = tidy.ready._boxes[0].center().toPoint()
    QTest.mouseClick(tidy.ready, Qt.MouseButton.LeftButton, pos=box)
    assert names(tidy)[0] == "Vessel"
    QTest.mouseClick(tidy.ready, Qt.MouseButton.LeftButton, pos=tidy.ready._all.center().toPoint())
    assert tidy.ready.words == []
    go_to_column(tidy, 7)
    qtbot.waitUntil(lambda: bool(tidy.lane._points()))
    row, point = tidy.lane._points()[3]
    QTest.mouseClick(tidy.lane, Qt.MouseButton.LeftButton, pos=point.toPoint())
    assert tidy.view.currentIndex().row() == row
    band = tidy.trail._boxes[1].center().toPoint() - QPoint(round(tidy.trail._shift), 0)
    QTest.mouseClick(tidy.trail, Qt.MouseButton.LeftButton, pos=band)
    assert tidy.trail.at == 0
    QTest.mouseDClick(tidy.trail, Qt.MouseButton.LeftButton, pos=band)
    assert names(tidy)[0] == ""


def test_the_next_table_and_the_lane(window: Window, tidy: TidyStation) -> None:
    press(tidy, Key.Key_L)
    (share, line), *_ = tidy.lane._bars()
    assert (share.words, share.count) == ("Marigold", 2)
    QTest.mouseClick(tidy.lane, Qt.MouseButton.LeftButton, pos=line.center().toPoint())
    row = tidy.view.currentIndex().row()
    assert at_hand(tidy).table.columns[0].texts[row] == share.words
    press(tidy, Key.Key_End)
    assert sum(s.count for s, _ in tidy.lane._bars()) == 18
    press(tidy, Key.Key_L)
    assert not tidy.lane.isVisible()
    press(tidy, Key.Key_L)
    assert tidy.lane.isVisible()
    assert not tidy.lane._bars()
    first = tidy.title.text()
    press(tidy, Key.Key_PageDown, Mod.ControlModifier)
    assert tidy.title.text() != first
    assert window.session.table_index == 1


def test_the_next_table_is_added_below_where_it_fits(
    window: Window, tidy: TidyStation, tmp_path: Path, qtbot: QtBot
) -> None:
    press(tidy, Key.Key_A)
    assert "columns, and this table has" in window.message.text()
    path = tmp_path / "log.keel"
    desk = Desk(path)
    desk.add_source(Source("log.pdf", b"1", "1", 3))
    desk.run(PaperReader())
    desk.close()
    window.open_docket(path)
    window.session.go_to(0, 0)
    window.go_to("tidy")
    assert tidy.ready.words[0] == "Goes on on page 2: join"
    qtbot.waitUntil(lambda: "Tidy: 2 joins to check" in window.line.accessibleDescription())
    press(tidy, Key.Key_1)
    assert "Tidy: 1 join to check" in window.line.accessibleDescription()
    assert tidy._rows.text() == "8 rows from pages 1, 2"
    press(tidy, Key.Key_A)
    assert tidy._rows.text() == "12 rows from pages 1, 2, 3"
    press(tidy, Key.Key_A)
    assert "no table after this one" in window.message.text()
    press(tidy, Key.Key_PageDown, Mod.ControlModifier)
    assert tidy._rows.text().startswith("joined to “Dues” on page 1")
    assert "Tidy: 1 of 3 tidied" in window.line.accessibleDescription()


def test_what_was_done_is_kept_as_a_jig_and_offered_again(
    window: Window, tidy: TidyStation
) -> None:
    desk = window.session.desk
    desk.set_send_ending(".csv")
    desk.set_send_options(SendOptions(separator=";"))
    press(tidy, Key.Key_Return, Mod.ControlModifier)
    press(tidy, Key.Key_J, Mod.ControlModifier)
    press(tidy, "Berth dues")
    press(tidy, Key.Key_Return)
    assert "Kept as Berth dues.jig" in window.message.text()
    assert tidy.view.hasFocus()
    press(tidy, Key.Key_Z, Mod.ControlModifier)
    assert tidy.ready.words[0] == "As Berth dues: 6 steps"
    for name in ("send", "send-ending"):  # as in a docket for which nothing was chosen
        desk.docket.set_setting(name, "")
    press(tidy, Key.Key_1)
    assert len(tidy.trail.words) == 7
    assert tidy.ready.words == []
    window.go_to("send")
    assert window.station(SendStation).ending == ".csv"
    assert window.station(SendStation).options.options.separator == ";"


def test_the_table_is_copied_as_it_will_be(window: Window, tidy: TidyStation) -> None:
    press(tidy, Key.Key_Return, Mod.ControlModifier)
    press(tidy, Key.Key_C, Mod.ControlModifier)
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    assert clipboard.text().startswith("Vessel\tReg.\tBerth\tIn")
    assert "18 rows of “Berth dues" in window.message.text()


def test_an_empty_docket_says_what_comes(window: Window) -> None:
    window.new_docket()
    window.go_to("tidy")
    station = window.station(TidyStation)
    assert station._empty.isVisible()
    assert not station._body.isVisible()
    QTest.keyClick(station.view, Key.Key_1)
    assert station.tidying is None


@pytest.fixture
def long(monkeypatch: pytest.MonkeyPatch, window: Window, qtbot: QtBot) -> TidyStation:
    """The station with every table so long that a thread tidies it."""
    monkeypatch.setattr(session_module, "_TIDIED_AT_ONCE", 0)
    window.session.go_to(0, 0)
    with qtbot.waitSignal(window.session.tidied):
        QTest.keyClick(window, Key.Key_5, Mod.ControlModifier)
    station = window.station(TidyStation)
    station.view.setFocus()
    return station


def test_a_thread_takes_the_steps_of_a_long_table(
    window: Window, long: TidyStation, qtbot: QtBot
) -> None:
    press(long, Key.Key_1)
    assert long.trail.words == ["as read"]
    assert window.message.text() == "The step is being taken …"
    press(long, Key.Key_1)  # the next waits until the first is taken
    assert window.message.text() == "The last step is still being taken."
    qtbot.waitUntil(lambda: names(long)[0] == "Vessel")
    assert long.trail.words == ["as read", "headings to names"]
    assert "Ctrl+Z undoes it" in window.message.text()
    go_to_column(long, 1)
    press(long, Key.Key_Left, Mod.ControlModifier)
    qtbot.waitUntil(lambda: names(long)[:2] == ["Reg.", "Vessel"])
    assert long.view.currentIndex().column() == 0
    press(long, "=")
    press(long, "Twice = {Nothing} × 2")
    press(long, Key.Key_Return)
    qtbot.waitUntil(lambda: "There is no column" in window.message.text())
    assert long.ask.isVisible()
    press(long, Key.Key_Escape)
    QTest.keyClick(window, Key.Key_Z, Mod.ControlModifier)
    qtbot.waitUntil(lambda: names(long)[:2] == ["Vessel", "Reg."])


def test_a_long_table_is_copied_and_shown_in_send(
    window: Window, long: TidyStation, qtbot: QtBot
) -> None:
    press(long, Key.Key_C, Mod.ControlModifier)
    qtbot.waitUntil(lambda: "copied" in window.message.text())
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    assert clipboard.text().startswith("Vessel\t")
    window.go_to("send")
    preview = window.station(SendStation).preview
    qtbot.waitUntil(lambda: preview.sheet.rowCount() > 1)
    item = preview.sheet.item(0, 0)
    assert item is not None
    assert item.text() == "Vessel"


def test_what_a_thread_made_of_a_table_that_changed_is_dropped(
    window: Window, long: TidyStation, qtbot: QtBot
) -> None:
    gate = threading.Event()
    window.session.jobs.want(gate.wait, lambda _done: None)
    press(long, Key.Key_1)
    table = window.session.tables[0]
    window.session.set_steps(table, at_hand(long).drop_column(0))
    gate.set()
    qtbot.waitUntil(lambda: "changed meanwhile" in window.message.text())
    assert len(tidy_table(window.session.tables[0]).trail.steps) == 1


def test_a_block_of_cells_is_taken_up_and_put_elsewhere(window: Window, tidy: TidyStation) -> None:
    tidy.take_all()
    first = at_hand(tidy).table.columns[0].texts
    rows, free = at_hand(tidy).table.rows, len(names(tidy))
    press(tidy, "=")
    press(tidy, 'Blank = ""')
    press(tidy, Key.Key_Return)
    assert len(names(tidy)) == free + 1
    press(tidy, Key.Key_Home, Mod.ControlModifier)
    press(tidy, Key.Key_Down, Mod.ShiftModifier)
    press(tidy, Key.Key_B)
    assert "2 rows of 1 column taken up" in window.message.text()
    assert tidy.view.sheet.lifted == (0, 0, 1, 0)
    press(tidy, Key.Key_Right)
    press(tidy, Key.Key_B)  # something stands there
    assert "Something stands where the cells would go" in window.message.text()
    assert tidy.view.sheet.lifted is not None
    press(tidy, Key.Key_End)
    press(tidy, Key.Key_B)
    table = at_hand(tidy).table
    assert table.columns[0].texts[:2].tolist() == ["", ""]
    assert table.columns[-1].texts[:2].tolist() == first[:2].tolist()
    assert table.columns[0].texts[2:].tolist() == first[2:].tolist()
    assert table.rows == rows
    assert tidy.view.sheet.lifted is None
    press(tidy, Key.Key_B)
    press(tidy, Key.Key_Escape)
    assert tidy.view.sheet.lifted is None
    assert len(at_hand(tidy).trail.steps) == len(tidy.trail.words) - 1


def test_two_columns_are_shown_against_each_other_and_a_point_leads_to_its_row(
    window: Window, tidy: TidyStation
) -> None:
    tidy.take_all()
    days, dues = (names(tidy).index(n) for n in ("Days", "Dues £"))
    go_to_column(tidy, dues)
    narrow = tidy.lane.width()
    press(tidy, Key.Key_V)
    press(tidy, "zzz")
    press(tidy, Key.Key_Return)
    assert "No column, or more than one" in window.message.text()
    tidy.ask.field.clear()
    press(tidy, "day")
    press(tidy, Key.Key_Return)
    assert tidy.lane.width() > narrow
    assert tidy.lane.title.endswith("against Dues £")
    assert tidy.view.hasFocus()
    row = 3
    x, y = tidy.lane._places[row].tolist()
    QTest.mouseClick(tidy.lane, Qt.MouseButton.LeftButton, NONE, QPoint(round(x), round(y)))
    here = tidy.view.currentIndex().row()
    plots = at_hand(tidy).plots
    assert (plots[days][here], plots[dues][here]) == (plots[days][row], plots[dues][row])
    press(tidy, Key.Key_L)
    assert tidy.lane.width() == narrow


def test_the_seam_is_shown_as_ink(window: Window, tidy: TidyStation, qtbot: QtBot) -> None:
    press(tidy, Key.Key_I)
    assert "does not go on over a page" in window.message.text()
    log = len(window.session.tables) - 2
    window.session.go_to(log, 0)
    press(tidy, Key.Key_I)  # before they are joined
    shown = tidy.seam.seam
    assert shown is not None
    assert shown.below.number == shown.above.number + 1
    assert window.session.tables[log].page_id == shown.above.page_id
    qtbot.waitUntil(lambda: window.session.picture(shown.below.page_id) is not None)
    image = tidy.seam.grab().toImage()
    below = range(image.height() // 2, image.height(), 2)
    greys = {image.pixelColor(x, y).lightness() for x in range(0, 400, 2) for y in below}
    assert min(greys) < 100  # ink, and no mere paper
    press(tidy, Key.Key_1)  # joined
    press(tidy, Key.Key_End, Mod.ControlModifier)
    assert tidy.seam.seam == shown
    press(tidy, Key.Key_I)
    assert not tidy.seam.isVisible()
    press(tidy, Key.Key_I)
    assert tidy.seam.isVisible()
    press(tidy, Key.Key_Escape)
    assert not tidy.seam.isVisible()


def test_the_ribbon_follows_the_table_at_hand(window: Window, tidy: TidyStation) -> None:
    for _ in window.session.tables:
        press(tidy, Key.Key_PageDown, Mod.ControlModifier)
        table = window.session.table
        assert table is not None
        assert window.ribbon._strip.at == table.page_id
