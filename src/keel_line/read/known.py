"""What earlier pages of a form tell of this one's columns."""

from __future__ import annotations

from collections.abc import Sequence

from keel_line._shared.headings import compare_headings, find_moved, share_lines
from keel_line.model.form import KnownColumn, KnownForm
from keel_line.model.grid import Grid
from keel_line.read.values import Shares


def find_known(
    grid: Grid, texts: Sequence[str], forms: Sequence[KnownForm]
) -> tuple[KnownColumn, ...]:
    """Return what is known of a table's columns; nothing where it is of no known form.

    ``texts`` are those of the grid's cells. A form without a heading is never known by itself.
    """
    own_lines = share_lines(grid.x_lines)
    for form in forms:
        if not form.heading or len(form.lines) != len(own_lines):
            continue
        if find_moved(own_lines, form.lines):
            continue
        heading = [
            [
                " ".join(text.split())
                for cell, text in zip(grid.cells, texts, strict=True)
                if cell.row == row and text.strip()
            ]
            for row in range(len(form.heading))
        ]
        if any(heading) and not compare_headings(heading, form.heading):
            return form.columns
    return ()


def as_cells(column: KnownColumn) -> list[Shares]:
    """Return the cells of a known column, in the shape that the page's own cells have."""
    repeated: list[Shares] = [
        {text: 1.0} for text, count in column.values.items() for _ in range(count)
    ]
    return [*repeated, *[{}] * max(0, column.cells - len(repeated))]
