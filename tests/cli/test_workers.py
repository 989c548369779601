"""The command line with real workers: a bad page costs itself, Ctrl+C ends everything at once."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

from tests.conftest import DEMO_PAGES

# Where the tests run in the background, Ctrl+C is ignored from the start on.
_RUN = """
import signal
signal.signal(signal.SIGINT, signal.default_int_handler)
from keel_line.cli import run
if __name__ == "__main__":
    run()
"""


def start(*words: str | Path) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-c", _RUN, *map(str, words)],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        start_new_session=True,
    )


def children(process: int) -> list[int]:
    listed = Path(f"/proc/{process}/task/{process}/children").read_text().split()
    tasks = Path(f"/proc/{process}/task").iterdir()
    every = [c for task in tasks for c in (task / "children").read_text().split()]
    return sorted({int(c) for c in (*listed, *every)})


def test_one_bad_page_costs_itself(tmp_path: Path, scan_bytes: bytes) -> None:
    (tmp_path / "a.png").write_bytes(scan_bytes)
    (tmp_path / "cut.png").write_bytes(scan_bytes[: len(scan_bytes) // 2])
    (tmp_path / "letter.tif").write_bytes(b"II*\0\x08\0\0\0\xff\xff\0")
    (tmp_path / "z.png").write_bytes(scan_bytes + b"\0")
    names = ("a.png", "cut.png", "letter.tif", "z.png")
    run = start("convert", *(tmp_path / n for n in names), "-o", tmp_path / "out.json")
    _, err = run.communicate(timeout=120)
    assert run.returncode == 1
    assert "Traceback" not in err
    said = err.splitlines()
    assert sum("letter.tif is not a picture or PDF" in line for line in said) == 1
    assert sum("cut.png is damaged or cut short (page 1)" in line for line in said) == 1
    assert "1 page not read is left out." in err
    tables = {
        path.name: sum(len(p["tables"]) for p in json.loads(path.read_text())["pages"])
        for path in tmp_path.glob("out*.json")
    }
    assert tables == {"out-a.json": 1, "out-cut.json": 0, "out-z.json": 1}


def test_ctrl_c_ends_it_and_its_workers(tmp_path: Path) -> None:
    target = tmp_path / "out.xlsx"
    run = start("convert", DEMO_PAGES, "-o", target)
    until = time.monotonic() + 30
    while not (found := children(run.pid)) and time.monotonic() < until:
        time.sleep(0.05)
    assert found
    time.sleep(1.0)
    workers = children(run.pid)
    os.killpg(run.pid, signal.SIGINT)  # as a terminal does: to all of them
    _, err = run.communicate(timeout=60)
    assert run.returncode == 1
    assert "Stopped. Nothing was written." in err
    assert "Traceback" not in err
    assert not target.exists()
    until = time.monotonic() + 5
    while any(Path(f"/proc/{w}").exists() for w in workers) and time.monotonic() < until:
        time.sleep(0.05)
    assert not any(Path(f"/proc/{w}").exists() for w in workers)
