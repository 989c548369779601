"""A sheet of paper over the whole window, behind which the rest fades."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLayout, QVBoxLayout, QWidget
from typing_extensions import override

from keel_line.ui.commands import show_key_words
from keel_line.ui.theme import Theme

MARGINS = (48, 40)
_VEIL = 225


class OverSheet(QWidget):
    """A sheet over its parent; hidden until it is shown.

    Signals
    -------
    closed
        The sheet was closed.
    """

    closed = pyqtSignal()

    def __init__(self, parent: QWidget, theme: Theme) -> None:
        super().__init__(parent)
        self._theme = theme
        self.hide()

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme

    def lay_out(
        self,
        title: QLabel,
        count: QLabel,
        parts: Sequence[QWidget | QLayout],
        keys: Sequence[tuple[str, str]],
    ) -> None:
        """Put a title and a count on top, parts below each other, and the keys at the bottom."""
        shown = QLabel(show_key_words(keys))
        shown.setTextFormat(Qt.TextFormat.RichText)
        for label in (count, shown):
            label.setObjectName("quiet")
        top = QHBoxLayout()
        top.addWidget(title)
        top.addStretch(1)
        top.addWidget(count)
        column = QVBoxLayout(self)
        across, down = MARGINS
        column.setContentsMargins(across + 24, down + 18, across + 24, down + 14)
        column.setSpacing(10)
        column.addLayout(top)
        for part in (*parts, shown):
            if isinstance(part, QLayout):
                column.addLayout(part, 1)
            else:
                column.addWidget(part)

    def fit(self) -> None:
        """Cover the parent."""
        parent = self.parentWidget()
        if parent is not None:
            self.setGeometry(parent.rect())

    def show_over(self) -> None:
        """Show the sheet over its parent."""
        self.fit()
        self.show()
        self.raise_()
        self.setFocus()

    def put_away(self) -> None:
        """Hide the sheet."""
        self.hide()
        self.closed.emit()

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme = self._theme
        veil = theme.color("desk")
        veil.setAlpha(_VEIL)
        painter.fillRect(self.rect(), veil)
        across, down = MARGINS
        painter.setPen(QPen(theme.color("hairline"), 1))
        painter.setBrush(theme.color("sheet"))
        painter.drawRect(self.rect().adjusted(across, down, -across, -down))
