"""A docket that cannot be opened or written says what is the matter and what to do."""

from __future__ import annotations

import os
import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest

from keel_line.desk.desk import Desk
from keel_line.desk.intake import DocketSource, FileSource, take_in
from keel_line.desk.pool import InlineExecutor
from keel_line.docket.opening import say_trouble
from keel_line.docket.schema import MIGRATIONS
from keel_line.docket.store import Docket
from keel_line.errors import DocketError, InputError


def mode(path: Path) -> int:
    return path.stat().st_mode & 0o777


def test_a_docket_is_nobody_elses_to_read_whatever_the_umask(tmp_path: Path) -> None:
    path = tmp_path / "a.keel"
    before = os.umask(0)
    try:
        docket = Docket(path)
        docket.add_source("scan.png", b"x", "sha", 1)
        made = {p.name: mode(p) for p in tmp_path.iterdir()}
        docket.close()
    finally:
        os.umask(before)
    assert set(made) >= {"a.keel", "a.keel-wal", "a.keel-shm", ".a.keel.lock"}
    assert set(made.values()) == {0o600}
    assert [p.name for p in tmp_path.iterdir()] == ["a.keel"]


# --- one writes, the others read ---

_HOLD = """
import sys
from pathlib import Path
from keel_line.docket.store import Docket
docket = Docket(Path(sys.argv[1]))
print(docket.read_only or "writing", flush=True)
sys.stdin.read()
docket.close()
"""


def hold(path: Path) -> subprocess.Popen[str]:
    """Open a docket in a process of its own, until its input ends."""
    return subprocess.Popen(
        [sys.executable, "-c", _HOLD, str(path)],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    )


def let_go(process: subprocess.Popen[str]) -> None:
    process.communicate()


def test_a_second_process_reads_only_and_says_who_has_it(demo_desk: Desk) -> None:
    path = demo_desk.docket.path
    assert path is not None
    demo_desk.close()
    other = hold(path)
    assert other.stdout is not None
    assert other.stdout.readline() == "writing\n"
    desk = Desk(path)
    cell = desk.cell(desk.tables()[0].cells[0].id)
    assert f"(process {other.pid}) has {path.name} open" in desk.docket.read_only
    with pytest.raises(DocketError, match=f"reading only: .*process {other.pid}"):
        desk.replace(cell, "mine")
    with pytest.raises(DocketError, match="reading only"):
        desk.undo()
    assert desk.cell(cell.id) == cell
    desk.close()
    let_go(other)
    again = Desk(path)
    assert again.docket.read_only == ""
    again.replace(cell, "mine")
    again.close()


def test_the_lock_does_not_outlive_a_crash(tmp_path: Path) -> None:
    path = tmp_path / "a.keel"
    Docket(path).close()
    other = hold(path)
    assert other.stdout is not None
    other.stdout.readline()
    other.kill()
    let_go(other)
    docket = Docket(path)
    assert docket.read_only == ""
    docket.close()


def test_a_docket_that_cannot_be_written_opens_for_reading(
    demo_desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = demo_desk.docket.path
    assert path is not None
    tables = demo_desk.tables()
    demo_desk.close()
    # The tests may run as one who may write anything.
    monkeypatch.setattr(os, "access", lambda *_: False)
    desk = Desk(path)
    assert desk.docket.read_only == f"{path.name} is write-protected"
    assert desk.tables() == tables
    with pytest.raises(DocketError, match=r"write-protected. Nothing was changed"):
        desk.replace(tables[0].cells[0], "x")
    desk.close()


def test_an_older_docket_that_cannot_be_written_is_read_too(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "old.keel"
    raw = sqlite3.connect(path)
    for number, migration in enumerate(MIGRATIONS[:-1], 1):
        raw.executescript(migration.script)
        raw.execute(f"PRAGMA user_version = {number}")
    raw.execute(f"PRAGMA application_id = {0x4B4C4E45}")
    raw.execute(
        "INSERT INTO source (name, sha256, data, pages, added) VALUES ('a.png', 's', x'01', 1, '')"
    )
    raw.commit()
    raw.close()
    before = path.read_bytes()
    monkeypatch.setattr(os, "access", lambda *_: False)
    docket = Docket(path)
    assert [s.name for s in docket.sources()] == ["a.png"]
    assert docket.source_bytes(1) == b"\x01"
    docket.close()
    assert path.read_bytes() == before


# --- each trouble has its own words ---


@pytest.mark.parametrize(
    ("code", "words"),
    [
        ("SQLITE_FULL", "Make room on the disk"),
        ("SQLITE_READONLY", "write-protected"),
        ("SQLITE_READONLY_DBMOVED", "moved or deleted while it was open"),
        ("SQLITE_BUSY", "Close it there, then try again"),
        ("SQLITE_CORRUPT", "is damaged. Open a backup"),
        ("SQLITE_NOTADB", "is not a docket. Choose another file"),
        ("SQLITE_CANTOPEN", "Check the folder"),
        ("SQLITE_IOERR_SHMOPEN", "without shared memory"),
        ("SQLITE_IOERR_WRITE", "Check the disk, or the network folder"),
        ("SQLITE_TOOBIG", "Split it into smaller files"),
        ("SQLITE_MISUSE", "use a backup"),
    ],
)
def test_each_trouble_has_its_own_advice(code: str, words: str) -> None:
    error = sqlite3.OperationalError("as SQLite says it")
    error.sqlite_errorname = code
    said = say_trouble(error, "a.keel")
    assert words in said
    assert "a.keel" in said
    assert said.endswith(".")


def test_an_empty_a_cut_and_a_damaged_file_are_told_apart(demo_desk: Desk, tmp_path: Path) -> None:
    path = demo_desk.docket.path
    assert path is not None
    demo_desk.close()
    whole = path.read_bytes()
    other = tmp_path / "other.keel"
    for data, words in (
        (b"", "is empty"),
        (whole[: len(whole) // 2], "is cut short"),
        (whole[:100] + b"\xff" * 3996 + whole[4096:], "is damaged"),
        (b"letter " * 300, "is not a docket"),
    ):
        other.write_bytes(data)
        with pytest.raises(DocketError, match=words):
            Docket(other)
        assert other.read_bytes() == data
        assert not list(tmp_path.glob(".other*"))


def test_a_folder_and_a_folder_that_is_gone(tmp_path: Path) -> None:
    with pytest.raises(DocketError, match="is a folder, not a docket"):
        Docket(tmp_path)
    with pytest.raises(DocketError, match=r"The folder .* is gone. Make it again"):
        Docket(tmp_path / "none" / "a.keel")


def test_a_folder_that_vanishes_under_an_open_docket_is_told(tmp_path: Path) -> None:
    folder = tmp_path / "stick"
    folder.mkdir()
    docket = Docket(folder / "a.keel")
    folder.rename(tmp_path / "gone")
    error = sqlite3.OperationalError("disk I/O error")
    error.sqlite_errorname = "SQLITE_IOERR_WRITE"
    assert "connect the drive" in say_trouble(error, "a.keel", folder)
    docket.close()


def test_with_one_damaged_cell_everything_else_opens_and_it_is_named(demo_desk: Desk) -> None:
    before = demo_desk.tables()
    evidence, place = before[0].cells[9], before[1].cells[4]
    demo_desk.replace(evidence, "settled before")
    db = demo_desk.docket._db
    db.execute("UPDATE cell SET evidence = x'7b22ff' WHERE id = ?", (evidence.id,))
    db.execute("UPDATE cell SET place = x'ff' WHERE id = ?", (place.id,))
    db.execute("UPDATE found_table SET frame = '{' WHERE id = ?", (before[2].id,))
    after = demo_desk.tables()
    assert [t.id for t in after] == [t.id for t in before if t.id != before[2].id]
    damaged = after[0].cells[9]
    assert (damaged.id, damaged.cell) == (evidence.id, evidence.cell)
    assert damaged.text == "settled before"
    assert "damaged" in damaged.reading.reasons[0]
    lost = next(c for c in after[1].cells if c.id == place.id)
    assert (lost.cell.row, lost.cell.col) == (place.cell.row, place.cell.col)
    assert lost.in_doubt
    said = demo_desk.docket.damage
    assert len(said) == 3
    assert said[0].startswith(f"Row {evidence.cell.row + 1}, column {evidence.cell.col + 1} of")
    assert said[2].startswith(f"Table “{before[2].name}” on page")
    assert demo_desk.history(evidence.id)[0].after == "settled before"


# --- sources ---


def test_a_source_that_is_not_what_came_in_is_told(
    demo_desk: Desk, tmp_path: Path, scan_file: Path
) -> None:
    path, source = demo_desk.docket.path, demo_desk.sources()[0]
    assert path is not None
    kept = DocketSource(path, source.id, source.name, source.sha256)
    assert len(kept.read()) > 1000
    demo_desk.docket._db.execute("UPDATE source_piece SET data = x'00' WHERE source_id = ?", (1,))
    with pytest.raises(InputError, match=r"copy of .* is damaged\. Add the file again"):
        kept.read()
    taken = take_in(scan_file, None)
    file = FileSource(scan_file, taken.sha256)
    assert file.read() == scan_file.read_bytes()
    scan_file.write_bytes(b"other")
    with pytest.raises(InputError, match="changed while it was read"):
        file.read()


def test_a_copy_that_was_cut_short_is_not_seen_and_goes(tmp_path: Path, scan_file: Path) -> None:
    path = tmp_path / "a.keel"
    docket = Docket(path)
    docket._db.execute(
        "INSERT INTO source (name, sha256, data, pages, added, complete)"
        " VALUES ('half.png', 'h', x'', 1, '', 0)"
    )
    docket._db.execute("INSERT INTO source_piece VALUES (1, 0, x'00')")
    assert docket.sources() == []
    assert not docket.has_source("h")
    docket.close()
    desk = Desk(path)
    assert desk.docket._db.execute("SELECT count(*) FROM source_piece").fetchone() == (0,)
    (notice,) = desk.add_files([scan_file])
    assert notice.text == "scan.png: 1 page."
    assert desk.docket.source_bytes(desk.sources()[0].id) == scan_file.read_bytes()
    desk.close()


def test_a_file_that_is_there_already_has_its_failed_pages_read_again(
    tmp_path: Path, scan_file: Path
) -> None:
    desk = Desk(tmp_path / "a.keel")
    desk.add_files([scan_file])
    page = desk.pages()[0]
    desk.docket.store_failure(page.id, "Page 1 of scan.png took too long.")
    (notice,) = desk.add_files([scan_file])
    assert (
        notice.text == "scan.png is already in this docket. 1 page that failed will be read again."
    )
    assert [p.id for p in desk.waiting()] == [page.id]
    desk.run(InlineExecutor(), threads=2)
    assert desk.tables()
    (notice,) = desk.add_files([scan_file])
    assert notice.text == "scan.png is already in this docket."
    desk.close()


def test_what_was_settled_is_on_the_disk_when_it_is_said_to_be(demo_desk: Desk) -> None:
    full = 2
    assert demo_desk.docket._db.execute("PRAGMA synchronous").fetchone() == (full,)
