"""Tables changed by chance, so that few hands make many kinds of tables.

Each change is one that people make: columns set beside each other, rows named once for several,
headings over headings, names across the table, blanks, totals, figures in many forms.
"""

from __future__ import annotations

import html
import re
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from training.manuals.looks import choose
from training.manuals.markup import Manual, MarkedCell, MarkedTable

_MANUALS, _TABLES = 0.55, 0.75
_MOST_COLS, _MOST_ROWS, _MOST_CELL, _SHORT = 12, 60, 22, 30
_WORD = re.compile(r"[^\W\d_]{3,14}")
_ENDS = ("", "", "", "%", "*", "**", " m", " kg")
Change = Callable[[MarkedTable, Manual, np.random.Generator], MarkedTable | None]


def change_tables(manual: Manual, rng: np.random.Generator) -> None:
    """Change three in four tables of every second manual, each once to three times."""
    if rng.random() > _MANUALS:
        return
    for k, part in enumerate(manual.parts):
        table = part.table
        if table is None or rng.random() > _TABLES:
            continue
        for _ in range(int(rng.integers(1, 4))):
            change = choose(rng, *CHANGES)
            table = change(table, manual, rng) or table
        manual.parts[k] = replace(part, table=table)


def set_beside(table: MarkedTable, manual: Manual, rng: np.random.Generator) -> MarkedTable | None:
    """Set a long, narrow table's rows beside each other in two or three parts, each headed."""
    head = table.heading
    most = _MOST_COLS // table.cols
    body = table.rows - max(0, head)
    if not _is_plain(table) or head < 0 or most < 2 or body < 4:
        return None
    parts = int(rng.integers(2, min(most, 3) + 1))
    high = -(-body // parts)
    cells = []
    for cell in table.cells:
        if cell.row < head:
            cells += [
                _copy(replace(cell, col=cell.col + k * table.cols), manual) for k in range(parts)
            ]
        else:
            part, row = divmod(cell.row - head, high)
            cells.append(replace(cell, row=head + row, col=cell.col + part * table.cols))
    return _fill(replace(
        table, rows=head + high, cols=table.cols * parts, cells=tuple(cells), kinds=()
    ))  # fmt: skip


def transpose(table: MarkedTable, _: Manual, rng: np.random.Generator) -> MarkedTable | None:
    """Turn a small table's rows into columns."""
    if not _is_plain(table) or table.rows > _MOST_COLS or _longest(table) > _MOST_CELL:
        return None
    bold = rng.random() < 0.5
    cells = [
        replace(c, row=c.col, col=c.row, name="th" if c.col == 0 or (bold and c.row == 0) else "td")
        for c in table.cells
    ]
    return replace(table, rows=table.cols, cols=table.rows, heading=1, cells=tuple(cells), kinds=())


def blank_some(table: MarkedTable, _: Manual, rng: np.random.Generator) -> MarkedTable | None:
    """Leave some body cells empty; each row and column keeps one."""
    return _keep_cells(table, rng.random(len(table.cells)) > rng.uniform(0.1, 0.6))


def name_once(table: MarkedTable, _: Manual, rng: np.random.Generator) -> MarkedTable | None:
    """Keep the first column's cell of every few rows alone, as groups are named."""
    each = int(rng.integers(2, 6))
    head = max(0, table.heading)
    return _keep_cells(
        table, np.array([c.col > 0 or (c.row - head) % each == 0 for c in table.cells])
    )


def add_spanner(table: MarkedTable, manual: Manual, rng: np.random.Generator) -> MarkedTable | None:
    """Add a heading row above the heading, over groups of columns."""
    if table.heading != 1 or table.cols < 3 or not _is_plain(table):
        return None
    first = int(rng.integers(0, 3))
    upright = rng.random() < 0.4
    low = {c.col: c for c in table.cells if c.row == 0}
    rest = [replace(c, row=c.row + 1) for c in table.cells if c.row > 0]
    top: list[MarkedCell] = []
    col = 0
    while col < table.cols:
        wide = 1 if col < first else min(int(rng.integers(2, 5)), table.cols - col)
        if wide > 1:
            top.append(_write(manual, MarkedCell(0, col, 1, wide, name="th"), _phrase(manual, rng)))
            top += [replace(low[k], row=1) for k in range(col, col + wide)]
        elif upright:
            top.append(replace(low[col], row_span=2))
        else:
            top += [MarkedCell(0, col, name="th"), replace(low[col], row=1)]
        col += wide
    if all(c.col_span == 1 for c in top):
        return None
    kinds = tuple((row + 1, kind) for row, kind in table.kinds)
    return replace(table, rows=table.rows + 1, heading=2, cells=(*top, *rest), kinds=kinds)


def add_sections(
    table: MarkedTable, manual: Manual, rng: np.random.Generator
) -> MarkedTable | None:
    """Add names across the table above groups of rows."""
    head = max(0, table.heading)
    if table.cols < 3 or table.rows - head < 4 or not _is_plain(table) or table.kinds:
        return None
    each = int(rng.integers(2, 7))
    wide = rng.random() < 0.6  # else the name stands in the first column, the others are empty
    cells, kinds = [], []
    for cell in table.cells:
        place = max(0, (cell.row - head) // each + 1) if cell.row >= head else 0
        cells.append(replace(cell, row=cell.row + place))
    for number in range(-(-(table.rows - head) // each)):
        row = head + number * (each + 1)
        span = table.cols if wide else 1
        cells.append(_write(manual, MarkedCell(row, 0, 1, span), _phrase(manual, rng)))
        cells += [MarkedCell(row, k) for k in range(span, table.cols)]
        kinds.append((row, "s"))
    rows = table.rows + len(kinds)
    return replace(table, rows=rows, cells=tuple(cells), kinds=tuple(kinds))


def put_figures(table: MarkedTable, manual: Manual, rng: np.random.Generator) -> MarkedTable | None:
    """Write figures instead of what some columns say, each column in a form of its own."""
    head = max(0, table.heading)
    forms = {
        k: _choose_form(rng)
        for k in range(1, table.cols)
        if rng.random() < 0.8 and all(c.col_span == 1 for c in table.cells if c.col == k)
    }
    cells = tuple(
        _write(manual, c, forms[c.col](rng))
        if c.row >= head and c.col in forms and c.col_span == 1 and c.text >= 0
        else c
        for c in table.cells
    )
    return replace(table, cells=cells)


def shorten(table: MarkedTable, _: Manual, rng: np.random.Generator) -> MarkedTable | None:
    """Keep the heading and the first few rows."""
    if not _is_plain(table) or table.kinds:
        return None
    rows = min(table.rows, max(0, table.heading) + int(rng.integers(1, 9)))
    if rows < 2:
        return None
    return replace(table, rows=rows, cells=tuple(c for c in table.cells if c.row < rows))


def drop_heading(table: MarkedTable, _: Manual, __: np.random.Generator) -> MarkedTable | None:
    """Leave the heading out."""
    head = table.heading
    if head < 1 or table.rows - head < 2:
        return None
    cells = tuple(replace(c, row=c.row - head) for c in table.cells if c.row >= head)
    kinds = tuple((row - head, kind) for row, kind in table.kinds if row >= head)
    return replace(table, rows=table.rows - head, heading=0, cells=cells, kinds=kinds)


def add_total(table: MarkedTable, manual: Manual, rng: np.random.Generator) -> MarkedTable | None:
    """Add a last row of totals, or of another figure for each column."""
    if table.rows >= _MOST_ROWS:
        return None
    said = choose(rng, "Total", "Total", "Sum", "Mean", "All", "N", "Maximum", _phrase(manual, rng))
    empty = rng.uniform(0, 0.6)
    cells = [_write(manual, MarkedCell(table.rows, 0), str(said))]
    for col in range(1, table.cols):
        own = MarkedCell(table.rows, col)
        full = rng.random() > empty
        cells.append(_write(manual, own, _choose_form(rng)(rng)) if full else own)
    kinds = (*table.kinds, (table.rows, "t"))
    return replace(table, rows=table.rows + 1, cells=(*table.cells, *cells), kinds=kinds)


def write_small(table: MarkedTable, manual: Manual, _: np.random.Generator) -> MarkedTable | None:
    """Begin the body's cells with small letters, as lists of commands and of words do."""
    head = max(0, table.heading)
    cells = []
    for cell in table.cells:
        said = manual.texts[cell.text][1] if cell.text >= 0 else ""
        small = cell.row >= head and said[:2].istitle()
        cells.append(_write(manual, cell, said[0].lower() + said[1:]) if small else cell)
    return replace(table, cells=tuple(cells)) if cells != list(table.cells) else None


CHANGES: tuple[Change, ...] = (
    set_beside,
    transpose,
    blank_some,
    name_once,
    add_spanner,
    add_sections,
    put_figures,
    put_figures,
    shorten,
    drop_heading,
    add_total,
    write_small,
)


def _is_plain(table: MarkedTable) -> bool:
    """Return whether no cell spans and every place has a cell."""
    return len(table.cells) == table.rows * table.cols and all(
        c.row_span == c.col_span == 1 for c in table.cells
    )


def _longest(table: MarkedTable) -> int:
    return max((len(re.sub(r"<[^>]*>", "", c.inner)) for c in table.cells), default=0)


def _fill(table: MarkedTable) -> MarkedTable:
    """Add empty cells where a plain table has none."""
    taken = {(c.row, c.col) for c in table.cells}
    empty = [
        MarkedCell(row, col)
        for row in range(table.rows)
        for col in range(table.cols)
        if (row, col) not in taken
    ]
    return replace(table, cells=(*table.cells, *empty))


def _keep_cells(table: MarkedTable, kept: np.ndarray) -> MarkedTable | None:
    """Empty the body cells that are not kept, unless a row or a column has no other."""
    cells = list(table.cells)
    full = [c.text >= 0 for c in cells]
    for k, cell in enumerate(cells):
        if kept[k] or not full[k] or cell.row < max(0, table.heading):
            continue
        row = sum(f for f, c in zip(full, cells, strict=True) if c.row == cell.row)
        col = sum(
            f
            for f, c in zip(full, cells, strict=True)
            if c.col == cell.col and c.row >= table.heading
        )
        if row > 1 and col > 1:
            full[k] = False
            cells[k] = replace(cell, text=-1, inner="")
    return replace(table, cells=tuple(cells))


def _copy(cell: MarkedCell, manual: Manual) -> MarkedCell:
    """Return a cell that says the same, as a text of its own."""
    if cell.text < 0:
        return cell
    number = manual.add("cell", manual.texts[cell.text][1])
    inner = cell.inner.replace(f'k="{cell.text}"', f'k="{number}"')
    return replace(cell, text=number, inner=inner)


def _write(manual: Manual, cell: MarkedCell, said: str) -> MarkedCell:
    """Return a cell that says something else."""
    number = manual.add("cell", said)
    return replace(cell, text=number, inner=f'<span k="{number}">{html.escape(said)}</span>')


def _phrase(manual: Manual, rng: np.random.Generator) -> str:
    """Return one to three words that follow each other in a manual."""
    said = manual.texts[int(rng.integers(len(manual.texts)))][1]
    words = _WORD.findall(said) or ["Other"]
    at = int(rng.integers(len(words)))
    return " ".join(words[at : at + int(rng.integers(1, 4))])[:_SHORT].capitalize()


def _choose_form(rng: np.random.Generator) -> Callable[[np.random.Generator], str]:
    """Return what writes figures in one form."""
    most = 10.0 ** rng.uniform(0.3, 6)
    places = int(choose(rng, 0, 0, 1, 2, 2, 3, 4))
    end, wanting = str(choose(rng, *_ENDS)), rng.random() < 0.3
    comma = "," if rng.random() < 0.6 else ""
    kind = str(choose(rng, *["plain"] * 6, "minus", "range", "error", "brackets", "share", "dash"))

    def write(rng: np.random.Generator) -> str:
        value = float(rng.random() ** 2 * most)
        text = f"{value:{comma}.{places}f}"
        other = f"{value * rng.uniform(0.02, 1.5):{comma}.{places}f}"
        if wanting and rng.random() < 0.15:
            return str(choose(rng, "–", "-", "n/a", "0", "*"))
        if kind == "minus":
            return choose(rng, "", "−", "-") + text
        if kind == "brackets":
            return f"({text})" if rng.random() < 0.4 else text
        shapes = {
            "range": f"{text}–{other}",
            "error": f"{text} ± {other}",
            "share": f"{text} ({rng.uniform(0, 100):.1f}%)",
            "dash": f"{text} / {other}",
        }
        return shapes.get(kind, f"{text}{end}")

    return write
