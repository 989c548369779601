"""What the table plainly needs, ready to take: each with the figure that takes it."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QWidget
from typing_extensions import override

from keel_line.desk.tidying import Suggestion
from keel_line.ui.theme import Theme

MOST = 9
_GAP, _PAD, _LINE_EM = 8.0, 10.0, 2.2


class ReadyBar(QWidget):
    """Suggestions in a line or two.

    Signals
    -------
    taken
        One is to be taken; carries its number from 0.
    all_taken
        All are to be taken.
    """

    taken = pyqtSignal(int)
    all_taken = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._suggestions: Sequence[Suggestion] = ()
        self._boxes: list[QRectF] = []
        self._all = QRectF()
        self._none = ""
        self.setAccessibleName("Ready to take")
        self.setMouseTracking(True)
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self._lay_out()

    def show_suggestions(self, suggestions: Sequence[Suggestion], none: str) -> None:
        """Show suggestions; ``none`` is said where there is none."""
        self._suggestions, self._none = suggestions[:MOST], none
        self.setAccessibleDescription("; ".join(s.words for s in self._suggestions) or none)
        self._lay_out()

    @property
    def words(self) -> list[str]:
        """The suggestions in words."""
        return [s.words for s in self._suggestions]

    @property
    def _lead(self) -> str:
        return "Ready to take:"

    @property
    def _tail(self) -> str:
        return "Ctrl+Enter takes all"

    def _lay_out(self) -> None:
        """Place the suggestions in a line, or in two; what does not fit then is cut evenly."""
        theme = self._theme
        plain, small = QFontMetricsF(theme.font(0.92)), QFontMetricsF(theme.font(0.86))
        left = small.horizontalAdvance(self._lead) + 12
        tail = small.horizontalAdvance(self._tail) + 16
        digits = plain.horizontalAdvance("9") + 8
        wide = [plain.horizontalAdvance(w) + digits + 2 * _PAD for w in self.words]
        room = self.width() - left - tail
        lines = [wide]
        if sum(wide) + _GAP * len(wide) > room and len(wide) > 1:
            half = next(k for k in range(len(wide)) if sum(wide[: k + 1]) >= sum(wide) / 2)
            lines = [wide[: max(1, half)], wide[max(1, half) :]]
        high = theme.em * _LINE_EM
        self.setFixedHeight(round(high * len(lines)))
        self._boxes = []
        x = left
        for number, own in enumerate(lines):
            x = left
            most = _fit(own, room - _GAP * len(own))
            for each in own:
                box = QRectF(x, number * high + 3.0, min(each, most), high - 6.0)
                self._boxes.append(box)
                x = box.right() + _GAP
        self._all = QRectF(x, high * (len(lines) - 1), tail, high)
        self.update()

    @override
    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._lay_out()

    @override
    def sizeHint(self) -> QSize:
        return QSize(400, self.height())

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self._theme
        painter.setFont(theme.font(0.86))
        painter.setPen(theme.color("quiet"))
        whole = QRectF(0, 0, self.width(), theme.em * _LINE_EM)
        lead = self._lead if self._suggestions else self._none
        painter.drawText(whole, Qt.AlignmentFlag.AlignVCenter, lead)
        if not self._suggestions:
            return
        painter.drawText(self._all, Qt.AlignmentFlag.AlignVCenter, self._tail)
        font = theme.font(0.92)
        metrics = QFontMetricsF(font)
        for k, (box, words) in enumerate(zip(self._boxes, self.words, strict=True)):
            painter.setPen(QPen(theme.color("teal"), 1.1))
            painter.setBrush(theme.color("sheet"))
            painter.drawRect(box)
            digit = QRectF(box.left(), box.top(), metrics.horizontalAdvance("9") + 12, box.height())
            painter.fillRect(digit, theme.color("teal_wash"))
            painter.drawRect(digit)
            painter.setFont(theme.bold(0.92))
            painter.setPen(theme.color("teal"))
            painter.drawText(digit, Qt.AlignmentFlag.AlignCenter, str(k + 1))
            inner = box.adjusted(digit.width() + 7, 0, -6, 0)
            painter.setFont(font)
            painter.setPen(theme.color("ink"))
            shown = metrics.elidedText(words, Qt.TextElideMode.ElideRight, inner.width() + 2)
            painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter, shown)

    @override
    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        number = None if event is None else self._number_at(event.position())
        self.setToolTip(self.words[number] if number is not None else "")
        hand = number is not None
        self.setCursor(Qt.CursorShape.PointingHandCursor if hand else Qt.CursorShape.ArrowCursor)

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        number = self._number_at(event.position())
        if number is not None:
            self.taken.emit(number)
        elif self._suggestions and self._all.contains(event.position()):
            self.all_taken.emit()

    def _number_at(self, point: QPointF) -> int | None:
        return next((k for k, b in enumerate(self._boxes) if b.contains(point)), None)


def _fit(wide: Sequence[float], room: float) -> float:
    """Return the greatest width at which all fit, where the wider ones are cut to it."""
    left, most = room, float("inf")
    for k, own in enumerate(sorted(wide)):
        share = left / (len(wide) - k)
        if own > share:
            most = max(share, 40.0)
            break
        left -= own
    return most
