"""What scripts can do with the program."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import openpyxl
import pytest

import keel_line
from keel_line.errors import DocketError, OutputError
from tests.conftest import ROOT


def test_a_scan_is_added_read_settled_and_written(scan_file: Path, tmp_path: Path) -> None:
    steps: list[tuple[int, int]] = []
    with keel_line.open_docket() as docket:
        assert docket.add(scan_file) == []
        assert docket.read(workers=0, progress=lambda *step: steps.append(step)) == []
        (table,) = docket.tables()
        assert (table.source, table.page, table.rows, table.cols) == ("scan.png", 1, 6, 4)
        assert table.texts()[0] == ["Head a", "Head b", "Head c", "Head d"]
        assert table.heading_rows == 1
        cell = next(c for c in table.cells if (c.row, c.col) == (2, 1))
        assert 0 < cell.confidence <= 1
        ink = docket.ink(cell)
        assert ink.shape == (
            round(cell.box[3]) - round(cell.box[1]),
            round(cell.box[2]) - round(cell.box[0]),
        )
        assert ink.min() < 100 < ink.max()
        docket.settle(cell, "77.5")
        (again,) = docket.tables()
        assert again.texts()[2][1] == "77.5"
        assert next(c for c in again.cells if (c.row, c.col) == (2, 1)).settled
        assert docket.undo()
        assert docket.tables()[0].texts() == table.texts()
        docket.settle(cell)
        assert docket.write(tmp_path / "out.xlsx") == [tmp_path / "out.xlsx"]
    assert steps == [(0, 1), (1, 1)]
    sheet = openpyxl.load_workbook(tmp_path / "out.xlsx")["scan"]
    assert [c.value for c in sheet[1]] == ["Head a", "Head b", "Head c", "Head d"]


def test_a_docket_goes_on_where_it_was(scan_file: Path, tmp_path: Path) -> None:
    path = tmp_path / "ledger.keel"
    with keel_line.open_docket(path) as docket:
        docket.add(scan_file)
        docket.read(workers=0)
        cell = docket.tables()[0].cells[5]
        docket.settle(cell, "new")
    with keel_line.open_docket(str(path)) as docket:
        assert docket.tables()[0].cells[5].text == "new"
        assert docket.read(workers=0) == []
        assert docket.undo()
        assert not docket.undo()


def test_what_is_in_doubt_says_why(scan_file: Path) -> None:
    with keel_line.open_docket() as docket:
        docket.add(scan_file)
        docket.read(workers=0)
        (table,) = docket.tables()
        for cell in table.doubts():
            assert cell.in_doubt
            assert cell.reasons
        assert table.expected_wrong >= 0


def test_trouble_comes_as_sentences_and_our_own_errors(tmp_path: Path) -> None:
    broken = tmp_path / "broken.png"
    broken.write_bytes(b"no picture")
    with keel_line.open_docket() as docket:
        (said,) = docket.add(broken)
        assert "broken.png" in said
        assert docket.tables() == []
        assert not docket.undo()
        with pytest.raises(OutputError):
            docket.write(tmp_path / "out.xlsx")
    no_docket = tmp_path / "ledger.keel"
    no_docket.write_bytes(b"no docket")
    with pytest.raises(DocketError):
        keel_line.open_docket(no_docket)


def test_names_are_known_and_no_others() -> None:
    assert {n for n in keel_line.__all__ if getattr(keel_line, n)} == set(keel_line.__all__)
    with pytest.raises(AttributeError, match="no attribute 'open_book'"):
        _ = keel_line.open_book


def test_the_readme_example_runs(scan_bytes: bytes, tmp_path: Path) -> None:
    readme = (ROOT / "README.md").read_text(encoding="utf-8")
    (example,) = re.findall(r"```python\n(.*?)```", readme, re.DOTALL)
    (tmp_path / "scans").mkdir()
    (tmp_path / "scans" / "page.png").write_bytes(scan_bytes)
    (tmp_path / "example.py").write_text(example, encoding="utf-8")
    run = subprocess.run(
        [sys.executable, "example.py"], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert run.returncode == 0, run.stderr
    assert "page" in run.stdout
    assert (tmp_path / "ledger.xlsx").exists()
