"""The interline: each row of paper stands directly above the row of its readings."""

from __future__ import annotations

import bisect

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
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

from keel_line.model.grid import Cell
from keel_line.model.table import CellState, TableState
from keel_line.ui.proof.marks import paint_marks
from keel_line.ui.theme import Theme

_LEAST_ZOOM = 0.3
_MOST_ZOOM = 1.1
_CUTTINGS_KEPT = 400


class Interline(QAbstractScrollArea):
    """Paints a table's rows: the paper cut out along its lines, its readings right below.

    Only the rows in sight are painted, straight from the page's picture.
    """

    cell_pressed = pyqtSignal(int)
    key_pressed = pyqtSignal(QKeyEvent)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._table: TableState | None = None
        self._image: QImage | None = None
        self._at = 0
        self._tops: list[float] = [0.0]
        self._ink_heights: list[float] = []
        self._zoom = 1.0
        self._numeric: list[bool] = []
        self._of_row: list[list[int]] = []
        self._cuttings: dict[int, QPixmap] = {}
        view, bar, side = self.viewport(), self.verticalScrollBar(), self.horizontalScrollBar()
        assert view is not None and bar is not None and side is not None  # noqa: S101, PT018 - Qt made them
        self._view, self._bar, self._side = view, bar, side
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Rows of paper above their readings")

    def set_theme(self, theme: Theme) -> None:
        """Dress anew."""
        self._theme = theme
        self._lay_out()

    # --- content ------------------------------------------------------------------------------

    def show_table(self, table: TableState | None, image: QImage | None, at: int) -> None:
        """Show a table with its page's picture and the cell at hand."""
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
        places = self._bar.value(), self._side.value()
        self._bring_into_sight()
        if places != (self._bar.value(), self._side.value()):
            self._view.update()
            return
        # Only what changed is painted again: the cells left and come to, and cells settled.
        changed = {before_at, at} | {
            i
            for i, (old, new) in enumerate(zip(before.cells, table.cells, strict=True))
            if old is not new
        }
        for index in changed:
            box = self.cell_box(table.cells[index].cell)
            self._view.update(box.adjusted(-3, -3, 3, 3).toAlignedRect())

    def _lay_out(self) -> None:
        """Work out zoom, row heights and alignments for the table and the window's size."""
        table = self._table
        self._cuttings.clear()
        if table is None:
            self._tops, self._ink_heights = [0.0], []
            self._bar.setRange(0, 0)
            self._side.setRange(0, 0)
            return
        xs, ys = table.grid.x_lines, table.grid.y_lines
        room = max(200.0, self._view.width() - self._margin - 2)
        self._zoom = min(_MOST_ZOOM, max(_LEAST_ZOOM, room / max(1.0, xs[-1] - xs[0])))
        lines = [1] * table.grid.rows
        self._of_row = [[] for _ in range(table.grid.rows)]
        for i, state in enumerate(table.cells):
            c = state.cell
            for row in range(c.row, c.row + c.row_span):
                self._of_row[row].append(i)
            if c.row_span == 1:
                lines[c.row] = max(lines[c.row], state.text.count("\n") + 1)
        self._ink_heights = [
            max(14.0, (b - a) * self._zoom) for a, b in zip(ys, ys[1:], strict=False)
        ]
        self._tops = [0.0]
        for height, count in zip(self._ink_heights, lines, strict=True):
            self._tops.append(self._tops[-1] + height + self._reading_height(count))
        self._numeric = [self._is_numeric(table, col) for col in range(table.grid.cols)]
        inner = self._view.height() - self._head
        self._bar.setRange(0, max(0, round(self._tops[-1] - inner)))
        self._bar.setPageStep(max(1, inner))
        self._bar.setSingleStep(30)
        wide = (xs[-1] - xs[0]) * self._zoom + self._margin
        self._side.setRange(0, max(0, round(wide - self._view.width() + 2)))
        self._side.setPageStep(self._view.width())

    @staticmethod
    def _is_numeric(table: TableState, col: int) -> bool:
        texts = [
            s.text
            for s in table.cells
            if s.cell.col == col
            and s.cell.col_span == 1
            and s.cell.row >= table.header_rows
            and s.text
        ]
        figures = sum(
            t[-1].isdigit() and t.replace(",", "").replace(".", "").strip("-£$€ ").isdigit()
            for t in texts
        )
        return bool(texts) and figures > 0.7 * len(texts)

    @property
    def _line(self) -> float:
        return self._theme.em * 1.36

    def _reading_height(self, lines: int) -> float:
        return self._theme.em * 0.55 + self._line * lines

    @property
    def _margin(self) -> float:
        return self._theme.em * 2.65

    @property
    def _head(self) -> int:
        return round(self._theme.em * 1.79)

    # --- places -----------------------------------------------------------------------------

    def _left(self, col: int) -> float:
        assert self._table is not None  # noqa: S101 - asked for with a table only
        xs = self._table.grid.x_lines
        return self._margin + (xs[col] - xs[0]) * self._zoom - self._side.value()

    def _top(self, row: int) -> float:
        return self._head + self._tops[row] - self._bar.value()

    @property
    def scroll_bars(self) -> tuple[QScrollBar, QScrollBar]:
        """Return the upright and the level scroll bar."""
        return self._bar, self._side

    @property
    def view(self) -> QWidget:
        """Return the widget that is painted on."""
        return self._view

    def cell_box(self, cell: Cell) -> QRectF:
        """Return where a cell (its ink and its reading) stands in the viewport."""
        return QRectF(
            QPointF(self._left(cell.col), self._top(cell.row)),
            QPointF(self._left(cell.col + cell.col_span), self._top(cell.row + cell.row_span)),
        )

    def reading_box(self, cell: Cell) -> QRectF:
        """Return where a cell's reading stands in the viewport."""
        box = self.cell_box(cell)
        last = cell.row + cell.row_span - 1
        box.setTop(self._top(last) + self._ink_heights[last])
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
        left, right = self._left(cell.col), self._left(cell.col + cell.col_span)
        if left < self._margin:
            self._side.setValue(round(self._side.value() - (self._margin - left)))
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
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        dirty = QRectF(event.rect() if event is not None else self._view.rect())
        offset = self._bar.value() - self._head
        row = max(0, bisect.bisect_right(self._tops, dirty.top() + offset) - 1)
        painted: set[int] = set()
        while row < table.grid.rows and self._tops[row] < dirty.bottom() + offset:
            self._paint_row(painter, table, row)
            painted.update(self._of_row[row])
            row += 1
        for index in sorted(painted):
            self._paint_reading(painter, table.cells[index], dirty)
        self._paint_current(painter, table)
        self._paint_head(painter, table)

    def _paint_row(self, painter: QPainter, table: TableState, row: int) -> None:
        theme, grid = self._theme, table.grid
        left, right = self._left(0), self._left(grid.cols)
        top, height = self._top(row), self._ink_heights[row]
        painter.fillRect(
            QRectF(left, top, right - left, self._top(row + 1) - top), theme.color("sheet")
        )
        if self._image is not None:
            y0, y1 = grid.y_lines[row], grid.y_lines[row + 1]
            source = QRectF(grid.x_lines[0], y0, grid.x_lines[-1] - grid.x_lines[0], y1 - y0)
            painter.drawPixmap(QPointF(left, top), self._cutting(row, source, height))
            if theme.colours.dark:
                painter.fillRect(QRectF(left, top, right - left, height), QColor(20, 24, 27, 70))
        side = QRectF(0, top, self._margin, self._top(row + 1) - top)
        painter.fillRect(side, theme.color("heading"))
        painter.setFont(theme.font(0.92))
        painter.setPen(theme.color("quiet"))
        painter.drawText(side, Qt.AlignmentFlag.AlignCenter, str(row + 1))

    def _cutting(self, row: int, source: QRectF, height: float) -> QPixmap:
        """Return a row of paper at the table's zoom; made when first seen, then kept."""
        found = self._cuttings.get(row)
        if found is None and self._image is not None:
            size = QSize(round(source.width() * self._zoom), round(height))
            part = self._image.copy(source.toAlignedRect())
            found = QPixmap.fromImage(
                part.scaled(
                    size,
                    Qt.AspectRatioMode.IgnoreAspectRatio,
                    Qt.TransformationMode.SmoothTransformation,
                )
            )
            if len(self._cuttings) >= _CUTTINGS_KEPT:
                self._cuttings.pop(next(iter(self._cuttings)))
            self._cuttings[row] = found
        return found or QPixmap()

    def _paint_reading(self, painter: QPainter, state: CellState, dirty: QRectF) -> None:
        theme, cell = self._theme, state.cell
        whole = self.cell_box(cell)
        if not whole.intersects(dirty):
            return
        box = self.reading_box(cell)
        painter.setPen(QPen(theme.color("hairline"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(
            QPolygonF([whole.topLeft(), whole.bottomLeft(), whole.bottomRight(), whole.topRight()])
        )
        painter.fillRect(box.adjusted(1, 0, -1, -1), theme.color("sheet"))
        painter.setFont(theme.bold(1.08) if state.in_doubt else theme.font(1.08))
        painter.setPen(theme.color("ink"))
        inner = box.adjusted(9, 2, -8, -2)
        metrics = QFontMetricsF(painter.font())
        right = self._numeric[cell.col] and cell.col_span == 1
        flag = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        lines = state.text.split("\n")
        height = inner.height() / max(1, len(lines))
        for i, line in enumerate(lines):
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

    def _paint_head(self, painter: QPainter, table: TableState) -> None:
        theme = self._theme
        head = QRectF(0, 0, self._view.width(), self._head)
        painter.fillRect(head, theme.color("desk"))
        right = self._left(table.grid.cols)
        painter.fillRect(QRectF(0, 0, right, self._head), theme.color("heading"))
        painter.setFont(theme.bold(0.95))
        painter.setPen(theme.color("ink"))
        metrics = QFontMetricsF(painter.font())
        for col in range(table.grid.cols):
            box = QRectF(QPointF(self._left(col), 0), QPointF(self._left(col + 1), self._head))
            if box.right() < self._margin or box.left() > self._view.width():
                continue
            text = column_name(table, col)
            inner = box.adjusted(9, 0, -8, 0)
            flag = Qt.AlignmentFlag.AlignRight if self._numeric[col] else Qt.AlignmentFlag.AlignLeft
            painter.drawText(
                inner,
                flag | Qt.AlignmentFlag.AlignVCenter,
                metrics.elidedText(text, Qt.TextElideMode.ElideRight, inner.width()),
            )
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


def column_name(table: TableState, col: int) -> str:
    """Return a column's heading (the lowest heading row's text), or its letter without one."""
    found = ""
    for state in table.cells:
        c = state.cell
        if c.row < table.header_rows and c.col <= col < c.col + c.col_span and state.text:
            found = state.text.replace("\n", " ")
    if found:
        return found
    letters, number = "", col + 1
    while number:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return letters
