"""The docket's schema and its migrations, named and in order, each in one transaction."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass

from keel_line.errors import DocketError

APPLICATION_ID = 0x4B4C4E45  # "KLNE"


@dataclass(frozen=True)
class Migration:
    """One step of the schema; the docket's ``user_version`` counts how many it has had."""

    name: str
    script: str


MIGRATIONS: tuple[Migration, ...] = (
    Migration(
        "sources, pages, tables, readings and changes",
        """
        CREATE TABLE source (
            id INTEGER PRIMARY KEY, name TEXT NOT NULL, sha256 TEXT NOT NULL, data BLOB NOT NULL,
            pages INTEGER NOT NULL, trouble TEXT NOT NULL DEFAULT '', added TEXT NOT NULL
        );
        CREATE TABLE page (
            id INTEGER PRIMARY KEY, source_id INTEGER NOT NULL REFERENCES source ON DELETE CASCADE,
            number INTEGER NOT NULL, progress TEXT NOT NULL DEFAULT 'waiting',
            trouble TEXT NOT NULL DEFAULT '', kind TEXT NOT NULL DEFAULT 'scan',
            width_px INTEGER NOT NULL DEFAULT 0, height_px INTEGER NOT NULL DEFAULT 0,
            resolution TEXT, squared_width_px INTEGER NOT NULL DEFAULT 0,
            squared_height_px INTEGER NOT NULL DEFAULT 0, dpi REAL NOT NULL DEFAULT 300,
            transform TEXT, angle_deg REAL NOT NULL DEFAULT 0, unsure TEXT NOT NULL DEFAULT '',
            UNIQUE (source_id, number)
        );
        CREATE TABLE picture (
            page_id INTEGER PRIMARY KEY REFERENCES page ON DELETE CASCADE,
            squared BLOB NOT NULL, small BLOB NOT NULL
        );
        CREATE TABLE found_table (
            id INTEGER PRIMARY KEY, page_id INTEGER NOT NULL REFERENCES page ON DELETE CASCADE,
            position INTEGER NOT NULL, name TEXT NOT NULL, frame TEXT NOT NULL,
            header_rows INTEGER NOT NULL, caption TEXT NOT NULL DEFAULT ''
        );
        CREATE TABLE cell (
            id INTEGER PRIMARY KEY,
            table_id INTEGER NOT NULL REFERENCES found_table ON DELETE CASCADE,
            place TEXT NOT NULL, evidence TEXT NOT NULL,
            settled TEXT, by_hand INTEGER NOT NULL DEFAULT 0
        );
        CREATE INDEX cell_of_table ON cell (table_id);
        CREATE TABLE change (
            id INTEGER PRIMARY KEY, at TEXT NOT NULL, who TEXT NOT NULL,
            cell_id INTEGER NOT NULL REFERENCES cell ON DELETE CASCADE,
            before TEXT, before_by_hand INTEGER NOT NULL,
            after TEXT, after_by_hand INTEGER NOT NULL,
            why TEXT NOT NULL, state TEXT NOT NULL DEFAULT 'done'
        );
        CREATE INDEX change_of_cell ON change (cell_id);
        CREATE TABLE setting (name TEXT PRIMARY KEY, value TEXT NOT NULL);
        """,
    ),
    Migration(
        "how pages are squared: what was found, what the clerk set, and its history",
        """
        ALTER TABLE page ADD COLUMN turns INTEGER NOT NULL DEFAULT 0;
        ALTER TABLE page ADD COLUMN corners TEXT NOT NULL DEFAULT '[]';
        ALTER TABLE page ADD COLUMN verdict TEXT NOT NULL DEFAULT '{}';
        ALTER TABLE page ADD COLUMN choice TEXT NOT NULL DEFAULT '{}';
        ALTER TABLE page ADD COLUMN passed INTEGER NOT NULL DEFAULT 0;
        CREATE TABLE page_change (
            id INTEGER PRIMARY KEY, batch INTEGER NOT NULL, at TEXT NOT NULL, who TEXT NOT NULL,
            page_id INTEGER NOT NULL REFERENCES page ON DELETE CASCADE,
            before TEXT NOT NULL, after TEXT NOT NULL,
            why TEXT NOT NULL, state TEXT NOT NULL DEFAULT 'done'
        );
        CREATE TABLE stray (
            id INTEGER PRIMARY KEY, at TEXT NOT NULL,
            page_id INTEGER NOT NULL REFERENCES page ON DELETE CASCADE,
            corners TEXT NOT NULL, settled TEXT NOT NULL, by_hand INTEGER NOT NULL
        );
        """,
    ),
    Migration(
        "bent pages, and what fax machines print on theirs",
        """
        ALTER TABLE page ADD COLUMN straight_px REAL;
        ALTER TABLE page ADD COLUMN note TEXT NOT NULL DEFAULT '';
        """,
    ),
    Migration(
        "grids that the clerk mended",
        """
        ALTER TABLE page ADD COLUMN drawn TEXT NOT NULL DEFAULT 'null';
        ALTER TABLE page_change ADD COLUMN what TEXT NOT NULL DEFAULT 'choice';
        """,
    ),
    Migration(
        "cells that are settled together; values that stand so on the paper",
        """
        ALTER TABLE change ADD COLUMN batch INTEGER NOT NULL DEFAULT 0;
        UPDATE change SET batch = id;
        ALTER TABLE cell ADD COLUMN as_printed INTEGER NOT NULL DEFAULT 0;
        ALTER TABLE change ADD COLUMN before_as_printed INTEGER NOT NULL DEFAULT 0;
        ALTER TABLE change ADD COLUMN after_as_printed INTEGER NOT NULL DEFAULT 0;
        ALTER TABLE stray ADD COLUMN as_printed INTEGER NOT NULL DEFAULT 0;
        """,
    ),
    Migration(
        "names and heading rows that the clerk set",
        """
        ALTER TABLE found_table ADD COLUMN set_name TEXT;
        ALTER TABLE found_table ADD COLUMN set_header_rows INTEGER;
        CREATE TABLE table_change (
            id INTEGER PRIMARY KEY, batch INTEGER NOT NULL, at TEXT NOT NULL, who TEXT NOT NULL,
            table_id INTEGER NOT NULL REFERENCES found_table ON DELETE CASCADE,
            what TEXT NOT NULL, before TEXT, after TEXT,
            why TEXT NOT NULL, state TEXT NOT NULL DEFAULT 'done'
        );
        """,
    ),
    Migration(
        "blocks that were taken for no table, notes under tables, lines that were checked",
        """
        ALTER TABLE page ADD COLUMN passed_over TEXT NOT NULL DEFAULT '[]';
        ALTER TABLE found_table ADD COLUMN notes TEXT NOT NULL DEFAULT '';
        ALTER TABLE found_table ADD COLUMN set_passed TEXT;
        """,
    ),
    Migration(
        "sums that the clerk drew or dropped",
        """
        ALTER TABLE found_table ADD COLUMN set_sums TEXT;
        """,
    ),
    Migration(
        "two pages in one picture: a source's page may come in parts",
        """
        CREATE TABLE page_anew (
            id INTEGER PRIMARY KEY, source_id INTEGER NOT NULL REFERENCES source ON DELETE CASCADE,
            number INTEGER NOT NULL, progress TEXT NOT NULL DEFAULT 'waiting',
            trouble TEXT NOT NULL DEFAULT '', kind TEXT NOT NULL DEFAULT 'scan',
            width_px INTEGER NOT NULL DEFAULT 0, height_px INTEGER NOT NULL DEFAULT 0,
            resolution TEXT, squared_width_px INTEGER NOT NULL DEFAULT 0,
            squared_height_px INTEGER NOT NULL DEFAULT 0, dpi REAL NOT NULL DEFAULT 300,
            transform TEXT, angle_deg REAL NOT NULL DEFAULT 0, unsure TEXT NOT NULL DEFAULT '',
            turns INTEGER NOT NULL DEFAULT 0, corners TEXT NOT NULL DEFAULT '[]',
            verdict TEXT NOT NULL DEFAULT '{}', choice TEXT NOT NULL DEFAULT '{}',
            passed INTEGER NOT NULL DEFAULT 0, straight_px REAL, note TEXT NOT NULL DEFAULT '',
            drawn TEXT NOT NULL DEFAULT 'null', passed_over TEXT NOT NULL DEFAULT '[]',
            parted_at REAL, part INTEGER NOT NULL DEFAULT 0, hidden INTEGER NOT NULL DEFAULT 0,
            UNIQUE (source_id, number, part)
        );
        INSERT INTO page_anew (id, source_id, number, progress, trouble, kind, width_px, height_px,
            resolution, squared_width_px, squared_height_px, dpi, transform, angle_deg, unsure,
            turns, corners, verdict, choice, passed, straight_px, note, drawn, passed_over)
        SELECT id, source_id, number, progress, trouble, kind, width_px, height_px,
            resolution, squared_width_px, squared_height_px, dpi, transform, angle_deg, unsure,
            turns, corners, verdict, choice, passed, straight_px, note, drawn, passed_over
        FROM page;
        DROP TABLE page;
        ALTER TABLE page_anew RENAME TO page;
        """,
    ),
    Migration(
        "sources in pieces; history and settings that outlive their cell or table",
        """
        ALTER TABLE source ADD COLUMN complete INTEGER NOT NULL DEFAULT 1;
        CREATE TABLE source_piece (
            source_id INTEGER NOT NULL REFERENCES source ON DELETE CASCADE,
            number INTEGER NOT NULL, data BLOB NOT NULL, PRIMARY KEY (source_id, number)
        ) WITHOUT ROWID;
        CREATE TABLE change_anew (
            id INTEGER PRIMARY KEY, batch INTEGER NOT NULL, at TEXT NOT NULL, who TEXT NOT NULL,
            cell_id INTEGER NOT NULL,
            before TEXT, before_by_hand INTEGER NOT NULL, before_as_printed INTEGER NOT NULL,
            after TEXT, after_by_hand INTEGER NOT NULL, after_as_printed INTEGER NOT NULL,
            why TEXT NOT NULL, state TEXT NOT NULL DEFAULT 'done'
        );
        INSERT INTO change_anew SELECT id, batch, at, who, cell_id,
            before, before_by_hand, before_as_printed, after, after_by_hand, after_as_printed,
            why, state FROM change;
        DROP TABLE change;
        ALTER TABLE change_anew RENAME TO change;
        CREATE INDEX change_of_cell ON change (cell_id);
        CREATE TABLE table_change_anew (
            id INTEGER PRIMARY KEY, batch INTEGER NOT NULL, at TEXT NOT NULL, who TEXT NOT NULL,
            table_id INTEGER NOT NULL, what TEXT NOT NULL, before TEXT, after TEXT,
            why TEXT NOT NULL, state TEXT NOT NULL DEFAULT 'done'
        );
        INSERT INTO table_change_anew SELECT id, batch, at, who, table_id, what, before, after,
            why, state FROM table_change;
        DROP TABLE table_change;
        ALTER TABLE table_change_anew RENAME TO table_change;
        CREATE TABLE stray_anew (
            id INTEGER PRIMARY KEY AUTOINCREMENT, at TEXT NOT NULL,
            page_id INTEGER NOT NULL REFERENCES page ON DELETE CASCADE,
            corners TEXT NOT NULL, read TEXT, settled TEXT, by_hand INTEGER NOT NULL,
            as_printed INTEGER NOT NULL DEFAULT 0
        );
        INSERT INTO stray_anew (id, at, page_id, corners, settled, by_hand, as_printed)
            SELECT id, at, page_id, corners, settled, by_hand, as_printed FROM stray;
        DROP TABLE stray;
        ALTER TABLE stray_anew RENAME TO stray;
        CREATE TABLE stray_table (
            id INTEGER PRIMARY KEY AUTOINCREMENT, at TEXT NOT NULL,
            page_id INTEGER NOT NULL REFERENCES page ON DELETE CASCADE, corners TEXT NOT NULL,
            set_name TEXT, set_header_rows INTEGER, set_passed TEXT, set_sums TEXT
        );
        """,
    ),
    Migration(
        "cells and tables that stay the same when their page is read again; one record of all work",
        """
        CREATE TABLE operation (
            id INTEGER PRIMARY KEY AUTOINCREMENT, batch INTEGER NOT NULL,
            at TEXT NOT NULL, who TEXT NOT NULL, kind TEXT NOT NULL, subject INTEGER NOT NULL,
            before TEXT, after TEXT, reason TEXT NOT NULL, detail TEXT NOT NULL DEFAULT '',
            state TEXT NOT NULL DEFAULT 'done'
        );
        CREATE TABLE table_anew (
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            page_id INTEGER NOT NULL REFERENCES page ON DELETE CASCADE,
            position INTEGER NOT NULL, name TEXT NOT NULL, frame TEXT NOT NULL,
            header_rows INTEGER NOT NULL, caption TEXT NOT NULL DEFAULT '',
            notes TEXT NOT NULL DEFAULT '', set_name TEXT, set_header_rows INTEGER,
            set_passed TEXT, set_sums TEXT, lost_at TEXT
        );
        INSERT INTO table_anew (id, page_id, position, name, frame, header_rows, caption, notes,
            set_name, set_header_rows, set_passed, set_sums)
        SELECT id, page_id, position, name, frame, header_rows, caption, notes,
            set_name, set_header_rows, set_passed, set_sums FROM found_table;
        INSERT INTO table_anew (id, page_id, position, name, frame, header_rows,
            set_name, set_header_rows, set_passed, set_sums, lost_at)
        SELECT id + (SELECT coalesce(max(id), 0) FROM found_table), page_id, 0, '', '', 0,
            set_name, set_header_rows, set_passed, set_sums, corners FROM stray_table;
        CREATE TABLE cell_anew (
            id INTEGER PRIMARY KEY AUTOINCREMENT,
            table_id INTEGER REFERENCES found_table ON DELETE CASCADE,
            position INTEGER NOT NULL, place TEXT NOT NULL, evidence TEXT NOT NULL,
            settled TEXT, by_hand INTEGER NOT NULL DEFAULT 0,
            as_printed INTEGER NOT NULL DEFAULT 0,
            page_id INTEGER REFERENCES page ON DELETE CASCADE, lost_at TEXT
        );
        INSERT INTO cell_anew
            (id, table_id, position, place, evidence, settled, by_hand, as_printed)
        SELECT id, table_id, id, place, evidence, settled, by_hand, as_printed FROM cell;
        INSERT INTO cell_anew (id, position, place, evidence, settled, by_hand, as_printed,
            page_id, lost_at)
        SELECT id + (SELECT coalesce(max(id), 0) FROM cell), 0, '',
            CASE WHEN read IS NULL THEN '' ELSE
                json_object('text', read, 'confidence', 0.0) END,
            settled, by_hand, as_printed, page_id, corners FROM stray;
        INSERT INTO operation
            (id, batch, at, who, kind, subject, before, after, reason, detail, state)
        SELECT id, batch, at, who, 'settle',
            CASE WHEN cell_id < 0
                THEN (SELECT coalesce(max(id), 0) FROM cell) - cell_id ELSE cell_id END,
            CASE WHEN before IS NULL THEN NULL ELSE json_object('text', before,
                'by_hand', json(iif(before_by_hand, 'true', 'false')),
                'as_printed', json(iif(before_as_printed, 'true', 'false'))) END,
            CASE WHEN after IS NULL THEN NULL ELSE json_object('text', after,
                'by_hand', json(iif(after_by_hand, 'true', 'false')),
                'as_printed', json(iif(after_as_printed, 'true', 'false'))) END,
            'said', why, state FROM change
        UNION ALL SELECT id, batch, at, who, what, page_id, before, after, 'said', why, state
            FROM page_change
        UNION ALL SELECT id, batch, at, who, what,
            CASE WHEN table_id < 0
                THEN (SELECT coalesce(max(id), 0) FROM found_table) - table_id ELSE table_id END,
            before, after, 'said', why, state FROM table_change
        ORDER BY id;
        UPDATE operation SET reason = 'sample-right', detail = ''
            WHERE detail = 'spot check: right';
        UPDATE operation SET reason = 'sample-corrected', detail = ''
            WHERE detail = 'spot check: corrected';
        UPDATE operation SET reason = 'accepted', detail = '' WHERE detail = 'accepted as read';
        UPDATE operation SET reason = 'typed', detail = '' WHERE detail = 'typed';
        DROP TABLE cell;
        ALTER TABLE cell_anew RENAME TO cell;
        DROP TABLE found_table;
        ALTER TABLE table_anew RENAME TO found_table;
        DROP TABLE change;
        DROP TABLE page_change;
        DROP TABLE table_change;
        DROP TABLE stray;
        DROP TABLE stray_table;
        CREATE INDEX cell_of_table ON cell (table_id);
        CREATE INDEX lost_cell_of_page ON cell (page_id) WHERE page_id IS NOT NULL;
        CREATE INDEX table_of_page ON found_table (page_id);
        CREATE INDEX operation_on ON operation (kind, subject);
        CREATE INDEX operation_of_batch ON operation (batch);
        CREATE TABLE kept_picture (
            id INTEGER PRIMARY KEY, page_id INTEGER NOT NULL REFERENCES page ON DELETE CASCADE,
            sha256 BLOB NOT NULL, squared BLOB NOT NULL, small BLOB NOT NULL,
            UNIQUE (page_id, sha256)
        );
        CREATE TABLE kept_finding (
            page_id INTEGER NOT NULL REFERENCES page ON DELETE CASCADE, batch INTEGER NOT NULL,
            side TEXT NOT NULL, finding BLOB NOT NULL,
            picture_id INTEGER NOT NULL REFERENCES kept_picture,
            PRIMARY KEY (page_id, batch, side)
        );
        """,
    ),
    Migration(
        "what was done to tables at Tidy",
        "ALTER TABLE found_table ADD COLUMN set_steps TEXT;",
    ),
)


def is_outdated(connection: sqlite3.Connection) -> bool:
    """Tell whether a docket was written by an earlier Keel Line and must be brought up to date."""
    (version,) = connection.execute("PRAGMA user_version").fetchone()
    return bool(version < len(MIGRATIONS))


def prepare(connection: sqlite3.Connection, name: str) -> None:
    """Bring a new or older docket to today's schema.

    Raises
    ------
    DocketError
        When the file is another program's, or was written by a newer Keel Line.
    sqlite3.Error
        When it is no docket, or cannot be read or written.
    """
    (application,) = connection.execute("PRAGMA application_id").fetchone()
    (version,) = connection.execute("PRAGMA user_version").fetchone()
    (tables,) = connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
    if application != APPLICATION_ID and tables:
        raise DocketError(f"{name} is another program's file, not a docket. Choose another.")
    if version > len(MIGRATIONS):
        raise DocketError(f"{name} was made by a newer Keel Line. Update this one to open it.")
    for number in range(version, len(MIGRATIONS)):
        script = (
            f"BEGIN; {MIGRATIONS[number].script}; PRAGMA application_id = {APPLICATION_ID}; "
            f"PRAGMA user_version = {number + 1}; COMMIT;"
        )
        try:
            connection.executescript(script)
        except sqlite3.Error:
            if connection.in_transaction:
                connection.rollback()
            raise
