"""Nothing leaves the machine, and nothing is left on it but what is the clerk's own."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import DEMO_PAGES

_WINDOW = """
import sys
from pathlib import Path
from PyQt6.QtCore import QTimer
from keel_line.ui.app import make_app, make_window
if __name__ == "__main__":
    app = make_app()
    window = make_window(app)
    window.show()
    window.add_files([Path(sys.argv[1])])

    def look():
        if window.session.tables and not window.jobs.running:
            QTimer.singleShot(1500, close)  # idle for a while
        else:
            QTimer.singleShot(100, look)

    def close():
        window.close()
        app.quit()

    look()
    sys.exit(app.exec())
"""


def listen(tmp_path: Path, words: list[str]) -> tuple[list[str], list[Path]]:
    """Run a command with a new user's folders; return its sockets, and the files it left."""
    strace = shutil.which("strace")
    assert strace is not None, "make test installs it"
    home, temporary, log = (tmp_path / n for n in ("home", "temporary", "network"))
    home.mkdir()
    temporary.mkdir()
    kept = {k: v for k, v in os.environ.items() if not k.startswith(("XDG_", "ORT_", "PYTEST"))}
    run = subprocess.run(
        [strace, "-f", "-e", "trace=network", "-o", str(log), *words],
        env={**kept, "HOME": str(home), "TMPDIR": str(temporary), "QT_QPA_PLATFORM": "offscreen"},
        cwd=tmp_path,
        timeout=300,
        capture_output=True,
        text=True,
        check=False,
    )
    assert run.returncode == 0, run.stderr
    calls = [line for line in log.read_text().splitlines() if "socket(" in line]
    outside = [c for c in calls if "AF_UNIX" not in c and "AF_LOCAL" not in c]
    left = [p for folder in (home, temporary) for p in folder.rglob("*") if p.is_file()]
    return outside, left


def test_converting_opens_no_socket_and_leaves_no_file(scan_file: Path, tmp_path: Path) -> None:
    words = ["-m", "keel_line.cli", "convert", str(scan_file), "-o", str(tmp_path / "out.xlsx")]
    outside, left = listen(tmp_path, [sys.executable, *words])
    assert outside == []
    assert left == []


def test_the_window_opens_no_socket_and_keeps_only_its_docket_and_place(
    scan_file: Path, tmp_path: Path
) -> None:
    script = tmp_path / "window.py"
    script.write_text(_WINDOW)
    outside, left = listen(tmp_path, [sys.executable, str(script), str(scan_file)])
    assert outside == []
    memory, docket = sorted(left)
    assert docket.name == "scan.keel"
    assert memory.name == "window.ini"
    assert "scan" not in memory.read_text(encoding="utf-8")
    assert memory.parent.stat().st_mode & 0o777 == 0o700
    assert docket.stat().st_mode & 0o777 == 0o600
    assert docket.parent.stat().st_mode & 0o777 == 0o700


@pytest.mark.parametrize("module", ["keel_line", "keel_line.read.network", "keel_line.cli"])
def test_every_way_in_keeps_the_recogniser_from_reporting(module: str) -> None:
    words = f"import {module}, os; print(os.environ['ORT_DISABLE_TELEMETRY'])"
    kept = {k: v for k, v in os.environ.items() if not k.startswith("ORT_")}
    said = subprocess.run(
        [sys.executable, "-c", words], env=kept, capture_output=True, text=True, check=True
    )
    assert said.stdout.strip() == "1"


def test_nothing_is_left_in_the_temporary_folder_after_a_kill(tmp_path: Path) -> None:
    temporary = tmp_path / "temporary"
    temporary.mkdir()
    page = DEMO_PAGES / "1-berth-dues-ledger.jpg"
    run = subprocess.Popen(
        [sys.executable, "-m", "keel_line.cli", "convert", str(page), str(page.parent), "-o", "-"],
        env={**os.environ, "TMPDIR": str(temporary)},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    with pytest.raises(subprocess.TimeoutExpired):
        run.wait(4)
    run.kill()
    run.wait()
    assert list(temporary.iterdir()) == []
