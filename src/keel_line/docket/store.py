"""Open, read and write a docket. Every change is on disk when its call returns."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import msgspec

from keel_line.docket.carry import carry_over, carry_tables, find_settled, transform_of
from keel_line.docket.changes import (
    drop_undone,
    insert_hidden_page,
    next_change,
    set_cell,
    set_page,
    set_table,
    step_cells,
    step_pages,
    step_tables,
)
from keel_line.docket.opening import open_file, open_memory, say_trouble
from keel_line.docket.records import (
    CELL_COLUMNS,
    EncodedTable,
    Frame,
    PageFinding,
    as_int,
    id_of,
    make_cell_state,
    make_cell_states,
    make_page_state,
    name_tables,
    read_evidence,
    read_text,
    stamp,
)
from keel_line.docket.sources import has_source, insert_pages, join_source
from keel_line.docket.sums import keep_sums, place_sums
from keel_line.errors import DocketError
from keel_line.model.docket import Carried, ChangeRecord, PageState, SourceState, Step
from keel_line.model.finding import Sums
from keel_line.model.geometry import Transform
from keel_line.model.grid import DrawnTables, Grid
from keel_line.model.page import REMOVED, SquareChoice
from keel_line.model.reading import Reading
from keel_line.model.table import CellState, Settled, TableState

log = logging.getLogger(__name__)

_GONE = "This cell no longer exists: its page was read again. Settle it in its new place."
_PAGES = (
    "SELECT p.id, p.source_id, s.name, p.number, p.progress, p.trouble, p.kind,"
    " p.width_px, p.height_px, p.resolution, p.squared_width_px, p.squared_height_px,"
    " p.dpi, p.transform, p.angle_deg, p.unsure, p.turns, p.corners, p.verdict, p.choice,"
    " p.passed, p.straight_px, p.note, p.drawn, p.passed_over, p.parted_at, p.part,"
    " (SELECT count(*) FROM found_table t WHERE t.page_id = p.id)"
    " FROM page p JOIN source s ON s.id = p.source_id WHERE p.hidden = 0"
)


class Docket:
    """A docket's file with its one writer.

    ``path`` None keeps it in memory, for work that needs no file.
    """

    def __init__(self, path: Path | None) -> None:
        self.path = path
        opened = open_memory() if path is None else open_file(path)
        self._db, self._lock = opened.connection, opened.lock
        self.read_only = opened.read_only
        self.damage: list[str] = []
        self._states: dict[int, tuple[Sequence[object] | None, PageState | None]] = {}

    def close(self) -> None:
        """Close the file and release its lock; everything is saved already."""
        self._db.close()
        if self._lock is not None:
            self._lock.release()
            self._lock = None

    def check(self) -> str:
        """Check the whole file; return "ok", or what is damaged."""
        return str(self._db.execute("PRAGMA integrity_check").fetchone()[0])

    @contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        if self.read_only:
            raise DocketError(f"Open for reading only: {self.read_only}. Nothing was changed.")
        try:
            self._db.execute("BEGIN IMMEDIATE")
            yield self._db
            self._db.execute("COMMIT")
        except sqlite3.Error as error:
            if self._db.in_transaction:
                self._db.execute("ROLLBACK")
            name = self.path.name if self.path else "The docket"
            folder = self.path.parent if self.path else None
            raise DocketError(say_trouble(error, name, folder)) from error
        except BaseException:
            if self._db.in_transaction:
                self._db.execute("ROLLBACK")
            raise

    # --- sources and pages ------------------------------------------------------------------

    def add_source(self, name: str, data: bytes, sha256: str, pages: int) -> list[int]:
        """Keep a source's bytes and enter its pages as waiting; return the pages' ids."""
        with self._writing() as db:
            source = db.execute(
                "INSERT INTO source (name, sha256, data, pages, added) VALUES (?, ?, ?, ?, ?)",
                (name, sha256, data, pages, stamp()),
            ).lastrowid
            return insert_pages(db, as_int(source), pages)

    def add_trouble(self, name: str, trouble: str) -> None:
        """Record a source that could not be used, with the reason."""
        with self._writing() as db:
            db.execute(
                "INSERT INTO source (name, sha256, data, pages, trouble, added)"
                " VALUES (?, '', x'', 0, ?, ?)",
                (name, trouble, stamp()),
            )

    def has_source(self, sha256: str) -> bool:
        """Return whether the docket already has a source with these bytes."""
        return has_source(self._db, sha256)

    def sources(self) -> list[SourceState]:
        """Return all sources in the order they came."""
        rows = self._db.execute(
            "SELECT id, name, sha256, pages, trouble FROM source WHERE complete ORDER BY id"
        )
        return [SourceState(*row) for row in rows]

    def source(self, source_id: int) -> SourceState:
        """Return one source."""
        row = self._db.execute(
            "SELECT id, name, sha256, pages, trouble FROM source WHERE id = ?", (source_id,)
        )
        return SourceState(*row.fetchone())

    def source_bytes(self, source_id: int) -> bytes:
        """Return a source's bytes as they came."""
        return join_source(self._db, source_id)

    def read_again(self, page_ids: Iterable[int]) -> None:
        """Queue pages again, such as those that failed."""
        with self._writing() as db:
            db.executemany(
                "UPDATE page SET progress = 'waiting', trouble = '' WHERE id = ?",
                [(i,) for i in page_ids],
            )

    def pages(self) -> list[PageState]:
        """Return all pages in the order they came."""
        rows = self._db.execute(f"{_PAGES} ORDER BY p.source_id, p.number, p.part")
        return [self._state_of(row) for row in rows]

    def waiting(self) -> list[int]:
        """Return the waiting pages in order of arrival."""
        rows = self._db.execute(
            "SELECT id FROM page WHERE hidden = 0 AND progress = 'waiting'"
            " ORDER BY source_id, number, part"
        )
        return [as_int(row[0]) for row in rows]

    def _state_of(self, row: Sequence[object]) -> PageState:
        """Return a page from its row; an unchanged one is not decoded again."""
        page_id = as_int(row[0])
        before, state = self._states.get(page_id, (None, None))
        if state is None or before != row:
            state = make_page_state(row)
            self._states[page_id] = (row, state)
        return state

    def page(self, page_id: int) -> PageState | None:
        """Return one page; None if its id is unknown or it was removed."""
        row = self._db.execute(f"{_PAGES} AND p.id = ?", (page_id,)).fetchone()
        return None if row is None else self._state_of(row)

    def store_page(self, page_id: int, finding: PageFinding) -> Carried:
        """Store a page's finding in place of an earlier one.

        Cells that were settled keep their values and their history: each goes to the new cell
        that lies in its place on the paper. Those that have none are kept as strays.
        """
        state = finding.state
        with self._writing() as db:
            settled = find_settled(db, page_id)
            before = transform_of(db, page_id)
            outdated = db.execute("SELECT id FROM found_table WHERE page_id = ?", (page_id,))
            outdated_ids = [as_int(row[0]) for row in outdated.fetchall()]
            db.execute(
                "UPDATE page SET progress = 'done', trouble = '', kind = ?, width_px = ?,"
                " height_px = ?, resolution = ?, squared_width_px = ?, squared_height_px = ?,"
                " dpi = ?, transform = ?, angle_deg = ?, unsure = ?, turns = ?, corners = ?,"
                " verdict = ?, straight_px = ?, note = ?, passed_over = ?, parted_at = ?"
                " WHERE id = ?",
                (
                    state.kind,
                    *state.size_px,
                    msgspec.json.encode(state.resolution).decode(),
                    *state.squared_size_px,
                    state.dpi,
                    msgspec.json.encode(state.transform).decode(),
                    state.angle_deg,
                    state.unsure,
                    state.turns,
                    msgspec.json.encode(state.corners).decode(),
                    msgspec.json.encode(state.verdict).decode(),
                    state.straight_px,
                    state.note,
                    msgspec.json.encode(state.rejected_areas).decode(),
                    state.parted_at,
                    page_id,
                ),
            )
            db.execute(
                "INSERT OR REPLACE INTO picture (page_id, squared, small) VALUES (?, ?, ?)",
                (page_id, finding.squared_picture, finding.small_picture),
            )
            for position, table in enumerate(finding.tables):
                self._insert_table(db, page_id, position, table)
            carried = carry_over(db, page_id, settled, state.transform, outdated_ids)
            carry_tables(db, page_id, (before, state.transform), outdated_ids)
            db.executemany("DELETE FROM found_table WHERE id = ?", [(i,) for i in outdated_ids])
        return carried

    def choose(self, choices: Iterable[tuple[int, SquareChoice]], who: str, why: str) -> None:
        """Set how pages are squared, as a change that can be undone, and queue them."""
        self._change_pages([(page, "choice", choice) for page, choice in choices], who, why)

    def beside(self, page_id: int) -> int:
        """Return the page for the other part of a picture; it is made if missing.

        A page that was just made is nowhere: it is not seen before it is given its part.
        """
        with self._writing() as db:
            source, number, part = db.execute(
                "SELECT source_id, number, part FROM page WHERE id = ?", (page_id,)
            ).fetchone()
            other = 1 - as_int(part)
            row = db.execute(
                "SELECT id FROM page WHERE source_id = ? AND number = ? AND part = ?",
                (source, number, other),
            ).fetchone()
            if row is not None:
                return as_int(row[0])
            return insert_hidden_page(db, source, number, other)

    def draw(self, drawn: Iterable[tuple[int, DrawnTables | None]], who: str, why: str) -> None:
        """Set pages' tables as the clerk drew them; None restores those found. Can be undone."""
        self._change_pages([(page, "drawn", tables) for page, tables in drawn], who, why)

    def extract_page(
        self, page_id: int, left: DrawnTables, choice: SquareChoice, who: str, why: str
    ) -> int:
        """Extract a part of a page's picture as a new page, as one change; return that page.

        ``left`` are the tables that the page keeps, ``choice`` says which part the other one is.
        """
        other = self._find_hidden_page(page_id)
        self._change_pages([(page_id, "drawn", left), (other, "choice", choice)], who, why)
        return other

    def return_extracted(self, page_id: int, who: str, why: str) -> None:
        """Remove an extracted page again; its original page gets its tables as found."""
        (origin,) = self._db.execute(
            "SELECT o.id FROM page p JOIN page o ON o.source_id = p.source_id"
            " AND o.number = p.number AND o.part = p.part % 2 WHERE p.id = ?",
            (page_id,),
        ).fetchone()
        gone = SquareChoice(part=REMOVED)
        self._change_pages([(page_id, "choice", gone), (as_int(origin), "drawn", None)], who, why)

    def _find_hidden_page(self, page_id: int) -> int:
        """Return a removed page of the same picture to use again; it is made if there is none.

        Its part is 2 or more: even where it belongs to the first page of the picture, odd where to
        the second.
        """
        with self._writing() as db:
            source, number, part = db.execute(
                "SELECT source_id, number, part FROM page WHERE id = ?", (page_id,)
            ).fetchone()
            own = db.execute(
                "SELECT id, part, hidden FROM page"
                " WHERE source_id = ? AND number = ? AND part >= 2 AND part % 2 = ? ORDER BY part",
                (source, number, as_int(part) % 2),
            ).fetchall()
            free = next((as_int(i) for i, _, hidden in own if hidden), None)
            if free is not None:
                return free
            after = 2 + as_int(part) % 2 if not own else as_int(own[-1][1]) + 2
            return insert_hidden_page(db, source, number, after)

    def _change_pages(self, changes: Iterable[tuple[int, str, object]], who: str, why: str) -> None:
        with self._writing() as db:
            drop_undone(db)
            batch = next_change(db)  # pages changed together are undone together
            for page_id, what, value in changes:
                after = msgspec.json.encode(value).decode()
                (before,) = db.execute(
                    f"SELECT {what} FROM page WHERE id = ?",  # noqa: S608 - one of our two names
                    (page_id,),
                ).fetchone()
                db.execute(
                    "INSERT INTO page_change"
                    " (id, batch, at, who, page_id, what, before, after, why)"
                    " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                    (next_change(db), batch, stamp(), who, page_id, what, before, after, why),
                )
                set_page(db, page_id, what, after)

    def set_table(self, table_id: int, what: str, value: str | None, who: str, why: str) -> None:
        """Set a table's "name", "header_rows", "passed" or "sums" as a change that can be undone.

        None takes it as found.
        """
        with self._writing() as db:
            drop_undone(db)
            (before,) = db.execute(
                f"SELECT set_{what} FROM found_table WHERE id = ?",  # noqa: S608 - one of our two names
                (table_id,),
            ).fetchone()
            number = next_change(db)
            db.execute(
                "INSERT INTO table_change (id, batch, at, who, table_id, what, before, after, why)"
                " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (number, number, stamp(), who, table_id, what, before, value, why),
            )
            set_table(db, table_id, what, value)

    def set_sums(self, table: TableState, sums: Sums, who: str, why: str) -> None:
        """Set a table's sums in place of earlier ones."""
        kept, transform = self._db.execute(
            "SELECT t.set_sums, p.transform FROM found_table t JOIN page p ON p.id = t.page_id"
            " WHERE t.id = ?",
            (table.id,),
        ).fetchone()
        laid = msgspec.json.decode(str(transform), type=Transform)
        self.set_table(table.id, "sums", keep_sums(sums, table.cells, laid, kept), who, why)

    def set_passed(self, page_id: int, *, passed: bool = True) -> None:
        """Record that the clerk approved how a page lies."""
        with self._writing() as db:
            db.execute("UPDATE page SET passed = ? WHERE id = ?", (int(passed), page_id))

    def strays(self, page_id: int) -> list[str]:
        """Return the settled texts that lost their cell when their page was read again."""
        rows = self._db.execute(
            "SELECT settled FROM stray WHERE page_id = ? AND settled IS NOT NULL ORDER BY id",
            (page_id,),
        )
        return [str(row[0]) for row in rows]

    @staticmethod
    def _insert_table(
        db: sqlite3.Connection, page_id: int, position: int, table: EncodedTable
    ) -> None:
        table_id = id_of(
            db.execute(
                "INSERT INTO found_table"
                " (page_id, position, name, frame, header_rows, caption, notes)"
                " VALUES (?, ?, ?, ?, ?, ?, ?)",
                (
                    page_id,
                    position,
                    table.caption,
                    table.frame.decode(),
                    table.header_rows,
                    table.caption,
                    table.notes,
                ),
            )
        )
        db.executemany(
            "INSERT INTO cell (table_id, place, evidence) VALUES (?, ?, ?)",
            (
                (table_id, place.decode(), evidence.decode())
                for place, evidence in zip(table.places, table.evidence, strict=True)
            ),
        )

    def store_failure(self, page_id: int, trouble: str) -> None:
        """Mark a page as failed, with the reason."""
        with self._writing() as db:
            db.execute(
                "UPDATE page SET progress = 'failed', trouble = ? WHERE id = ?", (trouble, page_id)
            )

    def squared_picture(self, page_id: int) -> bytes | None:
        """Return the compressed picture of a squared page, None before it was worked on."""
        return self._picture("squared", page_id)

    def small_picture(self, page_id: int) -> bytes | None:
        """Return the compressed small picture of a squared page."""
        return self._picture("small", page_id)

    def _picture(self, column: str, page_id: int) -> bytes | None:
        row = self._db.execute(
            f"SELECT {column} FROM picture WHERE page_id = ?",  # noqa: S608 - one of our two names
            (page_id,),
        ).fetchone()
        return None if row is None else bytes(row[0])

    # --- tables -----------------------------------------------------------------------------

    def table_names(self) -> list[tuple[int, str]]:
        """Return (id, name) of all tables in page order."""
        rows = self._db.execute(
            "SELECT t.id, coalesce(t.set_name, t.name), s.name, p.number FROM found_table t"
            " JOIN page p ON p.id = t.page_id JOIN source s ON s.id = p.source_id"
            " WHERE p.hidden = 0 ORDER BY p.source_id, p.number, p.part, t.position"
        ).fetchall()
        names = name_tables([(str(r[1]), str(r[2]), as_int(r[3])) for r in rows])
        return [(as_int(r[0]), name) for r, name in zip(rows, names, strict=True)]

    def tables(
        self,
        find_cut: Callable[[Sequence[float]], float],
        page_id: int | None = None,
        see: Callable[[CellState], CellState] | None = None,
    ) -> list[TableState]:
        """Return the tables of a page, or all, in page order.

        ``find_cut`` takes the confidences of a table's cells and returns the least that is not
        flagged; ``see`` makes of a cell what it is seen as.
        """
        names = dict(self.table_names())
        rows = self._db.execute(
            "SELECT t.id, t.page_id, p.number, s.name, t.frame,"
            " coalesce(t.set_header_rows, t.header_rows), coalesce(t.set_name, t.caption),"
            " t.notes, t.set_passed, t.set_sums, p.transform FROM found_table t"
            " JOIN page p ON p.id = t.page_id JOIN source s ON s.id = p.source_id"
            " WHERE p.hidden = 0 AND (?1 IS NULL OR t.page_id = ?1)"
            " ORDER BY p.source_id, p.number, p.part, t.position",
            (page_id,),
        ).fetchall()
        self.damage.clear()
        found = (self._table_or_damage(row, names[as_int(row[0])], find_cut, see) for row in rows)
        return [table for table in found if table is not None]

    def _table_or_damage(
        self,
        row: Sequence[object],
        name: str,
        find_cut: Callable[[Sequence[float]], float],
        see: Callable[[CellState], CellState] | None,
    ) -> TableState | None:
        """Return a table; None and a recorded damage if its record cannot be read."""
        try:
            return self._table(row, name, find_cut, see)
        except (sqlite3.DatabaseError, msgspec.DecodeError, msgspec.ValidationError):
            log.exception("table %s of page %s", row[0], row[1])
            self.damage.append(f"Table “{name}” on page {row[2]} of {row[3]} is damaged")
            return None

    def readings_beside(self, cell_id: int) -> list[Reading]:
        """Return the readings of all cells of a cell's table."""
        rows = self._db.execute(
            "SELECT CAST(evidence AS BLOB) FROM cell"
            " WHERE table_id = (SELECT table_id FROM cell WHERE id = ?)",
            (cell_id,),
        )
        return [read_evidence(e) for (e,) in rows]

    def cell(self, cell_id: int, least_confidence: float) -> CellState:
        """Return one cell's current state.

        Raises
        ------
        DocketError
            When its page was read again and the cell no longer exists.
        """
        record = self._db.execute(
            f"SELECT {CELL_COLUMNS} FROM cell WHERE id = ?",  # noqa: S608 - our own columns
            (cell_id,),
        ).fetchone()
        if record is None:
            raise DocketError(_GONE)
        return make_cell_state(record, least_confidence)

    def _table(
        self,
        row: Sequence[object],
        name: str,
        find_cut: Callable[[Sequence[float]], float],
        see: Callable[[CellState], CellState] | None,
    ) -> TableState:
        table_id, page_id, number, source, frame_json, *settings = row
        header_rows, caption, notes, passed, sums, transform = settings
        frame = msgspec.json.decode(str(frame_json), type=Frame)
        records = self._db.execute(
            f"SELECT {CELL_COLUMNS} FROM cell WHERE table_id = ? ORDER BY id",  # noqa: S608 - our own columns
            (table_id,),
        ).fetchall()
        read, damaged = make_cell_states(records, frame)
        self.damage += [
            f"Row {c.row + 1}, column {c.col + 1} of “{name}” on page {number} of {source} is "
            "damaged"
            for c in damaged
        ]
        read = read if see is None else [see(state) for state in read]
        cut = find_cut([c.reading.confidence for c in read])
        cells = tuple(replace(c, flagged=c.reading.confidence < cut) for c in read)
        grid = Grid(
            frame.box,
            frame.x_lines,
            frame.y_lines,
            tuple(c.cell for c in cells),
            frame.rules,
            frame.doubts,
            frame.on_side,
        )
        return TableState(
            as_int(table_id),
            name,
            as_int(page_id),
            as_int(number),
            str(source),
            grid,
            as_int(header_rows),
            str(caption),
            cells,
            cut,
            notes=str(notes),
            passed=passed is not None,
            sums=Sums() if sums is None else place_sums(str(sums), str(transform), cells),
        )

    # --- settling, undo and redo ----------------------------------------------------------------

    def settle(self, cells: Iterable[tuple[int, Settled | None]], who: str, why: str) -> list[int]:
        """Settle cells (None reopens them) as one change; return the ids settled.

        What was undone before can no longer be redone, but stays in the history.
        """
        done = []
        with self._writing() as db:
            drop_undone(db)
            batch = next_change(db)  # cells settled together are undone together
            for number, (cell_id, settled) in enumerate(cells, batch):
                before = db.execute(
                    "SELECT settled, by_hand, as_printed FROM cell WHERE id = ?", (cell_id,)
                ).fetchone()
                if before is None:
                    raise DocketError(_GONE)
                after = (
                    (None, 0, 0)
                    if settled is None
                    else (settled.text, int(settled.by_hand), int(settled.as_printed))
                )
                db.execute(
                    "INSERT INTO change (id, batch, at, who, cell_id,"
                    " before, before_by_hand, before_as_printed,"
                    " after, after_by_hand, after_as_printed, why)"
                    " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                    (number, batch, stamp(), who, cell_id, *before, *after, why),
                )
                set_cell(db, cell_id, after)
                done.append(cell_id)
        return done

    def undo(self) -> Step | None:
        """Undo the last change; None if there is nothing to undo."""
        return self._step("done", "DESC", "undone", "before")

    def redo(self) -> Step | None:
        """Make the last undone change again; None if there is none."""
        return self._step("undone", "ASC", "done", "after")

    def _step(self, state: str, order: str, becomes: str, side: str) -> Step | None:
        with self._writing() as db:
            row = db.execute(
                "SELECT id, batch, 'cell' FROM change WHERE state = ?1"  # noqa: S608 - our own names
                " UNION ALL SELECT id, batch, 'page' FROM page_change WHERE state = ?1"
                " UNION ALL SELECT id, batch, 'table' FROM table_change WHERE state = ?1"
                f" ORDER BY id {order} LIMIT 1",
                (state,),
            ).fetchone()
            if row is None:
                return None
            _, batch, what = row
            together = {"page": step_pages, "table": step_tables, "cell": step_cells}[what]
            return together(db, as_int(batch), (state, becomes), side)

    def history(self, cell_id: int | None = None) -> list[ChangeRecord]:
        """Return the changes of one cell or of the whole docket, the oldest first."""
        rows = self._db.execute(
            "SELECT c.id, c.at, c.who, c.cell_id, CAST(cell.evidence AS BLOB), stray.read,"
            " c.before, c.after, c.why, c.state FROM change c"
            " LEFT JOIN cell ON cell.id = c.cell_id LEFT JOIN stray ON stray.id = -c.cell_id"
            " WHERE ?1 IS NULL OR c.cell_id = ?1 ORDER BY c.id",
            (cell_id,),
        )
        return [
            ChangeRecord(
                i, at, who, cell, read_text(evidence, read), before, after, why, state != "done"
            )
            for i, at, who, cell, evidence, read, before, after, why, state in rows
        ]

    # --- settings -------------------------------------------------------------------------------

    def setting(self, name: str, default: str) -> str:
        """Return a setting of this docket."""
        row = self._db.execute("SELECT value FROM setting WHERE name = ?", (name,)).fetchone()
        return default if row is None else str(row[0])

    def set_setting(self, name: str, value: str) -> None:
        """Save a setting of this docket."""
        with self._writing() as db:
            db.execute("INSERT OR REPLACE INTO setting (name, value) VALUES (?, ?)", (name, value))
