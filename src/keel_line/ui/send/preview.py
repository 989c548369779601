"""The first rows of a table as a spreadsheet will show them."""

from __future__ import annotations

from decimal import Decimal
from itertools import islice

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QHeaderView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keel_line.desk.desk import SendOptions
from keel_line.desk.sending import SentTable, type_column
from keel_line.ui.theme import Theme

_ROWS, _COLS = 7, 9
_AIR_PX = 14


class Preview(QWidget):
    """Shows a table's first rows: names and headings bold, numbers and dates at the right."""

    def __init__(self) -> None:
        super().__init__()
        self.title = QLabel()
        self.title.setObjectName("quiet")
        self.sheet = QTableWidget()
        self.sheet.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.sheet.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.sheet.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.sheet.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.sheet.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        for header in (self.sheet.verticalHeader(), self.sheet.horizontalHeader()):
            if header is not None:
                header.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.title)
        column.addWidget(self.sheet)

    def show_table(
        self, table: SentTable | None, theme: Theme, options: SendOptions, *, pages: bool = False
    ) -> None:
        """Show the first rows of a table; hide where there is none.

        ``pages`` says that whole pages are written, which no spreadsheet shows.
        """
        self.setVisible(table is not None)
        if table is None:
            return
        names, first = table.names, table.heading_rows
        over = table.above if options.headings else ()
        lead = len(over) + bool(names)
        rows = lead + table.rows
        shown_rows, shown_cols = min(rows, _ROWS), min(len(table.columns), _COLS)
        more = f", first {shown_rows} of {rows} rows" if rows > shown_rows else ""
        reader = "" if pages else " as a spreadsheet shows it"
        self.title.setText(f"“{table.name}”{reader}{more}")
        self.sheet.setRowCount(shown_rows)
        self.sheet.setColumnCount(shown_cols)
        self.sheet.clearSpans()
        for col in range(shown_cols):
            column = table.columns[col]
            above = [next((a.text for a in row if a.first == col), "") for row in over]
            above += [*names[col : col + 1], *(str(t) for t in column.texts[:first])]
            values = islice(
                type_column(table, col, as_text=options.as_text), max(0, _ROWS - len(above))
            )
            for row, text in enumerate(above[:shown_rows]):
                item = QTableWidgetItem(text)
                item.setFont(theme.bold(0.95))
                self.sheet.setItem(row, col, item)
            for row, value in enumerate(values, len(above)):
                place = (row - lead, col)
                item = QTableWidgetItem(str(column.texts[place[0]]))
                item.setFont(theme.reading(0.95))
                if isinstance(value.value, Decimal) or not isinstance(value.value, str):
                    right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                    item.setTextAlignment(right)
                mark = table.marks.get(place)
                if mark is not None and mark.doubt is not None:
                    item.setForeground(QColor(theme.colours.brass))
                    item.setText(f"{item.text()} ◤")
                self.sheet.setItem(row, col, item)
        spans = [(lead + row, col, *wide) for (row, col), wide in table.spans.items()]
        spans += [(k, a.first, 1, a.cols) for k, row in enumerate(over) for a in row if a.cols > 1]
        for top, col, down, right_by in spans:
            if top < shown_rows and col < shown_cols:
                self.sheet.setSpan(
                    top, col, min(down, shown_rows - top), min(right_by, shown_cols - col)
                )
        self._fit(theme)

    def _fit(self, theme: Theme) -> None:
        high = round(theme.em * 1.9)
        header = self.sheet.verticalHeader()
        if header is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
            header.setDefaultSectionSize(high)
        self.sheet.resizeColumnsToContents()
        for col in range(self.sheet.columnCount()):
            self.sheet.setColumnWidth(col, self.sheet.columnWidth(col) + _AIR_PX)
        self.sheet.setFixedHeight(high * self.sheet.rowCount() + 2)
