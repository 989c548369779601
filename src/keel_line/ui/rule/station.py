"""Rule: the grid over the page, the sheet as it will be beside it. Look only."""

from __future__ import annotations

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QTableView, QVBoxLayout, QWidget
from typing_extensions import override

from keel_line.model.table import TableState
from keel_line.ui.session import Session
from keel_line.ui.theme import Theme
from keel_line.ui.widgets.page_view import PageView


class SheetModel(QAbstractTableModel):
    """A table's texts as the sheet will have them."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._table: TableState | None = None
        self._texts: dict[tuple[int, int], str] = {}

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
            return self._theme.bold(0.92)
        if role == Qt.ItemDataRole.BackgroundRole and heading:
            return self._theme.color("heading")
        if role == Qt.ItemDataRole.TextAlignmentRole:
            text = self._texts.get((index.row(), index.column()), "")
            right = text[-1:].isdigit() and text[:1] in "-0123456789" and not heading
            side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        return None


class RuleStation(QWidget):
    """Page with its grids at the left, the sheet-to-be at the right."""

    step_page = pyqtSignal(int)
    go_on = pyqtSignal()

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self._session, self._theme = session, theme
        self._page_id = -1
        self._waiting = ""
        self.view = PageView(theme)
        self.view.step_page.connect(self.step_page)
        self.view.go_on.connect(self.go_on)
        self.view.table_chosen.connect(self._choose)
        self.model = SheetModel(theme)
        self.sheet = QTableView()
        self.sheet.setModel(self.model)
        self.sheet.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.sheet.setSelectionMode(QTableView.SelectionMode.NoSelection)
        for header in (self.sheet.verticalHeader(), self.sheet.horizontalHeader()):
            if header is not None:
                header.hide()
        self._title = QLabel()
        self._size = QLabel()
        self._size.setWordWrap(True)
        head = QLabel("The sheet as it will be")
        for label in (head, self._size):
            label.setObjectName("quiet")
        side = QVBoxLayout()
        side.setSpacing(6)
        for widget in (head, self._title, self._size):
            side.addWidget(widget)
        side.addSpacing(4)
        side.addWidget(self.sheet, 1)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 10, 16, 8)
        row.setSpacing(16)
        row.addWidget(self.view, 62)
        row.addLayout(side, 38)
        self.setFocusProxy(self.view)
        session.picture_changed.connect(lambda _page: self.refresh())
        session.tables_changed.connect(self.refresh)
        session.cells_changed.connect(self.refresh)
        session.moved.connect(self._follow)

    def set_theme(self, theme: Theme) -> None:
        """Dress anew."""
        self._theme = theme
        self.view.set_theme(theme)
        self.refresh()

    def show_page(self, page_id: int, waiting: str = "") -> None:
        """Show a page; ``waiting`` says why there is nothing to see yet."""
        self._page_id, self._waiting = page_id, waiting
        self.refresh()

    def _own(self) -> list[tuple[int, TableState]]:
        return [(i, t) for i, t in enumerate(self._session.tables) if t.page_id == self._page_id]

    def _follow(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show the page and the table at hand, or the page's first."""
        if not self.isVisible():
            return
        own = self._own()
        image = self._session.picture(self._page_id) if self._page_id >= 0 else None
        at = next((k for k, (i, _) in enumerate(own) if i == self._session.table_index), 0)
        self.view.show_page(image, [t for _, t in own], at, self._waiting)
        table = own[at][1] if own else None
        self._title.setFont(self._theme.bold(1.2))
        self._title.setText(table.name if table else "No table on this page")
        self._size.setText(self._describe(table, len(own)))
        self.model.show(table)
        self.sheet.clearSpans()
        if table is not None:
            for state in table.cells:
                c = state.cell
                if c.row_span > 1 or c.col_span > 1:
                    self.sheet.setSpan(c.row, c.col, c.row_span, c.col_span)
            self.sheet.setFont(self._theme.font(0.92))
            if (side := self.sheet.verticalHeader()) is not None:
                side.setDefaultSectionSize(round(self._theme.em * 1.9))
            self.sheet.resizeColumnsToContents()
            for col in range(table.grid.cols):
                self.sheet.setColumnWidth(col, self.sheet.columnWidth(col) + 4)

    def _describe(self, table: TableState | None, count: int) -> str:
        if table is None:
            return self._waiting or (
                "No rules close here, and no columns of white run down between lines of text."
            )
        heading = {0: "no heading", 1: "1 heading row"}.get(
            table.header_rows, f"{table.header_rows} heading rows"
        )
        spans = sum(s.cell.row_span > 1 or s.cell.col_span > 1 for s in table.cells)
        spanning = f", {spans} spanning" if spans else ""
        more = f"  ·  {count} tables on this page, press one to see its sheet" if count > 1 else ""
        return f"{table.grid.rows} rows, {table.grid.cols} columns, {heading}{spanning}{more}"

    def _choose(self, index: int) -> None:
        own = self._own()
        if index < len(own):
            self._session.go_to_table(own[index][0] - self._session.table_index)
            self.refresh()

    @override
    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self.view.setFocus()
