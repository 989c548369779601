"""Finds cells with a misreading that was corrected elsewhere in the docket.

Print that is misread once is misread alike where it stands again, and a recogniser that is wrong so
is as sure each time. So a correction says something of other cells: those of its column, in all
tables of the docket that have as many columns, that may have been misread as it was.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

from keel_line._shared.texts import Pair, count_shared, differ_in
from keel_line.model.table import CellState, TableState


@dataclass(frozen=True)
class _Where:
    """A column number (from 0) among the docket's tables with that many columns."""

    columns: int
    column: int


@dataclass(frozen=True)
class _Misreading:
    """One character that was taken for another: the pair (read, written).

    ``between`` are the characters before and after it, as they were read.
    """

    pair: Pair
    between: tuple[str, str]


class Misreadings:
    """Corrections in a docket, counted as cells are settled and undone."""

    def __init__(self) -> None:
        self._misread: Counter[tuple[_Where, _Misreading]] = Counter()
        self._wrong: Counter[tuple[_Where, Pair]] = Counter()
        self._borne_out: Counter[tuple[_Where, Pair]] = Counter()
        self._told: Counter[_Where] = Counter()

    def copy(self) -> Misreadings:
        """Return a copy that does not change when more cells are settled."""
        own = Misreadings()
        own._misread, own._wrong = self._misread.copy(), self._wrong.copy()
        own._borne_out, own._told = self._borne_out.copy(), self._told.copy()
        return own

    def add(self, columns: int, state: CellState, times: int = 1) -> bool:
        """Count a settled cell in (1) or out (-1); ignore other cells.

        ``columns`` is how many its table has. Returns whether it says something of other cells.
        """
        if state.settled is None or state.cell.col_span > 1:
            return False
        where, read = _Where(columns, state.cell.col), state.reading
        if state.settled.text != read.text:
            found = _find(read.text, state.settled.text)
            if found is None:
                return False
            self._misread[where, found] += times
            self._wrong[where, found.pair] += times
            self._told[where] += times
            return True
        pair = differ_in(read.text, read.runners_up[0].text) if read.runners_up else None
        if pair is None:
            return False
        self._borne_out[where, pair] += times
        return self._wrong[where, pair] > 0

    def recall(self, columns: int, state: CellState) -> str:
        """Return the corrected text if a cell may be misread like others of its column, else empty.

        One correction speaks for the same sign between the same neighbours, two for the sign in all
        of the column; not where it proved to be as it was read more often. ``columns`` is how many
        its table has.
        """
        where, read = _Where(columns, state.cell.col), state.reading
        if state.settled is not None or state.cell.col_span > 1 or self._told[where] <= 0:
            return ""
        for other in read.runners_up:
            found = _find(read.text, other.text)
            if found is None:
                continue
            times = self._wrong[where, found.pair]
            enough = times > 1 or self._misread[where, found] > 0
            if enough and self._borne_out[where, found.pair] <= times:
                return other.text
        return ""


def gather_misreadings(tables: Iterable[TableState]) -> Misreadings:
    """Gather the misreadings corrected in the settled cells of tables."""
    out = Misreadings()
    for table in tables:
        for state in table.cells:
            if state.settled is not None:
                out.add(table.grid.cols, state)
    return out


def _find(read: str, written: str) -> _Misreading | None:
    """Return the misread character and the correct one if a reading has one wrong character."""
    pair = differ_in(read, written)
    if pair is None:
        return None
    at = count_shared(read, written)
    after = at + len(pair[0])
    return _Misreading(pair, (read[at - 1 : at] if at else "", read[after : after + 1]))
