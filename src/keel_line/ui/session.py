"""The session: tables, the cell at hand, doubts in order; no widgets."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from dataclasses import replace
from pathlib import Path
from typing import TypeVar

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from keel_line._shared.memory import freeze_objects
from keel_line.desk.desk import Desk
from keel_line.desk.doubts import Order
from keel_line.desk.forms import FormFit, Jig, find_form
from keel_line.desk.jigs import Shelf
from keel_line.desk.proofs import Proofs
from keel_line.desk.tidying import (
    Change,
    Seam,
    Tidying,
    Trail,
    find_seam,
    is_likely_join,
    keep_as_jig,
    read_trail,
    tidy_table,
)
from keel_line.model.docket import PageState, Step
from keel_line.model.finding import Sums
from keel_line.model.reason import ACCEPTED, TYPED, Reason
from keel_line.model.table import CellState, TableState
from keel_line.ui.backlog import Backlog
from keel_line.ui.jobs import Jobs

EVERY_PAGE = -1
_PICTURES_KEPT, _TIDIED_KEPT = 6, 8
_REST_MS = 200
_PLAIN_DPI = 300.0
_T = TypeVar("_T")
_TIDIED_AT_ONCE = 600  # cells that are tidied in a few milliseconds
_CELLS_AT_ONCE, _MOST_AT_ONCE = 1000, 10_000  # opened before the window is shown
_OPENING_S = 0.004  # spent at a time on what is opened afterwards
_REPORTED_S = 0.3


class Session(QObject):
    """The window's model of an open docket.

    Signals
    -------
    tables_changed
        Tables came or went; carries the id of their page, ``EVERY_PAGE`` where several may have.
    cells_changed
        Cells of the docket changed their value or doubt.
    renewed
        Every table follows a setting that was changed.
    moved
        Another cell or table is at hand.
    picture_changed
        A page's picture is there now; carries its id.
    original_changed
        A page as it came is there now; carries its id.
    opening
        Pages of the docket whose tables are open now, and how many there are.
    pages_unsquared
        Pages' squaring was undone or made again, so that they wait; carries their ids.
    tidied
        A long table was tidied.
    """

    tables_changed = pyqtSignal(int)
    cells_changed = pyqtSignal()
    renewed = pyqtSignal()
    moved = pyqtSignal()
    picture_changed = pyqtSignal(int)
    original_changed = pyqtSignal(int)
    opening = pyqtSignal(int, int)
    pages_unsquared = pyqtSignal(tuple, str)
    tidied = pyqtSignal()

    def __init__(self, desk: Desk, jobs: Jobs, shelf: Shelf | None = None) -> None:
        super().__init__()
        self.shelf = shelf or Shelf(None)
        self.desk = desk
        self.jobs = jobs
        jobs.find_forms = self.shelf.known_forms
        self.proofs = Proofs(desk, jobs.want_judged, self.cells_changed.emit)
        self.table_index = 0
        self.cell_index = 0
        self._pictures: OrderedDict[int, QImage] = OrderedDict()
        self._originals: OrderedDict[int, QImage] = OrderedDict()
        self._tidied: OrderedDict[int, tuple[tuple[TableState, ...], Tidying]] = OrderedDict()
        self._tidying_asked: dict[int, tuple[TableState, ...]] = {}
        self._forms: dict[int, tuple[tuple[object, ...], FormFit | None]] = {}
        self.to_recall = Backlog(self.proofs.recall, self)
        self._closed = False
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._learn)
        self._likely_joins: dict[int, int] = {}  # by table: the next one, in which it may go on
        self.to_weigh = Backlog(self._weigh_join, self)
        self.to_weigh.cleared.connect(self.cells_changed)
        self.to_renew = Backlog(self._renew_table, self)
        self.to_renew.cleared.connect(self._after_renewing)
        self.to_open = Backlog(self._open_page, self, _OPENING_S)
        self.to_open.paused.connect(self._report_opening)
        self.to_open.cleared.connect(self._after_opening)
        self._pages_to_open = 0
        self._reported = 0.0
        self._from_docket = False
        self._held = False
        jobs.picture_ready.connect(self._keep_picture)
        jobs.original_ready.connect(self._keep_original)
        jobs.page_done.connect(self.take_page)
        jobs.judged.connect(self._take_judged)
        self.reload()

    def set_desk(self, desk: Desk) -> None:
        """Open another docket."""
        self.desk = desk
        self.jobs.set_desk(desk)
        self._pictures.clear()
        self._originals.clear()
        self.table_index = self.cell_index = 0
        self._held = False
        self.proofs.desk = desk
        self.proofs.clear()
        self.reload()

    def close(self) -> None:
        """Start nothing more; results still under way are dropped."""
        self._rest.stop()
        for backlog in (self.to_open, self.to_weigh, self.to_renew, self.to_recall):
            backlog.empty()
        self._closed = True

    def reload(self) -> None:
        """Read all tables from the docket again, staying at the cell at hand.

        Those of a large docket come in little by little, the first ones and those of the page at
        hand at once.
        """
        self.to_renew.empty()
        self.to_open.empty()
        at, page = self._cell_at_hand(), self.table.page_id if self.table else None
        waiting = self.proofs.begin()
        self._pages_to_open = len(waiting)
        if page in waiting:
            self.proofs.open_page(page)
        done = 0
        for page_id in waiting:
            cells = self.proofs.total.cells
            if cells > (_CELLS_AT_ONCE if self.doubts_left() else _MOST_AT_ONCE):
                break
            if page_id != page:
                self.proofs.open_page(page_id)
            done += 1
        self.to_open.put(i for i in waiting[done:] if i != page)
        self._show_tables(EVERY_PAGE, at)
        if self.to_open:
            self.to_open.work_soon()

    def _open_page(self, page_id: int) -> None:
        at = self._cell_at_hand()
        self.proofs.open_page(page_id)
        if at is not None:
            self._go_to_cell_id(at)  # tables before it may have come

    def _report_opening(self) -> None:
        """Report now and then how many pages are open: painting it costs more than opening one."""
        now = time.monotonic()
        if self.to_open and now - self._reported < _REPORTED_S:
            return
        self._reported = now
        freeze_objects()  # a search for cycles among them would hold the window for a second
        self.cells_changed.emit()
        self.opening.emit(self._pages_to_open - len(self.to_open), self._pages_to_open)

    def _after_opening(self) -> None:
        self.to_recall.put(t.id for t in self.tables)  # what was settled meanwhile
        self.to_recall.work()
        self._queue_joins(EVERY_PAGE)
        self._report_opening()

    def open_now(self, page_id: int) -> None:
        """Open a page's tables if they still wait to be opened."""
        if page_id in self.to_open:
            self.to_open.drop(page_id)
            self._open_page(page_id)
            self.tables_changed.emit(page_id)

    @property
    def is_open(self) -> bool:
        """Whether all of the docket's tables are there."""
        return not self.to_open

    def take_page(self, page_id: int) -> None:
        """Load the tables of a page that was just read; keep the others."""
        self._pictures.pop(page_id, None)
        at = self._cell_at_hand()
        self.to_open.drop(page_id)
        self.proofs.take_page(page_id)
        self._show_tables(page_id, at)

    def _cell_at_hand(self) -> int | None:
        """Return the number of the cell at hand; None where there is no table yet."""
        return None if self.table is None else self.cell.id

    def _show_tables(self, page_id: int, at: int | None) -> None:
        self.to_recall.empty()
        if at is not None:
            self._go_to_cell_id(at)
        self._stay_within()
        # Pages are done in any order: until the clerk comes to them, the first doubt is at hand.
        place = self.proofs.doubts.first()
        if place is not None and (at is None or not self._held):
            self.table_index, self.cell_index = place
        self._queue_joins(page_id)
        self.tables_changed.emit(page_id)
        self.moved.emit()

    def _queue_joins(self, page_id: int) -> None:
        """Weigh again, when there is time, which tables go on in the next."""
        if page_id == EVERY_PAGE:
            self._likely_joins.clear()
            self.to_weigh.put(t.id for t in self.tables)
        else:
            own = self.proofs.indexes_on(page_id)
            self.to_weigh.put(t.id for t in self.tables[max(0, own.start - 1) : own.stop])
        self.to_weigh.work_soon(_REST_MS)

    def _weigh_join(self, table_id: int) -> None:
        index = self.proofs.index_of(table_id)
        self._likely_joins.pop(table_id, None)
        if index is not None and index + 1 < len(self.tables):
            both = self.tables[index], self.tables[index + 1]
            if is_likely_join(*both):
                self._likely_joins[table_id] = both[1].id

    def _trails(self) -> list[Trail]:
        """Return the trails of the tables that are tidied."""
        both = zip(self.tables, self.proofs.tallies, strict=True)
        return [read_trail(t) for t, tally in both if tally.tidied]

    def count_joined(self) -> int:
        """Count the tables that are joined to others."""
        return len({number for trail in self._trails() for number in trail.joined})

    def count_open_joins(self) -> int:
        """Count the tables that may go on in the next and are neither joined nor left so."""
        trails = self._trails() if self.proofs.total.tidied else []
        if not trails:
            return len(self._likely_joins)
        done = {number for trail in trails for number in trail.joined}
        declined = {key for trail in trails for key in trail.declined}
        return sum(
            number not in done and f"join {number}" not in declined
            for number in self._likely_joins.values()
        )

    def _stay_within(self) -> None:
        """Choose an existing cell if the current one is gone."""
        self.table_index = min(self.table_index, max(0, len(self.tables) - 1))
        cells = len(self.tables[self.table_index].cells) if self.tables else 0
        self.cell_index = min(self.cell_index, max(0, cells - 1))

    # --- what is at hand -----------------------------------------------------------------------

    @property
    def tables(self) -> list[TableState]:
        """All tables, in the order of the docket."""
        return self.proofs.tables

    @property
    def table(self) -> TableState | None:
        """The table at hand."""
        return self.tables[self.table_index] if self.table_index < len(self.tables) else None

    @property
    def cell(self) -> CellState:
        """The cell at hand.

        Raises
        ------
        IndexError
            When there is no table; ask ``table`` first.
        """
        if self.table is None:
            raise IndexError("no table")
        return self.table.cells[min(self.cell_index, len(self.table.cells) - 1)]

    def hold(self) -> None:
        """Keep the current cell whatever pages are read: the clerk is working on it."""
        self._held = True

    def go_to(self, table_index: int, cell_index: int) -> None:
        """Make a cell current, and keep it so."""
        self._held = True
        self._let_rest()
        self.table_index, self.cell_index = table_index, cell_index
        self._stay_within()
        self.moved.emit()

    def _let_rest(self) -> None:
        """Put off what can wait while keys are pressed."""
        for backlog in (self.to_open, self.to_weigh):
            backlog.work_soon(_REST_MS)

    def go_to_table(self, step: int) -> None:
        """Go to a table after (+1) or before (-1), to its first doubt if it has one."""
        new = self.table_index + step
        if not 0 <= new < len(self.tables):
            return
        own = self.proofs.doubts.of(self.tables[new].id)
        self.go_to(new, own[0] if own else 0)

    def go_to_page(self, page_id: int) -> None:
        """Go to the first table of a page."""
        self.open_now(page_id)
        own = self.proofs.indexes_on(page_id)
        if own and self.table_index not in own:
            self.go_to_table(own.start - self.table_index)

    def go_to_cell(self, page_id: int, cell_id: int) -> bool:
        """Go to a cell of a page; return whether it is still there."""
        self.open_now(page_id)
        place = self.proofs.find_cell(cell_id)
        if place is not None:
            self.go_to(*place)
        return place is not None

    def go_beside(self, rows: int, cols: int) -> None:
        """Go to the cell beside, above or below."""
        table = self.table
        if table is None:
            return
        here = self.cell.cell
        row = here.row + (here.row_span if rows > 0 else rows)
        col = here.col + (here.col_span if cols > 0 else cols)
        number = table.grid.number_at(row, col)
        if number is not None:
            self.go_to(self.table_index, number)

    def _go_to_cell_id(self, cell_id: int) -> bool:
        place = self.proofs.find_cell(cell_id)
        if place is None:
            return False
        self.table_index, self.cell_index = place
        return True

    # --- doubts -----------------------------------------------------------------------------

    def doubts(self) -> list[tuple[int, int]]:
        """Return (table, cell) of each open doubt, in order."""
        return self.proofs.doubts.listed()

    @property
    def order(self) -> Order:
        """The order of doubts."""
        return self.proofs.doubts.order

    def doubts_left(self) -> int:
        """Return the number of open doubts."""
        return len(self.proofs.doubts)

    def doubts_before(self) -> int:
        """Count the open doubts before the cell at hand."""
        return 0 if self.table is None else self.proofs.doubts.before(self.table.id, self.cell)

    def set_order(self, order: Order) -> None:
        """Change the order of doubts."""
        self.proofs.doubts.set_order(order, self.tables)
        self.moved.emit()

    def go_to_first_doubt(self) -> None:
        """Go to the first open doubt, if there is one."""
        first = self.proofs.doubts.first()
        if first is not None:
            self.go_to(*first)

    def go_to_broken(self) -> bool:
        """Go to the first amount whose sum does not add up, if there is one."""
        place = self.proofs.find_broken()
        if place is not None:
            self.go_to(*place)
        return place is not None

    def go_to_doubt(self, step: int) -> bool:
        """Go to the next (+1) or previous (-1) doubt; the first follows the last."""
        if self.table is None:
            return False
        place = self.proofs.doubts.beside(self.table.id, self.cell, step)
        if place is None:
            return False
        self.go_to(*place)
        return True

    def set_tolerance(self, value: float) -> None:
        """Set the tolerance (wrong cells in 1,000 left unflagged), and flag all cells again."""
        self.desk.set_tolerance(value)
        self._renew(from_docket=False)

    def set_plain_signs(self, *, plain: bool) -> None:
        """Turn plain dashes and quotes on or off, and flag all cells again."""
        self.desk.set_plain_signs(plain=plain)
        self._renew(from_docket=True)

    def _renew(self, *, from_docket: bool) -> None:
        """Apply the settings to all tables: the current one now, the rest little by little.

        ``from_docket`` says that their cells must be read from the docket again.
        """
        self._from_docket = from_docket or (self._from_docket and bool(self.to_renew))
        here = self.table_index
        order = sorted(range(len(self.tables)), key=lambda i: abs(i - here))
        self.to_renew.empty()
        self.to_renew.put(self.tables[i].id for i in order)
        self.to_renew.work()

    def _after_renewing(self) -> None:
        self.cells_changed.emit()
        self.renewed.emit()

    def _renew_table(self, table_id: int) -> None:
        index = self.proofs.index_of(table_id)
        if index is None:
            return
        if not self._from_docket:
            self.proofs.judge(index)
            return
        for done in self.proofs.take_again(self.tables[index].page_id):
            self.to_renew.drop(done)  # it stands on the same page

    # --- settling ----------------------------------------------------------------------------

    def accept(self, why: Reason = ACCEPTED) -> None:
        """Settle the cell at hand with its current value."""
        if self.table is not None:
            self.desk.accept([self.cell], why)
            self._refresh([self.cell.id])

    def set_heading(self, table: TableState, rows: int) -> None:
        """Set how many rows of a table are its heading."""
        self.desk.set_heading(table, rows)
        self.take_page(table.page_id)

    def rename(self, table: TableState, name: str) -> None:
        """Name a table."""
        self.desk.rename(table, name)
        self.take_page(table.page_id)

    def set_sums(self, sums: Sums, why: Reason) -> None:
        """Set which cells of the table at hand make which."""
        if self.table is not None:
            self.desk.set_sums(self.table, sums, why)
            self.take_page(self.table.page_id)

    def set_steps(self, table: TableState, change: Change) -> None:
        """Set what is done to a table at Tidy."""
        self.desk.set_steps(table, change)
        index = self.proofs.index_of(table.id)
        if index is not None:
            now = replace(self.tables[index], steps=change.encoded)
            self.proofs.put_table(index, now, ())
            self.proofs.judge(index)

    def keep_as_jig(self, name: str, table: TableState) -> Path:
        """Keep what was done to a table as a jig; return its file.

        Raises
        ------
        OutputError
            When it cannot be written.
        """
        self._tidied.clear()  # other tables may be of its form
        page = self.desk.page(table.page_id)
        dpi = _PLAIN_DPI if page is None else page.dpi
        return self.shelf.keep(keep_as_jig(name, table, dpi, self.desk.writing))

    def follow_jig(self, name: str) -> None:
        """Take over the jig's options for writing, unless the clerk has chosen some."""
        for jig in self.shelf.jigs():
            if jig.name == name:
                self.desk.follow_writing(jig.write)
                return

    def find_form(self, page: PageState, jigs: Sequence[Jig]) -> FormFit | None:
        """Return the jig whose lines a page should have and has not, if there is one."""
        own = [t for _, t in self.proofs.tables_on(page.id)]
        asked = (page.drawn is None, *own, *jigs)
        known = self._forms.get(page.id)
        if known is None or not is_same(known[0], asked):
            known = self._forms[page.id] = asked, find_form(page, own, jigs)
        return known[1]

    def tidying(self, table: TableState) -> Tidying:
        """Return a table as it is tidied; one that was asked for before is not made again."""
        beside = tuple(self._beside(table))
        known = self._tidied.get(table.id)
        if known is not None and is_same(known[0], beside):
            return known[1]
        return self._keep_tidied(table, beside, tidy_table(table, beside, self.shelf.jigs()))

    def _keep_tidied(
        self, table: TableState, beside: tuple[TableState, ...], made: Tidying
    ) -> Tidying:
        self._tidied[table.id] = beside, made
        while len(self._tidied) > _TIDIED_KEPT:
            self._tidied.popitem(last=False)
        return made

    def find_tidying(self, table: TableState) -> Tidying | None:
        """Return a table as it is tidied, all that is shown of it found.

        None where it is long: a thread tidies it, and ``tidied`` tells when it is done.
        """
        beside = tuple(self._beside(table))
        known = self._tidied.get(table.id)
        if known is not None and is_same(known[0], beside):
            return known[1]
        if not self.is_long(table):
            return self.tidying(table)
        asked = self._tidying_asked.get(table.id)
        if asked is None or not is_same(asked, beside):
            self._tidying_asked[table.id] = beside
            jigs = self.shelf.jigs()
            self.jobs.want(
                lambda: tidy_table(table, beside, jigs).prepare(),
                lambda made: self._take_tidied(table, beside, made),
            )
        return None

    def _take_tidied(
        self, table: TableState, beside: tuple[TableState, ...], made: Future[Tidying]
    ) -> None:
        asked = self._tidying_asked.get(table.id)
        if asked is None or not is_same(asked, beside):
            return  # it was changed meanwhile
        del self._tidying_asked[table.id]
        self._keep_tidied(table, beside, made.result())
        self.tidied.emit()

    def find_seam(self, table: TableState, tidying: Tidying, row: int) -> Seam | None:
        """Return where a table goes on that is nearest to a row; None where it does not."""
        return find_seam(table, tidying, {t.id: t for t in self._beside(table)}, row)

    def with_tidying(
        self, table: TableState, work: Callable[[Tidying], _T], then: Callable[[_T], object]
    ) -> None:
        """Make something of a table as it is tidied; ``then`` gets it, of a long one later."""
        if not self.is_long(table):
            then(work(self.tidying(table)))
            return
        beside = tuple(self._beside(table))
        known = self._tidied.get(table.id)
        made = known[1] if known is not None and is_same(known[0], beside) else None
        self.jobs.want(
            lambda: work(made or tidy_table(table, beside)), lambda done: then(done.result())
        )

    def is_long(self, table: TableState) -> bool:
        """Return whether tidying a table, with those joined to it, takes longer than a moment."""
        return sum(len(t.cells) for t in self._beside(table)) > _TIDIED_AT_ONCE

    def joined_to(self, table: TableState) -> TableState | None:
        """Return the table that a table is joined to, if it is."""
        both = zip(self.tables, self.proofs.tallies, strict=True)
        return next((t for t, n in both if n.tidied and table.id in read_trail(t).joined), None)

    def _beside(self, table: TableState) -> Sequence[TableState]:
        """Return the tables that a table is joined with or may go on in, in order."""
        index = self.proofs.index_of(table.id)
        if index is None:
            return [table]
        joined = {*read_trail(table).joined}
        last = max([index, *(i for n in joined if (i := self.proofs.index_of(n)) is not None)])
        first = min([index, *(i for n in joined if (i := self.proofs.index_of(n)) is not None)])
        return self.tables[first : last + 2]

    def accept_lines(self, table: TableState) -> None:
        """Record that the clerk approved a table's lines."""
        self.desk.accept_lines(table)
        self.take_page(table.page_id)

    def settle_as_printed(self) -> None:
        """Settle the cell at hand as printed, although a check expects another value."""
        if self.table is not None:
            self.desk.settle_as_printed(self.cell)
            self._refresh([self.cell.id])

    def settle_all(self, cells: Sequence[tuple[CellState, str]], why: Reason) -> None:
        """Settle cells, each with a text, as one change."""
        if cells:
            self.desk.settle_all(cells, why)
            self._refresh([state.id for state, _ in cells])

    def replace_text(self, text: str, why: Reason = TYPED) -> None:
        """Settle the cell at hand with another value."""
        if self.table is not None:
            self.desk.replace(self.cell, text, why)
            self._refresh([self.cell.id])

    def undo(self) -> bool:
        """Undo the last change and go to its cell."""
        return self._after_step(self.desk.undo())

    def redo(self) -> bool:
        """Redo the last undone change and go to its cell."""
        return self._after_step(self.desk.redo())

    def _after_step(self, step: Step | None) -> bool:
        if step is None:
            return False
        for page_id in self.desk.pages_of(step):
            self.open_now(page_id)
        if step.page_ids:
            self.pages_unsquared.emit(step.page_ids, step.station)
        elif step.table_ids:
            known = [self.proofs.index_of(i) for i in step.table_ids]
            for page_id in {self.tables[i].page_id for i in known if i is not None}:
                self.take_page(page_id)
            at = self.proofs.index_of(step.table_ids[0])
            if at is not None:
                self.go_to(at, 0)
        elif step.cell_ids:
            self._refresh(step.cell_ids)
            self._go_to_cell_id(step.cell_ids[0])
            self.moved.emit()
        return True

    def _refresh(self, cell_ids: Sequence[int]) -> None:
        """Update cells without reading the whole docket again."""
        self._let_rest()
        self.to_recall.put(self.proofs.renew_cells(cell_ids))
        if self.proofs.learns or self.to_recall:
            self._rest.start()

    def _learn(self) -> None:
        """Judge the tables again whose settled cells teach something."""
        self.proofs.learn()
        self.to_recall.work()

    def _take_judged(self, asked: TableState, judged: TableState) -> None:
        if not self._closed:
            self.proofs.take_judged(asked, judged)

    # --- pictures ----------------------------------------------------------------------------

    def picture(self, page_id: int) -> QImage | None:
        """Return a page's squared picture; None while it loads."""
        image = self._pictures.get(page_id)
        if image is None:
            self.jobs.want_picture(page_id)
            return None
        self._pictures.move_to_end(page_id)
        return image

    def original(self, page: PageState) -> QImage | None:
        """Return a page as it came, shrunk; None while it loads."""
        image = self._originals.get(page.id)
        if image is None:
            self.jobs.want_original(page)
            return None
        self._originals.move_to_end(page.id)
        return image

    def _keep_original(self, page_id: int, image: QImage) -> None:
        self._originals[page_id] = image
        while len(self._originals) > _PICTURES_KEPT:
            self._originals.popitem(last=False)
        self.original_changed.emit(page_id)

    def _keep_picture(self, page_id: int, image: QImage) -> None:
        self._pictures[page_id] = image
        while len(self._pictures) > _PICTURES_KEPT:
            self._pictures.popitem(last=False)
        self.picture_changed.emit(page_id)


def is_same(known: Sequence[object], now: Sequence[object]) -> bool:
    """Return whether two lists hold the very same objects."""
    return len(known) == len(now) and all(a is b for a, b in zip(known, now, strict=True))
