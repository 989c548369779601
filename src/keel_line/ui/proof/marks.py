"""The marks of doubts and settled cells, distinct by shape as well as colour."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from keel_line.model.table import CellState
from keel_line.ui.theme import Theme


def notch_size(confidence: float) -> float:
    """Return the size (px) of a doubt's corner notch: larger for a greater doubt."""
    return 8.0 + 8.0 * (1.0 - max(0.0, min(1.0, confidence)))


_PEN_PX = 8.0
_LEFT_PX, _PEN_LEFT_PX, _RIGHT_PX = 9.0, 6.0, 8.0


def text_box(box: QRectF, state: CellState) -> QRectF:
    """Return the text's place in a cell's box: beside the pen if it was typed."""
    by_hand = state.settled is not None and state.settled.by_hand
    left = _PEN_LEFT_PX + _PEN_PX + 4 if by_hand else _LEFT_PX
    return box.adjusted(left, 2, -_RIGHT_PX, -2)


def paint_marks(painter: QPainter, theme: Theme, state: CellState, box: QRectF) -> None:
    """Paint a cell's marks.

    A brass notch for doubt, a teal bar for settled, a pen for by hand, and a violet double line
    under an amount that does not come out.
    """
    if state.broken:
        painter.setPen(QPen(theme.color("violet"), 1.2))
        for up in (2.5, 5.5):
            y = box.bottom() - up
            painter.drawLine(QPointF(box.left() + 6, y), QPointF(box.right() - 6, y))
    if state.in_doubt:
        side = notch_size(state.confidence)
        corner = box.topRight()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("brass"))
        painter.drawPolygon(
            QPolygonF([corner, corner - QPointF(side, 0), corner + QPointF(0, side)])
        )
    if state.settled is not None:
        painter.fillRect(
            QRectF(box.left(), box.top() + 2, 3, box.height() - 4), theme.color("teal")
        )
        if state.settled.by_hand:
            paint_pen(painter, theme, QPointF(box.left() + _PEN_LEFT_PX, box.top() + 4))


def paint_pen(painter: QPainter, theme: Theme, at: QPointF) -> None:
    """Paint a small slanting pen, its nib at the lower left."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(theme.color("teal"), 1.3))
    x, y = at.x(), at.y()
    painter.drawPolygon(
        QPolygonF(
            [
                QPointF(x, y + 8),
                QPointF(x + 1, y + 5),
                QPointF(x + 6, y),
                QPointF(x + 8, y + 2),
                QPointF(x + 3, y + 7),
            ]
        )
    )
