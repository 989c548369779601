"""A label of one line that never widens its window: long text is cut, with a full tool tip."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy
from typing_extensions import override

from keel_line.ui.widgets.plain import plain_tip


class ElidedLabel(QLabel):
    """A one-line label that shows as much text as fits; its tool tip shows all."""

    def __init__(self) -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    @property
    def shown(self) -> str:
        """The visible part of the text."""
        return self.fontMetrics().elidedText(
            self.text(), Qt.TextElideMode.ElideRight, self.contentsRect().width()
        )

    @override
    def setText(self, text: str | None) -> None:
        plain = " ".join((text or "").split())
        super().setText(plain)
        self.setAccessibleName(plain)
        self.setToolTip(plain_tip(plain))

    @override
    def minimumSizeHint(self) -> QSize:
        return QSize(0, super().minimumSizeHint().height())

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(
            self.contentsRect(), self.alignment() | Qt.AlignmentFlag.AlignVCenter, self.shown
        )
