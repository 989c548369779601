from __future__ import annotations

import pytest

from keel_line.model.grid import Cell, Grid
from synth.laying import pair_texts, split_lines
from synth.pages import CellTruth, TableTruth

BOX = (0.0, 0.0, 1.0, 1.0)


def lay_grid(*places: tuple[int, int, int, int]) -> Grid:
    return Grid(BOX, (0.0, 1.0), (0.0, 1.0), tuple(Cell(*place, BOX) for place in places))


def tell(*cells: tuple[int, int, int, int, str]) -> TableTruth:
    return TableTruth(1, 2, 0, BOX, tuple(CellTruth(*cell, BOX) for cell in cells))


HEADED = tell((0, 0, 1, 2, "Berths"), (1, 0, 1, 1, "4"), (1, 1, 1, 1, "5"))


def test_texts_come_in_the_order_of_the_grids_cells() -> None:
    turned = lay_grid((1, 1, 1, 1), (0, 0, 1, 2), (1, 0, 1, 1))
    assert pair_texts([turned], [HEADED]) == [["5", "Berths", "4"]]


@pytest.mark.parametrize(
    "places",
    [
        [(0, 0, 1, 2), (1, 0, 1, 1)],
        [(0, 0, 1, 1), (0, 1, 1, 1), (1, 0, 1, 1), (1, 1, 1, 1)],
    ],
)
def test_a_wrong_grid_has_no_texts_and_the_right_one_beside_it_keeps_its_own(
    places: list[tuple[int, int, int, int]],
) -> None:
    single = lay_grid((0, 0, 1, 1))
    assert pair_texts([lay_grid(*places), single], [HEADED, tell((0, 0, 1, 1, "No."))]) == [
        None,
        ["No."],
    ]


def test_where_a_table_is_missing_nothing_is_known_of_the_others() -> None:
    assert pair_texts([lay_grid((0, 0, 1, 1))], [tell((0, 0, 1, 1, "No.")), HEADED]) == [None]


def test_lines_are_known_where_as_many_were_found_as_are_written() -> None:
    assert split_lines("Marram\nLight", 2) == ["Marram", "Light"]
    assert split_lines("Marram\nLight", 1) is None
    assert split_lines("", 2) == ["", ""]
    assert split_lines("", 0) == []
