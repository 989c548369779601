"""The table as it will be: names and types above, texts below, marks where a text does not fit."""

from __future__ import annotations

from PyQt6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QPoint,
    QPointF,
    QRect,
    QRectF,
    QSize,
    Qt,
    pyqtSignal,
)
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
)
from typing_extensions import override

from keel_line.desk.tidying import NUMBERS, Block, Tidying
from keel_line.ui.theme import Theme
from keel_line.ui.widgets.plain import plain_tip

_NOWHERE = QModelIndex()
_FIGURE_SPACE, _POINT_SPACE = "\u2007", "\u2008"
_LEAST_EM, _MOST_EM, _ROWS_MEASURED = 4.0, 22.0, 60
_AIR, _MOST_STRETCH = 20, 1.5


class TidyModel(QAbstractTableModel):
    """A tidied table's texts; only what is in sight is asked for."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.tidying: Tidying | None = None
        self.lifted: Block | None = None  # cells that are about to be moved

    def show(self, tidying: Tidying | None) -> None:
        """Show another table."""
        self.beginResetModel()
        self.tidying = tidying
        self.lifted = None
        self.endResetModel()

    def lift(self, block: Block | None) -> None:
        """Mark cells that are about to be moved; None for none."""
        self.lifted = block
        corner = self.index(self.rowCount() - 1, self.columnCount() - 1)
        self.dataChanged.emit(self.index(0, 0), corner)

    @override
    def rowCount(self, parent: QModelIndex = _NOWHERE) -> int:
        return 0 if parent.isValid() or self.tidying is None else self.tidying.table.rows

    @override
    def columnCount(self, parent: QModelIndex = _NOWHERE) -> int:
        return 0 if parent.isValid() or self.tidying is None else len(self.tidying.table.columns)

    @override
    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if self.tidying is None or role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Horizontal:
            return self.say_name(section)
        row = section - self.tidying.table.heading_rows
        return str(row + 1) if row >= 0 else ""

    def say_name(self, col: int) -> str:
        """Return what a column is called, its letter's number where it has no name."""
        if self.tidying is None:
            return ""
        return self.tidying.ref(col).say()

    def say_type(self, col: int) -> str:
        """Return a column's type in words, with a question mark where it is in doubt."""
        if self.tidying is None:
            return ""
        decided = self.tidying.types[col]
        return decided.type.say() + ("" if decided.certain else " ?")

    @override
    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if self.tidying is None or role not in _ROLES:
            return None
        row, col = index.row(), index.column()
        table, theme = self.tidying.table, self.theme
        heading = row < table.heading_rows
        text = str(table.columns[col].texts[row])
        right = not heading and self.tidying.types[col].type.kind in NUMBERS
        side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        shown: dict[int, object] = {
            Qt.ItemDataRole.DisplayRole: text if heading else self._align(text, col),
            Qt.ItemDataRole.FontRole: theme.bold_reading(0.95) if heading else theme.reading(0.95),
            Qt.ItemDataRole.BackgroundRole: theme.color("heading") if heading else None,
            Qt.ItemDataRole.TextAlignmentRole: side | Qt.AlignmentFlag.AlignVCenter,
            Qt.ItemDataRole.ToolTipRole: plain_tip(self.say_misfit(row, col) or text),
        }
        return shown[role]

    def _align(self, text: str, col: int) -> str:
        """Return a number with blanks after it, so that decimal signs stand in one line."""
        kind = self.tidying.types[col].type if self.tidying else None
        if kind is None or kind.kind not in NUMBERS or not kind.places or not text:
            return text
        at = text.rfind(kind.point)
        shown = len(text) - at - 1 if at >= 0 else 0
        missing = max(0, kind.places - shown)
        return text + (_POINT_SPACE if at < 0 else "") + _FIGURE_SPACE * missing

    def is_misfit(self, row: int, col: int) -> bool:
        """Return whether a text does not fit its column's type."""
        return self.tidying is not None and self.tidying.is_misfit(row, col)

    def say_misfit(self, row: int, col: int) -> str:
        """Return why a text does not fit its column's type; empty if it does."""
        if self.tidying is None or not self.is_misfit(row, col):
            return ""
        text, kind = self.tidying.table.columns[col].texts[row], self.tidying.types[col].type
        return f"“{text}” is no {kind.say()}"


class _Header(QHeaderView):
    """Two lines above each column: its name and its type."""

    def __init__(self, model: TidyModel) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self._sheet = model
        self.at = -1
        self.setSectionsClickable(True)
        self.setHighlightSections(False)

    @override
    def sizeHint(self) -> QSize:
        return QSize(super().sizeHint().width(), round(self._sheet.theme.em * 3.2))

    @override
    def paintSection(self, painter: QPainter | None, rect: QRect, logicalIndex: int) -> None:
        if painter is None or self._sheet.tidying is None:
            return
        theme = self._sheet.theme
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(rect, theme.color("heading"))
        if logicalIndex == self.at:
            painter.fillRect(QRect(rect.left(), rect.top(), rect.width(), 3), theme.color("teal"))
        painter.setPen(theme.color("hairline"))
        painter.drawLine(rect.topRight(), rect.bottomRight())
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        decided = self._sheet.tidying.types[logicalIndex]
        named = bool(self._sheet.tidying.table.columns[logicalIndex].name)
        right = decided.type.kind in NUMBERS
        side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        inner = QRectF(rect).adjusted(8, theme.em * 0.35, -8, -theme.em * 0.35)
        lines = (
            (
                self._sheet.say_name(logicalIndex),
                theme.bold() if named else theme.font(),
                "ink" if named else "quiet",
                Qt.AlignmentFlag.AlignTop,
            ),
            (
                self._sheet.say_type(logicalIndex),
                theme.font(0.86),
                "quiet" if decided.certain else "brass",
                Qt.AlignmentFlag.AlignBottom,
            ),
        )
        for text, font, colour, where in lines:
            painter.setFont(font)
            painter.setPen(theme.color(colour))
            shown = QFontMetricsF(font).elidedText(text, Qt.TextElideMode.ElideRight, inner.width())
            painter.drawText(inner, side | where, shown)
        painter.restore()


class _Delegate(QStyledItemDelegate):
    """Paints a corner notch where a text does not fit its column."""

    @override
    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        super().paint(painter, option, index)
        model = index.model()
        if painter is None or not isinstance(model, TidyModel):
            return
        if model.lifted is not None:
            _outline(painter, option.rect, index, model.lifted, model.theme)
        if model.is_misfit(index.row(), index.column()):
            corner = QPointF(option.rect.topRight()) + QPointF(1, 0)
            painter.save()
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(model.theme.color("brass"))
            notch = 10
            painter.drawPolygon(
                QPolygonF([corner, corner - QPointF(notch, 0), corner + QPointF(0, notch)])
            )
            painter.restore()


def _outline(
    painter: QPainter, cell: QRect, index: QModelIndex, block: Block, theme: Theme
) -> None:
    """Draw a cell's sides that lie on the edge of a block, dashed."""
    top, left, bottom, right = block
    row, col = index.row(), index.column()
    if not (top <= row <= bottom and left <= col <= right):
        return
    inner = cell.adjusted(1, 1, -1, -1)
    sides = (
        (row == top, inner.topLeft(), inner.topRight()),
        (row == bottom, inner.bottomLeft(), inner.bottomRight()),
        (col == left, inner.topLeft(), inner.bottomLeft()),
        (col == right, inner.topRight(), inner.bottomRight()),
    )
    painter.save()
    painter.setPen(QPen(theme.color("teal"), 2, Qt.PenStyle.DashLine))
    for is_edge, a, b in sides:
        if is_edge:
            painter.drawLine(a, b)
    painter.restore()


class SheetView(QTableView):
    """The tidied table.

    Signals
    -------
    pressed_key
        A key that does not move in the table.
    moved
        Another cell is at hand, or the rows were scrolled.
    """

    pressed_key = pyqtSignal(object)
    moved = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.sheet = TidyModel(theme)
        self.header = _Header(self.sheet)
        self.setModel(self.sheet)
        self.setHorizontalHeader(self.header)
        self.setItemDelegate(_Delegate(self))
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setTabKeyNavigation(False)
        self.setWordWrap(False)
        self.setObjectName("list")
        self.setAccessibleName("The table as it will be")
        self.setCornerButtonEnabled(False)
        self.header.sectionClicked.connect(self._go_to_column)
        if (bar := self.verticalScrollBar()) is not None:
            bar.valueChanged.connect(self.moved)
        if (side := self.verticalHeader()) is not None:
            side.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
            side.setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.sheet.theme = theme
        if (side := self.verticalHeader()) is not None:
            side.setDefaultSectionSize(round(theme.em * 1.9))
            side.setFont(theme.font(0.86))
        self.header.updateGeometry()

    def show_table(self, tidying: Tidying | None, at: tuple[int, int]) -> None:
        """Show a table with a cell at hand; columns are as wide as what stands in them."""
        self.sheet.show(tidying)
        if tidying is None:
            return
        self._set_widths(tidying)
        row = min(max(at[0], tidying.table.heading_rows), max(0, tidying.table.rows - 1))
        col = min(at[1], max(0, len(tidying.table.columns) - 1))
        self.setCurrentIndex(self.sheet.index(row, col))

    def _set_widths(self, tidying: Tidying) -> None:
        theme = self.sheet.theme
        body, head, small = (
            QFontMetricsF(f) for f in (theme.reading(0.95), theme.bold(), theme.font(0.86))
        )
        wanted = []
        for col, column in enumerate(tidying.table.columns):
            texts = column.texts[:: max(1, len(column.texts) // _ROWS_MEASURED)]
            wide = max((body.horizontalAdvance(t) for t in texts), default=0.0)
            wide = max(
                wide,
                head.horizontalAdvance(self.sheet.say_name(col)),
                small.horizontalAdvance(self.sheet.say_type(col)),
            )
            least, most = _LEAST_EM * theme.em, _MOST_EM * theme.em
            wanted.append(min(max(wide + _AIR, least), most))
        stretch = min(max(self._room() / max(1.0, sum(wanted)), 1.0), _MOST_STRETCH)
        for col, wide in enumerate(wanted):
            self.setColumnWidth(col, int(wide * stretch))

    def _room(self) -> float:
        """Return how wide the columns may be together, in px, a scroll bar of long tables off."""
        view, bar, side = self.viewport(), self.verticalScrollBar(), self.verticalHeader()
        if view is None or bar is None or side is None:
            return 0.0
        long = self.sheet.rowCount() * side.defaultSectionSize() > view.height()
        own = 0 if bar.isVisible() or not long else bar.sizeHint().width()
        return view.width() - own - 2

    def _go_to_column(self, col: int) -> None:
        self.setCurrentIndex(self.sheet.index(max(0, self.currentIndex().row()), col))
        self.setFocus()

    @override
    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        super().currentChanged(current, previous)
        self.header.at = current.column()
        view = self.header.viewport()
        if view is not None and current.column() != previous.column():
            view.update()
        self.moved.emit()

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        plain = event.modifiers() in (
            Qt.KeyboardModifier.NoModifier,
            Qt.KeyboardModifier.ShiftModifier,
            Qt.KeyboardModifier.KeypadModifier,
        )
        moves = event.key() in _MOVES or (
            event.key() in {Qt.Key.Key_Home, Qt.Key.Key_End}
            and event.modifiers() == Qt.KeyboardModifier.ControlModifier
        )
        if moves and (plain or event.key() in {Qt.Key.Key_Home, Qt.Key.Key_End}):
            super().keyPressEvent(event)
            return
        event.ignore()
        self.pressed_key.emit(event)

    @override
    def focusNextPrevChild(self, next: bool) -> bool:
        return False  # Tab is a key like others here

    def place_of_menu(self) -> QPoint:
        """Return where a menu for the cell at hand opens, on the screen."""
        port = self.viewport()
        corner = self.visualRect(self.currentIndex()).bottomLeft()
        return corner if port is None else port.mapToGlobal(corner)

    def selected_block(self) -> Block:
        """Return the cells around all that is selected, or the cell at hand."""
        chosen = self.selectionModel()
        marked = [] if chosen is None else chosen.selectedIndexes()
        every = marked or [self.currentIndex()]
        rows, cols = [i.row() for i in every], [i.column() for i in every]
        return min(rows), min(cols), max(rows), max(cols)

    def selected_rows(self) -> list[int]:
        """Return the numbers of the rows in which something is selected, from 0."""
        chosen = self.selectionModel()
        if chosen is None:
            return []
        return sorted({i.row() for i in chosen.selectedIndexes()})


_ROLES = frozenset(
    {
        Qt.ItemDataRole.DisplayRole,
        Qt.ItemDataRole.FontRole,
        Qt.ItemDataRole.BackgroundRole,
        Qt.ItemDataRole.TextAlignmentRole,
        Qt.ItemDataRole.ToolTipRole,
    }
)
_MOVES = frozenset(
    {
        Qt.Key.Key_Left,
        Qt.Key.Key_Right,
        Qt.Key.Key_Up,
        Qt.Key.Key_Down,
        Qt.Key.Key_Home,
        Qt.Key.Key_End,
        Qt.Key.Key_PageUp,
        Qt.Key.Key_PageDown,
    }
)
