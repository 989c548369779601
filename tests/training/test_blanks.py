"""Which cells the worth of what is left in blank cells is fitted to."""

from __future__ import annotations

from keel_line.model.grid import Cell, Grid
from keel_line.read.blanks import MEASURES
from synth.pages import CellTruth, TableTruth
from training.blanks import pair_cells

BOX = (0.0, 0.0, 10.0, 10.0)
GRID = Grid(
    (0.0, 0.0, 20.0, 10.0),
    (0.0, 10.0, 20.0),
    (0.0, 10.0),
    tuple(Cell(0, col, 1, 1, (10.0 * col, 0.0, 10.0 * col + 10, 10.0)) for col in range(2)),
)
SPECK = (0.5,) * len(MEASURES)


def tell(*texts: str) -> TableTruth:
    cells = tuple(CellTruth(0, col, 1, 1, text, BOX, BOX) for col, text in enumerate(texts))
    return TableTruth(1, len(texts), 0, BOX, cells)


def test_only_measured_cells_are_told_blank_or_not() -> None:
    odds, measures, blank = pair_cells([GRID], [tell("-", "")], [[SPECK, SPECK]])
    assert odds.tolist() == [0.0, 0.0]
    assert measures.shape == (2, len(MEASURES))
    assert blank.tolist() == [False, True]
    assert pair_cells([GRID], [tell("-", "")], [[None, SPECK]])[2].tolist() == [True]


def test_tables_whose_grid_is_wrong_tell_nothing() -> None:
    for tables in ([], [tell("-", "", "7")]):
        assert pair_cells([GRID], tables, [[SPECK, SPECK]])[1].shape == (0, len(MEASURES))
