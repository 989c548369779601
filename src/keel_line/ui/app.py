"""Starts the window."""

from __future__ import annotations

import logging
import sys
from pathlib import Path
from types import TracebackType

from PyQt6.QtWidgets import QApplication

from keel_line.desk.desk import Desk
from keel_line.errors import KeelLineError
from keel_line.ui.dockets import docket_folder
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
    window = Window(Desk(None), docket_folder(), theme_name="dark" if _is_dark(app) else "light")

    def report(
        kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        if isinstance(error, KeelLineError):  # no fault of ours: it says what to do
            window.say(str(error), trouble=True)
            return
        log.error("fault in the window", exc_info=(kind, error, trace))
        window.say(
            "A fault in Keel Line stopped this step. What was settled is saved.", trouble=True
        )

    sys.excepthook = report
    return window


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
