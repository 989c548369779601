"""The Find view: looks for a text in this docket and in all others."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import Future
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QLabel,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)
from typing_extensions import override

from keel_line._shared.texts import count_of
from keel_line.desk.find import Found, Place
from keel_line.ui.jobs import Jobs
from keel_line.ui.theme import Theme
from keel_line.ui.widgets.over_sheet import OverSheet
from keel_line.ui.widgets.plain import plain_tip

HEADINGS = ("What it says", "Column", "Row", "Table", "Page", "Docket")
_WIDTHS_EM = (16.0, 11.0, 4.0, 19.0, 16.0)
_KEYS = (("Enter", "go there"), ("↑ ↓", "choose"), ("Esc", "close"))
_REST_MS, _PAGE_ROWS = 120, 15
_ENTER = frozenset({Qt.Key.Key_Return, Qt.Key.Key_Enter})
_STEPS = {
    Qt.Key.Key_Up: -1,
    Qt.Key.Key_Down: 1,
    Qt.Key.Key_PageUp: -_PAGE_ROWS,
    Qt.Key.Key_PageDown: _PAGE_ROWS,
}


class FindSheet(OverSheet):
    """A sheet over the window: a field, and where its text was found.

    Signals
    -------
    chosen
        The clerk goes to a place; carries the :class:`Place`.
    """

    chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget, theme: Theme, jobs: Jobs) -> None:
        super().__init__(parent, theme)
        self._jobs = jobs
        self._dockets: Sequence[Path] = ()
        self.places: tuple[Place, ...] = ()
        self._title = QLabel("Find")
        self._count = QLabel()
        self.field = QLineEdit()
        self.field.setPlaceholderText("A name, a number, a word: in this docket and in all others")
        self.field.setAccessibleName("What to find")
        self.field.setClearButtonEnabled(True)
        self.field.installEventFilter(self)
        self.field.textChanged.connect(self._ask_soon)
        self.list = QTableWidget()
        self.list.setObjectName("list")
        self.list.setColumnCount(len(HEADINGS))
        self.list.setHorizontalHeaderLabels(HEADINGS)
        self.list.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.list.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.list.setShowGrid(False)
        self.list.setWordWrap(False)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setAccessibleName("Where it was found")
        self.list.cellDoubleClicked.connect(lambda row, _col: self._choose(row))
        if (side := self.list.verticalHeader()) is not None:
            side.hide()
        self._trouble = QLabel()
        self._trouble.setTextFormat(Qt.TextFormat.PlainText)
        self._trouble.setWordWrap(True)
        self.lay_out(self._title, self._count, (self.field, self.list, self._trouble), _KEYS)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._ask)
        self.setFocusProxy(self.field)
        self.set_theme(theme)

    @override
    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        super().set_theme(theme)
        self._title.setFont(theme.bold(1.5))
        self.list.setFont(theme.reading())
        header = self.list.horizontalHeader()
        if header is None:
            return
        header.setHighlightSections(False)
        header.setFont(theme.bold(0.92))
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for col, wide in enumerate(_WIDTHS_EM):
            header.resizeSection(col, round(wide * theme.em))
        header.setSectionResizeMode(len(HEADINGS) - 1, QHeaderView.ResizeMode.Stretch)

    def open(self, dockets: Sequence[Path]) -> None:
        """Show the sheet; what is typed is looked for in these dockets, in this order."""
        self._dockets = dockets
        self.show_over()
        self.field.selectAll()
        self._ask()

    @override
    def put_away(self) -> None:
        self._rest.stop()
        self._jobs.stop_finding()
        super().put_away()

    @property
    def count_shown(self) -> str:
        """How many places were found, in words."""
        return self._count.text()

    # --- finding ------------------------------------------------------------------------------

    def _ask_soon(self) -> None:
        self._jobs.stop_finding()
        self.places = ()  # Enter goes to no place of the text before
        self._count.setText("Looking…")
        self._rest.start()

    def _ask(self) -> None:
        sought = self.field.text()
        if not sought.strip():
            self._show(Found((), 0))
            return
        self._count.setText("Looking…")
        self._jobs.want_found(sought, self._dockets, self._take)

    def _take(self, future: Future[Found]) -> None:
        if self.isVisible() and not self._rest.isActive():
            self._show(future.result())

    def _show(self, found: Found) -> None:
        self.places = found.places
        self.list.setUpdatesEnabled(False)
        self.list.setRowCount(len(found.places))
        for row, place in enumerate(found.places):
            number = str(place.row) if place.row else ""
            page = f"{place.page_number} of {place.source}"
            said = " ".join(place.text.split())
            texts = (said, place.column, number, place.table, page, place.docket.stem)
            for col, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setToolTip(plain_tip(text))
                self.list.setItem(row, col, item)
        self.list.setUpdatesEnabled(True)
        if found.places:
            self.list.selectRow(0)
        more = "More than " if found.more else ""
        places = count_of(len(found.places), "place")
        asked = bool(self.field.text().strip())
        dockets = count_of(found.dockets, "docket")
        self._count.setText(f"{more}{places} in {dockets}" if asked else "")
        self._trouble.setText("\n".join(found.closed))
        self._trouble.setVisible(bool(found.closed))

    def _choose(self, row: int) -> None:
        if 0 <= row < len(self.places):
            place = self.places[row]
            self.put_away()
            self.chosen.emit(place)

    # --- keys --------------------------------------------------------------------------------

    @override
    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Handle the list's keys before the field does."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            key = Qt.Key(event.key())
            if key == Qt.Key.Key_Escape:
                self.put_away()
                return True
            if key in _ENTER:
                self._choose(self.list.currentRow())
                return True
            if key in _STEPS and self.places:
                row = self.list.currentRow() + _STEPS[key]
                self.list.selectRow(min(max(row, 0), len(self.places) - 1))
                return True
            if key in {Qt.Key.Key_Tab, Qt.Key.Key_Backtab}:  # nothing behind the sheet
                return True
        return super().eventFilter(watched, event)
