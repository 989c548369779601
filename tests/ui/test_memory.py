"""What the window remembers between starts."""

from __future__ import annotations

import sys
import threading
from pathlib import Path

import pytest
from PyQt6.QtCore import QByteArray, Qt
from PyQt6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from keel_line.ui.app import make_app, make_window
from keel_line.ui.gather.station import GatherStation
from keel_line.ui.memory import WindowMemory, memory_path
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.window import Window
from tests.ui.qtest import QTest


@pytest.fixture(autouse=True)
def _own_folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("DATA", "CONFIG", "STATE"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(tmp_path / name.lower()))
    for module in (sys, threading):
        monkeypatch.setattr(module, "excepthook", module.excepthook)


def start(qtbot: QtBot) -> Window:
    window = make_window(make_app())
    qtbot.addWidget(window)
    window.show()
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    return window


def test_place_colours_and_zoom_come_back(qtbot: QtBot) -> None:
    window = start(qtbot)
    window.resize(1024, 700)
    before = window.theme.colours
    both = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    QTest.keyClick(window.station(GatherStation), Qt.Key.Key_D, both)
    assert window.theme.colours != before
    window.station(ProofStation).lens.zoom_step(2)
    window.station(ProofStation).interline.zoom_step(1)
    window.close()
    again = start(qtbot)
    assert (again.width(), again.height()) == (1024, 700)  # as wide as the smallest screen
    assert again.theme.colours != before
    assert again.station(ProofStation).lens.steps == 2
    assert again.station(ProofStation).interline.steps == 1
    again.close()


def test_a_file_is_asked_for_where_the_last_one_was(
    qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    asked: list[str] = []

    def choose(_: object, __: str, folder: str, *___: str) -> tuple[list[str], str]:
        asked.append(folder)
        return [str(tmp_path / "scans" / "missing.png")], ""

    monkeypatch.setattr(QFileDialog, "getOpenFileNames", choose)
    (tmp_path / "scans").mkdir()
    window = start(qtbot)
    window.choose_files()
    window.close()
    again = start(qtbot)
    again.choose_files()
    assert asked == ["", str(tmp_path / "scans")]
    (tmp_path / "scans").rmdir()
    again.choose_files()
    assert asked[-1] == ""
    again.close()


def test_the_memory_is_in_the_users_own_folder(tmp_path: Path) -> None:
    memory = WindowMemory(memory_path())
    memory.theme = "dark"
    assert memory_path().parent == tmp_path / "config" / "keel-line"
    assert memory_path().parent.stat().st_mode & 0o777 == 0o700


def test_a_damaged_memory_is_as_if_never_set(tmp_path: Path) -> None:
    path = tmp_path / "window.ini"
    path.write_bytes(b"[General]\nplace=7\ntheme=purple\nzoom-lens=far\nfolder-scans=@Invalid()\n")
    memory = WindowMemory(path)
    assert memory.place == QByteArray()
    assert memory.theme is None
    assert memory.steps("lens") == 0
    assert memory.folder("scans") == ""
    assert memory.folder("scans", tmp_path) == str(tmp_path)


def test_without_a_folder_to_write_to_all_is_forgotten(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("in the way", encoding="utf-8")
    memory = WindowMemory(tmp_path / "file" / "window.ini")
    memory.theme = "dark"
    assert memory.theme == "dark"
    assert WindowMemory(None).theme is None
