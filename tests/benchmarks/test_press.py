"""The measure of grids on typeset pages."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from benchmarks.press import (
    PageScore,
    Places,
    TableScore,
    _find_fault,
    _name_cells,
    kind_rows,
    score_page,
    summary_rows,
)
from keel_line.model.grid import Cell, Grid
from synth.press.store import each_page, load_pressed
from synth.press.truth import CellPlace, TableGrid

PRESS = Path(__file__).resolve().parents[2] / "benchmarks" / "press"
# Four texts, the last one in two lines; a number of a text for each line.
PLACES = Places(
    np.array(
        [(5, 5, 20, 9), (55, 5, 70, 9), (5, 15, 20, 19), (55, 15, 70, 19), (55, 22, 70, 26)], float
    ),
    np.array([0, 1, 2, 3, 3]),
    {0: 1, 1: 1, 2: 1, 3: 2},
)
TRUTH = TableGrid(
    2,
    2,
    1,
    tuple(CellPlace(r, c, 1, 1, 2 * r + c, free=False) for r in range(2) for c in range(2)),
    -1,
)


def grid_of(xs: tuple[float, ...], ys: tuple[float, ...]) -> Grid:
    cells = tuple(
        Cell(r, c, 1, 1, (xs[c], ys[r], xs[c + 1], ys[r + 1]))
        for r in range(len(ys) - 1)
        for c in range(len(xs) - 1)
    )
    return Grid((xs[0], ys[0], xs[-1], ys[-1]), xs, ys, cells)


RIGHT = grid_of((0.0, 50.0, 100.0), (0.0, 12.0, 30.0))


def fault(grid: Grid, truth: TableGrid = TRUTH) -> str:
    return _find_fault(grid, _name_cells(grid, PLACES), truth)


def test_a_right_grid_has_no_fault() -> None:
    assert fault(RIGHT) == ""


def test_each_fault_has_its_name() -> None:
    assert fault(grid_of((0.0, 50.0, 100.0), (0.0, 12.0, 20.0, 30.0))) == "rows +1"
    assert fault(grid_of((0.0, 100.0), (0.0, 12.0, 30.0))) == "columns -1"
    assert fault(grid_of((0.0, 50.0, 100.0), (0.0, 20.5, 30.0))) == "texts in other cells"
    other = replace(TRUTH, cells=TRUTH.cells[:3])
    assert fault(RIGHT, other) == "other texts"


def test_how_far_a_text_spans_is_free_where_nothing_shows_it() -> None:
    wide = replace(TRUTH.cells[0], col_span=2)
    cells = (wide, *TRUTH.cells[2:])
    places = Places(PLACES.boxes[[0, 2, 3, 4]], np.array([0, 2, 3, 3]), {0: 1, 2: 1, 3: 2})
    names = _name_cells(RIGHT, places)
    assert _find_fault(RIGHT, names, replace(TRUTH, cells=cells)) == "a span"
    cells = (replace(wide, free=True), *TRUTH.cells[2:])
    assert _find_fault(RIGHT, names, replace(TRUTH, cells=cells)) == ""


def test_a_typeset_page_is_scored() -> None:
    pdf, truth = next((d, t) for d, t in each_page(PRESS) if t.design == "calc-full")
    score = score_page(load_pressed(pdf, truth, "digital", 1), truth, "digital")
    (table,) = score.tables
    assert table.found
    assert table.shared <= min(table.true, table.pairs)


def test_the_report_counts_by_damage_and_by_kind() -> None:
    tables = (TableScore(found=True, exact=True, true=3, pairs=3, shared=3), TableScore(true=3))
    scores = [
        PageScore("latex-full", 0, damage, tables, 0, 0.1) for damage in ("digital", "clean", "fax")
    ]
    rows = summary_rows(scores)
    assert rows[2].startswith("| digital | 2 | 50.0% | 50.0% |")
    assert any(r.startswith("| set by latex | 6 | 50.0% |") for r in kind_rows(scores))
