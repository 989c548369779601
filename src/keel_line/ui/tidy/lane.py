"""The lane: the values of the column at hand at the height of their rows, or their counts."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget
from typing_extensions import override

from keel_line.desk.tidying import Share, find_outliers
from keel_line.ui.theme import Theme
from keel_line.ui.tidy.sheet import SheetView

_PAD, _NEAR = 16.0, 14.0


class Lane(QWidget):
    """A column's values beside the table; it scrolls with the rows.

    Signals
    -------
    chosen
        A point was pressed; carries its row.
    """

    chosen = pyqtSignal(int)

    def __init__(self, theme: Theme, view: SheetView) -> None:
        super().__init__()
        self._theme, self._view = theme, view
        self._values: NDArray[np.float64] = np.zeros(0)
        self._odd: NDArray[np.bool_] = np.zeros(0, bool)
        self._title, self._low, self._high = "", "", ""
        self._shares: list[Share] = []
        self.setAccessibleName("The column's values along the rows")
        view.moved.connect(self.update)
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self.setFixedWidth(round(theme.em * 15))
        self.update()

    def show_values(self, values: NDArray[np.float64], title: str, ends: tuple[str, str]) -> None:
        """Show values, (rows,), NaN for none; ``ends`` are the least and most in words."""
        self._shares = []
        self._values, self._odd = values, find_outliers(values)
        self._title, (self._low, self._high) = title, ends
        self.update()

    def show_shares(self, shares: list[Share], title: str) -> None:
        """Show how often each value, or span of values, comes."""
        self._shares, self._title, self._low, self._high = shares, title, "", ""
        self._values = np.zeros(0)
        self.update()

    def _bars(self) -> list[tuple[Share, QRectF]]:
        """Return the shares in sight, each with its line."""
        top, high = self._view.header.height() + 6.0, self._theme.em * 1.7
        room = int((self.height() - top) // high)
        return [
            (share, QRectF(10, top + k * high, self.width() - 20, high))
            for k, share in enumerate(self._shares[:room])
        ]

    def _paint_bars(self, painter: QPainter) -> None:
        theme = self._theme
        most = max((s.count for s in self._shares), default=1)
        font = theme.font(0.86)
        metrics = QFontMetricsF(font)
        painter.setFont(font)
        for share, line in self._bars():
            wide = (line.width()) * share.count / most
            bar = QRectF(line.left(), line.bottom() - 4, max(wide, 1.5), 3)
            painter.fillRect(bar, theme.color("teal"))
            count = f"{share.count:,}"
            painter.setPen(theme.color("quiet"))
            painter.drawText(
                line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, count
            )
            painter.setPen(theme.color("ink"))
            room = line.width() - metrics.horizontalAdvance(count) - 8
            words = metrics.elidedText(share.words, Qt.TextElideMode.ElideRight, room)
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, words)

    @override
    def sizeHint(self) -> QSize:
        return QSize(round(self._theme.em * 15), 300)

    def _x(self, value: float) -> float:
        known = self._values[~np.isnan(self._values)]
        low, high = float(known.min()), float(known.max())
        share = 0.5 if high == low else (value - low) / (high - low)
        return _PAD + share * (self.width() - 2 * _PAD)

    def _points(self) -> list[tuple[int, QPointF]]:
        """Return the rows in sight with a value, each with its point."""
        view = self._view
        top, port = view.header.height(), view.viewport()
        if port is None or not len(self._values):
            return []
        first = max(0, view.rowAt(0))
        last = view.rowAt(port.height() - 1)
        last = len(self._values) - 1 if last < 0 else last
        out = []
        for row in range(max(0, first - 1), min(last + 2, len(self._values))):
            if not np.isnan(self._values[row]):
                y = top + view.rowViewportPosition(row) + view.rowHeight(row) / 2
                out.append((row, QPointF(self._x(float(self._values[row])), y)))
        return out

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme, top = self._theme, self._view.header.height()
        body = QRectF(0, top, self.width() - 1, self.height() - top - 1)
        painter.fillRect(QRectF(self.rect()), theme.color("sheet"))
        points = self._points()
        painter.setClipRect(body)
        painter.setPen(QPen(theme.color("hairline"), 1.2))
        painter.drawPolyline(QPolygonF([p for _, p in points]))
        painter.setPen(Qt.PenStyle.NoPen)
        at = self._view.currentIndex().row()
        for row, point in points:
            odd = bool(self._odd[row])
            painter.setBrush(theme.color("brass" if odd else "teal" if row == at else "ink"))
            radius = 5.5 if odd else 4.5 if row == at else 3.0
            painter.drawEllipse(point, radius, radius)
        painter.setClipping(False)
        head = QRectF(0, 0, self.width(), top)
        painter.fillRect(head, theme.color("heading"))
        painter.setPen(theme.color("hairline"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1))
        painter.drawLine(head.bottomLeft(), head.bottomRight())
        inner = head.adjusted(10, theme.em * 0.35, -10, -theme.em * 0.35)
        painter.setFont(theme.bold(0.92))
        painter.setPen(theme.color("ink"))
        painter.drawText(inner, Qt.AlignmentFlag.AlignTop, self._title)
        painter.setFont(theme.font(0.86))
        painter.setPen(theme.color("quiet"))
        painter.drawText(
            inner, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, self._low
        )
        painter.drawText(
            inner, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignRight, self._high
        )
        if self._shares:
            self._paint_bars(painter)
        elif not points:
            painter.drawText(
                body.adjusted(12, 12, -12, -12),
                Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap,
                "This column has no numbers or dates to plot.",
            )

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        points = self._points()
        if event is not None and self._shares:
            pressed = (s.row for s, line in self._bars() if line.contains(event.position()))
            row = next(pressed, -1)
            if row >= 0:
                self.chosen.emit(row)
            return
        if event is None or not points:
            return
        here = event.position()
        row, point = min(points, key=lambda p: abs(p[1].y() - here.y()))
        if abs(point.y() - here.y()) <= _NEAR:
            self.chosen.emit(row)
