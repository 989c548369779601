"""The theme: all colours, faces and sizes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

FONT_DIR = Path(__file__).parent / "fonts"


@dataclass(frozen=True)
class Colours:
    """A palette; teal is for what is settled or chosen, brass for doubt, violet for sums."""

    desk: str
    sheet: str
    ink: str
    quiet: str
    hairline: str
    well: str
    heading: str
    teal: str
    teal_wash: str
    brass: str
    brass_wash: str
    violet: str
    trouble: str
    dark: bool


LIGHT = Colours(
    desk="#E9E6DF",
    sheet="#FFFFFF",
    ink="#22303A",
    quiet="#56616A",
    hairline="#CFC9BD",
    well="#DDD9D0",
    heading="#F5F2EB",
    teal="#0E6E6E",
    teal_wash="#E1EEEC",
    brass="#8F5A0C",
    brass_wash="#F6ECDC",
    violet="#6B4BA3",
    trouble="#9A3324",
    dark=False,
)
DARK = Colours(
    desk="#1D2327",
    sheet="#262E33",
    ink="#E8E6E0",
    quiet="#A3ADB3",
    hairline="#3B464D",
    well="#171C1F",
    heading="#2C353B",
    teal="#5CC2B8",
    teal_wash="#23403F",
    brass="#E0A958",
    brass_wash="#3F3322",
    violet="#B9A0EC",
    trouble="#EE9484",
    dark=True,
)
PALETTES: dict[str, Colours] = {"light": LIGHT, "dark": DARK}


@dataclass(frozen=True)
class Theme:
    """Colours with the faces that go with them; sizes follow the desktop's font size."""

    colours: Colours
    point: float

    @property
    def em(self) -> float:
        """Height of the face in px, the unit of distances."""
        return self.point * 96 / 72

    def color(self, name: str) -> QColor:
        """Return a colour by its field's name; not to be changed in place."""
        return _color(getattr(self.colours, name))

    def font(self, scale: float = 1.0, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
        """Return the interface's face; its figures all have one width."""
        return QFont(_font(self.point * scale, weight))

    def reading(self, scale: float = 1.0, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
        """Return the face for readings, in which no two characters look alike.

        Its I has serifs, its l a tail, its 0 a slash.
        """
        return QFont(_reading_font(self.point * scale, weight))

    def bold_reading(self, scale: float = 1.0) -> QFont:
        """Return the face for readings that matter most."""
        return self.reading(scale, QFont.Weight.DemiBold)

    def bold(self, scale: float = 1.0) -> QFont:
        """Return the face for what matters most."""
        return self.font(scale, QFont.Weight.DemiBold)


_APART = ("ss02", "zero", "cv05", "cv08")
"""Features of the face that tell apart I, l and 1, O and 0."""


@cache
def _color(value: str) -> QColor:
    return QColor(value)


@cache
def _font(point: float, weight: QFont.Weight) -> QFont:
    font = QFont("Inter")
    font.setPointSizeF(point)
    font.setWeight(weight)
    font.setFeature(QFont.Tag("tnum"), 1)
    return font


@cache
def _reading_font(point: float, weight: QFont.Weight) -> QFont:
    font = _font(point, weight)
    apart = QFont(font)
    for feature in _APART:
        apart.setFeature(QFont.Tag(feature), 1)
    return apart


def load_faces() -> None:
    """Register the bundled faces with Qt, once."""
    if "Inter" in QFontDatabase.families():
        return
    for path in sorted(FONT_DIR.glob("*.otf")):
        QFontDatabase.addApplicationFont(str(path))


def make_theme(name: str, scale: float = 1.0) -> Theme:
    """Make a theme by its palette's name."""
    point = QApplication.font().pointSizeF()
    return Theme(PALETTES[name], max(10.0, min(point, 24.0)) * scale)


def apply_theme(app: QApplication, theme: Theme) -> None:
    """Style the application's plain widgets."""
    c = theme.colours
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: c.desk,
        QPalette.ColorRole.WindowText: c.ink,
        QPalette.ColorRole.Base: c.sheet,
        QPalette.ColorRole.Text: c.ink,
        QPalette.ColorRole.Button: c.sheet,
        QPalette.ColorRole.ButtonText: c.ink,
        QPalette.ColorRole.Highlight: c.teal,
        QPalette.ColorRole.HighlightedText: c.sheet,
        QPalette.ColorRole.PlaceholderText: c.quiet,
        QPalette.ColorRole.ToolTipBase: c.sheet,
        QPalette.ColorRole.ToolTipText: c.ink,
        QPalette.ColorRole.AlternateBase: c.heading,
    }
    for role, value in roles.items():
        palette.setColor(role, QColor(value))
    app.setPalette(palette)
    app.setFont(theme.font())
    app.setStyleSheet(_sheet(c))


def _sheet(c: Colours) -> str:
    return f"""
    QWidget {{ color: {c.ink}; }}
    QMainWindow, QWidget#desk {{ background: {c.desk}; }}
    QLabel#quiet {{ color: {c.quiet}; }}
    QLabel#doubt {{ color: {c.brass}; }}
    QLabel#trouble {{ color: {c.trouble}; }}
    QPushButton {{
        background: {c.sheet}; border: 1px solid {c.hairline}; border-radius: 4px;
        padding: 6px 14px; outline: none;
    }}
    QPushButton:hover {{ border-color: {c.teal}; }}
    QPushButton:focus {{ border: 2px solid {c.teal}; padding: 5px 13px; }}
    QPushButton:disabled {{ color: {c.quiet}; background: {c.desk}; }}
    QPushButton#main {{ background: {c.teal}; color: {c.sheet}; border-color: {c.teal}; }}
    QPushButton#main:focus {{ border: 2px solid {c.ink}; }}
    QPushButton#main:disabled {{ background: {c.hairline}; color: {c.quiet};
        border-color: {c.hairline}; }}
    QPushButton#line {{
        text-align: left; background: {c.sheet}; border: none; border-radius: 0;
        border-bottom: 1px solid {c.hairline}; padding: 9px 12px;
    }}
    QPushButton#line:hover, QPushButton#line:focus {{ background: {c.teal_wash}; border: none;
        border-bottom: 1px solid {c.teal}; padding: 9px 12px; }}
    QToolButton {{ background: transparent; border: 1px solid transparent; border-radius: 4px;
        padding: 3px; }}
    QToolButton:hover, QToolButton:focus {{ border-color: {c.hairline}; background: {c.sheet}; }}
    QToolButton::menu-indicator {{ image: none; width: 0; }}
    QLineEdit {{
        background: {c.sheet}; border: 1px solid {c.hairline}; border-radius: 3px; padding: 5px 8px;
        selection-background-color: {c.teal}; selection-color: {c.sheet};
    }}
    QLineEdit:focus {{ border: 2px solid {c.teal}; padding: 4px 7px; }}
    QPlainTextEdit {{
        background: {c.sheet}; border: 2px solid {c.teal};
        selection-background-color: {c.teal}; selection-color: {c.sheet};
    }}
    QMenu {{ background: {c.sheet}; border: 1px solid {c.hairline}; padding: 4px 0; }}
    QMenu::item {{ padding: 6px 28px 6px 16px; }}
    QMenu::item:selected {{ background: {c.teal_wash}; color: {c.ink}; }}
    QMenu::item:disabled {{ color: {c.quiet}; }}
    QMenu::separator {{ height: 1px; background: {c.hairline}; margin: 4px 0; }}
    QTableView {{
        background: {c.sheet}; border: 1px solid {c.hairline}; gridline-color: {c.hairline};
        selection-background-color: {c.teal_wash}; selection-color: {c.ink}; outline: none;
    }}
    QTableView#list::item {{ padding: 0 8px; }}
    QListWidget {{
        background: {c.sheet}; border: 1px solid {c.hairline}; outline: none;
        selection-background-color: {c.teal_wash}; selection-color: {c.ink};
    }}
    QListWidget:focus {{ border-color: {c.teal}; }}
    QListWidget::item {{ padding: 5px 8px; }}
    QListWidget::item:selected {{ background: {c.teal_wash}; color: {c.ink}; }}
    QListWidget::item:selected:!active {{ background: {c.teal_wash}; color: {c.ink}; }}
    QHeaderView {{ background: {c.heading}; border: none; }}
    QHeaderView::section {{
        background: {c.heading}; border: none; border-bottom: 1px solid {c.hairline};
        padding: 6px 8px; color: {c.quiet};
    }}
    QTableView#list QHeaderView {{ background: {c.heading}; border: none; }}
    QHeaderView::section {{ padding: 6px 8px 6px 11px; }}
    QTableCornerButton::section {{ background: {c.heading}; border: none; }}
    QRadioButton {{ padding: 4px 0; spacing: 8px; }}
    QRadioButton:focus {{ color: {c.teal}; }}
    QRadioButton::indicator {{
        width: 12px; height: 12px; border: 1px solid {c.quiet}; border-radius: 7px;
        background: {c.sheet};
    }}
    QRadioButton::indicator:checked {{
        border-color: {c.teal};
        background: qradialgradient(cx:0.5, cy:0.5, radius:0.5, fx:0.5, fy:0.5,
            stop:0 {c.teal}, stop:0.55 {c.teal}, stop:0.65 {c.sheet}, stop:1 {c.sheet});
    }}
    QCheckBox {{ padding: 2px 0; spacing: 8px; }}
    QCheckBox:focus {{ color: {c.teal}; }}
    QCheckBox:disabled {{ color: {c.quiet}; }}
    QCheckBox::indicator {{
        width: 12px; height: 12px; border: 1px solid {c.quiet}; background: {c.sheet};
    }}
    QCheckBox::indicator:checked {{ border-color: {c.teal}; background: {c.teal}; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle {{ background: {c.hairline}; border-radius: 4px; min-height: 28px;
        min-width: 28px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QToolTip {{ background: {c.sheet}; color: {c.ink}; border: 1px solid {c.hairline};
        padding: 4px 6px; }}
    """
