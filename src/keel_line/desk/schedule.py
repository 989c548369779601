"""Reads the waiting pages of a docket: which is next, and what becomes of its answer.

The window, the command line and scripts all read pages by this.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Sequence
from concurrent.futures import Executor, Future
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, TypeAlias

from keel_line.desk.work import PageRequest, PageResponse, answer_page, response_from
from keel_line.model.form import KnownForm

if TYPE_CHECKING:
    from keel_line.desk.desk import Desk, Notice

Answer: TypeAlias = tuple[int, PageRequest, PageResponse]
"""The number of a run, a request and its response."""
_AHEAD = 3


class Schedule:
    """Pages that wait, pages that are being read, and how many are done.

    A page that the clerk changes while it is read is read again; one whose worker died is tried
    once more. All but ``deliver`` runs on the thread that owns the docket.

    Parameters
    ----------
    desk
        Whose pages are read.
    executor
        Where they are read.
    deliver
        Called with each answer, in a thread of the executor; the answer goes to :meth:`take`.
    ahead
        How many pages lie in the executor at once: enough for its workers, few enough that one
        that is wanted first comes soon.
    threads
        How many threads each page may use.
    """

    def __init__(
        self,
        desk: Desk,
        executor: Executor,
        deliver: Callable[[Answer], object],
        ahead: int = _AHEAD,
        threads: int = 1,
    ) -> None:
        self.desk = desk
        self.done = self.total = 0
        self._executor, self._deliver = executor, deliver
        self._ahead, self._threads = ahead, threads
        self._forms: tuple[KnownForm, ...] = ()
        self._run = 0
        self._queue: deque[int] = deque()
        self._flying: dict[int, tuple[PageRequest, Future[PageResponse]]] = {}
        self._crashed: set[int] = set()

    @property
    def running(self) -> bool:
        """Whether pages are being read."""
        return self.total > 0

    def begin(self, forms: Sequence[KnownForm] = ()) -> None:
        """Queue all waiting pages; those that are added meanwhile join the run by another call.

        :meth:`feed` then starts them. ``forms`` are those of which earlier pages are known.
        """
        self._forms = tuple(forms)
        known = {*self._queue, *self._flying}
        fresh = [i for i in self.desk.docket.waiting() if i not in known]
        if fresh and not self.running:
            self._run += 1
            self.done = 0
        self._queue.extend(fresh)
        self.total += len(fresh)

    def prefer(self, page_id: int) -> None:
        """Read a page next if it waits."""
        if page_id in self._queue:
            self._queue.remove(page_id)
            self._queue.appendleft(page_id)

    def stop(self) -> None:
        """Stop reading; answers still under way are dropped."""
        self._run += 1
        for _, future in self._flying.values():
            future.cancel()
        self._queue.clear()
        self._flying.clear()
        self._crashed.clear()
        self.total = self.done = 0

    def feed(self) -> bool:
        """Submit as many pages as may lie in the executor at once; return whether all are done."""
        while self._queue and len(self._flying) < self._ahead:
            page = self.desk.waiting_page(self._queue.popleft())
            if page is None:  # removed, or back as it was
                self.done += 1
                continue
            request = replace(self.desk.make_request(page), forms=self._forms)
            future = self._executor.submit(answer_page, request, self._threads)
            self._flying[page.id] = request, future
            future.add_done_callback(partial(self._answer, self._run, request))
        ends = self.running and not self._queue and not self._flying
        if ends:
            self.total = 0
        return ends

    def _answer(self, run: int, request: PageRequest, future: Future[PageResponse]) -> None:
        """Deliver an answer; runs in the executor's own thread."""
        if not future.cancelled():
            self._deliver((run, request, response_from(request, future)))

    def take(self, answer: Answer) -> tuple[bool, Notice | None]:
        """Store an answer; return whether its page is done, and the message about it.

        :meth:`feed` then goes on. One of an earlier run, or of a page that was changed meanwhile,
        is dropped.

        Raises
        ------
        KeelLineError
            When it cannot be stored; what is read next could not be stored either.
        """
        run, request, response = answer
        if run != self._run:
            return False, None
        page_id = request.page_id
        del self._flying[page_id]
        now = self.desk.waiting_page(page_id)
        changed = now is None or (now.choice, now.drawn) != (request.choice, request.drawn)
        if changed or (response.crashed and page_id not in self._crashed):
            if not changed:
                self._crashed.add(page_id)
            self._queue.appendleft(page_id)
            return False, None
        notice = self.desk.take_response(response)
        self.done += 1
        return True, notice
