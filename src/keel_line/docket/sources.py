"""Stores a source's bytes in a docket in pieces, and reads them for workers."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

from keel_line._shared.pulse import pulse
from keel_line.docket.opening import connect, connect_for_reading, say_trouble
from keel_line.docket.records import id_of, stamp
from keel_line.errors import DocketError

PIECE = 1 << 20
"""Bytes that are written at once: whoever waits to write, waits no longer than for these."""


def copy_source(docket: Path, name: str, data: bytes, sha256: str, pages: int) -> bool:
    """Copy a source into a docket's file piece by piece, and queue its pages.

    Returns whether it is new; the same bytes are taken only once. A copy that is cut short is not
    seen, and goes when the docket is opened next.

    Raises
    ------
    DocketError
        When it cannot be written.
    """
    try:
        with closing(connect(docket)) as db:
            if has_source(db, sha256):
                return False
            source = id_of(
                db.execute(
                    "INSERT INTO source (name, sha256, data, pages, added, complete)"
                    " VALUES (?, ?, x'', ?, ?, 0)",
                    (name, sha256, pages, stamp()),
                )
            )
            try:
                for number, at in enumerate(range(0, len(data), PIECE)):
                    db.execute(
                        "INSERT INTO source_piece (source_id, number, data) VALUES (?, ?, ?)",
                        (source, number, data[at : at + PIECE]),
                    )
                    pulse()
                db.execute("BEGIN IMMEDIATE")
                insert_pages(db, source, pages)
                db.execute("UPDATE source SET complete = 1 WHERE id = ?", (source,))
                db.execute("DELETE FROM source WHERE name = ? AND trouble != ''", (name,))
                db.execute("COMMIT")
            except sqlite3.Error:
                if db.in_transaction:
                    db.execute("ROLLBACK")
                db.execute("DELETE FROM source_piece WHERE source_id = ?", (source,))
                db.execute("DELETE FROM source WHERE id = ?", (source,))
                raise
    except sqlite3.Error as error:
        raise DocketError(say_trouble(error, docket.name, docket.parent)) from error
    return True


def insert_pages(db: sqlite3.Connection, source: int, pages: int) -> list[int]:
    """Insert a source's pages as waiting; return their ids."""
    return [
        id_of(db.execute("INSERT INTO page (source_id, number) VALUES (?, ?)", (source, number)))
        for number in range(1, pages + 1)
    ]


def has_source(db: sqlite3.Connection, sha256: str) -> bool:
    """Return whether a source with these bytes is in a docket."""
    found = db.execute("SELECT 1 FROM source WHERE sha256 = ? AND complete LIMIT 1", (sha256,))
    return found.fetchone() is not None


def read_source_bytes(docket: Path, source_id: int) -> bytes:
    """Return a source's bytes from a docket's file.

    Raises
    ------
    DocketError
        When it cannot be read.
    """
    try:
        with closing(connect_for_reading(docket)) as db:
            return join_source(db, source_id)
    except sqlite3.Error as error:
        raise DocketError(say_trouble(error, docket.name, docket.parent)) from error


def join_source(db: sqlite3.Connection, source_id: int) -> bytes:
    """Return a source's bytes, stored whole or in pieces."""
    row = db.execute("SELECT data FROM source WHERE id = ?", (source_id,)).fetchone()
    if row is None:
        return b""
    pieces = db.execute(
        "SELECT data FROM source_piece WHERE source_id = ? ORDER BY number", (source_id,)
    )
    return bytes(row[0]) or b"".join(piece for (piece,) in pieces)
