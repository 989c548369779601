"""Places the cells of a table whose spanning pieces are known: headings over columns, bars."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keel_line.model.grid import Cell
from keel_line.rule.parting import ColumnPlace

_STUB_CAPS, _GAP_CAPS = 0.5, 0.8


@dataclass(frozen=True, eq=False)
class RowPieces:
    """The pieces of a row: their boxes (px), shape (n, 4), and which of them span columns.

    ``under`` tells where the short rule under a piece begins and ends, None where it has none.
    """

    boxes: NDArray[np.float64]
    spans: NDArray[np.bool_]
    under: tuple[tuple[float, float] | None, ...] = ()


def place_cells(
    rows: Sequence[RowPieces],
    xs: Sequence[float],
    ys: Sequence[float],
    places: Sequence[ColumnPlace],
    headings: int,
    cap_px: float,
) -> list[Cell]:
    """Place the cells of every row.

    Parameters
    ----------
    rows
        The pieces of each row from the top down.
    xs, ys
        Boundaries of columns and rows (px).
    places
        Where the writing of each column lies.
    headings
        How many rows at the top are heading.
    cap_px
        Height of capitals.
    """
    ranges = [
        _find_ranges(row, xs, places, cap_px, heading=k < headings - 1)
        for k, row in enumerate(rows)
    ]
    levels = max((k + 2 for k in range(headings - 1) if ranges[k]), default=1)
    filled = [_find_filled(row, xs) for row in rows]
    cells: list[Cell] = []
    below: set[tuple[int, int]] = set()
    for row, spanned in enumerate(ranges):
        taken = {c for a, b in spanned for c in range(a, b)}
        for a, b in spanned:
            cells.append(Cell(row, a, 1, b - a, (xs[a], ys[row], xs[b], ys[row + 1])))
        for col in range(len(xs) - 1):
            if col in taken or (row, col) in below:
                continue
            last = row + 1
            if row == 0 and levels > 1 and not any(_covers(r, col) for r in ranges[:levels]):
                own = [k for k in range(levels) if col in filled[k]]
                if len(own) <= 1:  # one heading beside several levels of others
                    last = levels
                    below |= {(k, col) for k in range(1, levels)}
            cells.append(Cell(row, col, last - row, 1, (xs[col], ys[row], xs[col + 1], ys[last])))
    return sorted(cells, key=lambda c: (c.row, c.col))


def _covers(ranges: Sequence[tuple[int, int]], col: int) -> bool:
    return any(a <= col < b for a, b in ranges)


def _find_filled(row: RowPieces, xs: Sequence[float]) -> set[int]:
    """Return the columns in which single pieces of a row have their middles."""
    middles = (row.boxes[:, 0] + row.boxes[:, 2]) / 2
    return set(np.searchsorted(np.array(xs[1:-1]), middles[~row.spans]).tolist())


def _find_ranges(
    row: RowPieces,
    xs: Sequence[float],
    places: Sequence[ColumnPlace],
    cap_px: float,
    *,
    heading: bool,
) -> list[tuple[int, int]]:
    """Return the columns, from first to after the last, that each spanning piece covers."""
    cols = len(xs) - 1
    if not row.spans.any() or cols < 2:
        return []
    if not heading and len(row.boxes) == 1:
        return [(0, cols)]  # a section's name stands alone across the table
    inner = np.array(xs[1:-1])
    order = np.argsort(row.boxes[:, 0])
    boxes, spans = row.boxes[order], row.spans[order]
    home = np.searchsorted(inner, (boxes[:, 0] + boxes[:, 2]) / 2).tolist()
    found: dict[int, list[tuple[float, int, int]]] = {}
    for k in np.flatnonzero(spans).tolist():
        low = home[k - 1] + 1 if k and not spans[k - 1] else 0
        high = home[k + 1] if k + 1 < len(home) and not spans[k + 1] else cols
        under = row.under[order[k]] if row.under else None
        found[k] = _rate_ranges(boxes[k], low, high, xs, places, under, cap_px)
    return _choose_ranges([found[k] for k in sorted(found)])


def _rate_ranges(
    box: NDArray[np.float64],
    low: int,
    high: int,
    xs: Sequence[float],
    places: Sequence[ColumnPlace],
    under: tuple[float, float] | None,
    cap_px: float,
) -> list[tuple[float, int, int]]:
    """Return how badly each range of columns lies under a piece: (cost, first, after the last).

    The middle of the columns, by their boundaries or by what is written in them, is that of the
    piece; a rule under the piece ends where they do.
    """
    middle = float(box[0] + box[2]) / 2
    out = []
    for a in range(low, high - 1):
        for b in range(a + 2, high + 1):
            left, right = places[a].left, places[b - 1].right
            off = min(abs((left + right) / 2 - middle), abs((xs[a] + xs[b]) / 2 - middle))
            if under is not None:
                inside = [
                    under[0] <= (places[c].left + places[c].right) / 2 <= under[1]
                    for c in range(low, high)
                ]
                wanted = [a <= c < b for c in range(low, high)]
                off = cap_px * sum(x != y for x, y in zip(inside, wanted, strict=True))
            beyond = max(0.0, xs[a] - float(box[0])) + max(0.0, float(box[2]) - xs[b])
            stub = _STUB_CAPS if a == 0 else 0.0
            out.append(((off + beyond) / cap_px + stub, a, b))
    return out


def _choose_ranges(rated: Sequence[Sequence[tuple[float, int, int]]]) -> list[tuple[int, int]]:
    """Return a range for each piece so that none overlap and little is left between them."""
    best: dict[int, tuple[float, list[tuple[int, int]]]] = {0: (0.0, [])}
    for options in rated:
        after: dict[int, tuple[float, list[tuple[int, int]]]] = {}
        for end, (cost, chosen) in best.items():
            for own, a, b in options:
                if a < end:
                    continue
                gap = _GAP_CAPS * (a - end) if chosen else 0.0
                total = cost + own + gap
                if b not in after or total < after[b][0]:
                    after[b] = (total, [*chosen, (a, b)])
        best = after or best
    return min(best.values(), key=lambda found: found[0])[1]
