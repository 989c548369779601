"""The line: the bar with the six stations, filled by the docket's progress."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget
from typing_extensions import override

from keel_line.ui.theme import Theme


@dataclass(frozen=True)
class Stop:
    """A station on the line: what waits there, and whether it needs the clerk."""

    name: str
    label: str
    waiting: str = ""
    calls: bool = False
    reached: bool = False


STATIONS = ("gather", "square", "rule", "proof", "tidy", "send")


class LineBar(QWidget):
    """The bar of stations; clicking one goes there."""

    chosen = pyqtSignal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._stops: tuple[Stop, ...] = ()
        self._at = "gather"
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setAccessibleName("Stations")

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self.updateGeometry()
        self.update()

    def show_stops(self, stops: tuple[Stop, ...], at: str) -> None:
        """Show the stations, what waits at each, and the current one."""
        before, before_at = self._stops, self._at
        self._stops, self._at = stops, at
        if (before, before_at) == (stops, at):
            return
        self.setAccessibleDescription("; ".join(f"{s.label}: {s.waiting}" for s in stops))
        alike = len(before) == len(stops) and before_at == at
        if not alike or [s.reached for s in before] != [s.reached for s in stops]:
            self.update()
            return
        for i, (old, new) in enumerate(zip(before, stops, strict=True)):
            if old != new:  # often a count alone
                self.update(self._box(i).toAlignedRect())

    @override
    def sizeHint(self) -> QSize:
        return QSize(600, round(self._theme.em * 4.37))

    def _box(self, index: int) -> QRectF:
        """Return a station's part of the bar."""
        wide = self.width() / max(1, len(self._stops))
        return QRectF(index * wide, 0, wide, self.height())

    def _x(self, index: int) -> float:
        return self.width() * (index + 0.5) / max(1, len(self._stops))

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self._theme
        y = theme.em * 0.94
        reached = [i for i, s in enumerate(self._stops) if s.reached]
        filled = self._x(reached[-1]) if reached else 0.0
        painter.setPen(QPen(theme.color("hairline"), 2.5))
        painter.drawLine(QPointF(0, y), QPointF(self.width(), y))
        if reached:
            painter.setPen(QPen(theme.color("ink"), 2.5))
            painter.drawLine(QPointF(0, y), QPointF(filled, y))
        dirty = QRectF(event.rect() if event is not None else self.rect())
        for i, stop in enumerate(self._stops):
            if self._box(i).intersects(dirty):
                self._paint_stop(painter, stop, self._x(i), y)

    def _paint_stop(self, painter: QPainter, stop: Stop, x: float, y: float) -> None:
        theme = self._theme
        here = stop.name == self._at
        if here:
            painter.setPen(QPen(theme.color("ink"), 1.5))
            painter.setBrush(theme.color("teal"))
            painter.drawEllipse(QPointF(x, y), 7, 7)
        else:
            painter.setPen(QPen(theme.color("ink" if stop.reached else "quiet"), 1.6))
            painter.setBrush(theme.color("ink" if stop.reached else "desk"))
            painter.drawEllipse(QPointF(x, y), 4.6, 4.6)
        width = self.width() / max(1, len(self._stops))
        box = QRectF(x - width / 2, y + theme.em * 0.58, width, theme.em * 1.33)
        painter.setFont(theme.bold(1.05) if here else theme.font(1.05))
        painter.setPen(theme.color("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, stop.label)
        box.translate(0, theme.em * 1.17)
        painter.setFont(theme.font(0.9))
        painter.setPen(theme.color("brass" if stop.calls else "quiet"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, stop.waiting)

    def _stop_at(self, x: float) -> Stop | None:
        if not self._stops:
            return None
        index = int(x / self.width() * len(self._stops))
        return self._stops[min(max(index, 0), len(self._stops) - 1)]

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        stop = self._stop_at(event.position().x()) if event else None
        if stop is not None:
            self.chosen.emit(stop.name)

    @override
    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        stop = self._stop_at(event.position().x()) if event else None
        hand = stop is not None
        self.setCursor(Qt.CursorShape.PointingHandCursor if hand else Qt.CursorShape.ArrowCursor)
