"""A table on its way through Tidy: what was done to it, what came of it, what it still needs."""

from __future__ import annotations

import logging
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, time, timedelta
from decimal import Decimal
from functools import cached_property, lru_cache
from itertools import pairwise
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.column_types import (
    KINDS,
    NUMBERS,
    ColumnType,
    Decided,
    Kind,
    decide_type,
    is_blank,
    parse_value,
)
from keel_line._shared.texts import count_of
from keel_line.model.finding import Finding
from keel_line.model.geometry import Box
from keel_line.model.reason import Reason
from keel_line.model.table import TableState
from keel_line.model.tidy import TidyTable, make_tidy
from keel_line.tidy.columns import (
    DropColumns,
    JoinColumns,
    MoveColumn,
    PartSigns,
    Rename,
    SetType,
    SplitColumn,
)
from keel_line.tidy.contents import ChangeCase, FillDown, MoveBlock, Replace, Trim
from keel_line.tidy.derive import Derive, find_troubles
from keel_line.tidy.formula import WORDS
from keel_line.tidy.jigs import Jig, Writing, fit_jig, lay_jig, make_jig
from keel_line.tidy.joins import LIKELY, SURE, Append, find_seam_troubles, weigh_join
from keel_line.tidy.look import (
    Share,
    count_values,
    find_outliers,
    find_pair_outliers,
    spread_values,
)
from keel_line.tidy.rows import BarsToColumn, DropRows, FilterRows, NumberRows, SortRows
from keel_line.tidy.shape import ColumnsToRows, RowsToColumns, Transpose
from keel_line.tidy.step import ColumnRef, MisfitError, Step, Taken, refer_to
from keel_line.tidy.suggest import Suggestion, suggest, take_all
from keel_line.tidy.trail import MOST_STEPS, Trail, decode_trail, encode_trail, take_trail

log = logging.getLogger(__name__)

_TRIED_ROWS, _SEAM_ROWS = 500, 2
_MISFIT = -1.0  # log odds that such a cell is right
_YEAR = re.compile(r"(?<!\d)(1[789]\d\d|20\d\d)(?!\d)")

__all__ = [
    "KINDS",
    "MORE",
    "NUMBERS",
    "Block",
    "Change",
    "Kind",
    "MisfitError",
    "Seam",
    "SeamSide",
    "Share",
    "Suggestion",
    "Taken",
    "Tidying",
    "Trail",
    "find_outliers",
    "find_pair_outliers",
    "tidy_table",
]
"""With what the window needs of Tidy."""


Block: TypeAlias = tuple[int, int, int, int]
"""First row and column, last row and column of some cells, from 0."""


@dataclass(frozen=True)
class SeamSide:
    """What stands on one side of a seam: so many rows of a page, and their box in px of it."""

    page_id: int
    number: int
    rows: int
    box: Box


@dataclass(frozen=True)
class Seam:
    """A page break that a table runs over."""

    above: SeamSide
    below: SeamSide


def find_seam(
    table: TableState, tidying: Tidying, others: Mapping[int, TableState], row: int
) -> Seam | None:
    """Return where a table goes on over a page, or may, that is nearest to a row; None if nowhere.

    ``others`` are the tables beside it, by id.
    """
    parts = [table, *(others[n] for n in tidying.trail.joined if n in others)]
    if tidying.goes_on and tidying.next is not None:
        parts.append(tidying.next[0])
    pages = tidying.table.pages

    def is_apart(seam: Seam) -> int:
        return abs(int(np.flatnonzero(pages == seam.above.number).max(initial=-1)) - row)

    seams = (Seam(_side(a, last=True), _side(b, last=False)) for a, b in pairwise(parts))
    return min(seams, key=is_apart, default=None)


def _side(table: TableState, *, last: bool) -> SeamSide:
    """Return the last rows of a table, or its heading and its first rows."""
    grid = table.grid
    rows = min(grid.rows, _SEAM_ROWS + (0 if last else table.header_rows))
    first = grid.rows - rows if last else 0
    x0, _, x1, _ = grid.box
    box = (x0, grid.y_lines[first], x1, grid.y_lines[first + rows])
    return SeamSide(table.page_id, table.page_number, rows, box)


def _find_none(_table_id: int) -> None:
    return None


@dataclass(frozen=True)
class Change:
    """Another trail for a table, and why."""

    trail: Trail
    reason: Reason

    @property
    def encoded(self) -> str:
        """The trail as the docket keeps it."""
        return encode_trail(self.trail)

    def say(self) -> str:
        """Return what was changed as a sentence."""
        words = str(self.reason)
        several = words.count("; ") + 1
        if several > 1:
            return f"{several} steps taken."
        return f"{words[:1].upper()}{words[1:]}."


@dataclass(frozen=True, eq=False)
class Tidying:
    """A table as it is tidied.

    Attributes
    ----------
    base
        The table as it was read.
    trail
        The steps taken on it.
    taken
        The table after each step.
    find
        Returns a table to be joined, by its id.
    next
        The table that it may go on in, with the chance that it does; None where there is none.
    laid
        The steps of a jig that fits the table surely, and its name; None where none does.
    caption
        What stands above the table.
    """

    base: TidyTable
    trail: Trail
    taken: tuple[Taken, ...]
    find: Callable[[int], TidyTable | None] = _find_none
    next: tuple[TableState, float] | None = None
    laid: tuple[str, tuple[Step, ...]] | None = None
    caption: str = ""

    @property
    def table(self) -> TidyTable:
        """The table as all steps leave it."""
        return self.taken[-1].table if self.taken else self.base

    @cached_property
    def suggestions(self) -> list[Suggestion]:
        """What the table still needs, the most useful first."""
        first = [*self._suggest_jig(), *self._suggest_join()]
        return [*first, *suggest(self.table, self.trail.declined)]

    def _suggest_jig(self) -> list[Suggestion]:
        """Suggest what was done to earlier tables of the form, before anything else is done."""
        own = [s for s in self.trail.steps if not isinstance(s, Append)]
        if self.laid is None or own:
            return []
        name, steps = self.laid
        key = f"jig {name}"
        if key in self.trail.declined:
            return []
        return [Suggestion(key, f"As {name}: {count_of(len(steps), 'step')}", steps)]

    @property
    def offered_jig(self) -> str:
        """The name of the jig whose steps stand ready; empty where there is none."""
        return self.laid[0] if self.laid is not None and self._suggest_jig() else ""

    def prepare(self) -> Tidying:
        """Find out all that is shown of it now, and return it."""
        _ = self.suggestions, self.seam_troubles, self.types, self.plots, self.counts
        return self

    @property
    def goes_on(self) -> bool:
        """Whether the table likely goes on in the next."""
        return self.next is not None and self.next[1] >= LIKELY

    @cached_property
    def seam_troubles(self) -> list[str]:
        """Sums carried forward that differ from those that the next page begins with."""
        parts = [(int(self.base.pages[0]), self.base)] if self.base.rows else []
        for step in self.trail.steps:
            if isinstance(step, Append) and not step.off:
                other = self.find(step.table)
                if other is not None:
                    parts.append((step.page, other))
        return find_seam_troubles(parts)

    def _suggest_join(self) -> list[Suggestion]:
        if self.next is None or self.next[1] < LIKELY:
            return []
        other, chance = self.next
        key, page = f"join {other.id}", other.page_number
        if key in self.trail.declined:
            return []
        words = f"Goes on on page {page}: join"
        if chance < SURE:
            words = f"May go on on page {page}: join"
        return [Suggestion(key, words, (Append(other.id, other.name, page),))]

    @cached_property
    def types(self) -> tuple[Decided, ...]:
        """The type of each column: the one that was set, else the one that its texts show."""
        first = self.table.heading_rows
        return tuple(
            Decided(c.type)
            if c.type is not None
            else decide_type(c.texts[first:], c.name, self.table.year, self.table.point)
            for c in self.table.columns
        )

    def is_misfit(self, row: int, col: int) -> bool:
        """Return whether a text does not fit its column's type."""
        text, kind = self.table.columns[col].texts[row], self.types[col].type
        if kind.kind == "text" or row < self.table.heading_rows or is_blank(text):
            return False
        return parse_value(text, kind) is None

    def find_misfits(self, col: int) -> list[int]:
        """Return the rows whose texts do not fit their column's type."""
        return [row for row in range(self.table.rows) if self.is_misfit(row, col)]

    def say_rows(self) -> str:
        """Return how many rows it has, and of which pages."""
        table = self.table
        pages = np.unique(table.pages[table.heading_rows :])
        rows = count_of(table.rows - table.heading_rows, "row")
        if not len(pages):
            return rows
        of = ", ".join(str(p) for p in pages[:4]) + (" …" if len(pages) > 4 else "")
        return f"{rows} from page{'s' if len(pages) > 1 else ''} {of}"

    def find_cell(self, row: int, col: int) -> int | None:
        """Return the id of the first cell that a text came from; None if from none."""
        cell = int(self.table.columns[col].sources[row, 0])
        return cell if cell >= 0 else None

    @cached_property
    def plots(self) -> tuple[NDArray[np.float64], ...]:
        """Each column's values as numbers, (rows,); NaN where there is none.

        Dates are days, times and durations hours.
        """
        return tuple(self._plot(col) for col in range(len(self.table.columns)))

    @cached_property
    def counts(self) -> tuple[list[Share], ...]:
        """How often each column's values come: of numbers and dates in spans, else each."""
        return tuple(self._count(col) for col in range(len(self.table.columns)))

    def _plot(self, col: int) -> NDArray[np.float64]:
        column, kind = self.table.columns[col], self.types[col].type
        out = np.full(self.table.rows, np.nan)
        for row in range(self.table.heading_rows, self.table.rows):
            value = parse_value(column.texts[row], kind)
            number = _as_number(value)
            if number is not None:
                out[row] = number
        return out

    def ends(self, col: int, values: NDArray[np.float64]) -> tuple[str, str]:
        """Return the texts of a column's least and greatest value; empty without values."""
        if not len(values) or np.isnan(values).all():
            return "", ""
        texts = self.table.columns[col].texts
        return str(texts[int(np.nanargmin(values))]), str(texts[int(np.nanargmax(values))])

    def _count(self, col: int) -> list[Share]:
        column, kind = self.table.columns[col], self.types[col].type
        if kind.kind in NUMBERS:
            return spread_values(self.plots[col], lambda v: f"{v:,.{kind.places}f}")
        if kind.kind == "date":
            return spread_values(self.plots[col], lambda v: date.fromordinal(int(v)).isoformat())
        return count_values(list(column.texts), self.table.heading_rows)

    # --- changes of the trail -------------------------------------------------------------------

    def add(self, *steps: Step) -> Change:
        """Return the trail with steps at its end.

        Raises
        ------
        MisfitError
            When one does not fit the table.
        """
        trail = self.trail
        for step in steps:
            trail = trail.add(step)
        if len(trail.steps) > MOST_STEPS:
            raise MisfitError(f"A table takes {MOST_STEPS:,} steps at most.")
        taken = take_trail(self.base, trail, self.find)
        new = [t for t in taken if t.step in steps and t.step not in self.trail.steps]
        misfit = next((t.misfit for t in new if t.misfit), "")
        if misfit:
            raise MisfitError(misfit)
        table = taken[-1].table if taken else self.base
        if not table.columns or table.rows == table.heading_rows:
            raise MisfitError("Nothing would be left of the table.")
        return Change(trail, Reason("step-taken", "; ".join(s.say() for s in steps)))

    def take(self, number: int) -> Change:
        """Return the trail with a suggestion taken, counted from 0."""
        return self.add(*self.suggestions[number].steps)

    def take_all(self) -> Change:
        """Return the trail with all suggestions taken; of a join only where it is sure."""
        joins = [] if self.next is None or self.next[1] < SURE else self._suggest_join()
        steps = [step for s in (*joins, *self._suggest_jig()) for step in s.steps]
        trail = self.trail
        for step in steps:
            trail = trail.add(step)
        taken = take_trail(self.base, trail, self.find)
        table = taken[-1].table if taken else self.base
        return self.add(*steps, *take_all(table, self.trail.declined))

    def decline(self, number: int) -> Change:
        """Return the trail with a suggestion declined, counted from 0."""
        suggestion = self.suggestions[number]
        return Change(self.trail.decline(suggestion.key), Reason("declined", suggestion.words))

    def switch(self, index: int) -> Change:
        """Return the trail with a step switched off, or on again."""
        step = self.trail.steps[index]
        return Change(
            self.trail.switch(index), Reason("step-on" if step.off else "step-off", step.say())
        )

    def drop_step(self, index: int) -> Change:
        """Return the trail without a step."""
        return Change(self.trail.drop(index), Reason("step-out", self.trail.steps[index].say()))

    def move_step(self, index: int, by: int) -> Change:
        """Return the trail with a step moved."""
        return Change(
            self.trail.move(index, by), Reason("step-moved", self.trail.steps[index].say())
        )

    # --- steps on a column ----------------------------------------------------------------------

    def ref(self, col: int) -> ColumnRef:
        """Return how steps name a column."""
        return refer_to(self.table.columns[col])

    def rename(self, col: int, name: str) -> Change:
        """Return the trail with a column renamed."""
        return self.add(Rename(self.ref(col), " ".join(name.split())))

    def set_type(self, col: int, kind: Kind) -> Change:
        """Return the trail with a column's type set; the rest of the type is as it shows."""
        column, table = self.table.columns[col], self.table
        shown = decide_type(
            column.texts[table.heading_rows :], column.name, table.year, table.point
        ).type
        own = shown if shown.kind == kind else _with_kind(shown, kind, table.year)
        return self.add(SetType((self.ref(col),), own))

    def drop_column(self, col: int) -> Change:
        """Return the trail with a column left out."""
        return self.add(DropColumns((self.ref(col),)))

    def drop_rows(self, rows: Sequence[int]) -> Change:
        """Return the trail with rows left out, by their numbers in the table from 0."""
        first = self.table.heading_rows
        return self.add(DropRows(tuple(r - first + 1 for r in rows)))

    def move_block(self, block: Block, row: int, col: int) -> Change:
        """Return the trail with a block of cells moved; ``row`` and ``col`` is its new corner."""
        top, left, bottom, right = block
        first = self.table.heading_rows
        rows = (top - first + 1, bottom - first + 1)
        by = (row - top, col - left)
        return self.add(MoveBlock(self.ref(left), self.ref(right), rows, by))

    def find_column(self, name: str) -> int | None:
        """Return the place of the column whose name begins with some text; None if no one has."""
        begun = name.strip().casefold()
        said = [self.ref(k).say().casefold() for k in range(len(self.table.columns))]
        if begun in said:
            return said.index(begun)
        fits = [k for k, own in enumerate(said) if begun and own.startswith(begun)]
        return fits[0] if len(fits) == 1 else None

    def move_column(self, col: int, by: int) -> Change:
        """Return the trail with a column moved left (-1) or right (+1)."""
        columns = self.table.columns
        target = col + by if by < 0 else col + by + 1
        before = refer_to(columns[target]) if 0 <= target < len(columns) else None
        return self.add(MoveColumn(self.ref(col), before))

    def join(self, col: int) -> Change:
        """Return the trail with a column joined with the next."""
        if col + 1 >= len(self.table.columns):
            raise MisfitError("There is no column to its right.")
        return self.add(JoinColumns((self.ref(col), self.ref(col + 1))))

    def join_table(self, other: TableState, *, check: bool = True) -> Change:
        """Return the trail with another table joined below.

        Raises
        ------
        MisfitError
            When it has not as many columns; not asked where ``check`` is off.
        """
        stack = bool(other.caption) and other.caption != self.caption and not self.goes_on
        step = Append(other.id, other.name, other.page_number, stack)
        if check:
            step.append(self.base, make_tidy(other))
        return Change(self.trail.add(step), Reason("step-taken", step.say()))

    def split(self, col: int, at: str) -> Change:
        """Return the trail with a column split at a sign, or after a number of characters."""
        width = int(at) if at.isdigit() else 0
        return self.add(SplitColumn(self.ref(col), "" if width else at, width))

    def fill(self, col: int) -> Change:
        """Return the trail with a column's dittos and blanks filled from above."""
        return self.add(FillDown(self.ref(col), blanks=True))

    def sort(self, col: int) -> Change:
        """Return the trail with the rows sorted by a column; falling if they rise already."""
        last = self.trail.steps[-1] if self.trail.steps else None
        again = isinstance(last, SortRows) and last.column.id == self.ref(col).id
        if again and isinstance(last, SortRows):
            step = SortRows(self.ref(col), falling=not last.falling)
            trail = self.trail.put(len(self.trail.steps) - 1, step)
            return Change(trail, Reason("step-changed", step.say()))
        return self.add(SortRows(self.ref(col)))

    def replace(self, col: int, text: str) -> Change:
        """Return the trail with a text of a column replaced: "old > new"."""
        old, sign, new = text.partition(">")
        if not sign or not old.strip():
            raise MisfitError("Type the old text, > and the new one, such as: St. > Street")
        return self.add(Replace(self.ref(col), old.strip(), new.strip()))

    def do(self, what: str, row: int, col: int) -> Change:
        """Return the trail with one of ``MORE`` done, at a cell."""
        return self.add(MORE[what](self, row, col))

    def derive(self, text: str) -> Change:
        """Return the trail with a derived column: "name = formula"."""
        return self.add(_read_formula(text))

    def complete_formula(self, text: str) -> str:
        """Return a formula that is being typed with its last name or word completed."""
        opened = text.rfind("{")
        if opened > text.rfind("}"):
            begun = text[opened + 1 :].casefold()
            names = [c.name for c in self.table.columns if c.name.casefold().startswith(begun)]
            return f"{text[: opened + 1]}{names[0]}}}" if names else text
        begun = text[len(text.rstrip("abcdefghijklmnopqrstuvwxyz")) :]
        words = [w for w in WORDS if begun and w.startswith(begun)]
        return text[: len(text) - len(begun)] + words[0] + " " if words else text

    def check_formula(self, text: str) -> str:
        """Return how many rows a formula gives no value for, and why; empty if none.

        Only the first rows of a long table are tried.

        Raises
        ------
        MisfitError
            When it is no formula, or names what the table has not.
        """
        step, most = _read_formula(text), min(self.table.rows, _TRIED_ROWS)
        head = self.table.take_rows(np.arange(most))
        step.apply(head)
        troubles = find_troubles(head, step.formula)
        if not troubles:
            return ""
        row, why = next(iter(troubles.items()))
        of = f" of the first {most}" if most < self.table.rows else ""
        return f"No value in {count_of(len(troubles), 'row')}{of}; row {row + 1}: {why}"


def _read_formula(text: str) -> Derive:
    """Return the step that "name = formula" stands for."""
    name, sign, formula = text.partition("=")
    if not sign or not name.strip() or not formula.strip():
        raise MisfitError("Type a name, = and a formula, such as: Days = {Out} − {In}")
    return Derive(" ".join(name.split()), formula.strip())


def _text(tidying: Tidying, row: int, col: int) -> str:
    return str(tidying.table.columns[col].texts[row])


def _refs_from(tidying: Tidying, col: int) -> tuple[ColumnRef, ...]:
    return tuple(tidying.ref(k) for k in range(col, len(tidying.table.columns)))


def _as_columns(tidying: Tidying, _row: int, col: int) -> Step:
    if col + 1 >= len(tidying.table.columns):
        raise MisfitError("The values stand in the column to the right; there is none.")
    return RowsToColumns(tidying.ref(col), tidying.ref(col + 1))


MORE: dict[str, Callable[[Tidying, int, int], Step]] = {
    "Keep rows with this value": lambda t, r, c: FilterRows(t.ref(c), "is", _text(t, r, c)),
    "Leave out rows with this value": lambda t, r, c: FilterRows(
        t.ref(c), "is", _text(t, r, c), keep=False
    ),
    "Keep rows like this one": lambda t, r, c: FilterRows(t.ref(c), "is like", _text(t, r, c)),
    "Leave out rows like this one": lambda t, r, c: FilterRows(
        t.ref(c), "is like", _text(t, r, c), keep=False
    ),
    "Number the rows": lambda _t, _r, _c: NumberRows(),
    "Titles across the table into a column": lambda _t, _r, _c: BarsToColumn(),
    "Columns from here on into rows": lambda t, _r, c: ColumnsToRows(_refs_from(t, c)),
    "This column's values into columns": _as_columns,
    "Swap rows and columns": lambda _t, _r, _c: Transpose(),
    "Put the unit apart": lambda t, _r, c: PartSigns(t.ref(c), "unit"),
    "Put the sign of money apart": lambda t, _r, c: PartSigns(t.ref(c), "currency"),
    "Put footnote marks apart": lambda t, _r, c: PartSigns(t.ref(c), "mark"),
    "Trim dots and blanks": lambda t, _r, c: Trim(t.ref(c)),
    "Capital letters": lambda t, _r, c: ChangeCase(t.ref(c), "capital"),
    "Small letters": lambda t, _r, c: ChangeCase(t.ref(c), "small"),
    "Words with capitals": lambda t, _r, c: ChangeCase(t.ref(c), "words"),
}
"""What else can be done at a cell, in words, each with the step that does it."""


def tidy_table(
    table: TableState, tables: Sequence[TableState] = (), jigs: Sequence[Jig] = ()
) -> Tidying:
    """Return a table with all that was done to it at Tidy.

    ``tables`` are those of the docket in order, among which may be some that it is joined with;
    ``jigs`` are tried on it.
    """
    trail = read_trail(table)
    year = find_year(table)
    others = {t.id: t for t in tables}

    def find(table_id: int) -> TidyTable | None:
        other = others.get(table_id)
        return None if other is None else make_tidy(other, year)

    base = make_tidy(table, year)
    taken = take_trail(base, trail, find)
    laid = None if trail.steps and not trail.joined else _find_jig(table, jigs, year)
    return Tidying(base, trail, taken, find, _find_next(table, trail, tables), laid, table.caption)


def check_types(table: TableState) -> list[Finding]:
    """Return a finding for each cell that does not fit its column's set type."""
    steps = read_trail(table).steps
    if not any(isinstance(s, SetType) and not s.off for s in steps):
        return []
    tidying = tidy_table(table)
    places = {s.id: (s.cell.row, s.cell.col) for s in table.cells}
    out = []
    for col, column in enumerate(tidying.table.columns):
        if column.type is None:
            continue
        for row in tidying.find_misfits(col):
            cell = tidying.find_cell(row, col)
            place = None if cell is None else places.get(cell)
            if place is not None:
                says = f"The column's type is {column.type.say()}; this does not fit."
                out.append(Finding("type", says, (place,), _MISFIT, at=place, lasting=True))
    return out


def is_likely_join(first: TableState, second: TableState) -> bool:
    """Return whether a table may go on in the next."""
    return weigh_join(first, second)[0] >= LIKELY


def lay_on(table: TableState, jig: Jig) -> Change | None:
    """Return what a jig does to a table; None where it does not surely fit."""
    laid = _find_jig(table, [jig], find_year(table))
    return None if laid is None else tidy_table(table).add(*laid[1])


def keep_as_jig(name: str, table: TableState, dpi: float, write: Writing | None = None) -> Jig:
    """Return a table's lines and what was done to it as a jig; ``dpi`` is its page's resolution."""
    return make_jig(name, table, read_trail(table), dpi, write)


def _find_jig(
    table: TableState, jigs: Sequence[Jig], year: int
) -> tuple[str, tuple[Step, ...]] | None:
    for jig in jigs:
        if fit_jig(jig, table).sure:
            steps, _ = lay_jig(jig, table, year)
            if steps:
                return jig.name, tuple(steps)
    return None


def read_trail(table: TableState) -> Trail:
    """Return a table's trail; an empty one where it is damaged."""
    return _decode(table.steps)


@lru_cache(maxsize=2048)
def _decode(steps: str) -> Trail:
    try:
        return decode_trail(steps)
    except ValueError:
        log.exception("the steps of a table")
        return Trail()


def find_joined(tables: Sequence[TableState]) -> set[int]:
    """Return the ids of the tables that are joined to others, and so do not stand alone."""
    return {number for t in tables if t.steps for number in read_trail(t).joined}


def _find_next(
    table: TableState, trail: Trail, tables: Sequence[TableState]
) -> tuple[TableState, float] | None:
    """Return the table after a table and those joined to it, and the chance that it goes on."""
    at = {t.id: k for k, t in enumerate(tables)}
    last = max((at[i] for i in (table.id, *trail.joined) if i in at), default=-1)
    if last < 0 or last + 1 >= len(tables):
        return None
    chance, _ = weigh_join(tables[last], tables[last + 1])
    return tables[last + 1], chance


def find_year(table: TableState) -> int:
    """Return the one year that a table speaks of; 0 if not just one.

    By its caption, its name, a heading that is a year alone, its notes, or its source.
    """
    heads = (s.text.strip() for s in table.cells if s.cell.row < table.header_rows)
    alone = " ".join(text for text in heads if _YEAR.fullmatch(text))
    for text in (table.caption, table.name, alone, table.notes, table.source_name):
        years = set(_YEAR.findall(text))
        if len(years) == 1:
            return int(years.pop())
    return 0


def _with_kind(shown: ColumnType, kind: Kind, year: int) -> ColumnType:
    places = shown.places if kind in {"decimal", "money", "percent"} else 0
    own_year = year if kind == "date" else 0
    return ColumnType(kind, shown.point, places, shown.currency, shown.order, own_year)


def _as_number(value: object) -> float | None:
    if isinstance(value, Decimal):
        return float(value)
    if isinstance(value, date):
        return float(value.toordinal())
    if isinstance(value, time):
        return value.hour + value.minute / 60 + value.second / 3600
    return value.total_seconds() / 3600 if isinstance(value, timedelta) else None
