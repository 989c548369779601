"""A backlog: work done a few milliseconds at a time, so that no key waits."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

_BUDGET_S = 0.01


class Backlog(QObject):
    """Tables (ids) that wait for their turn; each once, in order.

    Signals
    -------
    cleared
        Everything that waited was done.
    """

    cleared = pyqtSignal()

    def __init__(self, work: Callable[[int], None], parent: QObject) -> None:
        super().__init__(parent)
        self.budget_s = _BUDGET_S
        self._work = work
        self._waiting: dict[int, None] = {}
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(0)
        self._soon.timeout.connect(self.work)

    def __bool__(self) -> bool:
        """Return whether anything waits."""
        return bool(self._waiting)

    def put(self, table_ids: Iterable[int]) -> None:
        """Queue tables behind those that wait already."""
        self._waiting.update(dict.fromkeys(table_ids))

    def drop(self, table_id: int) -> None:
        """Remove a table: its work is done."""
        self._waiting.pop(table_id, None)

    def empty(self) -> None:
        """Forget everything that waits."""
        self._soon.stop()
        self._waiting.clear()

    def work(self) -> None:
        """Work until the time budget is spent; the rest follows when the event loop is idle."""
        until = time.perf_counter() + self.budget_s
        while self._waiting:
            table_id = next(iter(self._waiting))
            del self._waiting[table_id]
            self._work(table_id)
            if self._waiting and time.perf_counter() > until:
                self._soon.start()
                return
        self.cleared.emit()
