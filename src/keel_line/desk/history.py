"""The history of corrections with their places, for the screen and for audits."""

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
NOT_SETTLED = "(not settled)"


@dataclass(frozen=True)
class Correction:
    """One change of a cell, with where it lies.

    ``at`` is the local time; ``before`` and ``after`` are None where the cell was not settled.
    ``table_index`` and ``cell_index`` count in the docket; -1 if the cell no longer exists.
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
            NOT_SETTLED if r.before is None else r.before,
            NOT_SETTLED if r.after is None else r.after,
            str(r.reason),
            "yes" if r.undone else "",
        ]


def place_changes(
    records: Sequence[ChangeRecord],
    tables: Sequence[TableState],
    find: Callable[[int], tuple[int, int] | None] | None = None,
) -> list[Correction]:
    """Return changes with their places, latest first.

    ``find`` returns where a cell stands, as (table, cell), where the caller knows it.
    """
    if find is None:
        cells = ((t, c, s) for t, table in enumerate(tables) for c, s in enumerate(table.cells))
        find = {state.id: (t, c) for t, c, state in cells}.get
    out = []
    for record in sorted(records, key=lambda r: -r.id):
        at = datetime.fromisoformat(record.at).astimezone()
        found = find(record.cell_id)
        if found is None:
            out.append(Correction(record, at, *(record.lost_from or ())))
            continue
        table = tables[found[0]]
        cell = table.cells[found[1]].cell
        out.append(
            Correction(
                record,
                at,
                table.source_name,
                table.page_number,
                table.name,
                column_name(table, cell.col),
                cell.row + 1,
                *found,
            )
        )
    return out
