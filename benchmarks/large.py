"""A large docket: how long the window takes to open it, and what holds the interface thread.

Run as ``python -m benchmarks.large``; it writes docs/large_docket.md.
"""

from __future__ import annotations

import argparse
import os
import random
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import cv2
import numpy as np

from keel_line.desk.desk import Desk
from keel_line.docket.records import PageFinding, encode_table
from keel_line.gather.sources import Source
from keel_line.model.docket import PageState
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import CharReading, Reading, RunnerUp

ROOT = Path(__file__).resolve().parent.parent
_SEED, _ROWS, _COLS, _A_SOURCE = 4410, 20, 5, 10
_SIZE = (800, 600)
_SURE, _UNSURE, _DOUBTS_IN = 0.999, 0.7, 13
_PRESSES, _REST_S = 40, 0.03
_MEASURES = tuple((f"measure {k}", 0.1) for k in range(20))


def make_docket(path: Path, pages: int) -> None:
    """Write a docket with pages of 100 cells that were read already."""
    rng = random.Random(_SEED)
    blank = np.full(_SIZE[::-1], 255, np.uint8)
    big, small = (
        cv2.imencode(e, p)[1].tobytes() for e, p in ((".jpg", blank), (".png", blank[::8, ::8]))
    )
    xs = tuple(50.0 + 140 * k for k in range(_COLS + 1))
    ys = tuple(20.0 + 28 * k for k in range(_ROWS + 1))
    cells = tuple(
        Cell(r, c, 1, 1, (xs[c], ys[r], xs[c + 1], ys[r + 1]))
        for r in range(_ROWS)
        for c in range(_COLS)
    )
    grid = Grid((xs[0], ys[0], xs[-1], ys[-1]), xs, ys, cells, ())
    desk = Desk(path)
    for k in range(-(-pages // _A_SOURCE)):
        desk.add_source(Source(f"volume {k + 1}.pdf", str(k).encode(), str(k), _A_SOURCE))
    for page in desk.pages():
        state = PageState(
            page.id, 0, page.source_name, page.number, "done", size_px=_SIZE, squared_size_px=_SIZE
        )
        readings = [_read(rng, cell) for cell in cells]
        table = encode_table(grid, readings, 1, "")
        desk.docket.store_page(page.id, PageFinding(state, big, small, (table,)))
    desk.close()


def _read(rng: random.Random, cell: Cell) -> Reading:
    heads = ("Vessel", "Date", "Tons", "Dues", "Berth")
    values = (
        f"Vessel {rng.randrange(99)}",
        f"{rng.randrange(1, 28)} May 1974",
        f"{rng.randrange(1000, 9999):,}",
        f"{rng.randrange(100, 999)}.{rng.randrange(10, 99)}",
        f"N {rng.randrange(50)}",
    )
    text = heads[cell.col] if cell.row == 0 else values[cell.col]
    x, y = cell.box[0] + 4, cell.box[1] + 6
    chars = tuple(
        CharReading(c, 0.99, (x + 8 * k, y, x + 8 * k + 7, y + 14)) for k, c in enumerate(text)
    )
    doubtful = rng.randrange(_DOUBTS_IN) == 0
    others = (RunnerUp(f"{text[:-1]}7", 0.2),) if doubtful else ()
    sure = _UNSURE if doubtful else _SURE
    return Reading(text, sure, chars, others, features=_MEASURES)


def measure_window(path: Path) -> dict[str, list[float]]:
    """Open a docket in the window and press keys; return the milliseconds that each took."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtCore import Qt  # noqa: PLC0415 - only where the window is measured
    from PyQt6.QtTest import QTest as _QTest  # noqa: PLC0415

    from keel_line.ui.app import make_app  # noqa: PLC0415
    from keel_line.ui.proof.station import ProofStation  # noqa: PLC0415
    from keel_line.ui.window import Window  # noqa: PLC0415

    press: Callable[..., None] = _QTest.keyClick
    app = make_app()
    window = Window(Desk(None), path.parent)
    window.show()
    app.processEvents()

    def rest(seconds: float = _REST_S) -> None:
        until = time.perf_counter() + seconds
        while time.perf_counter() < until:
            app.processEvents()

    def hold(act: Callable[[], object]) -> float:
        begun = time.perf_counter()
        act()
        app.processEvents()
        spent = 1000 * (time.perf_counter() - begun)
        rest()
        return spent

    found = {"opening": [hold(lambda: window.open_docket(path))]}
    window.go_to("proof")
    begun = time.perf_counter()
    while not window.session.is_open or window.session.to_weigh:
        app.processEvents()
    found["all"] = [1000 * (time.perf_counter() - begun)]
    rest(2.0)
    interline = window.station(ProofStation).interline
    key, control = Qt.Key, Qt.KeyboardModifier.ControlModifier
    none = Qt.KeyboardModifier.NoModifier
    for name, code, modifier in (
        ("to the cell below", key.Key_Down, none),
        ("settle and go on", key.Key_Return, none),
        ("undo", key.Key_Z, control),
        ("to the next table", key.Key_PageDown, control),
    ):
        found[name] = [
            hold(lambda c=code, m=modifier: press(interline, c, m))  # type: ignore[misc] # bound here
            for _ in range(_PRESSES)
        ]
    for name in ("gather", "square", "rule", "send", "proof"):
        found[f"to {name.capitalize()}"] = [hold(lambda n=name: window.go_to(n))]  # type: ignore[misc] # bound here
    pages = [p.id for p in window.session.desk.pages()]
    found["a page that was read comes in"] = [
        hold(lambda p=page: window.jobs.renew_page(p))  # type: ignore[misc] # bound here
        for page in pages[:: max(1, len(pages) // _PRESSES)]
    ]
    window.close()
    return found


def main() -> None:
    """Measure, and write the report."""
    words = argparse.ArgumentParser(description=__doc__)
    words.add_argument("--pages", type=int, default=1000)
    words.add_argument("--out", type=Path, default=ROOT / "docs" / "large_docket.md")
    asked = words.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.keel"
        make_docket(path, asked.pages)
        found = measure_window(path)
    asked.out.write_text(_report(asked.pages, found), encoding="utf-8")
    sys.stdout.write(asked.out.read_text(encoding="utf-8"))


def _report(pages: int, found: dict[str, list[float]]) -> str:
    rows = "\n".join(
        f"| {name} | {sorted(ms)[len(ms) // 2]:.1f} | {max(ms):.1f} |"
        for name, ms in found.items()
        if name not in {"opening", "all"}
    )
    return f"""# A large docket

Measured on {datetime.now().astimezone():%d %B %Y} by `python -m benchmarks.large`:
{pages:,} pages of {_ROWS * _COLS} cells, offscreen, without a graphics card.

Opening the docket: **{found["opening"][0] / 1000:.1f} s** (3 asked). The rest comes in behind
the work, in {found["all"][0] / 1000:.0f} s where nobody touches a key.

What holds the interface thread, with all that is painted for it:

| what | median ms | longest ms (16 asked) |
|---|---|---|
{rows}
"""


if __name__ == "__main__":
    main()
