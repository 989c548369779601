"""The Send station: a preflight list whose lines lead to their places; format and target."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QGuiApplication, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QRadioButton,
    QVBoxLayout,
    QWidget,
)
from typing_extensions import override

from keel_line._shared.texts import count_of
from keel_line.desk.desk import SEND_FORMATS
from keel_line.desk.sending import Sent, SentTable, count_open, make_one_sent
from keel_line.errors import KeelLineError
from keel_line.model.docket import PageState
from keel_line.model.table import TableState
from keel_line.ui.backlog import Backlog
from keel_line.ui.copying import copy_table
from keel_line.ui.send.options import OptionsPanel
from keel_line.ui.send.preview import Preview
from keel_line.ui.session import Session
from keel_line.ui.station import DocketView, Station
from keel_line.ui.theme import Theme


@dataclass(frozen=True)
class PreflightLine:
    """One line of the preflight list, and the station where it can be solved.

    ``broken`` speaks of amounts that do not come out; it goes to the first of them.
    """

    text: str
    place: str
    calls: bool
    broken: bool = False


def make_preflight(
    session: Session, left_open: int, pages: Sequence[PageState]
) -> list[PreflightLine]:
    """Return the preflight list for the tables to be sent.

    ``pages`` are the docket's; ``left_open`` is how many numbers stay text as their comma has two
    meanings.
    """
    total = session.proofs.total
    lines = []
    doubts = session.doubts_left()
    if doubts:
        noun = "cell is" if doubts == 1 else "cells are"
        lines.append(PreflightLine(f"{doubts} {noun} still in doubt", "proof", calls=True))
    elif session.tables:
        lines.append(PreflightLine("Every doubt is settled", "proof", calls=False))
    if total.broken:
        noun = "sum does" if total.broken == 1 else "sums do"
        text = f"{total.broken} {noun} not add up"
        lines.append(PreflightLine(text, "proof", calls=True, broken=True))
    joins = session.count_open_joins()
    if joins:
        noun = "table may continue" if joins == 1 else "tables may continue"
        text = f"{joins} {noun} on the next page"
        lines.append(PreflightLine(text, "tidy", calls=True))
    waiting = sum(p.progress == "waiting" for p in pages)
    if waiting:
        noun = "page has" if waiting == 1 else "pages have"
        lines.append(PreflightLine(f"{waiting} {noun} not been read yet", "gather", calls=True))
    failed = sum(p.progress == "failed" for p in pages)
    failed += sum(bool(s.trouble) for s in session.desk.sources())
    if failed:
        noun = "source or page" if failed == 1 else "sources or pages"
        lines.append(PreflightLine(f"{failed} {noun} could not be used", "gather", calls=True))
    bare = [p for p in pages if p.progress == "done" and not p.tables]
    if bare:
        noun = "page has" if len(bare) == 1 else "pages have"
        lines.append(PreflightLine(f"{len(bare)} {noun} no table", "rule", calls=True))
    if left_open:
        text = (
            "1 number stays text: its comma may part thousands or decimals"
            if left_open == 1
            else f"{left_open} numbers stay text: their comma may part thousands or decimals"
        )
        lines.append(PreflightLine(text, "proof", calls=True))
    alone = total.tables - session.count_joined()
    size = ", ".join(
        (
            count_of(alone, "table"),
            *([f"{total.tidied} of them tidied"] if total.tidied else []),
            f"from {count_of(total.cells, 'cell')}",
        )
    )
    lines.append(PreflightLine(f"To write: {size}", "rule", calls=False))
    wrong = f"Expected wrong cells among those nobody checked: {total.wrong:.1f}"
    lines.append(PreflightLine(wrong, "proof", calls=False))
    verdict = session.proofs.judge_drawn()
    if verdict is not None:
        lines.append(PreflightLine(verdict.say(), "proof", calls=not verdict.fits))
    return lines


class SendStation(Station):
    """The preflight list at the left, format and target at the right."""

    NAME = "send"

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session, theme)
        self.written: list[Path] = []
        self._there: list[Path] = []  # files that were asked for
        self._touched = False
        self._writing = False
        self._pages: list[PageState] = []
        self._left_open: dict[int, tuple[TableState, int]] = {}  # by table: as it was, and how many
        self._to_count = Backlog(self._count_open, self)
        self._to_count.cleared.connect(self.refresh)
        self._lines = QVBoxLayout()
        self._lines.setSpacing(0)
        self.formats: dict[str, QRadioButton] = {}
        self.target = QLineEdit()
        self.write_button = QPushButton("Write")
        self.stop_button = QPushButton("Stop writing")
        self.copy_button = QPushButton("Copy this table")
        self.options = OptionsPanel()
        self.preview = Preview()
        self._note = QLabel()
        self._written_as: dict[Path, tuple[int, int]] = {}  # what was written: its time and size
        self._done = QLabel()
        self._afterwards = QWidget()
        whole = QHBoxLayout(self)
        whole.setContentsMargins(40, 24, 40, 16)
        whole.setSpacing(56)
        whole.addLayout(self._make_preflight_side(), 1)
        whole.addLayout(self._make_writing_side(), 1)
        self.formats[".xlsx"].setChecked(True)
        session.jobs.sent.connect(self._take_sent)
        session.cells_changed.connect(self.refresh)
        session.tables_changed.connect(self.refresh)

    def _heading(self, text: str, scale: float) -> QLabel:
        label = QLabel(text)
        label.setFont(self._theme.bold(scale))
        return label

    def _make_preflight_side(self) -> QVBoxLayout:
        side = QVBoxLayout()
        side.setSpacing(0)
        side.addWidget(self._heading("Before you write", 1.2))
        side.addSpacing(12)
        side.addLayout(self._lines)
        side.addStretch(1)
        side.addWidget(self.preview)
        return side

    def _make_writing_side(self) -> QVBoxLayout:
        side = QVBoxLayout()
        side.setSpacing(6)
        side.addWidget(self._heading("What to write", 1.2))
        formats = QGridLayout()
        formats.setHorizontalSpacing(18)
        formats.setVerticalSpacing(0)
        formats.setColumnStretch(1, 1)
        high = -(-len(SEND_FORMATS) // 2)
        for at, (ending, form) in enumerate(SEND_FORMATS.items()):
            button = QRadioButton(f"{form.label} ({ending})")
            button.toggled.connect(self._change_format)
            button.clicked.connect(self._keep_options)
            self.formats[ending] = button
            formats.addWidget(button, at % high, at // high)
        self._note.setObjectName("quiet")
        side.addLayout(formats)
        side.addWidget(self._note)
        side.addSpacing(8)
        self.options.changed.connect(self._keep_options)
        side.addWidget(self.options)
        side.addSpacing(12)
        side.addWidget(self._heading("Where to write", 1.0))
        self.target.setAccessibleName("Where to write")
        self.target.textEdited.connect(self._touch)
        self.target.returnPressed.connect(self.write)
        choose = QPushButton("Choose…")
        choose.clicked.connect(self._choose)
        side.addLayout(_row(self.target, choose, stretch_first=True))
        side.addSpacing(8)
        self.write_button.setObjectName("main")
        self.write_button.clicked.connect(self.write)
        self.stop_button.setToolTip("Esc stops writing, too; what was there before stays")
        self.stop_button.clicked.connect(self._session.jobs.stop_writing)
        self.stop_button.hide()
        self.copy_button.setToolTip("The table at hand, to paste into a spreadsheet or a letter")
        self.copy_button.clicked.connect(self._copy_table)
        side.addLayout(_row(self.write_button, self.stop_button, self.copy_button))
        side.addSpacing(10)
        self._done.setWordWrap(True)
        side.addWidget(self._done)
        buttons = []
        for label, act in (
            ("Open the file", self._open),
            ("Show the folder", self._show_folder),
            ("Copy the path", self._copy),
        ):
            after = QPushButton(label)
            after.clicked.connect(act)
            buttons.append(after)
        row = _row(*buttons)
        row.setContentsMargins(0, 0, 0, 0)
        self._afterwards.setLayout(row)
        self._afterwards.hide()
        side.addWidget(self._afterwards)
        side.addStretch(1)
        return side

    @override
    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self.refresh()

    @property
    @override
    def first(self) -> QWidget:
        return self.write_button

    @override
    def enter(self, pages: Sequence[PageState], page_id: int) -> int:
        self._pages = list(pages)
        chosen = self._session.desk.send_ending
        if chosen in self.formats and not self._touched:
            self.formats[chosen].setChecked(True)
        self.options.show_options(self._session.desk.send_options, self.ending)
        self.refresh()
        return page_id

    @override
    def show_docket(self, docket: DocketView) -> None:
        """Suggest a target, unless the clerk has chosen one."""
        self._pages = list(docket.pages)
        if docket.path is not None and not self._touched:
            self.target.setText(str(Path.home() / f"{docket.path.stem}{self.ending}"))

    @override
    def show_row(self, number: int, page: PageState) -> None:
        self._pages[number] = page

    @property
    def ending(self) -> str:
        """The chosen format's file ending."""
        return next((e for e, b in self.formats.items() if b.isChecked()), ".xlsx")

    def refresh(self) -> None:
        """Update the preflight list."""
        if not self.isVisible() or self._counts_first():
            return
        while (item := self._lines.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        left_open = sum(many for _, many in self._left_open.values())
        for line in make_preflight(self._session, left_open, self._pages):
            button = QPushButton(line.text)
            button.setObjectName("line")
            if line.broken:
                button.setStyleSheet(f"color: {self._theme.colours.violet};")
                button.setText("═ " + line.text)
            elif line.calls:
                button.setStyleSheet(f"color: {self._theme.colours.brass};")
                button.setText("◤ " + line.text)
            button.clicked.connect(lambda _on, line=line: self._go_by(line))
            self._lines.addWidget(button)
        self.write_button.setEnabled(bool(self._session.tables) and self._session.is_open)
        self.copy_button.setEnabled(self._session.table is not None)
        self._show_preview()

    def _counts_first(self) -> bool:
        """Count the numbers that stay text where tables changed.

        Returns whether the list was updated with that; of a large docket it is updated again later.
        """
        tables = {t.id: t for t in self._session.tables}
        for gone in self._left_open.keys() - tables.keys():
            del self._left_open[gone]
        changed = [
            number
            for number, table in tables.items()
            if number not in self._left_open or self._left_open[number][0] is not table
        ]
        self._to_count.empty()
        self._to_count.put(changed)
        if changed:
            self._to_count.work()
        return bool(changed) and not self._to_count

    def _count_open(self, table_id: int) -> None:
        index = self._session.proofs.index_of(table_id)
        if index is not None:
            table = self._session.tables[index]
            self._left_open[table_id] = table, 0 if table.steps else count_open(table)

    def _go_by(self, line: PreflightLine) -> None:
        if line.broken:
            self._session.go_to_broken()
        self.go_to.emit(line.place)

    def _show_preview(self) -> None:
        """Show the first rows of the table at hand."""
        session, table = self._session, self._session.table
        known = {t.id: t for t in session.tables}
        options = self.options.options
        if table is None:
            self.preview.show_table(None, self._theme, options)
            return

        def show(sent: SentTable) -> None:
            if session.table is table:
                pages = SEND_FORMATS[self.ending].write_pages is not None
                self.preview.show_table(sent, self._theme, options, pages=pages)

        session.with_tidying(table, lambda tidying: make_one_sent(table, tidying, known), show)

    def _keep_options(self) -> None:
        self._show_preview()
        desk = self._session.desk
        if not desk.docket.read_only:
            desk.set_send_options(self.options.options)
            desk.set_send_ending(self.ending)

    def _change_format(self) -> None:
        self.options.show_options(self.options.options, self.ending)
        self._note.setText(f"{SEND_FORMATS[self.ending].note}.")
        if self.isVisible():
            self._show_preview()
        if not self.target.text():
            return
        path = Path(self.target.text())
        if path.suffix.lower() in SEND_FORMATS:
            self.target.setText(str(path.with_suffix(self.ending)))

    def _touch(self) -> None:
        self._touched = True
        ending = Path(self.target.text()).suffix.lower()
        if ending in self.formats:
            self.formats[ending].setChecked(True)

    def _choose(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, "Where to write", self.target.text(), f"*{self.ending}"
        )
        if name:
            self.target.setText(name)
            self._touch()

    def write(self) -> None:
        """Write the tables; add the file ending if it is missing."""
        if self._writing:
            return
        text = self.target.text().strip()
        if not text:
            self.say("Type a folder and a file name.", trouble=True)
            return
        target = Path(text).expanduser()
        if target.suffix.lower() not in SEND_FORMATS:
            target = target.with_name(target.name + self.ending)
        desk, tables = self._session.desk, self._session.tables
        try:
            files = desk.name_files(target, tables)
            there = [p for p in files if p.exists() and not self._is_own(p)]
            if there and there != self._there:
                self._there = there
                self.say(_ask_for(there), trouble=True)
                return
            request = desk.prepare_send(target, tables)
            if not desk.docket.read_only:
                desk.set_send_ending(target.suffix.lower())
        except KeelLineError as error:
            self.say(str(error), trouble=True)
            return
        self.target.setText(str(target))
        self._show_writing(on=True)
        self.say(f"Writing {target.name} … Esc stops it.")
        self._session.jobs.want_sent(request)

    def _take_sent(self, answer: Sent | str) -> None:
        """Tell what was written, or why nothing was."""
        self._show_writing(on=False)
        if isinstance(answer, str):
            self.say(answer, trouble=True)
            return
        self.written = answer.files
        self._there = []
        self._written_as |= {p: _state_of(p) for p in answer.files if p.exists()}
        names = "\n".join(str(p) for p in self.written)
        self._done.setText("\n".join([f"Written:\n{names}", *answer.notices]))
        self._afterwards.show()
        self.say(" ".join([f"Wrote {self.written[0].name}.", *answer.notices]))

    def _show_writing(self, *, on: bool) -> None:
        self._writing = on
        self.stop_button.setVisible(on)

    def _is_own(self, path: Path) -> bool:
        """Return whether a file is as this station wrote it."""
        return path in self._written_as and self._written_as[path] == _state_of(path)

    def _copy_table(self) -> None:
        """Copy the table at hand: its cells as text, as HTML with values and as CSV."""
        table = self._session.table
        if table is not None:
            copy_table(self._session, table, self.say)

    def _open(self) -> None:
        if self.written:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.written[0])))

    def _show_folder(self) -> None:
        if self.written:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.written[0].parent)))

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if self.written and clipboard is not None:
            clipboard.setText(str(self.written[0]))
            self.say("The path is on the clipboard.")

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if self._writing and event is not None and event.key() == Qt.Key.Key_Escape:
            self._session.jobs.stop_writing()
            return
        enter = event is not None and event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}
        if enter and not isinstance(self.focusWidget(), QAbstractButton):
            self.write()
            return
        super().keyPressEvent(event)


def _state_of(path: Path) -> tuple[int, int]:
    found = path.stat()
    return found.st_mtime_ns, found.st_size


def _ask_for(there: list[Path]) -> str:
    """Return the question whether to overwrite files."""
    more = "" if len(there) == 1 else f" (and {len(there) - 1} more)"
    return f"{there[0].name} already exists{more}. Press Write again to replace it."


def _row(*widgets: QWidget, stretch_first: bool = False) -> QHBoxLayout:
    """Lay widgets side by side, to the left unless the first fills the row."""
    row = QHBoxLayout()
    for i, widget in enumerate(widgets):
        row.addWidget(widget, 1 if stretch_first and i == 0 else 0)
    if not stretch_first:
        row.addStretch(1)
    return row
