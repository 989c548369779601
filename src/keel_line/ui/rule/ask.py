"""A field in place of the title that asks for a name, an area or pages."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLabel, QLineEdit, QVBoxLayout, QWidget
from typing_extensions import override


class AskField(QLineEdit):
    """A text field that Escape cancels.

    Signals
    -------
    left
        The clerk wants to leave it as it was.
    """

    left = pyqtSignal()

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.left.emit()
            return
        super().keyPressEvent(event)


class Ask(QWidget):
    """A field with its question above.

    Signals
    -------
    answered
        What the clerk typed, after what it was asked for: ``name``, ``area`` or ``pages``.
    left
        The question was left without an answer.
    """

    answered = pyqtSignal(str, str)
    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.field = AskField()
        self.field.returnPressed.connect(lambda: self.answered.emit(self._what, self.field.text()))
        self.field.left.connect(self.left)
        self._label = QLabel()
        self._label.setObjectName("quiet")
        self._label.setWordWrap(True)
        self._label.setBuddy(self.field)
        self._what = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self._label)
        column.addWidget(self.field)
        self.hide()

    def ask(self, what: str, words: str, value: str) -> None:
        """Ask a question; ``value`` is preselected."""
        self._what = what
        self._label.setText(words)
        self.field.setAccessibleName(words)
        self.field.setText(value)
        self.show()
        self.field.selectAll()
        self.field.setFocus()
