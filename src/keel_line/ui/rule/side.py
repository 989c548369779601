"""The panel beside the page: a table's title, its summary, the sheet preview, and the keys."""

from __future__ import annotations

from textwrap import shorten

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QTableView, QVBoxLayout, QWidget

from keel_line._shared.texts import count_of
from keel_line.desk.desk import MOST_NAME
from keel_line.model.table import TableState
from keel_line.ui.rule.sheet_model import SheetModel
from keel_line.ui.theme import Theme
from keel_line.ui.widgets.ask import Ask
from keel_line.ui.widgets.elided import ElidedLabel


class Side(QWidget):
    """One table's panel; ``ask`` is the field for questions."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.title = ElidedLabel()
        self.outline, self.doubt, self.keys = QLabel(), QLabel(), QLabel()
        self.form = QLabel()
        self.keys.setTextFormat(Qt.TextFormat.RichText)
        self.ask = Ask()
        self.ask.field.setMaxLength(MOST_NAME)
        self.model = SheetModel(theme)
        self.sheet = QTableView()
        self.sheet.setModel(self.model)
        self.sheet.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.sheet.setSelectionMode(QTableView.SelectionMode.NoSelection)
        for header in (self.sheet.verticalHeader(), self.sheet.horizontalHeader()):
            if header is not None:
                header.hide()
        head = QLabel("Preview of the sheet")
        for label in (head, self.outline, self.keys):
            label.setObjectName("quiet")
        self.doubt.setObjectName("doubt")
        self.form.setObjectName("doubt")
        for label in (self.outline, self.doubt, self.form, self.keys):
            label.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for widget in (head, self.title, self.ask, self.outline, self.form, self.doubt):
            column.addWidget(widget)
        column.addSpacing(4)
        column.addWidget(self.sheet, 1)
        column.addWidget(self.keys)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self.model.set_theme(theme)

    def begin_ask(self, what: str, words: str, value: str) -> None:
        """Ask a question in the title's place."""
        self.title.hide()
        self.ask.ask(what, words, value)

    def end_ask(self) -> None:
        """Show the title again."""
        self.ask.hide()
        self.title.show()

    def show_table(
        self, table: TableState | None, count: int, waiting: str, repeated: str = ""
    ) -> None:
        """Show a table, one of ``count`` on its page; ``waiting`` says why there is none yet.

        ``repeated`` names the earlier table whose heading it repeats, if it does.
        """
        self.title.setFont(self._theme.bold(1.2))
        none = "No table yet" if waiting else "No table on this page"
        self.title.setText(table.name if table else none)
        said = describe_table(table, count, repeated) if table else waiting or _NO_TABLE
        self.outline.setText(said)
        self.model.show(table)
        self.sheet.clearSpans()
        if table is None:
            return
        for state in table.cells:
            c = state.cell
            if c.row_span > 1 or c.col_span > 1:
                self.sheet.setSpan(c.row, c.col, c.row_span, c.col_span)
        self.sheet.setFont(self._theme.reading(0.92))
        if (header := self.sheet.verticalHeader()) is not None:
            header.setDefaultSectionSize(round(self._theme.em * 1.9))
        self.sheet.resizeColumnsToContents()
        # Air between columns, as far as it pushes none of them out of sight.
        widths = [self.sheet.columnWidth(col) for col in range(table.grid.cols)]
        view, bar = self.sheet.viewport(), self.sheet.verticalScrollBar()
        room = view.width() - sum(widths) if view is not None else 0
        if bar is not None and not bar.isVisible():  # long tables bring it with them
            room -= bar.sizeHint().width()
        air = _AIR_PX if room < 0 else min(_AIR_PX, room // len(widths))
        for col, width in enumerate(widths):
            self.sheet.setColumnWidth(col, width + air)

    def tell_form(self, words: str) -> None:
        """Describe the form that the page looks like, if there is one."""
        self.form.setText(words)
        self.form.setVisible(bool(words))

    def tell_doubt(self, words: str) -> None:
        """Describe the line in doubt, if there is one."""
        self.doubt.setText(words)
        self.doubt.setVisible(bool(words))


_AIR_PX = 4
_MOST_NOTES, _MOST_NAMED = 180, 60
_NOTE_WORDS = ("note", "source")
_NO_TABLE = "No ruled cells and no aligned columns were found here."


def describe_table(table: TableState, count: int, repeated: str = "") -> str:
    """Describe a table's size, caption and notes.

    ``count`` tables are on its page; ``repeated`` names the earlier table whose heading it repeats.
    """
    heading = {0: "no heading", 1: "1 heading row"}.get(
        table.header_rows, f"{table.header_rows} heading rows"
    )
    spans = sum(s.cell.row_span > 1 or s.cell.col_span > 1 for s in table.cells)
    spanning = f", {count_of(spans, 'merged cell')}" if spans else ""
    more = f"  ·  {count} tables on this page; click one to see it" if count > 1 else ""
    size = f"{table.grid.rows} rows, {table.grid.cols} columns, {heading}{spanning}"
    if table.grid.on_side:
        size = "Sideways; not read"
    named = shorten(repeated, _MOST_NAMED, placeholder=" …")
    again = f"\nIts heading repeats that of {named}." if repeated else ""
    notes = shorten(table.notes, _MOST_NOTES, placeholder=" …")
    told = "" if notes.lower().startswith(_NOTE_WORDS) else "Note: "
    return f"{size}{more}{again}" + (f"\n{told}{notes}" if notes else "")
