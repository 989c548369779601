"""Open, read and write a docket. Every change is on disk when its call returns."""

from __future__ import annotations

import json
import logging
import sqlite3
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import msgspec

from keel_line.docket.findings import PAGE_QUERY, replace_finding
from keel_line.docket.opening import open_file, open_for_reading, open_memory, say_trouble
from keel_line.docket.operations import (
    encode_settled,
    insert_hidden_page,
    make_record,
    operate,
    step,
)
from keel_line.docket.records import (
    CELL_COLUMNS,
    CellText,
    Frame,
    PageFinding,
    as_int,
    make_cell_state,
    make_cell_states,
    make_page_state,
    name_tables,
    read_evidence,
    read_place,
    read_text,
    stamp,
)
from keel_line.docket.sources import has_source, insert_pages, join_source
from keel_line.docket.sums import keep_sums, place_sums
from keel_line.errors import DocketError
from keel_line.model.docket import Carried, ChangeRecord, Kind, PageState, SourceState, Step
from keel_line.model.finding import Sums
from keel_line.model.geometry import Transform
from keel_line.model.grid import DrawnTables, Grid
from keel_line.model.page import REMOVED, SquareChoice
from keel_line.model.reading import Reading
from keel_line.model.reason import Reason
from keel_line.model.table import CellState, Settled, TableState

log = logging.getLogger(__name__)

_GONE = "This cell no longer exists: its page was read again. Settle it in its new place."
_PAGES = f"{PAGE_QUERY} WHERE p.hidden = 0"


class Docket:
    """A docket's file with its one writer.

    ``path`` None keeps it in memory, for work that needs no file. Without ``write`` it is only
    read, also while another process writes it.
    """

    def __init__(self, path: Path | None, *, write: bool = True) -> None:
        self.path = path
        if path is None:
            opened = open_memory()
        else:
            opened = open_file(path) if write else open_for_reading(path, "it is only read")
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

    def compact(self) -> None:
        """Make the file as small as it can be; nothing that was done is forgotten.

        What was found on a page before it was squared or ruled otherwise goes: an undo reads the
        page again.

        Raises
        ------
        DocketError
            When it is open for reading only, or there is not room for a second copy beside it.
        """
        with self._writing() as db:
            db.execute("DELETE FROM kept_finding")
            db.execute("DELETE FROM kept_picture")
        with self._told():
            self._db.execute("VACUUM")
            self._db.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchone()

    @contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        if self.read_only:
            raise DocketError(f"Open for reading only: {self.read_only}. Nothing was changed.")
        with self._told():
            try:
                self._db.execute("BEGIN IMMEDIATE")
                yield self._db
                self._db.execute("COMMIT")
            except BaseException:
                if self._db.in_transaction:
                    self._db.execute("ROLLBACK")
                raise

    @contextmanager
    def _told(self) -> Iterator[None]:
        """Tell of the database's trouble in words."""
        try:
            yield
        except sqlite3.Error as error:
            name = self.path.name if self.path else "The docket"
            folder = self.path.parent if self.path else None
            raise DocketError(say_trouble(error, name, folder)) from error

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

    def dismiss_trouble(self, source_id: int) -> None:
        """Delete the entry of a source that could not be used."""
        with self._writing() as db:
            db.execute("DELETE FROM source WHERE id = ? AND trouble != ''", (source_id,))

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

        Tables and cells that lie in the place of earlier ones on the paper take over their numbers,
        and all that the clerk did to them. Settled cells that find no place are kept, and come back
        with it.
        """
        with self._writing() as db:
            return replace_finding(db, page_id, finding)

    def choose(self, choices: Iterable[tuple[int, SquareChoice]], who: str, why: Reason) -> None:
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

    def draw(
        self,
        drawn: Iterable[tuple[int, DrawnTables | None]],
        who: str,
        why: Reason,
        sums: Iterable[tuple[int, str]] = (),
    ) -> None:
        """Set pages' tables as the clerk drew them; None restores those found. Can be undone.

        ``sums`` are those of tables, in their stored form, and are set before.
        """
        self._change_pages([(page, "drawn", tables) for page, tables in drawn], who, why, sums)

    def extract_page(
        self, page_id: int, left: DrawnTables, choice: SquareChoice, who: str, why: Reason
    ) -> int:
        """Extract a part of a page's picture as a new page, as one change; return that page.

        ``left`` are the tables that the page keeps, ``choice`` says which part the other one is.
        """
        other = self._find_hidden_page(page_id)
        self._change_pages([(page_id, "drawn", left), (other, "choice", choice)], who, why)
        return other

    def return_extracted(self, page_id: int, who: str, why: Reason) -> None:
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

    def _change_pages(
        self,
        changes: Iterable[tuple[int, Kind, object]],
        who: str,
        why: Reason,
        sums: Iterable[tuple[int, str]] = (),
    ) -> None:
        batch = None  # what is changed together is undone together
        with self._writing() as db:
            for table_id, kept in sums:
                batch = operate(db, "sums", [(table_id, kept)], who, why, batch=batch)
            for page_id, what, value in changes:
                encoded = msgspec.json.encode(value).decode()
                batch = operate(db, what, [(page_id, encoded)], who, why, batch=batch)

    def set_table(
        self, table_id: int, what: Kind, value: str | None, who: str, why: Reason
    ) -> None:
        """Set something of a table as a change that can be undone.

        ``what`` is "name", "header_rows", "passed", "sums" or "steps". None takes it as found.
        """
        with self._writing() as db:
            operate(db, what, [(table_id, value)], who, why)

    def set_sums(self, table: TableState, sums: Sums, who: str, why: Reason) -> None:
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
            "SELECT settled FROM cell WHERE page_id = ? AND settled IS NOT NULL ORDER BY id",
            (page_id,),
        )
        return [str(row[0]) for row in rows]

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

    def page_ids(self) -> list[int]:
        """Return the ids of all pages in order."""
        rows = self._db.execute(
            "SELECT id FROM page WHERE hidden = 0 ORDER BY source_id, number, part"
        )
        return [as_int(row[0]) for row in rows]

    def pages_with_tables(self) -> list[int]:
        """Return the ids of the pages with tables, in order."""
        rows = self._db.execute(
            "SELECT DISTINCT page_id FROM found_table WHERE lost_at IS NULL"
        ).fetchall()
        found = {as_int(row[0]) for row in rows}
        return [page_id for page_id in self.page_ids() if page_id in found]

    def pages_of(self, cell_ids: Sequence[int], table_ids: Sequence[int]) -> list[int]:
        """Return the pages on which cells and tables stand, in no order."""
        rows = self._db.execute(
            "SELECT page_id FROM found_table WHERE lost_at IS NULL AND id IN"
            " (SELECT value FROM json_each(?1) UNION"
            " SELECT table_id FROM cell WHERE id IN (SELECT value FROM json_each(?2)))",
            (json.dumps(list(table_ids)), json.dumps(list(cell_ids))),
        )
        return list({as_int(row[0]) for row in rows})

    def settled_cells(self) -> Iterator[tuple[int, CellState]]:
        """Yield each settled cell of a table, with the number of columns of that table."""
        rows = self._db.execute(
            f"SELECT {CELL_COLUMNS}, (SELECT iif(json_valid(t.frame),"  # noqa: S608 - our own columns
            " json_array_length(t.frame, '$.x_lines') - 1, 0) FROM found_table t"
            " WHERE t.id = table_id) FROM cell WHERE settled IS NOT NULL AND table_id IN"
            " (SELECT f.id FROM found_table f JOIN page p ON p.id = f.page_id"
            " WHERE f.lost_at IS NULL AND p.hidden = 0)"
        )
        for *record, columns in rows:
            try:
                yield as_int(columns), make_cell_state(record, 0.0)
            except (msgspec.DecodeError, UnicodeDecodeError):
                continue  # told of where its table is opened

    def texts(self) -> Iterator[CellText]:
        """Yield what each cell of each table says, in page order; damaged ones are left out."""
        rows = self._db.execute(
            "SELECT c.id, t.id, t.page_id, coalesce(t.set_header_rows, t.header_rows),"
            " CAST(c.place AS BLOB), CAST(c.evidence AS BLOB), c.settled FROM cell c"
            " JOIN found_table t ON t.id = c.table_id JOIN page p ON p.id = t.page_id"
            " WHERE t.lost_at IS NULL AND p.hidden = 0"
            " ORDER BY p.source_id, p.number, p.part, t.position, c.position"
        )
        for cell, table, page, headings, place, evidence, settled in rows:
            try:
                text, at = read_text(evidence, settled), read_place(place)
            except (msgspec.DecodeError, UnicodeDecodeError):
                continue  # told of where its table is opened
            yield CellText(cell, table, page, at.row, at.col, at.row < headings, text)

    def table_names(self, page_id: int | None = None) -> list[tuple[int, str]]:
        """Return (id, name) of all tables in page order, or of those of a page's source."""
        rows = self._db.execute(
            "SELECT t.id, coalesce(t.set_name, t.name), s.name, p.number FROM found_table t"
            " JOIN page p ON p.id = t.page_id JOIN source s ON s.id = p.source_id"
            " WHERE p.hidden = 0 AND t.lost_at IS NULL AND (?1 IS NULL OR s.name ="
            " (SELECT o.name FROM page q JOIN source o ON o.id = q.source_id WHERE q.id = ?1))"
            " ORDER BY p.source_id, p.number, p.part, t.position",
            (page_id,),
        ).fetchall()
        names = name_tables([(str(r[1]), str(r[2]), as_int(r[3])) for r in rows])
        return [(as_int(r[0]), name) for r, name in zip(rows, names, strict=True)]

    def tables(
        self,
        find_cut: Callable[[Sequence[float]], float],
        page_id: int | None = None,
        see: Callable[[CellState], CellState] | None = None,
        names: Mapping[int, str] | None = None,
    ) -> list[TableState]:
        """Return the tables of a page, or all, in page order.

        ``find_cut`` takes the confidences of a table's cells and returns the least that is not
        flagged; ``see`` makes of a cell what it is seen as. ``names`` are the tables' names by id,
        where the caller has them.
        """
        if page_id is None:
            self.damage.clear()
        if names is None:
            names = dict(self.table_names(page_id))
        rows = self._db.execute(
            "SELECT t.id, t.page_id, p.number, s.name, t.frame,"
            " coalesce(t.set_header_rows, t.header_rows), coalesce(t.set_name, t.caption),"
            " t.notes, t.set_passed, t.set_sums, p.transform, t.set_steps FROM found_table t"
            " JOIN page p ON p.id = t.page_id JOIN source s ON s.id = p.source_id"
            " WHERE p.hidden = 0 AND t.lost_at IS NULL AND (?1 IS NULL OR t.page_id = ?1)"
            " ORDER BY p.source_id, p.number, p.part, t.position",
            (page_id,),
        ).fetchall()
        named = ((row, names.get(as_int(row[0]), "")) for row in rows)
        found = (self._table_or_damage(row, name, find_cut, see) for row, name in named)
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
            self._note_damage(f"Table “{name}” on page {row[2]} of {row[3]} is damaged")
            return None

    def _note_damage(self, words: str) -> None:
        if words not in self.damage:
            self.damage.append(words)

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
            f"SELECT {CELL_COLUMNS} FROM cell WHERE id = ? AND table_id IS NOT NULL",  # noqa: S608 - our own columns
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
        header_rows, caption, notes, passed, sums, transform, steps = settings
        frame = msgspec.json.decode(str(frame_json), type=Frame)
        records = self._db.execute(
            f"SELECT {CELL_COLUMNS} FROM cell WHERE table_id = ? ORDER BY position",  # noqa: S608 - our own columns
            (table_id,),
        ).fetchall()
        read, damaged = make_cell_states(records, frame)
        for c in damaged:
            place = f"Row {c.row + 1}, column {c.col + 1} of “{name}” on page {number}"
            self._note_damage(f"{place} of {source} is damaged")
        read = read if see is None else [see(state) for state in read]
        cut = find_cut([c.reading.confidence for c in read])
        cells = tuple(replace(c, flagged=True) if c.reading.confidence < cut else c for c in read)
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
            min(as_int(header_rows), grid.rows),  # rows may have been removed since it was set
            str(caption),
            cells,
            cut,
            notes=str(notes),
            passed=passed is not None,
            sums=Sums() if sums is None else place_sums(str(sums), str(transform), cells),
            steps="" if steps is None else str(steps),
        )

    # --- settling, undo and redo ----------------------------------------------------------------

    def settle(
        self, cells: Iterable[tuple[int, Settled | None]], who: str, why: Reason
    ) -> list[int]:
        """Settle cells (None reopens them) as one change; return the ids settled.

        What was undone before can no longer be redone, but stays in the history.

        Raises
        ------
        DocketError
            When a cell has no place any more since its page was read again.
        """
        values = [(i, None if s is None else encode_settled(s)) for i, s in cells]
        with self._writing() as db:
            for cell_id, _ in values:
                if not db.execute(
                    "SELECT 1 FROM cell WHERE id = ? AND table_id IS NOT NULL", (cell_id,)
                ).fetchone():
                    raise DocketError(_GONE)
            operate(db, "settle", values, who, why)
        return [i for i, _ in values]

    def undo(self, who: str) -> Step | None:
        """Undo the last change; None if there is nothing to undo."""
        with self._writing() as db:
            return step(db, "undo", who)

    def redo(self, who: str) -> Step | None:
        """Make the last undone change again; None if there is none."""
        with self._writing() as db:
            return step(db, "redo", who)

    def history(
        self, cell_id: int | None = None, reasons: Sequence[Reason] = ()
    ) -> list[ChangeRecord]:
        """Return all that was done in the docket, or to one cell, the oldest first.

        ``reasons`` limits it to what has such a reason. Undoing and redoing are not told of.
        """
        codes = json.dumps([reason.code for reason in reasons])
        rows = self._db.execute(
            "SELECT o.id, o.at, o.who, o.kind, o.subject, CAST(c.evidence AS BLOB), o.before,"
            " o.after, o.reason, o.detail, o.state, s.name, p.number FROM operation o"
            " LEFT JOIN cell c ON o.kind = 'settle' AND c.id = o.subject"
            " LEFT JOIN found_table t ON t.id = o.subject"
            " AND o.kind IN ('name', 'header_rows', 'passed', 'sums', 'steps')"
            " LEFT JOIN page p ON p.id = iif(o.kind IN ('choice', 'drawn'), o.subject,"
            " coalesce(c.page_id, t.page_id)) LEFT JOIN source s ON s.id = p.source_id"
            " WHERE o.kind NOT IN ('undo', 'redo')"
            " AND (?1 IS NULL OR o.kind = 'settle' AND o.subject = ?1)"
            " AND (?2 = '[]' OR o.reason IN (SELECT value FROM json_each(?2))) ORDER BY o.id",
            (cell_id, codes),
        )
        return [make_record(row) for row in rows]

    # --- settings -------------------------------------------------------------------------------

    def setting(self, name: str, default: str) -> str:
        """Return a setting of this docket."""
        row = self._db.execute("SELECT value FROM setting WHERE name = ?", (name,)).fetchone()
        return default if row is None else str(row[0])

    def set_setting(self, name: str, value: str) -> None:
        """Save a setting of this docket."""
        with self._writing() as db:
            db.execute("INSERT OR REPLACE INTO setting (name, value) VALUES (?, ?)", (name, value))
