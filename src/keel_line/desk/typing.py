"""Help while typing: completions and the usual form of the column."""

from __future__ import annotations

from collections import Counter, defaultdict

from keel_line._shared.forms import form_of
from keel_line.check.columns import CLOSED_LISTS
from keel_line.model.table import CellState, TableState

_SETTLED_COUNTS = 3.0
_RUNNER_UP = 0.5
_LISTED = 0.25
_LEAST_FORMED, _FORMED_SHARE = 5, 0.7


def complete(table: TableState, state: CellState, typed: str) -> str:
    """Return the completion of a value being typed; empty if there is none.

    Looks at what the column holds (settled values count for more), at the cell's other readings,
    and at months and weekdays where the column holds such. Only a beginning is completed, whatever
    its case; what was typed is never changed.
    """
    if not typed.strip() or "\n" in typed:
        return ""
    weights: defaultdict[str, float] = defaultdict(float)
    for other in _column(table, state):
        sure = _SETTLED_COUNTS if other.settled is not None else other.confidence
        weights[" ".join(other.text.split())] += sure
    for reading in state.reading.runners_up:
        weights[reading.text] += _RUNNER_UP
    held = {text.rstrip(".").casefold() for text in weights}
    for _, values in CLOSED_LISTS:
        if held & set(values):
            for value in values:
                weights[value.capitalize()] += _LISTED
    begun = typed.casefold()
    going_on = [t for t in weights if len(t) > len(typed) and t.casefold().startswith(begun)]
    if not going_on:
        return ""
    best = max(going_on, key=lambda t: (t.startswith(typed), weights[t], -len(t), t))
    return best[len(typed) :]


def say_unlike(table: TableState, state: CellState, typed: str) -> str:
    """Describe the column's form if a typed value is unlike it; empty if it is not.

    Only columns of figures that nearly all keep to one form are held against a value, and only
    the heading's own rows are left out.
    """
    if not typed or state.cell.row < table.header_rows:
        return ""
    texts = [o.text for o in _column(table, state) if o.text]
    forms = Counter(form_of(t) for t in texts)
    if len(texts) < _LEAST_FORMED:
        return ""
    usual, times = forms.most_common(1)[0]
    if times < _FORMED_SHARE * len(texts) or "9" not in usual or form_of(typed) in forms:
        return ""
    example = next(t for t in texts if form_of(t) == usual)
    return f"Other cells in this column are written like “{example}”."


def _column(table: TableState, state: CellState) -> list[CellState]:
    """Return the other cells of a cell's column, its headings left out."""
    column = (table.cells[n] for n in table.grid.in_cols[state.cell.col])
    return [o for o in column if o.cell.row >= table.header_rows and o.id != state.id]
