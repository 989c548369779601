"""The field over a cell in which the clerk types."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QPainter,
    QPaintEvent,
    QTextCursor,
)
from PyQt6.QtWidgets import QPlainTextEdit, QWidget
from typing_extensions import override

MOST_CHARACTERS = 10_000


class CellEditor(QPlainTextEdit):
    """A text field: Enter settles, Escape drops, Ctrl+Enter breaks the line, Tab completes.

    Alt with a number is not typed: it takes one of the readings, as it does without the field.

    ``expect`` is asked after each change how the text may go on; its answer stands behind the
    cursor in quiet ink.

    Signals
    -------
    committed
        The text was settled.
    dropped
        The field was left; carries what was typed where that was not on purpose, else nothing.
    typed
        The text changed.
    reading_wanted
        One of the readings that are offered is taken in place of typing; carries which, from 0.
    """

    committed = pyqtSignal(str)
    dropped = pyqtSignal(str)
    typed = pyqtSignal(str)
    reading_wanted = pyqtSignal(int)

    def __init__(self, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        document = self.document()
        if document is not None:
            document.setDocumentMargin(3)
        self.expect: Callable[[str], str] = lambda _typed: ""
        self.expected = ""
        self._value = ""
        self.quiet = QColor("gray")
        self.textChanged.connect(self._ask)
        self.setAccessibleName("The right value")
        self.hide()

    def begin(self, text: str, value: str) -> None:
        """Show the field with a text, cursor at its end; ``value`` is the cell's current one."""
        self.show()
        self._value = value
        self.setPlainText(text)
        self.moveCursor(QTextCursor.MoveOperation.End)
        self.raise_()
        self.setFocus()

    def changed_text(self) -> str:
        """Return the typed text; None if it is the cell's current value."""
        text = self.toPlainText()
        return "" if text == self._value else text

    def _ask(self) -> None:
        """Ask for a completion."""
        text = self.toPlainText()
        self.expected = self.expect(text) if self.isVisible() else ""
        if self.isVisible():
            self.typed.emit(text)
        viewport = self.viewport()
        if viewport is not None:
            viewport.update()

    @property
    def _at_end(self) -> bool:
        return self.textCursor().atEnd()

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if not self.expected or not self._at_end:
            return
        painter = QPainter(self.viewport())
        painter.setFont(self.font())
        painter.setPen(self.quiet)
        at = self.cursorRect()
        painter.drawText(
            QRectF(at.right() + 1, at.top(), 2000, at.height()),
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
            self.expected,
        )

    @override
    def event(self, event: QEvent | None) -> bool:
        # Tab would leave the field before keyPressEvent saw it, and with it what was typed.
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.key() in {Qt.Key.Key_Tab, Qt.Key.Key_Backtab}
        ):
            if event.key() == Qt.Key.Key_Tab and self._at_end:
                self.insertPlainText(self.expected)
            return True
        return super().event(event)

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
            self.dropped.emit("")
        elif event.modifiers() & Qt.KeyboardModifier.AltModifier:
            if Qt.Key.Key_1 <= event.key() <= Qt.Key.Key_5:
                self.reading_wanted.emit(event.key() - Qt.Key.Key_1)
            else:
                event.ignore()
        else:
            super().keyPressEvent(event)

    @override
    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        # A menu or another window takes the focus for a while only.
        if event is not None and event.reason() == Qt.FocusReason.MouseFocusReason:
            self.dropped.emit(self.changed_text())
