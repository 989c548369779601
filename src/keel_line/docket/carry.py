"""What the clerk said of a page's cells and tables, carried over when it is worked on again."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass

import msgspec
import numpy as np
from numpy.typing import NDArray

from keel_line.docket.changes import set_cell, set_table
from keel_line.docket.records import Frame, as_int, stamp
from keel_line.model.docket import Carried
from keel_line.model.geometry import Box, Transform, overlap
from keel_line.model.grid import Cell

_SAME_PLACE = 0.35
_PART_OF_IT = 0.2  # where the ink went, of a cell that was parted
_SURELY_IT = 0.7  # whatever is read in it now


class _Read(msgspec.Struct):
    """What was read, of a cell's evidence."""

    text: str


@dataclass(frozen=True)
class SettledCell:
    """A settled cell before its page is worked on again.

    ``id`` is None for one that lost its cell earlier, and what was ``read`` in it, which is not
    known any more; ``corners`` (4, 2) are on the page as it came.
    """

    id: int | None
    corners: NDArray[np.float64]
    read: str | None
    settled: str | None
    by_hand: int
    as_printed: int


def find_settled(db: sqlite3.Connection, page_id: int) -> list[SettledCell]:
    """Return a page's cells that were settled, or have a history."""
    transform = transform_of(db, page_id)
    if transform is None:
        return []
    rows = db.execute(
        "SELECT c.id, c.place, c.evidence, c.settled, c.by_hand, c.as_printed FROM cell c"
        " JOIN found_table t ON t.id = c.table_id WHERE t.page_id = ?"
        " AND (c.settled IS NOT NULL OR EXISTS (SELECT 1 FROM change h WHERE h.cell_id = c.id))",
        (page_id,),
    )
    cells = [
        SettledCell(
            as_int(i),
            transform.box_on_original(msgspec.json.decode(place, type=Cell).box),
            msgspec.json.decode(evidence, type=_Read).text,
            settled,
            as_int(by_hand),
            as_int(as_printed),
        )
        for i, place, evidence, settled, by_hand, as_printed in rows.fetchall()
    ]
    rows = db.execute(
        "SELECT corners, settled, by_hand, as_printed FROM stray WHERE page_id = ?", (page_id,)
    )
    strays = [
        SettledCell(
            None,
            np.array(msgspec.json.decode(corners)),
            None,
            settled,
            as_int(by_hand),
            as_int(as_printed),
        )
        for corners, settled, by_hand, as_printed in rows.fetchall()
    ]
    return cells + strays


def transform_of(db: sqlite3.Connection, page_id: int) -> Transform | None:
    """Return how a page was laid when it was worked on last; None before that."""
    (encoded,) = db.execute("SELECT transform FROM page WHERE id = ?", (page_id,)).fetchone()
    return msgspec.json.decode(encoded, type=Transform) if encoded else None


def carry_tables(
    db: sqlite3.Connection,
    page_id: int,
    ways: tuple[Transform | None, Transform],
    outdated: list[int],
) -> None:
    """Give what the clerk set of a table to the new table in the same place on the paper.

    ``ways`` are the page's transforms before and now.
    """
    before, now = ways
    rows = db.execute(
        "SELECT id, frame, set_name, set_header_rows, set_sums FROM found_table WHERE page_id = ?",
        (page_id,),
    ).fetchall()
    frames = {as_int(r[0]): msgspec.json.decode(r[1], type=Frame) for r in rows}
    boxes = {i: frame.box for i, frame in frames.items()}
    fresh = [i for i in boxes if i not in outdated]
    for table_id, _, name, header_rows, sums in rows:
        told = db.execute("SELECT 1 FROM table_change WHERE table_id = ?", (table_id,)).fetchone()
        if as_int(table_id) not in outdated or told is None or before is None:
            continue
        around = now.to_squared(before.box_on_original(boxes[as_int(table_id)]))
        box = (*around.min(axis=0).tolist(), *around.max(axis=0).tolist())
        found = max(fresh, key=lambda i: overlap(box, boxes[i]), default=None)
        if found is None or overlap(box, boxes[found]) < _SAME_PLACE:
            continue
        set_table(db, found, "name", name)
        set_table(db, found, "header_rows", header_rows)
        if _count_lines(frames[found]) == _count_lines(frames[as_int(table_id)]):
            set_table(db, found, "sums", sums)  # told by row and column
        db.execute("UPDATE table_change SET table_id = ? WHERE table_id = ?", (found, table_id))


def _count_lines(frame: Frame) -> tuple[int, int]:
    return len(frame.y_lines), len(frame.x_lines)


def carry_over(
    db: sqlite3.Connection,
    page_id: int,
    settled: list[SettledCell],
    transform: Transform,
    outdated: list[int],
) -> Carried:
    """Give settled values and their history to the new cells in the same place on the paper.

    Of a cell that was parted, to the part in which stands what was read in it.
    """
    if not settled:
        return Carried()
    db.execute("DELETE FROM stray WHERE page_id = ?", (page_id,))
    rows = db.execute(
        "SELECT c.id, c.place, c.evidence, c.table_id FROM cell c"
        " JOIN found_table t ON t.id = c.table_id WHERE t.page_id = ?",
        (page_id,),
    ).fetchall()
    fresh = [row[:3] for row in rows if as_int(row[3]) not in outdated]
    free = {as_int(i): msgspec.json.decode(place, type=Cell).box for i, place, _ in fresh}
    read = {as_int(i): msgspec.json.decode(evidence, type=_Read).text for i, _, evidence in fresh}
    kept, strays = 0, []
    for old, places in _find_places(settled, transform, free, read):
        found = next((i for i in places if i in free), None)
        if found is None:
            if old.settled is not None:
                strays.append(old.settled)
                db.execute(
                    "INSERT INTO stray (at, page_id, corners, settled, by_hand, as_printed)"
                    " VALUES (?, ?, ?, ?, ?, ?)",
                    (
                        *(stamp(), page_id, msgspec.json.encode(old.corners.tolist()).decode()),
                        *(old.settled, old.by_hand, old.as_printed),
                    ),
                )
            continue
        del free[found]
        kept += old.settled is not None
        set_cell(db, found, (old.settled, old.by_hand, old.as_printed))
        if old.id is not None:
            db.execute("UPDATE change SET cell_id = ? WHERE cell_id = ?", (found, old.id))
    return Carried(kept, tuple(strays))


def _find_places(
    settled: list[SettledCell],
    transform: Transform,
    boxes: Mapping[int, Box],
    read: Mapping[int, str],
) -> list[tuple[SettledCell, list[int]]]:
    """Return where each settled cell may be now, by its place and what was read in it.

    Those that are found with the same reading come first: a blank part of a cell that is whole
    again must not take the place of the part that was written in.
    """
    found = []
    for old in settled:
        around = transform.to_squared(old.corners)
        box = (*around.min(axis=0).tolist(), *around.max(axis=0).tolist())
        shares = {i: overlap(box, other) for i, other in boxes.items()}
        near = sorted((i for i in shares if shares[i] >= _PART_OF_IT), key=lambda i: -shares[i])
        same = [i for i in near if read[i] == old.read]
        like = [
            i
            for i in near
            if shares[i] >= _SURELY_IT
            or (shares[i] >= _SAME_PLACE and (old.read is None or bool(read[i]) == bool(old.read)))
        ]
        found.append((old, [*same, *like], bool(same)))
    return [(old, places) for old, places, _ in sorted(found, key=lambda f: not f[2])]
