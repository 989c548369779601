"""The Proof station: from doubt to doubt without leaving the keyboard."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Iterator, Sequence
from contextlib import contextmanager

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QStackedLayout, QVBoxLayout, QWidget
from typing_extensions import override

from keel_line.desk.doubts import Order
from keel_line.desk.engine import propose_addends, say_sum
from keel_line.desk.judge import RECKONINGS, findings_at, make_sheet, values_wanted
from keel_line.desk.plain import differs_in_signs
from keel_line.desk.sample import DRAWN, RIGHT, WRONG, draw_sample
from keel_line.desk.typing import complete, say_unlike
from keel_line.model.docket import PageState
from keel_line.model.finding import DrawnSum
from keel_line.model.reason import ACCEPTED, TYPED, Reason
from keel_line.model.table import CellState, TableState, column_name
from keel_line.ui.memory import WindowMemory
from keel_line.ui.proof.against_page import AgainstPage
from keel_line.ui.proof.doubt_panel import DoubtPanel, DoubtView, offer_readings
from keel_line.ui.proof.editor import CellEditor
from keel_line.ui.proof.history_sheet import HistorySheet
from keel_line.ui.proof.interline import Interline
from keel_line.ui.proof.kinds_sheet import KindsSheet
from keel_line.ui.proof.lens import Lens
from keel_line.ui.proof.soundings import Soundings
from keel_line.ui.session import Session
from keel_line.ui.station import Station
from keel_line.ui.theme import Theme

_MOST_READINGS = 5
_MOST_LEARNT = 2
_MOST_WANTED = 2
_PACE_OVER = 12
_ORDERS: dict[Order, str] = {
    "columns": "down each column",
    "rows": "along each row",
    "doubt": "the most doubtful first",
}
_ENTER = frozenset({Qt.Key.Key_Return, Qt.Key.Key_Enter})
_ARROWS = {
    Qt.Key.Key_Left: (0, -1),
    Qt.Key.Key_Right: (0, 1),
    Qt.Key.Key_Up: (-1, 0),
    Qt.Key.Key_Down: (1, 0),
}


_SUM_KEYS = (
    ("← → ↑ ↓", "move"),
    ("Space", "add or remove"),
    ("Enter", "save the sum"),
    ("Del", "not a total"),
    ("Esc", "cancel"),
)


_MOST_SAID = 0.999


def say_confidence(confidence: float) -> str:
    """Return the confidence in words; it never says 100%."""
    if confidence > _MOST_SAID:
        return f"Confidence above {_MOST_SAID:.1%}."
    return f"Confidence {confidence:.1%}."


class ProofStation(Station):
    """Lens and readings above, interline and soundings below."""

    NAME = "proof"

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session, theme)
        self._desk = session.desk
        self._settled_at: deque[float] = deque(maxlen=_PACE_OVER)
        self._going_on = False
        self._unlike = ""
        self._typing_in: int | None = None  # id of the cell that is typed in
        self._drawn: list[int] = []  # ids of cells drawn at random, while they are gone through
        self.lens = Lens(theme)
        self.panel = DoubtPanel(theme)
        self.interline = Interline(theme)
        self.soundings = Soundings(theme)
        self.editor = CellEditor(self.interline.view)
        self.kinds = KindsSheet(session, theme)
        self.against = AgainstPage(session, theme)
        self.history = HistorySheet(session, theme)
        self._nothing = QLabel("No table has been read yet.")
        self._nothing.setObjectName("quiet")
        self._nothing.setAlignment(Qt.AlignmentFlag.AlignCenter)
        work = QWidget()
        top = QGridLayout()
        top.setHorizontalSpacing(18)
        top.addWidget(self.lens, 0, 0)
        top.addWidget(self.panel, 0, 1)
        top.setColumnStretch(0, 62)
        top.setColumnStretch(1, 38)
        below = QHBoxLayout()
        below.setSpacing(8)
        below.addWidget(self.interline, 1)
        below.addWidget(self.soundings)
        column = QVBoxLayout(work)
        column.setContentsMargins(16, 10, 16, 8)
        column.setSpacing(12)
        column.addLayout(top, 30)
        column.addLayout(below, 70)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(self._nothing)
        self._stack.addWidget(work)
        self._sheet = QWidget()
        around = QVBoxLayout(self._sheet)
        around.setContentsMargins(16, 10, 16, 8)
        around.addWidget(self.kinds)
        self._stack.addWidget(self._sheet)
        self._stack.addWidget(self.against)
        self._stack.addWidget(self.history)
        self._rows = work
        self.setFocusProxy(self.interline)
        self._connect(session)
        self.refresh()

    def _connect(self, session: Session) -> None:
        self.interline.key_pressed.connect(self._take_key)
        self.interline.cell_pressed.connect(self._go_to_cell)
        self.soundings.chosen.connect(self._go_to_cell)
        self.panel.taken.connect(self.take_reading)
        self.kinds.left.connect(self._leave)
        self.kinds.said.connect(self.say)
        self.history.left.connect(self._leave)
        self.history.said.connect(self.say)
        self.against.left.connect(self.show_rows)
        self.editor.expect = self._expect
        self.editor.typed.connect(self._check_typed)
        self.editor.committed.connect(self._commit)
        self.editor.dropped.connect(self._drop)
        self.editor.reading_wanted.connect(self.take_reading)
        for signal in (self.editor.typed, self.editor.committed, self.editor.dropped):
            signal.connect(self.typing)
        for bar in self.interline.scroll_bars:
            bar.valueChanged.connect(self._place_editor)
        session.moved.connect(self.refresh)
        session.cells_changed.connect(self._take_changes)
        session.tables_changed.connect(self.refresh)
        session.picture_changed.connect(self._take_picture)

    @override
    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        for widget in (self.lens, self.panel, self.interline, self.soundings):
            widget.set_theme(theme)
        self.kinds.set_theme(theme)
        self.against.set_theme(theme)
        self.history.set_theme(theme)
        self.refresh()

    @override
    def recall(self, memory: WindowMemory) -> None:
        self.interline.zoom_step(memory.steps("table"))
        self.lens.zoom_step(memory.steps("lens"))

    @override
    def remember(self, memory: WindowMemory) -> None:
        memory.keep_steps("table", self.interline.steps)
        memory.keep_steps("lens", self.lens.steps)

    @override
    def act(self, command: str) -> bool:
        zooms = {"nearer": 1, "further": -1}
        widget = self.lens if command.startswith("lens-") else self.interline
        step = zooms.get(command.removeprefix("lens-"))
        if step is not None:
            widget.zoom_step(step)
        return step is not None

    @override
    def enter(self, pages: Sequence[PageState], page_id: int) -> int:
        self._session.hold()
        self.refresh()
        table = self._session.table
        return page_id if table is None else table.page_id

    # --- showing ----------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the session's cell at hand."""
        session, table = self._session, self._session.table
        if self._typing_in is not None and (table is None or session.cell.id != self._typing_in):
            self._drop(self.typed)  # it was meant for that cell, and no other
        if session.desk is not self._desk:  # another docket: nothing drawn or sorted is left of it
            self._desk = session.desk
            self._drawn = []
            self.interline.hold_sum(None)
            self._stack.setCurrentWidget(self._rows)
            self.setFocusProxy(self.interline)
        if self._aside is not None and table is not None:
            self._aside.refresh()
            return
        self._stack.setCurrentWidget(self._nothing if table is None else self._rows)
        if table is None:
            self.interline.show_table(None, None, 0)
            return
        state = session.cell
        image = session.picture(table.page_id)
        self.lens.show_cell(state, image)
        changed = session.proofs.collect_changes(table.id)
        self.interline.show_table(table, image, session.cell_index, changed)
        self.soundings.show_table(table, session.cell_index, changed)
        self.panel.show_view(self._view(table, state))
        self._place_editor()

    def _take_changes(self) -> None:
        if not self._going_on:
            self.refresh()

    def _take_picture(self, page_id: int) -> None:
        image = self._session.picture(page_id)
        if self.at_kinds and image is not None:
            self.kinds.take_picture(page_id, image)
        else:
            self.refresh()

    @property
    @override
    def typed(self) -> str:
        return "" if self._typing_in is None else self.editor.changed_text()

    # --- beside the rows ------------------------------------------------------------------------

    @property
    def at_kinds(self) -> bool:
        """Whether a sheet of one kind of doubts is shown."""
        return self._stack.currentWidget() is self._sheet

    @property
    def at_page(self) -> bool:
        """Whether the table is shown against its page."""
        return self._stack.currentWidget() is self.against

    @property
    def at_history(self) -> bool:
        """Whether the history is shown."""
        return self._stack.currentWidget() is self.history

    @property
    def _aside(self) -> KindsSheet | AgainstPage | HistorySheet | None:
        """The view shown in place of the rows, if any."""
        if self.at_kinds:
            return self.kinds
        return self.against if self.at_page else self.history if self.at_history else None

    def open_kinds(self) -> None:
        """Show all doubts of the current kind on one sheet."""
        if not self._session.doubts_left():
            self.say("There are no open doubts.")
            return
        if self.waits_for_opening():
            return
        self._stack.setCurrentWidget(self._sheet)
        self.kinds.begin()
        self._take_focus(self.kinds)

    def open_page(self) -> None:
        """Show the readings over the page."""
        self._stack.setCurrentWidget(self.against)
        self.against.begin()
        self._take_focus(self.against.page)

    def open_history(self) -> None:
        """Show the history of what was done."""
        if self.waits_for_opening():
            return
        self._stack.setCurrentWidget(self.history)
        self.history.begin()
        self._take_focus(self.history.search)

    def show_rows(self) -> None:
        """Return to the rows."""
        self._stack.setCurrentWidget(self._rows)
        self.refresh()
        self._take_focus(self.interline)

    def _leave(self, at: tuple[int, int] | None) -> None:
        self._stack.setCurrentWidget(self._rows)
        if at is not None:
            self._session.go_to(*at)
        self.show_rows()

    def _take_focus(self, widget: QWidget) -> None:
        self.setFocusProxy(widget)
        widget.setFocus()

    def _view_sum(self, table: TableState, drawn: DrawnSum) -> DoubtView:
        """Return the panel's contents while a sum is edited."""
        place = f"{column_name(table, drawn.total[1])} · row {drawn.total[0] + 1}"
        said = say_sum(make_sheet(table), drawn)
        return DoubtView(
            "Cells that add up to this one",
            "",
            place,
            said,
            doubtful=False,
            readings=(),
            broken=True,
            keys=_SUM_KEYS,
        )

    def _view(self, table: TableState, state: CellState) -> DoubtView:
        session = self._session
        if self.interline.sum_in_hand is not None:
            return self._view_sum(table, self.interline.sum_in_hand)
        open_doubts = session.doubts_left()
        total = session.proofs.total.flagged
        if self._is_drawn:
            heading = f"Spot check {self._drawn.index(state.id) + 1} of {len(self._drawn)}"
        elif state.in_doubt:
            number = total - open_doubts + session.doubts_before() + 1
            heading = f"Doubt {number} of {total}"
        elif open_doubts:
            heading = "Settled" if state.settled else "Not in doubt"
        else:
            heading = "All doubts are settled" if total else "No doubts"
        place = f"{column_name(table, state.cell.col)} · row {state.cell.row + 1}"
        first = table.grid.number_at(state.cell.row, 0)
        single = first is not None and table.cells[first].cell.col_span == 1
        key = table.cells[first].text if first is not None and single else ""
        if key and state.cell.col > 0:
            place += " · " + key.replace("\n", " ")
        if state.settled is not None:
            reason = (
                f"Corrected by hand; read as “{state.reading.text or 'blank'}”."
                if state.settled.by_hand
                else "Accepted as read."
            )
            if state.settled.as_printed:
                reason = "Confirmed as printed, though a check expects another value."
        elif state.recalled and state.flagged:
            reason = "A similar cell in this column was corrected."
        elif state.reading.reasons and state.flagged:
            reason = state.reading.reasons[0]
        else:
            reason = say_confidence(state.confidence)
        findings = findings_at(table, state)
        failing = bool(findings) and not findings[0].holds
        if findings and (failing or not state.in_doubt):
            said = findings[0].says
            reason = said if failing and state.settled is None else f"{reason} {said}"
        return DoubtView(
            heading,
            self._pace(open_doubts),
            place,
            reason,
            state.in_doubt,
            offer_readings(self._readings(table, state)),
            failing and findings[0].kind in RECKONINGS,
            state.in_doubt and differs_in_signs(state.reading),
        )

    def _pace(self, left: int) -> str:
        if not left or len(self._settled_at) < 4:
            return f"{left} to check" if left else ""
        span = self._settled_at[-1] - self._settled_at[0]
        minutes = span / (len(self._settled_at) - 1) * left / 60
        if minutes < 1:
            return "less than a minute to go"
        whole = round(minutes)
        return f"about {whole} minute{'s' if whole != 1 else ''} to go"

    def _readings(self, table: TableState, state: CellState) -> list[tuple[str, str]]:
        """Return the readings on offer with notes: as read, expected by checks, others."""
        wanted = values_wanted(table, state)[:_MOST_WANTED]
        learnt = [t for t in self._session.proofs.experience.offer(state) if t not in wanted]
        others = [r.text for r in state.reading.runners_up if r.text != state.reading.text]
        offered = [(state.reading.text, "as read")]
        offered += [(t, "fits the check") for t in wanted if t != state.reading.text]
        known = [t for t in dict.fromkeys([state.recalled, *learnt]) if t and t not in wanted]
        offered += [(t, "as corrected before") for t in known[:_MOST_LEARNT]]
        offered += [(t, "") for t in others if t not in wanted and t not in known[:_MOST_LEARNT]]
        return offered[:_MOST_READINGS]

    # --- keys ---------------------------------------------------------------------------------

    def _take_key(self, event: QKeyEvent) -> None:
        if self.editor.isVisible():  # typed faster than the field could take the focus
            self.editor.keyPressEvent(event)
        elif self._session.table is None:
            event.ignore()
        elif self.interline.sum_in_hand is not None and self._draw_sum_by(event):
            pass
        elif not (self._go_by(event) or self._settle_by(event)):
            event.ignore()

    def _go_by(self, event: QKeyEvent) -> bool:
        """Handle a key that moves; return whether it was one."""
        key, modifiers = event.key(), event.modifiers()
        ctrl = bool(modifiers & Qt.KeyboardModifier.ControlModifier)
        shift = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        alt = bool(modifiers & Qt.KeyboardModifier.AltModifier)
        pages = {Qt.Key.Key_PageDown: 1, Qt.Key.Key_PageUp: -1}
        if key in _ENTER and shift:
            self._session.go_to_doubt(-1)
        elif key in _ARROWS and not (ctrl or alt):
            self._session.go_beside(*_ARROWS[Qt.Key(key)])
        elif key in pages and ctrl:
            self._session.go_to_table(pages[Qt.Key(key)])
        elif key in pages:
            bar, _ = self.interline.scroll_bars
            bar.setValue(bar.value() + bar.pageStep() * pages[Qt.Key(key)])
        else:
            return False
        return True

    def _settle_by(self, event: QKeyEvent) -> bool:
        """Handle a key that settles or types; return whether it was one."""
        key, modifiers = event.key(), event.modifiers()
        ctrl = bool(modifiers & Qt.KeyboardModifier.ControlModifier)
        alt = bool(modifiers & Qt.KeyboardModifier.AltModifier)
        if key in _ENTER:
            self._accept()
        elif key in _SHEETS:
            _SHEETS[Qt.Key(key)](self)
        elif alt and key == Qt.Key.Key_0:
            self._settle_as_printed()
        elif alt and Qt.Key.Key_1 <= key <= Qt.Key.Key_5:
            self.take_reading(key - Qt.Key.Key_1)
        elif key == Qt.Key.Key_F2:
            self._edit(self._session.cell.text)
        elif key == Qt.Key.Key_Backspace and not ctrl:
            self._settle("", Reason("emptied"))
        elif event.text() and event.text().isprintable() and not (ctrl or alt):
            self._edit(event.text())
        else:
            return False
        return True

    def _accept(self) -> None:
        if self._session.cell.settled is None:
            with self._before_going_on():
                self._session.accept(RIGHT if self._is_drawn else ACCEPTED)
            self._settled_at.append(time.monotonic())
        self._next()

    @contextmanager
    def _before_going_on(self) -> Iterator[None]:
        """Prevent a repaint between settling a cell and moving on."""
        self._going_on = True
        try:
            yield
        finally:
            self._going_on = False

    def change_order(self) -> None:
        """Change the order of doubts: columns, rows, greatest doubt first."""
        orders = list(_ORDERS)
        now = orders[(orders.index(self._session.order) + 1) % len(orders)]
        self._session.set_order(now)
        self.say(f"Order of doubts: {_ORDERS[now]}.")

    # --- sums -----------------------------------------------------------------------------------

    def begin_sum(self) -> None:
        """Begin to edit the sum whose total is the cell at hand, or a new one."""
        table = self._session.table
        if table is None:
            return
        cell = self._session.cell.cell
        total = (cell.row, cell.col)
        known = next((s for s in table.sums.drawn if s.total == total), None)
        sheet = make_sheet(table)
        drawn = known or DrawnSum(total, propose_addends(sheet, total))
        self.interline.hold_sum(drawn)
        self.refresh()

    def _draw_sum_by(self, event: QKeyEvent) -> bool:
        """Handle a key that edits a sum; return whether it was one."""
        key, table, drawn = event.key(), self._session.table, self.interline.sum_in_hand
        if table is None or drawn is None:
            return False
        if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            return False
        total = table.grid.number_at(*drawn.total)
        if key in _ARROWS:
            self._session.go_beside(*_ARROWS[Qt.Key(key)])
            return True
        if key == Qt.Key.Key_Space:
            self._take_into_sum(drawn)
            return True
        if key in _ENTER and drawn.addends:
            self._session.set_sums(table.sums.draw(drawn), Reason("sum-set"))
            said = "Sum saved."
        elif key in {Qt.Key.Key_Delete, Qt.Key.Key_Backspace}:
            self._session.set_sums(table.sums.drop(drawn.total), Reason("sum-dropped"))
            said = "This is no longer a total."
        elif key == Qt.Key.Key_Escape:
            said = ""
        else:
            return True  # nothing is typed while a sum is in hand
        self.interline.hold_sum(None)
        self.refresh()
        if total is not None:
            self._session.go_to(self._session.table_index, total)
        self.say(f"{said} Ctrl+Z undoes it." if said else "")
        return True

    def _take_into_sum(self, drawn: DrawnSum) -> None:
        """Add the cell at hand to the sum, or remove it."""
        cell = self._session.cell.cell
        place = (cell.row, cell.col)
        if place == drawn.total:
            return
        others = {*drawn.addends} ^ {place}
        self.interline.hold_sum(DrawnSum(drawn.total, tuple(sorted(others))))
        self.refresh()

    # --- a sample drawn at random ---------------------------------------------------------------

    @property
    def _is_drawn(self) -> bool:
        """Whether the cell at hand belongs to the random sample."""
        return self._session.table is not None and self._session.cell.id in self._drawn

    def draw_sample(self) -> None:
        """Start a spot check of cells not in doubt; if one runs, end it."""
        session = self._session
        if self._drawn:
            self._finish_sample()
            return
        if self.waits_for_opening():
            return
        places = draw_sample(session.tables, DRAWN, np.random.default_rng())
        if not places:
            self.say("All cells are checked.")
            return
        self._drawn = [session.tables[t].cells[c].id for t, c in places]
        session.go_to(*places[0])
        self.say(f"Spot check of {len(places)} cells: Enter confirms, typing corrects, F7 ends.")

    def _next_drawn(self) -> None:
        """Go to the next cell of the sample; after the last, report the result."""
        session = self._session
        here = self._drawn.index(session.cell.id) if session.cell.id in self._drawn else -1
        order = [*self._drawn[here + 1 :], *self._drawn[: here + 1]]
        cells = (session.proofs.cell(number) for number in order)
        following = next((s.id for s in cells if s is not None and s.settled is None), None)
        place = None if following is None else session.proofs.find_cell(following)
        if place is None:
            self._finish_sample()
        else:
            session.go_to(*place)

    def _finish_sample(self) -> None:
        self._drawn = []
        verdict = self._session.proofs.judge_drawn()
        self.say(verdict.say() if verdict else "None of the random cells was checked.")
        self.refresh()

    def _settle_as_printed(self) -> None:
        """Settle the cell at hand as printed, although a check expects another value."""
        with self._before_going_on():
            self._session.settle_as_printed()
        self._settled_at.append(time.monotonic())
        self._next()

    def take_reading(self, number: int) -> None:
        """Settle the cell with one of the readings on offer, counted from 0."""
        table = self._session.table
        if table is None:
            return
        readings = self._readings(table, self._session.cell)
        if number < len(readings):
            self._drop()  # on purpose, whatever was typed
            text, note = readings[number]
            code = "accepted" if number == 0 else "chosen"
            fits = "-fits" if note == "fits the check" else ""
            self._settle(text, Reason(code + fits, str(number + 1)))

    def _settle(self, text: str, why: Reason) -> None:
        if self._is_drawn:
            why = RIGHT if text == self._session.cell.reading.text else WRONG
        with self._before_going_on():
            self._session.replace_text(text, why)
        self._settled_at.append(time.monotonic())
        self._next()

    def _next(self) -> None:
        if self._drawn:
            self._next_drawn()
        elif not self._session.go_to_doubt(1):
            self.say("Every doubt is settled. Ctrl+6 goes on to Send.")
            self.refresh()

    def _go_to_cell(self, index: int) -> None:
        self._drop()
        self._session.go_to(self._session.table_index, index)
        self.interline.setFocus()

    # --- typing --------------------------------------------------------------------------------

    def _edit(self, text: str) -> None:
        self.editor.setFont(self._theme.bold_reading(1.08))
        self.editor.quiet = self._theme.color("quiet")
        self._unlike = ""
        self._typing_in = self._session.cell.id
        self.editor.begin(text, self._session.cell.text)
        self._place_editor()

    def _expect(self, typed: str) -> str:
        """Return the completion of the typed text."""
        table = self._session.table
        return "" if table is None else complete(table, self._session.cell, typed)

    def _check_typed(self, typed: str) -> None:
        """Warn if the typed text is unlike its column."""
        table = self._session.table
        unlike = "" if table is None else say_unlike(table, self._session.cell, typed.strip())
        if unlike != self._unlike:
            self._unlike = unlike
            self.say(unlike)

    def _place_editor(self) -> None:
        table = self._session.table
        if table is None or not self.editor.isVisible():
            return
        box = self.interline.reading_box(self._session.cell.cell)
        wide = max(box.width(), self._theme.em * 10.92)
        left = min(box.left(), self.interline.view.width() - wide - 2)
        lines = self.editor.toPlainText().count("\n") + 1
        high = max(box.height(), self._theme.em * (1.35 * lines + 1.0))
        self.editor.setGeometry(round(left), round(box.top()), round(wide), round(high))

    def _commit(self, text: str) -> None:
        self._check_typed("")
        self._typing_in = None
        self.editor.hide()
        self.interline.setFocus()
        self._settle(text, TYPED)

    def _drop(self, typed: str = "") -> None:
        """Close the field; report ``typed`` text that is lost by that."""
        if self._typing_in is not None:
            self._check_typed("")
            self._typing_in = None
            self.editor.hide()
            self.interline.setFocus()
            if typed:
                self.say(f"“{typed}” was not saved. Enter saves what you type.")

    @override
    def focusInEvent(self, event: QFocusEvent | None) -> None:
        proxy = self.focusProxy()
        (proxy or self.interline).setFocus()


_SHEETS = {
    Qt.Key.Key_F3: ProofStation.open_page,
    Qt.Key.Key_F4: ProofStation.open_kinds,
    Qt.Key.Key_F6: ProofStation.open_history,
    Qt.Key.Key_F7: ProofStation.draw_sample,
    Qt.Key.Key_F8: ProofStation.change_order,
    Qt.Key.Key_F9: ProofStation.begin_sum,
}
