"""The lens: the cell at hand enlarged, each reading directly below its ink."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget
from typing_extensions import override

from keel_line.model.reading import CharReading
from keel_line.model.table import CellState
from keel_line.ui.theme import Theme

_DOUBTFUL = 0.9
_LARGEST = 5.0
_NEARER_BY = 1.4
_STEPS = (-3, 5)


@dataclass(frozen=True)
class View:
    """The lens's view: px of the lens per px of the page, and the centre.

    The place is in px of the squared page.
    """

    scale: float
    x: float
    y: float


def find_view(state: CellState, size: tuple[float, float], steps: int = 0) -> View:
    """Return the view that fits a cell's contents into a lens of a size (px across, down).

    ``steps`` above 0 look from nearer, at the character that is least sure and what stands by it,
    below 0 from further off.
    """
    x0, y0, x1, y1 = state.cell.box
    wide, high = size
    chars = state.reading.chars
    # The written part fills the lens; a wide cell with a short word need not be shown whole.
    left, right = x0 - 8, x1 + 8
    if chars:
        left = min(c.box[0] for c in chars) - 0.6 * (y1 - y0)
        right = max(c.box[2] for c in chars) + 0.6 * (y1 - y0)
    fitting = min(0.8 * high / max(8.0, y1 - y0), (wide - 16) / max(8.0, right - left), _LARGEST)
    scale = fitting * _NEARER_BY**steps
    at_x, at_y = (left + right) / 2, (y0 + y1) / 2
    if steps > 0 and chars:
        box = min(chars, key=lambda c: c.probability).box
        at_x = keep_within((box[0] + box[2]) / 2, left, right, wide / scale)
        at_y = keep_within((box[1] + box[3]) / 2, y0, y1, high / scale)
    return View(scale, at_x, at_y)


def keep_within(at: float, low: float, high: float, shown: float) -> float:
    """Return a centre near ``at`` so that ``shown`` px stay within low to high, if they can."""
    if high - low <= shown:
        return (low + high) / 2
    return min(max(at, low + shown / 2), high - shown / 2)


class Lens(QWidget):
    """One cell enlarged, its neighbours dimmed, with a bar for each character's doubt."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._state: CellState | None = None
        self._image: QImage | None = None
        self._steps = 0
        self.setAccessibleName("The cell's ink, enlarged")
        self.setMinimumHeight(120)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self.update()

    def show_cell(self, state: CellState | None, image: QImage | None) -> None:
        """Show a cell with its page's picture."""
        self._state, self._image = state, image
        if state is not None:
            self.setAccessibleDescription(f"Reading: {state.text or 'blank'}")
        self.update()

    def zoom_step(self, steps: int) -> None:
        """Zoom the lens in (above 0) or out; later cells too."""
        self._steps = min(_STEPS[1], max(_STEPS[0], self._steps + steps))
        self.update()

    @property
    def steps(self) -> int:
        """Zoom steps of the lens above its usual size."""
        return self._steps

    def _lines(self, state: CellState) -> list[list[CharReading]]:
        count = max((c.line for c in state.reading.chars), default=0) + 1
        lines: list[list[CharReading]] = [[] for _ in range(count)]
        for char in state.reading.chars:
            lines[char.line].append(char)
        return lines

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        theme = self._theme
        frame = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.fillRect(frame, theme.color("sheet"))
        if self._state is not None:
            self._paint_cell(painter, self._state, frame)
        painter.setPen(QPen(theme.color("hairline"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(frame)

    def _paint_cell(self, painter: QPainter, state: CellState, frame: QRectF) -> None:
        theme = self._theme
        x0, y0, x1, y1 = state.cell.box
        lines = self._lines(state)
        row = theme.em * 2.7
        text_room = row * len(lines) + theme.em * 0.31
        ink_room = max(40.0, frame.height() - text_room)
        ink = QRectF(frame.left(), frame.top(), frame.width(), ink_room)
        view = find_view(state, (ink.width(), ink.height()), self._steps)
        scale, middle_x, middle_y = view.scale, view.x, view.y

        def place(x: float, y: float) -> QPointF:
            return QPointF(
                ink.center().x() + (x - middle_x) * scale, ink.center().y() + (y - middle_y) * scale
            )

        painter.save()
        painter.setClipRect(ink)
        if self._image is not None:
            source = QRectF(
                middle_x - ink.width() / 2 / scale,
                middle_y - ink.height() / 2 / scale,
                ink.width() / scale,
                ink.height() / scale,
            )
            painter.fillRect(ink, QColor("#F1EFEA"))
            painter.drawImage(ink, self._image, source)
            if theme.colours.dark:
                painter.fillRect(ink, QColor(20, 24, 27, 70))
            cell = QRectF(place(x0, y0), place(x1, y1))
            dim = QColor("#8F9395" if theme.colours.dark else "#F1EFEA")
            dim.setAlpha(150)
            for part in (
                QRectF(ink.left(), ink.top(), ink.width(), cell.top() - ink.top()),
                QRectF(ink.left(), cell.bottom(), ink.width(), ink.bottom() - cell.bottom()),
                QRectF(ink.left(), cell.top(), cell.left() - ink.left(), cell.height()),
                QRectF(cell.right(), cell.top(), ink.right() - cell.right(), cell.height()),
            ):
                if part.width() > 0 and part.height() > 0:
                    painter.fillRect(part, dim)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("brass"), 1.4, Qt.PenStyle.DashLine))
        for u0, v0, u1, v1 in state.reading.unread:  # ink that no character explains
            painter.drawRect(QRectF(place(u0, v0), place(u1, v1)).adjusted(-4, -4, 4, 4))
        painter.restore()
        painter.setPen(QPen(theme.color("hairline"), 1))
        painter.drawLine(ink.bottomLeft(), ink.bottomRight())
        if not state.reading.chars:
            painter.setFont(theme.font(1.1))
            painter.setPen(theme.color("quiet"))
            painter.drawText(
                QRectF(ink.left(), ink.bottom(), ink.width(), text_room),
                Qt.AlignmentFlag.AlignCenter,
                "blank" if not state.reading.text else state.reading.text,
            )
        painter.setClipRect(frame)
        for i, line in enumerate(lines):
            self._paint_line(painter, line, ink.bottom() + i * row + 2, row, place)

    def _paint_line(
        self, painter: QPainter, line: list[CharReading], top: float, row: float, place: object
    ) -> None:
        theme = self._theme
        if not line:
            return
        assert callable(place)  # noqa: S101 - a function of the painter above
        left, right = place(line[0].box[0], 0).x(), place(line[-1].box[2], 0).x()
        room = (right - left) / len(line)
        font = theme.reading()
        wanted = min(row * 0.72, max(10.0, room * 1.5))
        font.setPixelSize(round(wanted))
        for char in line:
            doubtful = char.probability < _DOUBTFUL
            x0, x1 = place(char.box[0], 0).x(), place(char.box[2], 0).x()
            middle = (x0 + x1) / 2
            painter.setFont(font)
            painter.setPen(theme.color("brass" if doubtful else "ink"))
            metrics = QFontMetricsF(font)
            shown = "␣" if char.char == " " else char.char
            if char.char == " ":
                painter.setPen(theme.color("hairline"))
            painter.drawText(
                QPointF(middle - metrics.horizontalAdvance(shown) / 2, top + row * 0.62), shown
            )
            half = min(9.0, max(2.5, (x1 - x0) * 0.38))
            doubt = 1.0 - char.probability
            height = 1.5 + doubt * row * 0.26
            painter.fillRect(
                QRectF(middle - half, top + row * 0.95 - height, 2 * half, height),
                theme.color("brass" if doubtful else "hairline"),
            )

    @override
    def sizeHint(self) -> QSize:
        return QSize(700, round(self._theme.em * 14.04))
