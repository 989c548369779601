"""The proof desk, driven by keys in the real window: what a clerk presses, how soon it shows.

Run by itself (``python -m benchmarks.clerk``) it says both as JSON; the report runs it so, in a
process of its own without a display.
"""

from __future__ import annotations

import json
import tempfile
import time
from collections import defaultdict
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import click
import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtTest import QTest as _QTest
from PyQt6.QtWidgets import QWidget

from benchmarks.materials import MATERIALS, encode, make_material
from benchmarks.measure import flat_text
from benchmarks.proofing import BIG_PAGES, ProofScore
from keel_line.desk.desk import Desk
from keel_line.desk.work import PageRequest, process_page
from keel_line.ui.app import make_app
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.window import Window
from synth.faces import load_faces
from synth.pages import CellContent, MadePage, Sheet, TableContent, choose_style, finish_page

_SEED = 70118
_BIG_ROWS = 50
_BIG_COLS = 8
_REST_S = 0.1  # between keys, ten of them a second
_MOST_PRESSES = 10_000
_Key = Qt.Key
_Mod = Qt.KeyboardModifier
_Test: Any = _QTest  # its type stubs take its functions for methods


def make_big_page() -> MadePage:
    """Make a page of fifty rows of amounts."""
    rng = np.random.default_rng(_SEED)
    style = choose_style(rng, [f for f in load_faces("held") if f.family == "PT Sans"])
    sheet = Sheet(200)
    cells = tuple(
        CellContent(r, c, f"{rng.uniform(1, 9000):,.2f}")
        for r in range(_BIG_ROWS)
        for c in range(_BIG_COLS)
    )
    content = TableContent(cells, _BIG_ROWS, (0.88,) * _BIG_COLS, "r" * _BIG_COLS)
    sheet.draw_table(content, (0.6, 0.6), replace(style, point=8.0, pitch_em=1.4), rng)
    return finish_page(sheet, rng, condition="fax", angle_deg=0.0)


class _Clerk:
    """Presses keys in the window over one docket."""

    def __init__(self, path: Path) -> None:
        self._app = make_app()
        self.window = Window(Desk(None), path.parent)
        self.window.show()
        self.window.open_docket(path)
        self.window.go_to("proof")
        self.rest(1.5)
        self.took: dict[str, list[float]] = defaultdict(list)

    def rest(self, seconds: float = _REST_S) -> None:
        until = time.perf_counter() + seconds
        while time.perf_counter() < until:
            self._app.processEvents()

    def press(self, what: Qt.Key | str, modifier: Qt.KeyboardModifier = _Mod.NoModifier) -> float:
        """Press a key, or type, and return the milliseconds until it is painted."""
        begun = time.perf_counter()
        if isinstance(what, str):
            for char in what:  # of any script, not only those that a keyboard has keys for
                typed = QKeyEvent(QKeyEvent.Type.KeyPress, 0, modifier, char)
                self._app.sendEvent(self._target(), typed)
        else:
            _Test.keyClick(self._target(), what, modifier)
        self._app.processEvents()
        return (time.perf_counter() - begun) * 1000

    def _target(self) -> QWidget:
        editor = self.window.station(ProofStation).editor
        return editor if editor.isVisible() else self.window.station(ProofStation).interline

    def time(
        self, name: str, what: Qt.Key | str, modifier: Qt.KeyboardModifier = _Mod.NoModifier
    ) -> None:
        self.took[name].append(self.press(what, modifier))
        self.rest()

    def time_over(
        self, name: str, what: Qt.Key, modifier: Qt.KeyboardModifier = _Mod.NoModifier
    ) -> None:
        """Time a key that may lead to another page, which has a budget of its own."""
        before = self.window.session.table_index
        spent = self.press(what, modifier)
        over = self.window.session.table_index != before
        self.took[f"{name} {'another page' if over else 'a cell of the page'}"].append(spent)
        self.rest()

    def answer(self, text: str) -> None:
        """Settle the cell at hand as it ought to be, with as few keys as that takes."""
        state, view = self.window.session.cell, self.window.station(ProofStation).panel.view
        offered = [_plain(o.text) for o in view.readings][:9] if view else []
        if state is not None and text == _plain(state.text):
            self.press(_Key.Key_Return)
        elif text in offered:
            self.press(_Key(_Key.Key_1 + offered.index(text)), _Mod.AltModifier)
        elif text:
            self.press(text)
            self.press(_Key.Key_Return)
        else:
            self.press(_Key.Key_Backspace)


def _plain(text: str) -> str:
    return " ".join(text.split())


def _answer_faxes(folder: Path) -> tuple[int, int]:
    """Answer every doubt on the report's fax pages; return key presses and doubts."""
    path = folder / "faxes.keel"
    desk = Desk(path)
    wanted: dict[int, str] = {}
    faxes = [(n, m) for n, m in enumerate(MATERIALS) if m.condition.startswith("fax")]
    for page in [page for n, m in faxes for page in make_material(n, m)]:
        name, data = "fax.tif", encode(page)
        (page_id,) = desk.docket.add_source(name, data, name, 1)
        desk.take_response(process_page(PageRequest(page_id, name, data, 1), 2))
        own = [t for t in desk.tables() if t.page_id == page_id]
        for table, truth in zip(own, page.tables, strict=False):
            texts = {(c.row, c.col): flat_text(c.text) for c in truth.cells}
            wanted |= {s.id: texts.get((s.cell.row, s.cell.col), s.text) for s in table.cells}
    desk.close()
    clerk = _Clerk(path)
    session = clerk.window.session
    presses, met = 0, set()
    while session.doubts() and presses < _MOST_PRESSES:
        state = session.cell
        if state is None:
            break
        met.add(state.id)
        presses += 1
        clerk.answer(_plain(wanted[state.id]))
    clerk.window.close()
    return presses, len(met)


def _time_keys(folder: Path) -> tuple[int, dict[str, list[float]]]:
    """Time keys over thousands of rows; return how many rows, and the milliseconds of each kind."""
    path = folder / "big.keel"
    desk = Desk(path)
    data = encode(make_big_page())
    ids = desk.docket.add_source("big.tif", data, "big", BIG_PAGES)
    response = process_page(PageRequest(ids[0], "big.tif", data, 1), 2)
    for page_id in ids:
        desk.take_response(replace(response, page_id=page_id))
    desk.set_tolerance(0.1)
    rows = sum(t.grid.rows for t in desk.tables())
    desk.close()
    clerk = _Clerk(path)
    session = clerk.window.session
    for _ in range(40):
        clerk.time("to the cell below", _Key.Key_Down)
        clerk.time("to the cell beside", _Key.Key_Right)
    session.go_to_first_doubt()
    clerk.rest(0.3)
    for _ in range(60):
        clerk.time_over("settle, on to", _Key.Key_Return)
    for _ in range(20):
        clerk.time("first character typed", "7")
        clerk.time("another character", "3")
        clerk.time("typing given up", _Key.Key_Escape)
        clerk.press("7")
        clerk.rest()
        clerk.time_over("settle what was typed, on to", _Key.Key_Return)
        clerk.time_over("undo, back to", _Key.Key_Z, _Mod.ControlModifier)
        clerk.time_over("undo, back to", _Key.Key_Z, _Mod.ControlModifier)
    clerk.window.close()
    return rows, clerk.took


@click.command()
def main() -> None:
    """Measure both and say them as one line of JSON."""
    with tempfile.TemporaryDirectory() as folder:
        presses, doubts = _answer_faxes(Path(folder))
        rows, took = _time_keys(Path(folder))
    keys = {
        name: (round(float(np.median(spent)), 1), round(max(spent), 1))
        for name, spent in took.items()
    }
    click.echo(json.dumps(asdict(ProofScore(presses, doubts, rows, keys))))


if __name__ == "__main__":
    main()
