"""Puts tables on the clipboard."""

from __future__ import annotations

from PyQt6.QtCore import QMimeData
from PyQt6.QtGui import QGuiApplication

from keel_line._shared.texts import count_of
from keel_line.desk.sending import clip_table, make_one_sent
from keel_line.model.table import TableState
from keel_line.ui.session import Session


def copy_table(session: Session, table: TableState) -> str:
    """Copy a table, with those joined to it; return what to say about it.

    It pastes as cells into a spreadsheet and as a table into a letter.
    """
    known = {t.id: t for t in session.tables}
    clip = clip_table(make_one_sent(table, session.tidying(table), known))
    data = QMimeData()
    data.setText(clip.text)
    data.setHtml(clip.html)
    data.setData("text/csv", clip.csv.encode("utf-8", "replace"))
    clipboard = QGuiApplication.clipboard()
    if clipboard is None:
        return "There is no clipboard here."
    clipboard.setMimeData(data)
    return f"{count_of(clip.rows, 'row')} of “{table.name}” copied."
