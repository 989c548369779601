"""Open, read and write a docket. Every change is on disk when its call returns."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

import msgspec
import numpy as np
from numpy.typing import NDArray

from keel_line.docket.schema import prepare
from keel_line.errors import DocketError
from keel_line.model.docket import Carried, ChangeRecord, PageState, SourceState, Step
from keel_line.model.finding import Sums
from keel_line.model.geometry import Box, Transform, overlap
from keel_line.model.grid import Cell, DrawnTables, Grid, LineDoubt, Rule
from keel_line.model.page import NOWHERE, Resolution, SquareChoice
from keel_line.model.reading import Reading
from keel_line.model.table import CellState, Settled, TableState

_SAME_PLACE = 0.35


class _Frame(msgspec.Struct, frozen=True):
    """A grid without its cells, which have rows of their own."""

    box: Box
    x_lines: tuple[float, ...]
    y_lines: tuple[float, ...]
    rules: tuple[Rule, ...]
    doubts: tuple[LineDoubt, ...] = ()
    on_side: bool = False


@dataclass(frozen=True)
class EncodedTable:
    """A table as it lies in the docket; made in the worker, so that storing it is quick."""

    frame: bytes
    places: tuple[bytes, ...]
    evidence: tuple[bytes, ...]
    header_rows: int
    caption: str
    notes: str = ""


@dataclass(frozen=True)
class PageFinding:
    """What the stations made of a page: what is stored once it has been worked on."""

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
        encode(_Frame(grid.box, grid.x_lines, grid.y_lines, grid.rules, grid.doubts, grid.on_side)),
        tuple(encode(c) for c in grid.cells),
        tuple(encode(r) for r in readings),
        header_rows,
        caption,
        notes,
    )


class Docket:
    """A docket's file with its one writer.

    ``path`` None keeps it in memory, for work that needs no file.
    """

    def __init__(self, path: Path | None) -> None:
        self.path = path
        name = path.name if path else "the docket"
        try:
            self._db = sqlite3.connect(
                str(path) if path else ":memory:", isolation_level=None, check_same_thread=False
            )
            prepare(self._db, name)
            self._db.execute("PRAGMA journal_mode = WAL")
            self._db.execute("PRAGMA synchronous = NORMAL")
            self._db.execute("PRAGMA foreign_keys = ON")
        except sqlite3.Error as error:
            raise DocketError(f"{name} cannot be opened: {error}.") from error

    def close(self) -> None:
        """Close the file; what was written stays."""
        self._db.close()

    @contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        try:
            self._db.execute("BEGIN IMMEDIATE")
            yield self._db
            self._db.execute("COMMIT")
        except sqlite3.Error as error:
            if self._db.in_transaction:
                self._db.execute("ROLLBACK")
            name = self.path.name if self.path else "The docket"
            raise DocketError(
                f"{name} cannot be written ({error}). Make room on the disk; nothing that was "
                "settled before is lost."
            ) from error
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
                (name, sha256, data, pages, _now()),
            ).lastrowid
            return [
                _id(
                    db.execute(
                        "INSERT INTO page (source_id, number) VALUES (?, ?)", (source, number)
                    )
                )
                for number in range(1, pages + 1)
            ]

    def add_trouble(self, name: str, trouble: str) -> None:
        """Enter a source that could not be used, with the reason."""
        with self._writing() as db:
            db.execute(
                "INSERT INTO source (name, sha256, data, pages, trouble, added)"
                " VALUES (?, '', x'', 0, ?, ?)",
                (name, trouble, _now()),
            )

    def has_source(self, sha256: str) -> bool:
        """Tell whether a source with these bytes is here already."""
        row = self._db.execute("SELECT 1 FROM source WHERE sha256 = ? LIMIT 1", (sha256,))
        return row.fetchone() is not None

    def sources(self) -> list[SourceState]:
        """Return all sources in the order they came."""
        rows = self._db.execute("SELECT id, name, sha256, pages, trouble FROM source ORDER BY id")
        return [SourceState(*row) for row in rows]

    def source_bytes(self, source_id: int) -> bytes:
        """Return a source's bytes as they came."""
        row = self._db.execute("SELECT data FROM source WHERE id = ?", (source_id,)).fetchone()
        return bytes(row[0])

    def pages(self) -> list[PageState]:
        """Return all pages in the order they came."""
        rows = self._db.execute(
            "SELECT p.id, p.source_id, s.name, p.number, p.progress, p.trouble, p.kind,"
            " p.width_px, p.height_px, p.resolution, p.squared_width_px, p.squared_height_px,"
            " p.dpi, p.transform, p.angle_deg, p.unsure, p.turns, p.corners, p.verdict, p.choice,"
            " p.passed, p.straight_px, p.note, p.drawn, p.passed_over, p.parted_at, p.part,"
            " (SELECT count(*) FROM found_table t WHERE t.page_id = p.id)"
            " FROM page p JOIN source s ON s.id = p.source_id WHERE p.hidden = 0"
            " ORDER BY p.source_id, p.number, p.part"
        )
        return [_page_state(row) for row in rows]

    def store_page(self, page_id: int, finding: PageFinding) -> Carried:
        """Store what was found on a page in place of anything found there before.

        Cells that were settled keep their values and their history: each goes to the new cell
        that lies in its place on the paper. Those that have none are kept as strays.
        """
        state = finding.state
        with self._writing() as db:
            settled = _settled_on_page(db, page_id)
            before = _transform_of(db, page_id)
            outdated = db.execute("SELECT id FROM found_table WHERE page_id = ?", (page_id,))
            outdated_ids = [_int(row[0]) for row in outdated.fetchall()]
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
                    msgspec.json.encode(state.passed_over).decode(),
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
            carried = _carry_over(db, page_id, settled, state.transform, outdated_ids)
            _carry_tables(db, page_id, (before, state.transform), outdated_ids)
            db.executemany("DELETE FROM found_table WHERE id = ?", [(i,) for i in outdated_ids])
        return carried

    def choose(self, choices: Iterable[tuple[int, SquareChoice]], who: str, why: str) -> None:
        """Set how pages are to be squared, as changes that can be undone; they wait to be read."""
        self._change_pages([(page, "choice", choice) for page, choice in choices], who, why)

    def beside(self, page_id: int) -> int:
        """Return the page that takes the other part of a page's picture; it is made where missing.

        A page that was just made is nowhere: it is not seen before it is given its part.
        """
        with self._writing() as db:
            source, number, part = db.execute(
                "SELECT source_id, number, part FROM page WHERE id = ?", (page_id,)
            ).fetchone()
            other = 1 - _int(part)
            row = db.execute(
                "SELECT id FROM page WHERE source_id = ? AND number = ? AND part = ?",
                (source, number, other),
            ).fetchone()
            if row is not None:
                return _int(row[0])
            return _insert_nowhere(db, source, number, other)

    def draw(self, drawn: Iterable[tuple[int, DrawnTables | None]], who: str, why: str) -> None:
        """Set pages' tables as the clerk drew them; None takes them as found. Can be undone."""
        self._change_pages([(page, "drawn", tables) for page, tables in drawn], who, why)

    def lift(
        self, page_id: int, left: DrawnTables, choice: SquareChoice, who: str, why: str
    ) -> int:
        """Make a part of a page's picture a page of its own, as one change; return that page.

        ``left`` are the tables that the page keeps, ``choice`` says which part the other one is.
        """
        other = self._nowhere_of(page_id)
        self._change_pages([(page_id, "drawn", left), (other, "choice", choice)], who, why)
        return other

    def lay_back(self, page_id: int, who: str, why: str) -> None:
        """Take a page that was lifted out of another away again; that one's tables are as found."""
        (origin,) = self._db.execute(
            "SELECT o.id FROM page p JOIN page o ON o.source_id = p.source_id"
            " AND o.number = p.number AND o.part = p.part % 2 WHERE p.id = ?",
            (page_id,),
        ).fetchone()
        gone = SquareChoice(part=NOWHERE)
        self._change_pages([(page_id, "choice", gone), (_int(origin), "drawn", None)], who, why)

    def _nowhere_of(self, page_id: int) -> int:
        """Return a page of the same picture that is nowhere; it is made where there is none.

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
                (source, number, _int(part) % 2),
            ).fetchall()
            free = next((_int(i) for i, _, hidden in own if hidden), None)
            if free is not None:
                return free
            after = 2 + _int(part) % 2 if not own else _int(own[-1][1]) + 2
            return _insert_nowhere(db, source, number, after)

    def _change_pages(self, changes: Iterable[tuple[int, str, object]], who: str, why: str) -> None:
        with self._writing() as db:
            _drop_undone(db)
            batch = _next_change(db)  # pages that are set together are taken back together
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
                    (_next_change(db), batch, _now(), who, page_id, what, before, after, why),
                )
                _set_page(db, page_id, what, after)

    def set_table(self, table_id: int, what: str, value: str | None, who: str, why: str) -> None:
        """Set a table's "name", "header_rows", "passed" or "sums" as a change that can be undone.

        None takes it as found.
        """
        with self._writing() as db:
            _drop_undone(db)
            (before,) = db.execute(
                f"SELECT set_{what} FROM found_table WHERE id = ?",  # noqa: S608 - one of our two names
                (table_id,),
            ).fetchone()
            number = _next_change(db)
            db.execute(
                "INSERT INTO table_change (id, batch, at, who, table_id, what, before, after, why)"
                " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (number, number, _now(), who, table_id, what, before, value, why),
            )
            _set_table(db, table_id, what, value)

    def set_passed(self, page_id: int, *, passed: bool = True) -> None:
        """Note that the clerk found a page to lie right."""
        with self._writing() as db:
            db.execute("UPDATE page SET passed = ? WHERE id = ?", (int(passed), page_id))

    def strays(self, page_id: int) -> list[str]:
        """Return the settled texts that lost their cell when the page was worked on again."""
        rows = self._db.execute(
            "SELECT settled FROM stray WHERE page_id = ? ORDER BY id", (page_id,)
        )
        return [str(row[0]) for row in rows]

    @staticmethod
    def _insert_table(
        db: sqlite3.Connection, page_id: int, position: int, table: EncodedTable
    ) -> None:
        table_id = _id(
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
        """Mark a page as one that could not be worked on."""
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
        names = name_tables([(str(r[1]), str(r[2]), _int(r[3])) for r in rows])
        return [(_int(r[0]), name) for r, name in zip(rows, names, strict=True)]

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
            " t.notes, t.set_passed, t.set_sums FROM found_table t JOIN page p ON p.id = t.page_id"
            " JOIN source s ON s.id = p.source_id"
            " WHERE p.hidden = 0 AND (?1 IS NULL OR t.page_id = ?1)"
            " ORDER BY p.source_id, p.number, p.part, t.position",
            (page_id,),
        ).fetchall()
        return [self._table(row, names[_int(row[0])], find_cut, see) for row in rows]

    def readings_beside(self, cell_id: int) -> list[Reading]:
        """Return the readings of all cells of a cell's table."""
        rows = self._db.execute(
            "SELECT evidence FROM cell WHERE table_id = (SELECT table_id FROM cell WHERE id = ?)",
            (cell_id,),
        )
        return [msgspec.json.decode(e, type=Reading) for (e,) in rows]

    def cell(self, cell_id: int, least_confidence: float) -> CellState:
        """Return one cell as it stands now."""
        record = self._db.execute(
            "SELECT id, place, evidence, settled, by_hand, as_printed FROM cell WHERE id = ?",
            (cell_id,),
        ).fetchone()
        return _cell_state(record, least_confidence)

    def _table(
        self,
        row: Sequence[object],
        name: str,
        find_cut: Callable[[Sequence[float]], float],
        see: Callable[[CellState], CellState] | None,
    ) -> TableState:
        table_id, page_id, number, source, frame_json, header_rows, caption, notes, passed, sums = (
            row
        )
        read = [
            _cell_state(record, 0.0)
            for record in self._db.execute(
                "SELECT id, place, evidence, settled, by_hand, as_printed FROM cell"
                " WHERE table_id = ? ORDER BY id",
                (table_id,),
            )
        ]
        read = read if see is None else [see(state) for state in read]
        cut = find_cut([c.reading.confidence for c in read])
        cells = tuple(replace(c, flagged=c.reading.confidence < cut) for c in read)
        frame = msgspec.json.decode(str(frame_json), type=_Frame)
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
            _int(table_id),
            name,
            _int(page_id),
            _int(number),
            str(source),
            grid,
            _int(header_rows),
            str(caption),
            cells,
            cut,
            notes=str(notes),
            passed=passed is not None,
            sums=Sums() if sums is None else msgspec.json.decode(str(sums), type=Sums),
        )

    # --- settling, undo and redo ----------------------------------------------------------------

    def settle(self, cells: Iterable[tuple[int, Settled | None]], who: str, why: str) -> list[int]:
        """Settle cells (None takes the settlement back) as one change; return the ids settled.

        What was undone before can no longer be redone, but stays in the history.
        """
        done = []
        with self._writing() as db:
            _drop_undone(db)
            batch = _next_change(db)  # cells that are settled together are taken back together
            for number, (cell_id, settled) in enumerate(cells, batch):
                before = db.execute(
                    "SELECT settled, by_hand, as_printed FROM cell WHERE id = ?", (cell_id,)
                ).fetchone()
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
                    (number, batch, _now(), who, cell_id, *before, *after, why),
                )
                _set_cell(db, cell_id, after)
                done.append(cell_id)
        return done

    def undo(self) -> Step | None:
        """Take the last change back; None where there is nothing to take back."""
        return self._step("done", "DESC", "undone", "before")

    def redo(self) -> Step | None:
        """Make the last undone change again; None where there is none."""
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
            together = {"page": _step_pages, "table": _step_tables, "cell": _step_cells}[what]
            return together(db, _int(batch), (state, becomes), side)

    def history(self, cell_id: int | None = None) -> list[ChangeRecord]:
        """Return the changes of one cell or of the whole docket, the oldest first."""
        rows = self._db.execute(
            "SELECT c.id, c.at, c.who, c.cell_id, cell.evidence, c.before, c.after, c.why, c.state"
            " FROM change c JOIN cell ON cell.id = c.cell_id"
            " WHERE ?1 IS NULL OR c.cell_id = ?1 ORDER BY c.id",
            (cell_id,),
        )
        return [
            ChangeRecord(
                i,
                at,
                who,
                cell,
                msgspec.json.decode(evidence, type=Reading).text,
                before,
                after,
                why,
                state != "done",
            )
            for i, at, who, cell, evidence, before, after, why, state in rows
        ]

    # --- settings -------------------------------------------------------------------------------

    def setting(self, name: str, default: str) -> str:
        """Return a setting of this docket."""
        row = self._db.execute("SELECT value FROM setting WHERE name = ?", (name,)).fetchone()
        return default if row is None else str(row[0])

    def set_setting(self, name: str, value: str) -> None:
        """Keep a setting of this docket."""
        with self._writing() as db:
            db.execute("INSERT OR REPLACE INTO setting (name, value) VALUES (?, ?)", (name, value))


def name_tables(tables: list[tuple[str, str, int]]) -> list[str]:
    """Name tables that have no name of their own after their source.

    ``tables`` are (own name, source, page). A source's only table is called as the source is;
    several are numbered through, with the page where there is more than one.
    """
    out = []
    for i, (own, source, page) in enumerate(tables):
        stem = Path(source).stem
        same = [t for t in tables if t[1] == source]
        number = sum(t[1] == source for t in tables[: i + 1])
        pages = len({t[2] for t in same}) > 1
        numbered = f"{stem} {number}" if len(same) > 1 else stem
        out.append(own or (f"{numbered}, page {page}" if pages else numbered))
    return out


@dataclass(frozen=True)
class _SettledCell:
    """A settled cell before its page is worked on again.

    ``id`` is None for one that lost its cell earlier; ``corners`` (4, 2) are on the page as it
    came.
    """

    id: int | None
    corners: NDArray[np.float64]
    settled: str | None
    by_hand: int
    as_printed: int


def _settled_on_page(db: sqlite3.Connection, page_id: int) -> list[_SettledCell]:
    """Return a page's cells that were settled, or have a history."""
    transform = _transform_of(db, page_id)
    if transform is None:
        return []
    rows = db.execute(
        "SELECT c.id, c.place, c.settled, c.by_hand, c.as_printed FROM cell c"
        " JOIN found_table t ON t.id = c.table_id WHERE t.page_id = ?"
        " AND (c.settled IS NOT NULL OR EXISTS (SELECT 1 FROM change h WHERE h.cell_id = c.id))",
        (page_id,),
    )
    cells = [
        _SettledCell(
            _int(i),
            transform.box_on_original(msgspec.json.decode(place, type=Cell).box),
            settled,
            _int(by_hand),
            _int(as_printed),
        )
        for i, place, settled, by_hand, as_printed in rows.fetchall()
    ]
    rows = db.execute(
        "SELECT corners, settled, by_hand, as_printed FROM stray WHERE page_id = ?", (page_id,)
    )
    strays = [
        _SettledCell(
            None, np.array(msgspec.json.decode(corners)), settled, _int(by_hand), _int(as_printed)
        )
        for corners, settled, by_hand, as_printed in rows.fetchall()
    ]
    return cells + strays


def _transform_of(db: sqlite3.Connection, page_id: int) -> Transform | None:
    """Return how a page was laid when it was worked on last; None before that."""
    (encoded,) = db.execute("SELECT transform FROM page WHERE id = ?", (page_id,)).fetchone()
    return msgspec.json.decode(encoded, type=Transform) if encoded else None


def _carry_tables(
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
    frames = {_int(r[0]): msgspec.json.decode(r[1], type=_Frame) for r in rows}
    boxes = {i: frame.box for i, frame in frames.items()}
    fresh = [i for i in boxes if i not in outdated]
    for table_id, _, name, header_rows, sums in rows:
        told = db.execute("SELECT 1 FROM table_change WHERE table_id = ?", (table_id,)).fetchone()
        if _int(table_id) not in outdated or told is None or before is None:
            continue
        around = now.to_squared(before.box_on_original(boxes[_int(table_id)]))
        box = (*around.min(axis=0).tolist(), *around.max(axis=0).tolist())
        found = max(fresh, key=lambda i: overlap(box, boxes[i]), default=None)
        if found is None or overlap(box, boxes[found]) < _SAME_PLACE:
            continue
        _set_table(db, found, "name", name)
        _set_table(db, found, "header_rows", header_rows)
        if _count_lines(frames[found]) == _count_lines(frames[_int(table_id)]):
            _set_table(db, found, "sums", sums)  # told by row and column
        db.execute("UPDATE table_change SET table_id = ? WHERE table_id = ?", (found, table_id))


def _count_lines(frame: _Frame) -> tuple[int, int]:
    return len(frame.y_lines), len(frame.x_lines)


def _carry_over(
    db: sqlite3.Connection,
    page_id: int,
    settled: list[_SettledCell],
    transform: Transform,
    outdated: list[int],
) -> Carried:
    """Give settled values and their history to the new cells in the same place on the paper."""
    if not settled:
        return Carried()
    db.execute("DELETE FROM stray WHERE page_id = ?", (page_id,))
    rows = db.execute(
        "SELECT c.id, c.place, c.table_id FROM cell c JOIN found_table t ON t.id = c.table_id"
        " WHERE t.page_id = ?",
        (page_id,),
    ).fetchall()
    fresh = [
        (_int(i), msgspec.json.decode(place, type=Cell).box)
        for i, place, table in rows
        if _int(table) not in outdated
    ]
    kept, strays = 0, []
    free = dict(fresh)
    for old in settled:
        around = transform.to_squared(old.corners)
        box = (*around.min(axis=0).tolist(), *around.max(axis=0).tolist())
        found = max(free, key=lambda i: overlap(box, free[i]), default=None)
        if found is None or overlap(box, free[found]) < _SAME_PLACE:
            if old.settled is not None:
                strays.append(old.settled)
                db.execute(
                    "INSERT INTO stray (at, page_id, corners, settled, by_hand, as_printed)"
                    " VALUES (?, ?, ?, ?, ?, ?)",
                    (
                        *(_now(), page_id, msgspec.json.encode(old.corners.tolist()).decode()),
                        *(old.settled, old.by_hand, old.as_printed),
                    ),
                )
            continue
        del free[found]
        kept += old.settled is not None
        _set_cell(db, found, (old.settled, old.by_hand, old.as_printed))
        if old.id is not None:
            db.execute("UPDATE change SET cell_id = ? WHERE cell_id = ?", (found, old.id))
    return Carried(kept, tuple(strays))


def _step_cells(db: sqlite3.Connection, batch: int, states: tuple[str, str], side: str) -> Step:
    """Bring cells that were settled together to one side of their change, before or after."""
    rows = db.execute(
        f"SELECT id, cell_id, {side}, {side}_by_hand, {side}_as_printed FROM change"  # noqa: S608 - our own names
        " WHERE state = ? AND batch = ? ORDER BY id",
        (states[0], batch),
    ).fetchall()
    for change, cell_id, *value in rows:
        _set_cell(db, _int(cell_id), value)
        db.execute("UPDATE change SET state = ? WHERE id = ?", (states[1], change))
    return Step(cell_ids=tuple(_int(row[1]) for row in rows))


def _step_tables(db: sqlite3.Connection, batch: int, states: tuple[str, str], side: str) -> Step:
    """Bring what was set of a table to one side of its change, before or after."""
    rows = db.execute(
        f"SELECT id, table_id, what, {side} FROM table_change"  # noqa: S608 - our own names
        " WHERE state = ? AND batch = ? ORDER BY id",
        (states[0], batch),
    ).fetchall()
    for change, table_id, what, value in rows:
        _set_table(db, _int(table_id), str(what), value)
        db.execute("UPDATE table_change SET state = ? WHERE id = ?", (states[1], change))
    return Step(table_ids=tuple(_int(row[1]) for row in rows))


def _set_table(db: sqlite3.Connection, table_id: int, what: str, value: object) -> None:
    """Set a table's "name", "header_rows", "passed" or "sums"; None takes it as found."""
    db.execute(
        f"UPDATE found_table SET set_{what} = ? WHERE id = ?",  # noqa: S608 - one of our two names
        (value, table_id),
    )


def _step_pages(db: sqlite3.Connection, batch: int, states: tuple[str, str], side: str) -> Step:
    """Bring pages that were set together to one side of their change, before or after."""
    rows = db.execute(
        f"SELECT id, page_id, what, {side} FROM page_change"  # noqa: S608 - our own names
        " WHERE state = ? AND batch = ? ORDER BY id",
        (states[0], batch),
    ).fetchall()
    for change, page_id, what, value in rows:
        _set_page(db, page_id, what, value)
        db.execute("UPDATE page_change SET state = ? WHERE id = ?", (states[1], change))
    ruled = any(what == "drawn" for _, _, what, _ in rows)
    pages = tuple(_int(row[1]) for row in rows)
    return Step(page_ids=pages, station="rule" if ruled else "square")


def _set_cell(db: sqlite3.Connection, cell_id: int, value: Sequence[object]) -> None:
    """Set what a cell is settled with: text (None for not settled), by hand, as printed."""
    db.execute(
        "UPDATE cell SET settled = ?, by_hand = ?, as_printed = ? WHERE id = ?", (*value, cell_id)
    )


def _insert_nowhere(db: sqlite3.Connection, source: object, number: object, part: int) -> int:
    """Insert a page that is not seen before it is given its part of a picture."""
    nowhere = msgspec.json.encode(SquareChoice(part=NOWHERE)).decode()
    return _id(
        db.execute(
            "INSERT INTO page (source_id, number, part, hidden, choice) VALUES (?, ?, ?, 1, ?)",
            (source, number, part, nowhere),
        )
    )


def _set_page(db: sqlite3.Connection, page_id: int, what: str, value: str) -> None:
    """Set how a page is to be squared ("choice") or its tables ("drawn"); it waits to be read."""
    passed = ", passed = 0" if what == "choice" else ""
    db.execute(
        f"UPDATE page SET {what} = ?, progress = 'waiting'{passed} WHERE id = ?",  # noqa: S608 - our own names
        (value, page_id),
    )
    if what == "choice":
        nowhere = msgspec.json.decode(value, type=SquareChoice).part == NOWHERE
        db.execute("UPDATE page SET hidden = ? WHERE id = ?", (int(nowhere), page_id))


def _drop_undone(db: sqlite3.Connection) -> None:
    for table in ("change", "page_change", "table_change"):
        db.execute(f"UPDATE {table} SET state = 'dropped' WHERE state = 'undone'")  # noqa: S608 - our own names


def _next_change(db: sqlite3.Connection) -> int:
    """Return the next change's number; cells' and pages' changes are counted through."""
    (last,) = db.execute(
        "SELECT max((SELECT coalesce(max(id), 0) FROM change),"
        " (SELECT coalesce(max(id), 0) FROM page_change),"
        " (SELECT coalesce(max(id), 0) FROM table_change))"
    ).fetchone()
    return _int(last) + 1


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="milliseconds")


def _id(cursor: sqlite3.Cursor) -> int:
    return _int(cursor.lastrowid)


def _int(value: object) -> int:
    return int(str(value))


def _page_state(row: Sequence[object]) -> PageState:
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
        passed_over,
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
            "passed_over": decode(str(passed_over)),
            "parted_at": parted_at,
            "lifted": _int(part) >= 2,
        },
        PageState,
    )


def _cell_state(record: Sequence[object], least_confidence: float) -> CellState:
    cell_id, place, evidence, settled, by_hand, as_printed = record
    reading = msgspec.json.decode(str(evidence), type=Reading)
    return CellState(
        _int(cell_id),
        msgspec.json.decode(str(place), type=Cell),
        reading,
        None if settled is None else Settled(str(settled), bool(by_hand), bool(as_printed)),
        reading.confidence < least_confidence,
    )
