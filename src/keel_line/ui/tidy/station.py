"""The Tidy station: the table as it will be, what was done to it, and what it still needs."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import Future
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QVBoxLayout, QWidget
from typing_extensions import override

from keel_line._shared.texts import count_of
from keel_line.desk.desk import Desk
from keel_line.desk.pool import InlineExecutor
from keel_line.desk.tidying import KINDS, MORE, Change, MisfitError, Tidying
from keel_line.errors import KeelLineError
from keel_line.model.docket import PageState
from keel_line.model.table import TableState
from keel_line.ui.commands import show_key_words
from keel_line.ui.copying import copy_table
from keel_line.ui.session import Session
from keel_line.ui.station import Station
from keel_line.ui.theme import Theme
from keel_line.ui.tidy.lane import Lane
from keel_line.ui.tidy.ready_bar import ReadyBar
from keel_line.ui.tidy.seam import SeamView
from keel_line.ui.tidy.sheet import SheetView
from keel_line.ui.tidy.trail_bar import TrailBar
from keel_line.ui.widgets.ask import Ask
from keel_line.ui.widgets.elided import ElidedLabel

_KEYS = (
    ("1–9", "take"),
    ("Alt+1–9", "not wanted"),
    ("N", "name"),
    ("T", "type"),
    ("X", "leave column out"),
    ("Delete", "leave rows out"),
    ("F", "fill from above"),
    ("J", "join with the next"),
    ("A", "add the next table below"),
    ("P", "part"),
    ("S", "sort"),
    ("R", "replace"),
    ("M", "more"),
    ("=", "new column"),
    ("Ctrl+←→", "move column"),
    ("B", "move a block"),
    ("I", "the seam"),
    ("L", "lane"),
    ("V", "two columns"),
    ("Ctrl+J", "keep as a jig"),
    ("Ctrl+C", "copy the table"),
    ("Tab", "the steps"),
    ("Enter", "see the ink"),
)
_TRAIL_KEYS = (
    ("←→", "choose a step"),
    ("Space", "off or on"),
    ("Delete", "take out"),
    ("Ctrl+←→", "move"),
    ("Tab", "back to the table"),
)
_ALL_DONE = "Nothing more is suggested for this table."


class TidyStation(Station):
    """The trail above, the table below, the lane at its side."""

    NAME = "tidy"

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session, theme)
        self._shown: tuple[TableState, Tidying] | None = None
        self._against = ""  # the name of the column that the one at hand is shown against
        self._changing_in: Desk | None = None  # the docket for which a thread takes a step
        self._counts = False  # whether the lane shows how often values come
        self.title = ElidedLabel()
        self._rows = QLabel()
        self._rows.setObjectName("quiet")
        self.warning = QLabel()
        self.warning.setObjectName("doubt")
        self.trail = TrailBar(theme)
        self.ready = ReadyBar(theme)
        self.view = SheetView(theme)
        self.lane = Lane(theme, self.view)
        self.seam = SeamView(theme, session.picture)
        self.ask = Ask()
        self.more = QMenu(self)
        for what in MORE:
            action = self.more.addAction(what)
            if action is not None:
                action.triggered.connect(lambda _on, what=what: self._do_more(what))
        self._keys = QLabel()
        self._keys.setObjectName("quiet")
        self._keys.setTextFormat(Qt.TextFormat.RichText)
        self._keys.setWordWrap(True)
        self._empty = QLabel("No table yet. Add pages in Gather; their tables come here.")
        self._empty.setObjectName("quiet")
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._lay_out()
        self._connect()
        self.set_theme(theme)

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.setSpacing(14)
        top.addWidget(self.title, 1)
        top.addWidget(self._rows)
        middle = QHBoxLayout()
        middle.setSpacing(10)
        middle.addWidget(self.view, 1)
        middle.addWidget(self.lane)
        self._body = QWidget()
        body = QVBoxLayout(self._body)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(6)
        body.addLayout(top)
        body.addWidget(self.warning)
        body.addWidget(self.trail)
        body.addWidget(self.ready)
        body.addWidget(self.ask)
        body.addWidget(self.seam)
        body.addLayout(middle, 1)
        body.addWidget(self._keys)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(16, 10, 16, 8)
        whole.addWidget(self._body, 1)
        whole.addWidget(self._empty, 1)

    def _connect(self) -> None:
        session = self._session
        session.moved.connect(self.refresh)
        session.tables_changed.connect(self.refresh)
        session.cells_changed.connect(self.refresh)
        session.tidied.connect(self.refresh)
        session.picture_changed.connect(lambda _page: self.seam.update())
        self.view.pressed_key.connect(self._take_key)
        self.view.moved.connect(self._follow_cell)
        self.view.doubleClicked.connect(self._see_ink)
        self.ready.taken.connect(self.take)
        self.ready.all_taken.connect(self.take_all)
        self.trail.switched.connect(lambda k: self._change(lambda t: t.switch(k)))
        self.trail.dropped.connect(lambda k: self._change(lambda t: t.drop_step(k)))
        self.trail.shifted.connect(lambda k, by: self._change(lambda t: t.move_step(k, by)))
        self.trail.left.connect(self.view.setFocus)
        self.trail.chosen.connect(self._show_keys)
        self.lane.chosen.connect(self._go_to_row)
        self.ask.answered.connect(self._answer)
        self.ask.typed.connect(self._check)
        self.ask.left.connect(self._leave_ask)
        self.ask.field.complete = self._complete

    @property
    @override
    def first(self) -> QWidget:
        return self.view

    @property
    @override
    def typed(self) -> str:
        return self.ask.field.text() if self.ask.what == "formula" else ""

    @override
    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self.title.setFont(theme.bold(1.25))
        for part in (self.trail, self.ready, self.view, self.lane, self.seam):
            part.set_theme(theme)
        self._keys.setMinimumHeight(2 * self._keys.fontMetrics().lineSpacing())
        self._keys.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._shown = None
        self.refresh()

    @override
    def enter(self, pages: Sequence[PageState], page_id: int) -> int:
        self.refresh()
        table = self._session.table
        return page_id if table is None else table.page_id

    # --- showing --------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the table at hand."""
        if not self.isVisible():
            return
        table = self._session.table
        self._body.setVisible(table is not None)
        self._empty.setVisible(table is None)
        if table is None:
            self._shown = None
            return
        tidying = self._session.find_tidying(table)
        if tidying is None:
            self._rows.setText("Being tidied …")
            return
        if self._shown is not None and self._shown[0] is table and self._shown[1] is tidying:
            return
        same = self._shown is not None and self._shown[0].id == table.id
        at = self._at if same else (0, 0)
        if self._shown is not None and same:  # headings may have become names
            now = tidying.table.heading_rows
            at = (at[0] + now - self._shown[1].table.heading_rows, at[1])
        self._shown = table, tidying
        if not same:
            self._leave_ask()
            self.seam.leave()
        self.title.setText(table.name)
        whole = self._session.joined_to(table)
        where = "" if whole is None else f"joined to “{whole.name}” on page {whole.page_number} · "
        self._rows.setText(where + tidying.say_rows())
        self.warning.setText("\n".join(f"◤ {words}" for words in tidying.seam_troubles))
        self.warning.setVisible(bool(tidying.seam_troubles))
        self.trail.show_steps(tidying.taken)
        self.ready.show_suggestions(tidying.suggestions, _ALL_DONE)
        self.view.show_table(tidying, at)
        self._show_lane()
        self._show_keys()

    @property
    def tidying(self) -> Tidying | None:
        """The table at hand as it is tidied."""
        return None if self._shown is None else self._shown[1]

    @property
    def _at(self) -> tuple[int, int]:
        index = self.view.currentIndex()
        return max(0, index.row()), max(0, index.column())

    def _show_lane(self) -> None:
        tidying = self.tidying
        if tidying is None or not self.lane.isVisibleTo(self) or not tidying.table.columns:
            return
        col = self._at[1]
        name = tidying.ref(col).say()
        other = tidying.find_column(self._against) if self._against else None
        if other is not None:
            columns = [
                (tidying.plots[k], tidying.ref(k).say(), tidying.ends(k, tidying.plots[k]))
                for k in (col, other)
            ]
            self.lane.show_pair(*columns)
            return
        if self._counts:
            self.lane.show_shares(tidying.counts[col], f"{name}: how often")
            return
        values = tidying.plots[col]
        self.lane.show_values(values, f"{name} along the rows", tidying.ends(col, values))

    def _show_keys(self) -> None:
        if self.trail.at >= 0:
            self._keys.setText(show_key_words(_TRAIL_KEYS))
            self.say(self.trail.say_step())
        else:
            self._keys.setText(show_key_words(_KEYS))

    def _follow_cell(self) -> None:
        self._show_lane()
        row, col = self._at
        if self.seam.isVisible() and self._shown is not None:
            seam = self._session.find_seam(*self._shown, row)
            if seam is not None and seam != self.seam.seam:
                self.seam.show_seam(seam)
        misfit = self.view.sheet.say_misfit(row, col)
        if misfit:
            self.say(f"{misfit}. Enter shows the ink; T sets another type.")

    # --- changes --------------------------------------------------------------------------------

    def _change(
        self, make: Callable[[Tidying], Change], then: Callable[[], object] = lambda: None
    ) -> None:
        """Change the trail, then do something more; say so where the change does not fit.

        The steps of a long table are taken in a thread.
        """
        if self._shown is None:
            return
        table, tidying = self._shown
        if (
            self._changing_in is self._session.desk
            or self._session.find_tidying(table) is not tidying
        ):
            self.say("The last step is still being taken.")
            return
        work = partial(make, tidying)
        if not self._session.is_long(table):
            done: Future[Change] = InlineExecutor().submit(work)
            self._take_change(table, then, done)
            return
        self._changing_in = self._session.desk  # of another docket no answer comes
        self.say("The step is being taken …")
        self._session.jobs.want(work, partial(self._take_change, table, then))

    def _take_change(
        self, table: TableState, then: Callable[[], object], done: Future[Change]
    ) -> None:
        self._changing_in = None
        try:
            change = done.result()
        except MisfitError as error:
            self.say(str(error), trouble=True)
            return
        index = self._session.proofs.index_of(table.id)
        now = None if index is None else self._session.tables[index]
        if now is None or (now.steps, now.grid) != (table.steps, table.grid):
            self.say("The table was changed meanwhile. Take the step again.", trouble=True)
            return
        self._session.set_steps(now, change)
        self.refresh()
        self.say(f"{change.say()} Ctrl+Z undoes it.")
        then()

    def take(self, number: int) -> None:
        """Take a suggestion, counted from 0."""
        if self.tidying is not None and number < len(self.tidying.suggestions):
            jig = self.tidying.offered_jig if number == 0 else ""
            self._change(lambda t: t.take(number), lambda: self._session.follow_jig(jig))

    def take_all(self) -> None:
        """Take all suggestions."""
        if self.tidying is not None and self.tidying.suggestions:
            jig = self.tidying.offered_jig
            self._change(lambda t: t.take_all(), lambda: self._session.follow_jig(jig))
        else:
            self.say(_ALL_DONE)

    def _decline(self, number: int) -> None:
        if self.tidying is not None and number < len(self.tidying.suggestions):
            self._change(lambda t: t.decline(number))

    # --- keys -----------------------------------------------------------------------------------

    def _take_key(self, event: QKeyEvent) -> None:
        if self.tidying is None or not self.tidying.table.columns:
            return
        modifiers = event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        digit = event.key() - Qt.Key.Key_1
        if 0 <= digit < 9 and modifiers == Qt.KeyboardModifier.NoModifier:
            self.take(digit)
        elif 0 <= digit < 9 and modifiers == Qt.KeyboardModifier.AltModifier:
            self._decline(digit)
        elif modifiers == Qt.KeyboardModifier.ControlModifier:
            self._take_control_key(event)
        elif event.text() == "=":
            self._ask_formula()
        elif modifiers == Qt.KeyboardModifier.NoModifier:
            self._take_plain_key(event)
        else:
            return
        event.accept()

    def _take_control_key(self, event: QKeyEvent) -> None:
        col = self._at[1]
        key = Qt.Key(event.key())
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(key, 0)
        table = {Qt.Key.Key_PageUp: -1, Qt.Key.Key_PageDown: 1}.get(key, 0)
        if key in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self.take_all()
        elif key == Qt.Key.Key_J:
            self._ask_jig()
        elif key == Qt.Key.Key_C and self._shown is not None:
            copy_table(self._session, self._shown[0], self.say)
        elif step and 0 <= col + step < self.view.sheet.columnCount():
            self._change(lambda t: t.move_column(col, step), lambda: self._go_to_col(col + step))
        elif table:
            self._session.go_to_table(table)

    def _take_plain_key(self, event: QKeyEvent) -> None:
        col = self._at[1]
        actions: dict[Qt.Key, Callable[[], object]] = {
            Qt.Key.Key_Return: self._see_ink,
            Qt.Key.Key_Enter: self._see_ink,
            Qt.Key.Key_N: self._ask_name,
            Qt.Key.Key_T: self._ask_type,
            Qt.Key.Key_X: lambda: self._change(lambda t: t.drop_column(col)),
            Qt.Key.Key_Delete: self._drop_rows,
            Qt.Key.Key_F: lambda: self._change(lambda t: t.fill(col)),
            Qt.Key.Key_J: lambda: self._change(lambda t: t.join(col)),
            Qt.Key.Key_A: self._add_next,
            Qt.Key.Key_P: self._ask_split,
            Qt.Key.Key_S: lambda: self._change(lambda t: t.sort(col)),
            Qt.Key.Key_R: self._ask_replace,
            Qt.Key.Key_M: self._show_more,
            Qt.Key.Key_B: self._move_block,
            Qt.Key.Key_I: self._fold_seam,
            Qt.Key.Key_L: self._fold_lane,
            Qt.Key.Key_V: self._ask_against,
            Qt.Key.Key_Escape: self._put_back,
            Qt.Key.Key_Tab: self.trail.setFocus,
            Qt.Key.Key_Backtab: self.trail.setFocus,
        }
        action = actions.get(Qt.Key(event.key()))
        if action is not None:
            action()

    def _drop_rows(self) -> None:
        rows = self.view.selected_rows()
        tidying = self.tidying
        if tidying is not None and rows and rows[0] >= tidying.table.heading_rows:
            self._change(lambda t: t.drop_rows(rows))

    def _move_block(self) -> None:
        """Take up the cells that are marked, or put those taken up where the table is at hand."""
        tidying, block = self.tidying, self.view.sheet.lifted
        if tidying is None:
            return
        if block is not None:
            row, col = self._at
            self._change(
                lambda t: t.move_block(block, row, col), lambda: self._go_to_cell(row, col)
            )
            return
        top, left, bottom, right = self.view.selected_block()
        if top < tidying.table.heading_rows:
            self.say("Headings stay where they are. Mark cells below them.", trouble=True)
            return
        self._go_to_cell(top, left)  # from here on, arrows move its corner
        self.view.sheet.lift((top, left, bottom, right))
        size = f"{count_of(bottom - top + 1, 'row')} of {count_of(right - left + 1, 'column')}"
        self.say(
            f"{size} taken up. Go to where the upper left cell belongs and press B. "
            "Esc leaves them here."
        )

    def _fold_seam(self) -> None:
        """Show the ink where the table goes on over a page, or no longer."""
        seam = None
        if self._shown is not None and not self.seam.isVisible():
            table, tidying = self._shown
            seam = self._session.find_seam(table, tidying, self._at[0])
            if seam is None:
                self.say("This table does not go on over a page.")
                return
        if seam is None:
            self.seam.leave()
            return
        self.seam.show_seam(seam)
        self.view.scrollTo(self.view.currentIndex())
        self.say(f"{self.seam.say()}. I closes this.")

    def _put_back(self) -> None:
        self.seam.leave()
        if self.view.sheet.lifted is not None:
            self.view.sheet.lift(None)
            self.say("The cells stay where they are.")

    def _add_next(self) -> None:
        """Join the next table of the docket below, whatever speaks for or against it."""
        if self.tidying is None or self.tidying.next is None:
            self.say("There is no table after this one.")
            return
        other = self.tidying.next[0]
        self._change(lambda t: t.join_table(other))

    def _show_more(self) -> None:
        """Show what else can be done at the cell at hand."""
        self.more.popup(self.view.place_of_menu())

    def _do_more(self, what: str) -> None:
        row, col = self._at
        self._change(lambda t: t.do(what, row, col))

    def _ask_replace(self) -> None:
        row, col = self._at
        words = f"Replace in {self.view.sheet.say_name(col)}: old text > new text"
        text = "" if self.tidying is None else str(self.tidying.table.columns[col].texts[row])
        self.ask.ask("replace", words, f"{text} > ")

    def _fold_lane(self) -> None:
        """Show the values along the rows, how often each comes, or no lane, by turns."""
        if self._against:
            self._against = ""
        elif self.lane.isVisible() and not self._counts:
            self._counts = True
        else:
            self.lane.setVisible(not self.lane.isVisible())
            self._counts = False
        self._show_lane()

    def _go_to_col(self, col: int) -> None:
        self._go_to_cell(self._at[0], col)

    def _go_to_cell(self, row: int, col: int) -> None:
        self.view.setCurrentIndex(self.view.sheet.index(row, col))

    def _go_to_row(self, row: int) -> None:
        self.view.setCurrentIndex(self.view.sheet.index(row, self._at[1]))
        self.view.setFocus()

    def _see_ink(self) -> None:
        """Go to the cell in Proof that the text at hand came from."""
        tidying = self.tidying
        cell = None if tidying is None else tidying.find_cell(*self._at)
        place = None if cell is None else self._session.proofs.find_cell(cell)
        if place is None:
            self.say("This text comes from no cell of the paper.")
            return
        self._session.go_to(*place)
        self.go_to.emit("proof")

    # --- questions ------------------------------------------------------------------------------

    def _ask_name(self) -> None:
        name = self.view.sheet.say_name(self._at[1])
        self.ask.ask("name", f"New name of {name}", name)

    def _ask_type(self) -> None:
        name = self.view.sheet.say_name(self._at[1])
        words = f"Type of {name}: {', '.join(KINDS)}. The first letters are enough."
        self.ask.ask("type", words, "")

    def _ask_against(self) -> None:
        name = self.view.sheet.say_name(self._at[1])
        words = f"Show {name} against which column? The first letters are enough; L leaves it."
        self.ask.ask("against", words, "")

    def _show_against(self, text: str) -> None:
        other = None if self.tidying is None else self.tidying.find_column(text)
        if other is None:
            self.say(f"No column, or more than one, begins with “{text}”.", trouble=True)
            return
        self._against = text
        self._leave_ask()
        self.lane.show()
        self._show_lane()
        self.view.scrollTo(self.view.currentIndex())  # the lane is wider now
        self.say(f"{self.lane.title}. Press a point to go to its row.")

    def _ask_jig(self) -> None:
        if self._shown is None:
            return
        self.ask.ask("jig", "Name of this form", self._shown[0].name)

    def _keep_jig(self, name: str) -> bool:
        if self._shown is None or not name.strip():
            return False
        try:
            path = self._session.keep_as_jig(" ".join(name.split()), self._shown[0])
        except KeelLineError as error:
            self.say(str(error), trouble=True)
            return False
        self.say(f"Kept as {path.name}. Its lines and steps are offered on pages of this form.")
        return True

    def _ask_split(self) -> None:
        name = self.view.sheet.say_name(self._at[1])
        self.ask.ask("split", f"Split {name} at this sign, or after so many characters", " ")

    def _ask_formula(self) -> None:
        self.ask.ask("formula", self._formula_words(), "")

    def _complete(self, text: str) -> str:
        """Complete a column's name after { or a word of the formula."""
        if self.ask.what != "formula" or self.tidying is None:
            return text
        return self.tidying.complete_formula(text)

    def _formula_words(self) -> str:
        if self.tidying is None:
            return ""
        names = [c.name for c in self.tidying.table.columns if c.name]
        shown = ", ".join(f"{{{n}}}" for n in names[:8]) + (" …" if len(names) > 8 else "")
        return f"New column, as in: Name = {{Column}} × 2. Tab completes. Columns: {shown}"

    def _check(self, what: str, text: str) -> None:
        """Say while a formula is typed what it lacks."""
        if what != "formula" or self.tidying is None or not text.strip():
            return
        try:
            said = self.tidying.check_formula(text) or "Enter makes the column."
        except MisfitError as error:
            said = str(error)
        self.ask.say(f"{self._formula_words()}\n{said}")

    def _answer(self, what: str, text: str) -> None:
        col = self._at[1]
        makes: dict[str, Callable[[Tidying], Change]] = {
            "name": lambda t: t.rename(col, text),
            "split": lambda t: t.split(col, text),
            "replace": lambda t: t.replace(col, text),
            "formula": lambda t: t.derive(text),
        }
        if what == "type":
            kinds = [k for k in KINDS if k.startswith(text.strip().casefold())]
            if not text.strip() or not kinds:
                self.say(f"“{text}” is no type. Types: {', '.join(KINDS)}.", trouble=True)
                return
            makes["type"] = lambda t: t.set_type(col, kinds[0])
        if what == "against":
            self._show_against(text)
            return
        if what == "jig":
            if self._keep_jig(text):
                self._leave_ask()
            return

        def leave() -> None:
            self._leave_ask()
            if what == "formula":  # it stands at the end
                self._go_to_col(self.view.sheet.columnCount() - 1)

        self._change(makes[what], leave)

    def _leave_ask(self) -> None:
        if self.ask.what:
            self.view.setFocus()
        self.ask.hide()

    @override
    def act(self, command: str) -> bool:
        return False
