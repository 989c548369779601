"""Undo and redo: restores the values before or after a recorded change."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence

import msgspec

from keel_line.docket.records import as_int, id_of
from keel_line.model.docket import Step
from keel_line.model.page import REMOVED, SquareChoice


def step_cells(db: sqlite3.Connection, batch: int, states: tuple[str, str], side: str) -> Step:
    """Apply one side of a change of cells, before or after."""
    what = f"cell_id, {side}, {side}_by_hand, {side}_as_printed"
    rows = _take_step(db, "change", what, (batch, states))
    for cell_id, *value in rows:
        set_cell(db, as_int(cell_id), value)
    return Step(cell_ids=tuple(as_int(row[0]) for row in rows))


def step_tables(db: sqlite3.Connection, batch: int, states: tuple[str, str], side: str) -> Step:
    """Apply one side of a change of a table, before or after."""
    rows = _take_step(db, "table_change", f"table_id, what, {side}", (batch, states))
    for table_id, what, value in rows:
        set_table(db, as_int(table_id), str(what), value)
    return Step(table_ids=tuple(as_int(row[0]) for row in rows))


def step_pages(db: sqlite3.Connection, batch: int, states: tuple[str, str], side: str) -> Step:
    """Apply one side of a change of pages, before or after."""
    rows = _take_step(db, "page_change", f"page_id, what, {side}", (batch, states))
    for page_id, what, value in rows:
        set_page(db, as_int(page_id), str(what), str(value))
    ruled = any(what == "drawn" for _, what, _ in rows)
    pages = tuple(as_int(row[0]) for row in rows)
    return Step(page_ids=pages, station="rule" if ruled else "square")


def _take_step(
    db: sqlite3.Connection, table: str, columns: str, step: tuple[int, tuple[str, str]]
) -> list[tuple[object, ...]]:
    """Return columns of a batch's changes in order, and set their new state.

    ``step`` is the batch, and its state before and now.
    """
    batch, (before, now) = step
    rows = db.execute(
        f"SELECT {columns} FROM {table} WHERE state = ? AND batch = ? ORDER BY id",  # noqa: S608 - our own names
        (before, batch),
    ).fetchall()
    db.execute(
        f"UPDATE {table} SET state = ? WHERE state = ? AND batch = ?",  # noqa: S608 - our own names
        (now, before, batch),
    )
    return rows


def set_table(db: sqlite3.Connection, table_id: int, what: str, value: object) -> None:
    """Set a table's "name", "header_rows", "passed" or "sums"; None takes it as found.

    An id below 0 is a stray's: a table whose place has none now.
    """
    place = "found_table" if table_id > 0 else "stray_table"
    db.execute(
        f"UPDATE {place} SET set_{what} = ? WHERE id = ?",  # noqa: S608 - our own names
        (value, abs(table_id)),
    )


def set_cell(db: sqlite3.Connection, cell_id: int, value: Sequence[object]) -> None:
    """Set what a cell is settled with: text (None for not settled), by hand, as printed.

    An id below 0 is a stray's: a cell whose place has none now.
    """
    place = "cell" if cell_id > 0 else "stray"
    db.execute(
        f"UPDATE {place} SET settled = ?, by_hand = ?, as_printed = ? WHERE id = ?",  # noqa: S608 - our own names
        (*value, abs(cell_id)),
    )


def insert_hidden_page(db: sqlite3.Connection, source: object, number: object, part: int) -> int:
    """Insert a hidden page, to be shown once it is given its part of a picture."""
    nowhere = msgspec.json.encode(SquareChoice(part=REMOVED)).decode()
    return id_of(
        db.execute(
            "INSERT INTO page (source_id, number, part, hidden, choice) VALUES (?, ?, ?, 1, ?)",
            (source, number, part, nowhere),
        )
    )


def set_page(db: sqlite3.Connection, page_id: int, what: str, value: str) -> None:
    """Set a page's "choice" or its "drawn" tables, and queue it."""
    passed = ", passed = 0" if what == "choice" else ""
    db.execute(
        f"UPDATE page SET {what} = ?, progress = 'waiting'{passed} WHERE id = ?",  # noqa: S608 - our own names
        (value, page_id),
    )
    if what == "choice":
        nowhere = msgspec.json.decode(value, type=SquareChoice).part == REMOVED
        db.execute("UPDATE page SET hidden = ? WHERE id = ?", (int(nowhere), page_id))


def drop_undone(db: sqlite3.Connection) -> None:
    """Drop undone changes: after another change they cannot be redone."""
    for table in ("change", "page_change", "table_change"):
        db.execute(f"UPDATE {table} SET state = 'dropped' WHERE state = 'undone'")  # noqa: S608 - our own names


def next_change(db: sqlite3.Connection) -> int:
    """Return the number of the next change; one count for cells and pages."""
    (last,) = db.execute(
        "SELECT max((SELECT coalesce(max(id), 0) FROM change),"
        " (SELECT coalesce(max(id), 0) FROM page_change),"
        " (SELECT coalesce(max(id), 0) FROM table_change))"
    ).fetchone()
    return as_int(last) + 1
