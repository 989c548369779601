"""The panel beside the lens: the doubt, its reason, and readings to choose by number."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget
from typing_extensions import override

from keel_line.desk.signs import find_differing, name_signs
from keel_line.ui.theme import Theme

_WRAPPED = int(Qt.TextFlag.TextWordWrap) | int(Qt.AlignmentFlag.AlignVCenter)
_KEYS = (
    ("Enter", "accept, next"),
    ("Type", "correct"),
    ("Shift+Enter", "previous doubt"),
    ("F4", "all of this kind"),
    ("F1", "all keys"),
)
_VOUCH = ("Alt+0", "as printed")
_PLAIN = ("Ctrl+'", "either is fine")


@dataclass(frozen=True)
class Offered:
    """A reading on offer, with its note.

    ``differs`` are the characters in which it differs from the first one, or that one from the
    second; ``signs`` names them where they could be taken for others.
    """

    text: str
    note: str = ""
    differs: tuple[int, ...] = ()
    signs: str = ""


def offer_readings(readings: Sequence[tuple[str, str]]) -> tuple[Offered, ...]:
    """Return the readings on offer with their notes; the first is the current value."""
    out = []
    for number, (text, note) in enumerate(readings):
        beside = readings[0] if number else readings[1] if len(readings) > 1 else None
        differs = () if beside is None else find_differing(text, beside[0])
        out.append(Offered(text, note, differs, name_signs(text, differs)))
    return tuple(out)


@dataclass(frozen=True)
class DoubtView:
    """The panel's contents: a heading, the cell, the reason, and readings with notes.

    ``broken`` says that the reason is an amount that does not come out, ``signs`` that only which
    dash or quotation mark it is, is open; ``keys`` are those to be shown, the usual ones where none
    are given.
    """

    heading: str
    pace: str
    place: str
    reason: str
    doubtful: bool
    readings: tuple[Offered, ...]
    broken: bool = False
    signs: bool = False
    keys: tuple[tuple[str, str], ...] = ()


_LEAST_EM = 9.0


class DoubtPanel(QWidget):
    """The doubt at hand; clicking a reading takes it, as Alt with its number does."""

    taken = pyqtSignal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._view: DoubtView | None = None
        self._boxes: list[QRectF] = []
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        # However small the window and large the face: three lines, and two readings to choose from.
        self.setMinimumHeight(round(theme.em * _LEAST_EM))
        self.update()

    @property
    def view(self) -> DoubtView | None:
        """The current contents."""
        return self._view

    def show_view(self, view: DoubtView | None) -> None:
        """Show a doubt, or nothing."""
        self._view = view
        if view is not None:
            self.setAccessibleName(f"{view.heading}. {view.place}. {view.reason}")
        self.update()

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._boxes = []
        view, theme = self._view, self._theme
        if view is None:
            return
        line = theme.em * 1.56
        y = 0.0
        wide = float(self.width())

        def write(
            text: str, color: str, *, bold: bool = False, right: bool = False, scale: float = 1.0
        ) -> None:
            painter.setFont(theme.bold(scale) if bold else theme.font(scale))
            painter.setPen(theme.color(color))
            flag = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
            box = QRectF(0, y, wide, line)
            shown = QFontMetricsF(painter.font()).elidedText(
                text, Qt.TextElideMode.ElideRight, wide
            )
            painter.drawText(box, flag | Qt.AlignmentFlag.AlignVCenter, shown)

        write(view.heading, "ink", bold=True, scale=1.1)
        write(view.pace, "quiet", right=True, scale=0.95)
        y += line
        write(view.place, "ink")
        y += line
        color = "violet" if view.broken else "brass" if view.doubtful else "quiet"
        painter.setFont(theme.font())
        painter.setPen(theme.color(color))
        # A check says in a sentence what it saw and what it wants: that may take two lines.
        metrics = QFontMetricsF(painter.font())
        high = metrics.boundingRect(QRectF(0, 0, wide, 9 * line), _WRAPPED, view.reason).height()
        high = min(max(high, line), 2 * line)
        painter.drawText(QRectF(0, y, wide, high), _WRAPPED, view.reason)
        y += high + theme.em * 0.39
        self._paint_readings(painter, view, y)
        self._paint_keys(painter, view, y)

    def _paint_readings(self, painter: QPainter, view: DoubtView, top: float) -> None:
        theme = self._theme
        height = theme.em * 1.68
        wide = self.width() * self._readings_share
        label_wide = QFontMetricsF(theme.font(0.88)).horizontalAdvance("Alt+5") + 20
        for i, offered in enumerate(view.readings):
            y = top + i * (height + 3)
            if y + height > self.height():
                break
            box = QRectF(1, y, wide, height)
            self._boxes.append(box)
            painter.setPen(
                QPen(theme.color("teal" if i == 0 else "hairline"), 1.6 if i == 0 else 1)
            )
            painter.setBrush(theme.color("sheet"))
            painter.drawRoundedRect(box, 3, 3)
            painter.setFont(theme.font(0.88))
            painter.setPen(theme.color("quiet"))
            painter.drawText(
                box.adjusted(8, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, f"Alt+{i + 1}"
            )
            note = ", ".join(filter(None, (offered.signs, offered.note)))
            note_wide = QFontMetricsF(theme.font(0.88)).horizontalAdvance(note) + 10 if note else 0
            room = wide - label_wide - 16 - note_wide
            self._paint_offered(painter, offered, QRectF(box.left() + label_wide, y, room, height))
            if note:
                painter.setFont(theme.font(0.88))
                painter.setPen(theme.color("quiet"))
                painter.drawText(
                    box.adjusted(0, 0, -8, 0),
                    Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                    note,
                )

    def _paint_offered(self, painter: QPainter, offered: Offered, box: QRectF) -> None:
        """Paint a reading, with a stroke under each character in which it differs."""
        theme = self._theme
        painter.setFont(theme.bold_reading(1.08))
        painter.setPen(theme.color("ink"))
        metrics = QFontMetricsF(painter.font())
        text = offered.text.replace("\n", "⏎")  # as long as before: places stay
        shown = metrics.elidedText(text or "blank", Qt.TextElideMode.ElideRight, box.width())
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, shown)
        low = box.center().y() + metrics.ascent() * 0.62
        for at in offered.differs:
            left, right = (metrics.horizontalAdvance(text[:n]) for n in (at, at + 1))
            if right <= box.width():
                stroke = QRect(round(box.left() + left), round(low), 0, 2)
                stroke.setWidth(max(4, round(right - left)))
                painter.fillRect(stroke, theme.color("brass"))

    @property
    def _readings_share(self) -> float:
        """Return the readings' share of the width: all of it if the keys find no room beside."""
        return 0.58 if self.width() >= self._theme.em * 31 else 0.99

    def _paint_keys(self, painter: QPainter, view: DoubtView, top: float) -> None:
        theme = self._theme
        if self._readings_share > 0.9:
            return
        left = self.width() * self._readings_share + 18
        gap = QFontMetricsF(theme.bold(0.92)).horizontalAdvance("Shift+Enter ") + 6
        also = _VOUCH if view.broken else _PLAIN if view.signs else None
        keys = view.keys or (_KEYS if also is None else (*_KEYS[:-1], also, _KEYS[-1]))
        # One key more than usual stands closer rather than over the edge.
        line = min(theme.em * 1.36, max(theme.em * 1.12, (self.height() - top) / len(keys)))
        for i, (key, what) in enumerate(keys):
            y = top + i * line
            if y + line > self.height() + 1:
                break
            painter.setFont(theme.bold(0.92))
            painter.setPen(theme.color("ink"))
            painter.drawText(QRectF(left, y, gap, line), Qt.AlignmentFlag.AlignVCenter, key)
            painter.setFont(theme.font(0.92))
            painter.setPen(theme.color("quiet"))
            painter.drawText(
                QRectF(left + gap, y, self.width() - left - gap, line),
                Qt.AlignmentFlag.AlignVCenter,
                what,
            )

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        for i, box in enumerate(self._boxes):
            if box.contains(event.position()):
                self.taken.emit(i)
                return

    @override
    def sizeHint(self) -> QSize:
        return QSize(440, round(self._theme.em * 14.04))
