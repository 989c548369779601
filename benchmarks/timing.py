"""How long a page, the recogniser and the window take, each in a process of its own."""

from __future__ import annotations

import json
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from benchmarks.materials import SEED, encode
from synth.faces import load_faces
from synth.pages import CellContent, Sheet, TableContent, choose_style, finish_page


def make_timing_page() -> bytes:
    """Make an A4 page at 300 dpi with 200 cells, as the speed figure asks."""
    rng = np.random.default_rng([SEED, 999])
    style = choose_style(rng, [f for f in load_faces("held") if f.family == "PT Sans"])
    sheet = Sheet(300)
    cells = tuple(
        CellContent(r, c, f"{rng.uniform(1, 9000):,.2f}") for r in range(25) for c in range(8)
    )
    sheet.draw_table(TableContent(cells, 25, (0.88,) * 8, "r" * 8), (0.6, 0.8), style, rng)
    return encode(finish_page(sheet, rng, condition="clean", angle_deg=1.3))


_ALONE = """
import json, resource, sys, time
from pathlib import Path
from keel_line.desk.work import PageRequest, process_page
data = Path(sys.argv[1]).read_bytes()
loaded = time.perf_counter()
process_page(PageRequest(1, "page.png", data, 1), 2)
first = time.perf_counter()
best, laps = 1e9, {}
for _ in range(3):
    begun = time.perf_counter()
    response = process_page(PageRequest(1, "page.png", data, 1), 2)
    spent = time.perf_counter() - begun
    if spent < best:
        best, laps = spent, dict(response.seconds)
peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
print(json.dumps({"first_s": first - loaded, "again_s": best, "peak_mb": peak, "laps": laps}))
"""


@dataclass(frozen=True)
class PageTime:
    """What one page takes: seconds for the first and for one more, by station, and memory (MB)."""

    first_s: float
    again_s: float
    peak_mb: float
    laps: dict[str, float]


def time_page() -> PageTime:
    """Time one page of 200 cells in a process of its own, with its peak memory."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "timing.png"
        path.write_bytes(make_timing_page())
        run = subprocess.run(  # noqa: S603 - this interpreter and our own words
            [sys.executable, "-c", _ALONE, str(path)], capture_output=True, text=True, check=True
        )
    return PageTime(**json.loads(run.stdout))


_READER = """
import json, time
import numpy as np
from keel_line.read.network import Network
lines = [np.random.default_rng(i).integers(0, 60, (48, 224)).astype(np.uint8) for i in range(800)]
begun = time.perf_counter()
network = Network(threads=2)
network.run(lines[:1])
loaded = time.perf_counter() - begun
best = 1e9
for _ in range(3):
    begun = time.perf_counter()
    network.run(lines)
    best = min(best, time.perf_counter() - begun)
print(json.dumps({"load_ms": loaded * 1000, "lines_a_second": len(lines) / best}))
"""


def time_reader() -> dict[str, float]:
    """Time loading the recogniser and running it over lines of ten characters (112 px wide)."""
    run = subprocess.run(  # noqa: S603 - this interpreter and our own words
        [sys.executable, "-c", _READER], capture_output=True, text=True, check=True
    )
    return dict(json.loads(run.stdout))


_WINDOW = """
import json, os, sys, tempfile, time
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
start = time.perf_counter()
from pathlib import Path
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from keel_line.desk.desk import Desk
from keel_line.desk.demo import demo_pages
from keel_line.desk.pool import InlineExecutor
from keel_line.ui.app import make_app
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.window import Window
app = make_app()
folder = Path(tempfile.mkdtemp())
window = Window(Desk(None), folder)
window.show()
window.go_to("gather")
app.processEvents()
usable = time.perf_counter() - start
desk = Desk(folder / "demo.keel")
desk.add_files(demo_pages())
desk.run(InlineExecutor(), threads=2)
desk.set_tolerance(0.1)
desk.close()
window.open_docket(folder / "demo.keel")
until = time.perf_counter() + 1.0
while time.perf_counter() < until:
    app.processEvents()
steps = []
interline = window.station(ProofStation).interline
for _ in range(min(60, len(window.session.doubts()))):
    page = window.session.table.page_id
    begun = time.perf_counter()
    QTest.keyClick(interline, Qt.Key.Key_Return)
    app.processEvents()
    spent = (time.perf_counter() - begun) * 1000
    if window.session.table.page_id == page:
        steps.append(spent)
    until = time.perf_counter() + 0.02
    while time.perf_counter() < until:
        app.processEvents()
window.close()
steps.sort()
print(json.dumps({"usable_s": usable, "median_ms": steps[len(steps) // 2], "worst_ms": steps[-1],
                  "steps": len(steps)}))
"""


def time_window() -> dict[str, float]:
    """Time the window's start and a step to the next doubt, with all that is painted for it."""
    run = subprocess.run(  # noqa: S603 - this interpreter and our own words
        [sys.executable, "-c", _WINDOW], capture_output=True, text=True, check=True
    )
    return dict(json.loads(run.stdout.strip().splitlines()[-1]))
