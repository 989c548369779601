"""The tables of an open docket as they are proofed: doubts in order, counts, checks, learning.

It knows no screen. What takes longer is handed out (``judge_later``), and what may wait is returned
or kept until asked for. A settled cell or a page that was read costs what it changes.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace

from keel_line._shared.memory import freeze_objects
from keel_line.desk.desk import Desk
from keel_line.desk.doubts import Doubts
from keel_line.desk.learning import LEAST_SEEN, Experience, Topic, topic_of
from keel_line.desk.misreadings import Misreadings
from keel_line.desk.tally import Tally, count_table
from keel_line.model.table import CellState, TableState

_MANY_CELLS = 5000
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

    # --- tables that come and go ----------------------------------------------------------------

    def reload(self) -> None:
        """Read all tables from the docket again."""
        self._take(self.desk.tables())

    def clear(self) -> None:
        """Drop all tables."""
        self._take([])

    def take_page(self, page_id: int) -> None:
        """Read the tables of one page from the docket again."""
        known = {t.id: t for t in self.tables if t.page_id != page_id}
        known |= {t.id: t for t in self.desk.tables(page_id, self.misreadings)}
        for number, name in self.desk.table_names(page_id).items():
            if number in known and known[number].name != name:
                known[number] = replace(known[number], name=name)
        self._take([known[i] for i in self.desk.table_ids() if i in known])

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

    def _take(self, tables: list[TableState]) -> None:
        """Replace tables; count only the cells of those that came or went."""
        if sum(len(t.cells) for t in tables) > _MANY_CELLS:
            freeze_objects()  # a search for cycles among them would hold the window for a second
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
        self.tables = tables
        self._at = {t.id: i for i, t in enumerate(tables)}
        self.doubts.arrange(tables, self._at.keys() - stay)

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

    def find_broken(self) -> tuple[int, int] | None:
        """Return the first amount whose sum does not add up; None if all do."""
        return next(
            (
                (t, c)
                for t, table in enumerate(self.tables)
                for c, state in enumerate(table.cells)
                if state.broken
            ),
            None,
        )

    def count_flagged(self) -> int:
        """Return the number of flagged cells, settled or not."""
        return sum(t.flagged for t in self.tallies)

    def count_lines_in_doubt(self) -> int:
        """Return the number of lines in doubt in all tables."""
        return sum(t.lines for t in self.tallies)

    def expected_wrong(self) -> float:
        """Return the expected number of wrong cells among those nobody checked."""
        return sum(t.wrong for t in self.tallies)

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
        if places is None:
            pairs = zip(before.cells, table.cells, strict=True)
            places = [i for i, (old, new) in enumerate(pairs) if old is not new]
        for place in places:
            self._count(index, place, -1)
        self.tables[index] = table
        self.tallies[index].follow(before, table)
        for place in places:
            self._count(index, place, 1)
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
