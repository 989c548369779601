"""A frame on the page, where a table is drawn or moved."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from PyQt6.QtCore import Qt

from keel_line.model.geometry import Box

_FAR, _NEAR = 0.01, 0.001  # of the page's larger side
_WAYS = {
    Qt.Key.Key_Left: (-1.0, 0.0),
    Qt.Key.Key_Right: (1.0, 0.0),
    Qt.Key.Key_Up: (0.0, -1.0),
    Qt.Key.Key_Down: (0.0, 1.0),
}


@dataclass(frozen=True)
class Frame:
    """``box`` is in px of the squared page; ``use`` is what it is for."""

    box: Box
    use: Literal["draw", "move"]


def step_frame(
    frame: Frame, key: int, held: Qt.KeyboardModifier, page: tuple[int, int]
) -> Frame | None:
    """Return the frame after an arrow key; None for other keys.

    Arrows move it, with Shift its far corner; Alt makes the steps small. ``page`` is the page's
    (width, height).
    """
    if key not in _WAYS:
        return None
    share = _NEAR if held & Qt.KeyboardModifier.AltModifier else _FAR
    step = max(1.0, share * max(page))
    dx, dy = (way * step for way in _WAYS[Qt.Key(key)])
    if held & Qt.KeyboardModifier.ShiftModifier:
        x0, y0, x1, y1 = frame.box
        return replace(frame, box=(x0, y0, max(x0 + step, x1 + dx), max(y0 + step, y1 + dy)))
    return replace(frame, box=shift_box(frame.box, dx, dy, page))


def find_free(taken: Sequence[Box], page: tuple[int, int]) -> Box:
    """Return the widest free band across a page (width, height), with a margin."""
    wide, high = page
    edges = [(0.0, 0.0), *sorted((b[1], b[3]) for b in taken), (float(high), float(high))]
    low, bands = 0.0, []
    for top, bottom in edges:
        bands.append((top - low, low, top))
        low = max(low, bottom)
    _, first, last = max(bands)
    pad = 0.06 * (last - first)
    return (0.08 * wide, first + pad, 0.92 * wide, last - pad)


def shift_box(box: Box, dx: float, dy: float, page: tuple[int, int]) -> Box:
    """Shift a box within a page of a size (width, height)."""
    dx = min(max(dx, -box[0]), max(0.0, page[0] - box[2]))
    dy = min(max(dy, -box[1]), max(0.0, page[1] - box[3]))
    return (box[0] + dx, box[1] + dy, box[2] + dx, box[3] + dy)
