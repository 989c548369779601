from __future__ import annotations

from PyQt6.QtCore import QObject
from pytestqt.qtbot import QtBot

from keel_line.ui.backlog import Backlog


def test_one_at_a_time_where_there_is_no_budget_and_the_rest_soon(qtbot: QtBot) -> None:
    owner, done, cleared = QObject(), list[int](), list[int]()
    backlog = Backlog(done.append, owner)
    backlog.budget_s = 0.0
    backlog.cleared.connect(lambda: cleared.append(len(done)))
    backlog.put([3, 1, 2])
    backlog.put([2, 3])  # wait already
    backlog.work()
    assert done == [3]
    backlog.drop(1)
    qtbot.waitUntil(lambda: bool(cleared))
    assert done == [3, 2]
    assert cleared == [2]
    assert not backlog


def test_dropped_work_is_not_done(qtbot: QtBot) -> None:
    owner, done = QObject(), list[int]()
    backlog = Backlog(done.append, owner)
    backlog.budget_s = 0.0
    backlog.put([1, 2])
    backlog.work()
    assert backlog
    backlog.empty()
    qtbot.wait(20)
    assert done == [1]


def test_work_may_add_more_work(qtbot: QtBot) -> None:
    owner, done = QObject(), list[int]()

    def work(table_id: int) -> None:
        done.append(table_id)
        if table_id < 3:
            backlog.put([table_id + 1])

    backlog = Backlog(work, owner)
    backlog.budget_s = 5.0
    backlog.put([1])
    backlog.work()
    assert done == [1, 2, 3]
