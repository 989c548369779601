"""The Jigs view, with real keys: what jigs do is seen, renamed, taken out and brought back."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QApplication

from keel_line.desk.jigs import EARLIER, Shelf
from keel_line.desk.tidying import keep_as_jig
from keel_line.tidy.jigs import Jig, Writing
from keel_line.ui.jig_sheet import JigSheet
from keel_line.ui.window import Window
from tests.tidy.test_jigs import MARCH, tidied
from tests.ui.qtest import QTest

Key = Qt.Key
CTRL = Qt.KeyboardModifier.ControlModifier
WRITING = Writing(".xlsx", {"stacked": True})


@pytest.fixture
def sheet(window: Window) -> JigSheet:
    for name in ("Stores log", "Tally"):
        window.session.shelf.keep(keep_as_jig(name, tidied(MARCH), 300.0, WRITING))
    QTest.keyClick(window, Key.Key_J, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert window.jig_sheet.isVisible()
    return window.jig_sheet


def press(key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
    QTest.keyClick(QApplication.focusWidget(), key, modifier)


def kept(sheet: JigSheet) -> dict[str, Jig]:
    folder = sheet._shelf.folder
    return {jig.name: jig for jig in Shelf(folder).jigs()}


def words(sheet: JigSheet) -> list[str]:
    items = (sheet.parts.item(k) for k in range(sheet.parts.count()))
    return [item.text() for item in items if item is not None]


def test_it_tells_what_the_chosen_jig_does(sheet: JigSheet) -> None:
    assert sheet.names.hasFocus()
    assert sheet.jig is not None
    assert sheet.jig.name == "Stores log"
    assert words(sheet)[0].startswith("Its lines on the page: 3 columns")
    assert words(sheet)[-1] == "Written as XLSX"
    assert sum(w.startswith("Step: ") for w in words(sheet)) == len(sheet.jig.steps)
    press(Key.Key_Down)
    assert sheet.jig.name == "Tally"


def test_a_step_is_taken_out_and_comes_back(sheet: JigSheet) -> None:
    before = kept(sheet)["Stores log"]
    press(Key.Key_Tab)
    step = next(k for k, w in enumerate(words(sheet)) if w.startswith("Step: "))
    for _ in range(step):
        press(Key.Key_Down)
    press(Key.Key_Delete)
    assert kept(sheet)["Stores log"].steps == before.steps[1:]
    press(Key.Key_Z, CTRL)
    assert kept(sheet)["Stores log"] == before


def test_a_jig_is_removed_its_file_kept_and_it_comes_back(sheet: JigSheet) -> None:
    before = kept(sheet)
    press(Key.Key_Delete)
    assert set(kept(sheet)) == {"Tally"}
    folder = sheet._shelf.folder
    assert folder is not None
    assert [p.name[:10] for p in (folder / EARLIER).iterdir()] == ["Stores log"]
    press(Key.Key_Z, CTRL)
    assert kept(sheet) == before


def test_it_is_renamed_but_not_to_the_name_of_another(sheet: JigSheet) -> None:
    press(Key.Key_F2)
    QTest.keyClicks(sheet.ask.field, "Tally")
    press(Key.Key_Return)
    assert "already" in sheet.message.text()
    assert set(kept(sheet)) == {"Stores log", "Tally"}
    press(Key.Key_F2)
    QTest.keyClicks(sheet.ask.field, "Tally, stores")
    press(Key.Key_Return)
    assert set(kept(sheet)) == {"Tally", "Tally, stores"}
    assert sheet.jig is not None
    assert sheet.jig.name == "Tally, stores"
    press(Key.Key_Z, CTRL)
    assert set(kept(sheet)) == {"Stores log", "Tally"}


def test_the_path_of_its_file_is_copied(sheet: JigSheet) -> None:
    press(Key.Key_C, CTRL)
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    assert Path(clipboard.text()).name == "Stores log.jig"
    assert Path(clipboard.text()).is_file()


def test_all_parts_may_go_and_what_is_left_is_still_a_jig(sheet: JigSheet) -> None:
    press(Key.Key_Tab)
    for _ in range(len(words(sheet))):
        press(Key.Key_Delete)
    assert words(sheet) == []
    left = kept(sheet)["Stores log"]
    assert (left.steps, left.page, left.write, left.columns) == ((), None, None, ())


def test_without_jigs_it_says_how_to_keep_one(window: Window) -> None:
    QTest.keyClick(window, Key.Key_J, CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert "Ctrl+J" in window.jig_sheet.where.text()
    press(Key.Key_Delete)
    press(Key.Key_Z, CTRL)
    assert window.jig_sheet.message.text() == "Nothing to undo."
    press(Key.Key_Escape)
    assert not window.jig_sheet.isVisible()
