"""A squared page with its grids: zoom and pan; subclasses add handles."""

from __future__ import annotations

from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget
from typing_extensions import override

from keel_line.model.geometry import Box
from keel_line.model.grid import Grid
from keel_line.model.table import TableState
from keel_line.ui.theme import Theme

_MARGIN = 26
_NEAREST = 4.0
_LEAST_READABLE = 0.35


class PageView(QWidget):
    """A page, as large as fits; plus and minus zoom, dragging or arrows move it."""

    step_page = pyqtSignal(int)
    go_on = pyqtSignal()
    table_chosen = pyqtSignal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._image: QImage | None = None
        self._tables: list[TableState] = []
        self._sides_of: dict[int, tuple[Grid, tuple[tuple[QLineF, bool], ...]]] = {}
        self._at_table = -1
        self._zoom = 1.0
        self._centre = QPointF(0.5, 0.5)
        self._drag: QPointF | None = None
        self._scaled: tuple[float, QPixmap] | None = None
        self._message = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Page with the grid that was found")

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self.update()

    def show_page(
        self, image: QImage | None, tables: list[TableState], at_table: int, message: str = ""
    ) -> None:
        """Show a page with its tables, or ``message``, or that the page is being loaded."""
        if image is not self._image:
            self._scaled = None
            self._zoom, self._centre = 1.0, QPointF(0.5, 0.5)
        self._image, self._tables, self._at_table = image, tables, at_table
        shown = {t.id for t in tables}
        self._sides_of = {i: sides for i, sides in self._sides_of.items() if i in shown}
        self._message = message or "The page is being loaded."
        self.update()

    def look_at(self, box: Box) -> None:
        """Zoom to a box of the page (px) and centre it."""
        if self._image is None or self.width() < 2 * _MARGIN or self.height() < 2 * _MARGIN:
            return
        x0, y0, x1, y1 = box
        self._zoom = 1.0
        fit = min(
            (self.width() - 2 * _MARGIN) / max(1.0, x1 - x0),
            (self.height() - 2 * _MARGIN) / max(1.0, y1 - y0),
        )
        # A long table is looked at from its top, near enough to be read.
        fit = max(fit, min(_LEAST_READABLE, (self.width() - 2 * _MARGIN) / max(1.0, x1 - x0)))
        self._zoom = min(_NEAREST * 2, max(1.0, fit / self._scale))
        middle = min((y0 + y1) / 2, y0 + (self.height() / 2 - _MARGIN) / self._scale)
        self._centre = QPointF((x0 + x1) / 2 / self._image.width(), middle / self._image.height())
        self.update()

    @property
    def _scale(self) -> float:
        if self._image is None:
            return 1.0
        fit = min(
            (self.width() - 2 * _MARGIN) / self._image.width(),
            (self.height() - 2 * _MARGIN) / self._image.height(),
        )
        return max(0.02, fit * self._zoom)

    def _origin(self) -> QPointF:
        if self._image is None:
            return QPointF(0, 0)
        scale = self._scale
        size = QPointF(self._image.width() * scale, self._image.height() * scale)
        x = self.width() / 2 - self._centre.x() * size.x()
        y = self.height() / 2 - self._centre.y() * size.y()
        if size.x() <= self.width():
            x = (self.width() - size.x()) / 2
        if size.y() <= self.height():
            y = (self.height() - size.y()) / 2
        return QPointF(x, y)

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._theme.color("well"))
        if self._image is None:
            painter.setPen(self._theme.color("quiet"))
            painter.setFont(self._theme.font())
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, self._message)
            return
        scale, origin = self._scale, self._origin()
        target = QRectF(
            origin.x(), origin.y(), self._image.width() * scale, self._image.height() * scale
        )
        if self._zoom <= 1.0:
            if self._scaled is None or abs(self._scaled[0] - scale) > 1e-6:
                small = self._image.scaled(
                    target.size().toSize(),
                    Qt.AspectRatioMode.IgnoreAspectRatio,
                    Qt.TransformationMode.SmoothTransformation,
                )
                self._scaled = (scale, QPixmap.fromImage(small))
            painter.drawPixmap(target.topLeft(), self._scaled[1])
        else:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            seen = target.intersected(QRectF(self.rect()))
            source = QRectF(
                (seen.x() - origin.x()) / scale,
                (seen.y() - origin.y()) / scale,
                seen.width() / scale,
                seen.height() / scale,
            )
            painter.drawImage(seen, self._image, source)
        if self._theme.colours.dark:
            painter.fillRect(target, QColor(20, 24, 27, 70))
        painter.translate(origin)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for i, table in enumerate(self._tables):
            self._paint_grid(painter, table, scale, at=i == self._at_table)

    def _paint_grid(self, painter: QPainter, table: TableState, scale: float, *, at: bool) -> None:
        color = QColor("#0E6E6E")
        painter.setPen(QPen(color, 1.1 if at else 0.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        solid, dashed = QPen(color, 0.9 if at else 0.7), QPen(color, 0.9 if at else 0.7)
        dashed.setDashPattern([5.0, 4.0])
        known = self._sides_of.get(table.id)
        if known is None or known[0] is not table.grid:
            self._sides_of[table.id] = (table.grid, find_sides(table.grid))
        top = -self._origin().y() / scale
        bottom = top + self.height() / scale
        for line, on_paper in self._sides_of[table.id][1]:
            if line.y1() > bottom or line.y2() < top:
                continue
            painter.setPen(solid if on_paper else dashed)
            painter.drawLine(QLineF(line.p1() * scale, line.p2() * scale))
        wash = QColor(color)
        wash.setAlpha(26)
        if table.header_rows:
            x0, _, x1, _ = table.grid.box
            ys = table.grid.y_lines
            painter.fillRect(
                QRectF(
                    QPointF(x0 * scale, ys[0] * scale),
                    QPointF(x1 * scale, ys[table.header_rows] * scale),
                ),
                wash,
            )
        painter.setPen(QPen(color, 2.4 if at else 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        x0, y0, x1, y1 = (v * scale for v in table.grid.box)
        painter.drawRect(QRectF(QPointF(x0, y0), QPointF(x1, y1)))

    def _set_zoom(self, factor: float) -> None:
        self._zoom = min(_NEAREST * 2, max(1.0, self._zoom * factor))
        self.update()

    def _move(self, dx: float, dy: float) -> None:
        if self._image is None:
            return
        scale = self._scale
        x = self._centre.x() - dx / (self._image.width() * scale)
        y = self._centre.y() - dy / (self._image.height() * scale)
        self._centre = QPointF(min(1.0, max(0.0, x)), min(1.0, max(0.0, y)))
        self.update()

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key = event.key()
        step = 90.0
        moves = {
            Qt.Key.Key_Left: (step, 0.0),
            Qt.Key.Key_Right: (-step, 0.0),
            Qt.Key.Key_Up: (0.0, step),
            Qt.Key.Key_Down: (0.0, -step),
        }
        if key in {Qt.Key.Key_Plus, Qt.Key.Key_Equal}:
            self._set_zoom(1.4)
        elif key == Qt.Key.Key_Minus:
            self._set_zoom(1 / 1.4)
        elif key == Qt.Key.Key_PageDown:
            self.step_page.emit(1)
        elif key == Qt.Key.Key_PageUp:
            self.step_page.emit(-1)
        elif key in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self.go_on.emit()
        elif key in moves:
            self._move(*moves[Qt.Key(key)])
        else:
            super().keyPressEvent(event)

    @override
    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._set_zoom(1.2 if event.angleDelta().y() > 0 else 1 / 1.2)
        else:
            self._move(event.angleDelta().x() / 2, event.angleDelta().y() / 2)

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self._drag = event.position()
        scale, origin = self._scale, self._origin()
        x, y = (
            (event.position().x() - origin.x()) / scale,
            (event.position().y() - origin.y()) / scale,
        )
        for i, table in enumerate(self._tables):
            x0, y0, x1, y1 = table.grid.box
            if x0 <= x <= x1 and y0 <= y <= y1:
                self.table_chosen.emit(i)

    @override
    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._drag is not None:
            moved = event.position() - self._drag
            self._drag = event.position()
            self._move(moved.x(), moved.y())

    @override
    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = None

    @override
    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._scaled = None


def find_sides(grid: Grid) -> tuple[tuple[QLineF, bool], ...]:
    """Return the sides of a grid's cells in px of the page, and whether each lies on a rule."""
    xs, ys = grid.x_lines, grid.y_lines
    across = [grid.is_ruled("across", y) for y in ys]
    down = [grid.is_ruled("down", x) for x in xs]
    seen: dict[tuple[float, float, float, float], bool] = {}
    for c in grid.cells:
        x0, x1 = xs[c.col], xs[c.col + c.col_span]
        y0, y1 = ys[c.row], ys[c.row + c.row_span]
        seen[x0, y0, x1, y0] = across[c.row]
        seen[x0, y1, x1, y1] = across[c.row + c.row_span]
        seen[x0, y0, x0, y1] = down[c.col]
        seen[x1, y0, x1, y1] = down[c.col + c.col_span]
    return tuple((QLineF(*ends), on_paper) for ends, on_paper in seen.items())
