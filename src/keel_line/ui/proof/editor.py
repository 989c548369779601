"""The field in which a reading is put right, laid over its cell."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QTextCursor
from PyQt6.QtWidgets import QPlainTextEdit, QWidget
from typing_extensions import override

MOST_CHARACTERS = 10_000


class CellEditor(QPlainTextEdit):
    """Enter settles, Escape drops, Ctrl+Enter breaks the line."""

    committed = pyqtSignal(str)
    dropped = pyqtSignal()

    def __init__(self, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        document = self.document()
        if document is not None:
            document.setDocumentMargin(3)
        self.setTabChangesFocus(True)
        self.setAccessibleName("The right value")
        self.hide()

    def begin(self, text: str) -> None:
        """Show the field with a text, the cursor at its end."""
        self.setPlainText(text)
        self.moveCursor(QTextCursor.MoveOperation.End)
        self.show()
        self.raise_()
        self.setFocus()

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        enter = event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}
        if enter and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.insertPlainText("\n")
        elif enter:
            self.committed.emit(self.toPlainText()[:MOST_CHARACTERS].strip())
        elif event.key() == Qt.Key.Key_Escape:
            self.dropped.emit()
        else:
            super().keyPressEvent(event)

    @override
    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        # A menu or another window takes the focus for a while only.
        if event is not None and event.reason() in {
            Qt.FocusReason.MouseFocusReason,
            Qt.FocusReason.TabFocusReason,
        }:
            self.dropped.emit()
