"""Which rules and grounds a table's look gives to each cell, whatever program sets it."""

from __future__ import annotations

from dataclasses import dataclass

from synth.press.model import Cell, Look, Table

NONE, THIN, THICK, DOUBLE = 0, 1, 2, 3
_FRAMES = {"single": THIN, "thick": THICK, "double": DOUBLE}


@dataclass(frozen=True)
class Edges:
    """The rules on the sides of a cell: ``NONE``, ``THIN``, ``THICK`` or ``DOUBLE``."""

    top: int = NONE
    right: int = NONE
    bottom: int = NONE
    left: int = NONE


def edges_of(table: Table, row: int, col: int, high: int = 1, wide: int = 1) -> Edges:
    """Return the rules around a cell that begins at a place; each rule belongs to one cell.

    Inner rules are the bottom and right sides of cells.
    """
    look = table.look
    last_row, last_col = row + high - 1, col + wide - 1
    frame = _FRAMES.get(look.frame, NONE)
    sides = frame or (THIN if look.frame == "sides" else NONE)
    heading = row < table.header_rows
    every_row, every_col = look.rows == "all", look.cols == "all"
    top = (frame or look.top) if row == 0 else NONE
    left = sides if col == 0 else NONE
    right = sides if last_col == table.cols - 1 else NONE
    bottom = NONE
    if last_row == table.rows - 1:
        bottom = frame or look.foot
        if last_row in table.total_rows and look.total == 2:
            bottom = DOUBLE
    elif last_row == table.header_rows - 1:
        bottom = look.below_heading or (THIN if every_row else NONE)
    elif (heading and every_row) or (not heading and table.ruled_below(last_row)):
        bottom = THIN
    if table.ruled_right(last_col) and (not heading or every_col or look.after_stub):
        right = THIN
    return Edges(top, right, bottom, left)


def has_short_rule(table: Table, cell: Cell) -> bool:
    """Return whether a short rule stands under a spanning heading."""
    return (
        cell.col_span > 1
        and cell.row + 1 < table.header_rows
        and table.look.spanners
        and table.look.rows != "all"
    )


def ground_of(table: Table, row: int) -> int | None:
    """Return the grey level (0 to 255) behind a row, None for bare paper."""
    look = table.look
    if row < table.header_rows:
        return {"grey": 205, "dark": 60}.get(look.heading_band)
    return look.band_level if table.is_banded(row) else None


def is_light(table: Table, row: int) -> bool:
    """Return whether a row's letters are light on a dark ground."""
    return row < table.header_rows and table.look.heading_band == "dark"


def weight_pt(look: Look, kind: int) -> float:
    """Return the thickness of a rule in pt; of a double one, with the white between."""
    if kind == THICK:
        return max(1.4, 2.4 * look.weight_pt)
    if kind == DOUBLE:
        return max(2.2, 4.0 * look.weight_pt)
    return look.weight_pt
