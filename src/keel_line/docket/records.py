"""Converts a docket's rows to model types and back."""

from __future__ import annotations

import sqlite3
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

import msgspec

from keel_line.model.docket import PageState
from keel_line.model.geometry import Box, Transform
from keel_line.model.grid import Cell, Grid, LineDoubt, Rule
from keel_line.model.page import Resolution
from keel_line.model.reading import Reading
from keel_line.model.table import CellState, Settled


class Frame(msgspec.Struct, frozen=True):
    """A grid without its cells, which have rows of their own."""

    box: Box
    x_lines: tuple[float, ...]
    y_lines: tuple[float, ...]
    rules: tuple[Rule, ...]
    doubts: tuple[LineDoubt, ...] = ()
    on_side: bool = False


@dataclass(frozen=True)
class EncodedTable:
    """A table encoded for the docket, in the worker, so that storing it is quick."""

    frame: bytes
    places: tuple[bytes, ...]
    evidence: tuple[bytes, ...]
    header_rows: int
    caption: str
    notes: str = ""


@dataclass(frozen=True)
class PageFinding:
    """What the stations found on a page, to be stored."""

    state: PageState
    squared_picture: bytes
    small_picture: bytes
    tables: tuple[EncodedTable, ...]


def encode_table(
    grid: Grid, readings: Sequence[Reading], header_rows: int, caption: str, notes: str = ""
) -> EncodedTable:
    """Encode a table for :meth:`Docket.store_page`."""
    encode = msgspec.json.encode
    return EncodedTable(
        encode(Frame(grid.box, grid.x_lines, grid.y_lines, grid.rules, grid.doubts, grid.on_side)),
        tuple(encode(c) for c in grid.cells),
        tuple(encode(r) for r in readings),
        header_rows,
        caption,
        notes,
    )


def name_tables(tables: list[tuple[str, str, int]]) -> list[str]:
    """Name tables that have no name of their own after their source.

    ``tables`` are (own name, source, page). A source's only table is called as the source is;
    several are numbered through, with the page where there is more than one.
    """
    many = Counter(source for _, source, _ in tables)
    pages = {source: set[int]() for source in many}
    for _, source, page in tables:
        pages[source].add(page)
    out = []
    seen: Counter[str] = Counter()
    for own, source, page in tables:
        seen[source] += 1
        stem = Path(source).stem
        numbered = f"{stem} {seen[source]}" if many[source] > 1 else stem
        out.append(own or (f"{numbered}, page {page}" if len(pages[source]) > 1 else numbered))
    return out


def stamp() -> str:
    """Return the current time as stored in rows."""
    return datetime.now(UTC).isoformat(timespec="milliseconds")


def id_of(cursor: sqlite3.Cursor) -> int:
    """Return the number of the row that was inserted."""
    return as_int(cursor.lastrowid)


def as_int(value: object) -> int:
    """Return a column's value as an int, as SQLite does not declare it."""
    return int(str(value))


def make_page_state(row: Sequence[object]) -> PageState:
    """Return a page from its row."""
    (
        page_id,
        source_id,
        source,
        number,
        progress,
        trouble,
        kind,
        width,
        height,
        resolution,
        squared_width,
        squared_height,
        dpi,
        transform,
        angle,
        unsure,
        turns,
        corners,
        verdict,
        choice,
        passed,
        straight,
        note,
        drawn,
        rejected_areas,
        parted_at,
        part,
        tables,
    ) = row
    decode = msgspec.json.decode
    return msgspec.convert(
        {
            "id": page_id,
            "source_id": source_id,
            "source_name": source,
            "number": number,
            "progress": progress,
            "trouble": trouble,
            "kind": kind,
            "size_px": (width, height),
            "resolution": decode(str(resolution)) if resolution else Resolution(300, 300),
            "squared_size_px": (squared_width, squared_height),
            "dpi": dpi,
            "transform": decode(str(transform)) if transform else Transform(),
            "angle_deg": angle,
            "unsure": unsure,
            "tables": tables,
            "turns": turns,
            "corners": decode(str(corners)),
            "verdict": decode(str(verdict)),
            "choice": decode(str(choice)),
            "passed": bool(passed),
            "straight_px": straight,
            "note": note,
            "drawn": decode(str(drawn)),
            "rejected_areas": decode(str(rejected_areas)),
            "parted_at": parted_at,
            "extracted": as_int(part) >= 2,
        },
        PageState,
    )


CELL_COLUMNS = "id, CAST(place AS BLOB), CAST(evidence AS BLOB), settled, by_hand, as_printed"
"""Columns of a cell, as :func:`make_cell_state` takes them; bytes stay bytes where damaged."""


@dataclass(frozen=True)
class CellText:
    """What a cell says, and where: its row and column count from 0."""

    cell: int
    table: int
    page: int
    row: int
    col: int
    heading: bool
    text: str


class _Text(msgspec.Struct):
    text: str


class _Place(msgspec.Struct):
    row: int
    col: int


_DECODE_CELL = msgspec.json.Decoder(Cell).decode
_DECODE_READING = msgspec.json.Decoder(Reading).decode

DAMAGED = Reading("", 0.0, reasons=("This cell's record in the docket is damaged: type its value",))


def read_text(evidence: bytes, settled: str | None) -> str:
    """Return what a cell says: what it was settled as, else its reading.

    Raises
    ------
    msgspec.DecodeError
        When its record is damaged.
    """
    return msgspec.json.decode(evidence, type=_Text).text if settled is None else settled


def read_place(place: bytes) -> _Place:
    """Return a cell's row and column.

    Raises
    ------
    msgspec.DecodeError
        When its record is damaged.
    """
    return msgspec.json.decode(place, type=_Place)


def make_cell_state(record: Sequence[object], least_confidence: float) -> CellState:
    """Return a cell from its row, flagged below the given confidence.

    Raises
    ------
    msgspec.DecodeError
        When its place is damaged.
    """
    cell_id, place, evidence, settled, by_hand, as_printed = record
    reading = read_evidence(evidence)
    return CellState(
        as_int(cell_id),
        _DECODE_CELL(_bytes_of(place)),
        reading,
        None if settled is None else Settled(str(settled), bool(by_hand), bool(as_printed)),
        reading.confidence < least_confidence,
    )


def make_cell_states(
    records: Sequence[Sequence[object]], frame: Frame
) -> tuple[list[CellState], list[Cell]]:
    """Return a table's cells in reading order, and the damaged ones among them.

    A cell whose place is damaged stands in a place of the grid that no other cell has.
    """
    read: list[CellState] = []
    damaged: list[Cell] = []
    homeless: list[Sequence[object]] = []
    for record in records:
        try:
            read.append(make_cell_state(record, 0.0))
        except (msgspec.DecodeError, UnicodeDecodeError):
            homeless.append(record)
    damaged = [state.cell for state in read if state.reading is DAMAGED]
    if not homeless:
        return read, damaged
    free = _free_places(frame, [state.cell for state in read])
    for record, cell in zip(homeless, free, strict=False):
        place = msgspec.json.encode(cell)
        read.append(make_cell_state((record[0], place, b"", *record[3:]), 0.0))
        damaged.append(cell)
    return sorted(read, key=lambda s: (s.cell.row, s.cell.col)), damaged


def _free_places(frame: Frame, cells: Sequence[Cell]) -> list[Cell]:
    """Return the places of a grid that no cell covers, in reading order."""
    taken = {
        (r, c)
        for cell in cells
        for r in range(cell.row, cell.row + cell.row_span)
        for c in range(cell.col, cell.col + cell.col_span)
    }
    xs, ys = frame.x_lines, frame.y_lines
    return [
        Cell(r, c, 1, 1, (xs[c], ys[r], xs[c + 1], ys[r + 1]))
        for r in range(len(ys) - 1)
        for c in range(len(xs) - 1)
        if (r, c) not in taken
    ]


def read_evidence(evidence: object) -> Reading:
    """Return a cell's reading, or one that says its record is damaged.

    What its confidence was made from stays in the docket: it would fill the memory.
    """
    try:
        return replace(_DECODE_READING(_bytes_of(evidence)), features=())
    except (msgspec.DecodeError, UnicodeDecodeError):
        return DAMAGED


def _bytes_of(value: object) -> bytes:
    return value if isinstance(value, bytes) else str(value).encode()
