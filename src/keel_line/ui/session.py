"""The session: tables, the cell at hand, doubts in order; no widgets."""

from __future__ import annotations

from collections import Counter, OrderedDict
from collections.abc import Sequence
from dataclasses import replace

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from keel_line._shared.memory import freeze_objects
from keel_line.desk.desk import Desk
from keel_line.desk.doubts import Doubts, Order
from keel_line.desk.learning import LEAST_SEEN, Experience, Topic, topic_of
from keel_line.desk.misreadings import Misreadings
from keel_line.desk.tally import Tally, count_table
from keel_line.model.docket import PageState, Step
from keel_line.model.finding import Sums
from keel_line.model.reason import ACCEPTED, TYPED, Reason
from keel_line.model.table import CellState, TableState
from keel_line.ui.backlog import Backlog
from keel_line.ui.jobs import Jobs

EVERY_PAGE = -1
_PICTURES_KEPT = 6
_MANY_CELLS = 5000
_REST_MS = 200
_JUDGED_AT_ONCE = 250  # cells whose checks take a few milliseconds


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
    pages_unsquared
        Pages' squaring was undone or made again, so that they wait; carries their ids.
    """

    tables_changed = pyqtSignal(int)
    cells_changed = pyqtSignal()
    renewed = pyqtSignal()
    moved = pyqtSignal()
    picture_changed = pyqtSignal(int)
    original_changed = pyqtSignal(int)
    pages_unsquared = pyqtSignal(tuple, str)

    def __init__(self, desk: Desk, jobs: Jobs) -> None:
        super().__init__()
        self.desk = desk
        self.jobs = jobs
        self.tables: list[TableState] = []
        self.table_index = 0
        self.cell_index = 0
        self._pictures: OrderedDict[int, QImage] = OrderedDict()
        self._originals: OrderedDict[int, QImage] = OrderedDict()
        self._doubts = Doubts()
        self.tallies: list[Tally] = []
        self.experience = Experience()
        self._misreadings = Misreadings()
        self._telling: set[int] = set()
        self.to_recall = Backlog(self._recall, self)
        self._closed = False
        self._to_learn: set[int] = set()
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self._learn)
        self.to_renew = Backlog(self._renew_table, self)
        self.to_renew.cleared.connect(self._after_renewing)
        self._from_docket = False
        # How often each topic was met in settled cells, by table.
        self._met: Counter[tuple[int, Topic]] = Counter()
        self._where: dict[int, tuple[int, int]] = {}  # by cell: its table, and its number in it
        self._at: dict[int, int] = {}  # by table: where it stands in the docket's order
        self._changes: dict[int, set[int] | None] = {}
        self._held = False
        self._unjudged: set[int] = set()
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
        self._count_tables([])
        self.reload()

    def close(self) -> None:
        """Start nothing more; results still under way are dropped."""
        self._rest.stop()
        self.to_renew.empty()
        self.to_recall.empty()
        self._closed = True

    def reload(self) -> None:
        """Read all tables from the docket again, staying at the cell at hand."""
        self.to_renew.empty()
        self._show_tables(self.desk.tables())

    def take_page(self, page_id: int) -> None:
        """Load the tables of a page that was just read; keep the others."""
        self._pictures.pop(page_id, None)
        known = {t.id: t for t in self.tables if t.page_id != page_id}
        fresh = self.desk.tables(page_id, self._misreadings)
        known |= {t.id: t for t in fresh}
        for number, name in self.desk.table_names(page_id).items():
            if number in known and known[number].name != name:
                known[number] = replace(known[number], name=name)
        self._show_tables([known[i] for i in self.desk.table_ids() if i in known], page_id)

    def _show_tables(self, tables: list[TableState], page_id: int = EVERY_PAGE) -> None:
        at = self.cell.id if self.table is not None else None
        first = not self.tables
        if sum(len(t.cells) for t in tables) > _MANY_CELLS:
            freeze_objects()  # a search for cycles among them would hold the window for a second
        self._count_tables(tables)
        if at is not None:
            self._go_to_cell_id(at)
        self._stay_within()
        # Pages are done in any order: until the clerk comes to them, the first doubt is at hand.
        place = self._doubts.first()
        if place is not None and (first or not self._held):
            self.table_index, self.cell_index = place
        self.tables_changed.emit(page_id)
        self.moved.emit()

    def _count_tables(self, tables: list[TableState]) -> None:
        """Replace tables; count only the cells of those that came or went."""
        before = {
            id(t.cells): (t, tally) for t, tally in zip(self.tables, self.tallies, strict=True)
        }
        kept = {id(t.cells) for t in tables} & before.keys()
        for key, (table, _) in before.items():
            if key not in kept:
                self._count_whole(table, -1)
        for table in tables:
            if id(table.cells) not in kept:
                self._count_whole(table, 1)
        self.tallies = [
            before[id(t.cells)][1] if id(t.cells) in kept else count_table(t) for t in tables
        ]
        stay = {t.id for t in tables if id(t.cells) in kept}
        self._to_learn &= stay
        self._unjudged &= stay  # the desk hands tables out judged
        self._changes = {
            t.id: self._changes.get(t.id, set()) if t.id in stay else None for t in tables
        }
        self.to_recall.empty()
        now = {t.id: i for i, t in enumerate(tables)}
        self.tables, self._at = tables, now
        self._doubts.arrange(tables, now.keys() - stay)

    def _count_whole(self, table: TableState, times: int) -> None:
        """Add a table's settled cells to what is learnt (1), or remove them (-1)."""
        columns = table.grid.cols
        for place, state in enumerate(table.cells):
            if times > 0:
                self._where[state.id] = (table.id, place)
            elif self._where.get(state.id, (0, 0))[0] == table.id:
                del self._where[state.id]
            if state.settled is None:
                continue
            self.experience.add(state, times)
            self._misreadings.add(columns, state, times)
            if (topic := topic_of(state)) is not None:
                self._met[table.id, topic] += times

    def _stay_within(self) -> None:
        """Choose an existing cell if the current one is gone."""
        self.table_index = min(self.table_index, max(0, len(self.tables) - 1))
        cells = len(self.tables[self.table_index].cells) if self.tables else 0
        self.cell_index = min(self.cell_index, max(0, cells - 1))

    # --- what is at hand -----------------------------------------------------------------------

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
        self.table_index, self.cell_index = table_index, cell_index
        self._stay_within()
        self.moved.emit()

    def go_to_table(self, step: int) -> None:
        """Go to a table after (+1) or before (-1), to its first doubt if it has one."""
        new = self.table_index + step
        if not 0 <= new < len(self.tables):
            return
        own = self._doubts.of(self.tables[new].id)
        self.go_to(new, own[0] if own else 0)

    def go_to_page(self, page_id: int) -> None:
        """Go to the first table of a page."""
        for index, table in enumerate(self.tables):
            if table.page_id == page_id and self.table and self.table.page_id != page_id:
                self.go_to_table(index - self.table_index)
                return

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
        table_id, place = self._where.get(cell_id, (-1, 0))
        if table_id not in self._at:
            return False
        self.table_index, self.cell_index = self._at[table_id], place
        return True

    # --- doubts -----------------------------------------------------------------------------

    def doubts(self) -> list[tuple[int, int]]:
        """Return (table, cell) of each open doubt, in order."""
        return self._doubts.listed()

    @property
    def order(self) -> Order:
        """The order of doubts."""
        return self._doubts.order

    def doubts_left(self) -> int:
        """Return the number of open doubts."""
        return len(self._doubts)

    def doubts_in_all(self) -> int:
        """Return the number of flagged cells, settled or not."""
        return sum(t.flagged for t in self.tallies)

    def doubts_before(self) -> int:
        """Count the open doubts before the cell at hand."""
        return 0 if self.table is None else self._doubts.before(self.table.id, self.cell)

    def expected_wrong(self) -> float:
        """Return the expected number of wrong cells among those nobody checked."""
        return sum(t.wrong for t in self.tallies)

    def set_order(self, order: Order) -> None:
        """Change the order of doubts."""
        self._doubts.set_order(order, self.tables)
        self.moved.emit()

    def go_to_first_doubt(self) -> None:
        """Go to the first open doubt, if there is one."""
        first = self._doubts.first()
        if first is not None:
            self.go_to(*first)

    def go_to_broken(self) -> bool:
        """Go to the first amount whose sum does not add up, if there is one."""
        for t, table in enumerate(self.tables):
            for c, state in enumerate(table.cells):
                if state.broken:
                    self.go_to(t, c)
                    return True
        return False

    def go_to_doubt(self, step: int) -> bool:
        """Go to the next (+1) or previous (-1) doubt; the first follows the last."""
        if self.table is None:
            return False
        place = self._doubts.beside(self.table.id, self.cell, step)
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
        index = self._index_of(table_id)
        if index is None:
            return
        if not self._from_docket:
            self._judge(index)
            return
        for fresh in self.desk.tables(self.tables[index].page_id, self._misreadings):
            own = self._index_of(fresh.id)
            if own is None:
                continue
            self._unjudged.discard(fresh.id)
            self.to_renew.drop(fresh.id)  # it stands on the same page
            # Unchanged cells are not repainted.
            both = zip(self.tables[own].cells, fresh.cells, strict=True)
            cells = tuple(old if old == new else new for old, new in both)
            self._put_table(own, replace(fresh, cells=cells))

    def _index_of(self, table_id: int) -> int | None:
        """Return a table's index in the docket; None if it is gone."""
        return self._at.get(table_id)

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

    def accept_lines(self, table: TableState) -> None:
        """Record that the clerk approved a table's lines."""
        self.desk.accept_lines(table)
        self.take_page(table.page_id)

    def lines_to_review(self) -> int:
        """Return the number of lines in doubt in all tables."""
        return sum(len(t.line_doubts) for t in self.tables)

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
        if step.page_ids:
            self.pages_unsquared.emit(step.page_ids, step.station)
        elif step.table_ids:
            self.reload()
            at = [i for i, t in enumerate(self.tables) if t.id in step.table_ids]
            if at:
                self.go_to(at[0], 0)
        elif step.cell_ids:
            self._refresh(step.cell_ids)
            self._go_to_cell_id(step.cell_ids[0])
            self.moved.emit()
        return True

    def _refresh(self, cell_ids: Sequence[int]) -> None:
        """Update cells without reading the whole docket again."""
        places: dict[int, list[int]] = {}
        for cell_id in cell_ids:
            if cell_id in self._where:
                table_id, place = self._where[cell_id]
                places.setdefault(table_id, []).append(place)
        for table_id, own in places.items():
            self._refresh_table(self._at[table_id], own)

    def _refresh_table(self, index: int, places: Sequence[int]) -> None:
        """Update some cells of a table; ``places`` are their indices."""
        table = self.tables[index]
        cells = list(table.cells)
        same, teaches = True, False
        for place in places:
            before = cells[place]
            fresh = self.desk.cell(before.id, table.least_confidence)
            same = same and _value(fresh) == _value(before)
            teaches = teaches or self._teaches(index, before)
            cells[place] = replace(
                fresh,
                flagged=before.flagged,
                weighed=before.weighed,
                broken=before.broken,
                recalled=before.recalled,
            )
        self._telling.clear()
        self._put_table(index, replace(table, cells=tuple(cells)), places)
        # Another text may make a sum balance, or break one: the whole table is judged again.
        if not same or table.id in self._unjudged:
            self._judge(index)
        elif teaches:  # its like may be doubted less: that can wait until the hands rest
            self._to_learn.add(table.id)
        told = [t for t in self.tables if t.grid.cols in self._telling]
        self.to_recall.put(t.id for t in told if same or t.id != table.id)
        if self._to_learn or self.to_recall:
            self._rest.start()

    def _judge(self, index: int) -> None:
        """Judge a table again: now, or in a thread if that takes longer."""
        table = self.tables[index]
        if len(table.cells) <= _JUDGED_AT_ONCE:
            self._put_table(index, self.desk.judge(table, self._misreadings))
        else:
            self._unjudged.add(table.id)  # until the answer to this very state comes
            self.jobs.want_judged(table, self._misreadings)

    def _learn(self) -> None:
        """Judge the tables again whose settled cells teach something."""
        for table in self.tables:
            if table.id in self._to_learn:
                self.jobs.want_judged(table, self._misreadings)
        self._to_learn.clear()
        self.to_recall.work()

    def _recall(self, table_id: int) -> None:
        """Judge a table again if it holds cells read like a corrected one.

        (Or holds some no more, where it was undone or proved right as often.)
        """
        index = self._index_of(table_id)
        if index is not None and self._is_told_otherwise(self.tables[index]):
            self._judge(index)

    def _is_told_otherwise(self, table: TableState) -> bool:
        recall, columns = self._misreadings.recall, table.grid.cols
        return any(recall(columns, s) != s.recalled for s in table.cells if s.settled is None)

    def _teaches(self, index: int, state: CellState) -> bool:
        """Return whether settling a cell may reduce other cells' doubt."""
        if state.recalled:  # that it is right says something of those that were recalled with it
            return True
        topic = topic_of(state)
        if topic is None or self._met[self.tables[index].id, topic] + 1 < LEAST_SEEN:
            return False
        cells = self.tables[index].cells
        own = (cells[c] for c in self._doubts.of(self.tables[index].id))
        return any(other.id != state.id and topic_of(other) == topic for other in own)

    def _take_judged(self, asked: TableState, judged: TableState) -> None:
        """Apply a large table's findings, unless it changed meanwhile."""
        if self._closed:
            return
        for index, table in enumerate(self.tables):
            if table is asked:
                self._unjudged.discard(table.id)
                self._put_table(index, judged)
                return

    def _put_table(
        self, index: int, table: TableState, places: Sequence[int] | None = None
    ) -> None:
        """Replace a table, and count its doubts again.

        ``places`` are the numbers of the cells that changed; without, all are looked through.
        """
        before = self.tables[index]
        if places is None:
            pairs = zip(before.cells, table.cells, strict=True)
            places = [i for i, (old, new) in enumerate(pairs) if old is not new]
        for place in places:
            self._count(index, place, -1)
        self.tables[index] = table
        for place in places:
            self._count(index, place, 1)
        changes = self._changes.setdefault(table.id, set())
        if changes is not None:
            changes.update(places)
        self.cells_changed.emit()

    def _count(self, index: int, place: int, times: int) -> None:
        """Count a cell in (1) or out (-1), in its table's tally and in the order of doubts."""
        state = self.tables[index].cells[place]
        self.tallies[index].add(state, times)
        self.experience.add(state, times)
        columns = self.tables[index].grid.cols
        if self._misreadings.add(columns, state, times):
            self._telling.add(columns)
        if state.settled is not None and (topic := topic_of(state)) is not None:
            self._met[self.tables[index].id, topic] += times
        change = self._doubts.add if times > 0 else self._doubts.remove
        change(self.tables[index].id, state, place)

    def collect_changes(self, table_id: int) -> set[int] | None:
        """Return the numbers of a table's cells that changed since the last call.

        None where all may have: the table was read from the docket again.
        """
        return self._changes.pop(table_id, set())

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


def _value(state: CellState) -> tuple[str, bool]:
    """Return what the checks depend on: a cell's text, and whether it is settled as printed."""
    return state.text, state.settled is not None and state.settled.as_printed
