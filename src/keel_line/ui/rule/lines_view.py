"""The page with its grid, and gutters with a peg for each line."""

from __future__ import annotations

from PyQt6.QtCore import QLineF, QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from typing_extensions import override

from keel_line.model.geometry import Box
from keel_line.model.grid import DIRECTIONS, Direction, Grid
from keel_line.ui.rule.frame import Frame, shift_box
from keel_line.ui.theme import Theme
from keel_line.ui.widgets.page_view import PageView

_GUTTER = 13
_GRASP = 8
_OFF = 34
_TEAL = "#0E6E6E"
_DARK_TEAL = "#5FB8B0"
_FAINT = "#7C868D"


class LinesView(PageView):
    """A page view whose grid lines can be dragged in the gutters.

    Signals
    -------
    line_moved
        Direction, number and new place (px of the page) of a boundary.
    line_added
        Direction and place of a new boundary.
    line_removed
        Direction and number of a boundary.
    frame_drawn
        Where the frame in hand lies after a drag, as a box in px of the page.
    menu_wanted
        Where (global px) the station's menu is wanted.
    key_pressed
        A key that is not the view's own.
    """

    line_moved = pyqtSignal(str, int, float)
    line_added = pyqtSignal(str, float)
    line_removed = pyqtSignal(str, int)
    frame_drawn = pyqtSignal(tuple)
    menu_wanted = pyqtSignal(QPoint)
    key_pressed = pyqtSignal(QKeyEvent)

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self.gutter: Direction | None = None
        self.peg = 0
        # Fields picked to be joined or parted: first row and column, then last of each.
        self.picked: tuple[int, int, int, int] | None = None
        self.frame_in_hand: Frame | None = None
        self._rejected_areas: tuple[Box, ...] = ()
        self._grasped: tuple[Direction, int] | None = None
        self._off = False
        # Where a frame is being dragged from, in px of the page.
        self._frame_from: tuple[float, float] | None = None
        self.setAccessibleName("Page with its lines; Tab goes to the pegs")

    # --- what is at hand ----------------------------------------------------------------------

    @property
    def grid(self) -> Grid | None:
        """The grid of the table at hand."""
        if 0 <= self._at_table < len(self._tables):
            return self._tables[self._at_table].grid
        return None

    def lines(self) -> tuple[float, ...]:
        """Return the lines of the current gutter; none if no peg is chosen."""
        grid = self.grid
        if grid is None or self.gutter is None:
            return ()
        return grid.lines(self.gutter)

    def choose_peg(self, gutter: Direction | None, peg: int = 0) -> None:
        """Choose a peg; None clears the choice."""
        self.gutter, self.picked = gutter, None
        self.peg = max(0, min(peg, len(self.lines()) - 1))
        self.update()

    def pick(self, row: int, col: int, to_row: int, to_col: int) -> None:
        """Select the cells between two corners."""
        grid = self.grid
        if grid is None:
            return
        rows, cols = grid.rows - 1, grid.cols - 1
        self.gutter = None
        self.picked = (
            max(0, min(row, rows)),
            max(0, min(col, cols)),
            max(0, min(to_row, rows)),
            max(0, min(to_col, cols)),
        )
        self.update()

    def take_frame(self, frame: Frame | None) -> None:
        """Show a frame to be moved; None removes it."""
        self.frame_in_hand = frame
        if frame is not None:
            self.gutter = self.picked = None
        self.setCursor(
            Qt.CursorShape.ArrowCursor
            if frame is None
            else Qt.CursorShape.CrossCursor
            if frame.use == "draw"
            else Qt.CursorShape.SizeAllCursor
        )
        self.update()

    def show_rejected_areas(self, boxes: tuple[Box, ...]) -> None:
        """Outline areas that were judged no table, faintly."""
        if boxes != self._rejected_areas:
            self._rejected_areas = boxes
            self.update()

    def page_size(self) -> tuple[int, int]:
        """Return the page's (width, height) in px."""
        return (0, 0) if self._image is None else (self._image.width(), self._image.height())

    # --- painting -----------------------------------------------------------------------------

    def _peg_at(self, grid: Grid, gutter: Direction, index: int) -> QPointF:
        # Beside the page, or along the view's own edge where the page reaches beyond it: the paper
        # is never covered.
        scale, origin = self._scale, self._origin()
        if gutter == "down":
            y = max(_GUTTER, origin.y() - _GUTTER)
            return QPointF(origin.x() + grid.x_lines[index] * scale, y)
        x = max(_GUTTER, origin.x() - _GUTTER)
        return QPointF(x, origin.y() + grid.y_lines[index] * scale)

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        grid = self.grid
        if self._image is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_rejected_areas(painter)
        if grid is not None and self.frame_in_hand is None:
            self._paint_pegs(painter, grid)
        if self.frame_in_hand is not None:
            self._paint_frame(painter, self.frame_in_hand.box)

    def _on_view(self, box: Box) -> QRectF:
        scale = self._scale
        x0, y0, x1, y1 = (v * scale for v in box)
        return QRectF(QPointF(x0, y0), QPointF(x1, y1)).translated(self._origin())

    def _paint_rejected_areas(self, painter: QPainter) -> None:
        pen = QPen(QColor(_FAINT), 1.0)
        pen.setDashPattern([1.0, 4.0])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for box in self._rejected_areas:
            painter.drawRect(self._on_view(box))

    def _paint_frame(self, painter: QPainter, box: Box) -> None:
        area = self._on_view(box)
        wash = QColor(_TEAL)
        wash.setAlpha(30)
        painter.fillRect(area, wash)
        painter.setPen(QPen(QColor(_TEAL), 2.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        # Four corners, not a closed box: what is drawn so far is not a table yet.
        arm = min(26.0, area.width() / 3, area.height() / 3)
        for x, way_x in ((area.left(), arm), (area.right(), -arm)):
            for y, way_y in ((area.top(), arm), (area.bottom(), -arm)):
                painter.drawLine(QPointF(x, y), QPointF(x + way_x, y))
                painter.drawLine(QPointF(x, y), QPointF(x, y + way_y))

    def _paint_pegs(self, painter: QPainter, grid: Grid) -> None:
        color = QColor(_DARK_TEAL if self._theme.colours.dark else _TEAL)
        doubted = {(d.direction, d.index) for d in self._tables[self._at_table].line_doubts}
        if self.picked is not None:
            self._paint_picked(painter, grid, self.picked)
        for way in DIRECTIONS:
            lines = grid.lines(way)
            first, last = self._peg_at(grid, way, 0), self._peg_at(grid, way, len(lines) - 1)
            rail = QColor(color)
            rail.setAlpha(150 if self.gutter == way else 70)
            painter.setPen(QPen(rail, 1.0))
            painter.drawLine(QLineF(first, last))
            for i, line in enumerate(lines):
                at_hand = self.gutter == way and i == self.peg
                on_paper = grid.is_ruled(way, line)
                self._paint_peg(
                    painter,
                    self._peg_at(grid, way, i),
                    color,
                    at_hand=at_hand,
                    on_paper=on_paper,
                )
                if (way, i) in doubted:
                    self._paint_notch(painter, self._peg_at(grid, way, i), way)
                if at_hand:
                    self._paint_guide(painter, grid, way, line, color)

    def _paint_picked(
        self, painter: QPainter, grid: Grid, picked: tuple[int, int, int, int]
    ) -> None:
        top, low = sorted((picked[0], picked[2]))
        left, right = sorted((picked[1], picked[3]))
        scale, origin = self._scale, self._origin()
        area = QRectF(
            QPointF(grid.x_lines[left] * scale, grid.y_lines[top] * scale),
            QPointF(grid.x_lines[right + 1] * scale, grid.y_lines[low + 1] * scale),
        ).translated(origin)
        wash = QColor(_TEAL)
        wash.setAlpha(60)
        painter.fillRect(area, wash)
        painter.setPen(QPen(QColor(_TEAL), 2.4))
        painter.drawRect(area)

    @staticmethod
    def _paint_peg(
        painter: QPainter, at: QPointF, color: QColor, *, at_hand: bool, on_paper: bool
    ) -> None:
        size = 5.5 if at_hand else 3.2
        painter.setPen(QPen(color, 1.4))
        painter.setBrush(color if on_paper or at_hand else QColor("#FFFFFF"))
        painter.drawEllipse(at, size, size)

    def _paint_notch(self, painter: QPainter, peg: QPointF, way: Direction) -> None:
        """Paint the brass notch of a doubt beyond a peg."""
        off, half = 12.0, 4.0
        outwards = QPointF(0, -off) if way == "down" else QPointF(-off, 0)
        tip = peg + outwards * 0.55
        base = peg + outwards
        aside = QPointF(half, 0) if way == "down" else QPointF(0, half)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._theme.color("brass"))
        painter.drawPolygon(QPolygonF([tip, base + aside, base - aside]))

    def _paint_guide(
        self, painter: QPainter, grid: Grid, gutter: Direction, line: float, color: QColor
    ) -> None:
        scale, origin = self._scale, self._origin()
        x0, y0, x1, y1 = (v * scale for v in grid.box)
        ends = (
            QLineF(line * scale, y0, line * scale, y1)
            if gutter == "down"
            else QLineF(x0, line * scale, x1, line * scale)
        )
        painter.setPen(QPen(color, 2.6))
        painter.drawLine(ends.translated(origin))

    # --- mouse --------------------------------------------------------------------------------

    def _find_peg(self, at: QPointF) -> tuple[Direction, int] | None:
        grid = self.grid
        if grid is None:
            return None
        ways: tuple[tuple[Direction, int], ...] = (("down", grid.cols), ("across", grid.rows))
        for way, count in ways:
            for i in range(count + 1):
                off = self._peg_at(grid, way, i) - at
                if abs(off.x()) <= _GRASP and abs(off.y()) <= _GRASP:
                    return way, i
        return None

    def _find_gutter(self, at: QPointF) -> tuple[Direction, float] | None:
        """Return the gutter at a point, and the place along it in px of the page."""
        grid = self.grid
        if grid is None:
            return None
        scale, origin = self._scale, self._origin()
        x, y = (at.x() - origin.x()) / scale, (at.y() - origin.y()) / scale
        top, left = self._peg_at(grid, "down", 0).y(), self._peg_at(grid, "across", 0).x()
        if abs(at.y() - top) <= _GRASP and grid.box[0] < x < grid.box[2]:
            return "down", x
        if abs(at.x() - left) <= _GRASP and grid.box[1] < y < grid.box[3]:
            return "across", y
        return None

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if event.button() == Qt.MouseButton.RightButton:
            self.menu_wanted.emit(event.globalPosition().toPoint())
            return
        if self.frame_in_hand is not None:
            self._frame_from = self._on_page(event.position())
            return
        self._grasped = self._find_peg(event.position())
        if self._grasped is not None:
            self.choose_peg(*self._grasped)
            return
        found = self._find_gutter(event.position())
        if found is not None:
            self.line_added.emit(*found)
            return
        super().mousePressEvent(event)

    @override
    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._frame_from is not None:
            self._drag_frame(self._frame_from, self._on_page(event.position()))
            return
        if event is None or self._grasped is None:
            super().mouseMoveEvent(event)
            return
        way, index = self._grasped
        scale, origin, at = self._scale, self._origin(), event.position()
        grid = self.grid
        if grid is None:
            return
        rail = self._peg_at(grid, way, index)
        away = at.y() - rail.y() if way == "down" else at.x() - rail.x()
        self._off = away < -_OFF or away > 3 * _OFF
        to = (at.x() - origin.x()) / scale if way == "down" else (at.y() - origin.y()) / scale
        self.line_moved.emit(way, index, to)

    @override
    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._grasped is not None and self._off:
            self.line_removed.emit(*self._grasped)
        self._grasped, self._off, self._frame_from = None, False, None
        super().mouseReleaseEvent(event)

    def _on_page(self, at: QPointF) -> tuple[float, float]:
        """Return a place of the view in px of the page, kept on the page."""
        wide, high = self.page_size()
        inside = (at - self._origin()) / self._scale
        return (min(max(inside.x(), 0.0), wide), min(max(inside.y(), 0.0), high))

    def _drag_frame(self, start: tuple[float, float], to: tuple[float, float]) -> None:
        """Drag out a frame between two places, or move the current one."""
        frame = self.frame_in_hand
        if frame is None:
            return
        if frame.use == "move":
            self._frame_from = to
            dx, dy = to[0] - start[0], to[1] - start[1]
            self.frame_drawn.emit(shift_box(frame.box, dx, dy, self.page_size()))
            return
        (x0, x1), (y0, y1) = sorted((start[0], to[0])), sorted((start[1], to[1]))
        self.frame_drawn.emit((x0, y0, x1, y1))

    # --- keys ---------------------------------------------------------------------------------

    @override
    def focusNextPrevChild(self, next: bool) -> bool:
        return False  # Tab goes from gutter to gutter

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        event.ignore()
        self.key_pressed.emit(event)
        if not event.isAccepted():
            super().keyPressEvent(event)
