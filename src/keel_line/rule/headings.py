"""How many rows at a table's top are headings."""

from __future__ import annotations

from collections.abc import Sequence

from keel_line.model.grid import Grid

_MOST_SHARE = 0.5


def count_heading_rows(grid: Grid, texts: Sequence[str]) -> int:
    """Count heading rows from spans and from where figures begin.

    Parameters
    ----------
    grid
        The table's grid.
    texts
        Text of each of ``grid.cells``.

    Returns
    -------
    int
        0 to half of the rows. A first row without figures above rows with figures is a heading;
        cells that span several columns at the top make the row below them a heading too.
    """
    if grid.rows < 2:
        return 0
    by_row: list[list[str]] = [[] for _ in range(grid.rows)]
    spanning = 0
    for cell, text in zip(grid.cells, texts, strict=True):
        by_row[cell.row].append(text.strip())
        if cell.col_span > 1 and cell.row == spanning and text.strip():
            spanning = cell.row + 1
    first = spanning
    if first >= grid.rows:
        return 0
    below = [t for row in by_row[first + 1 :] for t in row if t]
    figures_below = sum(_has_figure(t) for t in below) / max(1, len(below))
    own = [t for t in by_row[first] if t]
    figures_own = sum(_has_figure(t) for t in own) / max(1, len(own))
    heading = first + 1 if own and figures_own <= 0.2 and figures_below > 0.2 else first
    return min(heading, int(grid.rows * _MOST_SHARE))


def _has_figure(text: str) -> bool:
    return any(c.isdigit() for c in text)
