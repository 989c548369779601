"""Rule: the grid over the page, mended in its gutters, and the sheet as it will be beside it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import (
    QAbstractTableModel,
    QEvent,
    QModelIndex,
    QObject,
    Qt,
    QTimer,
    pyqtSignal,
)
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QTableView, QVBoxLayout, QWidget
from typing_extensions import override

from keel_line.desk.desk import MOST_NAME
from keel_line.desk.preview import preview_table
from keel_line.model.docket import PageState
from keel_line.model.grid import Grid
from keel_line.model.table import TableState
from keel_line.rule.mend import (
    add_line,
    join_cells,
    make_plain_grid,
    move_line,
    part_cell,
    remove_line,
)
from keel_line.ui.rule.lines_view import LinesView
from keel_line.ui.session import Session
from keel_line.ui.theme import Theme

_PAUSE_MS = 900
_PAGE_EDGE = 0.03
_SHIFT = Qt.KeyboardModifier.ShiftModifier
_STEPS = {
    Qt.Key.Key_Left: (0, -1),
    Qt.Key.Key_Right: (0, 1),
    Qt.Key.Key_Up: (-1, 0),
    Qt.Key.Key_Down: (1, 0),
}
_KEYS = (
    "Tab goes to the pegs of the columns, of the rows, and to the cells; arrows go on there. "
    "Shift with an arrow moves a line, N adds one, Delete removes it. Of cells Shift picks "
    "several, J joins, K parts them. H makes one more row heading, Shift+H one fewer, E names the "
    "table. X leaves it out, V takes the whole page, F as found."
)


class SheetModel(QAbstractTableModel):
    """A table's texts as the sheet will have them."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._table: TableState | None = None
        self._texts: dict[tuple[int, int], str] = {}

    def show(self, table: TableState | None) -> None:
        """Show another table."""
        self.beginResetModel()
        self._table = table
        self._texts = (
            {}
            if table is None
            else {(s.cell.row, s.cell.col): s.text.replace("\n", " ") for s in table.cells}
        )
        self.endResetModel()

    @override
    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() or self._table is None else self._table.grid.rows

    @override
    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() or self._table is None else self._table.grid.cols

    @override
    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        heading = self._table is not None and index.row() < self._table.header_rows
        if role == Qt.ItemDataRole.DisplayRole:
            return self._texts.get((index.row(), index.column()), "")
        if role == Qt.ItemDataRole.FontRole and heading:
            return self._theme.bold(0.92)
        if role == Qt.ItemDataRole.BackgroundRole and heading:
            return self._theme.color("heading")
        if role == Qt.ItemDataRole.TextAlignmentRole:
            text = self._texts.get((index.row(), index.column()), "")
            right = text[-1:].isdigit() and text[:1] in "-0123456789" and not heading
            side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        return None


class RuleStation(QWidget):
    """Page with its grids at the left, the sheet-to-be at the right.

    Signals
    -------
    step_page
        The page before (-1) or after (+1) is wanted.
    go_on
        The lines are right.
    changed
        The page waits to be read again.
    said
        Something for the status line.
    """

    step_page = pyqtSignal(int)
    go_on = pyqtSignal()
    changed = pyqtSignal()
    said = pyqtSignal(str)

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self._session, self._theme = session, theme
        self._page_id = -1
        self._waiting = ""
        self._at = 0
        # The page's tables as they are being mended; None where they are as the docket has them.
        self._mended: list[TableState] | None = None
        self._unkept = False
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(_PAUSE_MS)
        self._pause.timeout.connect(self.settle)
        self.view = LinesView(theme)
        self.view.step_page.connect(self.step_page)
        self.view.go_on.connect(self.go_on)
        self.view.key_pressed.connect(self._take_key)
        self.view.line_moved.connect(lambda way, i, to: self._mend(move_line, way, i, to))
        self.view.line_added.connect(lambda way, at: self._mend(add_line, way, at))
        self.view.line_removed.connect(lambda way, i: self._mend(remove_line, way, i))
        self.view.table_chosen.connect(self._choose)
        self.model = SheetModel(theme)
        self.sheet = QTableView()
        self.sheet.setModel(self.model)
        self.sheet.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.sheet.setSelectionMode(QTableView.SelectionMode.NoSelection)
        for header in (self.sheet.verticalHeader(), self.sheet.horizontalHeader()):
            if header is not None:
                header.hide()
        self._title = QLabel()
        self.name = self._make_name_field()
        self.name.installEventFilter(self)
        self._size = QLabel()
        self._size.setWordWrap(True)
        head = QLabel("The sheet as it will be")
        for label in (head, self._size):
            label.setObjectName("quiet")
        side = QVBoxLayout()
        side.setSpacing(6)
        for widget in (head, self._title, self.name, self._size):
            side.addWidget(widget)
        side.addSpacing(4)
        side.addWidget(self.sheet, 1)
        self._keys = QLabel()
        self._keys.setObjectName("quiet")
        self._keys.setWordWrap(True)
        side.addWidget(self._keys)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 10, 16, 8)
        row.setSpacing(16)
        row.addWidget(self.view, 62)
        row.addLayout(side, 38)
        self.setFocusProxy(self.view)
        self._connect(session)

    def _connect(self, session: Session) -> None:
        session.picture_changed.connect(lambda _page: self.refresh())
        session.tables_changed.connect(self._take_tables)
        session.cells_changed.connect(self.refresh)
        session.moved.connect(self._follow)

    def _make_name_field(self) -> QLineEdit:
        """Make the field in which a table is named; it stands in the title's place."""
        field = QLineEdit()
        field.setMaxLength(MOST_NAME)
        field.setAccessibleName("The table's name")
        field.returnPressed.connect(self._take_name)
        field.hide()
        return field

    def set_theme(self, theme: Theme) -> None:
        """Dress anew."""
        self._theme = theme
        self.view.set_theme(theme)
        self.refresh()

    def show_page(self, page_id: int, waiting: str = "") -> None:
        """Show a page; ``waiting`` says why there is nothing to see yet."""
        if page_id != self._page_id:
            self.settle()
            self._mended = None
            self.view.choose_peg(None)
        self._page_id, self._waiting = page_id, waiting
        self.refresh()

    def _own(self) -> list[tuple[int, TableState]]:
        return [(i, t) for i, t in enumerate(self._session.tables) if t.page_id == self._page_id]

    def _follow(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Show the page and the table at hand, or the page's first."""
        if not self.isVisible():
            return
        image = self._session.picture(self._page_id) if self._page_id >= 0 else None
        if self._mended is None:
            own = self._own()
            shown = [t for _, t in own]
            at = next((k for k, (i, _) in enumerate(own) if i == self._session.table_index), 0)
        else:
            shown, at = self._mended, min(self._at, max(0, len(self._mended) - 1))
        self._at = at
        self.view.show_page(image, shown, at, self._waiting)
        table = shown[at] if shown else None
        self._title.setFont(self._theme.bold(1.2))
        self._title.setText(table.name if table else "No table on this page")
        self._size.setText(self._describe(table, len(shown)))
        self._keys.setText(_KEYS if self._page_id >= 0 else "")
        self.model.show(table)
        self.sheet.clearSpans()
        if table is not None:
            for state in table.cells:
                c = state.cell
                if c.row_span > 1 or c.col_span > 1:
                    self.sheet.setSpan(c.row, c.col, c.row_span, c.col_span)
            self.sheet.setFont(self._theme.font(0.92))
            if (side := self.sheet.verticalHeader()) is not None:
                side.setDefaultSectionSize(round(self._theme.em * 1.9))
            self.sheet.resizeColumnsToContents()
            for col in range(table.grid.cols):
                self.sheet.setColumnWidth(col, self.sheet.columnWidth(col) + 4)

    def _describe(self, table: TableState | None, count: int) -> str:
        if table is None:
            return self._waiting or (
                "No rules close here, and no columns of white run down between lines of text."
            )
        heading = {0: "no heading", 1: "1 heading row"}.get(
            table.header_rows, f"{table.header_rows} heading rows"
        )
        spans = sum(s.cell.row_span > 1 or s.cell.col_span > 1 for s in table.cells)
        spanning = f", {spans} spanning" if spans else ""
        more = f"  ·  {count} tables on this page, press one to see its sheet" if count > 1 else ""
        return f"{table.grid.rows} rows, {table.grid.cols} columns, {heading}{spanning}{more}"

    def _choose(self, index: int) -> None:
        if self._mended is not None:
            self._at = index
            self.refresh()
            return
        own = self._own()
        if index < len(own):
            self._session.go_to_table(own[index][0] - self._session.table_index)
            self.refresh()

    # --- mending ------------------------------------------------------------------------------

    @property
    def mending(self) -> bool:
        """Whether lines were mended that wait to be read again."""
        return self._mended is not None

    def _begin(self) -> list[TableState]:
        if self._mended is None:
            self._mended = [t for _, t in self._own()]
        return self._mended

    def _mend(self, how: Callable[..., Grid], *what: object) -> None:
        """Mend the grid at hand and show at once what comes of it."""
        tables = self._begin()
        if not tables:
            return
        table = tables[self._at]
        grid = how(table.grid, *what)
        if grid is not table.grid:
            tables[self._at] = preview_table(table, grid)
            self._keep_soon()
        self.refresh()

    def _keep_soon(self) -> None:
        self._unkept = True
        self._pause.start()

    def settle(self) -> None:
        """Keep what was mended, and have the page read again."""
        self._pause.stop()
        if self._mended is None or not self._unkept:
            return
        self._unkept = False
        self._draw([t.grid for t in self._mended], "lines mended by hand")

    def _draw(self, grids: list[Grid] | None, why: str) -> None:
        page = self._page()
        if page is not None:
            self._session.desk.draw(page, grids, why)
            self.changed.emit()

    def _page(self) -> PageState | None:
        return next((p for p in self._session.desk.pages() if p.id == self._page_id), None)

    def _take_tables(self) -> None:
        """Show the docket's tables again once the page was read with the mended lines."""
        page = self._page()
        if page is None or (page.progress != "waiting" and not self._unkept):
            self._mended = None
        self.refresh()

    def _take_key(self, event: QKeyEvent) -> None:
        if self._take(event):
            event.accept()

    def _take(self, event: QKeyEvent) -> bool:
        """Do what a key asks for; return whether it was one of this station's."""
        key, view = event.key(), self.view
        held = event.modifiers()
        if key == Qt.Key.Key_Tab:
            self._go_on_in_turn()
            return True
        if key == Qt.Key.Key_Escape and (view.gutter or view.picked):
            view.choose_peg(None)
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
        """Go from the columns' pegs to the rows', on to the cells, and round."""
        view = self.view
        if view.gutter == "down":
            view.choose_peg("across", view.peg)
        elif view.gutter == "across":
            view.pick(0, 0, 0, 0)
        else:
            view.choose_peg("down", 0)

    def _pick_on(self, down: int, right: int, extend: bool) -> None:  # noqa: FBT001 - a key's modifier
        """Move the picked field by an arrow, or with Shift the far corner alone."""
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
        """Go to the next peg; with Shift move the one at hand, with Control far."""
        view = self.view
        if view.gutter is None or not held & _SHIFT:
            view.choose_peg(view.gutter, view.peg + step)
            return
        far = 10 if held & Qt.KeyboardModifier.ControlModifier else 1
        self._mend(move_line, view.gutter, view.peg, view.lines()[view.peg] + far * step)

    def _add_beside(self) -> None:
        """Add a boundary half-way to the next one."""
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

    def _leave_out(self) -> None:
        tables = self._begin()
        if not tables:
            return
        gone = tables.pop(self._at)
        self.view.choose_peg(None)
        self._keep_soon()
        self.said.emit(f"{gone.name} is left out. Ctrl+Z takes it back.")
        self.refresh()

    def _take_whole_page(self) -> None:
        """Make the whole page one table, with the rows and columns that its writing shows."""
        page = self._page()
        if page is None or page.progress != "done":
            return
        wide, high = page.squared_size_px
        edge = round(_PAGE_EDGE * min(wide, high))
        box = (float(edge), float(edge), float(wide - edge), float(high - edge))
        grid = make_plain_grid(box, 2, 2)
        table = TableState(-1, "The whole page", page.id, page.number, "", grid, 0, "", ())
        self._mended = [preview_table(table, grid)]
        self._at = 0
        self._keep_soon()
        self.refresh()
        self.view.choose_peg("down", 1)

    def _as_found(self) -> None:
        self._pause.stop()
        self._unkept = False
        page = self._page()
        if page is None or (page.drawn is None and self._mended is None):
            self.said.emit("The lines are as they were found.")
            return
        mended, self._mended = self._mended, None
        if page.drawn is not None:
            self._draw(None, "lines as found")
        elif mended is not None:
            self.refresh()

    # --- name and heading rows ----------------------------------------------------------------

    def _settled_table(self) -> TableState | None:
        """Return the table at hand, once what was mended of the page's lines has been read."""
        own = self._own()
        if self._mended is not None:
            self.said.emit("The mended lines are being read; then the heading can be set.")
            return None
        return own[self._at][1] if self._at < len(own) else None

    def _set_heading(self, step: int) -> None:
        """Make one row more, or one fewer, part of the heading."""
        table = self._settled_table()
        if table is not None and 0 <= table.header_rows + step <= table.grid.rows:
            self._session.set_heading(table, table.header_rows + step)

    def _begin_name(self) -> None:
        table = self._settled_table()
        if table is not None:
            self.name.setFont(self._theme.bold(1.2))
            self.name.setText(table.name)
            self._title.hide()
            self.name.show()
            self.name.selectAll()
            self.name.setFocus()

    def _take_name(self) -> None:
        table = self._settled_table()
        name = self.name.text()
        self._end_name()
        if table is not None and name.strip() != table.name:
            self._session.rename(table, name)

    def _end_name(self) -> None:
        self.name.hide()
        self._title.show()
        self.view.setFocus()

    @override
    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if (
            watched is self.name
            and isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.key() == Qt.Key.Key_Escape
        ):
            self._end_name()
            return True
        return super().eventFilter(watched, event)

    def _next_table(self) -> None:
        count = len(self._mended) if self._mended is not None else len(self._own())
        if count > 1:
            self._choose((self._at + 1) % count)

    @override
    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self.view.setFocus()
