"""Pages are read in the order that is wanted, and a crash or a change costs one of them at most."""

from __future__ import annotations

from concurrent.futures import Executor, Future

import pytest

from keel_line.desk.desk import Desk
from keel_line.desk.pool import WorkerLost
from keel_line.desk.schedule import Answer, Schedule
from keel_line.desk.work import PageRequest, PageResponse
from keel_line.errors import DocketError
from keel_line.gather.sources import Source
from keel_line.model.form import KnownForm
from keel_line.model.page import SquareChoice
from keel_line.model.reason import Reason
from tests.docket.paper import read_paper


class Held(Executor):
    """Keeps jobs back until they are let go."""

    def __init__(self) -> None:
        self.jobs: list[tuple[Future[PageResponse], PageRequest]] = []

    def submit(self, fn, /, *args, **kwargs):  # type: ignore[no-untyped-def, explicit-override]  # as Executor
        del fn, kwargs
        future: Future[PageResponse] = Future()
        self.jobs.append((future, args[0]))
        return future

    def let_go(self, page_id: int) -> None:
        future, request = next(j for j in self.jobs if j[1].page_id == page_id and not j[0].done())
        future.set_result(read_paper(request))

    def crash(self, page_id: int) -> None:
        future, _ = next(j for j in self.jobs if j[1].page_id == page_id and not j[0].done())
        future.set_exception(WorkerLost("died"))


class Reading:
    """A schedule over five pages, with two in the executor at once."""

    def __init__(self) -> None:
        self.desk, self.held = Desk(), Held()
        self.desk.add_source(Source("dues.tif", b"dues", "dues", 5))
        self.answers: list[Answer] = []
        self.schedule = Schedule(self.desk, self.held, self.answers.append, ahead=2)
        self.schedule.begin()
        self.schedule.feed()
        self.pages = [p.id for p in self.desk.pages()]

    def take_all(self) -> list[bool]:
        done = []
        while self.answers:
            done.append(self.schedule.take(self.answers.pop(0))[0])
            self.schedule.feed()
        return done

    def progress(self) -> list[str]:
        return [p.progress for p in self.desk.pages()]

    def flying(self) -> list[int]:
        return [r.page_id for f, r in self.held.jobs if not f.done()]


@pytest.fixture
def reading() -> Reading:
    return Reading()


def test_no_more_lie_ahead_than_are_allowed_and_all_are_read(reading: Reading) -> None:
    assert reading.flying() == reading.pages[:2]
    for page in reading.pages:
        assert reading.schedule.running
        reading.held.let_go(page)
        assert reading.take_all() == [True]
    assert not reading.schedule.running
    assert reading.progress() == ["done"] * 5


def test_the_page_at_hand_goes_before_the_others(reading: Reading) -> None:
    reading.schedule.prefer(reading.pages[4])
    reading.held.let_go(reading.pages[0])
    reading.take_all()
    assert reading.flying() == [reading.pages[1], reading.pages[4]]


def test_a_page_whose_worker_died_is_tried_once_more(reading: Reading) -> None:
    first = reading.pages[0]
    reading.held.crash(first)
    assert reading.take_all() == [False]
    assert first in reading.flying()
    reading.held.let_go(first)
    assert reading.take_all() == [True]
    assert reading.progress()[0] == "done"


def test_a_page_that_kills_every_worker_fails_by_itself(reading: Reading) -> None:
    first = reading.pages[0]
    for _ in range(2):
        reading.held.crash(first)
        reading.take_all()
    assert reading.progress()[0] == "failed"
    for page in reading.pages[1:]:
        reading.held.let_go(page)
        reading.take_all()
    assert reading.progress() == ["failed", *["done"] * 4]
    assert reading.desk.read_failed_again() == 1
    reading.schedule.begin()
    reading.schedule.feed()
    reading.held.let_go(first)
    reading.take_all()
    assert reading.progress() == ["done"] * 5


def test_a_page_changed_while_it_is_read_is_read_again(reading: Reading) -> None:
    first = reading.pages[0]
    reading.desk.choose([(first, SquareChoice(turns=2))], Reason("squared"))
    reading.held.let_go(first)
    assert reading.take_all() == [False]
    reading.held.let_go(first)
    assert reading.take_all() == [True]
    assert reading.desk.pages()[0].turns == 2


def test_stopping_drops_what_is_under_way_and_another_begin_goes_on(reading: Reading) -> None:
    held = list(reading.held.jobs)
    reading.schedule.stop()
    assert not reading.schedule.running
    assert all(future.cancelled() for future, _ in held)
    reading.schedule.begin()
    reading.schedule.feed()
    for page in reading.pages:
        reading.held.let_go(page)
        reading.take_all()
    assert reading.progress() == ["done"] * 5


def test_what_cannot_be_stored_is_said(reading: Reading, monkeypatch: pytest.MonkeyPatch) -> None:
    def is_full(*_args: object) -> None:
        raise DocketError("The disk is full.")

    monkeypatch.setattr(reading.desk.docket, "store_page", is_full)
    reading.held.let_go(reading.pages[0])
    with pytest.raises(DocketError, match="full"):
        reading.take_all()


def test_pages_are_read_with_the_forms_that_are_known(reading: Reading) -> None:
    form = KnownForm((("Vessel", "Dues"),), (0.0, 0.5, 1.0), ())
    assert {request.forms for _, request in reading.held.jobs} == {()}
    reading.schedule.begin([form])
    reading.held.let_go(reading.pages[0])
    reading.take_all()
    assert reading.held.jobs[-1][1].forms == (form,)
