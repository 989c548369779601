"""The History view: what was done to a cell or in the docket, with search, written as CSV."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import (
    QAbstractTableModel,
    QEvent,
    QModelIndex,
    QObject,
    QSortFilterProxyModel,
    Qt,
    pyqtSignal,
)
from PyQt6.QtGui import QFont, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)
from typing_extensions import override

from keel_line.desk.history import OF_PAGES, Correction, place_changes
from keel_line.errors import KeelLineError
from keel_line.ui.session import Session
from keel_line.ui.theme import Theme
from keel_line.ui.widgets.plain import plain_tip

_HEADINGS = ("When", "Where", "Read as", "Before", "After", "Why", "Who")
_NOWHERE = QModelIndex()
_MOVES = frozenset({Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown})
_ENTER = frozenset({Qt.Key.Key_Return, Qt.Key.Key_Enter})


class _Model(QAbstractTableModel):
    """What was done, as rows; what was undone is struck out."""

    def __init__(self) -> None:
        super().__init__()
        self.corrections: list[Correction] = []

    def show(self, corrections: list[Correction]) -> None:
        self.beginResetModel()
        self.corrections = corrections
        self.endResetModel()

    @override
    def rowCount(self, parent: QModelIndex = _NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.corrections)

    @override
    def columnCount(self, parent: QModelIndex = _NOWHERE) -> int:
        return 0 if parent.isValid() else len(_HEADINGS)

    @override
    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return _HEADINGS[section]
        return None

    @override
    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        correction = self.corrections[index.row()]
        if role == Qt.ItemDataRole.FontRole and correction.record.undone:
            font = QFont()
            font.setStrikeOut(True)
            return font
        if role == Qt.ItemDataRole.DisplayRole:
            return _texts(correction)[index.column()]
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(_texts(correction)[index.column()])
        return None


def _texts(correction: Correction) -> tuple[str, ...]:
    """Return the texts of a correction's columns."""
    record = correction.record
    cell = record.kind == "settle"
    return (
        f"{correction.at:%d %b %Y, %H:%M:%S}",
        _where(correction),
        _shown(record.reading) if cell else "",
        _shown(correction.before) if cell else correction.before,
        _shown(correction.after) if cell else correction.after,
        str(record.reason) + (" (undone)" if record.undone else ""),
        record.who,
    )


def _where(correction: Correction) -> str:
    """Return where something was done, in words."""
    kind, page = correction.record.kind, f"page {correction.page} of {correction.source}"
    if correction.table and kind == "settle":
        return f"{correction.table} · {correction.column} · row {correction.row}"
    if correction.table:
        return correction.table
    if not correction.source:
        return "a cell that no longer exists" if kind == "settle" else "no longer there"
    return f"{page}, in no table now" if kind == "settle" else page


def _shown(text: str) -> str:
    return text.replace("\n", " ⏎ ") or "blank"


class HistorySheet(QWidget):
    """A table of what was done, below a search field.

    Signals
    -------
    left
        The clerk goes back to the rows; carries the cell chosen as (table, cell), or None.
    said
        What was done or went wrong, in words.
    """

    left = pyqtSignal(object)
    said = pyqtSignal(str)

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self._session, self._theme = session, theme
        self.whole_docket = True
        self._model = _Model()
        self.proxy = QSortFilterProxyModel(self)
        self.proxy.setSourceModel(self._model)
        self.proxy.setFilterKeyColumn(-1)
        self.proxy.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self._heading = QLabel("History")
        self._count = QLabel()
        self._count.setObjectName("quiet")
        self.search = QLineEdit()
        self.search.setPlaceholderText("Type to search: a value, a name, a column, a day")
        self.search.setAccessibleName("Search the history")
        self.search.textChanged.connect(self._filter)
        self.search.installEventFilter(self)
        self.table = QTableView()
        self.table.setObjectName("list")
        self.table.setModel(self.proxy)
        self.table.setAccessibleName("What was done, the latest first")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        self.table.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.table.doubleClicked.connect(self._leave)
        if (side := self.table.verticalHeader()) is not None:
            side.hide()
        self._scope = QPushButton()
        self._scope.clicked.connect(self._change_scope)
        self._write = QPushButton("Write as CSV… (Ctrl+E)")
        self._write.clicked.connect(self._choose_target)
        for button in (self._scope, self._write):
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._keys = QLabel(
            " &nbsp; &nbsp; ".join(
                f'<span style="font-weight:600">{key}</span> {what}'
                for key, what in (
                    ("Enter", "goes to it"),
                    ("Tab", "this cell, or all"),
                    ("Esc", "back to the rows"),
                )
            )
        )
        self._keys.setTextFormat(Qt.TextFormat.RichText)
        self._keys.setObjectName("quiet")
        self._lay_out()
        self.setFocusProxy(self.search)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 8)
        column.setSpacing(10)
        top = QHBoxLayout()
        top.addWidget(self._heading)
        top.addStretch(1)
        top.addWidget(self._count)
        column.addLayout(top)
        tools = QHBoxLayout()
        tools.addWidget(self.search, 1)
        tools.addWidget(self._scope)
        tools.addWidget(self._write)
        column.addLayout(tools)
        column.addWidget(self.table, 1)
        column.addWidget(self._keys)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self._heading.setFont(theme.bold(1.25))
        self.table.setFont(theme.reading())

    def begin(self) -> None:
        """Show what was done in the docket, the latest first."""
        self._heading.setFont(self._theme.bold(1.25))
        self.whole_docket = True
        self.search.clear()
        self.refresh()

    def refresh(self) -> None:
        """Update the list."""
        session = self._session
        cell_id = None if self.whole_docket or session.table is None else session.cell.id
        history = session.desk.history(cell_id)
        found = place_changes(history, session.tables, session.proofs.find_cell)
        self._model.show(found)
        self._scope.setText("Only this cell" if self.whole_docket else "The whole docket")
        self._filter()
        self._set_widths()

    def _set_widths(self) -> None:
        header = self.table.horizontalHeader()
        if header is None:
            return
        em = self._theme.em
        for col, ems in enumerate((12.8, 22.0, 8.5, 8.5, 8.5, 12.0, 5.5)):
            header.resizeSection(col, round(ems * em))
        header.setSectionResizeMode(5, QHeaderView.ResizeMode.Stretch)
        header.setFont(self._theme.bold(0.92))
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)

    def _filter(self) -> None:
        self.proxy.setFilterFixedString(self.search.text().strip())
        shown, all_of = self.proxy.rowCount(), self._model.rowCount()
        of = f" of {all_of}" if shown != all_of else ""
        self._count.setText(f"{shown}{of} change{'s' if all_of != 1 else ''}")
        if shown:
            self.table.selectRow(0)

    def shown(self) -> list[Correction]:
        """Return the changes shown, in order."""
        rows = range(self.proxy.rowCount())
        return [
            self._model.corrections[self.proxy.mapToSource(self.proxy.index(r, 0)).row()]
            for r in rows
        ]

    # --- keys ---------------------------------------------------------------------------------

    @override
    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            return self._take_key(event)
        return super().eventFilter(watched, event)

    def _take_key(self, event: QKeyEvent) -> bool:
        """Handle a key before the search field does; return whether it was one of the sheet's."""
        key = event.key()
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if key in (Qt.Key.Key_Escape, Qt.Key.Key_F6):
            self.left.emit(None)
        elif key in _ENTER:
            self._leave()
        elif key in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab):
            self._change_scope()
        elif key in _MOVES:
            self._move({Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(key), 0), Qt.Key(key))
        elif ctrl and key == Qt.Key.Key_E:
            self._choose_target()
        else:
            return False
        return True

    def _move(self, step: int, key: Qt.Key) -> None:
        if not step:
            step = 15 if key == Qt.Key.Key_PageDown else -15
        rows = self.proxy.rowCount()
        if rows:
            now = self.table.currentIndex().row()
            self.table.selectRow(min(max(now + step, 0), rows - 1))

    def _change_scope(self) -> None:
        self.whole_docket = not self.whole_docket
        self.refresh()

    def _leave(self) -> None:
        index = self.table.currentIndex()
        chosen = self.shown()[index.row()] if index.isValid() and self.proxy.rowCount() else None
        if chosen is None or chosen.table_index < 0:
            self.left.emit(None)
            if chosen is not None and chosen.record.kind in OF_PAGES:
                self._session.go_to_page(chosen.record.subject)
        else:
            self.left.emit((chosen.table_index, chosen.cell_index))

    def _choose_target(self) -> None:
        path = self._session.desk.docket.path
        stem = path.stem if path else "Docket"
        name, _ = QFileDialog.getSaveFileName(
            self, "Where to write", str(Path.home() / f"{stem} history.csv"), "*.csv"
        )
        if name:
            self.write(Path(name))

    def write(self, target: Path) -> None:
        """Write the changes shown as CSV; add the ending if it is missing."""
        if target.suffix.lower() != ".csv":
            target = target.with_name(target.name + ".csv")
        try:
            self._session.desk.write_history(self.shown(), target)
        except KeelLineError as error:
            self.said.emit(str(error))
            return
        self.said.emit(f"Wrote {target.name}.")
