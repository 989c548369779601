"""A backlog: work done a few milliseconds at a time, so that no key waits."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

_BUDGET_S = 0.01


class Backlog(QObject):
    """Tables or pages (ids) that wait for their turn; each once, in order.

    Signals
    -------
    paused
        Some of it was done; the rest follows.
    cleared
        Everything that waited was done.
    """

    paused = pyqtSignal()
    cleared = pyqtSignal()

    def __init__(
        self, work: Callable[[int], object], parent: QObject, budget_s: float = _BUDGET_S
    ) -> None:
        super().__init__(parent)
        self.budget_s = budget_s
        self._work = work
        self._waiting: dict[int, None] = {}
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self.work)

    def __bool__(self) -> bool:
        """Return whether anything waits."""
        return bool(self._waiting)

    def __len__(self) -> int:
        """Return how many wait."""
        return len(self._waiting)

    def __contains__(self, waiting: int) -> bool:
        """Return whether a table or page waits."""
        return waiting in self._waiting

    def put(self, ids: Iterable[int]) -> None:
        """Queue some behind those that wait already."""
        self._waiting.update(dict.fromkeys(ids))

    def drop(self, done: int) -> None:
        """Remove one: its work is done."""
        self._waiting.pop(done, None)

    def empty(self) -> None:
        """Forget everything that waits."""
        self._soon.stop()
        self._waiting.clear()

    def work_soon(self, wait_ms: int = 0) -> None:
        """Begin or go on when the event loop is idle, after a pause."""
        if self._waiting:
            self._soon.start(wait_ms)

    def work(self) -> None:
        """Work until the time budget is spent; the rest follows when the event loop is idle."""
        until = time.perf_counter() + self.budget_s
        while self._waiting:
            first = next(iter(self._waiting))
            del self._waiting[first]
            self._work(first)
            if self._waiting and time.perf_counter() > until:
                self.work_soon()
                self.paused.emit()
                return
        self.cleared.emit()
