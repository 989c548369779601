"""Dockets of earlier versions, made by the code of their time, open with all that was done."""

from __future__ import annotations

import gzip
import tempfile
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keel_line.desk.desk import Desk
from keel_line.docket.schema import MIGRATIONS
from keel_line.errors import DocketError
from keel_line.model.reason import Reason
from keel_line.model.table import Settled
from tests.remembering import RememberingExecutor

FROZEN = sorted((Path(__file__).parent / "frozen").glob("*.keel.gz"))
NAMES = 6
"""From this version on tables have names and heading rows of the clerk's."""
EDITED = 10
"""In this version's docket the clerk removed the table at last."""


def test_there_is_one_of_each_earlier_version() -> None:
    assert len(FROZEN) == len(MIGRATIONS) - 1


@pytest.mark.parametrize("version", range(1, len(MIGRATIONS)))
def test_an_earlier_docket_opens_with_all_that_was_done(version: int, tmp_path: Path) -> None:
    path = tmp_path / "dues.keel"
    path.write_bytes(gzip.decompress(FROZEN[version - 1].read_bytes()))
    desk = Desk(path)
    assert desk.docket.check() == "ok"
    if version == EDITED:
        assert desk.tables() == []
        assert desk.docket.strays(desk.pages()[0].id) == ["7,777", "95.21"]
        assert desk.undo() is not None
        desk.run(RememberingExecutor())
    (table,) = desk.tables()
    assert (table.grid.rows, table.grid.cols) == (4, 3)
    settled = [s for s in table.cells if s.settled]
    assert [s.text for s in settled] == ["7,777", "95.21"]
    record = [r for r in desk.history() if r.kind == "settle"]
    assert [(r.after, str(r.reason), r.undone) for r in record] == [
        ("7,777", "typed", False),
        ("8,888", "typed", True),
        ("95.21", "accepted as read", False),
    ]
    if version >= NAMES:
        assert (table.name, table.header_rows) == ("Dues of March", 2)
        others = [r for r in desk.history() if r.kind in {"name", "header_rows"}]
        assert [(r.after, r.page) for r in others] == [
            ("Dues of March", ("dues.png", 1)),
            ("2", ("dues.png", 1)),
        ]
        desk.undo()
        desk.undo()
        assert desk.tables()[0].name == "dues"
    desk.undo()
    assert [s.text for s in desk.tables()[0].cells if s.settled] == ["7,777"]
    desk.undo()
    assert not any(s.settled for s in desk.tables()[0].cells)
    assert desk.undo() is None
    cell = desk.tables()[0].cells[4]
    desk.replace(cell, "1")
    assert desk.cell(cell.id).settled == Settled("1", by_hand=True)
    assert desk.history(cell.id)[-1].reason == Reason("typed")
    desk.close()


@settings(max_examples=60)
@given(kept=st.floats(0.0, 0.9999))
def test_a_docket_cut_at_any_byte_is_told_and_left_as_it_is(kept: float) -> None:
    whole = gzip.decompress(FROZEN[-1].read_bytes())
    data = whole[: int(kept * len(whole))]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "dues.keel"
        path.write_bytes(data)
        with pytest.raises(DocketError, match="dues"):
            Desk(path)
        assert path.read_bytes() == data


def test_a_clock_that_runs_backwards_changes_no_order(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "dues.keel"
    path.write_bytes(gzip.decompress(FROZEN[NAMES].read_bytes()))
    desk = Desk(path)
    cell = desk.tables()[0].cells[4]
    for hour in (9, 8, 7):
        monkeypatch.setattr(
            "keel_line.docket.operations.stamp", lambda hour=hour: f"2026-01-01T0{hour}:00:00+00:00"
        )
        desk.replace(cell, str(hour))
    assert [r.after for r in desk.history(cell.id)] == ["9", "8", "7"]
    assert [r.at[11:13] for r in desk.history(cell.id)] == ["09", "08", "07"]
    desk.undo()
    assert desk.cell(cell.id).text == "8"
    desk.close()


def test_a_user_without_a_name_works_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def has_none() -> str:
        raise OSError("no username set in the environment")

    monkeypatch.setattr("getpass.getuser", has_none)
    path = tmp_path / "dues.keel"
    path.write_bytes(gzip.decompress(FROZEN[NAMES].read_bytes()))
    desk = Desk(path)
    cell = desk.tables()[0].cells[4]
    desk.replace(cell, "1")
    assert desk.history(cell.id)[-1].who == "unknown"
    desk.close()
