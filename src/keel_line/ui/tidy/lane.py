"""The lane: the values of the column at hand at the height of their rows, or their counts."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFontMetricsF,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
)
from PyQt6.QtWidgets import QWidget
from typing_extensions import override

from keel_line.desk.tidying import Share, find_outliers, find_pair_outliers
from keel_line.ui.theme import Theme
from keel_line.ui.tidy.sheet import SheetView

_PAD, _NEAR = 16.0, 14.0
_NARROW_EM, _WIDE_EM, _MOST_ODD = 15, 30, 500
Plotted: TypeAlias = tuple[NDArray[np.float64], str, tuple[str, str]]
"""A column's values, (rows,), its name, and its least and greatest value in words."""


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
        self.title, self._low, self._high = "", "", ""
        self._shares: list[Share] = []
        self._pair = self._places = np.zeros((0, 2))
        self._known: NDArray[np.bool_] = np.zeros(0, bool)
        self._columns: tuple[NDArray[np.float64], ...] = ()  # of a pair
        self._ends = ("", "", "")
        self.setAccessibleName("The column's values along the rows")
        view.moved.connect(self.update)
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self.setFixedWidth(round(theme.em * (_WIDE_EM if len(self._pair) else _NARROW_EM)))
        self.update()

    def show_values(self, values: NDArray[np.float64], title: str, ends: tuple[str, str]) -> None:
        """Show values, (rows,), NaN for none; ``ends`` are the least and most in words."""
        self._leave_pair()
        self._shares = []
        self._values, self._odd = values, find_outliers(values)
        self.title, (self._low, self._high) = title, ends
        self.update()

    def show_shares(self, shares: list[Share], title: str) -> None:
        """Show how often each value, or span of values, comes."""
        self._leave_pair()
        self._shares, self.title, self._low, self._high = shares, title, "", ""
        self._values = np.zeros(0)
        self.update()

    def _leave_pair(self) -> None:
        if len(self._columns):
            self._columns, self._pair, self._places = (), np.zeros((0, 2)), np.zeros((0, 2))
            self.setFixedWidth(round(self._theme.em * _NARROW_EM))

    def show_pair(self, across: Plotted, up: Plotted) -> None:
        """Show two columns against each other, each with its values, name and ends."""
        (x, across_name, (left, right)), (y, up_name, (low, high)) = across, up
        if len(self._columns) and self._columns[0] is x and self._columns[1] is y:
            self.update()  # only another row is at hand
            return
        self._columns = x, y
        self._shares, self._values = [], np.zeros(0)
        self._pair, self._odd = np.stack([x, y], axis=1), find_pair_outliers(x, y)
        self.title = f"{up_name} against {across_name}"
        self._low, self._high = "", ""
        self._ends = (f"{across_name}: {left}", f"{right} →", f"↑ {up_name}: {low} to {high}")
        self._known = ~(np.isnan(x) | np.isnan(y))
        self._places = self._place_pair()
        self.setFixedWidth(round(self._theme.em * _WIDE_EM))
        self.update()

    def _field(self) -> QRectF:
        """Return where the points of two columns lie."""
        edge = self._theme.em * 1.5 + _PAD
        top = self._view.header.height() + edge
        return QRectF(_PAD, top, self.width() - 2 * _PAD, self.height() - top - edge)

    def _place_pair(self) -> NDArray[np.float64]:
        """Return where each row's point lies, (rows, 2), NaN for none."""
        if not len(self._pair) or np.isnan(self._pair).all(axis=0).any():
            return np.full((len(self._pair), 2), np.nan)
        low, high = np.nanmin(self._pair, axis=0), np.nanmax(self._pair, axis=0)
        shares = np.where(high > low, (self._pair - low) / np.where(high > low, high - low, 1), 0.5)
        field = self._field()
        at = np.stack([shares[:, 0], 1 - shares[:, 1]], axis=1)
        placed: NDArray[np.float64] = at * (field.width(), field.height()) + (
            field.left(),
            field.top(),
        )
        return placed

    def _paint_pair(self, painter: QPainter) -> None:
        theme, field = self._theme, self._field()
        left, right, upwards = self._ends
        painter.setFont(theme.font(0.86))
        painter.setPen(theme.color("quiet"))
        high, wide = theme.em * 1.5, self.width() - 20.0
        above = QRectF(10, field.top() - high - _PAD / 2, wide, high)
        painter.drawText(above, Qt.AlignmentFlag.AlignLeft, upwards)
        below = QRectF(10, field.bottom() + _PAD / 2, wide, high)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft, left)
        painter.drawText(below, Qt.AlignmentFlag.AlignRight, right)
        painter.setPen(Qt.PenStyle.NoPen)
        known = self._known
        painter.setBrush(theme.color("ink"))
        plain = np.unique(self._places[known & ~self._odd].round().astype(int), axis=0)
        for x, y in plain.tolist():
            painter.drawEllipse(QPointF(x, y), 2.5, 2.5)
        painter.setBrush(theme.color("brass"))
        for x, y in self._places[known & self._odd][:_MOST_ODD].tolist():
            painter.drawEllipse(QPointF(x, y), 5.5, 5.5)
        at = self._view.currentIndex().row()
        if 0 <= at < len(known) and known[at]:
            painter.setBrush(theme.color("teal"))
            painter.drawEllipse(QPointF(*self._places[at].tolist()), 4.5, 4.5)

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
        return QSize(round(self._theme.em * _NARROW_EM), 300)

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
        painter.drawText(inner, Qt.AlignmentFlag.AlignTop, self.title)
        painter.setFont(theme.font(0.86))
        painter.setPen(theme.color("quiet"))
        painter.drawText(
            inner, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, self._low
        )
        painter.drawText(
            inner, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignRight, self._high
        )
        if self._known.any() and len(self._pair):
            self._paint_pair(painter)
        elif self._shares:
            self._paint_bars(painter)
        elif not points:
            painter.drawText(
                body.adjusted(12, 12, -12, -12),
                Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap,
                "There are no numbers or dates to plot.",
            )

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        points = self._points()
        if event is not None and len(self._pair):
            self._press_pair(event.position())
            return
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

    def _press_pair(self, here: QPointF) -> None:
        apart = np.hypot(*(self._places - (here.x(), here.y())).T)
        if not np.isnan(apart).all() and float(np.nanmin(apart)) <= _NEAR:
            self.chosen.emit(int(np.nanargmin(apart)))

    @override
    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if len(self._pair):
            self._places = self._place_pair()
