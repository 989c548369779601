"""The help sheet: all keys, from the declarations that bind them."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget
from typing_extensions import override

from keel_line.ui.commands import COMMANDS, Command, show_keys
from keel_line.ui.theme import Theme
from keel_line.ui.widgets.over_sheet import MARGINS, OverSheet

_COLUMNS = (
    (("window", "Anywhere"),),
    (("gather", "In Gather"), ("square", "In Square")),
    (("rule", "In Rule"),),
    (("proof", "In Proof"),),
    (("tidy", "In Tidy"),),
)


class HelpSheet(OverSheet):
    """A sheet over the window; any key closes it."""

    def __init__(self, parent: QWidget, theme: Theme) -> None:
        super().__init__(parent, theme)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("All keys")

    @override
    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self._theme
        across, down = MARGINS
        sheet = QRectF(self.rect()).adjusted(across, down, -across, -down)
        painter.setFont(theme.bold(1.5))
        painter.setPen(theme.color("ink"))
        painter.drawText(sheet.adjusted(32, 22, 0, 0), Qt.AlignmentFlag.AlignLeft, "All keys")
        painter.setFont(theme.font(0.95))
        painter.setPen(theme.color("quiet"))
        painter.drawText(
            sheet.adjusted(0, 26, -32, 0), Qt.AlignmentFlag.AlignRight, "Press any key to close"
        )
        columns = [
            [(heading, _commands_of(place)) for place, heading in column] for column in _COLUMNS
        ]
        longest = max(sum(len(own) + 1 for _, own in c) + len(c) - 1 for c in columns)
        # In a low window the lines stand closer, so that none is cut off.
        line = min(theme.em * 1.56, (sheet.height() - 84) / longest)
        needed = [[self._measure(own) for _, own in column] for column in columns]
        wide = [max(k for k, _ in own) + max(w for _, w in own) for own in needed]
        air = (sheet.width() - 64 - sum(wide)) / (len(columns) - 1)
        left = sheet.left() + 32
        for column, sizes, room in zip(columns, needed, wide, strict=True):
            top, keys = sheet.top() + 70, max(k for k, _ in sizes)
            for heading, own in column:
                place = QRectF(left, top, room + min(air - 8, 0), line)
                self._paint_group(painter, heading, own, place, keys)
                top += (len(own) + 2) * line
            left += room + air

    def _measure(self, commands: list[Command]) -> tuple[float, float]:
        """Return how wide the keys and the labels of commands are, in px."""
        bold, plain = (QFontMetricsF(f) for f in (self._theme.bold(0.92), self._theme.font(0.92)))
        keys = max(bold.horizontalAdvance(_shown(c)) for c in commands) + 12
        return keys, max(plain.horizontalAdvance(c.label.rstrip("…")) for c in commands) + 2

    def _paint_group(
        self,
        painter: QPainter,
        heading: str,
        commands: list[Command],
        column: QRectF,
        key_wide: float,
    ) -> None:
        """Paint a station's keys; ``column`` is the place of its first line."""
        theme = self._theme
        left, top, wide, line = column.left(), column.top(), column.width(), column.height()
        painter.setFont(theme.bold(1.05))
        painter.setPen(theme.color("teal"))
        painter.drawText(QRectF(left, top, wide, line), Qt.AlignmentFlag.AlignVCenter, heading)
        top += line
        plain = QFontMetricsF(theme.font(0.92))
        for command in commands:
            painter.setFont(theme.bold(0.92))
            painter.setPen(theme.color("ink"))
            painter.drawText(
                QRectF(left, top, key_wide, line), Qt.AlignmentFlag.AlignVCenter, _shown(command)
            )
            painter.setFont(theme.font(0.92))
            painter.setPen(theme.color("quiet"))
            room = wide - key_wide
            painter.drawText(
                QRectF(left + key_wide, top, room, line),
                Qt.AlignmentFlag.AlignVCenter,
                plain.elidedText(command.label.rstrip("…"), Qt.TextElideMode.ElideRight, room),
            )
            top += line

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        self.put_away()

    @override
    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.put_away()


def _commands_of(place: str) -> list[Command]:
    """Return the commands of a station that have keys."""
    return [c for c in COMMANDS if c.where == place and c.keys]


def _shown(command: Command) -> str:
    """Return the shortest of a command's keys; all of those that the widget at hand takes."""
    keys = show_keys(command)
    return min(keys.split(" or "), key=len) if command.bound else keys
