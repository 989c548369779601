"""Forms: finds on a page the form of a jig, and lays the jig's lines on it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from keel_line.model.docket import PageState
from keel_line.model.finding import Sums
from keel_line.model.geometry import Box
from keel_line.model.grid import Grid
from keel_line.model.table import TableState
from keel_line.rule.mend import LEAST_APART_PX, make_grid
from keel_line.tidy.form_lines import FormLines, Placed, place_lines
from keel_line.tidy.jigs import Jig

__all__ = ["FormFit", "Jig", "find_form", "lay_form"]
"""With what the window needs of jigs."""

_MM = 25.4
_OVERLAP = 0.5  # of the smaller box
_SAME_MM = 1.5  # how far lines lie apart that are the same


@dataclass(frozen=True)
class FormFit:
    """A form found on a page.

    Attributes
    ----------
    name
        What the jig is called.
    grids
        The page's grids with the form's lines laid, px; none where the lines are there already, and
        only its sums are to be set.
    missing
        Words of the form that were not found.
    laid
        The form's grid among them.
    table
        The table that it takes the place of, where it has no sums of the clerk's and the form has.
    sums
        The form's sums.
    """

    name: str
    grids: tuple[Grid, ...]
    missing: tuple[str, ...]
    laid: Grid
    table: TableState | None
    sums: Sums


def find_form(page: PageState, tables: Sequence[TableState], jigs: Sequence[Jig]) -> FormFit | None:
    """Return the form of a page where a jig fits surely and its lines or sums are to be set.

    None as well where the clerk drew the page's lines.
    """
    if page.drawn is not None or page.progress != "done":
        return None
    for jig in jigs:
        if jig.page is None:
            continue
        placed = place_lines(jig.page, tables, page.dpi)
        if not placed.sure:
            continue
        fit = _lay(jig.name, jig.page, placed, page, tables)
        if fit is None or not _is_there(jig.page, fit.laid, page, tables):
            return fit
        return None if fit.table is None else replace(fit, grids=())
    return None


def lay_form(page: PageState, tables: Sequence[TableState], jig: Jig) -> FormFit | None:
    """Return a jig's lines on a page, whether or not its words are found; None if it has none."""
    if jig.page is None:
        return None
    return _lay(jig.name, jig.page, place_lines(jig.page, tables, page.dpi), page, tables)


def _lay(
    name: str, lines: FormLines, placed: Placed, page: PageState, tables: Sequence[TableState]
) -> FormFit | None:
    """Return the page's grids with the form's in the place of those that it covers."""
    px = page.dpi / _MM
    xs, ys = (
        tuple((scale * v + shift) * px for v in along)
        for along, scale, shift in zip((lines.x, lines.y), placed.scale, placed.shift, strict=True)
    )
    covered = [t for t in tables if _overlap((xs[0], ys[0], xs[-1], ys[-1]), t.grid.box)]
    if not lines.printed:
        ys = _with_own_rows(ys[: lines.header_rows + 1], ys, covered)
    wide, high = page.squared_size_px
    if xs[0] >= wide or ys[0] >= high or xs[-1] <= 0 or ys[-1] <= 0:
        return None
    grid = make_grid(xs, ys, lines.spans, heading_rows=lines.header_rows)
    others = [t.grid for t in tables if t not in covered]
    bare = covered[0] if covered and lines.sums != Sums() == covered[0].sums else None
    return FormFit(name, (grid, *others), placed.missing, grid, bare, lines.sums)


def _with_own_rows(
    heading: tuple[float, ...], ys: tuple[float, ...], covered: Sequence[TableState]
) -> tuple[float, ...]:
    """Return the form's heading with the page's own rows below; the form's where it has none."""
    below = {y for t in covered for y in t.grid.y_lines if y > heading[-1] + LEAST_APART_PX}
    if not below:
        return ys
    out = list(heading)
    for y in sorted(below):
        if y - out[-1] >= LEAST_APART_PX:
            out.append(y)
    return tuple(out)


def _is_there(lines: FormLines, laid: Grid, page: PageState, tables: Sequence[TableState]) -> bool:
    """Return whether one of the page's tables has the form's lines already."""
    near = _SAME_MM * page.dpi / _MM
    for table in tables:
        grid = table.grid
        same_rows = grid.rows == laid.rows or not lines.printed
        rows = zip(grid.y_lines, laid.y_lines, strict=False)
        columns = zip(grid.x_lines, laid.x_lines, strict=False)
        inner = [(a, b) for k, (a, b) in enumerate(columns) if 0 < k < grid.cols]
        if (
            same_rows
            and grid.cols == laid.cols
            and table.header_rows == lines.header_rows
            and _spans_of(grid, lines) == _spans_of(laid, lines)
            and all(abs(a - b) <= near for a, b in (*inner, *list(rows)[1:-1]))
        ):
            return True
    return False


def _spans_of(grid: Grid, lines: FormLines) -> set[tuple[int, int, int, int]]:
    """Return the cells over several places; in the heading alone if rows are the page's."""
    return {
        (c.row, c.col, c.row_span, c.col_span)
        for c in grid.cells
        if (c.row_span > 1 or c.col_span > 1)
        and (lines.printed or c.row + c.row_span <= lines.header_rows)
    }


def _overlap(a: Box, b: Box) -> bool:
    wide = min(a[2], b[2]) - max(a[0], b[0])
    high = min(a[3], b[3]) - max(a[1], b[1])
    least = min((v[2] - v[0]) * (v[3] - v[1]) for v in (a, b))
    return wide > 0 and high > 0 and wide * high >= _OVERLAP * least
