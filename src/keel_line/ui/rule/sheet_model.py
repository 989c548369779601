"""The sheet preview: a table's texts for the view beside the page."""

from __future__ import annotations

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from typing_extensions import override

from keel_line.model.table import TableState
from keel_line.ui.theme import Theme


class SheetModel(QAbstractTableModel):
    """A table's texts as they will be written."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._table: TableState | None = None
        self._texts: dict[tuple[int, int], str] = {}

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme

    def show(self, table: TableState | None) -> None:
        """Show another table."""
        self.beginResetModel()
        self._table = table
        self._texts = (
            {}
            if table is None
            else {(s.cell.row, s.cell.col): s.text.replace("\n", " ") for s in table.cells}
        )
        self.endResetModel()

    @override
    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() or self._table is None else self._table.grid.rows

    @override
    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() or self._table is None else self._table.grid.cols

    @override
    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        heading = self._table is not None and index.row() < self._table.header_rows
        if role == Qt.ItemDataRole.DisplayRole:
            return self._texts.get((index.row(), index.column()), "")
        if role == Qt.ItemDataRole.FontRole and heading:
            return self._theme.bold_reading(0.92)
        if role == Qt.ItemDataRole.BackgroundRole and heading:
            return self._theme.color("heading")
        if role == Qt.ItemDataRole.TextAlignmentRole:
            text = self._texts.get((index.row(), index.column()), "")
            right = text[-1:].isdigit() and text[:1] in "-0123456789" and not heading
            side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        return None
