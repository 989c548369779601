from __future__ import annotations

import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from keel_line.desk.desk import Desk
from keel_line.desk.pool import InlineExecutor
from keel_line.docket.schema import APPLICATION_ID, MIGRATIONS
from keel_line.docket.store import Docket
from keel_line.errors import DocketError
from keel_line.model.docket import Step
from keel_line.model.reason import Reason
from keel_line.model.table import CellState, Settled


def first_cells(desk: Desk, count: int) -> list[CellState]:
    return list(desk.tables()[0].cells[:count])


def test_file_says_what_it_is(tmp_path: Path) -> None:
    path = tmp_path / "a.keel"
    Docket(path).close()
    raw = sqlite3.connect(path)
    assert raw.execute("PRAGMA application_id").fetchone() == (APPLICATION_ID,)
    assert raw.execute("PRAGMA user_version").fetchone() == (len(MIGRATIONS),)
    raw.close()


def test_source_bytes_are_kept_as_they_came(tmp_path: Path) -> None:
    path = tmp_path / "a.keel"
    docket = Docket(path)
    docket.add_source("scan.png", b"\x00\x01bytes", "abc", 2)
    docket.close()
    again = Docket(path)
    assert again.source_bytes(again.sources()[0].id) == b"\x00\x01bytes"
    assert [p.number for p in again.pages()] == [1, 2]
    again.close()


def test_findings_come_back_whole(demo_desk: Desk) -> None:
    assert demo_desk.docket.path is not None
    before = demo_desk.tables()
    second = Desk(demo_desk.docket.path)
    assert second.tables() == before
    assert before[0].grid.rules
    assert before[0].cells[9].reading.chars
    second.close()


def test_settling_outlives_the_docket_and_keeps_the_reading(demo_desk: Desk) -> None:
    cell = demo_desk.tables()[0].cells[10]
    demo_desk.replace(cell, "N 44")
    assert demo_desk.docket.path is not None
    again = Desk(demo_desk.docket.path)
    after = again.cell(cell.id)
    assert after.text == "N 44"
    assert after.settled == Settled("N 44", by_hand=True)
    assert after.reading == cell.reading
    (change,) = again.history(cell.id)
    assert (change.before, change.after, change.reading) == (None, "N 44", cell.reading.text)
    assert change.at.startswith("20")
    assert change.who
    again.close()


def test_undo_and_redo_survive_a_restart(demo_desk: Desk) -> None:
    a, b = first_cells(demo_desk, 2)
    demo_desk.replace(a, "one")
    demo_desk.replace(b, "two")
    assert demo_desk.undo() == Step(cell_ids=(b.id,))
    assert demo_desk.docket.path is not None
    demo_desk.close()
    again = Desk(demo_desk.docket.path)
    assert again.undo() == Step(cell_ids=(a.id,))
    assert again.cell(a.id).settled is None
    assert again.undo() is None
    assert again.redo() == Step(cell_ids=(a.id,))
    assert again.redo() == Step(cell_ids=(b.id,))
    assert again.redo() is None
    assert again.cell(b.id).text == "two"
    again.close()


def test_cells_settled_together_are_taken_back_together(demo_desk: Desk) -> None:
    a, b, c = first_cells(demo_desk, 3)
    demo_desk.settle_as_printed(c)
    demo_desk.settle_all([(a, a.text), (b, "other")], Reason("kind"))
    assert demo_desk.cell(b.id).settled == Settled("other", by_hand=True)
    assert demo_desk.undo() == Step(cell_ids=(a.id, b.id))
    assert demo_desk.cell(a.id).settled is None
    assert demo_desk.cell(b.id).settled is None
    assert demo_desk.redo() == Step(cell_ids=(a.id, b.id))
    assert demo_desk.undo() == Step(cell_ids=(a.id, b.id))
    assert demo_desk.cell(c.id).settled == Settled(c.text, by_hand=False, as_printed=True)
    assert demo_desk.undo() == Step(cell_ids=(c.id,))
    assert demo_desk.cell(c.id).settled is None


def test_new_change_ends_redo_but_not_history(demo_desk: Desk) -> None:
    a, b = first_cells(demo_desk, 2)
    demo_desk.replace(a, "one")
    demo_desk.undo()
    demo_desk.replace(b, "two")
    assert demo_desk.redo() is None
    assert [(c.after, c.undone) for c in demo_desk.history()] == [("one", True), ("two", False)]


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(texts=st.lists(st.text(max_size=12), min_size=1, max_size=8), back=st.integers(0, 8))
def test_undo_then_redo_changes_nothing(demo_desk: Desk, texts: list[str], back: int) -> None:
    cells = first_cells(demo_desk, 3)
    for i, text in enumerate(texts):
        demo_desk.replace(cells[i % 3], text)
    before = [demo_desk.cell(c.id) for c in cells]
    undone = sum(demo_desk.undo() is not None for _ in range(back))
    for _ in range(undone):
        assert demo_desk.redo() is not None
    assert [demo_desk.cell(c.id) for c in cells] == before


def test_newer_docket_is_refused_in_words(tmp_path: Path) -> None:
    path = tmp_path / "new.keel"
    Docket(path).close()
    raw = sqlite3.connect(path)
    raw.execute(f"PRAGMA user_version = {len(MIGRATIONS) + 1}")
    raw.close()
    with pytest.raises(DocketError, match="newer Keel Line"):
        Docket(path)


def test_other_files_are_refused_and_unharmed(tmp_path: Path) -> None:
    text = tmp_path / "letter.keel"
    text.write_bytes(b"no database " * 100)
    with pytest.raises(DocketError, match="not a docket"):
        Docket(text)
    assert text.read_bytes() == b"no database " * 100
    other = tmp_path / "other.keel"
    raw = sqlite3.connect(other)
    raw.execute("CREATE TABLE theirs (a)")
    raw.commit()
    raw.close()
    with pytest.raises(DocketError, match="another program"):
        Docket(other)


_SETTLE_FOR_EVER = """
import sys
from pathlib import Path
from keel_line.desk.desk import Desk
from keel_line.desk.pool import InlineExecutor
desk = Desk(Path(sys.argv[1]))
cells = desk.tables()[0].cells
n = 0
while True:
    desk.replace(cells[n % len(cells)], f"value {n}")
    print(n, flush=True)
    n += 1
"""


def test_killed_while_settling_loses_nothing_that_was_settled(demo_desk: Desk) -> None:
    path = demo_desk.docket.path
    assert path is not None
    demo_desk.close()
    run = subprocess.Popen(
        [sys.executable, "-c", _SETTLE_FOR_EVER, str(path)], stdout=subprocess.PIPE, text=True
    )
    assert run.stdout is not None
    said = [run.stdout.readline() for _ in range(20)]
    time.sleep(0.05)
    run.send_signal(signal.SIGKILL)
    rest = run.stdout.read().splitlines()
    run.wait()
    run.stdout.close()
    last = int([*said, *[r for r in rest if r.strip().isdigit()]][-1])
    again = Desk(path)
    kept = {c.after for c in again.history()}
    assert {f"value {n}" for n in range(last + 1)} <= kept
    again.close()


def test_names_and_heading_rows_that_were_set_can_be_taken_back(demo_desk: Desk) -> None:
    first = demo_desk.tables()[0]
    demo_desk.rename(first, "  Dues of   March ")
    demo_desk.set_heading(first, first.header_rows + 1)
    demo_desk.set_heading(first, 999)
    table = demo_desk.tables()[0]
    assert (table.name, table.caption) == ("Dues of March", "Dues of March")
    assert table.header_rows == table.grid.rows
    assert demo_desk.undo() == Step(table_ids=(first.id,))
    assert demo_desk.tables()[0].header_rows == first.header_rows + 1
    demo_desk.undo()
    demo_desk.undo()
    assert demo_desk.tables()[0] == first
    assert demo_desk.redo() == Step(table_ids=(first.id,))
    assert demo_desk.tables()[0].name == "Dues of March"
    demo_desk.rename(table, "")
    assert demo_desk.tables()[0].name == first.name


def test_what_was_set_of_a_table_outlives_another_reading(demo_desk: Desk) -> None:
    first = demo_desk.tables()[0]
    demo_desk.rename(first, "Kept")
    demo_desk.set_heading(first, 2)
    page = demo_desk.pages()[0]
    demo_desk.choose([(page.id, page.choice)], Reason("squared"))
    demo_desk.run(InlineExecutor())
    again = demo_desk.tables()[0]
    assert again.id == first.id
    assert (again.name, again.header_rows) == ("Kept", 2)
    demo_desk.undo()  # the squaring
    demo_desk.run(InlineExecutor())
    assert isinstance(demo_desk.undo(), Step)
    assert demo_desk.tables()[0].header_rows == first.header_rows
