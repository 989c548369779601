"""Where a form's lines lie: kept in a jig, and found on another page by the form's own words."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import msgspec
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.texts import differ_in
from keel_line.model.finding import Sums
from keel_line.model.geometry import Box
from keel_line.model.reading import CharReading
from keel_line.model.table import CellState, TableState

_MM = 25.4
_MOST_MARKS, _LEAST_LETTERS = 80, 2
_PRINTED = 0.8  # of the lines between rows
_LEAST_FOUND, _LEAST_HEADS, _LEAST_PAIRS = 0.6, 0.75, 3
_OFF_MM = 3.0
_WIDE_MM, _HIGH_MM = 30.0, 40.0  # how far words lie apart that tell a scale
_LEAST_SCALE, _MOST_SCALE = 0.4, 2.5


class Mark(msgspec.Struct, frozen=True):
    """A text of the form, and the middle of its ink in mm on the page.

    ``heading`` says that it stands in the heading; others stand in the first column.
    """

    text: str
    x: float
    y: float
    heading: bool = True


class FormLines(msgspec.Struct, frozen=True):
    """The lines of a form's table.

    Attributes
    ----------
    x, y
        Its boundaries in mm from the page's upper left.
    spans
        Row, column, rows and columns of each cell that covers several.
    header_rows
        How many of the rows at its top are its heading.
    printed
        Whether the lines between rows are printed on the form; if not, each page has its own rows.
    marks
        Words of the form.
    sums
        The clerk's sums of the form, where its rows are printed.
    """

    x: tuple[float, ...]
    y: tuple[float, ...]
    spans: tuple[tuple[int, int, int, int], ...]
    header_rows: int
    printed: bool
    marks: tuple[Mark, ...]
    sums: Sums = Sums()


@dataclass(frozen=True)
class Placed:
    """How a form lies on a page: each place in mm becomes ``scale`` times it plus ``shift``.

    ``missing`` are the form's words that were not found there.
    """

    scale: tuple[float, float]
    shift: tuple[float, float]
    missing: tuple[str, ...]
    sure: bool


def keep_lines(table: TableState, dpi: float) -> FormLines:
    """Return the lines of a table on a page of a resolution."""
    grid, mm = table.grid, _MM / dpi
    inner = grid.y_lines[1:-1]
    ruled = sum(grid.is_ruled("across", y) for y in inner)
    printed = bool(inner) and ruled >= _PRINTED * len(inner)
    spans = [
        (c.row, c.col, c.row_span, c.col_span)
        for c in grid.cells
        if c.row_span > 1 or c.col_span > 1
    ]
    return FormLines(
        tuple(round(x * mm, 2) for x in grid.x_lines),
        tuple(round(y * mm, 2) for y in grid.y_lines),
        tuple(s for s in spans if printed or s[0] + s[2] <= table.header_rows),
        table.header_rows,
        printed,
        tuple(_find_marks(table, mm, printed=printed)),
        table.sums if printed else Sums(),
    )


def _find_marks(table: TableState, mm: float, *, printed: bool) -> list[Mark]:
    """Return the words of the heading, and of the first column where rows are printed."""
    out = []
    for state in table.cells:
        stub = printed and state.cell.col == 0
        text = " ".join(state.text.split())
        if not (state.cell.row < table.header_rows or stub) or len(_plain(text)) < _LEAST_LETTERS:
            continue
        if not any(c.isalpha() for c in text):
            continue
        x, y = _middle(_box_of(state))
        heading = state.cell.row < table.header_rows
        out.append(Mark(text, round(x * mm, 2), round(y * mm, 2), heading))
    return out[:_MOST_MARKS]


def place_lines(lines: FormLines, tables: Sequence[TableState], dpi: float) -> Placed:
    """Find how a form lies on a page, by where the form's words were read on it.

    Parameters
    ----------
    lines
        The form's lines.
    tables
        The page's tables, whose grids may be wrong: words are found within their cells, too.
    dpi
        The page's resolution.
    """
    known = _Words(tables, _MM / dpi)
    found = [(mark, places) for mark in lines.marks if (places := known.find(mark.text))]
    missing = {m.text for m in lines.marks} - {m.text for m, _ in found}
    single = [(m, places[0]) for m, places in found if len(places) == 1]
    unsure = Placed((1.0, 1.0), (0.0, 0.0), tuple(sorted(missing)), sure=False)
    if len(single) < min(_LEAST_PAIRS, len(lines.marks)) or not single:
        return unsure
    old = np.array([(m.x, m.y) for m, _ in single])
    new = np.array([place for _, place in single])
    scale_x = _find_scale(old[:, 0], new[:, 0], _WIDE_MM) or _find_scale(
        old[:, 1], new[:, 1], _HIGH_MM
    )
    scale_x = scale_x or 1.0
    scale_y = _find_scale(old[:, 1], new[:, 1], _HIGH_MM) or scale_x
    scale = np.array([scale_x, scale_y])
    shift = np.median(new - scale * old, axis=0)

    def is_off(mark: Mark, places: Sequence[tuple[float, float]]) -> bool:
        apart = np.abs(np.array(places) - scale * (mark.x, mark.y) - shift)
        return bool(apart.max(axis=1).min() > _OFF_MM)

    far = {mark for mark, places in found if is_off(mark, places)}
    right = [mark for mark, _ in found if mark not in far]
    heads = [m for m in lines.marks if m.heading]
    sure = (
        len(right) >= min(_LEAST_PAIRS, len(lines.marks))
        and len(right) >= _LEAST_FOUND * len(lines.marks)
        and sum(m.heading for m in right) >= _LEAST_HEADS * len(heads)
        and all(_LEAST_SCALE <= s <= _MOST_SCALE for s in scale)
    )
    return Placed(
        (float(scale[0]), float(scale[1])),
        (float(shift[0]), float(shift[1])),
        tuple(sorted({*missing, *(m.text for m in far)})),
        sure=sure,
    )


def _find_scale(
    old: NDArray[np.float64], new: NDArray[np.float64], least_mm: float
) -> float | None:
    """Return the median slope between pairs of places (Theil, 1950; Sen, 1968).

    None where no two of them lie ``least_mm`` apart.
    """
    first, second = np.triu_indices(len(old), 1)
    apart = old[second] - old[first]
    if not len(apart) or np.abs(apart).max() < least_mm:
        return None
    told = apart != 0
    return float(np.median((new[second] - new[first])[told] / apart[told]))


class _Words:
    """What was read on a page, and where (mm)."""

    def __init__(self, tables: Iterable[TableState], mm: float) -> None:
        self._mm = mm
        self._cells: list[tuple[str, list[CharReading], Box]] = []
        self._whole: dict[str, list[tuple[float, float]]] = defaultdict(list)
        for table in tables:
            for state in table.cells:
                chars = [c for c in state.reading.chars if c.char.isalnum()]
                # A character may become two when its case is folded: each keeps its place.
                folded = [(f, c) for c in chars for f in c.char.casefold()]
                text = "".join(f for f, _ in folded)
                if text:
                    box = _box_of(state)
                    self._cells.append((text, [c for _, c in folded], box))
                    self._whole[text].append(self._place(box))

    def find(self, text: str) -> list[tuple[float, float]]:
        """Return where a text stands: as a cell, within one, or but for a misread character."""
        plain = _plain(text)
        if plain in self._whole:
            return self._whole[plain]
        out = []
        for held, chars, _ in self._cells:
            at = held.find(plain)
            if at >= 0:
                out.append(self._place(_around([c.box for c in chars[at : at + len(plain)]])))
        if out or len(plain) <= _LEAST_LETTERS:
            return out
        return [
            self._place(box) for held, _, box in self._cells if differ_in(held, plain) is not None
        ]

    def _place(self, box: Box) -> tuple[float, float]:
        x, y = _middle(box)
        return x * self._mm, y * self._mm


def _plain(text: str) -> str:
    return "".join(c for c in text.casefold() if c.isalnum())


def _box_of(state: CellState) -> Box:
    """Return the box around a cell's ink, that of the cell where it has none."""
    return _around([c.box for c in state.reading.chars]) if state.reading.chars else state.cell.box


def _around(boxes: Sequence[Box]) -> Box:
    x0, y0, x1, y1 = zip(*boxes, strict=True)
    return (min(x0), min(y0), max(x1), max(y1))


def _middle(box: Box) -> tuple[float, float]:
    return ((box[0] + box[2]) / 2, (box[1] + box[3]) / 2)
