"""The real window over a copy of the read demo docket, driven by real keys."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from concurrent.futures import Executor
from pathlib import Path

import msgspec
import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from keel_line.desk.desk import Desk
from keel_line.model.reading import Reading
from keel_line.ui.app import make_app
from keel_line.ui.jobs import Jobs
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.window import Window
from tests.remembering import RememberingExecutor
from tests.ui.qtest import QTest

Keys = Callable[..., None]


@pytest.fixture(scope="session")
def qapp_cls() -> type:
    from PyQt6.QtWidgets import QApplication  # noqa: PLC0415 - only where Qt is tested

    return QApplication


def open_window(
    qtbot: QtBot,
    desk: Desk,
    folder: Path,
    make_executor: Callable[[int | None], Executor] = lambda _workers: RememberingExecutor(),
) -> Window:
    make_app()
    window = Window(desk, folder, jobs=Jobs(desk, make_executor))
    window.station(ProofStation).interline.budget_s = 5.0  # pictures are whole in one frame
    window.session.to_renew.budget_s = window.session.to_recall.budget_s = 5.0
    qtbot.addWidget(window)
    window.show()
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    return window


@pytest.fixture
def empty_window(qtbot: QtBot, tmp_path: Path) -> Iterator[Window]:
    window = open_window(qtbot, Desk(None), tmp_path / "dockets")
    window.go_to("gather")
    yield window
    window.close()


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path, read_docket: Path) -> Iterator[Window]:
    folder = tmp_path / "dockets"
    folder.mkdir()
    path = folder / "Brannock Sound.keel"
    path.write_bytes(read_docket.read_bytes())
    desk = Desk(path)
    desk.set_tolerance(0.1)
    opened = open_window(qtbot, desk, folder)
    opened.go_to("proof")
    page = opened.session.table
    assert page is not None
    qtbot.waitUntil(lambda: opened.session.picture(page.page_id) is not None)
    yield opened
    opened.close()


def read_as(window: Window, readings: dict[int, Reading]) -> None:
    """Have cells of the docket read otherwise."""
    path = window.session.desk.docket.path
    assert path is not None
    with sqlite3.connect(path) as db:
        for cell_id, reading in readings.items():
            evidence = msgspec.json.encode(reading).decode()
            db.execute("UPDATE cell SET evidence = ? WHERE id = ?", (evidence, cell_id))
    db.close()
    window.session.reload()


@pytest.fixture
def press(window: Window) -> Keys:
    """Press a key in the interline (or the open editor), with modifiers."""

    def act(
        key: Qt.Key | str,
        modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
        times: int = 1,
    ) -> None:
        for _ in range(times):
            editor = window.station(ProofStation).editor
            target = editor if editor.isVisible() else window.station(ProofStation).interline
            if isinstance(key, str):
                for char in key:
                    QTest.keyClicks(
                        editor if editor.isVisible() else window.station(ProofStation).interline,
                        char,
                    )
            else:
                QTest.keyClick(target, key, modifier)

    return act
