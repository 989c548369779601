"""The page ribbon: small pages in a row with the state of each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QHelpEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QRegion,
)
from PyQt6.QtWidgets import QScrollArea, QToolTip, QWidget
from typing_extensions import override

from keel_line.ui.theme import Theme

_GAP = 10


@dataclass(frozen=True)
class RibbonPage:
    """A page on the ribbon.

    ``state`` is waiting, done, doubtful, settled or failed; ``tip`` says it in words.
    """

    id: int
    state: str
    tip: str
    picture: QPixmap | None


class _Strip(QWidget):
    chosen = pyqtSignal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.pages: list[RibbonPage] = []
        self.at = -1
        self.setAccessibleName("Pages")

    @property
    def _tall(self) -> float:
        return self.theme.em * 3.28

    @property
    def _wide(self) -> float:
        return self._tall * 0.74

    def place(self) -> None:
        self.resize(round(len(self.pages) * (self._wide + _GAP) + 2 * _GAP), self.height())
        self.setMinimumWidth(self.width())
        self.update()

    def box(self, index: int) -> QRectF:
        y = (self.height() - self._tall) / 2
        return QRectF(_GAP + index * (self._wide + _GAP), y, self._wide, self._tall)

    def around(self, index: int) -> QRect:
        """Return the size of a page's picture with its frame."""
        return self.box(index).adjusted(-2, -2, 2, 2).toAlignedRect()

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        wanted = event.region() if event else QRegion(self.rect())
        within, step = wanted.boundingRect(), self._wide + _GAP
        first = max(0, int((within.left() - _GAP) / step) - 1)
        last = min(len(self.pages), int((within.right() - _GAP) / step) + 2)
        for i in range(first, last):
            if wanted.intersects(self.around(i)):
                self._paint(painter, self.pages[i], self.box(i))

    def _paint(self, painter: QPainter, page: RibbonPage, box: QRectF) -> None:
        theme = self.theme
        painter.fillRect(box, theme.color("sheet"))
        if page.picture is not None:
            size = page.picture.size().scaled(
                box.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio
            )
            inner = QRectF(0, 0, size.width(), size.height())
            inner.moveCenter(box.center())
            painter.drawPixmap(inner, page.picture, QRectF(page.picture.rect()))
        else:
            painter.setFont(theme.font(1.2))
            painter.setPen(theme.color("trouble" if page.state == "failed" else "quiet"))
            mark = "!" if page.state == "failed" else "…"
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, mark)
        here = page.id == self.at
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("teal" if here else "hairline"), 2.4 if here else 1))
        painter.drawRect(box)
        if page.state == "doubtful":
            notch = box.width() * 0.3
            corner = box.topRight()
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("brass"))
            painter.drawPolygon(
                QPolygonF([corner, corner - QPointF(notch, 0), corner + QPointF(0, notch)])
            )
        elif page.state == "settled":
            painter.fillRect(QRectF(box.left(), box.top(), 4, box.height()), theme.color("teal"))

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        index = self._index(event.position().x()) if event else None
        if index is not None:
            self.chosen.emit(self.pages[index].id)

    def _index(self, x: float) -> int | None:
        index = int((x - _GAP) / (self._wide + _GAP))
        return index if 0 <= index < len(self.pages) and x >= _GAP else None

    @override
    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            index = self._index(event.pos().x())
            if index is not None:
                QToolTip.showText(event.globalPos(), self.pages[index].tip, self)
                return True
        return super().event(event)


class PageRibbon(QScrollArea):
    """The strip of pages, scrolled sideways where there are many."""

    chosen = pyqtSignal(int)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._strip = _Strip(theme)
        self._index: dict[int, int] = {}  # by page
        self._strip.chosen.connect(self.chosen)
        self.setWidget(self._strip)
        self.setWidgetResizable(True)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setStyleSheet("background: transparent;")
        self.setFixedHeight(round(theme.em * 4.37))

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._strip.theme = theme
        self.setFixedHeight(round(theme.em * 4.37))
        self._strip.place()

    def show_pages(self, pages: Sequence[RibbonPage]) -> None:
        """Show the pages of a docket."""
        strip = self._strip
        strip.pages = list(pages)
        self._index = {page.id: i for i, page in enumerate(pages)}
        strip.place()
        self._come_to()

    def show_page(self, page: RibbonPage) -> None:
        """Show that one of the pages changed."""
        index = self._index.get(page.id)
        if index is not None and self._strip.pages[index] != page:
            self._strip.pages[index] = page
            self._strip.update(self._strip.around(index))  # a picture is costly to paint

    def go_to(self, page_id: int) -> None:
        """Frame a page and bring it into sight."""
        strip, before = self._strip, self._strip.at
        if before == page_id:
            return
        strip.at = page_id
        for index in (self._index.get(before), self._index.get(page_id)):
            if index is not None:
                strip.update(strip.around(index))
        self._come_to()

    def _come_to(self) -> None:
        index = self._index.get(self._strip.at)
        if index is not None:
            centre = self._strip.box(index).center().toPoint()
            self.ensureVisible(centre.x(), centre.y(), 80, 0)

    @override
    def sizeHint(self) -> QSize:
        return QSize(400, self.height())
