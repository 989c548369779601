"""Finds the texts that are plain numbers, so that a spreadsheet can add them up."""

from __future__ import annotations

from dataclasses import dataclass

from keel_line._shared.amounts import Separators, decide_columns, is_open, parse_amount
from keel_line.model.table import TableState


@dataclass(frozen=True)
class PlainNumber:
    """A number's value and the spreadsheet format that shows it as the paper does."""

    value: float
    format: str


def decide_separators(table: TableState) -> list[Separators]:
    """Decide the meaning of commas and points in each column of a table, below its headings."""
    columns: list[list[str]] = [[] for _ in range(table.grid.cols)]
    for state in table.cells:
        if state.cell.row >= table.header_rows:
            columns[state.cell.col].append(state.text)
    return decide_columns(columns)


def parse_number(text: str, separators: Separators) -> PlainNumber | None:
    """Parse a text as a plain number; None if it is not one.

    Anything else stays text: leading zeros, as in codes; signs of money; more digits than a
    spreadsheet holds; a comma or point that may mean either.
    """
    amount = None if is_open(text, separators) else parse_amount(text, separators.point)
    if amount is None or not amount.plain:
        return None
    whole = "#,##0" if amount.grouped else "0"
    return PlainNumber(
        float(amount.value), whole + ("." + "0" * amount.places if amount.places else "")
    )


def count_open(table: TableState) -> int:
    """Count the cells that stay text because their comma or point has two meanings."""
    separators = decide_separators(table)
    return sum(
        is_open(s.text, separators[s.cell.col])
        for s in table.cells
        if s.cell.row >= table.header_rows
    )
