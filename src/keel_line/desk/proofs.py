"""The tables of an open docket as they are proofed: doubts in order, counts, checks, learning.

It knows no screen. What takes longer is handed out (``judge_later``), and what may wait is returned
or kept until asked for. A settled cell or a page that was read costs what it changes.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace

from keel_line.desk.desk import Desk
from keel_line.desk.doubts import Doubts
from keel_line.desk.learning import LEAST_SEEN, Experience, Topic, topic_of
from keel_line.desk.misreadings import Misreadings
from keel_line.desk.sample import RIGHT, WRONG, SampleVerdict, judge_drawn
from keel_line.desk.tally import Tally, count_table
from keel_line.model.table import CellState, TableState

_JUDGED_AT_ONCE = 250  # cells whose checks take a few milliseconds


class Proofs:
    """All tables of a docket, and what follows from their cells.

    Parameters
    ----------
    desk
        Whose tables they are.
    judge_later
        Called with a table that takes longer to judge, and what was misread so far; the answer
        goes to :meth:`take_judged`.
    changed
        Called whenever cells changed their value or doubt.

    Attributes
    ----------
    tables
        In the order of the docket.
    tallies
        The counts of each table.
    total
        The counts of all of them.
    changed_pages
        Pages whose counts changed; who shows them takes them out.
    doubts
        The open doubts, as (table, cell): a table's index in ``tables``, a cell's in its own.
    experience
        What settled cells say of how often the reading is right.
    misreadings
        What was misread as what.
    """

    def __init__(
        self,
        desk: Desk,
        judge_later: Callable[[TableState, Misreadings], None],
        changed: Callable[[], object],
    ) -> None:
        self.desk = desk
        self.tables: list[TableState] = []
        self.tallies: list[Tally] = []
        self.total = Tally()
        self.changed_pages: set[int] = set()
        self.doubts = Doubts()
        self.experience = Experience()
        self.misreadings = Misreadings()
        self._judge_later, self._changed = judge_later, changed
        # How often each topic was met in settled cells, by table.
        self._met: Counter[tuple[int, Topic]] = Counter()
        self._telling: set[int] = set()
        self._where: dict[int, tuple[int, int]] = {}  # by cell: its table, and its number in it
        self._at: dict[int, int] = {}  # by table: its index
        self._changes: dict[int, set[int] | None] = {}
        self._unjudged: set[int] = set()
        self._to_learn: set[int] = set()
        self._rank: dict[int, int] = {}  # by page: its place in the docket
        self._names: dict[int, str] = {}  # by table
        self._corrected = Misreadings()  # in the whole docket, when its pages began to be opened

    # --- tables that come and go ----------------------------------------------------------------

    def clear(self) -> None:
        """Drop all tables."""
        self.tables, self.tallies, self.total = [], [], Tally()
        self.doubts.arrange([], set())
        self.experience, self.misreadings = Experience(), Misreadings()
        self._met.clear()
        for kept in (self._where, self._at, self._changes, self._rank, self._names):
            kept.clear()
        self._telling.clear()
        self._unjudged.clear()
        self._to_learn.clear()

    def begin(self) -> list[int]:
        """Drop all tables; return the pages with tables in order, for :meth:`open_page`."""
        self.clear()
        self._rank = self.desk.page_order()
        self._names = self.desk.table_names()
        self._corrected = self.desk.misreadings()
        return self.desk.pages_with_tables()

    def open_page(self, page_id: int) -> None:
        """Read the tables of a page from the docket that were not read yet."""
        self._put_page(page_id, self.desk.tables(page_id, self._corrected, self._names))

    def take_page(self, page_id: int) -> None:
        """Read the tables of one page from the docket again."""
        self._rank = self.desk.page_order()
        for gone in {t.page_id for t in self.tables if t.page_id not in self._rank}:
            self._put_page(gone, [])
        self._put_page(page_id, self.desk.tables(page_id, self.misreadings))
        names = self.desk.table_names(page_id)
        for number, name in names.items():
            index = self.index_of(number)
            if index is not None and self.tables[index].name != name:
                self.tables[index] = replace(self.tables[index], name=name)
        self._names |= names

    def take_again(self, page_id: int) -> list[int]:
        """Read the cells of a page again, where only settings changed; return its tables."""
        done = []
        for fresh in self.desk.tables(page_id, self.misreadings):
            own = self.index_of(fresh.id)
            if own is None:
                continue
            self._unjudged.discard(fresh.id)
            done.append(fresh.id)
            # Unchanged cells are not looked at again.
            both = zip(self.tables[own].cells, fresh.cells, strict=True)
            cells = tuple(old if old == new else new for old, new in both)
            self.put_table(own, replace(fresh, cells=cells))
        return done

    def _put_page(self, page_id: int, fresh: list[TableState]) -> None:
        """Put a page's tables in place of those it had."""
        own = self.indexes_on(page_id)
        for index in own:
            self._count_whole(self.tables[index], -1)
            self.total.add_all(self.tallies[index], -1)
            self._unjudged.discard(self.tables[index].id)
            self._to_learn.discard(self.tables[index].id)
        for table in fresh:
            self._count_whole(table, 1)
            self._changes[table.id] = None
        tallies = [count_table(t) for t in fresh]
        for tally in tallies:
            self.total.add_all(tally)
        place = slice(own.start, own.stop)
        for table in self.tables[place]:
            del self._at[table.id]
        self.tables[place], self.tallies[place] = fresh, tallies
        for index in range(own.start, len(self.tables)):
            self._at[self.tables[index].id] = index
        self.doubts.arrange(self.tables, {t.id for t in fresh})
        self.changed_pages.add(page_id)

    def indexes_on(self, page_id: int) -> range:
        """Return the indexes of a page's tables."""
        rank = self._rank.get(page_id)
        if rank is None:  # it was removed: its tables stand where they stood
            own = [i for i, t in enumerate(self.tables) if t.page_id == page_id]
            return range(own[0], own[-1] + 1) if own else range(0)

        def ranked(table: TableState) -> int:
            return self._rank.get(table.page_id, -1)

        begin = bisect_left(self.tables, rank, key=ranked)
        return range(begin, bisect_right(self.tables, rank, begin, key=ranked))

    def tables_on(self, page_id: int) -> list[tuple[int, TableState]]:
        """Return a page's tables, each with its index."""
        return [(i, self.tables[i]) for i in self.indexes_on(page_id)]

    def count_page(self, page_id: int) -> Tally:
        """Return the counts of a page's tables."""
        out = Tally()
        for index in self.indexes_on(page_id):
            out.add_all(self.tallies[index])
        return out

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
            self.misreadings.add(columns, state, times)
            if (topic := topic_of(state)) is not None:
                self._met[table.id, topic] += times

    # --- what is where --------------------------------------------------------------------------

    def index_of(self, table_id: int) -> int | None:
        """Return a table's index; None if it is gone."""
        return self._at.get(table_id)

    def find_cell(self, cell_id: int) -> tuple[int, int] | None:
        """Return a cell's (table, cell); None if it is gone."""
        table_id, place = self._where.get(cell_id, (-1, 0))
        index = self._at.get(table_id)
        return None if index is None else (index, place)

    def cell(self, cell_id: int) -> CellState | None:
        """Return a cell; None if it is gone."""
        place = self.find_cell(cell_id)
        return None if place is None else self.tables[place[0]].cells[place[1]]

    def judge_drawn(self) -> SampleVerdict | None:
        """Judge the spot checks so far; None if there was none."""
        return judge_drawn(self.desk.history(reasons=(RIGHT, WRONG)), self.cell)

    def find_broken(self) -> tuple[int, int] | None:
        """Return the first amount whose sum does not add up; None if all do."""
        for index, (table, tally) in enumerate(zip(self.tables, self.tallies, strict=True)):
            if tally.broken:
                return index, next(c for c, s in enumerate(table.cells) if s.broken)
        return None

    def collect_changes(self, table_id: int) -> set[int] | None:
        """Return the numbers of a table's cells that changed since the last call.

        None where all may have: the table was read from the docket again.
        """
        return self._changes.pop(table_id, set())

    # --- cells that change ----------------------------------------------------------------------

    def renew_cells(self, cell_ids: Sequence[int]) -> list[int]:
        """Take cells from the docket again; return the tables that may recall a misreading."""
        places: dict[int, list[int]] = {}
        for cell_id in cell_ids:
            if cell_id in self._where:
                table_id, place = self._where[cell_id]
                places.setdefault(table_id, []).append(place)
        recalling: list[int] = []
        for table_id, own in places.items():
            recalling += self._renew_table(self._at[table_id], own)
        return recalling

    def _renew_table(self, index: int, places: Sequence[int]) -> list[int]:
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
        self.put_table(index, replace(table, cells=tuple(cells)), places)
        # Another text may make a sum balance, or break one: the whole table is judged again.
        if not same or table.id in self._unjudged:
            self.judge(index)
        elif teaches:  # its like may be doubted less: that can wait until the hands rest
            self._to_learn.add(table.id)
        if not self._telling:
            return []
        told = [t for t in self.tables if t.grid.cols in self._telling]
        return [t.id for t in told if same or t.id != table.id]

    @property
    def learns(self) -> bool:
        """Whether there is something to :meth:`learn`."""
        return bool(self._to_learn)

    def learn(self) -> None:
        """Judge the tables again whose settled cells teach something."""
        for table in self.tables:
            if table.id in self._to_learn:
                self._judge_later(table, self.misreadings)
        self._to_learn.clear()

    def judge(self, index: int) -> None:
        """Judge a table again: now, or later if that takes longer."""
        table = self.tables[index]
        if len(table.cells) <= _JUDGED_AT_ONCE:
            self.put_table(index, self.desk.judge(table, self.misreadings))
        else:
            self._unjudged.add(table.id)  # until the answer to this very state comes
            self._judge_later(table, self.misreadings)

    def take_judged(self, asked: TableState, judged: TableState) -> None:
        """Apply a table's findings, unless it changed meanwhile."""
        for index, table in enumerate(self.tables):
            if table is asked:
                self._unjudged.discard(table.id)
                self.put_table(index, judged)
                return

    def recall(self, table_id: int) -> None:
        """Judge a table again if it holds cells read like a corrected one.

        (Or holds some no more, where it was undone or proved right as often.)
        """
        index = self.index_of(table_id)
        if index is None:
            return
        recall, table = self.misreadings.recall, self.tables[index]
        columns = table.grid.cols
        if any(recall(columns, s) != s.recalled for s in table.cells if s.settled is None):
            self.judge(index)

    def _teaches(self, index: int, state: CellState) -> bool:
        """Return whether settling a cell may reduce other cells' doubt."""
        if state.recalled:  # that it is right says something of those that were recalled with it
            return True
        topic = topic_of(state)
        table = self.tables[index]
        if topic is None or self._met[table.id, topic] + 1 < LEAST_SEEN:
            return False
        own = (table.cells[c] for c in self.doubts.of(table.id))
        return any(other.id != state.id and topic_of(other) == topic for other in own)

    def put_table(self, index: int, table: TableState, places: Sequence[int] | None = None) -> None:
        """Replace a table, and count its doubts again.

        ``places`` are the numbers of the cells that changed; without, all are looked through.
        """
        before = self.tables[index]
        self.total.add_all(self.tallies[index], -1)
        if places is None:
            pairs = zip(before.cells, table.cells, strict=True)
            places = [i for i, (old, new) in enumerate(pairs) if old is not new]
        for place in places:
            self._count(index, place, -1)
        self.tables[index] = table
        self.tallies[index].follow(before, table)
        for place in places:
            self._count(index, place, 1)
        self.total.add_all(self.tallies[index])
        self.changed_pages.add(table.page_id)
        changes = self._changes.setdefault(table.id, set())
        if changes is not None:
            changes.update(places)
        self._changed()

    def _count(self, index: int, place: int, times: int) -> None:
        """Count a cell in (1) or out (-1), in its table's tally and in the order of doubts."""
        table = self.tables[index]
        state, columns = table.cells[place], table.grid.cols
        self.tallies[index].add(state, times)
        self.experience.add(state, times)
        if self.misreadings.add(columns, state, times):
            self._telling.add(columns)
        if state.settled is not None and (topic := topic_of(state)) is not None:
            self._met[table.id, topic] += times
        change = self.doubts.add if times > 0 else self.doubts.remove
        change(table.id, state, place)


def _value(state: CellState) -> tuple[str, bool]:
    """Return what the checks depend on: a cell's text, and whether it is settled as printed."""
    return state.text, state.settled is not None and state.settled.as_printed
