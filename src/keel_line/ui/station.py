"""What every station is to the window, and the one list of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QWidget

from keel_line.model.docket import PageState, SourceState
from keel_line.ui.memory import WindowMemory
from keel_line.ui.session import Session
from keel_line.ui.theme import Theme


@dataclass(frozen=True)
class DocketView:
    """What a docket holds, for stations that list it.

    ``troubled`` are sources that could not be used, ``small`` the small pictures by page,
    ``earlier`` other dockets with the time of their last change, where this one has no page yet.
    """

    path: Path | None
    pages: Sequence[PageState]
    troubled: Sequence[SourceState]
    small: Mapping[int, QPixmap]
    earlier: Sequence[tuple[Path, str]]


class Station(QWidget):
    """A station on the line. The window knows no more of it than this.

    Signals
    -------
    said
        Something for the status line, and whether something went wrong.
    go_to
        Another station is wanted, by its name.
    page_wanted
        A page is wanted, by its id.
    step_page
        The page before (-1) or after (+1) is wanted.
    pages_changed
        Pages changed; those that wait are to be read.
    command
        A command of the window is wanted, by its id.
    docket_wanted
        Another docket is wanted, by its file.
    typing
        What is being typed changed, was kept or dropped.
    """

    NAME: ClassVar[str]
    OF_PAGES: ClassVar[bool] = False
    """Whether it shows the page at hand."""

    said = pyqtSignal(str, bool)
    go_to = pyqtSignal(str)
    page_wanted = pyqtSignal(int)
    step_page = pyqtSignal(int)
    pages_changed = pyqtSignal()
    command = pyqtSignal(str)
    docket_wanted = pyqtSignal(Path)
    typing = pyqtSignal()

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self._session, self._theme = session, theme

    def say(self, text: str, *, trouble: bool = False) -> None:
        """Say something in the status line."""
        self.said.emit(text, trouble)

    def waits_for_opening(self) -> bool:
        """Return whether tables of the docket still have to be opened, and say so if they do."""
        if not self._session.is_open:
            self.say("The docket is still being opened. Try again in a moment.", trouble=True)
        return not self._session.is_open

    @property
    def first(self) -> QWidget:
        """The widget that takes the keyboard."""
        return self

    @property
    def typed(self) -> str:
        """Text that is typed and would be lost now; empty for none."""
        return ""

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme

    def recall(self, memory: WindowMemory) -> None:
        """Take what is remembered between starts."""

    def remember(self, memory: WindowMemory) -> None:
        """Give what is to be remembered."""

    def enter(self, pages: Sequence[PageState], page_id: int) -> int:
        """Come to the front; return the page to be at hand."""
        del pages
        return page_id

    def settle(self) -> None:
        """Keep at once what would be kept after a pause."""

    def show_docket(self, docket: DocketView) -> None:
        """Show the whole docket."""

    def show_row(self, number: int, page: PageState) -> None:
        """Show that one page of the docket changed."""

    def show_page(self, page: PageState | None, pages: Sequence[PageState], waiting: str) -> None:
        """Show the page at hand; ``waiting`` says why it has no picture yet."""

    def act(self, command: str) -> bool:
        """Do what a command asks for; return whether it is one of this station's."""
        del command
        return False
