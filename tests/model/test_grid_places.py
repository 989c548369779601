from __future__ import annotations

from keel_line.model.grid import Cell, Grid

BOX = (0.0, 0.0, 3.0, 2.0)
GRID = Grid(
    BOX,
    (0.0, 1.0, 2.0, 3.0),
    (0.0, 1.0, 2.0),
    (
        Cell(0, 0, 2, 1, BOX),
        Cell(0, 1, 1, 2, BOX),
        Cell(1, 1, 1, 1, BOX),
        Cell(1, 2, 1, 1, BOX),
    ),
)


def test_cells_are_found_by_place_rows_and_columns() -> None:
    assert GRID.in_rows == ((0, 1), (0, 2, 3))
    assert GRID.in_cols == ((0,), (2,), (3,))
    assert [[GRID.number_at(r, c) for c in range(3)] for r in range(2)] == [[0, 1, 1], [0, 2, 3]]
    assert GRID.number_at(2, 0) is None
    assert GRID.number_at(0, 3) is None
    assert GRID.number_at(-1, 0) is None
