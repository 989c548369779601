"""The history of what was done, with its places, for the screen and for audits."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime

from keel_line.model.docket import ChangeRecord
from keel_line.model.table import TableState, column_name

HEADINGS = (
    "When",
    "Who",
    "Source",
    "Page",
    "Table",
    "Column",
    "Row",
    "Read as",
    "Before",
    "After",
    "Why",
    "Undone",
)
OF_PAGES = frozenset({"choice", "drawn"})
NOT_SETTLED, AS_FOUND = "(not settled)", "(as found)"


@dataclass(frozen=True)
class Correction:
    """One thing that was done to a cell, table or page, with where it lies.

    ``at`` is the local time. ``table_index`` counts in the docket, ``cell_index`` in its table;
    -1 for a cell or table that no longer exists, and for a page.
    """

    record: ChangeRecord
    at: datetime
    source: str = ""
    page: int = 0
    table: str = ""
    column: str = ""
    row: int = 0
    table_index: int = -1
    cell_index: int = -1

    @property
    def before(self) -> str:
        """What it said before, in words."""
        return self._say(self.record.before)

    @property
    def after(self) -> str:
        """What it says since, in words."""
        return self._say(self.record.after)

    def _say(self, value: str | None) -> str:
        if value is not None:
            return value
        kinds = {"settle": NOT_SETTLED, "name": AS_FOUND, "header_rows": AS_FOUND}
        return kinds.get(self.record.kind, "")

    def as_row(self) -> list[str]:
        """Return its values in the order of ``HEADINGS``."""
        r = self.record
        return [
            self.at.isoformat(sep=" ", timespec="seconds"),
            r.who,
            self.source,
            str(self.page or ""),
            self.table,
            self.column,
            str(self.row or ""),
            r.reading,
            self.before,
            self.after,
            str(r.reason),
            "yes" if r.undone else "",
        ]


def place_changes(
    records: Sequence[ChangeRecord],
    tables: Sequence[TableState],
    find: Callable[[int], tuple[int, int] | None] | None = None,
) -> list[Correction]:
    """Return what was done with its places, latest first.

    ``find`` returns where a cell stands, as (table, cell), where the caller knows it.
    """
    if find is None:
        cells = ((t, c, s) for t, table in enumerate(tables) for c, s in enumerate(table.cells))
        find = {state.id: (t, c) for t, c, state in cells}.get
    at = {table.id: index for index, table in enumerate(tables)}
    out = []
    for record in sorted(records, key=lambda r: -r.id):
        when = datetime.fromisoformat(record.at).astimezone()
        found = None
        if record.kind == "settle":
            found = find(record.subject)
        elif record.kind not in OF_PAGES and record.subject in at:
            found = at[record.subject], -1
        if found is None:
            out.append(Correction(record, when, *(record.page or ())))
            continue
        index, place = found
        table = tables[index]
        cell = None if place < 0 else table.cells[place].cell
        out.append(
            Correction(
                record,
                when,
                table.source_name,
                table.page_number,
                table.name,
                "" if cell is None else column_name(table, cell.col),
                0 if cell is None else cell.row + 1,
                index,
                max(place, 0),
            )
        )
    return out
