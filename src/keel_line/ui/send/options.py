"""The options of writing: those that the chosen format heeds."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QLabel, QWidget

from keel_line.desk.desk import SEND_FORMATS, SendOptions

CHECKS: dict[str, tuple[str, str]] = {
    "marks": ("Mark open doubts", "A comment at each doubted cell, and a list of them"),
    "ink": ("With pictures of their ink", "The list of doubts shows each cell as on the paper"),
    "source": ("Tell where tables come from", "File, page, place, who checked, expected errors"),
    "stacked": ("All tables below each other", "One sheet or file, with each row's table named"),
    "sums": ("Totals as formulas", "Totals that add up are written as sums of their cells"),
    "headings": ("Headings above names", "The paper's headings over several columns, merged"),
    "as_text": ("Everything as text", "No numbers and dates: each cell as the paper has it"),
    "signature": ("Mark the file as UTF-8", "Some spreadsheets need it for accents"),
}
"""Options that are on or off: the label and the help of each."""
CHOICES: dict[str, tuple[str, dict[str, str]]] = {
    "separator": ("Between values", {",": "comma", ";": "semicolon"}),
    "point": (
        "Decimal sign",
        {"as printed": "as printed", ".": "point", ",": "comma"},
    ),
}
"""Options with several values: the label of each, and the word for each value."""


class OptionsPanel(QWidget):
    """Shows the options of a format; ``changed`` tells that one was set."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._options = SendOptions()
        self.checks: dict[str, QCheckBox] = {}
        self.choices: dict[str, QComboBox] = {}
        self._rows: dict[str, tuple[QWidget, QWidget]] = {}
        column = QGridLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setHorizontalSpacing(18)
        column.setVerticalSpacing(4)
        column.setColumnStretch(1, 1)
        for at, (name, (label, help_)) in enumerate(CHECKS.items()):
            box, note = QCheckBox(label), QLabel(help_)
            note.setObjectName("quiet")
            box.clicked.connect(lambda on, name=name: self._set(name, on))
            self.checks[name] = box
            self._rows[name] = (box, note)
            column.addWidget(box, at, 0)
            column.addWidget(note, at, 1)
        for name, (label, values) in CHOICES.items():
            combo = QComboBox()
            combo.setAccessibleName(label)
            for value, words in values.items():
                combo.addItem(words, value)
            combo.activated.connect(
                lambda _at, name=name, combo=combo: self._set(name, combo.currentData())
            )
            self.choices[name] = combo
            said = QLabel(label)
            self._rows[name] = (said, combo)
            column.addWidget(said, column.rowCount(), 0)
            column.addWidget(combo, column.rowCount() - 1, 1, Qt.AlignmentFlag.AlignLeft)
        column.setRowStretch(column.rowCount(), 1)

    @property
    def options(self) -> SendOptions:
        """The options as they are set."""
        return self._options

    def show_options(self, options: SendOptions, ending: str) -> None:
        """Show the options that a format heeds."""
        self._options = options
        heeded = SEND_FORMATS[ending].options
        for name, row in self._rows.items():
            for part in row:
                part.setVisible(name in heeded)
        for name, box in self.checks.items():
            box.setChecked(bool(getattr(options, name)))
        self.checks["ink"].setEnabled(options.marks)
        for name, combo in self.choices.items():
            combo.setCurrentIndex(combo.findData(getattr(options, name)))
        # What stands below stays where it is when a format has fewer options.
        self.setMinimumHeight(max(self.minimumHeight(), self.sizeHint().height()))

    def _set(self, name: str, value: object) -> None:
        self._options = msgspec.structs.replace(self._options, **{name: value})
        self.checks["ink"].setEnabled(self._options.marks)
        self.changed.emit()
