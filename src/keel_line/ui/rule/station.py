"""The Rule station: the page with its grids, and the resulting sheet beside it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import QEvent, QPoint, Qt, QTimer
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QMenu
from typing_extensions import override

from keel_line._shared.ranges import parse_ranges, say_ranges
from keel_line._shared.texts import count_of
from keel_line.desk.engine import (
    add_line,
    clip_box,
    describe_area,
    fill_box,
    join_cells,
    move_line,
    parse_area,
    part_cell,
    remove_line,
)
from keel_line.desk.repeats import find_repeated
from keel_line.model.docket import PageState
from keel_line.model.geometry import Box, overlap
from keel_line.model.grid import Grid
from keel_line.model.reason import Reason
from keel_line.model.table import TableState
from keel_line.ui.commands import COMMANDS, show_key_words
from keel_line.ui.rule.forms import Forms
from keel_line.ui.rule.frame import Frame, find_free, step_frame
from keel_line.ui.rule.lines_view import LinesView
from keel_line.ui.rule.mending import Mending
from keel_line.ui.rule.side import Side
from keel_line.ui.session import Session
from keel_line.ui.station import Station
from keel_line.ui.theme import Theme

_PAUSE_MS = 900
_PAGE_EDGE = 0.01
_BESIDE = 0.03
_SHIFT = Qt.KeyboardModifier.ShiftModifier
_STEPS = {
    Qt.Key.Key_Left: (0, -1),
    Qt.Key.Key_Right: (0, 1),
    Qt.Key.Key_Up: (-1, 0),
    Qt.Key.Key_Down: (1, 0),
}
_KEYS = (
    ("Enter", "next line in doubt"),
    ("Tab", "pegs, then cells"),
    ("D", "draw a table"),
    ("M", "move it"),
    ("C", "copy it"),
    ("A", "type the area"),
    ("P", "use on other pages"),
    ("R", "repeat a form"),
    ("X", "leave it out"),
    ("U", "to its own page"),
    ("L", "split cells"),
    ("V", "whole page"),
    ("H", "more heading rows"),
    ("E", "name it"),
    ("F", "reset"),
    ("Ctrl+J", "keep as a jig"),
    ("F1", "all keys"),
)
_PEG_KEYS = (
    ("← → ↑ ↓", "next peg"),
    ("Shift", "with arrows: move the line, with Ctrl further"),
    ("N", "add a line"),
    ("Del", "remove it"),
    ("L", "split the row below at its lines"),
    ("Tab", "rows, then cells"),
    ("Esc", "back"),
)
_CELL_KEYS = (
    ("← → ↑ ↓", "next cell"),
    ("Shift", "with arrows: select several"),
    ("J", "join"),
    ("K", "split"),
    ("Esc", "back"),
)
_FRAME_KEYS = (
    ("← → ↑ ↓", "move the frame, or drag it"),
    ("Shift", "with arrows: resize it"),
    ("Alt", "small steps"),
    ("A", "type the area"),
    ("Enter", "accept"),
    ("Esc", "cancel"),
)


class RuleStation(Station):
    """The page with its grids at the left, the sheet preview at the right."""

    NAME = "rule"
    OF_PAGES = True

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session, theme)
        self._page_id = -1
        self._waiting = ""
        self._mending = Mending(lambda: [t for _, t in self._own()])
        self.forms = Forms(self, session, self._page)
        # The table whose doubtful lines are being gone through, and which of them is at hand.
        self._looking: tuple[int, int] | None = None
        self._laying_out = False
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(_PAUSE_MS)
        self._pause.timeout.connect(self.settle)
        self.view = LinesView(theme)
        self.view.step_page.connect(self.step_page)
        self.view.go_on.connect(self._go_on)
        self.view.key_pressed.connect(self._take_key)
        self.view.line_moved.connect(lambda way, i, to: self._mend(move_line, way, i, to))
        self.view.line_added.connect(lambda way, at: self._mend(add_line, way, at))
        self.view.line_removed.connect(lambda way, i: self._mend(remove_line, way, i))
        self.view.table_chosen.connect(self._choose)
        self.view.frame_drawn.connect(self._set_frame)
        self.view.menu_wanted.connect(self._show_menu)
        self.side = Side(theme)
        self.side.ask.answered.connect(self._take_answer)
        self.side.ask.left.connect(self._end_ask)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 10, 16, 8)
        row.setSpacing(16)
        row.addWidget(self.view, 62)
        row.addWidget(self.side, 38)
        self.setFocusProxy(self.view)
        self._connect(session)

    def _connect(self, session: Session) -> None:
        session.picture_changed.connect(lambda _page: self.refresh())
        session.tables_changed.connect(self._take_tables)
        session.cells_changed.connect(self.refresh)
        session.moved.connect(self._follow)
        session.jobs.area_laid_out.connect(self._take_grid)
        session.jobs.cells_parted.connect(self._take_parted)

    @override
    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self.view.set_theme(theme)
        self.side.set_theme(theme)
        self.refresh()

    @override
    def show_page(self, page: PageState | None, pages: Sequence[PageState], waiting: str) -> None:
        page_id = -1 if page is None else page.id
        if page_id != self._page_id:
            self._drop_frame()
            self.settle()
            self._mending.forget()
            self._looking = None
            self.view.choose_peg(None)
        self._page_id, self._waiting = page_id, waiting
        self.refresh()

    def _own(self) -> list[tuple[int, TableState]]:
        return self._session.proofs.tables_on(self._page_id)

    def _follow(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show the page and the table at hand, or the page's first."""
        if not self.isVisible():
            return
        image = self._session.picture(self._page_id) if self._page_id >= 0 else None
        mending = self._mending
        shown = mending.shown
        if mending.begun:
            mending.at = min(mending.at, max(0, len(shown) - 1))
        else:
            numbers = [i for i, _ in self._own()]
            at_hand = self._session.table_index
            mending.at = numbers.index(at_hand) if at_hand in numbers else 0
        self.view.show_page(image, shown, mending.at, self._waiting)
        page = self._page()
        drawn = [t.grid.box for t in shown] if mending.begun else []
        passed = () if page is None else page.rejected_areas
        self.view.show_rejected_areas(
            tuple(b for b in passed if not any(overlap(b, d) for d in drawn))
        )
        table = shown[mending.at] if shown else None
        self.side.show_table(table, len(shown), self._waiting, self._repeated(table))
        offered = page is not None and not mending.begun
        self.side.tell_form(self.forms.say(page) if page is not None and offered else "")
        self.side.tell_doubt("" if table is None else self._doubt_words(table))
        self._show_keys()

    def _repeated(self, table: TableState | None) -> str:
        """Return the name and page of the table whose heading this one repeats, if any."""
        tables = self._session.tables
        index = None if table is None else self._session.proofs.index_of(table.id)
        earlier = None if index is None else find_repeated(tables, index)
        if earlier is None:
            return ""
        return f"“{earlier.name}” on page {earlier.page_number} of {earlier.source_name}"

    def _show_keys(self) -> None:
        self.side.keys.setText(self._key_words() if self._page_id >= 0 else "")

    def _key_words(self) -> str:
        if self.view.frame_in_hand is not None:
            more = self.view.frame_in_hand.use == "draw"
            on = (("D", "next suggested area"),) if more else ()
            return show_key_words((*_FRAME_KEYS, *on))
        if self.view.picked is not None:
            return show_key_words(_CELL_KEYS)
        return show_key_words(_PEG_KEYS if self.view.gutter is not None else _KEYS)

    def _doubt_words(self, table: TableState) -> str:
        """Describe the line in doubt and the reason, or say how many lines are in doubt."""
        doubts = () if self._mending.begun else table.line_doubts
        if not doubts:
            return ""
        if self._looking is not None and self._looking[0] == table.id:
            at = min(self._looking[1], len(doubts) - 1)
            return f"{at + 1} of {len(doubts)}: {doubts[at].why}. Enter accepts it."
        if len(doubts) == 1:
            return "1 line to check (Enter)"
        return f"{len(doubts)} lines to check (Enter)"

    def _choose(self, index: int) -> None:
        if self._mending.begun:
            self._mending.at = index
            self.refresh()
            return
        own = self._own()
        if index < len(own):
            self._session.go_to_table(own[index][0] - self._session.table_index)
            self.refresh()

    # --- mending ------------------------------------------------------------------------------

    @property
    def mending(self) -> bool:
        """Whether edits wait to be kept."""
        return self._mending.begun

    def _mend(self, how: Callable[..., Grid], *what: object) -> None:
        """Edit the current grid and show the result at once."""
        if self._mending.mend(how, *what):
            self._pause.start()
        self.refresh()

    @override
    def settle(self) -> None:
        self._pause.stop()
        if not self._mending.begun or not self._mending.unkept:
            return
        self._mending.unkept = False
        self._draw([t.grid for t in self._mending.shown], Reason("lines"))

    def _draw(self, grids: list[Grid] | None, why: Reason) -> None:
        page = self._page()
        if page is not None:
            self._session.desk.draw(page, grids, why)
            self.pages_changed.emit()

    def _page(self) -> PageState | None:
        return self._session.desk.page(self._page_id)

    def _take_tables(self) -> None:
        """Show the docket's tables once the page has been read with the edits."""
        page = self._page()
        if page is None or (page.progress != "waiting" and not self._mending.unkept):
            self._mending.forget()
        self.refresh()

    def _take_key(self, event: QKeyEvent) -> None:
        control = event.modifiers() == Qt.KeyboardModifier.ControlModifier
        if control and event.key() == Qt.Key.Key_J and self.view.frame_in_hand is None:
            self._ask_jig()
            event.accept()
        elif self._take(event):
            event.accept()

    def _take(self, event: QKeyEvent) -> bool:
        """Handle a key; return whether it was one of this station's."""
        key, view = event.key(), self.view
        held = event.modifiers()
        if view.frame_in_hand is not None:
            return self._take_in_frame(key, held)
        if key == Qt.Key.Key_Tab:
            self._go_on_in_turn()
            return True
        if key == Qt.Key.Key_Escape and (view.gutter or view.picked):
            view.choose_peg(None)
            self._looking = None
            self.refresh()
            return True
        if held & (Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.MetaModifier):
            return False
        acts: dict[Qt.Key, Callable[[], None]] = {
            Qt.Key.Key_X: self._leave_out,
            Qt.Key.Key_V: self._take_whole_page,
            Qt.Key.Key_F: self._as_found,
            Qt.Key.Key_Space: self._next_table,
            Qt.Key.Key_H: partial(self._set_heading, -1 if held & _SHIFT else 1),
            Qt.Key.Key_E: self._begin_name,
            Qt.Key.Key_D: self._begin_draw,
            Qt.Key.Key_M: self._begin_move,
            Qt.Key.Key_C: self._copy,
            Qt.Key.Key_A: self._ask_area,
            Qt.Key.Key_P: self._ask_pages,
            Qt.Key.Key_U: self._extract,
            Qt.Key.Key_L: self._part_cells,
            Qt.Key.Key_O: partial(self._reorder, -1 if held & _SHIFT else 1),
            Qt.Key.Key_R: self.forms.lay_all if held & _SHIFT else self.forms.lay,
        }
        if view.picked is not None:
            acts[Qt.Key.Key_J] = self._join
            acts[Qt.Key.Key_K] = self._part
            for arrow, step in _STEPS.items():
                acts[arrow] = partial(self._pick_on, *step, bool(held & _SHIFT))
        elif view.gutter is not None:
            acts[Qt.Key.Key_Insert] = acts[Qt.Key.Key_N] = self._add_beside
            acts[Qt.Key.Key_Delete] = acts[Qt.Key.Key_Backspace] = self._remove
            back, forth = (
                (Qt.Key.Key_Left, Qt.Key.Key_Right)
                if view.gutter == "down"
                else (Qt.Key.Key_Up, Qt.Key.Key_Down)
            )
            acts[back] = lambda: self._arrow(-1, held)
            acts[forth] = lambda: self._arrow(1, held)
        if key not in acts or (held & Qt.KeyboardModifier.ControlModifier and not held & _SHIFT):
            return False
        acts[Qt.Key(key)]()
        return True

    def _go_on_in_turn(self) -> None:
        """Cycle from the columns' pegs to the rows' pegs and to the cells."""
        view = self.view
        if view.gutter == "down":
            view.choose_peg("across", view.peg)
        elif view.gutter == "across":
            view.pick(0, 0, 0, 0)
        else:
            view.choose_peg("down", 0)
        self._show_keys()

    def _pick_on(self, down: int, right: int, extend: bool) -> None:  # noqa: FBT001 - a key's modifier
        """Move the selection by an arrow, or with Shift its far corner alone."""
        picked = self.view.picked
        if picked is None:
            return
        row, col, to_row, to_col = picked
        to = (to_row + down, to_col + right)
        self.view.pick(*((row, col) if extend else to), *to)

    def _join(self) -> None:
        picked = self.view.picked
        if picked is None:
            return
        (r0, r1), (c0, c1) = sorted(picked[::2]), sorted(picked[1::2])
        self._mend(join_cells, (r0, r1 + 1), (c0, c1 + 1))
        self.view.pick(r0, c0, r1, c1)

    def _part(self) -> None:
        picked = self.view.picked
        if picked is not None:
            self._mend(part_cell, picked[0], picked[1])
            self.view.pick(*picked)

    def _arrow(self, step: int, held: Qt.KeyboardModifier) -> None:
        """Go to the next peg; with Shift move the current one, with Ctrl by larger steps."""
        view = self.view
        if view.gutter is None or not held & _SHIFT:
            view.choose_peg(view.gutter, view.peg + step)
            return
        far = 10 if held & Qt.KeyboardModifier.ControlModifier else 1
        self._mend(move_line, view.gutter, view.peg, view.lines()[view.peg] + far * step)

    def _add_beside(self) -> None:
        """Add a line half-way to the next one."""
        view, lines = self.view, self.view.lines()
        if view.gutter is None or len(lines) < 2:
            return
        at = min(view.peg, len(lines) - 2)
        self._mend(add_line, view.gutter, (lines[at] + lines[at + 1]) / 2)
        view.choose_peg(view.gutter, at + 1)

    def _remove(self) -> None:
        view = self.view
        if view.gutter is not None and view.lines():
            self._mend(remove_line, view.gutter, view.peg)
            view.choose_peg(view.gutter, view.peg)

    def _part_cells(self) -> None:
        """Split the row below the peg; without a peg split all cells by lines and columns."""
        page, view = self._page(), self.view
        if page is None or view.grid is None:
            return
        row = min(view.peg, view.grid.rows - 1) if view.gutter == "across" else None
        self._session.jobs.want_parted(page, view.grid, row)

    def _take_parted(self, grid: Grid, parted: Grid) -> None:
        now = self.view.grid
        if now is None or (now.x_lines, now.y_lines) != (grid.x_lines, grid.y_lines):
            return  # another table is at hand, or it was mended otherwise meanwhile
        if parted is grid:
            self.say("Every cell already holds one printed line.")
            return
        self._mend(lambda _: parted)
        rows, cols = parted.rows - grid.rows, parted.cols - grid.cols
        more = [count_of(rows, "row")] if rows else []
        more += [count_of(cols, "column")] if cols else []
        self.say(f"{' and '.join(more)} more. F resets the grid.")

    def _leave_out(self) -> None:
        gone = self._mending.leave_out()
        if gone is None:
            return
        self.view.choose_peg(None)
        self._pause.start()
        self.say(f"{gone.name} is left out. Ctrl+Z undoes it.")
        self.refresh()

    def _extract(self) -> None:
        """Move the current table to a page of its own, upright, and read it."""
        page, table = self._page(), self._settled_table()
        if page is None or table is None:
            return
        self._session.desk.extract_table(page, table)
        self.view.choose_peg(None)
        self._looking = None
        self.say(f"{table.name} moves to a page of its own, after this one. Ctrl+Z undoes it.")
        self.pages_changed.emit()

    def _take_whole_page(self) -> None:
        """Make one table of the whole page, with rows and columns from its writing."""
        page = self._page()
        if page is None or page.progress != "done":
            return
        wide, high = page.squared_size_px
        edge = _PAGE_EDGE * min(wide, high)
        self._mending.clear()
        self._lay_out((edge, edge, wide - edge, high - edge))

    def _as_found(self) -> None:
        self._pause.stop()
        page, begun = self._page(), self._mending.begun
        if page is None or (page.drawn is None and not begun):
            self.say("The grid is reset.")
            return
        self._mending.forget()
        if page.drawn is not None:
            self._draw(None, Reason("lines-found"))
        else:
            self.refresh()

    # --- name and heading rows ----------------------------------------------------------------

    def _settled_table(self) -> TableState | None:
        """Return the current table, once the page has been read with its edits."""
        own = self._own()
        if self._mending.begun:
            self.say("The page is being read with the new lines. Set the heading after that.")
            return None
        at = self._mending.at
        return own[at][1] if at < len(own) else None

    def _set_heading(self, step: int) -> None:
        """Add a heading row, or remove one."""
        table = self._settled_table()
        if table is not None and 0 <= table.header_rows + step <= table.grid.rows:
            self._session.set_heading(table, table.header_rows + step)

    def _begin_name(self) -> None:
        table = self._settled_table()
        if table is not None:
            self.side.begin_ask("name", "The table's name", table.name)

    # --- questions ----------------------------------------------------------------------------

    def _end_ask(self) -> None:
        self.side.end_ask()
        self.view.setFocus()

    def _take_answer(self, what: str, text: str) -> None:
        taken = {
            "name": self._take_name,
            "area": self._take_area,
            "pages": self._take_pages,
            "jig": self._keep_jig,
        }
        if taken[what](text):
            self._end_ask()

    def _take_name(self, name: str) -> bool:
        table = self._settled_table()
        if table is not None and name.strip() != table.name:
            self._session.rename(table, name)
        return True

    def _ask_jig(self) -> None:
        table = self._settled_table()
        if table is not None:
            self.side.begin_ask("jig", "Name of this form", table.name)

    def _keep_jig(self, name: str) -> bool:
        table = self._settled_table()
        return table is None or self.forms.keep(name, table)

    def _ask_area(self) -> None:
        page, frame = self._page(), self.view.frame_in_hand
        box = frame.box if frame is not None else self.view.grid.box if self.view.grid else None
        if page is None or page.progress != "done":
            return
        words = "Left, top, width, height in mm; end with “in” or “px” for others"
        self.side.begin_ask("area", words, "" if box is None else describe_area(box, page.dpi))

    def _take_area(self, text: str) -> bool:
        """Move the frame or the table to the typed area; draw a frame if there is none."""
        page = self._page()
        box = None if page is None else parse_area(text, page.dpi)
        if page is None or box is None:
            self.say("Type four numbers: left, top, width, height. For example 20 35 170 200.")
            return False
        box = clip_box(box, page.squared_size_px[::-1], page.dpi)
        if self.view.frame_in_hand is not None:
            self._set_frame(box)
        elif self.view.grid is not None:
            self._mend(fill_box, box)
        else:
            self._lay_out(box)
        return True

    def _ask_pages(self) -> None:
        page = self._page()
        if page is None or self._settled_table() is None:
            return
        numbers = self._numbered()
        others = [n for n, p in numbers.items() if p.id != page.id and p.progress == "done"]
        if not others:
            self.say("There is no other page to use this grid on.")
            return
        words = f"Use this grid on pages (1 to {len(numbers)}, for example 2-5, 8)"
        self.side.begin_ask("pages", words, say_ranges(others))

    def _numbered(self) -> dict[int, PageState]:
        """Return the docket's pages by their number in the ribbon."""
        return dict(enumerate(self._session.desk.pages(), 1))

    def _take_pages(self, text: str) -> bool:
        page, numbers = self._page(), self._numbered()
        chosen = parse_ranges(text, len(numbers))
        if page is None or chosen is None:
            self.say(f"Type page numbers from 1 to {len(numbers)}, for example 2-5, 8.")
            return False
        onto = [
            numbers[n] for n in chosen if numbers[n].id != page.id and numbers[n].progress == "done"
        ]
        if onto:
            self._session.desk.copy_grids(page, onto)
            many = "1 page" if len(onto) == 1 else f"{len(onto)} pages"
            self.say(f"The grid is used on {many}; these are read again. Ctrl+Z undoes it.")
            self.pages_changed.emit()
        return True

    # --- drawing and moving whole tables --------------------------------------------------------

    def _begin_draw(self) -> None:
        """Show a frame around the first writing that is in no table."""
        page = self._page()
        if page is None or page.progress != "done":
            return
        wide, high = page.squared_size_px
        taken = [t.grid.box for t in self._mending.shown]
        free = [b for b in page.rejected_areas if not any(overlap(b, t) for t in taken)]
        self._hold(Frame(free[0] if free else find_free(taken, (wide, high)), "draw"))

    def _next_rejected_area(self) -> None:
        """Move the frame to the next rejected area."""
        page, frame = self._page(), self.view.frame_in_hand
        if page is None or frame is None or not page.rejected_areas:
            return
        boxes = page.rejected_areas
        at = boxes.index(frame.box) + 1 if frame.box in boxes else 0
        self._hold(Frame(boxes[at % len(boxes)], "draw"))

    def _begin_move(self) -> None:
        """Begin to move the whole table."""
        if self.view.grid is not None:
            self._hold(Frame(self._mending.begin_move(), "move"))

    def _copy(self) -> None:
        """Copy the current table beside itself, to be moved into place."""
        if self.view.grid is not None:
            self._hold(Frame(self._mending.copy_beside(self.view.page_size()), "move"))

    def _hold(self, frame: Frame) -> None:
        self._looking = None
        self.view.take_frame(frame)
        self.refresh()

    def _set_frame(self, box: Box) -> None:
        """Move the frame, with the table that is being moved."""
        frame = self.view.frame_in_hand
        if frame is None:
            return
        self.view.take_frame(replace(frame, box=box))
        if frame.use == "move":
            self._mending.move_to(box)
            self.refresh()

    def _take_in_frame(self, key: int, held: Qt.KeyboardModifier) -> bool:
        frame = self.view.frame_in_hand
        if frame is None:
            return False
        moved = step_frame(frame, key, held, self.view.page_size())
        if moved is not None:
            self._set_frame(moved.box)
        elif key == Qt.Key.Key_Escape:
            self._drop_frame()
        elif key in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self._take_frame()
        elif key == Qt.Key.Key_A:
            self._ask_area()
        elif key == Qt.Key.Key_D and frame.use == "draw":
            self._next_rejected_area()
        else:
            return False
        return True

    def _drop_frame(self) -> None:
        """Remove the frame and change nothing."""
        if self.view.frame_in_hand is None:
            return
        self.view.take_frame(None)
        self._mending.put_back()
        self.refresh()

    def _take_frame(self) -> None:
        """Make a table of the frame, or keep the moved table."""
        frame = self.view.frame_in_hand
        if frame is None:
            return
        self.view.take_frame(None)
        if frame.use == "draw":
            self._lay_out(frame.box)
        else:
            self._mending.keep_move()
            self._pause.start()
        self.refresh()

    def _lay_out(self, box: Box) -> None:
        """Request the rows and columns of an area; the table appears when they are found."""
        page = self._page()
        if page is not None:
            self._mending.begin()
            self._laying_out = True
            self.say("Finding rows and columns …")
            self._session.jobs.want_grid(page, box)
            self.refresh()

    def _take_grid(self, page_id: int, grid: Grid) -> None:
        page = self._page()
        if page is None or page_id != self._page_id or not self._laying_out:
            return
        self._laying_out = False
        self._mending.take_grid(page, grid)
        self._pause.start()
        self.say(f"A table of {grid.rows} rows and {grid.cols} columns. Tab moves to its lines.")
        self.refresh()

    def _reorder(self, step: int) -> None:
        """Move the current table later or earlier among the page's tables."""
        moved = self._mending.reorder(step)
        if moved is None:
            return
        self._pause.start()
        count = len(self._mending.shown)
        self.say(f"{moved.name} is table {self._mending.at + 1} of {count} on this page.")
        self.refresh()

    # --- lines in doubt -----------------------------------------------------------------------

    def _go_on(self) -> None:
        """Approve the current line in doubt and go to the next; after the last, to Proof."""
        if self._mending.begun:
            self._leave()
            return
        if self._looking is not None:
            number, at = self._looking
            index = self._session.proofs.index_of(number)
            table = None if index is None else self._session.tables[index]
            if table is not None and at + 1 < len(table.line_doubts):
                self._look_at(table, at + 1)
                return
            if table is not None and table.line_doubts:
                self._looking = None
                self._session.accept_lines(table)
        if self.waits_for_opening():
            return
        proofs = self._session.proofs
        both = zip(proofs.tables, proofs.tallies, strict=True)
        waiting = [table for table, tally in both if tally.lines]
        if not waiting:
            self._looking = None
            self.view.choose_peg(None)
            self._leave()
            return
        own = [t for t in waiting if t.page_id == self._page_id]
        self._look_at((own or waiting)[0], 0)

    def _leave(self) -> None:
        """Go to the doubts, so that the Enter that led here settles no cell."""
        if self._session.table is not None and not self._session.cell.in_doubt:
            self._session.go_to_first_doubt()
        self.go_to.emit("proof")

    def _look_at(self, table: TableState, number: int) -> None:
        """Choose the peg of a table's line in doubt, and say why it is in doubt."""
        if table.page_id != self._page_id:
            self.page_wanted.emit(table.page_id)
        index = self._session.proofs.index_of(table.id)
        if index is not None and index != self._session.table_index:
            self._session.go_to_table(index - self._session.table_index)
        self._looking = (table.id, number)
        self.refresh()
        doubt = table.line_doubts[number]
        self.view.choose_peg(doubt.direction, doubt.index)
        self._show_keys()

    # --- the menu -------------------------------------------------------------------------------

    def _show_menu(self, at: QPoint) -> None:
        self.make_menu().exec(at)

    def make_menu(self) -> QMenu:
        """Make this station's menu, from the declarations of the help sheet."""
        menu = QMenu(self)
        for command in COMMANDS:
            if command.where != "rule" or len(command.keys) != 1 or len(command.keys[0]) != 1:
                continue
            action = menu.addAction(f"{command.label}\t{command.keys[0]}")
            if action is not None:
                key = Qt.Key(ord(command.keys[0]))
                action.triggered.connect(lambda _on, key=key: self._press(key))
        return menu

    def _press(self, key: Qt.Key) -> None:
        self._take(QKeyEvent(QEvent.Type.KeyPress, key, Qt.KeyboardModifier.NoModifier))

    def _next_table(self) -> None:
        count = len(self._mending.shown)
        if count > 1:
            self._choose((self._mending.at + 1) % count)

    @override
    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self.view.setFocus()
