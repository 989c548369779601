"""The trail: the steps taken, from left to right, each on a band that points to the next."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFocusEvent,
    QFontMetricsF,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
)
from PyQt6.QtWidgets import QToolTip, QWidget
from typing_extensions import override

from keel_line.desk.tidying import Taken
from keel_line.ui.theme import Theme
from keel_line.ui.widgets.plain import plain_tip

_POINT = 9.0
_MOST_EM = 17.0
_AS_READ = "as read"
_TABS = frozenset({Qt.Key.Key_Tab, Qt.Key.Key_Backtab})


class TrailBar(QWidget):
    """The steps of a table.

    Signals
    -------
    switched, dropped
        A step is to be switched off or on, or taken out; carries its number from 0.
    shifted
        A step is to be moved: its number, and -1 or +1.
    left
        The clerk goes back to the table.
    chosen
        Another step is at hand.
    """

    switched = pyqtSignal(int)
    dropped = pyqtSignal(int)
    shifted = pyqtSignal(int, int)
    left = pyqtSignal()
    chosen = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._taken: tuple[Taken, ...] = ()
        self._boxes: list[QRectF] = []
        self._shift = 0.0
        self.at = -1
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Steps taken")
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self.setFixedHeight(round(theme.em * 2.1))
        self._lay_out()

    def show_steps(self, taken: tuple[Taken, ...]) -> None:
        """Show steps; the one at hand stays."""
        self._taken = taken
        self.at = min(self.at, len(taken) - 1)
        self._lay_out()

    @property
    def words(self) -> list[str]:
        """What stands on the bands."""
        return [_AS_READ, *(t.step.say() for t in self._taken)]

    def _lay_out(self) -> None:
        """Place the bands; the last, or the one at hand, is in sight."""
        theme = self._theme
        metrics = QFontMetricsF(theme.font(0.92))
        x, self._boxes = 1.0, []
        for k, words in enumerate(self.words):
            wide = min(metrics.horizontalAdvance(words), _MOST_EM * theme.em)
            wide += 2.2 * _POINT + 14 + (16 if k and self._taken[k - 1].misfit else 0)
            self._boxes.append(QRectF(x, 2.0, wide, self.height() - 4.0))
            x += wide - _POINT + 3
        aim = self._boxes[self.at + 1 if self.at >= 0 else -1]
        self._shift = max(0.0, aim.right() + 20 - self.width()) if x > self.width() else 0.0
        if self.at >= 0:
            self._shift = min(self._shift, max(0.0, aim.left() - 20))
        self.update()

    @override
    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._lay_out()

    @override
    def sizeHint(self) -> QSize:
        return QSize(400, round(self._theme.em * 2.1))

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(-self._shift, 0)
        for k, (box, words) in enumerate(zip(self._boxes, self.words, strict=True)):
            self._paint_band(painter, k, box, words)

    def _paint_band(self, painter: QPainter, number: int, box: QRectF, words: str) -> None:
        theme = self._theme
        taken = self._taken[number - 1] if number else None
        off = taken is not None and taken.step.off
        misfit = taken is not None and bool(taken.misfit)
        here = number - 1 == self.at and number > 0 and self.hasFocus()
        notch = _POINT if number else 0.0
        middle = box.center().y()
        band = QPolygonF(
            [
                box.topLeft(),
                QPointF(box.right() - _POINT, box.top()),
                QPointF(box.right(), middle),
                QPointF(box.right() - _POINT, box.bottom()),
                box.bottomLeft(),
                QPointF(box.left() + notch, middle),
            ]
        )
        pen = QPen(theme.color("teal" if here else "hairline" if off else "ink"))
        pen.setWidthF(2.2 if here else 1.1)
        if off:
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(theme.color("teal_wash" if here else "desk" if off else "sheet"))
        painter.drawPolygon(band)
        inner = box.adjusted(notch + 8, 0, -_POINT - 4, 0)
        font = theme.font(0.92)
        font.setStrikeOut(off)
        painter.setFont(font)
        if misfit:
            painter.setPen(theme.color("brass"))
            painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter, "◤")
            inner.adjust(16, 0, 0, 0)
        painter.setPen(theme.color("quiet" if off or not number else "ink"))
        shown = QFontMetricsF(font).elidedText(
            words, Qt.TextElideMode.ElideRight, inner.width() + 2
        )
        painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter, shown)

    # --- keys and mouse -------------------------------------------------------------------------

    @override
    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        if self.at < 0:
            self.at = len(self._taken) - 1
        self._lay_out()
        self.chosen.emit()

    @override
    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.at = -1
        self._lay_out()
        self.chosen.emit()

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key = event.key()
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key), 0)
        if key in {Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Backtab, Qt.Key.Key_Down}:
            self.left.emit()
        elif self.at < 0:
            event.ignore()
        elif step and ctrl:
            if 0 <= self.at + step < len(self._taken):
                number = self.at
                self.at += step
                self.shifted.emit(number, step)
        elif step:
            self.at = min(max(self.at + step, 0), len(self._taken) - 1)
            self._lay_out()
            self.chosen.emit()
        elif key == Qt.Key.Key_Space:
            self.switched.emit(self.at)
        elif key in {Qt.Key.Key_Delete, Qt.Key.Key_Backspace}:
            self.dropped.emit(self.at)
        else:
            event.ignore()

    @override
    def event(self, event: QEvent | None) -> bool:
        pressed = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress
        if isinstance(event, QKeyEvent) and pressed and event.key() in _TABS:
            self.keyPressEvent(event)  # before Qt moves the focus
            return True
        if isinstance(event, QHelpEvent):
            number = self._number_at(QPointF(event.pos()))
            if number is not None and number > 0:
                taken = self._taken[number - 1]
                words = f"{taken.step.say()}. {taken.misfit}" if taken.misfit else taken.step.say()
                QToolTip.showText(event.globalPos(), plain_tip(words), self)
                return True
        return super().event(event)

    def _number_at(self, point: QPointF) -> int | None:
        x = point.x() + self._shift
        return next((k for k, b in enumerate(self._boxes) if b.left() <= x < b.right()), None)

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        number = None if event is None else self._number_at(event.position())
        self.setFocus()
        if number is not None and number > 0:
            self.at = number - 1
            self._lay_out()
            self.chosen.emit()

    @override
    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if self.at >= 0:
            self.switched.emit(self.at)

    def say_step(self) -> str:
        """Return the step at hand in words, with what keeps it from fitting."""
        if self.at < 0:
            return ""
        taken = self._taken[self.at]
        off = " (off)" if taken.step.off else ""
        return (
            f"{taken.step.say()}{off}. {taken.misfit}" if taken.misfit else taken.step.say() + off
        )
