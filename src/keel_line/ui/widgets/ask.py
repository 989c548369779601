"""A field that asks for something: a name, an area, pages, a formula."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
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

    def __init__(self) -> None:
        super().__init__()
        self.complete: Callable[[str], str] = lambda text: text
        """Returns what is typed before the cursor, completed; Tab asks for it."""

    @override
    def event(self, event: QEvent | None) -> bool:
        pressed = isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress
        if isinstance(event, QKeyEvent) and pressed and event.key() == Qt.Key.Key_Tab:
            at = self.cursorPosition()
            before, after = self.text()[:at], self.text()[at:]
            now = self.complete(before)
            if now != before:
                self.setText(now + after)
                self.setCursorPosition(len(now))
                self.textEdited.emit(self.text())
                return True
        return super().event(event)

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
        What the clerk typed, after what it was asked for.
    typed
        The same, while it is typed.
    left
        The question was left without an answer.
    """

    answered = pyqtSignal(str, str)
    typed = pyqtSignal(str, str)
    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.field = AskField()
        self.field.returnPressed.connect(lambda: self.answered.emit(self._what, self.field.text()))
        self.field.textEdited.connect(lambda text: self.typed.emit(self._what, text))
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

    @property
    def what(self) -> str:
        """What is asked for; empty while nothing is."""
        return self._what if self.isVisible() else ""

    def say(self, words: str) -> None:
        """Change the words above the field."""
        self._label.setText(words)

    def ask(self, what: str, words: str, value: str) -> None:
        """Ask a question; ``value`` is preselected."""
        self._what = what
        self._label.setText(words)
        self.field.setAccessibleName(words)
        self.field.setText(value)
        self.show()
        self.field.selectAll()
        self.field.setFocus()
