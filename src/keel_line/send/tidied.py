"""Tidied tables as they are written: typed values with the paper's format."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, time, timedelta
from decimal import Decimal

from keel_line._shared.column_types import ColumnType, parse_value
from keel_line.model.tidy import TidyColumn, TidyTable

_FIRST_DAY = date(1900, 3, 1)  # workbooks count a day before it that never was
_MOST_EXACT = 15


@dataclass(frozen=True)
class TypedCell:
    """A cell's value as a workbook holds it, and the format that shows it as the paper does.

    ``misfit`` says that the text does not fit its column's type; it is written as it is.
    """

    value: str | float | date | time | timedelta | bool
    format: str = "General"
    misfit: bool = False


def heading_of(table: TidyTable) -> list[str]:
    """Return the columns' names; empty where none has one."""
    names = [c.name for c in table.columns]
    return names if any(names) else []


def rows_of(table: TidyTable) -> list[list[str]]:
    """Return a table's texts row by row, its names above."""
    heading = heading_of(table)
    rows = [list(row) for row in zip(*(c.texts for c in table.columns), strict=True)]
    return [heading, *rows] if heading else rows


def type_cells(table: TidyTable, column: TidyColumn) -> list[TypedCell]:
    """Return a column's cells below its headings, typed where its type is known."""
    kind = column.type or ColumnType()
    texts = column.texts[table.heading_rows :]
    grouped = "," in kind.point or any("," in t for t in texts)
    shown = _format_of(kind, grouped=grouped)
    return [_type_cell(str(text), kind, shown) for text in texts]


def _type_cell(text: str, kind: ColumnType, shown: str) -> TypedCell:
    if kind.kind in {"text", "code", "pounds, shillings, pence"}:
        return TypedCell(text)
    value = parse_value(text, kind)
    if value is None:
        return TypedCell(text, misfit=any(c.isalnum() for c in text))
    if isinstance(value, Decimal):
        digits = len(value.as_tuple().digits)
        return TypedCell(float(value), shown) if digits <= _MOST_EXACT else TypedCell(text)
    if isinstance(value, date) and value < _FIRST_DAY:
        return TypedCell(value.isoformat())
    return TypedCell(value, shown)


def _format_of(kind: ColumnType, *, grouped: bool) -> str:
    decimals = "." + "0" * kind.places if kind.places else ""
    number = ("#,##0" if grouped else "0") + decimals
    formats = {
        "money": f'"{kind.currency}"{number}' if kind.currency else number,
        "percent": f"0{decimals}%",
        "date": "d mmm yyyy",
        "time": "hh:mm",
        "duration": "[h]:mm",
    }
    return formats.get(kind.kind, number)
