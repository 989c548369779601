"""New editions of a source: notices them, takes over what was done, lists what differs."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from functools import lru_cache
from typing import TYPE_CHECKING

import cv2
import msgspec
import numpy as np
from numpy.typing import NDArray

from keel_line.desk.tidying import Change, read_trail
from keel_line.desk.work import unpack_picture
from keel_line.model.docket import PageState, SourceState
from keel_line.model.geometry import Box, overlaps
from keel_line.model.grid import DrawnTables
from keel_line.model.page import SquareChoice
from keel_line.model.reason import Reason
from keel_line.model.table import CellState, TableState
from keel_line.rule.mend import place_grid
from keel_line.tidy.joins import Append

if TYPE_CHECKING:
    from keel_line.desk.desk import Desk

_FOLLOWED = "followed"  # the name of the setting
_LEAST_OVERLAP = 0.25
_INK_HEIGHT, _EDGE, _SAME_INK = 32, 0.15, 0.7


@dataclass(frozen=True)
class Edition:
    """A source, and an earlier one of the same name in the docket."""

    old: SourceState
    new: SourceState


@dataclass(frozen=True)
class Difference:
    """A value that differs between two editions; a row that only one has counts as one.

    ``row`` and ``col`` count from 0 in the new edition's table, -1 where it has no such place;
    ``cell`` is the cell's id there, if it has one.
    """

    table: str
    page: int
    row: int
    col: int
    before: str
    now: str
    cell: int | None = None


@dataclass(frozen=True)
class Followed:
    """What was taken over from an earlier edition, and what differs.

    ``waiting`` pages are read first: nothing was taken over yet but how they lie and their lines.
    """

    waiting: int = 0
    settled: int = 0
    tables: int = 0
    differences: tuple[Difference, ...] = ()


def find_editions(desk: Desk) -> list[Edition]:
    """Return the sources that are new editions of others and do not follow these yet."""
    done = set(_read_followed(desk))
    latest: dict[str, SourceState] = {}
    out = []
    for source in desk.sources():
        if source.trouble:
            continue
        old = latest.get(source.name)
        if old is not None and source.id not in done:
            out.append(Edition(old, source))
        latest[source.name] = source
    return out


def follow_edition(desk: Desk, edition: Edition) -> Followed:
    """Take over from an earlier edition how pages lie, their lines, names, steps and values.

    Values are taken over where the ink is the same. Pages that get other lines are read again
    first: ask once more when they are.
    """
    pages = desk.pages()
    pairs = _pair_pages(
        [p for p in pages if p.source_id == edition.old.id],
        [p for p in pages if p.source_id == edition.new.id],
    )
    waiting = _lay_pages(desk, pairs)
    waiting += sum(new.progress == "waiting" for _, new in pairs)
    if waiting:
        return Followed(waiting)
    tables = desk.tables()
    by_page: dict[int, list[TableState]] = {}
    for table in tables:
        by_page.setdefault(table.page_id, []).append(table)
    named = {r.subject for r in desk.history() if r.kind == "name" and not r.undone}
    settled, followed = 0, 0
    differences: list[Difference] = []
    for old, new in pairs:
        both = pair_tables(by_page.get(old.id, []), old, by_page.get(new.id, []), new)
        for before, now in both:
            followed += 1
            _follow_table(desk, before, now, named=before.id in named)
            cells, own = compare_tables(before, now)
            carried = _carry_values(desk, cells, (old, new))
            settled += len(carried)
            differences += [d for d in own if d.cell not in carried or d.col < 0]
    ids = [*_read_followed(desk), edition.new.id]
    desk.docket.set_setting(_FOLLOWED, msgspec.json.encode(ids).decode())
    return Followed(0, settled, followed, tuple(differences))


def _read_followed(desk: Desk) -> list[int]:
    try:
        return msgspec.json.decode(desk.docket.setting(_FOLLOWED, "[]"), type=list[int])
    except msgspec.DecodeError:
        return []


def _pair_pages(
    old: Sequence[PageState], new: Sequence[PageState]
) -> list[tuple[PageState, PageState]]:
    """Return the pages of two sources that have the same number, in their order."""
    by_number: dict[int, list[PageState]] = {}
    for page in old:
        by_number.setdefault(page.number, []).append(page)
    return [(by_number[p.number].pop(0), p) for p in new if by_number.get(p.number)]


def _lay_pages(desk: Desk, pairs: Iterable[tuple[PageState, PageState]]) -> int:
    """Lay pages and lines as in the earlier edition; return how many pages changed."""
    choices, drawn = [], []
    for old, new in pairs:
        if old.choice != SquareChoice() and new.choice == SquareChoice():
            choices.append((new.id, old.choice))
        elif old.drawn is not None and new.drawn is None and new.progress == "done":
            scale = new.dpi / old.dpi
            grids = tuple(place_grid(g, (scale, scale), (0.0, 0.0)) for g in old.drawn.grids)
            drawn.append((new, DrawnTables(grids, new.transform, to_fit=True)))
    if choices:
        desk.choose(choices, Reason("edition"))
    if drawn:
        desk.lay_grids(drawn, Reason("edition"))
    return len(choices) + len(drawn)


def pair_tables(
    old: Sequence[TableState],
    old_page: PageState,
    new: Sequence[TableState],
    new_page: PageState,
) -> list[tuple[TableState, TableState]]:
    """Return the tables that lie in the same place of two pages."""
    if not old or not new:
        return []
    a, b = (
        [_share_of_page(t.grid.box, page) for t in tables]
        for tables, page in ((old, old_page), (new, new_page))
    )
    shares = overlaps(np.array(a), b)
    out, free = [], set(range(len(new)))
    for k in range(len(old)):
        best = max(free, key=lambda n: shares[k, n], default=None)
        if best is not None and shares[k, best] >= _LEAST_OVERLAP:
            free.discard(best)
            out.append((old[k], new[best]))
    return out


def _share_of_page(box: Box, page: PageState) -> Box:
    wide, high = page.squared_size_px
    return (1000 * box[0] / wide, 1000 * box[1] / high, 1000 * box[2] / wide, 1000 * box[3] / high)


def compare_tables(
    before: TableState, now: TableState
) -> tuple[list[tuple[CellState, CellState]], list[Difference]]:
    """Return the cells of two editions of a table that stand in the same place, and what differs.

    Rows that only one of them has are told as one difference each.
    """
    if before.grid.cols != now.grid.cols:
        was, is_now = (f"{t.grid.cols} columns" for t in (before, now))
        return [], [Difference(now.name, now.page_number, -1, -1, was, is_now)]
    cells, out = [], []
    old, new = (_cells_by_row(t) for t in (before, now))
    for row, other in _pair_rows(old, new):
        if row is None or other is None:
            gone, come = (
                "" if r is None else _say_row(c[r]) for c, r in ((old, row), (new, other))
            )
            first = None if other is None else next((s.id for s in new[other].values()), None)
            place = -1 if other is None else other
            out.append(Difference(now.name, now.page_number, place, -1, gone, come, first))
            continue
        for col in sorted(old[row].keys() | new[other].keys()):
            a, b = old[row].get(col), new[other].get(col)
            if a is not None and b is not None:
                cells.append((a, b))
            was, is_now = ("" if s is None else s.text for s in (a, b))
            if _plain(was) != _plain(is_now):
                cell = None if b is None else b.id
                out.append(Difference(now.name, now.page_number, other, col, was, is_now, cell))
    return cells, out


def _cells_by_row(table: TableState) -> list[dict[int, CellState]]:
    out: list[dict[int, CellState]] = [{} for _ in range(table.grid.rows)]
    for state in table.cells:
        out[state.cell.row][state.cell.col] = state
    return out


def _pair_rows(
    old: Sequence[Mapping[int, CellState]], new: Sequence[Mapping[int, CellState]]
) -> list[tuple[int | None, int | None]]:
    """Return which rows stand for one another; None where one edition has none."""
    keys = [[tuple((c, _plain(s.text)) for c, s in row.items()) for row in t] for t in (old, new)]
    match = SequenceMatcher(None, keys[0], keys[1], autojunk=False)
    out: list[tuple[int | None, int | None]] = []
    for _, a0, a1, b0, b1 in match.get_opcodes():
        shared = min(a1 - a0, b1 - b0)
        out += [(a0 + k, b0 + k) for k in range(shared)]
        out += [(a, None) for a in range(a0 + shared, a1)]
        out += [(None, b) for b in range(b0 + shared, b1)]
    return out


def _say_row(row: Mapping[int, CellState]) -> str:
    return " · ".join(s.text.replace("\n", " ") for s in row.values() if s.text)


def _plain(text: str) -> str:
    return " ".join(text.split())


def _follow_table(desk: Desk, before: TableState, now: TableState, *, named: bool) -> None:
    """Give a table the name, heading and steps of its earlier edition, where it has none."""
    if named and now.name != before.name:
        desk.rename(now, before.name)
    if before.header_rows != now.header_rows and before.grid.cols == now.grid.cols:
        desk.set_heading(now, before.header_rows)
    if before.steps and not now.steps:
        trail = read_trail(before)
        own = tuple(s for s in trail.steps if not isinstance(s, Append))
        kept = msgspec.structs.replace(trail, steps=own)
        desk.set_steps(now, Change(kept, Reason("edition")))


def _carry_values(
    desk: Desk,
    cells: Sequence[tuple[CellState, CellState]],
    pages: tuple[PageState, PageState],
) -> set[int]:
    """Settle cells as their earlier ones where the ink is the same; return their ids."""
    wanted = [
        (a, b)
        for a, b in cells
        if a.settled is not None and b.settled is None and a.reading.text == b.reading.text
    ]
    if not wanted:
        return set()

    @lru_cache(maxsize=2)
    def picture(page_id: int) -> NDArray[np.uint8] | None:
        data = desk.docket.squared_picture(page_id)
        return None if data is None else unpack_picture(data)

    first, second = (picture(p.id) for p in pages)
    if first is None or second is None:
        return set()
    same = [(b, a.text) for a, b in wanted if is_same_ink(first, a.cell.box, second, b.cell.box)]
    if same:
        desk.settle_all(same, Reason("edition"))
    return {state.id for state, _ in same}


def is_same_ink(first: NDArray[np.uint8], box: Box, second: NDArray[np.uint8], other: Box) -> bool:
    """Return whether two boxes of pages, each of shape (rows, cols), show the same ink.

    They are brought to the same height, and one is sought within the other.
    """
    a, b = _cut(first, box), _cut(second, other)
    if a is None or b is None:
        return False
    flat = [float(v.std()) < 2.0 for v in (a, b)]
    if any(flat):
        return all(flat)
    y, x = (round(_EDGE * n) for n in a.shape)
    part = a[y : a.shape[0] - y or None, x : a.shape[1] - x or None]
    wide = max(part.shape[1], b.shape[1])
    beyond = cv2.copyMakeBorder(
        b, y, y, wide - b.shape[1] + x, wide - b.shape[1] + x, cv2.BORDER_REPLICATE
    )
    found = cv2.matchTemplate(beyond, part, cv2.TM_CCOEFF_NORMED)
    return float(found.max()) >= _SAME_INK


def _cut(pixels: NDArray[np.uint8], box: Box) -> NDArray[np.uint8] | None:
    x0, y0, x1, y1 = (max(0, round(v)) for v in box)
    part = pixels[y0:y1, x0:x1]
    if min(part.shape, default=0) < 4:
        return None
    size = (max(8, round(part.shape[1] * _INK_HEIGHT / part.shape[0])), _INK_HEIGHT)
    return np.asarray(cv2.resize(part, size, interpolation=cv2.INTER_AREA), np.uint8)
