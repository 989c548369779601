"""Soundings: the whole table to scale in a narrow strip, with a tick for each doubt."""

from __future__ import annotations

from collections.abc import Collection

from PyQt6.QtCore import QLineF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QWidget
from typing_extensions import override

from keel_line.model.table import CellState, TableState
from keel_line.ui.theme import Theme


class Soundings(QWidget):
    """A strip of ticks, longer for greater doubts; clicking goes to the nearest."""

    chosen = pyqtSignal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._table: TableState | None = None
        self._at = 0
        self._doubts: dict[int, QLineF] = {}
        self._settled: dict[int, QRectF] = {}
        self.setFixedWidth(26)
        self.setAccessibleName("Where the doubts lie in the table")

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self.update()

    def show_table(
        self, table: TableState | None, at: int, changed: Collection[int] | None = None
    ) -> None:
        """Show a table and the cell at hand.

        ``changed`` are the numbers of the cells that changed since; without, all are looked at.
        """
        before = self._table
        same = table is not None and before is not None and table.grid is before.grid
        self._table, self._at = table, at
        self._sort(changed if same and changed is not None else None)
        self.update()

    def _sort(self, changed: Collection[int] | None) -> None:
        """Update the ticks of doubts and settled cells; None rebuilds all."""
        if changed is None:
            self._doubts.clear()
            self._settled.clear()
        if self._table is None:
            return
        cells = self._table.cells
        wide = self.width() - 8
        for number in range(len(cells)) if changed is None else changed:
            state = cells[number]
            self._doubts.pop(number, None)
            self._settled.pop(number, None)
            if state.in_doubt:
                y = self._y(state)
                length = wide * (0.35 + 0.65 * (1 - state.confidence))
                self._doubts[number] = QLineF(4 + wide - length, y, 4 + wide, y)
            elif state.settled is not None:
                self._settled[number] = QRectF(2, self._y(state) - 1.5, 3, 3)

    def _y(self, state: CellState) -> float:
        assert self._table is not None  # noqa: S101 - asked for with a table only
        lines = self._table.grid.y_lines
        middle = (lines[state.cell.row] + lines[state.cell.row + state.cell.row_span]) / 2
        share = (middle - lines[0]) / max(1.0, lines[-1] - lines[0])
        return 4 + share * (self.height() - 8)

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self._theme
        painter.fillRect(self.rect(), theme.color("sheet"))
        painter.setPen(QPen(theme.color("hairline"), 1))
        painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        if self._table is None:
            return
        painter.setPen(QPen(theme.color("brass"), 2))
        if self._doubts:
            painter.drawLines(*self._doubts.values())
        for mark in self._settled.values():
            painter.fillRect(mark, theme.color("teal"))
        if self._table.cells:
            y = self._y(self._table.cells[min(self._at, len(self._table.cells) - 1)])
            painter.setPen(QPen(theme.color("teal"), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(1.5, y - 4, self.width() - 3, 8))

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._table is None:
            return
        y = event.position().y()
        cells = self._table.cells
        near = self._doubts or range(len(cells))
        self.chosen.emit(min(near, key=lambda i: abs(self._y(cells[i]) - y)))

    @override
    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._sort(None)

    @override
    def sizeHint(self) -> QSize:
        return QSize(26, 200)
