"""Running text is compared with the cells of the same pages."""

from __future__ import annotations

import numpy as np

from benchmarks.running import compare_cells
from benchmarks.tidy import make_state
from synth.press.truth import CellPlace, PressPage, TableGrid, TextTruth

SAID = ("Vessel", "Dues", "Wren", "18.40")
CELLS = tuple(CellPlace(k // 2, k % 2, 1, 1, k, free=False) for k in range(4))
PAGE = PressPage(
    "harbour",
    0,
    (595.0, 842.0),
    tuple(TextTruth("cell", text, ()) for text in SAID),
    (TableGrid(2, 2, 1, CELLS, -1),),
)


def test_wrong_and_missing_characters_of_cells_are_counted() -> None:
    rows = [{0: "Vessel", 1: "Dues"}, {0: "Wrcn", 1: "18.4"}]
    table = make_state(0, rows, 1, np.array([0.0, 100.0, 200.0]), "")
    assert compare_cells(PAGE, [table]) == (19, 2)


def test_cells_of_another_grid_are_not_compared() -> None:
    table = make_state(0, [{0: "Vessel Dues"}, {0: "Wren 18.40"}], 1, np.array([0.0, 200.0]), "")
    assert compare_cells(PAGE, [table]) == (0, 0)
    assert compare_cells(PAGE, []) == (0, 0)
