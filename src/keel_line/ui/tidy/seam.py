"""Shows the ink on both sides of a page break that a table runs over."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget
from typing_extensions import override

from keel_line._shared.texts import count_of
from keel_line.desk.tidying import Seam, SeamSide
from keel_line.ui.theme import Theme

_EDGE_PX, _LARGEST, _MOST_SHARE = 8.0, 1.0, 0.3


class SeamView(QWidget):
    """Shows the last rows above a seam and the first below it, as they are on the paper.

    ``picture`` returns a page's picture by its id, None while it loads.
    """

    def __init__(self, theme: Theme, picture: Callable[[int], QImage | None]) -> None:
        super().__init__()
        self._theme, self._picture = theme, picture
        self.seam: Seam | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.hide()

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self._fit()

    def show_seam(self, seam: Seam) -> None:
        """Show a seam."""
        self.seam = seam
        self.setAccessibleName(self.say())
        self.show()
        self._fit()

    def leave(self) -> None:
        """Show no seam."""
        self.seam = None
        self.hide()

    def say(self) -> str:
        """Return what is shown, in words."""
        if self.seam is None:
            return ""
        above, below = self.seam.above, self.seam.below
        return f"The end of page {above.number}, and the top of page {below.number}"

    def _sides(self) -> list[tuple[str, SeamSide]]:
        if self.seam is None:
            return []
        above, below = self.seam.above, self.seam.below
        return [
            (f"page {above.number}, last {count_of(above.rows, 'row')}", above),
            (f"page {below.number}, first {count_of(below.rows, 'row')}", below),
        ]

    def _scale(self) -> float:
        """Return how many px of the screen a px of the pages takes."""
        sides = [side.box for _, side in self._sides()]
        wide = max((b[2] - b[0] for b in sides), default=1.0) + 2 * _EDGE_PX
        high = sum(b[3] - b[1] for b in sides) + 4 * _EDGE_PX
        whole = self.parentWidget()
        most = _MOST_SHARE * (whole.height() if whole is not None else 800)
        return min(self.width() / wide, most / high, _LARGEST)

    def _fit(self) -> None:
        """Be as high as both parts and their captions."""
        high = sum(s.box[3] - s.box[1] + 2 * _EDGE_PX for _, s in self._sides()) * self._scale()
        self.setFixedHeight(round(high + 2 * self._theme.em * 1.6 + 2))
        self.update()

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        theme, scale, y = self._theme, self._scale(), 0.0
        for words, side in self._sides():
            line = QRectF(0, y, self.width(), theme.em * 1.6)
            painter.setFont(theme.font(0.86))
            painter.setPen(theme.color("quiet"))
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, words)
            x0, y0, x1, y1 = side.box
            source = QRectF(
                x0 - _EDGE_PX, y0 - _EDGE_PX, x1 - x0 + 2 * _EDGE_PX, y1 - y0 + 2 * _EDGE_PX
            )
            target = QRectF(0, line.bottom(), source.width() * scale, source.height() * scale)
            image = self._picture(side.page_id)
            if image is not None:
                painter.drawImage(target, image, source)
            painter.setPen(QPen(theme.color("hairline"), 1))
            painter.drawRect(target.adjusted(0.5, 0.5, -0.5, -0.5))
            y = target.bottom()
