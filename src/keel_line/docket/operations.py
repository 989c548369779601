"""The record of all that was done: typed operations in one order, that undo and redo move along.

Nothing in it is ever deleted. An undo or a redo is entered as well.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable, Sequence
from typing import Literal

import msgspec

from keel_line.docket.findings import Side, keep_finding, restore_finding
from keel_line.docket.records import as_int, id_of, read_evidence, stamp
from keel_line.model.docket import ChangeRecord, Kind, Step
from keel_line.model.page import REMOVED, SquareChoice
from keel_line.model.reason import Reason
from keel_line.model.table import Settled

OF_PAGE: tuple[Kind, ...] = ("choice", "drawn")
OF_TABLE: tuple[Kind, ...] = ("name", "header_rows", "passed", "sums", "steps")
_WITHOUT_TEXT: tuple[Kind, ...] = (*OF_PAGE, "passed", "sums", "steps")
_STEPS = "('undo', 'redo')"


def operate(
    db: sqlite3.Connection,
    kind: Kind,
    changes: Iterable[tuple[int, str | None]],
    who: str,
    reason: Reason,
    *,
    batch: int | None = None,
) -> int:
    """Do something to cells, tables or pages, and record it; return the batch.

    ``changes`` are the number of each and its new value, encoded. All of one batch are undone
    together. What was undone before can no longer be redone, but stays in the record.
    """
    db.execute("UPDATE operation SET state = 'dropped' WHERE state = 'undone'")
    for subject, after in changes:
        before = _value_of(db, kind, subject)
        batch = _record(db, batch, kind, subject, (before, after), who, reason)
        if kind in OF_PAGE:
            keep_finding(db, subject, batch, "before")
        _set_value(db, kind, subject, after)
    return batch or 0


def _record(
    db: sqlite3.Connection,
    batch: int | None,
    kind: str,
    subject: int,
    values: tuple[str | None, str | None],
    who: str,
    reason: Reason,
) -> int:
    """Enter an operation in a batch, or as the first of its own; return the batch."""
    number = id_of(
        db.execute(
            "INSERT INTO operation (batch, at, who, kind, subject, before, after, reason, detail)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (batch or 0, stamp(), who, kind, subject, *values, reason.code, reason.detail),
        )
    )
    if batch is None:
        db.execute("UPDATE operation SET batch = id WHERE id = ?", (number,))
    return batch or number


def step(db: sqlite3.Connection, way: Literal["undo", "redo"], who: str) -> Step | None:
    """Undo the last batch that was done, or redo the one undone last; None if there is none."""
    state, becomes, order = (
        ("done", "undone", "DESC") if way == "undo" else ("undone", "done", "ASC")
    )
    row = db.execute(
        f"SELECT batch FROM operation WHERE state = ? AND kind NOT IN {_STEPS}"  # noqa: S608 - our own words
        f" ORDER BY id {order} LIMIT 1",
        (state,),
    ).fetchone()
    if row is None:
        return None
    side: Side = "before" if way == "undo" else "after"
    rows = db.execute(
        f"SELECT kind, subject, {side} FROM operation WHERE batch = ? AND state = ?"  # noqa: S608 - our own words
        f" AND kind NOT IN {_STEPS} ORDER BY id {order}",
        (row[0], state),
    ).fetchall()
    pages = {as_int(subject) for kind, subject, _ in rows if kind in OF_PAGE}
    for page_id in pages:
        keep_finding(db, page_id, row[0], "after" if way == "undo" else "before")
    for kind, subject, value in rows:
        _set_value(db, kind, subject, value)
    db.execute(
        "UPDATE operation SET state = ? WHERE batch = ? AND state = ?", (becomes, row[0], state)
    )
    reason = Reason("undone" if way == "undo" else "redone")
    _record(db, None, way, row[0], (None, None), who, reason)
    for page_id in pages:
        restore_finding(db, page_id, row[0], side)
    return _tell_step(rows, order)


def _tell_step(rows: list[tuple[str, int, str | None]], order: str) -> Step:
    if order == "DESC":
        rows = rows[::-1]

    def subjects(kinds: tuple[str, ...]) -> tuple[int, ...]:
        return tuple(dict.fromkeys(as_int(s) for kind, s, _ in rows if kind in kinds))

    ruled = any(kind == "drawn" for kind, _, _ in rows)
    return Step(
        subjects(("settle",)),
        subjects(OF_TABLE),
        subjects(OF_PAGE),
        "rule" if ruled else "square",
    )


def _value_of(db: sqlite3.Connection, kind: Kind, subject: int) -> str | None:
    """Return the present value of a cell, table or page, encoded."""
    if kind == "settle":
        text, by_hand, as_printed = db.execute(
            "SELECT settled, by_hand, as_printed FROM cell WHERE id = ?", (subject,)
        ).fetchone()
        if text is None:
            return None
        return encode_settled(Settled(str(text), bool(by_hand), bool(as_printed)))
    column, table = (kind, "page") if kind in OF_PAGE else (f"set_{kind}", "found_table")
    (value,) = db.execute(f"SELECT {column} FROM {table} WHERE id = ?", (subject,)).fetchone()  # noqa: S608 - our own names
    return None if value is None else str(value)


def _set_value(db: sqlite3.Connection, kind: Kind, subject: int, value: str | None) -> None:
    """Set the value of a cell, table or page; None resets it to what was found."""
    if kind == "settle":
        settled = None if value is None else msgspec.json.decode(value, type=Settled)
        db.execute(
            "UPDATE cell SET settled = ?, by_hand = ?, as_printed = ? WHERE id = ?",
            (
                (None, 0, 0, subject)
                if settled is None
                else (settled.text, int(settled.by_hand), int(settled.as_printed), subject)
            ),
        )
    elif kind in OF_TABLE:
        db.execute(f"UPDATE found_table SET set_{kind} = ? WHERE id = ?", (value, subject))  # noqa: S608 - our own names
    else:
        _set_page(db, kind, subject, str(value))


def _set_page(db: sqlite3.Connection, kind: Kind, page_id: int, value: str) -> None:
    """Set a page's "choice" or its "drawn" tables, and queue it."""
    passed = ", passed = 0" if kind == "choice" else ""
    db.execute(
        f"UPDATE page SET {kind} = ?, progress = 'waiting'{passed} WHERE id = ?",  # noqa: S608 - our own names
        (value, page_id),
    )
    if kind == "choice":
        nowhere = msgspec.json.decode(value, type=SquareChoice).part == REMOVED
        db.execute("UPDATE page SET hidden = ? WHERE id = ?", (int(nowhere), page_id))


def encode_settled(settled: Settled) -> str:
    """Return how a cell is settled, as the record has it."""
    return msgspec.json.encode(settled).decode()


def make_record(row: Sequence[object]) -> ChangeRecord:
    """Return an entry of the record from its row, with a cell's evidence, source and page."""
    number, at, who, kind, subject, evidence, before, after, reason, detail, state, *page = row
    did: Kind = msgspec.convert(kind, Kind)
    return ChangeRecord(
        as_int(number),
        str(at),
        str(who),
        did,
        as_int(subject),
        read_evidence(evidence).text if evidence else "",
        _decode_text(did, before),
        _decode_text(did, after),
        Reason(str(reason), str(detail)),
        state != "done",
        None if page[0] is None else (str(page[0]), as_int(page[1])),
    )


def _decode_text(kind: Kind, value: object) -> str | None:
    """Return the text of a recorded value; None where there was none, or where it is no text."""
    if value is None or kind in _WITHOUT_TEXT:
        return None
    if kind == "settle":
        return msgspec.json.decode(str(value), type=Settled).text
    return str(value)


def insert_hidden_page(db: sqlite3.Connection, source: object, number: object, part: int) -> int:
    """Insert a page that stays hidden until it gets its part of a picture."""
    nowhere = msgspec.json.encode(SquareChoice(part=REMOVED)).decode()
    return id_of(
        db.execute(
            "INSERT INTO page (source_id, number, part, hidden, choice) VALUES (?, ?, ?, 1, ?)",
            (source, number, part, nowhere),
        )
    )
