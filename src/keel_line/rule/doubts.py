"""Finds grid lines in doubt, and the reasons."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey
from keel_line.model.grid import DIRECTIONS, Direction, Grid, LineDoubt, Rule
from keel_line.rule.parting import part_pieces
from keel_line.rule.writing import Writing, find_writing

_AROUND_IN = 0.15
_TIGHT_CAPS = 0.28
_OVER_CAPS = 0.15
_LEAST_ROWS = 3
_TWO_CAPS = 1.9
_TWO_SHARE = 0.7
_FAINT_SHARE = 0.45
_FEW = 0.34
_NEAR = 0.8


def find_doubts(
    grid: Grid,
    flat: Grey,
    dpi: float,
    rules: tuple[Rule, ...],
    writing: Writing | None = None,
    *,
    found: bool = True,
) -> tuple[LineDoubt, ...]:
    """Find the grid lines in doubt.

    Doubtful are: a boundary through writing, the table's sides among them; a column or a row in
    which nothing is written; a column in which white runs down between two pieces of most rows, so
    that a boundary may be missing; a row that fills few columns close under another, so that it may
    be a part of it; a rule of which little is left; a boundary that hangs on the letters' size.

    Parameters
    ----------
    grid
        The grid.
    flat
        Its squared page with even light, shape (rows, cols).
    dpi
        The page's resolution.
    rules
        The page's ruling lines, which are no writing.
    writing
        The page's writing, where its file tells it; else it is looked for in the picture.
    found
        Whether the grid is as it was found on this very page: then what was open is in doubt, too.

    Returns
    -------
    tuple of LineDoubt
        Boundaries down first, each boundary once.
    """
    pad = round(_AROUND_IN * dpi)
    x0, y0 = max(0, int(grid.box[0]) - pad), max(0, int(grid.box[1]) - pad)
    x1, y1 = int(np.ceil(grid.box[2])) + pad, int(np.ceil(grid.box[3])) + pad
    part = np.ascontiguousarray(flat[y0:y1, x0:x1])
    if min(part.shape) < dpi * 0.1:
        return ()
    if writing is None:
        near = [r.moved(-x0, -y0) for r in rules]
        writing = _move(find_writing(part, dpi, near), x0, y0)
    boxes = _parted(grid, writing)
    doubts = [
        *(grid.doubts if found else ()),
        *_find_cut_writing(grid, writing.boxes, writing.cap_px),
        *_columns_in_doubt(grid, boxes, writing),
        *_rows_in_doubt(grid, boxes, writing),
        *_faint_rules(grid),
    ]
    seen: dict[tuple[str, int], LineDoubt] = {}
    for doubt in doubts:
        other = seen.get((doubt.direction, doubt.index))
        if other is None or other.chance < doubt.chance:
            seen[doubt.direction, doubt.index] = doubt
    return tuple(sorted(seen.values(), key=lambda d: (d.direction == "across", d.index)))


def _move(writing: Writing, dx: float, dy: float) -> Writing:
    by = np.array([dx, dy, dx, dy])
    return replace(writing, boxes=writing.boxes + by, letters=writing.letters + by)


def _parted(grid: Grid, writing: Writing) -> NDArray[np.float64]:
    """Return the pieces of writing in a grid, those parted that are values of two columns."""
    inside = _lies_in(writing.boxes, grid)
    boxes, lines = writing.boxes[inside], writing.lines[inside]
    rows = [boxes[lines == n] for n in np.unique(lines)]
    if not rows:
        return boxes
    return np.concatenate(part_pieces(rows, writing.letters, grid.x_lines, writing.cap_px))


def _lies_in(boxes: NDArray[np.float64], grid: Grid) -> NDArray[np.bool_]:
    """Return which pieces of writing have their middle in a grid."""
    middles = (boxes[:, :2] + boxes[:, 2:]) / 2
    inside: NDArray[np.bool_] = (middles >= grid.box[:2]) & (middles <= grid.box[2:])
    return np.asarray(inside.all(axis=1), np.bool_)


def _find_cut_writing(grid: Grid, boxes: NDArray[np.float64], cap: float) -> list[LineDoubt]:
    """Find the outer boundaries that writing runs across: the table may go on beyond them."""
    over = _OVER_CAPS * cap
    out = []
    for axis, direction in enumerate(DIRECTIONS):
        lines = grid.lines(direction)
        low, high = grid.extent(direction)
        along = (boxes[:, 1 - axis] + boxes[:, 3 - axis]) / 2
        beside = (along >= low) & (along <= high)
        for index in (0, len(lines) - 1):
            at = lines[index]
            if grid.is_ruled(direction, at):
                continue
            cut = beside & (boxes[:, axis] < at - over) & (boxes[:, axis + 2] > at + over)
            if cut.any():
                out.append(LineDoubt(direction, index, "Writing crosses the table's edge"))
    return out


def _places(boxes: NDArray[np.float64], lines: tuple[float, ...], axis: int) -> NDArray[np.int64]:
    """Return in which column (axis 0) or row (axis 1) the middle of each piece lies."""
    middles = (boxes[:, axis] + boxes[:, axis + 2]) / 2
    return np.searchsorted(np.array(lines[1:-1]), middles)


def _single(grid: Grid) -> NDArray[np.bool_]:
    """Return for each field whether its cell spans no further, shape (rows, cols)."""
    out = np.zeros((grid.rows, grid.cols), bool)
    for cell in grid.cells:
        out[cell.row, cell.col] = cell.row_span == cell.col_span == 1
    return out


def _columns_in_doubt(grid: Grid, boxes: NDArray[np.float64], writing: Writing) -> list[LineDoubt]:
    cap = writing.cap_px
    cols, rows = _places(boxes, grid.x_lines, 0), _places(boxes, grid.y_lines, 1)
    single = _single(grid)
    out = []
    for k, x in enumerate(grid.x_lines[1:-1], 1):
        if grid.is_ruled("down", x):
            continue
        parted = [r for r in range(grid.rows) if single[r, k - 1] and single[r, k]]
        own = boxes[np.isin(rows, parted)] if len(boxes) else boxes
        over = (own[:, 0] < x - _OVER_CAPS * cap) & (own[:, 2] > x + _OVER_CAPS * cap)
        left, right = own[own[:, 2] <= x, 2], own[own[:, 0] >= x, 0]
        if over.any():
            many = int(over.sum())
            says = "1 value crosses" if many == 1 else f"{many} values cross"
            out.append(LineDoubt("down", k, f"{says} this line"))
        elif len(left) and len(right) and right.min() - left.max() < _TIGHT_CAPS * cap:
            out.append(LineDoubt("down", k, "Writing on both sides is very close to this line"))
    for k in range(grid.cols):
        mine = cols == k
        if not mine.any() and not grid.is_ruled("down", grid.x_lines[max(k, 1)]):
            out.append(LineDoubt("down", max(k, 1), f"Column {k + 1} is empty"))
        elif _looks_split(grid, boxes[mine], rows[mine], single[:, k], cap):
            words = f"Column {k + 1} may be two: a gap runs down it"
            out.append(LineDoubt("down", max(k, 1) if grid.cols > 1 else 0, words))
    return out


def _looks_split(
    grid: Grid,
    boxes: NDArray[np.float64],
    rows: NDArray[np.int64],
    single: NDArray[np.bool_],
    cap: float,
) -> bool:
    """Return whether most rows of a column have two pieces with white between them at one place."""
    filled = [r for r in np.unique(rows).tolist() if single[r]]
    if len(filled) < _LEAST_ROWS:
        return False
    gaps = []
    for r in filled:
        own = boxes[rows == r]
        own = own[np.argsort(own[:, 0])]
        wide = own[1:, 0] - own[:-1, 2]
        if len(wide) and wide.max() >= _TWO_CAPS * cap:
            at = int(wide.argmax())
            gaps.append((own[at, 2], own[at + 1, 0]))
    if len(gaps) < max(_LEAST_ROWS, _TWO_SHARE * len(filled)):
        return False
    ends, starts = np.array(gaps).T
    return bool(np.percentile(starts, 15) - np.percentile(ends, 85) >= _TWO_CAPS / 2 * cap)


def _rows_in_doubt(grid: Grid, boxes: NDArray[np.float64], writing: Writing) -> list[LineDoubt]:
    cap = writing.cap_px
    rows, cols = _places(boxes, grid.y_lines, 1), _places(boxes, grid.x_lines, 0)
    filled = [set(cols[rows == r].tolist()) for r in range(grid.rows)]
    middles = np.array(
        [
            float(np.median(boxes[rows == r][:, [1, 3]].mean(axis=1))) if filled[r] else np.nan
            for r in range(grid.rows)
        ]
    )
    pitch = np.diff(middles)
    usual = float(np.nanmedian(pitch)) if np.isfinite(pitch).any() else np.inf
    out = []
    for k, y in enumerate(grid.y_lines[1:-1], 1):
        if grid.is_ruled("across", y):
            continue
        over = (boxes[:, 1] < y - _OVER_CAPS * cap) & (boxes[:, 3] > y + _OVER_CAPS * cap)
        spanning = _spanning_at(grid, k)
        over &= ~np.isin(cols, spanning)
        if over.sum() >= 2:
            out.append(LineDoubt("across", k, f"{int(over.sum())} values cross this line"))
        elif (
            filled[k]
            and 0 not in filled[k]
            and len(filled[k]) <= max(1.0, _FEW * grid.cols)
            and len(filled[k]) < len(filled[k - 1])
            and pitch[k - 1] < _NEAR * usual
            and not _stand_under_titles(grid, k, filled[k])
        ):
            out.append(LineDoubt("across", k, f"Row {k + 1} may belong to the row above it"))
    empty = (
        LineDoubt("across", k, f"Row {k + 1} is empty")
        for k in range(1, grid.rows)
        if not filled[k] and not grid.is_ruled("across", grid.y_lines[k])
    )
    return [*out, *empty]


def _stand_under_titles(grid: Grid, row: int, cols: set[int]) -> bool:
    """Return whether all of some columns have a title over several columns in the row above."""
    titled = {
        col
        for c in grid.cells
        if c.row + c.row_span == row and c.col_span > 1
        for col in range(c.col, c.col + c.col_span)
    }
    return cols <= titled


def _spanning_at(grid: Grid, line: int) -> list[int]:
    """Return the columns in which a cell reaches across a boundary between rows."""
    return [
        col
        for c in grid.cells
        if c.row < line < c.row + c.row_span
        for col in range(c.col, c.col + c.col_span)
    ]


def _faint_rules(grid: Grid) -> list[LineDoubt]:
    out = []
    for direction in DIRECTIONS:
        for k, at in enumerate(grid.lines(direction)[1:-1], 1):
            if not grid.is_ruled(direction, at):
                continue
            length = sum(r.length * r.strength for r in grid.rules_at(direction, at))
            wanted = _parted_length(grid, direction, k)
            if wanted and length < _FAINT_SHARE * wanted:
                out.append(LineDoubt(direction, k, "The ruled line is almost gone on the paper"))
    return out


def _parted_length(grid: Grid, direction: Direction, line: int) -> float:
    """Return over what length (px) a boundary parts cells: spanning ones are left out."""
    lines = grid.y_lines if direction == "down" else grid.x_lines
    parted = np.diff(np.array(lines))
    for c in grid.cells:
        first, count = (c.col, c.col_span) if direction == "down" else (c.row, c.row_span)
        if first < line < first + count:
            start, many = (c.row, c.row_span) if direction == "down" else (c.col, c.col_span)
            parted[start : start + many] = 0.0
    return float(parted.sum())
