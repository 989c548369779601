"""The log tells where a fault was, and nothing that a page says."""

from __future__ import annotations

import logging
import stat
from collections.abc import Iterator
from pathlib import Path

import pytest

from keel_line._shared.log_file import KEPT, MOST_BYTES, log_path, open_log

log = logging.getLogger("keel_line.tests")
ON_THE_PAGE = "Marigold 1,284.50"


@pytest.fixture(autouse=True)
def _own_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    before = list(logging.getLogger().handlers)
    yield
    for handler in logging.getLogger().handlers[:]:
        if handler not in before:
            logging.getLogger().removeHandler(handler)
            handler.close()


def fail_on(text: str) -> None:
    try:
        float(text)
    except ValueError as error:
        raise KeyError(text) from error


def test_a_fault_is_told_by_its_kind_and_place_alone() -> None:
    logging.basicConfig()  # what it formats first is not to be found in the file
    path = open_log()
    assert path == log_path()
    try:
        fail_on(ON_THE_PAGE)
    except KeyError:
        log.exception("a step failed")
    said = path.read_text(encoding="utf-8")
    assert "a step failed" in said
    assert "KeyError" in said
    assert "ValueError" in said
    assert "fail_on" in said
    assert ON_THE_PAGE not in said
    log.info("of no use later")
    assert "of no use" not in path.read_text(encoding="utf-8")


def test_the_log_is_its_owners_alone() -> None:
    path = open_log()
    assert path is not None
    assert not path.exists()
    log.warning("something is amiss")
    assert stat.S_IMODE(path.stat().st_mode) == 0o600
    assert stat.S_IMODE(path.parent.stat().st_mode) == 0o700


def test_a_long_log_is_put_aside_and_the_oldest_goes() -> None:
    for number in range(KEPT + 2):
        path = open_log()
        assert path is not None
        path.write_text(f"{number}" + "x" * MOST_BYTES, encoding="utf-8")
    path = open_log()
    assert path is not None
    log.warning("a new log")
    assert path.stat().st_size < MOST_BYTES
    kept = sorted(p.name for p in path.parent.iterdir())
    assert kept == ["keel-line.log", *(f"keel-line.log.{k}" for k in range(1, KEPT + 1))]
    newest = path.with_suffix(".log.1").read_text(encoding="utf-8")
    assert newest.startswith(f"{KEPT + 1}")
    path.write_text("x" * (MOST_BYTES + 1), encoding="utf-8")
    open_log(begin=False)
    assert path.stat().st_size == MOST_BYTES + 1


def test_where_no_log_can_be_written_the_program_goes_on(tmp_path: Path) -> None:
    (tmp_path / "keel-line").write_text("a file in the way", encoding="utf-8")
    before = len(logging.getLogger().handlers)
    assert open_log() is None
    assert len(logging.getLogger().handlers) == before
