"""Puts tables on the clipboard."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QMimeData
from PyQt6.QtGui import QGuiApplication

from keel_line._shared.texts import count_of
from keel_line.desk.sending import Clip, clip_table, make_one_sent
from keel_line.desk.tidying import Tidying
from keel_line.model.table import TableState
from keel_line.ui.session import Session


def copy_table(session: Session, table: TableState, say: Callable[[str], object]) -> None:
    """Copy a table, with those joined to it, and say so; a long one once a thread has made it.

    It pastes as cells into a spreadsheet and as a table into a letter.
    """

    def make(tidying: Tidying) -> Clip:
        return clip_table(make_one_sent(table, tidying, known))

    known = {t.id: t for t in session.tables}
    session.with_tidying(table, make, lambda clip: say(_put(clip, table.name)))


def _put(clip: Clip, name: str) -> str:
    """Put a table on the clipboard; return what to say about it."""
    data = QMimeData()
    data.setText(clip.text)
    data.setHtml(clip.html)
    data.setData("text/csv", clip.csv.encode("utf-8", "replace"))
    clipboard = QGuiApplication.clipboard()
    if clipboard is None:
        return "There is no clipboard here."
    clipboard.setMimeData(data)
    return f"{count_of(clip.rows, 'row')} of “{name}” copied."
