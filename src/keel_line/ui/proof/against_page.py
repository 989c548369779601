"""The view "Against the page": readings over the squared page, in place and size."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from typing import Literal

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget
from typing_extensions import override

from keel_line._shared.texts import count_of
from keel_line.desk.summary import TableSummary, summarise_table
from keel_line.model.geometry import Box
from keel_line.model.reading import CharReading
from keel_line.model.table import CellState, TableState, column_name
from keel_line.ui.session import Session
from keel_line.ui.theme import Theme
from keel_line.ui.widgets.page_view import PageView

Showing = Literal["both", "reading", "ink", "outside"]

_ORDER: tuple[Showing, ...] = ("both", "reading", "ink", "outside")
_NAMES: dict[Showing, str] = {
    "both": "Ink and readings",
    "reading": "Readings",
    "ink": "Ink",
    "outside": "What is outside",
}
_CAP_SHARE = 0.727  # of the face's size
_LEAST_PX = 5.0


class OverlaidPage(PageView):
    """A page with readings painted over its cells."""

    left = pyqtSignal()
    showing_changed = pyqtSignal()
    step_table = pyqtSignal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self.showing: Showing = "both"
        # Boxes around writing that was taken for no table.
        self.outside: tuple[Box, ...] = ()
        self._fonts: dict[int, QFont] = {}
        self.setAccessibleName("The page with its readings over it; Space changes what is shown")

    @override
    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self._fonts.clear()

    @override
    def _paint_grid(self, painter: QPainter, table: TableState, scale: float, *, at: bool) -> None:
        if self.showing == "ink":
            super()._paint_grid(painter, table, scale, at=at)
            self._paint_unread(painter, table, scale)
            return
        if self.showing == "outside":  # the tables step back, the rest of the page stands alone
            x0, y0, x1, y1 = (v * scale for v in table.grid.box)
            painter.fillRect(QRectF(QPointF(x0, y0), QPointF(x1, y1)), self._theme.color("well"))
            return
        seen = QRectF(self.rect()).translated(-self._origin())
        wash = QColor(self._theme.color("sheet"))
        wash.setAlpha(255 if self.showing == "reading" else 178)
        x0, y0, x1, y1 = (v * scale for v in table.grid.box)
        painter.fillRect(QRectF(QPointF(x0, y0), QPointF(x1, y1)), wash)
        super()._paint_grid(painter, table, scale, at=at)
        for number in _rows_seen(table, seen.top() / scale, seen.bottom() / scale):
            state = table.cells[number]
            cx0, cy0, cx1, cy1 = (v * scale for v in state.cell.box)
            box = QRectF(QPointF(cx0, cy0), QPointF(cx1, cy1))
            if box.intersects(seen):
                self._paint_reading(painter, state, box, scale)

    def _paint_unread(self, painter: QPainter, table: TableState, scale: float) -> None:
        """Paint a frame around ink that no reading explains."""
        painter.setPen(QPen(self._theme.color("brass"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for state in table.cells:
            if state.settled is None:
                for x0, y0, x1, y1 in state.reading.unread:
                    painter.drawRect(
                        QRectF(QPointF(x0, y0) * scale, QPointF(x1, y1) * scale).adjusted(
                            -2, -2, 2, 2
                        )
                    )

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.showing != "outside" or self._image is None:
            return
        painter = QPainter(self)
        pen = QPen(self._theme.color("brass"), 1.6)
        pen.setDashPattern([1.0, 3.0])
        painter.setPen(pen)
        scale, origin = self._scale, self._origin()
        for x0, y0, x1, y1 in self.outside:
            box = QRectF(QPointF(x0, y0) * scale, QPointF(x1, y1) * scale)
            painter.drawRect(box.translated(origin))

    def _paint_reading(
        self, painter: QPainter, state: CellState, box: QRectF, scale: float
    ) -> None:
        theme = self._theme
        if state.in_doubt:
            wash = QColor(theme.color("brass_wash"))
            wash.setAlpha(255 if self.showing == "reading" else 130)
            painter.fillRect(box.adjusted(1, 1, -1, -1), wash)
            painter.fillRect(QRectF(box.right() - 5, box.top(), 5, 5), theme.color("brass"))
        color = "brass" if state.in_doubt else "teal" if state.settled is not None else "ink"
        painter.setPen(theme.color(color))
        lines = state.text.split("\n") if state.text else []
        places = _places(state)
        for number, text in enumerate(lines):
            left, baseline, right, cap = _place_of(number, len(lines), places, state)
            size = cap * scale / _CAP_SHARE
            if size < _LEAST_PX:  # too small to be read: a stroke where it stands
                painter.fillRect(
                    QRectF(
                        left * scale,
                        (baseline - cap) * scale,
                        (right - left) * scale,
                        max(1.0, cap * scale * 0.6),
                    ),
                    theme.color(color),
                )
                continue
            font = self._font(round(size))
            natural = QFontMetricsF(font).horizontalAdvance(text)
            painter.save()
            painter.setFont(font)
            painter.translate(left * scale, baseline * scale)
            painter.scale(min(1.6, max(0.4, (right - left) * scale / max(1.0, natural))), 1.0)
            painter.drawText(QPointF(0, 0), text)
            painter.restore()

    def _font(self, pixels: int) -> QFont:
        """Return the face in a size; cached, as a page has few sizes."""
        found = self._fonts.get(pixels)
        if found is None:
            found = self._theme.reading()
            found.setPixelSize(max(1, pixels))
            self._fonts[pixels] = found
        return found

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key = event.key()
        if key in (Qt.Key.Key_Escape, Qt.Key.Key_F3, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.left.emit()
        elif key == Qt.Key.Key_Space:
            self.showing = _ORDER[(_ORDER.index(self.showing) + 1) % len(_ORDER)]
            self.showing_changed.emit()
            self.update()
        elif key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            self.step_table.emit(1 if key == Qt.Key.Key_PageDown else -1)
        else:
            super().keyPressEvent(event)


class Outline(QWidget):
    """A table's summary beside the page."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._table: TableState | None = None
        self._summary: TableSummary | None = None
        self._showing: Showing = "both"
        self._outside = 0

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self.update()

    def show_table(self, table: TableState, showing: Showing, outside: int) -> None:
        """Show a table's summary; ``outside`` counts the blocks of writing in no table."""
        self._outside = outside
        self._table, self._summary = table, summarise_table(table)
        self._showing = showing
        self.setAccessibleName(". ".join(f"{a}: {b}" for a, b in self.lines()))
        self.update()

    def lines(self) -> list[tuple[str, str]]:
        """Return the lines shown, as (label, value)."""
        table, s = self._table, self._summary
        if table is None or s is None:
            return []
        out = [
            (
                "Rows",
                f"{s.rows}, {s.header_rows} of them heading" if s.header_rows else f"{s.rows}",
            ),
            ("Columns", f"{s.cols}"),
            ("Blank cells", f"{s.blanks}"),
            ("Open doubts", f"{s.doubts}"),
            ("Unread ink", f"{s.unread} places" if s.unread != 1 else "1 place"),
            ("Outside", f"{count_of(self._outside, 'block')} of writing in no table"),
            ("First row", " · ".join(t or "–" for t in s.first)),
            ("Last row", " · ".join(t or "–" for t in s.last)),
        ]
        for label, state in (("Longest", s.longest), ("Shortest", s.shortest)):
            if state is not None:
                place = f"{column_name(table, state.cell.col)}, row {state.cell.row + 1}"
                out.append((label, f"“{' '.join(state.text.split())}” ({place})"))
        return out

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme, em = self._theme, self._theme.em
        wide = float(self.width())
        if self._table is None:
            return
        y = 0.0
        painter.setFont(theme.bold(1.1))
        painter.setPen(theme.color("ink"))
        name = QFontMetricsF(painter.font()).elidedText(
            self._table.name, Qt.TextElideMode.ElideRight, wide
        )
        painter.drawText(QRectF(0, y, wide, em * 1.8), Qt.AlignmentFlag.AlignVCenter, name)
        y += em * 2.2
        wrapped = int(Qt.TextFlag.TextWordWrap) | int(Qt.AlignmentFlag.AlignTop)
        bottom = self.height() - em * 7.6
        label_wide = QFontMetricsF(theme.font(0.92)).horizontalAdvance("Open doubts") + em
        for label, value in self.lines():
            metrics = QFontMetricsF(theme.font())
            short = metrics.horizontalAdvance(value) <= wide - label_wide
            high = em * 1.5
            if not short:
                high = metrics.boundingRect(QRectF(0, 0, wide, 900), wrapped, value).height()
                high = min(high, em * 3.2)
            if y + high + (0 if short else em * 1.3) > bottom:
                break  # no room: the rows themselves say it
            painter.setFont(theme.font(0.92))
            painter.setPen(theme.color("quiet"))
            painter.drawText(QRectF(0, y, wide, em * 1.5), Qt.AlignmentFlag.AlignVCenter, label)
            painter.setFont(theme.font())
            painter.setPen(theme.color("ink"))
            if short:
                box = QRectF(label_wide, y, wide - label_wide, em * 1.5)
                painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, value)
            else:
                y += em * 1.35
                painter.drawText(QRectF(0, y, wide, high), wrapped, value)
            y += high + em * 0.25
        painter.setPen(QPen(theme.color("hairline"), 1))
        painter.drawLine(QPointF(0, bottom), QPointF(wide, bottom))
        y = bottom + em * 0.4
        now = _NAMES[self._showing].lower()
        for key, what in (
            ("Space", f"show next; now {now}"),
            ("+ −", "zoom in, zoom out"),
            ("Page down", "next table"),
            ("Esc", "back to the rows"),
        ):
            painter.setFont(theme.bold(0.92))
            painter.setPen(theme.color("ink"))
            painter.drawText(QRectF(0, y, wide, em * 1.5), Qt.AlignmentFlag.AlignVCenter, key)
            left = QFontMetricsF(theme.bold(0.92)).horizontalAdvance("Page down  ")
            painter.setFont(theme.font(0.92))
            painter.setPen(theme.color("quiet"))
            painter.drawText(
                QRectF(left, y, wide - left, em * 1.5), Qt.AlignmentFlag.AlignVCenter, what
            )
            y += em * 1.6

    @override
    def sizeHint(self) -> QSize:
        return QSize(round(self._theme.em * 20), 400)


class AgainstPage(QWidget):
    """The page with its readings, and the table's summary beside it."""

    left = pyqtSignal()

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self._session = session
        self._looked_at: tuple[int | None, bool] | None = None
        self.page = OverlaidPage(theme)
        self.outline = Outline(theme)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 10, 16, 8)
        row.setSpacing(22)
        row.addWidget(self.page, 1)
        side = QVBoxLayout()
        side.setContentsMargins(0, 6, 0, 0)
        side.addWidget(self.outline)
        row.addLayout(side)
        self.outline.setFixedWidth(self.outline.sizeHint().width())
        self.setFocusProxy(self.page)
        self.page.left.connect(self.left)
        self.page.showing_changed.connect(self.refresh)
        self.page.step_table.connect(session.go_to_table)
        self.page.table_chosen.connect(self._choose)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.page.set_theme(theme)
        self.outline.set_theme(theme)

    def begin(self) -> None:
        """Zoom to the table at hand."""
        self._looked_at = None
        self.refresh()

    def refresh(self) -> None:
        """Update the page of the table at hand."""
        table = self._session.table
        if table is None:
            return
        image = self._session.picture(table.page_id)
        own = [t for _, t in self._session.proofs.tables_on(table.page_id)]
        page = next(p for p in self._session.desk.pages() if p.id == table.page_id)
        self.page.outside = page.rejected_areas
        self.page.show_page(image, own, own.index(table))
        shown = table.id if image is not None else None
        whole = self.page.showing == "outside"
        if (shown, whole) != self._looked_at:
            self._looked_at = (shown, whole)
            self.page.look_at((0.0, 0.0, *page.squared_size_px) if whole else table.grid.box)
        self.outline.show_table(table, self.page.showing, len(page.rejected_areas))

    def _choose(self, number: int) -> None:
        table = self._session.table
        if table is not None:
            index, _ = self._session.proofs.tables_on(table.page_id)[number]
            if index != self._session.table_index:
                self._session.go_to_table(index - self._session.table_index)


def _rows_seen(table: TableState, top: float, bottom: float) -> list[int]:
    """Return the numbers of the cells in rows between two heights of the page (px)."""
    ys = table.grid.y_lines
    first = max(0, bisect_right(ys, top) - 1)
    last = min(table.grid.rows, bisect_left(ys, bottom) + 1)
    return sorted({n for row in range(first, last) for n in table.grid.in_rows[row]})


def _places(state: CellState) -> dict[int, list[CharReading]]:
    """Return the characters of each line of a cell as it was read."""
    out: dict[int, list[CharReading]] = {}
    for char in state.reading.chars:
        out.setdefault(char.line, []).append(char)
    return out


def _place_of(
    number: int, count: int, places: dict[int, list[CharReading]], state: CellState
) -> tuple[float, float, float, float]:
    """Return a line's place: left, baseline, right, cap height (px).

    A value that was typed stands where the reading stood, or in the middle of its cell.
    """
    x0, y0, x1, y1 = state.cell.box
    chars = places.get(number)
    if chars:
        top, bottom = chars[0].box[1], chars[0].box[3]
        cap = (bottom - top) / 1.25
        return chars[0].box[0], top + cap, max(chars[-1].box[2], chars[0].box[0] + 1), cap
    pitch = (y1 - y0) / max(1, count)
    cap = min(0.4 * pitch, 0.4 * (y1 - y0))
    wide = min(x1 - x0 - 8, 0.8 * cap * max(map(len, state.text.split("\n"))))
    return x0 + 4, y0 + (number + 0.65) * pitch, x0 + 4 + max(1.0, wide), cap
