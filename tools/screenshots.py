"""Take the pictures of docs/screenshots from the demo docket: ``make screenshots``."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from keel_line.desk.demo import demo_pages
from keel_line.desk.desk import Desk
from keel_line.desk.pool import InlineExecutor
from keel_line.ui.app import make_app
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.send.station import SendStation
from keel_line.ui.square.station import SquareStation
from keel_line.ui.tidy.station import TidyStation
from keel_line.ui.window import Window

PICTURES = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
SIZE = (1280, 800)


def _settle(events: Callable[[], None], seconds: float = 0.4) -> None:
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        events()
        time.sleep(0.01)


def _take_proof(window: Window, take: Callable[[str], None]) -> None:
    """Take the pictures of the Proof station."""
    press: Callable[..., None] = QTest.keyClick
    window.go_to("proof")
    window.session.go_to_first_doubt()
    for _ in range(3):
        press(window.station(ProofStation).interline, Qt.Key.Key_Return)
    take("proof")
    window.session.go_to(2, len(window.session.tables[2].cells) - 1)  # a total
    press(window.station(ProofStation).interline, Qt.Key.Key_F9)
    take("proof-sum")
    press(window.station(ProofStation).interline, Qt.Key.Key_Escape)
    window.session.go_to_first_doubt()
    press(window.station(ProofStation).interline, Qt.Key.Key_F4)
    press(window.station(ProofStation).kinds, Qt.Key.Key_PageUp)
    press(window.station(ProofStation).kinds, Qt.Key.Key_Right)
    press(window.station(ProofStation).kinds, Qt.Key.Key_Space)
    take("proof-kinds")
    press(window.station(ProofStation).kinds, Qt.Key.Key_Escape)
    window.session.go_to_table(3)
    press(window.station(ProofStation).interline, Qt.Key.Key_F3)
    take("proof-page")
    press(window.station(ProofStation).against.page, Qt.Key.Key_Escape)
    press(window.station(ProofStation).interline, Qt.Key.Key_F6)
    take("proof-history")
    press(window.station(ProofStation).history.search, Qt.Key.Key_Escape)
    window.session.go_to_first_doubt()


def _take_tidy(window: Window, take: Callable[[str], None]) -> None:
    """Take the pictures of the Tidy station."""
    window.session.go_to(len(window.session.tables) - 2, 0)  # the stores log
    window.go_to("tidy")
    take("tidy-ready")
    press: Callable[..., None] = QTest.keyClick
    view = window.station(TidyStation).view
    press(view, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    press(view, Qt.Key.Key_End)
    take("tidy")


def _take_sheets(window: Window, take: Callable[[str], None]) -> None:
    """Take the sheets that lie over all stations."""
    press: Callable[..., None] = QTest.keyClick
    type_text: Callable[..., None] = QTest.keyClicks
    wait: Callable[..., None] = QTest.qWait
    # A virtual screen without a window manager gives no window the focus that keys need.
    window.actions_by_id["keys"].trigger()
    take("keys")
    press(window.help, Qt.Key.Key_Escape)
    window.actions_by_id["find"].trigger()
    type_text(window.find_sheet.field, "marigold")
    wait(2000)
    take("find")
    press(window.find_sheet.field, Qt.Key.Key_Escape)


def _take_jigs(window: Window, take: Callable[[str], None]) -> None:
    """Keep two tables as jigs, and take the Jigs view."""
    press: Callable[..., None] = QTest.keyClick
    tables = window.session.tables
    for table, name in ((tables[-2], "Stores log"), (tables[0], "Buoy inspections")):
        window.session.keep_as_jig(name, table)
    window.actions_by_id["jigs"].trigger()
    press(window.jig_sheet.names, Qt.Key.Key_Down)
    window.jig_sheet.where.setText("In /home/clerk/Dockets/Jigs")
    take("jigs")


def main() -> None:
    """Open the demo docket and go through the stations, a picture at each."""
    PICTURES.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        app = make_app()
        window = Window(Desk(None), folder)
        window.resize(*SIZE)
        window.show()

        def take(name: str) -> None:
            _settle(app.processEvents)
            window.grab().save(str(PICTURES / f"{name}.png"))

        window.go_to("gather")
        take("beginning")
        path = folder / "Brannock Sound.keel"
        desk = Desk(path)
        desk.add_files(demo_pages())
        desk.run(InlineExecutor(), threads=2)
        desk.close()
        window.open_docket(path)
        window.say("")
        first = window.session.desk.pages()[0].id
        window.go_to("gather")
        take("gather")
        photograph = next(p.id for p in window.session.desk.pages() if p.kind == "photo")
        window.go_to_page(photograph)
        window.go_to("square")
        _settle(app.processEvents, 2.0)
        window.station(SquareStation).board.set_wipe(0.42)
        take("square")
        window.station(SquareStation).board.set_wipe(0.0)
        window.go_to_page(first)
        window.go_to("rule")
        take("rule")
        typed = next(p.id for p in window.session.desk.pages() if p.kind == "text")
        window.go_to_page(typed)
        _settle(app.processEvents, 2.0)
        take("rule-text")
        _take_proof(window, take)
        _take_sheets(window, take)
        window.actions_by_id["theme"].trigger()
        take("proof-dark")
        window.actions_by_id["theme"].trigger()
        _take_tidy(window, take)
        window.go_to("send")
        window.station(SendStation).target.setText("/home/clerk/Brannock Sound.xlsx")
        take("send")
        _take_jigs(window, take)
        window.close()


if __name__ == "__main__":
    main()
