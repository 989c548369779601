"""All keys on one sheet, made from the same declarations that bind them."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget
from typing_extensions import override

from keel_line.ui.commands import COMMANDS, Command, show_keys
from keel_line.ui.theme import Theme

_PLACES = (
    ("window", "Anywhere", 0),
    ("proof", "In Proof", 0),
    ("square", "In Square", 1),
    ("rule", "In Rule", 1),
)


class HelpSheet(QWidget):
    """Laid over the window; any key puts it away."""

    closed = pyqtSignal()

    def __init__(self, parent: QWidget, theme: Theme) -> None:
        super().__init__(parent)
        self._theme = theme
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("All keys")
        self.hide()

    def set_theme(self, theme: Theme) -> None:
        """Dress anew."""
        self._theme = theme

    def open(self) -> None:
        """Show the sheet over its parent."""
        parent = self.parentWidget()
        if parent is not None:
            self.setGeometry(parent.rect())
        self.show()
        self.raise_()
        self.setFocus()

    def _put_away(self) -> None:
        self.hide()
        self.closed.emit()

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self._theme
        veil = QColor(theme.color("desk"))
        veil.setAlpha(225)
        painter.fillRect(self.rect(), veil)
        sheet = QRectF(self.rect()).adjusted(48, 40, -48, -40)
        painter.setPen(QPen(theme.color("hairline"), 1))
        painter.setBrush(theme.color("sheet"))
        painter.drawRect(sheet)
        painter.setFont(theme.bold(1.5))
        painter.setPen(theme.color("ink"))
        painter.drawText(sheet.adjusted(32, 22, 0, 0), Qt.AlignmentFlag.AlignLeft, "All keys")
        painter.setFont(theme.font(0.95))
        painter.setPen(theme.color("quiet"))
        painter.drawText(
            sheet.adjusted(0, 26, -32, 0), Qt.AlignmentFlag.AlignRight, "Any key puts this away"
        )
        wide = (sheet.width() - 64) / 2
        tops = [sheet.top() + 70, sheet.top() + 70]
        for place, heading, column in _PLACES:
            own = [c for c in COMMANDS if c.where == place and c.keys]
            left = sheet.left() + 32 + column * wide
            tops[column] = self._paint_group(painter, heading, own, left, tops[column], wide - 24)

    def _paint_group(
        self,
        painter: QPainter,
        heading: str,
        commands: list[Command],
        left: float,
        top: float,
        wide: float,
    ) -> float:
        theme = self._theme
        line = theme.em * 1.56
        painter.setFont(theme.bold(1.05))
        painter.setPen(theme.color("teal"))
        painter.drawText(QRectF(left, top, wide, line), Qt.AlignmentFlag.AlignVCenter, heading)
        top += line
        key_wide = (
            max(QFontMetricsF(theme.bold(0.95)).horizontalAdvance(show_keys(c)) for c in COMMANDS)
            + 16
        )
        for command in commands:
            painter.setFont(theme.bold(0.95))
            painter.setPen(theme.color("ink"))
            painter.drawText(
                QRectF(left, top, key_wide, line), Qt.AlignmentFlag.AlignVCenter, show_keys(command)
            )
            painter.setFont(theme.font(0.95))
            painter.setPen(theme.color("quiet"))
            painter.drawText(
                QRectF(left + key_wide, top, wide - key_wide, line),
                Qt.AlignmentFlag.AlignVCenter,
                command.help,
            )
            top += line
        return top + line * 0.5

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        self._put_away()

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._put_away()
