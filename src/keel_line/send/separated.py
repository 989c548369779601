"""Tables as text with signs between the values, one file a table.

A spreadsheet takes a text that begins with =, +, - or @ for a formula, and drops blanks at a
text's beginning. Such a text gets an apostrophe before it; :func:`read_rows` takes it off again.
Numbers stay as they are.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Sequence
from decimal import Decimal
from pathlib import Path

from keel_line._shared.amounts import parse_amount
from keel_line._shared.pulse import pulse
from keel_line.send.names import name_files
from keel_line.send.safely import write_safely
from keel_line.send.sent import SendOptions, SentTable
from keel_line.send.values import NumberLook, SentValue, plain_number, type_column

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


def as_rows(table: SentTable, options: SendOptions | None = None) -> Iterator[list[str]]:
    """Yield the table's texts row by row; a spanning cell's text stands in its first place.

    Where the options have a decimal sign, numbers are figures with that sign alone.
    """
    if table.names:
        yield table.names
    point = "as printed" if options is None or options.as_text else options.point
    if point == "as printed":
        yield from _each_row([c.texts for c in table.columns])
        return
    first = table.heading_rows
    columns = [
        [*c.texts[:first], *(_write_number(v, t, point) for v, t in _pairs(table, k))]
        for k, c in enumerate(table.columns)
    ]
    yield from _each_row(columns)


def _each_row(columns: Sequence[Sequence[str]]) -> Iterator[list[str]]:
    for row in zip(*columns, strict=True):
        pulse()
        yield list(row)


def _pairs(table: SentTable, col: int) -> Iterable[tuple[SentValue, str]]:
    return zip(type_column(table, col), table.columns[col].texts[table.heading_rows :], strict=True)


def _write_number(value: SentValue, text: str, point: str) -> str:
    if not isinstance(value.value, Decimal) or not isinstance(value.look, NumberLook):
        return text
    return plain_number(value.value, value.look, point)


def write_tables(
    tables: Sequence[SentTable], target: Path, options: SendOptions | None = None
) -> list[str]:
    """Write each table as text in UTF-8, or all in one file; return what is to be said about it.

    The files are those of :func:`name_files`; tabs part the values where the target ends in
    ``.tsv``, the sign of the options otherwise.

    Raises
    ------
    OutputError
        When one cannot be written.
    """
    chosen = options or SendOptions()
    if chosen.stacked:
        write_rows(_stack(tables, chosen), target, chosen)
        return []
    paths = name_files(target, len(tables))
    for path, table in zip(paths, tables or [SentTable("", ())], strict=True):
        write_rows(as_rows(table, chosen), path, chosen)
    return []


def _stack(tables: Sequence[SentTable], options: SendOptions) -> Iterator[list[str]]:
    """Yield the rows of all tables, each with the table's name before it."""
    for number, table in enumerate(tables):
        if number:
            yield []
        yield from ([table.name, *row] for row in as_rows(table, options))


def write_rows(
    rows: Iterable[Sequence[str]], target: Path, options: SendOptions | None = None
) -> None:
    """Write rows as one file.

    Raises
    ------
    OutputError
        When it cannot be written.
    """
    chosen = options or SendOptions()
    guarded = [[guard_text(text) for text in row] for row in rows]
    between = "\t" if target.suffix.lower() == ".tsv" else chosen.separator
    encoding = "utf-8-sig" if chosen.signature else "utf-8"
    write_safely(target, lambda part: _write(guarded, part, between, encoding))


def read_rows(path: Path, between: str = ",") -> list[list[str]]:
    """Read rows as :func:`write_rows` wrote them."""
    sign = "\t" if path.suffix.lower() == ".tsv" else between
    with path.open(encoding="utf-8-sig", newline="") as source:
        return [[unguard_text(text) for text in row] for row in csv.reader(source, delimiter=sign)]


def encode_rows(rows: Iterable[Sequence[str]], between: str) -> str:
    """Return rows as text, for the clipboard."""
    out = io.StringIO()
    guarded = [[guard_text(text) for text in row] for row in rows]
    csv.writer(out, delimiter=between, lineterminator="\n").writerows(guarded)
    return out.getvalue()


def _write(rows: Sequence[Sequence[str]], part: Path, between: str, encoding: str) -> None:
    with part.open("w", encoding=encoding, newline="", errors="surrogatepass") as out:
        csv.writer(out, delimiter=between).writerows(rows)
