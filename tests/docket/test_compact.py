"""Compacting makes a docket smaller and forgets nothing that was done."""

from __future__ import annotations

from pathlib import Path

import pytest

from keel_line.desk.desk import Desk
from keel_line.docket.store import Docket
from keel_line.errors import DocketError
from keel_line.gather.sources import Source
from keel_line.model.page import SquareChoice
from keel_line.model.reason import Reason
from tests.docket.paper import PaperReader


@pytest.fixture
def path(tmp_path: Path) -> Path:
    """A docket in which a cell was settled, and its page squared otherwise again and again."""
    path = tmp_path / "dues.keel"
    desk = Desk(path)
    desk.add_source(Source("dues.pdf", b"1", "1", 1))
    desk.run(PaperReader())
    desk.replace(desk.tables()[0].cells[7], "41")
    page = desk.pages()[0].id
    for k in range(40):
        desk.choose([(page, SquareChoice(angle_deg=k / 100))], Reason("squared"))
        desk.run(PaperReader())
    desk.close()
    return path


def test_it_is_smaller_and_all_that_was_done_is_there(path: Path) -> None:
    before = path.stat().st_size
    desk = Desk(path)
    tables, history = desk.tables(), desk.history()
    desk.docket.compact()
    assert (desk.tables(), desk.history()) == (tables, history)
    assert desk.docket.check() == "ok"
    desk.close()
    assert path.stat().st_size < 0.7 * before


def test_an_undo_reads_the_page_again(path: Path) -> None:
    desk = Desk(path)
    desk.docket.compact()
    assert desk.undo() is not None
    assert desk.pages()[0].progress == "waiting"
    desk.run(PaperReader())
    assert desk.pages()[0].angle_deg == 0.38
    assert desk.tables()[0].cells[7].text == "41"
    for _ in range(40):
        assert desk.undo() is not None
        desk.run(PaperReader())
    assert desk.tables()[0].cells[7].settled is None
    desk.close()


def test_a_docket_open_for_reading_only_stays_as_it_is(path: Path) -> None:
    holder = Desk(path)
    other = Docket(path)
    assert other.read_only
    with pytest.raises(DocketError, match="reading only"):
        other.compact()
    other.close()
    holder.close()
