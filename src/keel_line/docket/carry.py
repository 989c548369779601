"""Carries what the clerk set over to the new cells and tables when a page is read again."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass

import msgspec
import numpy as np
from numpy.typing import NDArray

from keel_line.docket.changes import set_cell, set_table
from keel_line.docket.records import Frame, as_int, id_of, read_evidence, stamp
from keel_line.model.docket import Carried
from keel_line.model.geometry import Box, Transform, overlap
from keel_line.model.grid import Cell

_SAME_PLACE = 0.35
_PART_OF_IT = 0.2  # where the ink went, of a cell that was parted
_SURELY_IT = 0.7  # whatever is read in it now


_CELLS = "c.id, CAST(c.place AS BLOB), CAST(c.evidence AS BLOB), c.settled, c.by_hand, c.as_printed"


@dataclass(frozen=True)
class SettledCell:
    """A cell that is settled, or has a history, before its page is read again.

    ``id`` is the cell's, below 0 for a stray: one that lost its cell earlier. ``corners`` (4, 2)
    are on the page as it came; what was ``read`` in it is None where that is not known any more.
    """

    id: int
    corners: NDArray[np.float64]
    read: str | None
    settled: str | None
    by_hand: int
    as_printed: int


def find_settled(db: sqlite3.Connection, page_id: int) -> list[SettledCell]:
    """Return a page's cells that are settled or have a history."""
    transform = transform_of(db, page_id)
    if transform is None:
        return []
    rows = db.execute(
        f"SELECT {_CELLS} FROM cell c JOIN found_table t ON t.id = c.table_id WHERE t.page_id = ?"  # noqa: S608 - our own columns
        " AND (c.settled IS NOT NULL OR EXISTS (SELECT 1 FROM change h WHERE h.cell_id = c.id))",
        (page_id,),
    )
    cells = [
        SettledCell(
            as_int(i),
            _corners_of(place, transform),
            read_evidence(evidence).text,
            settled,
            as_int(by_hand),
            as_int(as_printed),
        )
        for i, place, evidence, settled, by_hand, as_printed in rows.fetchall()
    ]
    rows = db.execute(
        "SELECT id, corners, read, settled, by_hand, as_printed FROM stray WHERE page_id = ?",
        (page_id,),
    )
    strays = [
        SettledCell(
            -as_int(i),
            np.array(msgspec.json.decode(corners)),
            read,
            settled,
            as_int(by_hand),
            as_int(as_printed),
        )
        for i, corners, read, settled, by_hand, as_printed in rows.fetchall()
    ]
    return cells + strays


def _corners_of(place: bytes, transform: Transform) -> NDArray[np.float64]:
    """Return a cell's corners on the page as it came; nowhere where its record is damaged."""
    try:
        return transform.box_on_original(msgspec.json.decode(place, type=Cell).box)
    except msgspec.DecodeError:
        return np.zeros((4, 2))


def transform_of(db: sqlite3.Connection, page_id: int) -> Transform | None:
    """Return a page's last transform; None before it was squared."""
    (encoded,) = db.execute("SELECT transform FROM page WHERE id = ?", (page_id,)).fetchone()
    return msgspec.json.decode(encoded, type=Transform) if encoded else None


@dataclass(frozen=True)
class _SetTable:
    """What the clerk set of a table, and its corners on the page as it came.

    ``id`` is below 0 for a stray: a table whose place has none now.
    """

    id: int
    corners: NDArray[np.float64]
    name: str | None
    header_rows: int | None
    passed: str | None
    sums: str | None


def carry_tables(
    db: sqlite3.Connection,
    page_id: int,
    ways: tuple[Transform | None, Transform],
    outdated: list[int],
) -> None:
    """Carry what the clerk set of a table over to the new table in the same place.

    Where there is none it is kept, with its history, until its place has a table again. ``ways``
    are the page's transforms before and now.
    """
    before, now = ways
    told = [] if before is None else _find_set_tables(db, page_id, before, outdated)
    if not told:
        return
    rows = db.execute("SELECT id, frame FROM found_table WHERE page_id = ?", (page_id,)).fetchall()
    boxes = {
        as_int(i): msgspec.json.decode(frame, type=Frame).box
        for i, frame in rows
        if as_int(i) not in outdated
    }
    for table in told:
        box = _box_around(now.to_squared(table.corners))
        found = max(boxes, key=lambda i: overlap(box, boxes[i]), default=None)
        if found is None or overlap(box, boxes[found]) < _SAME_PLACE:
            if table.id > 0:
                _keep_lost_table(db, page_id, table)
            continue
        for what, value in (
            ("name", table.name),
            ("header_rows", table.header_rows),
            ("sums", table.sums),
        ):
            set_table(db, found, what, value)
        _move_history(db, "table_change", "table_id", table.id, found)
        if table.id < 0:
            db.execute("DELETE FROM stray_table WHERE id = ?", (-table.id,))
        del boxes[found]


def _find_set_tables(
    db: sqlite3.Connection, page_id: int, before: Transform, outdated: list[int]
) -> list[_SetTable]:
    rows = db.execute(
        "SELECT id, frame, set_name, set_header_rows, set_passed, set_sums FROM found_table t"
        " WHERE page_id = ? AND EXISTS (SELECT 1 FROM table_change h WHERE h.table_id = t.id)",
        (page_id,),
    ).fetchall()
    own = [
        _SetTable(
            as_int(i), before.box_on_original(msgspec.json.decode(frame, type=Frame).box), *values
        )
        for i, frame, *values in rows
        if as_int(i) in outdated
    ]
    rows = db.execute(
        "SELECT id, corners, set_name, set_header_rows, set_passed, set_sums FROM stray_table"
        " WHERE page_id = ?",
        (page_id,),
    ).fetchall()
    strays = [
        _SetTable(-as_int(i), np.array(msgspec.json.decode(corners)), *values)
        for i, corners, *values in rows
    ]
    return own + strays


def _keep_lost_table(db: sqlite3.Connection, page_id: int, table: _SetTable) -> None:
    """Keep the settings and history of a table that has no place now."""
    stray = id_of(
        db.execute(
            "INSERT INTO stray_table"
            " (at, page_id, corners, set_name, set_header_rows, set_passed, set_sums)"
            " VALUES (?, ?, ?, ?, ?, ?, ?)",
            (
                *(stamp(), page_id, msgspec.json.encode(table.corners.tolist()).decode()),
                *(table.name, table.header_rows, table.passed, table.sums),
            ),
        )
    )
    _move_history(db, "table_change", "table_id", table.id, -stray)


def _move_history(db: sqlite3.Connection, table: str, column: str, old: int, new: int) -> None:
    db.execute(f"UPDATE {table} SET {column} = ? WHERE {column} = ?", (new, old))  # noqa: S608 - our own names


def _box_around(points: NDArray[np.float64]) -> Box:
    x0, y0 = points.min(axis=0).tolist()
    x1, y1 = points.max(axis=0).tolist()
    return (x0, y0, x1, y1)


def carry_over(
    db: sqlite3.Connection,
    page_id: int,
    settled: list[SettledCell],
    transform: Transform,
    outdated: list[int],
) -> Carried:
    """Carry settled values and their history over to the new cells in the same place.

    Of a cell that was parted, to the part in which stands what was read in it. Those without a
    place are kept, with their history, until their place exists again.
    """
    if not settled:
        return Carried()
    rows = db.execute(
        f"SELECT {_CELLS}, c.table_id FROM cell c JOIN found_table t ON t.id = c.table_id"  # noqa: S608 - our own columns
        " WHERE t.page_id = ?",
        (page_id,),
    ).fetchall()
    fresh = [row[:3] for row in rows if as_int(row[-1]) not in outdated]
    free = {as_int(i): msgspec.json.decode(place, type=Cell).box for i, place, _ in fresh}
    read = {as_int(i): read_evidence(evidence).text for i, _, evidence in fresh}
    kept, strays = 0, []
    for old, places in _find_places(settled, transform, free, read):
        found = next((i for i in places if i in free), None)
        if found is None:
            if old.settled is not None:
                strays.append(old.settled)
            if old.id > 0:
                _keep_stray(db, page_id, old)
            continue
        del free[found]
        kept += old.settled is not None
        set_cell(db, found, (old.settled, old.by_hand, old.as_printed))
        _move_history(db, "change", "cell_id", old.id, found)
        if old.id < 0:
            db.execute("DELETE FROM stray WHERE id = ?", (-old.id,))
    return Carried(kept, tuple(strays))


def _keep_stray(db: sqlite3.Connection, page_id: int, cell: SettledCell) -> None:
    """Keep a cell that lost its place, and its history."""
    stray = id_of(
        db.execute(
            "INSERT INTO stray (at, page_id, corners, read, settled, by_hand, as_printed)"
            " VALUES (?, ?, ?, ?, ?, ?, ?)",
            (
                *(stamp(), page_id, msgspec.json.encode(cell.corners.tolist()).decode()),
                *(cell.read, cell.settled, cell.by_hand, cell.as_printed),
            ),
        )
    )
    _move_history(db, "change", "cell_id", cell.id, -stray)


def _find_places(
    settled: list[SettledCell],
    transform: Transform,
    boxes: Mapping[int, Box],
    read: Mapping[int, str],
) -> list[tuple[SettledCell, list[int]]]:
    """Return candidate places of each settled cell, by place on the paper and by reading.

    Those that are found with the same reading come first: a blank part of a cell that is whole
    again must not take the place of the part that was written in.
    """
    found = []
    for old in settled:
        box = _box_around(transform.to_squared(old.corners))
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
