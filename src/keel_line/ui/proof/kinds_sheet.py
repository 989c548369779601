"""The sheet of one kind of doubts: ink cuttings, settled together except those taken out."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
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
    QResizeEvent,
)
from PyQt6.QtWidgets import QAbstractScrollArea
from typing_extensions import override

from keel_line.desk.kinds import DoubtPlace, Kind, sort_doubts
from keel_line.model.reason import Reason
from keel_line.model.table import CellState, column_name
from keel_line.ui.proof.marks import paint_pen
from keel_line.ui.session import Session
from keel_line.ui.theme import Theme

_ARROWS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}
_ENTER = frozenset({Qt.Key.Key_Return, Qt.Key.Key_Enter})
_KEYS = (
    ("Space", "exclude, include"),
    ("O", "other reading"),
    ("Page down", "next kind"),
    ("Esc", "back to the rows"),
)


class KindsSheet(QAbstractScrollArea):
    """A sheet with one kind of doubts.

    Signals
    -------
    left
        The clerk goes back to the rows; carries the cell at hand as (table, cell), or None.
    said
        What was done, in words.
    """

    left = pyqtSignal(object)
    said = pyqtSignal(str)

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self._session = session
        self._theme = theme
        self._kinds: list[Kind] = []
        self._kind = 0
        self._at = 0
        self._out: set[int] = set()
        self._chosen: dict[int, str] = {}
        self._cuttings: dict[int, QPixmap] = {}
        view, bar = self.viewport(), self.verticalScrollBar()
        assert view is not None and bar is not None  # noqa: S101, PT018 - Qt made them
        self._view, self._bar = view, bar
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Doubts of a kind, cut out of their pages")

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self._theme = theme
        self._cuttings.clear()
        self._lay_out()

    # --- what is shown --------------------------------------------------------------------------

    @property
    def kinds(self) -> list[Kind]:
        """The kinds of open doubts."""
        return self._kinds

    @property
    def kind(self) -> Kind | None:
        """The kind on the sheet."""
        return self._kinds[self._kind] if self._kind < len(self._kinds) else None

    def begin(self) -> None:
        """Show the kind of the doubt at hand, or the first."""
        here = (self._session.table_index, self._session.cell_index)
        self._out.clear()
        self._chosen.clear()
        self._cuttings.clear()
        self._kinds = sort_doubts(self._session.tables, self._session.doubts())
        self._kind = self._at = 0
        for number, kind in enumerate(self._kinds):
            for place, doubt in enumerate(kind.places):
                if (doubt.table, doubt.cell) == here:
                    self._kind, self._at = number, place
        self._show()

    def refresh(self) -> None:
        """Update the doubts, staying at the kind shown."""
        before = self.kind
        self._kinds = sort_doubts(self._session.tables, self._session.doubts())
        if before is not None:
            same = [i for i, k in enumerate(self._kinds) if k.says == before.says]
            self._kind = same[0] if same else self._kind
        self._kind = min(self._kind, max(0, len(self._kinds) - 1))
        self._show()

    def _show(self) -> None:
        kind = self.kind
        self._at = min(self._at, max(0, len(kind.places) - 1)) if kind else 0
        self._lay_out()
        self._bring_into_sight()
        if kind is not None:
            self.setAccessibleDescription(f"{kind.says}: {len(kind.places)} doubts")

    def take_picture(self, page_id: int, image: QImage) -> None:
        """Cut out the ink of a page, now that its picture is loaded."""
        kind = self.kind
        if kind is None:
            return
        for doubt in kind.places:
            if self._session.tables[doubt.table].page_id == page_id:
                self._cut(self._state(doubt), image)
        self._view.update()

    def _state(self, doubt: DoubtPlace) -> CellState:
        return self._session.tables[doubt.table].cells[doubt.cell]

    def value(self, doubt: DoubtPlace) -> str:
        """Return the value that would settle a doubt.

        What was read as another that was corrected is corrected as that was.
        """
        state = self._state(doubt)
        return self._chosen.get(state.id, state.recalled or state.text)

    # --- places -----------------------------------------------------------------------------

    @property
    def _tile(self) -> tuple[float, float]:
        return self._theme.em * 14.0, self._theme.em * 7.2

    @property
    def _head(self) -> float:
        return self._theme.em * 5.0

    @property
    def _foot(self) -> float:
        return self._theme.em * 2.2

    @property
    def columns(self) -> int:
        """Number of cuttings in a row."""
        return max(1, int((self._view.width() - 4) / self._tile[0]))

    def _box(self, place: int) -> QRectF:
        wide, high = (self._view.width() - 4) / self.columns, self._tile[1]
        row, col = divmod(place, self.columns)
        return QRectF(col * wide + 2, self._head + row * high - self._bar.value(), wide, high)

    def _lay_out(self) -> None:
        count = len(self.kind.places) if self.kind else 0
        rows = -(-count // self.columns)
        inner = self._view.height() - self._head - self._foot
        self._bar.setRange(0, max(0, round(rows * self._tile[1] - inner)))
        self._bar.setPageStep(max(1, round(inner)))
        self._bar.setSingleStep(round(self._tile[1]))
        self._view.update()

    def _bring_into_sight(self) -> None:
        box = self._box(self._at)
        bottom = self._view.height() - self._foot
        if box.top() < self._head:
            self._bar.setValue(round(self._bar.value() - (self._head - box.top())))
        elif box.bottom() > bottom:
            self._bar.setValue(round(self._bar.value() + box.bottom() - bottom))

    # --- keys ---------------------------------------------------------------------------------

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key, kind = event.key(), self.kind
        ctrl = event.modifiers() & Qt.KeyboardModifier.ControlModifier
        alt = event.modifiers() & Qt.KeyboardModifier.AltModifier
        if ctrl or alt:
            event.ignore()
        elif key in (Qt.Key.Key_Escape, Qt.Key.Key_F4) or kind is None:
            self.leave()
        elif key in _ENTER:
            self._settle(kind)
        elif key == Qt.Key.Key_Space:
            self._take_out(kind)
        elif key == Qt.Key.Key_O:
            self._other_reading(kind)
        elif key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            self._turn(1 if key == Qt.Key.Key_PageDown else -1)
        elif key in _ARROWS:
            self._step(kind, *_ARROWS[Qt.Key(key)])
        else:
            event.ignore()

    def leave(self) -> None:
        """Return to the rows, at the current cutting."""
        kind = self.kind
        doubt = kind.places[self._at] if kind else None
        self.left.emit((doubt.table, doubt.cell) if doubt else None)

    def _step(self, kind: Kind, right: int, down: int) -> None:
        new = self._at + right + down * self.columns
        if 0 <= new < len(kind.places):
            self._at = new
            self._bring_into_sight()
            self._view.update()

    def _turn(self, step: int) -> None:
        if self._kinds:
            self._kind = (self._kind + step) % len(self._kinds)
            self._at = 0
            self._bar.setValue(0)
            self._show()

    def _take_out(self, kind: Kind) -> None:
        self._out ^= {self._state(kind.places[self._at]).id}
        self._step(kind, 1, 0)
        self._view.update()

    def _other_reading(self, kind: Kind) -> None:
        doubt = kind.places[self._at]
        state = self._state(doubt)
        options = [state.text, *doubt.others]
        now = options.index(self.value(doubt)) if self.value(doubt) in options else 0
        self._chosen[state.id] = options[(now + 1) % len(options)]
        self._view.update()

    def _settle(self, kind: Kind) -> None:
        chosen = [
            (self._state(doubt), self.value(doubt))
            for doubt in kind.places
            if self._state(doubt).id not in self._out
        ]
        if not chosen:
            self.said.emit("All of this kind are excluded. Page down shows the next kind.")
            return
        self._session.settle_all(chosen, Reason("kind", kind.says))
        cells = "1 cell" if len(chosen) == 1 else f"{len(chosen)} cells"
        self.said.emit(f"{cells} settled. Ctrl+Z undoes it.")
        if not self._kinds:
            self.leave()
        elif self.kind is not None and self.kind.says == kind.says:
            self._turn(1)  # what is left of it was taken out

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        kind = self.kind
        if event is None or kind is None:
            return
        for place in range(len(kind.places)):
            if self._box(place).contains(event.position()):
                self._at = place
                self._take_out(kind)
                return

    # --- painting ---------------------------------------------------------------------------

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self._view)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self._view.rect(), self._theme.color("desk"))
        kind = self.kind
        if kind is None:
            painter.setFont(self._theme.font(1.1))
            painter.setPen(self._theme.color("quiet"))
            painter.drawText(
                self._view.rect(),
                Qt.AlignmentFlag.AlignCenter,
                "There are no open doubts. Esc goes back.",
            )
            return
        first = max(0, int(self._bar.value() / self._tile[1])) * self.columns
        for place in range(first, len(kind.places)):
            box = self._box(place)
            if box.top() > self._view.height() - self._foot:
                break
            self._paint_tile(painter, kind.places[place], box, at_hand=place == self._at)
        self._paint_head(painter, kind)
        self._paint_foot(painter, kind)

    def _paint_tile(
        self, painter: QPainter, doubt: DoubtPlace, box: QRectF, *, at_hand: bool
    ) -> None:
        theme, state = self._theme, self._state(doubt)
        em = theme.em
        out = state.id in self._out
        sheet = box.adjusted(4, 4, -4, -4)
        painter.fillRect(sheet, theme.color("desk" if out else "sheet"))
        ink = QRectF(sheet.left() + 1, sheet.top() + 1, sheet.width() - 2, em * 3.4)
        cutting = self._cutting(doubt)
        if cutting is not None:
            size = cutting.deviceIndependentSize()
            painter.setOpacity(0.35 if out else 1.0)
            painter.drawPixmap(ink.center() - QPointF(size.width() / 2, size.height() / 2), cutting)
            painter.setOpacity(1.0)
        value = self.value(doubt)
        changed = value != state.text
        line = QRectF(sheet.left() + 8, ink.bottom() + em * 0.15, sheet.width() - 16, em * 1.5)
        painter.setFont(theme.bold_reading(1.08))
        painter.setPen(theme.color("quiet" if out or not value else "ink"))
        shown = value.replace("\n", " ⏎ ") or "blank"
        metrics = QFontMetricsF(painter.font())
        painter.drawText(
            line,
            Qt.AlignmentFlag.AlignCenter,
            metrics.elidedText(shown, Qt.TextElideMode.ElideRight, line.width()),
        )
        if changed:
            paint_pen(painter, theme, QPointF(sheet.left() + 8, line.top() + 4))
        painter.setFont(theme.font(0.85))
        painter.setPen(theme.color("quiet"))
        table = self._session.tables[doubt.table]
        where = (
            "excluded: stays in doubt"
            if out
            else f"{column_name(table, state.cell.col)} · row {state.cell.row + 1}"
        )
        below = QRectF(line.left(), line.bottom(), line.width(), em * 1.3)
        painter.drawText(
            below,
            Qt.AlignmentFlag.AlignCenter,
            QFontMetricsF(painter.font()).elidedText(
                where, Qt.TextElideMode.ElideRight, below.width()
            ),
        )
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if at_hand:
            painter.setPen(QPen(theme.color("teal"), 2))
        elif out:
            painter.setPen(QPen(theme.color("quiet"), 1, Qt.PenStyle.DashLine))
        else:
            painter.setPen(QPen(theme.color("hairline"), 1))
        painter.drawRect(sheet)

    def _paint_head(self, painter: QPainter, kind: Kind) -> None:
        theme, em = self._theme, self._theme.em
        wide = float(self._view.width())
        painter.fillRect(QRectF(0, 0, wide, self._head), theme.color("desk"))
        painter.setFont(theme.bold(1.25))
        painter.setPen(theme.color("ink"))
        painter.drawText(
            QRectF(6, 0, wide * 0.7, em * 2.0), Qt.AlignmentFlag.AlignVCenter, kind.says
        )
        painter.setFont(theme.font(0.95))
        painter.setPen(theme.color("quiet"))
        of = f"kind {self._kind + 1} of {len(self._kinds)}"
        painter.drawText(
            QRectF(0, 0, wide - 6, em * 2.0),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            f"{len(kind.places)} doubts · {of}" if len(kind.places) > 1 else f"1 doubt · {of}",
        )
        # All kinds in a row, the one on the sheet underlined, as stations lie on the line.
        x = 6.0 - max(0.0, self._name_ends(self._kind) - wide + 12)
        y = em * 2.35
        for number, other in enumerate(self._kinds):
            at_hand = number == self._kind
            painter.setFont(theme.bold(0.92) if at_hand else theme.font(0.92))
            painter.setPen(theme.color("teal" if at_hand else "quiet"))
            name = f"{other.says}  {len(other.places)}"
            room = QFontMetricsF(theme.bold(0.92)).horizontalAdvance(name)
            painter.drawText(QRectF(x, y, room, em * 1.5), Qt.AlignmentFlag.AlignVCenter, name)
            if at_hand:
                painter.fillRect(QRectF(x, y + em * 1.55, room, 2), theme.color("teal"))
            x += room + em * 1.6
        painter.fillRect(QRectF(0, self._head - em * 0.55, wide, 1), theme.color("hairline"))

    def _name_ends(self, number: int) -> float:
        """Return where a kind's name would end in the row of kinds without scrolling."""
        metrics = QFontMetricsF(self._theme.bold(0.92))
        names = [f"{k.says}  {len(k.places)}" for k in self._kinds[: number + 1]]
        return 6.0 + sum(map(metrics.horizontalAdvance, names)) + self._theme.em * 1.6 * number

    def _paint_foot(self, painter: QPainter, kind: Kind) -> None:
        theme = self._theme
        wide, top = float(self._view.width()), self._view.height() - self._foot
        painter.fillRect(QRectF(0, top, wide, self._foot), theme.color("desk"))
        painter.fillRect(QRectF(0, top, wide, 1), theme.color("hairline"))
        count = sum(self._state(d).id not in self._out for d in kind.places)
        cells = "this 1" if count == 1 else f"these {count}"
        x = 6.0
        for key, what in (("Enter", f"settle {cells}"), *_KEYS):
            for text, font, color in (
                (key + " ", theme.bold(0.92), "ink"),
                (what, theme.font(0.92), "quiet"),
            ):
                painter.setFont(font)
                painter.setPen(theme.color(color))
                room = QFontMetricsF(font).horizontalAdvance(text)
                painter.drawText(
                    QRectF(x, top, room + 2, self._foot), Qt.AlignmentFlag.AlignVCenter, text
                )
                x += room
            x += theme.em * 1.8

    def _cutting(self, doubt: DoubtPlace) -> QPixmap | None:
        """Return a cell's ink; None while its page is being unpacked."""
        state = self._state(doubt)
        found = self._cuttings.get(state.id)
        if found is None:
            image = self._session.picture(self._session.tables[doubt.table].page_id)
            if image is None:
                return None
            found = self._cut(state, image)
        return found

    def _cut(self, state: CellState, image: QImage) -> QPixmap:
        """Cut a cell's writing out of its page, sized for its tile."""
        ratio = self._view.devicePixelRatioF()
        x0, y0, x1, y1 = state.cell.box
        chars = state.reading.chars
        if chars:
            side = 0.8 * max(8.0, chars[0].box[3] - chars[0].box[1])
            x0 = max(x0, min(c.box[0] for c in chars) - side)
            x1 = min(x1, max(c.box[2] for c in chars) + side)
            y0 = max(y0, min(c.box[1] for c in chars) - side)
            y1 = min(y1, max(c.box[3] for c in chars) + side)
        part = image.copy(QRectF(QPointF(x0, y0), QPointF(x1, y1)).toAlignedRect())
        high = self._theme.em * 3.4 * ratio
        wide = (self._tile[0] - 12) * ratio
        scale = min(high / max(1, part.height()), wide / max(1, part.width()), 2.0)
        pixmap = QPixmap.fromImage(
            part.scaled(
                max(1, round(part.width() * scale)),
                max(1, round(part.height() * scale)),
                Qt.AspectRatioMode.IgnoreAspectRatio,
                Qt.TransformationMode.SmoothTransformation,
            )
        )
        if self._theme.colours.dark:
            painter = QPainter(pixmap)
            painter.fillRect(pixmap.rect(), QColor(20, 24, 27, 70))
            painter.end()
        pixmap.setDevicePixelRatio(ratio)
        self._cuttings[state.id] = pixmap
        return pixmap

    @override
    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._lay_out()
