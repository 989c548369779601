from __future__ import annotations

import sys
import threading
from collections.abc import Callable
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from pathlib import Path

import openpyxl
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QGuiApplication
from PyQt6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from keel_line.desk.desk import Desk, Notice, SendOptions
from keel_line.desk.work import PageRequest, PageResponse, process_page
from keel_line.errors import DocketError
from keel_line.model.page import SquareChoice
from keel_line.model.reason import Reason
from keel_line.ui.app import make_app, make_window
from keel_line.ui.commands import COMMANDS, show_keys
from keel_line.ui.gather.station import GatherStation
from keel_line.ui.jobs import COMPLETE, Jobs
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.rule.station import RuleStation
from keel_line.ui.send.station import SendStation, make_preflight
from keel_line.ui.session import Session
from keel_line.ui.theme import PALETTES, Colours
from keel_line.ui.window import Window
from synth.pages import CellContent
from tests.conftest import as_png, draw_page, make_content
from tests.remembering import RememberingExecutor
from tests.ui.conftest import open_window
from tests.ui.qtest import QTest

Key, Mod = Qt.Key, Qt.KeyboardModifier


# --- beginning ---


def test_empty_window_says_how_to_begin(empty_window: Window) -> None:
    gather = empty_window.station(GatherStation)
    assert gather.begin_button.isVisible()
    assert gather.demo_button.isVisible()
    assert gather.begin_button.hasFocus()


def test_before_a_page_is_read_nobody_says_that_it_has_no_table(empty_window: Window) -> None:
    empty_window.go_to("rule")
    side = empty_window.station(RuleStation).side
    assert side.title.text() == "No table yet"
    assert side.outline.text() == "No page yet. Ctrl+O adds scans."


def test_files_are_read_and_the_docket_is_saved(empty_window: Window, scan_file: Path) -> None:
    empty_window.add_files([scan_file])
    assert len(empty_window.session.tables) == 1
    assert empty_window.station(GatherStation).table.hasFocus()  # Enter shows the page's lines
    path = empty_window.session.desk.docket.path
    assert path == empty_window.folder / "scan.keel"
    again = Desk(path)
    assert len(again.tables()) == 1
    again.close()


def test_dropped_files_come_in(empty_window: Window, scan_file: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(scan_file))])
    event = QDropEvent(
        QPointF(9, 9), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Mod.NoModifier
    )
    empty_window.dropEvent(event)
    assert [p.source_name for p in empty_window.session.desk.pages()] == ["scan.png"]


def test_a_dropped_folder_comes_in_whole(
    empty_window: Window, tmp_path: Path, scan_bytes: bytes
) -> None:
    folder = tmp_path / "March"
    folder.mkdir()
    (folder / "dues.png").write_bytes(scan_bytes)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(folder))])
    empty_window.dropEvent(
        QDropEvent(
            QPointF(9, 9), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Mod.NoModifier
        )
    )
    assert [p.source_name for p in empty_window.session.desk.pages()] == ["dues.png"]
    assert empty_window.session.desk.docket.path == empty_window.folder / "March.keel"


def test_bad_file_is_told_and_listed(empty_window: Window, tmp_path: Path, scan_file: Path) -> None:
    bad = tmp_path / "letter.png"
    bad.write_bytes(b"Dear sir")
    empty_window.add_files([bad, scan_file])
    model = empty_window.station(GatherStation).model
    states = [model.index(r, 6).data() for r in range(model.rowCount())]
    assert any("letter.png is not a picture" in s for s in states)
    assert len(empty_window.session.tables) == 1


def test_earlier_dockets_are_offered_and_open(
    qtbot: QtBot, tmp_path: Path, read_docket: Path
) -> None:
    folder = tmp_path / "dockets"
    folder.mkdir()
    (folder / "Old work.keel").write_bytes(read_docket.read_bytes())
    window = open_window(qtbot, Desk(None), folder)
    window.go_to("gather")
    assert window.focusWidget() is window.station(GatherStation).begin_button
    for _ in range(2):  # past the demo's button
        QTest.keyClick(window.focusWidget(), Key.Key_Tab)
    button = window.focusWidget()
    assert isinstance(button, QPushButton)
    assert "Old work" in button.text()
    QTest.keyClick(button, Key.Key_Return)
    assert len(window.session.tables) == 8
    window.close()


def test_a_file_that_is_no_docket(empty_window: Window, tmp_path: Path) -> None:
    path = tmp_path / "no.keel"
    path.write_bytes(b"not a database, only words" * 50)
    empty_window.open_docket(path)
    assert "not a docket" in empty_window.message.text()
    empty_window.open_docket(tmp_path / "gone.keel")
    assert "gone.keel is gone" in empty_window.message.text()


# --- going about ---


def test_keys_go_to_the_stations(window: Window) -> None:
    for key, name in (
        (Key.Key_1, "gather"),
        (Key.Key_2, "square"),
        (Key.Key_3, "rule"),
        (Key.Key_4, "proof"),
        (Key.Key_6, "send"),
    ):
        QTest.keyClick(window, key, Mod.ControlModifier)
        assert window._at == name


def test_pressing_a_station_on_the_line_goes_there(window: Window) -> None:
    line = window.line
    QTest.mouseClick(
        line, Qt.MouseButton.LeftButton, pos=QPointF(line.width() * 4.5 / 6, 20).toPoint()
    )
    assert window._at == "tidy"
    QTest.mouseClick(
        line, Qt.MouseButton.LeftButton, pos=QPointF(line.width() * 2.5 / 6, 20).toPoint()
    )
    assert window._at == "rule"


def test_rule_steps_through_pages_and_goes_on(window: Window, qtbot: QtBot) -> None:
    window.go_to("rule")
    view = window.station(RuleStation).view
    ids = [p.id for p in window.session.desk.pages()]
    window.go_to_page(ids[0])
    QTest.keyClick(view, Key.Key_PageDown)
    assert window._page_id == ids[1]
    assert window.station(RuleStation).side.model.rowCount() == 9
    QTest.keyClick(view, Key.Key_PageUp)
    assert window._page_id == ids[0]
    qtbot.waitUntil(lambda: window.session.picture(ids[0]) is not None)
    before = view.grab().toImage()
    QTest.keyClick(view, Key.Key_Plus)
    assert view.grab().toImage() != before
    for _ in range(window.session.proofs.total.lines):
        QTest.keyClick(view, Key.Key_Return)  # to the demo's next line in doubt
        assert window._at == "rule"
    QTest.keyClick(view, Key.Key_Return)
    assert window._at == "proof"
    assert window.session.cell.in_doubt


def test_ribbon_shows_pages_and_goes_to_them(window: Window) -> None:
    ids = [p.id for p in window.session.desk.pages()]
    window.ribbon.chosen.emit(ids[2])
    assert window.session.table is not None
    assert window.session.table.page_id == ids[2]
    QTest.keyClick(window, Key.Key_B, Mod.ControlModifier)
    assert not window.ribbon.isVisible()


def test_help_sheet_opens_and_any_key_puts_it_away(window: Window) -> None:
    QTest.keyClick(window, Key.Key_F1)
    assert window.help.isVisible()
    QTest.keyClick(window.help, Key.Key_X)
    assert not window.help.isVisible()
    assert window.station(ProofStation).interline.hasFocus()


def test_dark_is_one_key_away(window: Window) -> None:
    light = window.grab().toImage().pixelColor(4, 4)
    QTest.keyClick(window, Key.Key_D, Mod.ControlModifier | Mod.ShiftModifier)
    told = window.station(GatherStation).model.index(0, 6).data(Qt.ItemDataRole.ForegroundRole)
    assert told == window.theme.color("ink")
    window.go_to("rule")
    heading = (
        window.station(RuleStation).side.model.index(0, 0).data(Qt.ItemDataRole.BackgroundRole)
    )
    assert heading == window.theme.color("heading")
    dark = window.grab().toImage().pixelColor(4, 4)
    assert dark.lightness() < 90 < light.lightness()
    QTest.keyClick(window, Key.Key_D, Mod.ControlModifier | Mod.ShiftModifier)


@pytest.mark.parametrize("size", [(1024, 640), (1280, 800), (2560, 1440)])
def test_every_station_fits(window: Window, size: tuple[int, int]) -> None:
    window.resize(*size)
    for name in ("gather", "rule", "proof", "send"):
        window.go_to(name)
        assert (window.width(), window.height()) == size


# --- sending ---


def press_write(window: Window, qtbot: QtBot) -> None:
    """Press Write, and wait until a thread has written."""
    with qtbot.waitSignal(window.session.jobs.sent, timeout=20_000):
        QTest.keyClick(window.station(SendStation).write_button, Key.Key_Return)


def test_send_writes_and_says_where(window: Window, tmp_path: Path, qtbot: QtBot) -> None:
    window.go_to("send")
    window.station(SendStation).target.setText(str(tmp_path / "out"))
    press_write(window, qtbot)
    assert window.station(SendStation).written == [tmp_path / "out.xlsx"]
    assert len(openpyxl.load_workbook(tmp_path / "out.xlsx").sheetnames) == 10
    assert "out.xlsx" in window.message.text()


def test_send_follows_the_ending(window: Window, tmp_path: Path) -> None:
    window.go_to("send")
    window.station(SendStation).target.clear()
    QTest.keyClicks(window.station(SendStation).target, str(tmp_path / "out.csv"))
    assert window.station(SendStation).formats[".csv"].isChecked()
    window.station(SendStation).formats[".xlsx"].setChecked(True)
    assert window.station(SendStation).target.text().endswith("out.xlsx")


def test_send_failure_is_said(window: Window, tmp_path: Path, qtbot: QtBot) -> None:
    window.go_to("send")
    window.station(SendStation).target.setText(str(tmp_path / "none" / "out.xlsx"))
    press_write(window, qtbot)
    assert "does not exist" in window.message.text()
    assert window.station(SendStation).written == []


def test_existing_files_are_confirmed_before_overwriting(
    window: Window, tmp_path: Path, qtbot: QtBot
) -> None:
    (tmp_path / "dues-2.csv").write_text("kept by hand")
    window.go_to("send")
    send = window.station(SendStation)
    send.formats[".csv"].setChecked(True)
    send.target.setText(str(tmp_path / "dues.csv"))
    QTest.keyClick(send.write_button, Key.Key_Return)
    assert "dues-2.csv already exists" in window.message.text()
    assert [p.name for p in tmp_path.glob("dues*")] == ["dues-2.csv"]
    send.target.setText(str(tmp_path / "out.xlsx"))  # another is no answer
    (tmp_path / "out.xlsx").write_text("kept by hand")
    QTest.keyClick(send.write_button, Key.Key_Return)
    assert "out.xlsx already exists" in window.message.text()
    assert (tmp_path / "out.xlsx").read_text() == "kept by hand"
    press_write(window, qtbot)
    assert "Wrote out.xlsx" in window.message.text()
    press_write(window, qtbot)  # its own is written anew without a question
    assert "Wrote out.xlsx" in window.message.text()
    (tmp_path / "out.xlsx").write_text("changed since")
    QTest.keyClick(send.write_button, Key.Key_Return)
    assert "out.xlsx already exists" in window.message.text()
    assert (tmp_path / "out.xlsx").read_text() == "changed since"


def test_escape_stops_writing_and_what_was_there_stays(
    window: Window, tmp_path: Path, qtbot: QtBot
) -> None:
    window.go_to("send")
    send, jobs = window.station(SendStation), window.session.jobs
    target = tmp_path / "out.xlsx"
    send.target.setText(str(target))
    press_write(window, qtbot)
    before = target.read_bytes()
    gate = threading.Event()
    jobs._writers.submit(gate.wait)  # writing has begun, and nothing is written yet
    assert not send.stop_button.isVisible()
    QTest.keyClick(send.write_button, Key.Key_Return)
    assert send.stop_button.isVisible()
    assert "Esc stops it" in window.message.text()
    with qtbot.waitSignal(jobs.sent, timeout=20_000):
        QTest.keyClick(send.write_button, Key.Key_Escape)
        gate.set()
    assert "you stopped it" in window.message.text()
    assert not send.stop_button.isVisible()
    assert target.read_bytes() == before
    assert [p.name for p in tmp_path.iterdir() if p.is_file()] == ["out.xlsx"]
    press_write(window, qtbot)  # a stop is over with what it stopped
    assert "Wrote out.xlsx" in window.message.text()


def test_options_follow_the_format_and_are_remembered(window: Window) -> None:
    window.go_to("send")
    send, panel = window.station(SendStation), window.station(SendStation).options
    assert panel.checks["ink"].isVisible()
    assert not panel.choices["separator"].isVisible()
    QTest.keyClick(panel.checks["marks"], Key.Key_Space)
    assert not panel.checks["ink"].isEnabled()
    QTest.keyClick(send.formats[".csv"], Key.Key_Space)
    assert not panel.checks["ink"].isVisible()
    panel.choices["separator"].setFocus()
    QTest.keyClick(panel.choices["separator"], Key.Key_Down)
    assert window.session.desk.send_options == SendOptions(marks=False, separator=";")
    QTest.keyClick(send.formats[".json"], Key.Key_Space)
    assert not any(box.isVisible() for box in panel.checks.values())


def test_the_button_that_writes_stays_where_it_is(window: Window, qtbot: QtBot) -> None:
    window.go_to("send")
    send = window.station(SendStation)
    before = send.write_button.mapTo(window, QPoint())
    for form in (".csv", ".json", ".pdf", ".xlsx"):
        QTest.keyClick(send.formats[form], Key.Key_Space)
        qtbot.wait(20)  # for the layout
        assert send.write_button.mapTo(window, QPoint()) == before


def test_only_files_of_tables_are_shown_as_a_spreadsheet_does(window: Window) -> None:
    window.go_to("send")
    send = window.station(SendStation)
    assert "as a spreadsheet shows it" in send.preview.title.text()
    QTest.keyClick(send.formats[".pdf"], Key.Key_Space)
    assert "spreadsheet" not in send.preview.title.text()


def test_without_a_table_there_is_nothing_to_copy(empty_window: Window) -> None:
    empty_window.go_to("send")
    assert not empty_window.station(SendStation).copy_button.isEnabled()


def test_the_table_at_hand_is_copied(window: Window) -> None:
    window.go_to("send")
    QTest.keyClick(window.station(SendStation).copy_button, Key.Key_Space)
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    data = clipboard.mimeData()
    assert data is not None
    assert data.text().startswith("Vessel\t")
    assert "<table>" in data.html()
    assert data.hasFormat("text/csv")
    assert "copied" in window.message.text()


def test_preflight_lines_go_to_their_place(window: Window) -> None:
    window.go_to("send")
    lines = [
        b for b in window.station(SendStation).findChildren(QPushButton) if "in doubt" in b.text()
    ]
    assert len(lines) == 1
    assert str(len(window.session.doubts())) in lines[0].text()
    lines[0].click()
    assert window._at == "proof"


def test_a_wrong_sum_is_reported_before_sending(window: Window) -> None:
    session = window.session
    index = next(i for i, s in enumerate(session.tables[0].cells) if s.text == "5,801.05")
    told = [line.text for line in make_preflight(session, 0, []) if line.broken]
    session.go_to(0, index)
    session.replace_text("5,901.05")
    session.go_to(0, 0)
    window.go_to("send")
    (broken,) = [line for line in make_preflight(session, 0, []) if line.broken]
    assert [broken.text] != told
    lines = [
        b for b in window.station(SendStation).findChildren(QPushButton) if broken.text in b.text()
    ]
    lines[0].click()
    assert window._at == "proof"
    assert session.cell.broken
    session.undo()
    assert [line.text for line in make_preflight(session, 0, []) if line.broken] == told


# --- jobs ---


class Held(Executor):
    """Keeps jobs back until they are let go."""

    def __init__(self) -> None:
        self.jobs: list[tuple[Future[PageResponse], tuple[object, ...]]] = []

    def submit(self, fn, /, *args, **kwargs):  # type: ignore[no-untyped-def, explicit-override]  # as Executor
        future: Future[PageResponse] = Future()
        future.set_running_or_notify_cancel()
        self.jobs.append((future, args))
        return future

    def let_go(self, index: int) -> None:
        future, args = self.jobs[index]
        future.set_result(process_page(args[0], 2))  # type: ignore[arg-type]  # the request


def hold_pages(executor: Held) -> Callable[[int | None], Executor]:
    """Keep pages back; what is done beside them is done at once."""
    return lambda workers: RememberingExecutor() if workers == 1 else executor


@pytest.fixture
def held(qtbot: QtBot, tmp_path: Path, scan_bytes: bytes) -> tuple[Held, Jobs, Session]:
    del qtbot
    desk = Desk()
    for i in range(5):
        path = tmp_path / f"{i}.png"
        path.write_bytes(scan_bytes + bytes(i))
        desk.add_files([path])
    executor = Held()
    jobs = Jobs(desk, hold_pages(executor))
    return executor, jobs, Session(desk, jobs)


def test_pages_that_are_done_can_be_worked_on_while_others_run(
    held: tuple[Held, Jobs, Session], qtbot: QtBot
) -> None:
    executor, jobs, session = held
    jobs.read_waiting()
    assert jobs.running
    executor.let_go(1)
    qtbot.waitUntil(lambda: len(session.tables) == 1)
    assert jobs.running
    assert len(executor.jobs) == 4
    session.replace_text("now")
    assert session.desk.cell(session.cell.id).text == "now"
    jobs.close()
    session.desk.close()


def test_pages_keep_their_order_whichever_is_done_first(
    held: tuple[Held, Jobs, Session], qtbot: QtBot
) -> None:
    executor, jobs, session = held
    jobs.read_waiting()
    for index in (2, 0, 1):
        executor.let_go(index)
    qtbot.waitUntil(lambda: len(session.tables) == 3)
    assert [t.source_name for t in session.tables] == ["0.png", "1.png", "2.png"]
    assert [t.name for t in session.tables] == ["0", "1", "2"]
    assert session.tables == session.desk.tables()
    jobs.close()
    session.desk.close()


def test_a_full_disk_stops_reading_and_says_what_to_do(
    held: tuple[Held, Jobs, Session], qtbot: QtBot
) -> None:
    executor, jobs, session = held
    notices: list[Notice] = []
    jobs.noticed.connect(notices.append)
    docket = session.desk.docket
    jobs.read_waiting()
    executor.let_go(0)
    qtbot.waitUntil(lambda: len(session.tables) == 1)
    # As on a full disk: SQLite may not take one more page.
    (pages,) = docket._db.execute("PRAGMA page_count").fetchone()
    docket._db.execute(f"PRAGMA max_page_count = {pages}")
    executor.let_go(1)
    qtbot.waitUntil(lambda: bool(notices))
    assert notices[0].trouble
    assert "Make room on the disk" in notices[0].text
    assert not jobs.running
    assert len(session.tables) == 1
    docket._db.execute("PRAGMA max_page_count = 1000000")
    begun = len(executor.jobs)
    jobs.read_waiting()
    assert jobs.running
    for index in range(begun, begun + 3):
        executor.let_go(index)
    qtbot.waitUntil(lambda: len(session.tables) == 4)
    jobs.close()
    session.desk.close()


def _hook_args(error: Exception) -> threading.ExceptHookArgs:
    return threading.ExceptHookArgs((type(error), error, None, None))


@pytest.mark.parametrize(
    ("error", "said"),
    [
        (DocketError("The docket cannot be written. Make room on the disk."), "Make room"),
        (ZeroDivisionError(), "A fault in Keel Line"),
    ],
)
def test_a_fault_at_a_key_is_reported_in_the_window(
    error: Exception, said: str, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    monkeypatch.setattr(threading, "excepthook", threading.excepthook)
    window = make_window(make_app())
    qtbot.addWidget(window)
    sys.excepthook(type(error), error, None)
    assert said in window.message.text()
    window.say("")

    with ThreadPoolExecutor(1) as pool:
        pool.submit(lambda: threading.excepthook(_hook_args(error)))
    qtbot.waitUntil(lambda: said in window.message.text())
    window.close()


def test_stop_drops_answers_that_come_late(held: tuple[Held, Jobs, Session], qtbot: QtBot) -> None:
    executor, jobs, session = held
    stopped: list[bool] = []
    jobs.finished.connect(stopped.append)
    jobs.read_waiting()
    executor.let_go(0)
    qtbot.waitUntil(lambda: len(session.tables) == 1)
    jobs.stop()
    assert stopped == [True]
    executor.let_go(1)
    qtbot.wait(50)
    assert len(session.tables) == 1
    assert [p.progress for p in session.desk.pages()].count("waiting") == 4
    jobs.read_waiting()
    assert jobs.running
    jobs.close()
    session.desk.close()


def test_a_page_changed_while_it_is_read_is_read_again(
    held: tuple[Held, Jobs, Session], qtbot: QtBot
) -> None:
    executor, jobs, session = held
    desk = session.desk
    done: list[int] = []
    finished: list[bool] = []
    jobs.page_done.connect(done.append)
    jobs.finished.connect(finished.append)
    jobs.read_waiting()
    first, second, *_, last = [p.id for p in desk.pages()]
    desk.choose(
        [(first, SquareChoice(no_specks=True)), (last, SquareChoice(turns=2))], Reason("squared")
    )
    jobs.read_waiting()  # one is under way, the other waits its turn
    executor.let_go(0)
    executor.let_go(1)
    qtbot.waitUntil(lambda: second in done)
    assert first not in done
    asked = [args[0] for _, args in executor.jobs]
    assert all(isinstance(request, PageRequest) for request in asked)
    again = [r for r in asked if isinstance(r, PageRequest) and r.page_id == first]
    assert [r.choice.no_specks for r in again] == [False, True]
    index = 2
    while not finished:
        executor.let_go(index)
        index += 1
        qtbot.waitUntil(lambda: bool(finished) or len(executor.jobs) > index)  # noqa: B023
    assert finished == [COMPLETE]
    assert not jobs.running
    assert sorted(done) == sorted(p.id for p in desk.pages())
    (turned,) = [r for _, (r, *_) in executor.jobs if getattr(r, "page_id", 0) == last]
    assert isinstance(turned, PageRequest)
    assert turned.choice.turns == 2
    jobs.close()
    desk.close()


def test_a_page_that_waits_no_more_is_rejected_areas(
    held: tuple[Held, Jobs, Session], qtbot: QtBot
) -> None:
    executor, jobs, session = held
    desk = session.desk
    finished: list[bool] = []
    jobs.finished.connect(finished.append)
    jobs.read_waiting()
    for page in desk.pages():
        desk.docket.store_failure(page.id, "taken out meanwhile")
    for index in range(3):
        executor.let_go(index)
    qtbot.waitUntil(lambda: bool(finished))
    assert finished == [COMPLETE]
    assert len(executor.jobs) == 3  # the other two were never asked for
    assert session.tables == []
    jobs.close()
    desk.close()


def test_a_picture_of_a_page_as_it_lay_before_is_not_shown(
    empty_window: Window, qtbot: QtBot, scan_file: Path
) -> None:
    window = empty_window
    window.add_files([scan_file])
    (page,) = window.session.desk.pages()
    shown: list[tuple[int, int]] = []
    window.jobs.picture_ready.connect(
        lambda _id, image: shown.append((image.width(), image.height()))
    )
    qtbot.wait(300)  # what was asked for before is there
    shown.clear()
    window.jobs.want_picture(page.id)
    choice = SquareChoice(angle_deg=9.0)
    window.session.desk.choose([(page.id, choice)], Reason("squared"))
    window.jobs.read_waiting()  # read while the picture is unpacked
    qtbot.waitUntil(lambda: bool(shown))
    qtbot.wait(300)
    (now,) = window.session.desk.pages()
    assert now.squared_size_px != page.squared_size_px
    assert set(shown) == {now.squared_size_px}


def test_one_key_stops_reading_and_goes_on_with_it(
    qtbot: QtBot, tmp_path: Path, scan_file: Path
) -> None:
    executor = Held()
    window = open_window(qtbot, Desk(None), tmp_path / "dockets", hold_pages(executor))
    window.add_files([scan_file])
    assert window.jobs.running
    QTest.keyClick(window, Key.Key_Period, Mod.ControlModifier)
    assert not window.jobs.running
    assert "Ctrl+. resumes" in window.message.text()
    QTest.keyClick(window, Key.Key_Period, Mod.ControlModifier)
    assert window.jobs.running
    assert window.message.text() == "Reading goes on."
    executor.let_go(-1)
    qtbot.waitUntil(lambda: len(window.session.tables) == 1)
    window.close()


def test_fault_on_one_page_does_not_stop_the_others(
    held: tuple[Held, Jobs, Session], qtbot: QtBot, caplog: pytest.LogCaptureFixture
) -> None:
    executor, jobs, session = held
    jobs.read_waiting()
    executor.jobs[0][0].set_exception(ValueError("a fault of ours"))
    executor.let_go(1)
    qtbot.waitUntil(lambda: len(session.tables) == 1)
    failed = [p for p in session.desk.pages() if p.progress == "failed"]
    assert len(failed) == 1
    assert "a fault in Keel Line" in failed[0].trouble
    assert "a fault of ours" in caplog.text
    jobs.close()
    session.desk.close()


# --- registries ---


def test_every_command_has_words_and_no_key_is_bound_twice() -> None:
    assert len({c.id for c in COMMANDS}) == len(COMMANDS)
    for place in ("rule", "proof"):
        keys = [k for c in COMMANDS if c.where in {"window", place} for k in c.keys]
        assert len(set(keys)) == len(keys)
    for command in COMMANDS:
        assert command.label
        assert command.help
        assert bool(show_keys(command)) == bool(command.keys)


def test_every_window_command_is_bound(window: Window) -> None:
    for command in COMMANDS:
        if command.where == "window" and command.bound:
            bound = window.actions_by_id[command.id]
            assert len(bound.shortcuts()) == len(command.keys)


def _luminance(value: str) -> float:
    channels = [int(value[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in channels]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


@pytest.mark.parametrize("colours", PALETTES.values())
def test_text_has_enough_contrast(colours: Colours) -> None:
    """WCAG 2.1 contrast of every text colour on every ground it is written on."""
    for ground in (colours.desk, colours.sheet, colours.heading):
        for text in (
            colours.ink,
            colours.quiet,
            colours.teal,
            colours.brass,
            colours.violet,
            colours.trouble,
        ):
            light, dark = sorted((_luminance(ground), _luminance(text)), reverse=True)
            assert (light + 0.05) / (dark + 0.05) >= 4.5, (ground, text)


# --- new editions ---


def test_a_new_edition_is_offered_followed_and_compared(
    window: Window, tmp_path: Path, qtbot: QtBot
) -> None:
    window.new_docket()
    window.go_to("gather")
    gather = window.station(GatherStation)
    for name, spans in (("a", ()), ("b", (CellContent(2, 1, "99.9"),))):
        folder = tmp_path / name
        folder.mkdir()
        path = folder / "dues.png"
        path.write_bytes(as_png(draw_page(make_content(spans=spans)).grey))
        window.add_files([path])
        qtbot.waitUntil(
            lambda: (
                bool(window.session.desk.pages())
                and all(p.progress == "done" for p in window.session.desk.pages())
            ),
            timeout=30_000,
        )
        if name == "a":
            assert not gather.edition.isVisible()
            window.session.go_to(0, 5)
            window.session.replace_text("by hand")
            window.go_to("gather")
    qtbot.waitUntil(gather.edition.isVisible)
    assert "dues.png is a new edition" in gather.edition.text()
    QTest.keyClick(gather.table, Key.Key_E)
    assert "1 value taken over in 1 table." in window.message.text()
    sheet = gather.differences.sheet
    said = [sheet.model().index(0, k).data() for k in (2, 3, 5)]  # type: ignore[union-attr] # it has one
    assert said == ["3", "2", "99.9"]
    assert not gather.edition.isVisible()
    QTest.keyClick(sheet, Key.Key_Return)
    assert window._at == "proof"
    assert window.session.cell.text == "99.9"
    window.go_to("gather")
    QTest.keyClick(sheet, Key.Key_Escape)
    assert gather.table.isVisible()
