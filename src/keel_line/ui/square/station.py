"""The Square station: shows how each page lies, with the few corrections it may need."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget
from typing_extensions import override

from keel_line.desk.engine import LIMIT_DEG
from keel_line.model.docket import PageState
from keel_line.model.page import Corners, SquareChoice
from keel_line.model.reason import Reason
from keel_line.ui.commands import COMMANDS, show_key_words, show_keys
from keel_line.ui.session import Session
from keel_line.ui.square.board import Board, PageOnBoard
from keel_line.ui.station import Station
from keel_line.ui.theme import Theme

_PAUSE_MS = 700
_STEP_DEG = 0.1
_WIPES = (0.0, 0.5, 1.0)
_OUTLOOKS = {"good": "Will read well", "fair": "Will read fairly", "poor": "May read badly"}


class SquareStation(Station):
    """The board at the left, the page's facts and the keys at the right."""

    NAME = "square"
    OF_PAGES = True

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session, theme)
        self._page: PageState | None = None
        self._pages: Sequence[PageState] = ()
        self._choice = SquareChoice()
        self._asked_alike: list[tuple[int, SquareChoice]] = []
        self._waiting = ""
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(_PAUSE_MS)
        self._pause.timeout.connect(self.settle)
        self.board = Board(theme)
        self.board.leaned.connect(lambda degrees: self._lean(-degrees))
        self.board.corners_set.connect(self._set_corners)
        self.board.corners_dropped.connect(self.refresh)
        self.board.key_pressed.connect(self._take_key)
        self._title, self._outlook = QLabel(), QLabel()
        self._reasons, self._hint = QLabel(), QLabel()
        names = (
            "Skew",
            "Bend",
            "Rotation",
            "Sheet",
            "Light",
            "Specks",
            "Colour",
            "Show-through",
            "Text",
        )
        self._facts = [(QLabel(name), QLabel()) for name in names]
        self._note, self._keys = QLabel(), QLabel()
        self._build()
        self.setFocusProxy(self.board)
        session.picture_changed.connect(self._on_picture)
        session.original_changed.connect(self._on_picture)

    def _build(self) -> None:
        side = QVBoxLayout()
        side.setSpacing(6)
        for label in (self._title, self._outlook, self._reasons):
            label.setWordWrap(True)
            side.addWidget(label)
        side.addSpacing(10)
        facts = QGridLayout()
        facts.setHorizontalSpacing(14)
        facts.setVerticalSpacing(7)
        for row, (name, value) in enumerate(self._facts):
            name.setObjectName("quiet")
            value.setWordWrap(True)
            facts.addWidget(name, row, 0, Qt.AlignmentFlag.AlignTop)
            facts.addWidget(value, row, 1)
        facts.setColumnStretch(1, 1)
        side.addLayout(facts)
        self._note.setObjectName("quiet")
        self._note.setWordWrap(True)
        side.addSpacing(6)
        side.addWidget(self._note)
        side.addStretch(1)
        self._hint.setObjectName("quiet")
        self._hint.setWordWrap(True)
        side.addWidget(self._hint)
        side.addSpacing(6)
        self._keys.setTextFormat(Qt.TextFormat.RichText)
        self._keys.setObjectName("quiet")
        self._keys.setWordWrap(True)
        own = [(show_keys(c), c.label) for c in COMMANDS if c.where == "square"]
        self._keys.setText(show_key_words(own))
        side.addWidget(self._keys)
        panel = QWidget()
        panel.setLayout(side)
        side.setContentsMargins(0, 0, 0, 0)
        row_of_both = QHBoxLayout(self)
        row_of_both.setContentsMargins(16, 10, 16, 8)
        row_of_both.setSpacing(18)
        row_of_both.addWidget(self.board, 70)
        row_of_both.addWidget(panel, 30)
        self.set_theme(self._theme)

    @override
    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self.board.set_theme(theme)
        self._title.setFont(theme.bold(1.15))
        self._outlook.setFont(theme.bold())
        self._keys.setFont(theme.font(0.92))
        self.refresh()

    # --- showing ------------------------------------------------------------------------------

    @property
    def choice(self) -> SquareChoice:
        """The choice for the current page, kept or not yet."""
        return self._choice

    @override
    def enter(self, pages: Sequence[PageState], page_id: int) -> int:
        wanting = [p.id for p in pages if p.needs_review]
        return wanting[0] if wanting and page_id not in wanting else page_id

    @override
    def show_page(self, page: PageState | None, pages: Sequence[PageState], waiting: str) -> None:
        before = self._page
        if before is not None and (page is None or page.id != before.id):
            self.settle()
            self.board.end_corners()
        self._page, self._pages, self._waiting = page, pages, waiting
        if page is not None and not self._pause.isActive():
            self._choice = page.choice
        self.refresh()

    def refresh(self) -> None:
        """Update the current page, including changes not applied yet."""
        page = self._page
        if page is None or page.size_px == (0, 0):
            self.board.show_page(None, self._waiting or "No page yet. Ctrl+O adds scans.")
            self._describe(None)
            return
        session = self._session
        settled = self._choice == page.choice and page.progress == "done"
        plan = session.desk.plan(page, self._choice)
        self.board.show_page(
            PageOnBoard(
                session.original(page),
                page.size_px,
                session.picture(page.id) if settled else None,
                plan.transform,
                plan.size,
            ),
            "The page is being loaded …",
        )
        self._describe(page)

    def _on_picture(self, page_id: int) -> None:
        if self._page is not None and self._page.id == page_id and self.isVisible():
            self.refresh()

    def _describe(self, page: PageState | None) -> None:
        if page is None:
            for label in (self._title, self._outlook, self._reasons, self._hint):
                label.setText("")
            for _, value in self._facts:
                value.setText("–")
            self._note.setText("")
            return
        choice = self._choice
        part = page.choice.part
        side = "" if part is None else ", left part" if part[0] < 1 else ", right part"
        self._title.setText(f"{page.source_name}, page {page.number}{side}")
        poor = page.verdict.outlook == "poor" or bool(page.unsure)
        self._outlook.setText(
            "Check that the page is straight" if page.unsure else _OUTLOOKS[page.verdict.outlook]
        )
        self._outlook.setStyleSheet(
            f"color: {self._theme.colours.brass if poor else self._theme.colours.ink}"
        )
        doubts = [_sentence(page.unsure)] if page.unsure else []
        self._reasons.setText("\n".join([*doubts, *page.verdict.reasons]))
        self._reasons.setVisible(bool(doubts or page.verdict.reasons))
        angle = page.angle_deg if choice.angle_deg is None else choice.angle_deg
        turns = page.turns if choice.turns is None else choice.turns
        corners = page.corners if choice.corners is None else choice.corners
        by_hand = " · by hand"
        way = {0: "unchanged", 1: "turned 90°", 2: "upside down", 3: "turned back 90°"}
        if choice.as_bent:
            bend = "kept · by hand"
        elif page.straight_px is None:
            bend = "none"
        else:
            bend = f"flattened to within {page.straight_px:.1f} px"
        texts = (
            f"{_lean_text(angle)}{by_hand if choice.angle_deg is not None else ''}",
            bend,
            f"{way[turns % 4]}{by_hand if choice.turns is not None else ''}",
            f"{'cropped' if corners else 'the whole picture'}"
            f"{by_hand if choice.corners is not None else ''}",
            "evened out" if choice.even_light else "unchanged",
            "removed" if choice.no_specks else "kept",
            "coloured lines removed" if choice.no_colour else "kept",
            "removed" if choice.no_back else "kept",
            self._text_words(page),
        )
        for (_, value), text in zip(self._facts, texts, strict=True):
            value.setText(text)
        self._note.setText(page.note)
        if self.board.setting_corners:
            hint = "Tab: next corner. Arrows: move it. Enter: set. Escape: cancel."
        elif page.progress == "waiting" or self._choice != page.choice:
            hint = "The page is read again when you pause."
        else:
            left = sum(p.needs_review for p in self._pages)
            hint = f"{left} of {len(self._pages)} pages to check." if left else ""
        self._hint.setText(hint)
        self._hint.setVisible(bool(hint))

    def _text_words(self, page: PageState) -> str:
        if page.kind != "text":
            return "read from the ink"
        if self._choice.as_picture:
            return "read from the ink · by hand"
        return "the file's own, checked against its ink"

    def _part(self) -> None:
        """Split a picture that shows two pages: this page is the left one, a new one the right."""
        page = self._page
        if page is None or page.progress != "done":
            return
        self.settle()
        if page.choice.part is None:
            self._session.desk.part_page(page)
            self.say("Split into two pages. Y joins them again.")
        else:
            self._session.desk.join_parts(page)
            self.say("The picture is one page again.")
        self.pages_changed.emit()

    def _toggle_text(self) -> None:
        if self._page is not None and self._page.kind == "text":
            self._set(replace(self._choice, as_picture=not self._choice.as_picture))
        else:
            self.say("This page has no text of its own; its ink is read.")

    # --- keys ---------------------------------------------------------------------------------

    def _take_key(self, event: QKeyEvent) -> None:
        if not self._take(event):
            event.ignore()

    def _take(self, event: QKeyEvent) -> bool:
        """Handle a key; return whether it was one of this station's."""
        key = event.key()
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.modifiers() & (
            Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
        ):
            return False
        lean = 1.0 if shift else _STEP_DEG
        acts: dict[Qt.Key, Callable[[], None]] = {
            Qt.Key.Key_Left: lambda: self._lean(lean),
            Qt.Key.Key_Right: lambda: self._lean(-lean),
            Qt.Key.Key_T: lambda: self._turn(-1 if shift else 1),
            Qt.Key.Key_C: self._begin_corners,
            Qt.Key.Key_L: lambda: self._set(
                replace(self._choice, even_light=not self._choice.even_light)
            ),
            Qt.Key.Key_S: lambda: self._set(
                replace(self._choice, no_specks=not self._choice.no_specks)
            ),
            Qt.Key.Key_U: lambda: self._set(
                replace(self._choice, as_bent=not self._choice.as_bent)
            ),
            Qt.Key.Key_O: lambda: self._set(
                replace(self._choice, no_colour=not self._choice.no_colour)
            ),
            Qt.Key.Key_B: lambda: self._set(
                replace(self._choice, no_back=not self._choice.no_back)
            ),
            Qt.Key.Key_I: self._toggle_text,
            Qt.Key.Key_W: self._cycle_wipe,
            Qt.Key.Key_R: lambda: self._set(SquareChoice(part=self._choice.part)),
            Qt.Key.Key_Y: self._part,
            Qt.Key.Key_A: self._same_for_all,
            Qt.Key.Key_Return: self._pass,
            Qt.Key.Key_Enter: self._pass,
            Qt.Key.Key_PageDown: lambda: self.step_page.emit(1),
            Qt.Key.Key_PageUp: lambda: self.step_page.emit(-1),
        }
        if key not in acts or self._page is None:
            return False
        acts[Qt.Key(key)]()
        return True

    def _lean(self, degrees: float) -> None:
        """Take out ``degrees`` more of clockwise lean."""
        page = self._page
        if page is None:
            return
        now = page.angle_deg if self._choice.angle_deg is None else self._choice.angle_deg
        new = round(min(LIMIT_DEG, max(-LIMIT_DEG, now + degrees)), 2)
        self._set(replace(self._choice, angle_deg=new))

    def _turn(self, quarter: int) -> None:
        page = self._page
        if page is None:
            return
        now = page.turns if self._choice.turns is None else self._choice.turns
        self._set(replace(self._choice, turns=(now + quarter) % 4))

    def _begin_corners(self) -> None:
        page = self._page
        if page is not None and self._session.original(page) is not None:
            chosen = self._choice.corners
            self.board.begin_corners(page.corners if chosen is None else chosen)
            self._describe(page)

    def _set_corners(self, corners: Corners) -> None:
        # The lean that was taken out belongs to the sheet as it lay before.
        self._set(replace(self._choice, corners=corners, angle_deg=0.0))

    def _cycle_wipe(self) -> None:
        now = min(range(3), key=lambda i: abs(_WIPES[i] - self.board.wipe))
        self.board.set_wipe(_WIPES[(now + 1) % 3])

    def _set(self, choice: SquareChoice) -> None:
        page = self._page
        if page is None or page.progress == "failed":
            return
        self._choice = choice
        self._pause.start()
        self.refresh()

    @override
    def settle(self) -> None:
        self._pause.stop()
        page = self._page
        if page is None or self._choice == page.choice:
            return
        self._session.desk.choose([(page.id, self._choice)], Reason("squared"))
        self.pages_changed.emit()

    def _same_for_all(self) -> None:
        """Apply this page's settings to every page; asks twice, as it reaches far."""
        page = self._page
        if page is None:
            return
        chosen = self._choice
        copied = {
            what: value
            for what in _ALIKE
            if (value := getattr(chosen, what)) != getattr(_AS_FOUND, what)
        }
        if not copied:
            self.say("Nothing on this page was set by hand.")
            return
        wanted = [
            (p.id, replace(chosen if p.id == page.id else p.choice, **copied))
            for p in self._pages
            if p.progress != "failed"
        ]
        before = {p.id: p.choice for p in self._pages}
        changed = [(i, choice) for i, choice in wanted if choice != before[i]]
        if not changed:
            self.say("Every page already has these settings.")
            return
        what = ", ".join(_ALIKE[name] for name in copied)
        pages = "1 page" if len(changed) == 1 else f"{len(changed)} pages"
        if self._asked_alike != changed:
            self._asked_alike = changed
            self.say(f"Apply to {pages}: {what}? Press A again.")
            return
        self._asked_alike = []
        self._pause.stop()
        self._session.desk.choose(changed, Reason("squared-all"))
        self.say(f"Applied to {pages}: {what}. Ctrl+Z undoes it.")
        self.pages_changed.emit()

    def _pass(self) -> None:
        """Approve the page and go to the next that needs a check."""
        page = self._page
        if page is None:
            return
        self.settle()
        self._session.desk.accept_page(page.id)
        self.pages_changed.emit()  # brings the pages as they stand now
        ids = [p.id for p in self._pages]
        at = ids.index(page.id) if page.id in ids else 0
        wanting = [p.id for p in (*self._pages[at + 1 :], *self._pages[:at]) if p.needs_review]
        if wanting:
            self.page_wanted.emit(wanting[0])
        elif at + 1 < len(ids):
            self.page_wanted.emit(ids[at + 1])
        else:
            self.say("All pages are checked.")
            self.go_to.emit("rule")

    @override
    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self.board.setFocus()


_AS_FOUND = SquareChoice()
_ALIKE = {
    "turns": "rotation",
    "even_light": "even light",
    "no_specks": "remove specks",
    "no_colour": "coloured lines removed",
    "no_back": "remove show-through",
    "as_picture": "read the ink",
}
"""What every page may take over from one, of what was set there by hand."""


def _lean_text(angle_deg: float) -> str:
    if abs(angle_deg) < 0.02:
        return "none"
    side = "clockwise" if angle_deg > 0 else "anticlockwise"
    return f"{abs(angle_deg):.2f}° {side}, corrected"


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:] + "."
