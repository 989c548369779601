"""What differs between two editions of a source, value by value."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)
from typing_extensions import override

from keel_line._shared.texts import count_of
from keel_line.desk.editions import Difference
from keel_line.ui.commands import show_key_words
from keel_line.ui.theme import Theme

HEADINGS = ("Table", "Page", "Row", "Column", "Before", "Now")
_KEYS = (("Enter", "see the cell"), ("Esc", "back to the pages"))


class DifferencesSheet(QWidget):
    """The list of differences; ``chosen`` carries a cell's id, ``left`` goes back."""

    chosen = pyqtSignal(int)
    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._differences: tuple[Difference, ...] = ()
        self.title = QLabel()
        self.sheet = QTableWidget()
        self.sheet.setObjectName("list")
        self.sheet.setColumnCount(len(HEADINGS))
        self.sheet.setHorizontalHeaderLabels(HEADINGS)
        self.sheet.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.sheet.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.sheet.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.sheet.setShowGrid(False)
        self.sheet.setTabKeyNavigation(False)
        self.sheet.setAccessibleName("What differs from the earlier edition")
        self.sheet.activated.connect(lambda index: self._choose(index.row()))
        if (side := self.sheet.verticalHeader()) is not None:
            side.hide()
        if (head := self.sheet.horizontalHeader()) is not None:
            head.setHighlightSections(False)
            head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            head.setSectionResizeMode(len(HEADINGS) - 1, QHeaderView.ResizeMode.Stretch)
        keys = QLabel(show_key_words(_KEYS))
        keys.setObjectName("quiet")
        keys.setTextFormat(Qt.TextFormat.RichText)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 10)
        column.setSpacing(10)
        for part in (self.title, self.sheet, keys):
            column.addWidget(part)

    def show_differences(
        self, source: str, differences: Sequence[Difference], theme: Theme
    ) -> None:
        """Show what differs in a source."""
        self._differences = tuple(differences)
        self.title.setFont(theme.bold(1.2))
        count = count_of(len(differences), "difference")
        self.title.setText(f"{source}: {count} from the earlier edition")
        self.sheet.setFont(theme.reading())
        self.sheet.setRowCount(len(differences))
        for row, one in enumerate(differences):
            place = [str(n + 1) if n >= 0 else "" for n in (one.row, one.col)]
            values = [" ".join(text.split()) or "–" for text in (one.before, one.now)]
            texts = (one.table, str(one.page), *place, *values)
            for col, text in enumerate(texts):
                self.sheet.setItem(row, col, QTableWidgetItem(text))
        if differences:
            self.sheet.selectRow(0)
        self.sheet.setFocus()

    def _choose(self, row: int) -> None:
        cell = self._differences[row].cell
        if cell is not None:
            self.chosen.emit(cell)

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.left.emit()
            return
        super().keyPressEvent(event)
