"""Starts the window."""

from __future__ import annotations

import logging
import sys
from functools import partial
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QApplication

from keel_line._shared.log_file import log_path
from keel_line.desk.desk import Desk
from keel_line.desk.pool import report_threads
from keel_line.errors import KeelLineError
from keel_line.ui.dockets import docket_folder
from keel_line.ui.memory import WindowMemory, memory_path
from keel_line.ui.theme import load_faces
from keel_line.ui.window import Window

log = logging.getLogger(__name__)


def make_app() -> QApplication:
    """Return the application, made once, with the bundled faces loaded."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    app.setApplicationName("keel-line")
    app.setApplicationDisplayName("Keel Line")
    app.setStyle("Fusion")
    load_faces()
    return app


def _is_dark(app: QApplication) -> bool:
    """Whether the desktop asks for dark."""
    hints = app.styleHints()
    return hints is not None and hints.colorScheme().name == "Dark"


def make_window(app: QApplication) -> Window:
    """Make the window with an empty desk; errors are shown in it, and the docket stays safe."""
    memory = WindowMemory(memory_path())
    theme = memory.theme or ("dark" if _is_dark(app) else "light")
    window = Window(Desk(None), docket_folder(), theme_name=theme, memory=memory)
    faults = _Faults(window)
    faults.told.connect(partial(window.say, trouble=True))
    sys.excepthook = faults.report
    report_threads(faults.report)
    return window


class _Faults(QObject):
    """Reports uncaught errors from every thread in the window and the log."""

    told = pyqtSignal(str)

    def report(
        self, kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        if isinstance(error, KeelLineError):  # no fault of ours: it says what to do
            self.told.emit(str(error))
            return
        log.error("fault in the window", exc_info=(kind, error, trace))
        self.told.emit(
            "A fault in Keel Line stopped this step. What was settled is saved. "
            f"Details are in {_from_home(log_path())}."
        )


def _from_home(path: Path) -> Path:
    """Return a path with ~ for the user's home folder."""
    home = Path.home()
    return Path("~") / path.relative_to(home) if path.is_relative_to(home) else path


def run_window(files: list[Path]) -> int:
    """Open the window with files; returns the exit code."""
    app = make_app()
    window = make_window(app)
    window.show()
    window.go_to("gather")
    if files:
        window.add_files(files)
    return app.exec()


def run_demo(*, fresh: bool = False) -> int:
    """Open the window with the demo docket; returns the exit code."""
    app = make_app()
    window = make_window(app)
    window.show()
    window.open_demo(fresh=fresh)
    return app.exec()
