"""Stores what was found on a page. What lies in the same place on the paper stays the same.

When a page is read again, its new tables and cells take over the numbers of the earlier ones in
their place, and with them all that the clerk did. What finds no place is kept, with its history,
until its place exists again.
"""

from __future__ import annotations

import hashlib
import sqlite3
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, TypeAlias

import msgspec
import numpy as np
from numpy.typing import NDArray

from keel_line.docket.records import (
    EncodedTable,
    Frame,
    PageFinding,
    as_int,
    id_of,
    make_page_state,
    read_evidence,
)
from keel_line.model.docket import Carried
from keel_line.model.geometry import Box, Transform, overlaps
from keel_line.model.grid import Cell

Floats = NDArray[np.float64]
_SAME_PLACE = 0.35
_PART_OF_IT = 0.2  # where the ink went, of a cell that was parted
_SURELY_IT = 0.7  # whatever is read in it now
_NOWHERE: Box = (0.0, 0.0, 0.0, 0.0)
Side: TypeAlias = Literal["before", "after"]
PAGE_QUERY = (
    "SELECT p.id, p.source_id, s.name, p.number, p.progress, p.trouble, p.kind,"
    " p.width_px, p.height_px, p.resolution, p.squared_width_px, p.squared_height_px,"
    " p.dpi, p.transform, p.angle_deg, p.unsure, p.turns, p.corners, p.verdict, p.choice,"
    " p.passed, p.straight_px, p.note, p.drawn, p.passed_over, p.parted_at, p.part,"
    " (SELECT count(*) FROM found_table t WHERE t.page_id = p.id AND t.lost_at IS NULL)"
    " FROM page p JOIN source s ON s.id = p.source_id"
)
"""Selects pages as :func:`keel_line.docket.records.make_page_state` takes them."""


@dataclass(frozen=True, eq=False)
class _Earlier:
    """Tables or cells that a page had before.

    Attributes
    ----------
    ids
        Their numbers, shape (n,).
    corners
        Their corners on the page as it came, shape (n, 4, 2).
    touched
        Whether the clerk did something to each, shape (n,).
    lost
        Whether each had no place already, shape (n,).
    """

    ids: list[int]
    corners: Floats
    touched: list[bool]
    lost: list[bool]


@dataclass(frozen=True, eq=False)
class _EarlierCells(_Earlier):
    """Cells that a page had before, with the settled text and what was read in the touched ones."""

    read: list[str | None]
    settled: list[str | None]


@dataclass(frozen=True)
class _Kept:
    """A finding as it was kept, with the numbers of its tables and of the cells of each."""

    finding: PageFinding
    tables: tuple[int, ...]
    cells: tuple[tuple[int, ...], ...]


def replace_finding(
    db: sqlite3.Connection, page_id: int, finding: PageFinding, kept: _Kept | None = None
) -> Carried:
    """Store a page's finding in place of an earlier one.

    Where it was ``kept``, its tables and cells are those that they were; else those in their place.
    """
    transform = _transform_of(db, page_id)
    tables = _find_tables(db, page_id, transform)
    cells = _find_cells(db, page_id, transform)
    _update_page(db, page_id, finding)
    now = finding.state.transform
    known_tables = None if kept is None else kept.tables
    known_cells = None if kept is None else [i for own in kept.cells for i in own]
    numbers = _place_tables(db, page_id, finding.tables, tables, now, known_tables)
    owned = list(zip(numbers, finding.tables, strict=True))
    carried = _place_cells(db, page_id, owned, cells, now, known_cells)
    gone = [
        (i,)
        for i, touched in zip(tables.ids, tables.touched, strict=True)
        if not touched and i not in numbers
    ]
    db.executemany("DELETE FROM found_table WHERE id = ?", gone)
    return carried


def _update_page(db: sqlite3.Connection, page_id: int, finding: PageFinding) -> None:
    state = finding.state
    db.execute(
        "UPDATE page SET progress = 'done', trouble = '', kind = ?, width_px = ?,"
        " height_px = ?, resolution = ?, squared_width_px = ?, squared_height_px = ?,"
        " dpi = ?, transform = ?, angle_deg = ?, unsure = ?, turns = ?, corners = ?,"
        " verdict = ?, straight_px = ?, note = ?, passed_over = ?, parted_at = ?"
        " WHERE id = ?",
        (
            state.kind,
            *state.size_px,
            _encode(state.resolution),
            *state.squared_size_px,
            state.dpi,
            _encode(state.transform),
            state.angle_deg,
            state.unsure,
            state.turns,
            _encode(state.corners),
            _encode(state.verdict),
            state.straight_px,
            state.note,
            _encode(state.rejected_areas),
            state.parted_at,
            page_id,
        ),
    )
    db.execute(
        "INSERT OR REPLACE INTO picture (page_id, squared, small) VALUES (?, ?, ?)",
        (page_id, finding.squared_picture, finding.small_picture),
    )


def _encode(value: object) -> str:
    return msgspec.json.encode(value).decode()


def _transform_of(db: sqlite3.Connection, page_id: int) -> Transform | None:
    """Return a page's last transform; None before it was squared."""
    (encoded,) = db.execute("SELECT transform FROM page WHERE id = ?", (page_id,)).fetchone()
    return msgspec.json.decode(encoded, type=Transform) if encoded else None


# --- tables ---------------------------------------------------------------------------------------


def _find_tables(db: sqlite3.Connection, page_id: int, transform: Transform | None) -> _Earlier:
    rows = db.execute(
        "SELECT id, frame, lost_at, EXISTS (SELECT 1 FROM operation o WHERE o.subject = t.id"
        " AND o.kind IN ('name', 'header_rows', 'passed', 'sums'))"
        " FROM found_table t WHERE page_id = ?",
        (page_id,),
    ).fetchall()
    places = [(_box_of(frame, Frame) if lost is None else None, lost) for _, frame, lost, _ in rows]
    return _Earlier(
        [as_int(row[0]) for row in rows],
        _corners_of(places, transform),
        [bool(row[3]) for row in rows],
        [row[2] is not None for row in rows],
    )


def _place_tables(
    db: sqlite3.Connection,
    page_id: int,
    found: Sequence[EncodedTable],
    before: _Earlier,
    now: Transform,
    known: Sequence[int] | None,
) -> list[int]:
    """Store tables; return their numbers, which may be ``known``.

    Those of the clerk that have no place are lost.
    """
    if known is None:
        boxes = [_box_of(t.frame, Frame) or _NOWHERE for t in found]
        shares = overlaps(_boxes_around(before.corners, now), boxes)
        taken = _pair(shares, before.touched)
    else:
        taken = _find_known(known, before)
    numbers = []
    for position, table in enumerate(found):
        values = (
            *(page_id, position, table.caption, table.frame.decode()),
            *(table.header_rows, table.caption, table.notes),
        )
        if position in taken:
            number = before.ids[taken[position]]
            db.execute(
                "UPDATE found_table SET page_id = ?, position = ?, name = ?, frame = ?,"
                " header_rows = ?, caption = ?, notes = ?, set_passed = NULL, lost_at = NULL"
                " WHERE id = ?",
                (*values, number),
            )
        else:
            number = id_of(
                db.execute(
                    "INSERT INTO found_table"
                    " (page_id, position, name, frame, header_rows, caption, notes, id)"
                    " VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
                    (*values, None if known is None else known[position]),
                )
            )
        numbers.append(number)
    for k, number in enumerate(before.ids):
        if before.touched[k] and not before.lost[k] and number not in numbers:
            db.execute(
                "UPDATE found_table SET lost_at = ? WHERE id = ?",
                (_encode(before.corners[k].tolist()), number),
            )
    return numbers


# --- cells ----------------------------------------------------------------------------------------


def _find_cells(db: sqlite3.Connection, page_id: int, transform: Transform | None) -> _EarlierCells:
    rows = db.execute(
        "SELECT c.id, CAST(c.place AS BLOB), CAST(c.evidence AS BLOB), c.settled, c.lost_at,"
        " c.settled IS NOT NULL OR EXISTS"
        " (SELECT 1 FROM operation o WHERE o.kind = 'settle' AND o.subject = c.id)"
        " FROM cell c WHERE c.table_id IN (SELECT id FROM found_table WHERE page_id = ?1)"
        " OR c.page_id = ?1",
        (page_id,),
    ).fetchall()
    places = [
        (_box_of(place, Cell) if lost is None else None, lost) for _, place, _, _, lost, _ in rows
    ]
    touched = [bool(row[5]) for row in rows]
    read = [
        read_evidence(row[2]).text if is_touched and row[2] else None
        for row, is_touched in zip(rows, touched, strict=True)
    ]
    return _EarlierCells(
        [as_int(row[0]) for row in rows],
        _corners_of(places, transform),
        touched,
        [row[4] is not None for row in rows],
        read,
        [row[3] for row in rows],
    )


def _place_cells(
    db: sqlite3.Connection,
    page_id: int,
    tables: Sequence[tuple[int, EncodedTable]],
    before: _EarlierCells,
    now: Transform,
    known: Sequence[int] | None,
) -> Carried:
    """Store the cells of tables, whose numbers may be ``known``.

    Those of the clerk that have no place are lost.
    """
    fresh = [
        (number, position, place, evidence)
        for number, table in tables
        for position, (place, evidence) in enumerate(zip(table.places, table.evidence, strict=True))
    ]
    taken: dict[int, int] = {}
    if known is not None:
        taken = _find_known(known, before)
    elif before.ids:
        boxes = [_box_of(place, Cell) or _NOWHERE for _, _, place, _ in fresh]
        taken = _pair_cells(before, now, boxes, [evidence for *_, evidence in fresh])
    db.executemany(
        "UPDATE cell SET table_id = ?, position = ?, place = ?, evidence = ?, page_id = NULL,"
        " lost_at = NULL WHERE id = ?",
        (
            (number, position, place.decode(), evidence.decode(), before.ids[taken[k]])
            for k, (number, position, place, evidence) in enumerate(fresh)
            if k in taken
        ),
    )
    db.executemany(
        "INSERT INTO cell (id, table_id, position, place, evidence) VALUES (?, ?, ?, ?, ?)",
        (
            (known and known[k], number, position, place.decode(), evidence.decode())
            for k, (number, position, place, evidence) in enumerate(fresh)
            if k not in taken
        ),
    )
    left = sorted(set(range(len(before.ids))) - set(taken.values()))
    db.executemany(
        "DELETE FROM cell WHERE id = ?", [(before.ids[k],) for k in left if not before.touched[k]]
    )
    db.executemany(
        "UPDATE cell SET table_id = NULL, page_id = ?, lost_at = ? WHERE id = ?",
        [
            (page_id, _encode(before.corners[k].tolist()), before.ids[k])
            for k in left
            if before.touched[k] and not before.lost[k]
        ],
    )
    strays = tuple(text for k in left if (text := before.settled[k]) is not None)
    kept = sum(before.settled[k] is not None for k in taken.values())
    return Carried(kept, strays)


def _find_known(known: Sequence[int], before: _Earlier) -> dict[int, int]:
    """Return, by new one, the earlier one of the same number."""
    at = {number: k for k, number in enumerate(before.ids)}
    return {i: at[number] for i, number in enumerate(known) if number in at}


def _pair_cells(
    before: _EarlierCells, now: Transform, boxes: Sequence[Box], evidence: Sequence[bytes]
) -> dict[int, int]:
    """Return, by new cell, which earlier one lies in its place."""
    old, new = _boxes_around(before.corners, now), np.array(boxes, float).reshape(-1, 4)
    taken = _pair_same(old, new, before)
    left = np.ones(len(old), bool)
    left[list(taken.values())] = False
    free = np.ones(len(new), bool)
    free[list(taken)] = False
    if not (left.any() and free.any()):
        return taken
    shares = np.zeros((len(old), len(new)))
    shares[np.ix_(left, free)] = overlaps(old[left], new[free])
    touched = np.array(before.touched, bool)
    if (touched & left).any():
        read = [read_evidence(e).text for e in evidence]
        taken |= _pair_touched(shares, before, read)
        shares[touched] = 0.0  # they had their choice
    return _pair(shares, before.touched, taken)


def _pair_same(old: Floats, new: Floats, before: _EarlierCells) -> dict[int, int]:
    """Return, by new cell, the earlier one that lies exactly in its place.

    What the clerk touched goes first, and what still has a place.
    """
    order = sorted(range(len(old)), key=lambda k: (before.touched[k], not before.lost[k]))
    keys = np.round(old).astype(int).tolist()
    at = {tuple(keys[k]): k for k in order}
    taken: dict[int, int] = {}
    for i, key in enumerate(np.round(new).astype(int).tolist()):
        k = at.pop(tuple(key), None)
        if k is not None:
            taken[i] = k
    return taken


def _pair_touched(shares: Floats, before: _EarlierCells, read: Sequence[str]) -> dict[int, int]:
    """Return, by new cell, which earlier one that the clerk touched lies in its place.

    Of a cell that was parted, the part in which stands what was read in it. Those that are found
    with the same reading come first: a blank part of a cell that is whole again must not take the
    place of the part that was written in.
    """
    found = []
    for k, is_touched in enumerate(before.touched):
        if not is_touched:
            continue
        own, text = shares[k], before.read[k]
        near = [int(i) for i in np.argsort(-own, kind="stable") if own[i] >= _PART_OF_IT]
        same = [i for i in near if read[i] == text]
        like = [
            i
            for i in near
            if own[i] >= _SURELY_IT
            or (own[i] >= _SAME_PLACE and (text is None or bool(read[i]) == bool(text)))
        ]
        found.append((k, [*same, *like], bool(same)))
    taken: dict[int, int] = {}
    for k, places, _ in sorted(found, key=lambda f: not f[2]):
        place = next((i for i in places if i not in taken), None)
        if place is not None:
            taken[place] = k
    return taken


def _pair(
    shares: Floats, first: Sequence[bool], taken: dict[int, int] | None = None
) -> dict[int, int]:
    """Return, by new one, the earlier one that shares most of its place; ``taken`` are known.

    Those in ``first`` choose before the others.
    """
    taken = dict(taken or {})
    used = set(taken.values())
    rows, cols = np.nonzero(shares >= _SAME_PLACE)
    order = np.lexsort((-shares[rows, cols], ~np.array(first, bool)[rows]))
    for k, i in zip(rows[order].tolist(), cols[order].tolist(), strict=True):
        if k not in used and i not in taken:
            taken[i] = k
            used.add(k)
    return taken


def _box_of(encoded: bytes | str, kind: type[Cell] | type[Frame]) -> Box | None:
    """Return an encoded cell's or table's box; None where its record is damaged."""
    try:
        return msgspec.json.decode(encoded, type=kind).box
    except (msgspec.DecodeError, UnicodeDecodeError):
        return None


def _corners_of(
    places: Sequence[tuple[Box | None, str | None]], transform: Transform | None
) -> Floats:
    """Return corners on the page as it came, shape (n, 4, 2), of boxes on the squared page.

    Or, where something has lost its place, those that it had; zeros where nothing is known.
    """
    corners = np.zeros((len(places), 4, 2))
    living = [k for k, (box, _) in enumerate(places) if box is not None]
    if living and transform is not None:
        x0, y0, x1, y1 = np.array([places[k][0] for k in living], float).T
        points = np.stack([x0, y0, x1, y0, x1, y1, x0, y1], axis=1).reshape(-1, 2)
        corners[living] = transform.to_original(points).reshape(-1, 4, 2)
    for k, (_, lost) in enumerate(places):
        if lost is not None:
            corners[k] = msgspec.json.decode(lost)
    return corners


def _boxes_around(corners: Floats, now: Transform) -> Floats:
    """Return the boxes around corners on the squared page, shape (n, 4)."""
    if not len(corners):
        return np.zeros((0, 4))
    points = now.to_squared(corners.reshape(-1, 2)).reshape(-1, 4, 2)
    return np.hstack([points.min(axis=1), points.max(axis=1)])


# --- earlier findings -----------------------------------------------------------------------------


def keep_finding(db: sqlite3.Connection, page_id: int, batch: int, side: Side) -> None:
    """Keep what is found on a page now, before or after a batch of changes.

    An undo or redo then need not read the page again. A page that waits has nothing to keep.
    """
    row = db.execute(f"{PAGE_QUERY} WHERE p.id = ? AND p.progress = 'done'", (page_id,)).fetchone()
    pictures = db.execute(
        "SELECT squared, small FROM picture WHERE page_id = ?", (page_id,)
    ).fetchone()
    if row is None or pictures is None:
        return
    tables: list[EncodedTable] = []
    numbers: list[tuple[int, ...]] = []
    frames = db.execute(
        "SELECT id, frame, header_rows, caption, notes FROM found_table"
        " WHERE page_id = ? AND lost_at IS NULL ORDER BY position",
        (page_id,),
    ).fetchall()
    for number, frame, header_rows, caption, notes in frames:
        cells = db.execute(
            "SELECT CAST(place AS BLOB), CAST(evidence AS BLOB), id FROM cell WHERE table_id = ?"
            " ORDER BY position",
            (number,),
        ).fetchall()
        if not all(_is_text(part) for cell in cells for part in cell[:2]):
            return  # damaged: reading the page again is better
        places, evidence = ([bytes(c[k]) for c in cells] for k in (0, 1))
        numbers.append(tuple(as_int(c[2]) for c in cells))
        tables.append(
            EncodedTable(
                str(frame).encode(),
                tuple(places),
                tuple(evidence),
                as_int(header_rows),
                str(caption),
                str(notes),
            )
        )
    finding = PageFinding(make_page_state(row), b"", b"", tuple(tables))
    kept = _Kept(finding, tuple(as_int(f[0]) for f in frames), tuple(numbers))
    squared = bytes(pictures[0])
    key = (page_id, hashlib.sha256(squared).digest())
    db.execute(
        "INSERT OR IGNORE INTO kept_picture (page_id, sha256, squared, small) VALUES (?, ?, ?, ?)",
        (*key, squared, pictures[1]),
    )
    db.execute(
        "INSERT OR REPLACE INTO kept_finding (page_id, batch, side, finding, picture_id)"
        " SELECT page_id, ?, ?, ?, id FROM kept_picture WHERE page_id = ? AND sha256 = ?",
        (batch, side, zlib.compress(msgspec.msgpack.encode(kept), 1), *key),
    )


def _is_text(encoded: bytes) -> bool:
    try:
        encoded.decode()
    except UnicodeDecodeError:
        return False
    return True


def restore_finding(db: sqlite3.Connection, page_id: int, batch: int, side: Side) -> None:
    """Store again what was found on a page before or after a batch, where that was kept."""
    row = db.execute(
        "SELECT f.finding, p.squared, p.small FROM kept_finding f"
        " JOIN kept_picture p ON p.id = f.picture_id"
        " WHERE f.page_id = ? AND f.batch = ? AND f.side = ?",
        (page_id, batch, side),
    ).fetchone()
    if row is not None:
        kept = msgspec.msgpack.decode(zlib.decompress(row[0]), type=_Kept)
        finding = replace(kept.finding, squared_picture=row[1], small_picture=row[2])
        replace_finding(db, page_id, finding, kept)
