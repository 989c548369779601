"""The interline: each row of paper directly above the row of its readings."""

from __future__ import annotations

import bisect
import time
from collections.abc import Collection, Sequence
from functools import lru_cache

from PyQt6.QtCore import QPointF, QRectF, QSize, QSizeF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFont,
    QFontMetricsF,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
)
from PyQt6.QtWidgets import QAbstractScrollArea, QScrollBar, QWidget
from typing_extensions import override

from keel_line._shared.amounts import after_point, decide_columns, parse_amount
from keel_line.model.finding import DrawnSum
from keel_line.model.grid import Cell
from keel_line.model.table import CellState, TableState, column_name
from keel_line.ui.proof.marks import paint_marks, text_box
from keel_line.ui.theme import Theme

_MOSTLY = 0.7
_LEAST_ZOOM = 0.3
_MOST_ZOOM = 1.1
_NEARER_BY = 1.25
_MOST_STEPS = 4
_CUTTINGS_KEPT = 400
_STRIPS_KEPT = 96
_STRIPS_AHEAD = 12
_AHEAD_MS = 5
_MOST_KEY_SHARE = 0.4
_BUDGET_S = 0.003  # for rows that are painted for the first time, in one frame


class Interline(QAbstractScrollArea):
    """A table's rows: strips of paper, each with its readings below.

    Each row is painted once into a strip, which is kept until one of its cells changes; to scroll
    or to go to another cell only lays strips out again. Strips of the rows next in line are painted
    while nothing else is to be done.
    """

    cell_pressed = pyqtSignal(int)
    key_pressed = pyqtSignal(QKeyEvent)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.budget_s = _BUDGET_S
        self._table: TableState | None = None
        self._image: QImage | None = None
        self._at = 0
        # A sum that is being drawn: its total and the cells that make it, by row and column.
        self.sum_in_hand: DrawnSum | None = None
        self._tops: list[float] = [0.0]
        self._ink_heights: list[float] = []
        self._zoom = 1.0
        self._nearer = 0  # steps, from where the whole width is in sight
        self._numeric: list[bool] = []
        self._points: list[str] = []  # the columns' decimal signs
        self._after_point: list[float] = []
        # Of readings that are not in doubt, and of those that are.
        self._faces: tuple[tuple[QFont, QFontMetricsF], ...] = ()
        self._cuttings: dict[int, QPixmap] = {}
        self._strips: dict[int, QPixmap] = {}
        self._ahead = QTimer(self)
        self._ahead.timeout.connect(self._paint_ahead)
        view, bar, side = self.viewport(), self.verticalScrollBar(), self.horizontalScrollBar()
        assert view is not None and bar is not None and side is not None  # noqa: S101, PT018 - Qt made them
        self._view, self._bar, self._side = view, bar, side
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Rows of paper above their readings")

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        if theme is not self._theme:
            self._theme = theme
            self._lay_out()

    @property
    def steps(self) -> int:
        """Zoom steps from where the whole width is in sight."""
        return self._nearer

    def zoom_step(self, steps: int) -> None:
        """Zoom the ink in (above 0) or out, keeping the cell at hand in sight."""
        nearer = min(_MOST_STEPS, max(-_MOST_STEPS, self._nearer + steps))
        if nearer != self._nearer:
            self._nearer = nearer
            self._lay_out()
            self._bring_into_sight()
            self._view.update()

    # --- content ------------------------------------------------------------------------------

    def show_table(
        self,
        table: TableState | None,
        image: QImage | None,
        at: int,
        changed: Collection[int] | None = None,
    ) -> None:
        """Show a table with its page's picture and the cell at hand.

        ``changed`` are the numbers of the cells that changed since; without, all are compared.
        """
        before, before_at = self._table, self._at
        other = (
            table is None
            or before is None
            or table.id != before.id
            or len(table.cells) != len(before.cells)
            or image is not self._image
        )
        if image is not self._image:
            self._cuttings.clear()
        self._table, self._image, self._at = table, image, at
        if other or table is None or before is None:
            self._lay_out()
            self._bring_into_sight()
            self._view.update()
            return
        if changed is None:
            pairs = zip(before.cells, table.cells, strict=True)
            changed = {i for i, (old, new) in enumerate(pairs) if old is not new}
        if any(_line_count(before.cells[i]) != _line_count(table.cells[i]) for i in changed):
            self._lay_out()
            self._bring_into_sight()
            self._view.update()
            return
        for index in changed:
            self._mend_strip(table, index)
        places = self._bar.value(), self._side.value()
        self._bring_into_sight()
        if places != (self._bar.value(), self._side.value()):
            self._view.update()
            return
        # Only what changed is painted again: the cells left and come to, and cells settled.
        for index in {*changed, before_at, at}:
            box = self.cell_box(table.cells[index].cell)
            self._view.update(box.adjusted(-3, -3, 3, 3).toAlignedRect())

    def _lay_out(self) -> None:
        """Compute zoom, row heights and alignments for the table and the window's size."""
        table = self._table
        self._cuttings.clear()
        self._strips.clear()
        if table is None:
            self._tops, self._ink_heights = [0.0], []
            self._bar.setRange(0, 0)
            self._side.setRange(0, 0)
            return
        xs, ys = table.grid.x_lines, table.grid.y_lines
        room = max(200.0, self._view.width() - self._margin - 2)
        fitting = min(_MOST_ZOOM, max(_LEAST_ZOOM, room / max(1.0, xs[-1] - xs[0])))
        self._zoom = fitting * _NEARER_BY**self._nearer
        lines = [1] * table.grid.rows
        for state in table.cells:
            c = state.cell
            if c.row_span == 1:
                lines[c.row] = max(lines[c.row], _line_count(state))
        self._ink_heights = [
            max(14.0, float(round((b - a) * self._zoom))) for a, b in zip(ys, ys[1:], strict=False)
        ]
        self._tops = [0.0]
        for height, count in zip(self._ink_heights, lines, strict=True):
            self._tops.append(self._tops[-1] + height + self._reading_height(count))
        columns = [[table.cells[i] for i in numbers] for numbers in table.grid.in_cols]
        bodies = [[s.text for s in own if s.cell.row >= table.header_rows] for own in columns]
        self._points = [separators.point for separators in decide_columns(bodies)]
        self._numeric = [
            _is_numeric(texts, point) for texts, point in zip(bodies, self._points, strict=True)
        ]
        fonts = (self._theme.reading(1.08), self._theme.bold_reading(1.08))
        self._faces = tuple((font, QFontMetricsF(font)) for font in fonts)
        _, metrics = self._faces[True]
        self._after_point = [
            max(
                map(metrics.horizontalAdvance, {_after_point(s.text, point) for s in own}),
                default=0.0,
            )
            if numeric
            else 0.0
            for own, numeric, point in zip(columns, self._numeric, self._points, strict=True)
        ]
        inner = self._view.height() - self._head
        self._bar.setRange(0, max(0, round(self._tops[-1] - inner)))
        self._bar.setPageStep(max(1, inner))
        self._bar.setSingleStep(30)
        wide = (xs[-1] - xs[0]) * self._zoom + self._margin
        self._side.setRange(0, max(0, round(wide - self._view.width() + 2)))
        self._side.setPageStep(self._view.width())

    @property
    def _line(self) -> float:
        return self._theme.em * 1.36

    def _reading_height(self, lines: int) -> int:
        return round(self._theme.em * 0.55 + self._line * lines)

    @property
    def _margin(self) -> int:
        return round(self._theme.em * 2.65)

    @property
    def _head(self) -> int:
        return round(self._theme.em * 1.79)

    # --- places -----------------------------------------------------------------------------

    def _left(self, col: int) -> float:
        return self._margin + self._across(col) - self._side.value()

    def _top(self, row: int) -> float:
        return self._head + self._tops[row] - self._bar.value()

    def _across(self, col: int) -> float:
        """Return a column's left side, from the table's left edge."""
        assert self._table is not None  # noqa: S101 - asked for with a table only
        xs = self._table.grid.x_lines
        return (xs[col] - xs[0]) * self._zoom

    @property
    def scroll_bars(self) -> tuple[QScrollBar, QScrollBar]:
        """Return the vertical and the horizontal scroll bar."""
        return self._bar, self._side

    @property
    def view(self) -> QWidget:
        """Return the painted widget."""
        return self._view

    def cell_box(self, cell: Cell) -> QRectF:
        """Return a cell's place (ink and reading) in the viewport."""
        return self._whole(cell).translated(self._start_of_view(cell), self._top(0))

    def reading_box(self, cell: Cell) -> QRectF:
        """Return the place of a cell's reading in the viewport."""
        return self._lower(cell).translated(self._start_of_view(cell), self._top(0))

    def _start_of_view(self, cell: Cell) -> float:
        """Return the table's left side for a cell; the key column does not scroll."""
        return self._margin if self._key_width and _is_key(cell) else self._left(0)

    @property
    def _key_width(self) -> float:
        """Return the first column's width if it covers others that are scrolled away, else 0.

        It stays unless it would take too much of the window.
        """
        if self._table is None or self._table.grid.cols <= 2 or self._side.value() == 0:
            return 0.0
        wide = self._across(1)
        return wide if wide <= _MOST_KEY_SHARE * self._view.width() else 0.0

    def _whole(self, cell: Cell) -> QRectF:
        """Return a cell's box relative to the table's corner."""
        return QRectF(
            QPointF(self._across(cell.col), self._tops[cell.row]),
            QPointF(self._across(cell.col + cell.col_span), self._tops[cell.row + cell.row_span]),
        )

    def _lower(self, cell: Cell) -> QRectF:
        """Return the box of a cell's reading relative to the table's corner."""
        box = self._whole(cell)
        last = cell.row + cell.row_span - 1
        box.setTop(self._tops[last] + self._ink_heights[last])
        return box

    def _bring_into_sight(self) -> None:
        table = self._table
        if table is None or not table.cells:
            return
        cell = table.cells[min(self._at, len(table.cells) - 1)].cell
        # A row before and a row after stay in sight. Out of it, the table moves on by almost a
        # windowful: it lies still for several doubts, and the eye finds its place again.
        top = self._tops[max(0, cell.row - 1)]
        bottom = self._tops[min(table.grid.rows, cell.row + cell.row_span + 1)]
        inner = self._view.height() - self._head
        if top < self._bar.value():
            self._bar.setValue(round(min(top, bottom - inner)))
        elif bottom > self._bar.value() + inner:
            self._bar.setValue(round(max(top, bottom - inner)))
        if self._key_width and _is_key(cell):
            return
        left, right = self._left(cell.col), self._left(cell.col + cell.col_span)
        first = self._margin + self._key_width
        if left < first:
            self._side.setValue(round(self._side.value() - (first - left)))
        elif right > self._view.width():
            self._side.setValue(round(self._side.value() + right - self._view.width() + 2))

    # --- painting ---------------------------------------------------------------------------

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self._view)
        painter.fillRect(self._view.rect(), self._theme.color("desk"))
        table = self._table
        if table is None:
            return
        dirty = QRectF(event.rect() if event is not None else self._view.rect())
        rows = self._rows_between(dirty.top(), dirty.bottom())
        self._paint_rows(painter, table, rows)
        if self._key_width:
            self._paint_key(painter, rows)
        painter.setFont(self._theme.font(0.92))
        for row in rows:
            side = QRectF(0, self._top(row), self._margin, self._tops[row + 1] - self._tops[row])
            painter.fillRect(side, self._theme.color("heading"))
            painter.setPen(self._theme.color("quiet"))
            painter.drawText(side, Qt.AlignmentFlag.AlignCenter, str(row + 1))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_current(painter, table)
        if self.sum_in_hand is not None:
            self._paint_sum(painter, table, self.sum_in_hand)
        if dirty.top() <= self._head:
            self._paint_head(painter, table)
        # What is in sight comes at once, what is next when the hands rest.
        self._ahead.start(0 if any(row not in self._strips for row in rows) else _AHEAD_MS)

    def _paint_rows(self, painter: QPainter, table: TableState, rows: range) -> None:
        """Paint rows, the current one first; slow ones follow in later frames."""
        at = table.cells[min(self._at, len(table.cells) - 1)].cell.row if table.cells else 0
        began = time.perf_counter()
        wide = self._across(table.grid.cols)
        for row in sorted(rows, key=lambda r: abs(r - at)):
            corner = QPointF(self._left(0), self._top(row))
            if row in self._strips or time.perf_counter() - began < self.budget_s:
                painter.drawPixmap(corner, self._strip(table, row))
            else:
                high = self._tops[row + 1] - self._tops[row]
                painter.fillRect(QRectF(corner, QSizeF(wide, high)), self._theme.color("sheet"))

    def _paint_key(self, painter: QPainter, rows: range) -> None:
        """Paint the key column over the scrolled columns."""
        ratio = self._view.devicePixelRatioF()
        for row in rows:
            strip = self._strips.get(row)
            high = self._tops[row + 1] - self._tops[row]
            box = QRectF(self._margin, self._top(row), self._key_width, high)
            if strip is None:
                painter.fillRect(box, self._theme.color("sheet"))
            else:
                painter.drawPixmap(box, strip, QRectF(0, 0, self._key_width * ratio, high * ratio))
        painter.setPen(QPen(self._theme.color("quiet"), 1.5))
        edge = self._margin + self._key_width
        painter.drawLine(QPointF(edge, 0), QPointF(edge, self._top(rows.stop)))

    def _rows_between(self, top: float, bottom: float) -> range:
        """Return the rows between two heights of the viewport."""
        offset = self._bar.value() - self._head
        first = max(0, bisect.bisect_right(self._tops, top + offset) - 1)
        last = bisect.bisect_left(self._tops, bottom + offset)
        return range(first, min(last, len(self._tops) - 1))

    def _paint_ahead(self) -> None:
        """Paint the next strip in advance; stop when none is left."""
        table = self._table
        if table is not None and self.isVisible():
            seen = self._rows_between(self._head, self._view.height())
            for row in seen:
                if row not in self._strips:
                    self._strip(table, row)
                    high = self._tops[row + 1] - self._tops[row]
                    self._view.update(
                        QRectF(0, self._top(row), self._view.width(), high).toAlignedRect()
                    )
                    return
            self._ahead.setInterval(_AHEAD_MS)
            near = range(seen.stop, min(seen.stop + _STRIPS_AHEAD, table.grid.rows))
            before = range(max(0, seen.start - 2), seen.start)
            for row in (*near, *before):
                if row not in self._strips:
                    self._strip(table, row)
                    return
        self._ahead.stop()

    def _strip(self, table: TableState, row: int) -> QPixmap:
        """Return a row's painted strip, cached until a cell changes."""
        found = self._strips.pop(row, None)
        if found is None:
            found = self._paint_strip(table, row)
            while len(self._strips) >= _STRIPS_KEPT:
                self._strips.pop(next(iter(self._strips)))
        self._strips[row] = found  # the last one used is the last in order
        return found

    def _paint_strip(self, table: TableState, row: int) -> QPixmap:
        height = self._tops[row + 1] - self._tops[row]
        ratio = self._view.devicePixelRatioF()
        strip = QPixmap(round((self._across(table.grid.cols) + 1) * ratio), round(height * ratio))
        strip.setDevicePixelRatio(ratio)
        strip.fill(self._theme.color("desk"))  # a new one holds what memory held
        painter = QPainter(strip)
        self._paint_row(painter, table, row, table.grid.in_rows[row])
        painter.end()
        return strip

    def _paint_row(
        self, painter: QPainter, table: TableState, row: int, numbers: Sequence[int]
    ) -> None:
        """Paint a row's ink, and the readings of some of its cells."""
        theme, grid = self._theme, table.grid
        height, ink_height = self._tops[row + 1] - self._tops[row], self._ink_heights[row]
        width = self._across(grid.cols)
        painter.fillRect(QRectF(0, 0, width + 1, height), theme.color("desk"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(QRectF(0, 0, width, height), theme.color("sheet"))
        if self._image is not None:
            y0, y1 = grid.y_lines[row], grid.y_lines[row + 1]
            source = QRectF(grid.x_lines[0], y0, grid.x_lines[-1] - grid.x_lines[0], y1 - y0)
            ratio = self._view.devicePixelRatioF()
            painter.drawPixmap(QPointF(0, 0), self._cutting(row, source, ink_height, ratio))
            if theme.colours.dark:
                painter.fillRect(QRectF(0, 0, width, ink_height), QColor(20, 24, 27, 70))
        painter.translate(0, -self._tops[row])
        for number in numbers:
            self._paint_reading(painter, table.cells[number])

    def _mend_strip(self, table: TableState, number: int) -> None:
        """Repaint a changed cell in its row's cached strip."""
        cell = table.cells[number].cell
        strip = self._strips.get(cell.row)
        if cell.row_span > 1 or strip is None:
            for row in range(cell.row, cell.row + cell.row_span):
                self._strips.pop(row, None)
            return
        own = self._whole(cell).translated(0, -self._tops[cell.row]).toAlignedRect()
        # Its neighbours too, for they share its border.
        beside = [
            n
            for n in table.grid.in_rows[cell.row]
            if table.cells[n].cell.col <= cell.col + cell.col_span
            and table.cells[n].cell.col + table.cells[n].cell.col_span >= cell.col
        ]
        painter = QPainter(strip)
        painter.setClipRect(own)
        self._paint_row(painter, table, cell.row, beside)
        painter.end()

    def _cutting(self, row: int, source: QRectF, height: float, ratio: float) -> QPixmap:
        """Return a row of paper at the table's zoom; cached."""
        found = self._cuttings.get(row)
        if found is None and self._image is not None:
            size = QSize(round(source.width() * self._zoom * ratio), round(height * ratio))
            part = self._image.copy(source.toAlignedRect())
            found = QPixmap.fromImage(
                part.scaled(
                    size,
                    Qt.AspectRatioMode.IgnoreAspectRatio,
                    Qt.TransformationMode.SmoothTransformation,
                )
            )
            found.setDevicePixelRatio(ratio)
            if len(self._cuttings) >= _CUTTINGS_KEPT:
                self._cuttings.pop(next(iter(self._cuttings)))
            self._cuttings[row] = found
        return found or QPixmap()

    def _paint_reading(self, painter: QPainter, state: CellState) -> None:
        theme, cell = self._theme, state.cell
        whole, box = self._whole(cell), self._lower(cell)
        painter.setPen(QPen(theme.color("hairline"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(
            QPolygonF([whole.topLeft(), whole.bottomLeft(), whole.bottomRight(), whole.topRight()])
        )
        painter.fillRect(box.adjusted(1, 0, -1, -1), theme.color("sheet"))
        font, metrics = self._faces[state.in_doubt]
        painter.setFont(font)
        painter.setPen(theme.color("ink"))
        inner = text_box(box, state)
        right = self._numeric[cell.col] and cell.col_span == 1
        flag = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        lines = state.text.split("\n")
        height = inner.height() / max(1, len(lines))
        if right and len(lines) == 1:  # figures stand with their decimal points in line
            after = metrics.horizontalAdvance(_after_point(state.text, self._points[cell.col]))
            room = inner.width() - metrics.horizontalAdvance(state.text)
            inner.adjust(0, 0, -max(0.0, min(self._after_point[cell.col] - after, room)), 0)
        for i, line in enumerate(lines):
            shown = line
            if metrics.horizontalAdvance(line) > inner.width():
                shown = metrics.elidedText(line, Qt.TextElideMode.ElideRight, inner.width())
            painter.drawText(
                QRectF(inner.left(), inner.top() + i * height, inner.width(), height),
                flag | Qt.AlignmentFlag.AlignVCenter,
                shown,
            )
        paint_marks(painter, theme, state, box)

    def _paint_current(self, painter: QPainter, table: TableState) -> None:
        state = table.cells[min(self._at, len(table.cells) - 1)]
        box = self.cell_box(state.cell).adjusted(0.5, 0.5, -0.5, -0.5)
        wash = QColor(self._theme.color("teal"))
        wash.setAlpha(26)
        painter.fillRect(self.reading_box(state.cell), wash)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(self._theme.color("teal"), 2.2))
        painter.drawRect(box)

    def _paint_sum(self, painter: QPainter, table: TableState, drawn: DrawnSum) -> None:
        """Paint a plus beside each cell of a sum in hand, and two strokes beside its total."""
        violet = self._theme.color("violet")
        for place in (*drawn.addends, drawn.total):
            number = table.grid.number_at(*place)
            if number is None:
                continue
            box = self.reading_box(table.cells[number].cell)
            painter.setPen(QPen(violet, 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(2.5, 1.5, -2.5, -2.5))
            middle = QPointF(box.left() + 10, box.center().y())
            painter.setPen(QPen(violet, 1.8))
            if place == drawn.total:
                for off in (-2.5, 2.5):
                    painter.drawLine(middle + QPointF(-4, off), middle + QPointF(4, off))
            else:
                painter.drawLine(middle + QPointF(-4, 0), middle + QPointF(4, 0))
                painter.drawLine(middle + QPointF(0, -4), middle + QPointF(0, 4))

    def hold_sum(self, drawn: DrawnSum | None) -> None:
        """Show the sum being edited; None hides it."""
        self.sum_in_hand = drawn
        self._view.update()

    def _paint_head(self, painter: QPainter, table: TableState) -> None:
        theme = self._theme
        head = QRectF(0, 0, self._view.width(), self._head)
        painter.fillRect(head, theme.color("desk"))
        right = self._left(table.grid.cols)
        painter.fillRect(QRectF(0, 0, right, self._head), theme.color("heading"))
        painter.setFont(theme.bold_reading(0.95))
        painter.setPen(theme.color("ink"))
        metrics = QFontMetricsF(painter.font())

        def write(col: int, left: float) -> None:
            box = QRectF(left, 0, self._across(col + 1) - self._across(col), self._head)
            inner = box.adjusted(9, 0, -8, 0)
            flag = Qt.AlignmentFlag.AlignRight if self._numeric[col] else Qt.AlignmentFlag.AlignLeft
            text = column_name(table, col)
            painter.drawText(
                inner,
                flag | Qt.AlignmentFlag.AlignVCenter,
                metrics.elidedText(text, Qt.TextElideMode.ElideRight, inner.width()),
            )

        for col in range(table.grid.cols):
            if self._left(col + 1) >= self._margin and self._left(col) <= self._view.width():
                write(col, self._left(col))
        if self._key_width:
            over = QRectF(0, 0, self._margin + self._key_width, self._head)
            painter.fillRect(over, theme.color("heading"))
            write(0, self._margin)
        painter.setPen(QPen(theme.color("hairline"), 1))
        painter.drawLine(QPointF(0, self._head), QPointF(right, self._head))

    # --- input ------------------------------------------------------------------------------

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if self._table is None or event is None:
            return
        for i, state in enumerate(self._table.cells):
            if self.cell_box(state.cell).contains(event.position()):
                self.cell_pressed.emit(i)
                return

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None:
            self.key_pressed.emit(event)

    @override
    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._lay_out()
        self._bring_into_sight()

    @override
    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self._view.update()

    @override
    def sizeHint(self) -> QSize:
        return QSize(800, 400)


def _is_key(cell: Cell) -> bool:
    return cell.col == 0 and cell.col_span == 1


def _is_numeric(texts: Sequence[str], point: str) -> bool:
    """Return whether most of a column's texts are numbers."""
    written = [t for t in texts if t]
    numbers = sum(parse_amount(t, point) is not None for t in written)
    return bool(written) and numbers > _MOSTLY * len(written)


@lru_cache(maxsize=20_000)
def _after_point(text: str, point: str) -> str:
    return after_point(text, point)


def _line_count(state: CellState) -> int:
    return state.text.count("\n") + 1
