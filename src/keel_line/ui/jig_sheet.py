"""The Jigs view: the jigs that were kept, what each does, and what may be taken out of it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QKeyEvent
from PyQt6.QtWidgets import QGridLayout, QLabel, QListWidget, QWidget
from typing_extensions import override

from keel_line._shared.texts import count_of
from keel_line.desk.jigs import (
    EARLIER,
    Jig,
    JigPart,
    Shelf,
    list_parts,
    rename,
    say_heading,
    take_out,
)
from keel_line.errors import KeelLineError
from keel_line.ui.theme import Theme
from keel_line.ui.widgets.ask import Ask
from keel_line.ui.widgets.over_sheet import OverSheet

_KEYS = (
    ("Tab", "its parts"),
    ("Delete", "take out"),
    ("F2", "rename"),
    ("Ctrl+Z", "undo"),
    ("Ctrl+C", "copy the file's path"),
    ("Esc", "close"),
)
_PRESSES = frozenset({QEvent.Type.KeyPress, QEvent.Type.ShortcutOverride})
_NONE = "There are no jigs yet. To make one of a table, press Ctrl+J in Rule or in Tidy."


class JigSheet(OverSheet):
    """A sheet over the window: the jigs on the left, the parts of the chosen one on the right.

    Signals
    -------
    changed
        A jig was changed or removed.
    """

    changed = pyqtSignal()

    def __init__(self, parent: QWidget, theme: Theme, shelf: Shelf) -> None:
        super().__init__(parent, theme)
        self._shelf = shelf
        self._jigs: list[Jig] = []
        self._parts: tuple[JigPart, ...] = ()
        self._undo: list[tuple[str, Jig]] = []
        self._title = QLabel("Jigs")
        self._count = QLabel()
        self.where = QLabel()
        self._known_by = QLabel()
        self.message = QLabel()
        self.where.setObjectName("quiet")
        for label in (self._count, self.where, self._known_by, self.message):
            label.setTextFormat(Qt.TextFormat.PlainText)
        self._known_by.setWordWrap(True)
        self.names = self._make_list("Jigs")
        self.parts = self._make_list("What it does")
        self.names.currentRowChanged.connect(self._show_parts)
        self._heads = QLabel("Forms"), QLabel("What the jig does")
        self.ask = Ask()
        self.ask.answered.connect(lambda _what, text: self._rename(text))
        self.ask.left.connect(self._leave_ask)
        self._lay_out_lists()
        self.setFocusProxy(self.names)
        self.set_theme(theme)

    def _make_list(self, name: str) -> QListWidget:
        made = QListWidget()
        made.setObjectName("list")
        made.setAccessibleName(name)
        made.setWordWrap(True)
        made.installEventFilter(self)
        return made

    def _lay_out_lists(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(20)
        grid.setVerticalSpacing(6)
        for col, (head, part) in enumerate(zip(self._heads, (self.names, self.parts), strict=True)):
            grid.addWidget(head, 0, col)
            grid.addWidget(part, 2, col)
        grid.addWidget(self.where, 1, 0)
        grid.addWidget(self._known_by, 1, 1)
        grid.setColumnStretch(0, 2)
        grid.setColumnStretch(1, 3)
        grid.setRowStretch(2, 1)
        self.lay_out(self._title, self._count, (grid, self.ask, self.message), _KEYS)

    @override
    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self._title.setFont(theme.bold(1.5))
        for head in self._heads:
            head.setFont(theme.bold(0.92))
        for part in (self.names, self.parts):
            part.setFont(theme.reading())

    def open(self, name: str = "") -> None:
        """Show the list of jigs, and select the jig with this name if there is one."""
        self._undo.clear()
        self.message.clear()
        self.ask.hide()
        self._show(name)
        self.show_over()

    @property
    def jig(self) -> Jig | None:
        """The chosen jig."""
        at = self.names.currentRow()
        return self._jigs[at] if 0 <= at < len(self._jigs) else None

    # --- showing ------------------------------------------------------------------------------

    def _show(self, name: str = "", at: int = 0) -> None:
        """List the jigs anew, and choose the one of a name, else the one at a place."""
        self._jigs = self._shelf.jigs()
        names = [jig.name for jig in self._jigs]
        self.names.clear()
        self.names.addItems(names)
        self._count.setText(count_of(len(names), "jig") if names else "")
        folder = self._shelf.folder
        self.where.setText(f"In {folder}" if names and folder is not None else _NONE)
        self.where.setWordWrap(True)
        at = names.index(name) if name in names else min(at, len(names) - 1)
        self.names.setCurrentRow(at)
        self._show_parts()

    def _show_parts(self) -> None:
        jig = self.jig
        self._parts = () if jig is None else list_parts(jig)
        self.parts.clear()
        self.parts.addItems([part.words for part in self._parts])
        self._known_by.setText("" if jig is None else f"Known by: {say_heading(jig)}")
        if self._parts:
            self.parts.setCurrentRow(0)

    # --- changing -----------------------------------------------------------------------------

    def _change(self, jig: Jig | None, said: str) -> None:
        """Put another jig in the place of the chosen one, or nothing."""
        own = self.jig
        if own is None:
            return
        at = self.names.currentRow()
        if self._try(lambda: self._shelf.change(own.name, jig), said):
            self._undo.append(("" if jig is None else jig.name, own))
            self._show("" if jig is None else jig.name, at)

    def _undo_last(self) -> None:
        if not self._undo:
            self.message.setText("Nothing to undo.")
            return
        now, before = self._undo[-1]
        if self._try(lambda: self._shelf.change(now, before), f"{before.name}: as before."):
            self._undo.pop()
            self._show(before.name)

    def _try(self, change: Callable[[], object], said: str) -> bool:
        try:
            change()
        except KeelLineError as error:
            self.message.setText(str(error))
            return False
        self.message.setText(said)
        self.changed.emit()
        return True

    def _take_out(self) -> None:
        jig = self.jig
        if jig is None:
            return
        if self.names.hasFocus():
            self._change(None, f"{jig.name} was removed. Its file is in the folder {EARLIER}.")
            return
        at = self.parts.currentRow()
        if 0 <= at < len(self._parts):
            self._change(take_out(jig, self._parts[at]), "Taken out. Ctrl+Z undoes that.")
            self.parts.setCurrentRow(min(at, len(self._parts) - 1))
            self.parts.setFocus()

    def _begin_rename(self) -> None:
        if self.jig is not None:
            self.ask.ask("name", "Name of this form", self.jig.name)

    def _rename(self, text: str) -> None:
        name, jig = " ".join(text.split()), self.jig
        if name and jig is not None and name != jig.name:
            self._change(rename(jig, name), f"{jig.name} is called {name} now.")
        self._leave_ask()

    def _leave_ask(self) -> None:
        self.ask.hide()
        self.names.setFocus()

    def _copy_path(self) -> None:
        jig, clipboard = self.jig, QGuiApplication.clipboard()
        path = None if jig is None else self._shelf.path_of(jig.name)
        if path is not None and clipboard is not None:
            clipboard.setText(str(path))
            self.message.setText(f"Copied the path of {path.name}. Send that file to share it.")

    # --- keys ---------------------------------------------------------------------------------

    @override
    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Handle the sheet's keys before its lists do."""
        if not isinstance(event, QKeyEvent) or event.type() not in _PRESSES:
            return super().eventFilter(watched, event)
        key, ctrl = Qt.Key(event.key()), Qt.KeyboardModifier.ControlModifier
        held = bool(event.modifiers() & ctrl)
        actions: dict[tuple[bool, Qt.Key], Callable[[], object]] = {
            (False, Qt.Key.Key_Escape): self.put_away,
            (False, Qt.Key.Key_Tab): self._change_list,
            (False, Qt.Key.Key_Backtab): self._change_list,
            (False, Qt.Key.Key_Delete): self._take_out,
            (False, Qt.Key.Key_F2): self._begin_rename,
            (True, Qt.Key.Key_Z): self._undo_last,
            (True, Qt.Key.Key_C): self._copy_path,
        }
        action = actions.get((held, key))
        if action is None:
            return super().eventFilter(watched, event)
        if event.type() == QEvent.Type.ShortcutOverride:
            event.accept()  # before the window's own keys
        else:
            action()
        return True

    def _change_list(self) -> None:
        (self.parts if self.names.hasFocus() else self.names).setFocus()
