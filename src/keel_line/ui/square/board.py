"""The board: the squared page with straightedges over it, and the original below."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
    QTransform,
)
from PyQt6.QtWidgets import QWidget
from typing_extensions import override

from keel_line.model.geometry import Transform
from keel_line.model.page import Corners
from keel_line.ui.theme import Theme

_MARGIN = 18
_GRASP = 9.0
_EDGES = (("level", 0.18), ("level", 0.62), ("upright", 0.12), ("upright", 0.8))


@dataclass(frozen=True, eq=False)
class PageOnBoard:
    """A page as the board shows it.

    Attributes
    ----------
    original, original_px
        Picture of the page as it came, perhaps smaller than it is, and its true (width, height);
        None while it is being loaded.
    squared
        Picture of the squared page, None where it has to be laid again.
    transform, size_px
        The way from the page as it came to the squared page, and the squared (width, height).
    """

    original: QImage | None
    original_px: tuple[int, int]
    squared: QImage | None
    transform: Transform
    size_px: tuple[int, int]


class Board(QWidget):
    """One page; the clerk's changes are emitted as signals.

    Signals
    -------
    leaned
        Degrees by which the page was turned by hand, clockwise.
    corners_set
        The sheet's corners that were set, in px of the page as it came.
    corners_dropped
        Setting corners was given up.
    """

    leaned = pyqtSignal(float)
    corners_set = pyqtSignal(object)
    corners_dropped = pyqtSignal()
    key_pressed = pyqtSignal(QKeyEvent)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._page: PageOnBoard | None = None
        self._message = ""
        self._laid: QPixmap | None = None
        self._was: QPixmap | None = None
        self._edges = [place for _, place in _EDGES]
        self._wipe = 0.0
        self._corners: list[QPointF] | None = None
        self._at_corner = 0
        self._grasped: tuple[str, int] | None = None
        self._grasped_at = QPointF()
        self._lean = 0.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The straightened page")
        self.setMouseTracking(True)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self.update()

    # --- content ------------------------------------------------------------------------------

    def show_page(self, page: PageOnBoard | None, message: str = "") -> None:
        """Show a page; ``message`` is shown if there is none."""
        self._page, self._message = page, message
        self._laid = self._was = None
        self.update()

    @property
    def wipe(self) -> float:
        """Share of the page shown as it was: 0 nothing, 1 all of it."""
        return self._wipe

    def set_wipe(self, share: float) -> None:
        """Uncover the original page, from the right."""
        self._wipe = min(1.0, max(0.0, share))
        self.update()

    @property
    def setting_corners(self) -> bool:
        """Whether the clerk is setting the sheet's corners."""
        return self._corners is not None

    def begin_corners(self, corners: Corners) -> None:
        """Show the page as it came with a handle on each corner of the sheet."""
        page = self._page
        if page is None:
            return
        wide, high = page.original_px
        inset = 0.04 * min(wide, high)
        around = corners or (
            (inset, inset),
            (wide - inset, inset),
            (wide - inset, high - inset),
            (inset, high - inset),
        )
        self._corners, self._at_corner = [QPointF(x, y) for x, y in around], 0
        self.update()

    def end_corners(self) -> None:
        """Hide the corners' handles."""
        self._corners = None
        self.update()

    # --- places -------------------------------------------------------------------------------

    def _frame(self, size: tuple[int, int]) -> tuple[QRectF, float]:
        """Return the place of a picture of a size on the board, and its scale."""
        room_x, room_y = self.width() - 2 * _MARGIN, self.height() - 2 * _MARGIN
        scale = max(0.01, min(room_x / max(1, size[0]), room_y / max(1, size[1])))
        wide, high = size[0] * scale, size[1] * scale
        return QRectF((self.width() - wide) / 2, (self.height() - high) / 2, wide, high), scale

    def _corner_places(self) -> list[QPointF]:
        if self._page is None or self._corners is None:
            return []
        frame, scale = self._frame(self._page.original_px)
        return [frame.topLeft() + corner * scale for corner in self._corners]

    # --- painting -----------------------------------------------------------------------------

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), self._theme.color("well"))
        page = self._page
        if page is None or (page.original is None and page.squared is None):
            painter.setPen(self._theme.color("quiet"))
            painter.setFont(self._theme.font())
            painter.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, self._message)
            return
        if self._corners is not None:
            self._paint_corners(painter, page)
            return
        frame, _ = self._frame(page.size_px)
        painter.fillRect(frame, self._theme.color("sheet"))
        if self._lean:
            painter.save()
            painter.setClipRect(frame)
            painter.translate(frame.center())
            painter.rotate(self._lean)
            painter.translate(-frame.center())
            painter.drawPixmap(frame.topLeft(), self._laid_picture(page, frame))
            painter.restore()
        else:
            painter.drawPixmap(frame.topLeft(), self._laid_picture(page, frame))
        if self._wipe > 0:
            self._paint_wipe(painter, page)
        if self._theme.colours.dark:
            painter.fillRect(frame, QColor(20, 24, 27, 70))
        # Straightedges lie over what is squared, not over the page as it was.
        painter.setClipRect(QRectF(0, 0, self.width() * (1 - self._wipe), self.height()))
        self._paint_edges(painter, frame)

    def _laid_picture(self, page: PageOnBoard, frame: QRectF) -> QPixmap:
        """Return the squared page at its size on the board, made from the original if needed."""
        if self._laid is None:
            if page.squared is not None:
                self._laid = _shrink(page.squared, frame)
            else:
                self._laid = self._lay(page, frame)
        return self._laid

    def _lay(self, page: PageOnBoard, frame: QRectF) -> QPixmap:
        assert page.original is not None  # noqa: S101 - asked for with a picture only
        out = QPixmap(frame.size().toSize())
        out.fill(QColor("#F4F2EC"))
        shown = page.original.width() / page.original_px[0]
        scale = frame.width() / page.size_px[0]
        matrix = (
            np.diag([scale, scale, 1.0])
            @ page.transform.matrix
            @ np.diag([1 / shown, 1 / shown, 1.0])
        )
        painter = QPainter(out)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setTransform(_as_qt(matrix))
        painter.drawImage(0, 0, page.original)
        painter.end()
        return out

    def _paint_wipe(self, painter: QPainter, page: PageOnBoard) -> None:
        """Paint the original page over the right part of the board."""
        if page.original is None:
            return
        frame, _ = self._frame(page.original_px)
        if self._was is None:
            self._was = _shrink(page.original, frame)
        at = self.width() * (1 - self._wipe)
        painter.save()
        painter.setClipRect(QRectF(at, 0, self.width() - at, self.height()))
        painter.fillRect(self.rect(), self._theme.color("well"))
        painter.drawPixmap(frame.topLeft(), self._was)
        painter.restore()
        teal = self._theme.color("teal")
        painter.setPen(QPen(teal, 1.6))
        painter.drawLine(QPointF(at, 0), QPointF(at, self.height()))
        painter.setBrush(self._theme.color("sheet"))
        painter.drawEllipse(QPointF(at, self.height() / 2), 7, 7)
        painter.setFont(self._theme.font(0.9))
        painter.setPen(self._theme.color("quiet"))
        if self._wipe < 1:
            painter.drawText(QPointF(at + 10, 16), "original")

    def _paint_edges(self, painter: QPainter, frame: QRectF) -> None:
        teal = QColor(self._theme.color("teal"))
        for (kind, _), place in zip(_EDGES, self._edges, strict=True):
            painter.setPen(QPen(teal, 1.0))
            if kind == "level":
                y = round(frame.top() + place * frame.height()) + 0.5
                painter.drawLine(QPointF(frame.left() - 12, y), QPointF(frame.right() + 12, y))
                self._paint_peg(painter, QPointF(frame.left() - 12, y), level=True)
            else:
                x = round(frame.left() + place * frame.width()) + 0.5
                painter.drawLine(QPointF(x, frame.top() - 12), QPointF(x, frame.bottom() + 12))
                self._paint_peg(painter, QPointF(x, frame.top() - 12), level=False)

    def _paint_peg(self, painter: QPainter, at: QPointF, *, level: bool) -> None:
        """Paint a straightedge's handle: a small wedge that points along it."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._theme.color("teal"))
        along = QPointF(8, 0) if level else QPointF(0, 8)
        aside = QPointF(0, 4) if level else QPointF(4, 0)
        painter.drawPolygon(QPolygonF([at - aside, at + along, at + aside]))

    def _paint_corners(self, painter: QPainter, page: PageOnBoard) -> None:
        frame, _ = self._frame(page.original_px)
        if page.original is not None:
            if self._was is None:
                self._was = _shrink(page.original, frame)
            painter.drawPixmap(frame.topLeft(), self._was)
        places = self._corner_places()
        teal = self._theme.color("teal")
        painter.setPen(QPen(teal, 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolygon(QPolygonF(places))
        for i, place in enumerate(places):
            painter.setBrush(teal if i == self._at_corner else self._theme.color("sheet"))
            painter.drawEllipse(place, 7, 7)

    # --- input --------------------------------------------------------------------------------

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if self._corners is not None and self._corner_key(event):
            return
        self.key_pressed.emit(event)

    @override
    def focusNextPrevChild(self, next: bool) -> bool:
        if self._corners is not None:  # Tab goes from corner to corner
            self._at_corner = (self._at_corner + (1 if next else 3)) % 4
            self.update()
            return True
        return super().focusNextPrevChild(next)

    def _corner_key(self, event: QKeyEvent) -> bool:
        """Handle a key that moves or sets the corners; return whether it was one."""
        assert self._corners is not None and self._page is not None  # noqa: S101, PT018 - shown
        key = event.key()
        far = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        _, scale = self._frame(self._page.original_px)
        step = (12.0 if far else 1.0) / scale
        moves = {
            Qt.Key.Key_Left: QPointF(-step, 0),
            Qt.Key.Key_Right: QPointF(step, 0),
            Qt.Key.Key_Up: QPointF(0, -step),
            Qt.Key.Key_Down: QPointF(0, step),
        }
        if key in moves:
            self._move_corner(self._at_corner, self._corners[self._at_corner] + moves[Qt.Key(key)])
        elif key in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            corners = tuple((c.x(), c.y()) for c in self._corners)
            self.end_corners()
            self.corners_set.emit(corners)
        elif key == Qt.Key.Key_Escape:
            self.end_corners()
            self.corners_dropped.emit()
        else:
            return False
        return True

    def _move_corner(self, number: int, to: QPointF) -> None:
        assert self._corners is not None and self._page is not None  # noqa: S101, PT018 - shown
        wide, high = self._page.original_px
        corners = list(self._corners)
        corners[number] = QPointF(min(max(to.x(), 0.0), wide), min(max(to.y(), 0.0), high))
        if _is_convex(corners):  # a corner drawn past its neighbours stays where it was
            self._corners = corners
            self.update()

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._page is None:
            return
        self.setFocus()
        at = event.position()
        self._grasped = self._find_handle_at(at)
        self._grasped_at = at
        if self._grasped is not None and self._grasped[0] == "corner":
            self._at_corner = self._grasped[1]
            self.update()

    def _find_handle_at(self, at: QPointF) -> tuple[str, int] | None:
        """Return the handle at a point: a corner, the wipe, a straightedge, or the page."""
        assert self._page is not None  # noqa: S101 - asked for with a page only
        if self._corners is not None:
            near = [
                (math.hypot(p.x() - at.x(), p.y() - at.y()), i)
                for i, p in enumerate(self._corner_places())
            ]
            distance, number = min(near)
            return ("corner", number) if distance < 2 * _GRASP else None
        if self._wipe > 0 and abs(at.x() - self.width() * (1 - self._wipe)) < _GRASP:
            return ("wipe", 0)
        frame, _ = self._frame(self._page.size_px)
        for i, ((kind, _), place) in enumerate(zip(_EDGES, self._edges, strict=True)):
            where = (
                abs(at.y() - (frame.top() + place * frame.height()))
                if kind == "level"
                else abs(at.x() - (frame.left() + place * frame.width()))
            )
            if where < _GRASP / 2:
                return ("edge", i)
        return ("page", 0) if frame.contains(at) else None

    @override
    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._page is None:
            return
        at = event.position()
        if self._grasped is None:
            self._show_cursor(self._find_handle_at(at))
            return
        what, number = self._grasped
        if what == "wipe":
            self.set_wipe(1 - at.x() / max(1, self.width()))
        elif what == "edge":
            frame, _ = self._frame(self._page.size_px)
            level = _EDGES[number][0] == "level"
            share = (
                (at.y() - frame.top()) / frame.height()
                if level
                else (at.x() - frame.left()) / frame.width()
            )
            self._edges[number] = min(1.0, max(0.0, share))
            self.update()
        elif what == "corner" and self._corners is not None:
            frame, scale = self._frame(self._page.original_px)
            self._move_corner(number, (at - frame.topLeft()) / scale)
        elif what == "page":
            self._lean = self._measure_drag_deg(at)
            self.update()

    def _measure_drag_deg(self, at: QPointF) -> float:
        """Return the angle (degrees) by which a drag turned the page about its centre."""
        assert self._page is not None  # noqa: S101 - asked for with a page only
        middle = self._frame(self._page.size_px)[0].center()
        before, now = self._grasped_at - middle, at - middle
        turned = math.degrees(math.atan2(now.y(), now.x()) - math.atan2(before.y(), before.x()))
        return (turned + 180) % 360 - 180

    @override
    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        grasped, lean = self._grasped, self._lean
        self._grasped, self._lean = None, 0.0
        if grasped is not None and grasped[0] == "page" and abs(lean) >= 0.02:
            self.leaned.emit(lean)
        self.update()

    def _show_cursor(self, what: tuple[str, int] | None) -> None:
        shapes = {
            "wipe": Qt.CursorShape.SplitHCursor,
            "corner": Qt.CursorShape.SizeAllCursor,
            "page": Qt.CursorShape.OpenHandCursor,
        }
        if what is not None and what[0] == "edge":
            level = _EDGES[what[1]][0] == "level"
            self.setCursor(Qt.CursorShape.SizeVerCursor if level else Qt.CursorShape.SizeHorCursor)
        else:
            self.setCursor(shapes.get(what[0] if what else "", Qt.CursorShape.ArrowCursor))

    @override
    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._laid = self._was = None


def _shrink(image: QImage, frame: QRectF) -> QPixmap:
    return QPixmap.fromImage(
        image.scaled(
            frame.size().toSize(),
            Qt.AspectRatioMode.IgnoreAspectRatio,
            Qt.TransformationMode.SmoothTransformation,
        )
    )


def _as_qt(matrix: np.ndarray) -> QTransform:
    """Return a map of (x, y, 1) columns as Qt's, which maps rows."""
    return QTransform(*(float(v) for v in matrix.T.ravel()))


def _is_convex(corners: list[QPointF]) -> bool:
    turns = []
    for i in range(4):
        a, b, c = corners[i], corners[(i + 1) % 4], corners[(i + 2) % 4]
        turns.append((b.x() - a.x()) * (c.y() - b.y()) - (b.y() - a.y()) * (c.x() - b.x()))
    return all(t > 0 for t in turns)
