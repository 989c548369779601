from __future__ import annotations

import ast
import re
import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import ROOT

SOURCE = ROOT / "src" / "keel_line"

_WITHOUT_QT = """
import importlib, pkgutil, sys
class Block:
    def find_spec(self, name, path=None, target=None):
        if name.split(".")[0] in ("PyQt6", "pyqtgraph"):
            raise ImportError(name + " must not be needed here")
sys.meta_path.insert(0, Block())
import keel_line
names = [m.name for m in pkgutil.walk_packages(keel_line.__path__, "keel_line.")
         if not m.name.startswith("keel_line.ui")]
for name in names:
    importlib.import_module(name)
print(len(names))
"""


def test_core_imports_without_qt() -> None:
    run = subprocess.run(
        [sys.executable, "-c", _WITHOUT_QT], capture_output=True, text=True, check=False
    )
    assert run.returncode == 0, run.stderr
    assert int(run.stdout) > 30


def test_the_window_opens_without_what_is_slow_to_load() -> None:
    said = "import sys, keel_line.ui.window; print(*sorted(sys.modules))"
    run = subprocess.run([sys.executable, "-c", said], capture_output=True, text=True, check=True)
    slow = {"scipy", "pandas", "pyqtgraph"}
    assert not {name.split(".")[0] for name in run.stdout.split()} & slow


def test_imports_run_downwards() -> None:
    run = subprocess.run(
        [str(Path(sys.executable).with_name("lint-imports")), "--no-cache"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    assert run.returncode == 0, run.stdout


def _packages() -> list[Path]:
    return sorted(p.parent for p in SOURCE.rglob("__init__.py"))


def test_map_names_every_package() -> None:
    text = (ROOT / "docs" / "architecture.md").read_text(encoding="utf-8")
    for folder in _packages():
        doc = ast.get_docstring(ast.parse((folder / "__init__.py").read_text(encoding="utf-8")))
        assert doc, folder
        first = doc.splitlines()[0]
        assert first in text, f"docs/architecture.md does not say of {folder.name}: {first}"


@pytest.mark.parametrize(("name", "owners"), [("threading", {"desk"}), ("sqlite3", {"docket"})])
def test_owners_of_danger(name: str, owners: set[str]) -> None:
    users = {
        p.relative_to(SOURCE).parts[0]
        for p in SOURCE.rglob("*.py")
        if re.search(rf"^\s*(import|from) {name}\b", p.read_text(encoding="utf-8"), re.MULTILINE)
    }
    assert users == owners


def test_the_window_knows_no_station_by_name() -> None:
    names = {p.parent.name for p in (SOURCE / "ui").glob("*/station.py")}
    text = (SOURCE / "ui" / "window.py").read_text(encoding="utf-8")
    assert len(names) >= 5
    assert not re.findall(rf"keel_line[.]ui[.]({'|'.join(names)})\b", text)


def test_weights_are_small_and_carry_their_recipe() -> None:
    data = SOURCE / "read" / "data"
    assert (data / "reader.onnx").stat().st_size < 4_000_000
    assert (data / "reader.json").exists()
    assert (data / "confidence.json").exists()
