"""Nothing is lost or settled by mistake, and what cannot be done is said where it is tried."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QPushButton
from pytestqt.qtbot import QtBot

from keel_line._shared.texts import count_of
from keel_line.desk.desk import Desk
from keel_line.docket import opening
from keel_line.docket.lock import Held
from keel_line.ui.gather.station import GatherStation
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.rule.station import RuleStation
from keel_line.ui.widgets.elided import ElidedLabel
from keel_line.ui.window import Window
from tests.ui.conftest import Keys, open_window
from tests.ui.qtest import QTest

Key, Mod = Qt.Key, Qt.KeyboardModifier


def words_at(window: Window, station: str) -> str:
    return next(s.waiting for s in window.line._stops if s.name == station)


# --- Rule keeps its page ---


def test_a_paragraph_for_a_caption_leaves_the_page_in_sight(window: Window, qtbot: QtBot) -> None:
    window.resize(1280, 800)
    words = "The dues of the inner quay were put down by the keeper of the pier. " * 20
    table = window.session.tables[0]
    window.session.desk.docket._db.execute(
        "UPDATE found_table SET name = ?, caption = ?, notes = ? WHERE id = ?",
        (words, words, words, table.id),
    )
    window.session.reload()
    QTest.keyClick(window, Key.Key_3, Mod.ControlModifier)
    window.go_to_page(table.page_id)
    qtbot.wait(50)
    assert window.width() == 1280
    assert window.station(RuleStation).view.width() > 500
    title = window.station(RuleStation).side.title
    assert isinstance(title, ElidedLabel)
    assert title.shown.endswith("…")
    assert " ".join(words.split()) in title.toolTip()
    assert window.station(RuleStation).side.outline.height() < 200


# --- the cell at hand ---


def test_a_table_that_is_left_out_takes_its_cell_with_it(window: Window, qtbot: QtBot) -> None:
    session = window.session
    last = max(range(len(session.tables)), key=lambda i: len(session.tables[i].cells))
    session.go_to(last, len(session.tables[last].cells) - 1)
    QTest.keyClick(window, Key.Key_3, Mod.ControlModifier)
    window.station(RuleStation).refresh()
    before = {c.id: c.settled for t in session.tables for c in t.cells}
    QTest.keyClick(window.station(RuleStation).view, Key.Key_X)
    window.station(RuleStation).settle()
    QTest.keyClick(window, Key.Key_4, Mod.ControlModifier)
    qtbot.wait(20)
    assert session.cell_index < len(session.tables[session.table_index].cells)
    shown = window.station(ProofStation).panel.view
    assert shown is not None
    at_hand = session.cell
    QTest.keyClick(window.station(ProofStation).interline, Key.Key_Return)
    changed = [c.id for t in session.tables for c in t.cells if c.settled and not before.get(c.id)]
    assert changed == [at_hand.id]


def test_fewer_cells_after_a_reading_leave_the_last_at_hand(window: Window) -> None:
    session = window.session
    table = session.tables[0]
    session.go_to(0, len(table.cells) - 1)
    db = session.desk.docket._db
    db.execute("DELETE FROM cell WHERE id IN (?, ?)", (table.cells[-1].id, table.cells[-2].id))
    session.reload()
    assert session.cell_index == len(session.tables[0].cells) - 1
    window.station(ProofStation).refresh()
    assert not window.station(ProofStation).interline.grab().isNull()
    session.go_to(0, 10_000)
    assert session.cell_index == len(session.tables[0].cells) - 1


# --- what is said holds ---


def test_undo_clears_the_old_message(window: Window) -> None:
    window.say("12 pages set like this one.")
    window.session.replace_text("other")
    QTest.keyClick(window, Key.Key_Z, Mod.ControlModifier)
    assert window.message.text() == "Undone. Ctrl+Y redoes it."
    QTest.keyClick(window, Key.Key_Y, Mod.ControlModifier)
    assert window.message.text() == "Redone. Ctrl+Z undoes it."


def test_leaving_asks_each_time_for_what_is_typed(window: Window, press: Keys) -> None:
    for _ in range(2):
        press("KT")
        QTest.keyClick(window.station(ProofStation).editor, Key.Key_N, Mod.ControlModifier)
        assert "“KT” is not saved" in window.message.text()
        assert window.station(ProofStation).typed == "KT"
        press(Key.Key_Escape)
        window.say("")


# --- names are shown as they are ---


def test_file_names_with_mark_up_are_shown_as_they_are(
    empty_window: Window, qtbot: QtBot, tmp_path: Path, scan_bytes: bytes
) -> None:
    window = empty_window
    name = "<b>Dues<b> & <img src=x> tolls.png"
    (tmp_path / name).write_bytes(scan_bytes)
    (tmp_path / "<i>none.png").write_bytes(b"no picture")
    window.add_files([tmp_path / name, tmp_path / "<i>none.png"])
    qtbot.waitUntil(lambda: bool(window.session.tables))
    assert "<i>none.png is not a picture" in window.message.text()
    assert window.message.textFormat() == Qt.TextFormat.PlainText
    assert "&lt;i&gt;none" in window.message.toolTip()
    index = window.station(GatherStation).model.index(1, 1)
    assert index.data() == name
    assert "&lt;b&gt;Dues" in index.data(Qt.ItemDataRole.ToolTipRole)
    for label in window.findChildren(QLabel):
        if "<" in label.text() and "font-weight" not in label.text():
            assert label.textFormat() == Qt.TextFormat.PlainText, label.text()
    window.new_docket()
    earlier = [
        b.text()
        for b in window.station(GatherStation).findChildren(QPushButton)
        if "Dues" in b.text()
    ]
    assert earlier
    assert all("&" not in text.replace("&&", "") for text in earlier)


# --- pages that failed ---


def test_a_page_that_failed_is_read_again_by_one_key(window: Window, qtbot: QtBot) -> None:
    desk = window.session.desk
    page = desk.pages()[0]
    window.session.replace_text("kept")
    desk.docket.store_failure(page.id, "Page 1 took too long.")
    window.refresh()
    QTest.keyClick(window, Key.Key_R, Mod.ControlModifier)
    qtbot.waitUntil(lambda: not window.jobs.running)
    assert {p.progress for p in desk.pages()} == {"done"}
    assert [c.after for c in desk.history()] == ["kept"]
    QTest.keyClick(window, Key.Key_R, Mod.ControlModifier)
    assert window.message.text() == "No page failed."


def test_one_bad_file_does_not_stop_the_others(
    empty_window: Window, qtbot: QtBot, tmp_path: Path, scan_bytes: bytes
) -> None:
    window = empty_window
    folder = tmp_path / "scans"
    folder.mkdir()
    for number in range(3):
        (folder / f"{number}.png").write_bytes(scan_bytes + bytes(number))
    (folder / "1a.tif").write_bytes(b"II*\0\x08\0\0\0\xff\xff" + bytes(40))
    (folder / "2a.png").write_bytes(scan_bytes[: len(scan_bytes) // 2])
    window.add_files([folder])
    qtbot.waitUntil(lambda: not window.jobs.running and len(window.session.tables) == 3)
    desk = window.session.desk
    assert [s.name for s in desk.sources() if s.trouble] == ["1a.tif"]
    assert [p.source_name for p in desk.pages() if p.progress == "failed"] == ["2a.png"]
    assert "Ctrl+R" not in next(p.trouble for p in desk.pages() if p.progress == "failed")
    assert words_at(window, "gather") == "4 pages, 1 file not added"


def test_a_file_that_was_not_added_heads_the_list_until_it_is_dismissed(
    window: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    (tmp_path / "notes.txt").write_text("No table.")
    window.add_files([tmp_path / "notes.txt"])
    qtbot.waitUntil(lambda: window.jobs.adding == 0 and "not added" in words_at(window, "gather"))
    window.go_to("gather")
    gather = window.station(GatherStation)
    QTest.keyClick(gather.table, Key.Key_End)
    assert gather.table.currentIndex().row() == gather.model.rowCount() - 1
    QTest.keyClick(gather.table, Key.Key_Delete)
    assert "not added" in words_at(window, "gather")
    QTest.keyClick(gather.table, Key.Key_Home)
    assert gather.model.index(0, 1).data() == "notes.txt"
    QTest.keyClick(gather.table, Key.Key_Delete)
    assert words_at(window, "gather") == count_of(len(window.session.desk.pages()), "page")
    assert not [s for s in window.session.desk.sources() if s.trouble]


# --- dockets that cannot be written ---


def test_a_docket_that_another_has_open_is_for_reading_and_says_so(
    qtbot: QtBot, tmp_path: Path, read_docket: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = tmp_path / "dockets"
    folder.mkdir()
    path = folder / "Brannock.keel"
    path.write_bytes(read_docket.read_bytes())
    monkeypatch.setattr(opening, "take_lock", lambda _path: Held("Isobel on quay (process 7)"))
    window = open_window(qtbot, Desk(None), folder)
    window.open_docket(path)
    said = "Open for reading only: Isobel on quay (process 7) has Brannock.keel open"
    assert window.message.text().startswith(said)
    assert window._title.text() == "Brannock · reading only"
    monkeypatch.setattr("sys.excepthook", lambda _kind, error, _trace: window.say(str(error)))
    with qtbot.captureExceptions() as raised:
        QTest.keyClick(window.station(ProofStation).interline, Key.Key_Return)
    assert [str(error).startswith("Open for reading only") for _, error, _ in raised] == [True]
    assert window.session.desk.history() == []
    window.add_files([path.with_name("scan.png")])
    assert window.message.text().startswith("Open for reading only")
    window.close()


def test_a_damaged_cell_is_named_when_its_docket_is_opened(
    qtbot: QtBot, tmp_path: Path, read_docket: Path
) -> None:
    folder = tmp_path / "dockets"
    folder.mkdir()
    path = folder / "Brannock.keel"
    path.write_bytes(read_docket.read_bytes())
    desk = Desk(path)
    cell = desk.tables()[0].cells[5]
    desk.docket._db.execute("UPDATE cell SET evidence = x'00' WHERE id = ?", (cell.id,))
    desk.close()
    window = open_window(qtbot, Desk(None), folder)
    window.open_docket(path)
    assert "is damaged. Everything else is whole." in window.message.text()
    assert window.message.text().startswith(f"Row {cell.cell.row + 1}, column {cell.cell.col + 1}")
    assert cell.id in {c.id for c in window.session.tables[0].cells if c.in_doubt}
    window.close()


def test_a_folder_of_dockets_is_nobody_elses(empty_window: Window, scan_file: Path) -> None:
    empty_window.add_files([scan_file])
    assert empty_window.folder.stat().st_mode & 0o777 == 0o700
