"""The Gather station: all pages and their state, or how to begin if there are none."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from PyQt6.QtCore import QAbstractTableModel, QEvent, QModelIndex, QObject, QSize, Qt
from PyQt6.QtGui import QIcon, QKeyEvent, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QStackedLayout,
    QTableView,
    QVBoxLayout,
    QWidget,
)
from typing_extensions import override

from keel_line._shared.texts import count_of
from keel_line.desk.editions import Edition, find_editions, follow_edition
from keel_line.model.docket import PageState, SourceState
from keel_line.ui.gather.differences import DifferencesSheet
from keel_line.ui.session import Session
from keel_line.ui.station import DocketView, Station
from keel_line.ui.theme import Theme
from keel_line.ui.widgets.plain import plain_label, plain_tip

COLUMNS = ("", "Source", "Page", "What it is", "Size", "Resolution", "State")
_ROWS_MEASURED = 24  # for the widths of the columns
_KINDS = {"scan": "scan", "fax": "fax", "photo": "photograph", "text": "real text"}


def describe_state(page: PageState) -> str:
    """Return a page's progress in words."""
    if page.progress == "failed":
        return page.trouble
    if page.progress == "waiting":
        return "not read yet"
    tables = {0: "no table found", 1: "1 table"}.get(page.tables, f"{page.tables} tables")
    if page.unsure:
        return f"{tables}; check its position: {page.unsure}"
    done = []
    if page.corners:
        done.append("cropped to the sheet")
    elif abs(page.angle_deg) >= 0.05:
        done.append(f"straightened by {abs(page.angle_deg):.1f}°")
    if page.turns:
        done.append("turned upright")
    return ", ".join([tables, *done])


def _key(row: PageState | SourceState) -> tuple[type, int]:
    return (type(row), row.id)


class ManifestModel(QAbstractTableModel):
    """The rows of the list: files that could not be added, then pages."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._rows: list[PageState | SourceState] = []
        self._small: Mapping[int, QPixmap] = {}
        self._pictured: set[int] = set()

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.beginResetModel()
        self._theme = theme
        self.endResetModel()

    def show(self, rows: list[PageState | SourceState], small: Mapping[int, QPixmap]) -> None:
        """Show other rows; if they are of the same pages, only changes are repainted."""
        before, pictured = self._rows, self._pictured
        self._pictured = set(small)
        if [_key(row) for row in rows] != [_key(row) for row in before]:
            self.beginResetModel()
            self._rows, self._small = rows, small
            self.endResetModel()
            return
        self._rows, self._small = rows, small
        fresh = self._pictured - pictured
        for number, (old, new) in enumerate(zip(before, rows, strict=True)):
            if (old is not new and old != new) or (isinstance(new, PageState) and new.id in fresh):
                self.dataChanged.emit(self.index(number, 0), self.index(number, len(COLUMNS) - 1))

    def show_page(self, index: int, row: PageState) -> None:
        """Update a page's row; ``index`` counts the pages, not the files above them."""
        number = index + sum(isinstance(r, SourceState) for r in self._rows)
        self._rows[number] = row
        self._pictured = set(self._small)
        self.dataChanged.emit(self.index(number, 0), self.index(number, len(COLUMNS) - 1))

    def row_at(self, index: int) -> PageState | SourceState:
        """Return the page or source in a row."""
        return self._rows[index]

    def key_at(self, index: int) -> tuple[type, int] | None:
        """Return the kind and id of what a row shows, None where there is no such row."""
        return _key(self._rows[index]) if 0 <= index < len(self._rows) else None

    @override
    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self._rows)

    @override
    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(COLUMNS)

    @override
    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return COLUMNS[section]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        return None

    @override
    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row = self._rows[index.row()]
        if role == Qt.ItemDataRole.DecorationRole and index.column() == 0:
            picture = self._small.get(row.id) if isinstance(row, PageState) else None
            return QIcon(picture) if picture else None
        if role == Qt.ItemDataRole.ForegroundRole and index.column() == len(COLUMNS) - 1:
            bad = row.trouble or (
                isinstance(row, PageState) and row.progress == "done" and not row.tables
            )
            return self._theme.color("trouble" if bad else "ink")
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(row, index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(self._text(row, index.column()))
        return None

    @staticmethod
    def _text(row: PageState | SourceState, column: int) -> str:
        if isinstance(row, SourceState):
            said = f"{row.trouble} Del dismisses this."
            return {1: row.name, 3: "not added", 6: said}.get(column, "")
        known = row.progress == "done"
        res = row.resolution
        dpi = (
            f"{res.x_dpi:.0f} dpi"
            if res.x_dpi == res.y_dpi
            else (f"{res.x_dpi:.0f} × {res.y_dpi:.0f} dpi")
        )
        return (
            "",
            row.source_name,
            str(row.number),
            _KINDS[row.kind] if known else "",
            f"{row.size_px[0]:,} × {row.size_px[1]:,} px" if known else "",
            (dpi + (" (estimated)" if res.estimated else "")) if known else "",
            describe_state(row),
        )[column]


class GatherStation(Station):
    """The list of pages, or how to begin if it is empty."""

    NAME = "gather"

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session, theme)
        self.model = ManifestModel(theme)
        self.table = QTableView()
        self.table.setObjectName("list")
        self.table.setModel(self.model)
        self.table.setIconSize(QSize(34, 44))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.setAccessibleName("Pages of this docket")
        self.table.activated.connect(self._choose)
        self.table.installEventFilter(self)
        if (side := self.table.verticalHeader()) is not None:
            side.hide()
            side.setDefaultSectionSize(52)
        if (head := self.table.horizontalHeader()) is not None:
            head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            head.setSectionResizeMode(len(COLUMNS) - 1, QHeaderView.ResizeMode.Stretch)
            head.setResizeContentsPrecision(_ROWS_MEASURED)
            head.setHighlightSections(False)
        self._first: QWidget = self.table
        self.edition = QLabel()
        self.edition.setTextFormat(Qt.TextFormat.PlainText)
        self._editions: list[Edition] = []
        self._following: Edition | None = None
        self.differences = DifferencesSheet()
        self.differences.left.connect(self._leave_differences)
        self.differences.chosen.connect(self._see_cell)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(self._make_start_panel())
        self._stack.addWidget(self._make_manifest())
        self._stack.addWidget(self.differences)

    @property
    @override
    def first(self) -> QWidget:
        return self._first

    def _make_manifest(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(16, 12, 16, 10)
        bar = QHBoxLayout()
        more = QPushButton("Add files…")
        more.clicked.connect(lambda: self.command.emit("add-files"))
        hint = QLabel("or drop scans anywhere in the window. Enter shows a page's grid.")
        hint.setObjectName("quiet")
        bar.addWidget(more)
        bar.addWidget(hint)
        bar.addStretch(1)
        column.addLayout(bar)
        self.edition.setObjectName("doubt")
        column.addWidget(self.edition)
        column.addWidget(self.table, 1)
        return page

    def _make_start_panel(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setSpacing(10)
        column.addStretch(2)
        title = QLabel("Add your paper tables")
        title.setFont(self._theme.bold(1.9))
        words = QLabel(
            "Drop scans, faxes, photographs or PDFs anywhere in this window, or add them here.\n"
            "They are straightened and read on this machine; nothing leaves it."
        )
        words.setObjectName("quiet")
        self._title = title
        buttons = QHBoxLayout()
        self.begin_button = QPushButton("Add files…")
        self.begin_button.setObjectName("main")
        self.begin_button.clicked.connect(lambda: self.command.emit("add-files"))
        self.demo_button = QPushButton("Open the demo docket")
        self.demo_button.clicked.connect(lambda: self.command.emit("open-demo"))
        for widget in (self.begin_button, self.demo_button):
            buttons.addWidget(widget)
        buttons.addStretch(1)
        self._earlier = QVBoxLayout()
        self._earlier.setSpacing(0)
        for part in (title, words):
            part.setAlignment(Qt.AlignmentFlag.AlignLeft)
            column.addWidget(part)
        column.addSpacing(6)
        column.addLayout(buttons)
        column.addSpacing(18)
        column.addLayout(self._earlier)
        column.addStretch(3)
        outer = QWidget()
        row = QHBoxLayout(outer)
        row.addStretch(1)
        page.setFixedWidth(640)
        row.addWidget(page)
        row.addStretch(1)
        return outer

    @override
    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self._title.setFont(theme.bold(1.9))
        at = self.table.currentIndex().row()
        self.model.set_theme(theme)
        self.table.selectRow(max(at, 0))

    def _show_earlier(self, dockets: Sequence[tuple[Path, str]]) -> None:
        """Offer earlier dockets, each with its file and time of its last change."""
        while (item := self._earlier.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        if not dockets:
            return
        head = QLabel("Earlier work")
        head.setObjectName("quiet")
        self._earlier.addWidget(head)
        for path, when in dockets:
            button = QPushButton(plain_label(f"{path.stem}    {when}"))
            button.setObjectName("line")
            button.clicked.connect(lambda _on, p=path: self.docket_wanted.emit(p))
            self._earlier.addWidget(button)

    @override
    def show_row(self, number: int, page: PageState) -> None:
        self.model.show_page(number, page)

    @override
    def show_docket(self, docket: DocketView) -> None:
        if not docket.pages:
            self._show_earlier(docket.earlier)
        rows: list[PageState | SourceState] = [*docket.troubled, *docket.pages]
        first_ones = bool(rows) and self._stack.currentIndex() == 0 and self.isVisible()
        if self._stack.currentWidget() is not self.differences or not rows:
            self._stack.setCurrentIndex(1 if rows else 0)
        self._show_edition()
        at = self.table.currentIndex().row()
        before = self.model.key_at(at)
        self.model.show(rows, docket.small)
        same = (k for k in range(len(rows)) if self.model.key_at(k) == before)
        wanted = next(same, min(max(at, 0), len(rows) - 1))
        if rows and self.table.currentIndex().row() != wanted:
            self.table.selectRow(wanted)
        self._first = self.table if rows else self.begin_button
        if first_ones:
            self.table.setFocus()

    # --- new editions ---------------------------------------------------------------------------

    def _show_edition(self) -> None:
        """Offer to take over from the earlier edition of a source that came again."""
        self._editions = find_editions(self._session.desk)
        self.edition.setVisible(bool(self._editions))
        if not self._editions:
            self._following = None
            return
        name = self._editions[0].new.name
        self.edition.setText(
            f"◤ {name} is a new edition. E takes over earlier work and lists what differs."
        )
        pages = self._session.desk.pages()
        if self._following in self._editions and all(
            p.progress != "waiting" for p in pages if p.source_id == self._following.new.id
        ):
            self.follow(self._following)

    def follow(self, edition: Edition) -> None:
        """Take over from the earlier edition; where pages are read first, again after that."""
        if self.waits_for_opening():
            return
        done = follow_edition(self._session.desk, edition)
        if done.waiting:
            self._following = edition
            what = count_of(done.waiting, "page")
            self.say(f"{what} to be read first; then the earlier edition is taken over.")
            self.pages_changed.emit()
            return
        self._following = None
        self._session.reload()
        self.say(
            f"{count_of(done.settled, 'value')} taken over in {count_of(done.tables, 'table')}."
        )
        self._show_edition()
        self.differences.show_differences(edition.new.name, done.differences, self._theme)
        self._stack.setCurrentWidget(self.differences)
        self._first = self.differences.sheet

    def _leave_differences(self) -> None:
        self._stack.setCurrentIndex(1)
        self._first = self.table
        self.table.setFocus()

    def _see_cell(self, cell: int) -> None:
        place = self._session.proofs.find_cell(cell)
        if place is not None:
            self._session.go_to(*place)
            self.go_to.emit("proof")

    @override
    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Handle this station's keys first; the list would take a letter to search for a row."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            plain = event.modifiers() == Qt.KeyboardModifier.NoModifier
            if plain and self._press(event.key()):
                return True
        return super().eventFilter(watched, event)

    def _press(self, key: int) -> bool:
        """Act on a key press; return False for a key that this station does not use."""
        rows = self.model.rowCount()
        if key == Qt.Key.Key_E and self._editions:
            self.follow(self._editions[0])
        elif key == Qt.Key.Key_Delete:
            self._dismiss()
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self.table.selectRow(0 if key == Qt.Key.Key_Home else rows - 1)
        else:
            return False
        return True

    def _dismiss(self) -> None:
        """Remove the row of a file that could not be added."""
        at = self.table.currentIndex().row()
        row = self.model.row_at(at) if at >= 0 else None
        if isinstance(row, SourceState):
            self._session.desk.docket.dismiss_trouble(row.id)
            self.pages_changed.emit()
            self.say(f"{row.name} was removed from the list. The file itself was not changed.")
        else:
            self.say("Only a file that was not added can be dismissed.")

    def _choose(self, index: QModelIndex) -> None:
        row = self.model.row_at(index.row())
        if isinstance(row, PageState):
            self.page_wanted.emit(row.id)
            self.go_to.emit("rule")
