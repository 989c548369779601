"""Tables as text with commas or tabs between the values, one file a table.

A spreadsheet takes a text that begins with =, +, - or @ for a formula, and drops blanks at a
text's beginning. Such a text gets an apostrophe before it; :func:`read_rows` takes it off again.
Numbers stay as they are.
"""

from __future__ import annotations

import csv
from collections.abc import Sequence
from pathlib import Path

from keel_line._shared.amounts import parse_amount
from keel_line.model.table import TableState
from keel_line.model.tidy import TidyTable
from keel_line.send.safely import write_safely
from keel_line.send.tidied import rows_of

_BEGINS_FORMULA = frozenset("=+-@\uff1d\uff0b\uff0d\uff20")  # the wide ones count, too
_GUARD = "'"


def guard_text(text: str) -> str:
    """Guard a text so that a spreadsheet does not take it for a formula or number."""
    return _GUARD + text if _needs_guard(text.lstrip(_GUARD)) else text


def unguard_text(text: str) -> str:
    """Undo :func:`guard_text`."""
    return text[1:] if text.startswith(_GUARD) and _needs_guard(text.lstrip(_GUARD)) else text


def _needs_guard(text: str) -> bool:
    if not text:
        return False
    if text[0].isspace():
        return True
    # A lone mark, as tables have in blank cells, is nothing to reckon with.
    return (
        text[0] in _BEGINS_FORMULA
        and any(c.isalnum() for c in text)
        and not any(parse_amount(text, point) for point in (".", ","))
    )


def as_rows(table: TableState | TidyTable) -> list[list[str]]:
    """Return the table's texts row by row; a spanning cell's text stands in its first place."""
    if isinstance(table, TidyTable):
        return rows_of(table)
    rows = [[""] * table.grid.cols for _ in range(table.grid.rows)]
    for state in table.cells:
        rows[state.cell.row][state.cell.col] = state.text
    return rows


def name_text_files(target: Path, tables: int) -> list[Path]:
    """Return the paths for a number of tables: ``target`` for one, several beside it.

    Several are called ``NAME-1.csv``, ``NAME-2.csv`` …
    """
    if tables <= 1:
        return [target]
    return [target.with_name(f"{target.stem}-{i}{target.suffix}") for i in range(1, tables + 1)]


def write_tables(tables: Sequence[TableState | TidyTable], target: Path) -> None:
    """Write each table as text (UTF-8 with a mark, so that spreadsheets see the accents).

    The files are those of :func:`name_text_files`; tabs part the values where the target ends in
    ``.tsv``, commas otherwise.

    Raises
    ------
    OutputError
        When one cannot be written.
    """
    everything = [as_rows(t) for t in tables] or [[]]
    for path, rows in zip(name_text_files(target, len(tables)), everything, strict=True):
        write_rows(rows, path)


def write_rows(rows: Sequence[Sequence[str]], target: Path) -> None:
    """Write rows as one file.

    Raises
    ------
    OutputError
        When it cannot be written.
    """
    guarded = [[guard_text(text) for text in row] for row in rows]
    between = _between(target)
    write_safely(target, lambda part: _write(guarded, part, between))


def read_rows(path: Path) -> list[list[str]]:
    """Read rows as :func:`write_rows` wrote them."""
    with path.open(encoding="utf-8-sig", newline="") as source:
        return [
            [unguard_text(text) for text in row]
            for row in csv.reader(source, delimiter=_between(path))
        ]


def _between(path: Path) -> str:
    return "\t" if path.suffix.lower() == ".tsv" else ","


def _write(rows: Sequence[Sequence[str]], part: Path, between: str) -> None:
    with part.open("w", encoding="utf-8-sig", newline="", errors="surrogatepass") as out:
        csv.writer(out, delimiter=between).writerows(rows)
