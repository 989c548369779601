"""The measure that needs no truth: whether two grids of one page are the same."""

from __future__ import annotations

import numpy as np

from benchmarks.documents import are_same, load_catalogue, places_of
from keel_line.rule.mend import make_plain_grid

BOXES = np.array(
    [(x, y, x + 8, y + 12) for y in (10, 60) for x in (*range(10, 90, 10), *range(110, 190, 10))],
    float,
)


def test_the_same_grid_is_the_same_wherever_it_lies() -> None:
    grid = make_plain_grid((0, 0, 200, 100), 2, 2)
    moved = make_plain_grid((50, 30, 250, 130), 2, 2)
    shift = np.array([50.0, 30.0, 50.0, 30.0])
    assert are_same(places_of(BOXES, grid), places_of(BOXES + shift, moved))


def test_another_number_of_rows_is_another_grid() -> None:
    one, other = (make_plain_grid((0, 0, 200, 100), rows, 2) for rows in (2, 1))
    assert not are_same(places_of(BOXES, one), places_of(BOXES, other))


def test_a_table_that_ends_earlier_is_another_grid() -> None:
    whole = make_plain_grid((0, 0, 200, 100), 2, 2)
    upper = make_plain_grid((0, 0, 200, 50), 1, 2)
    assert not are_same(places_of(BOXES, whole), places_of(BOXES, upper))


def test_the_catalogue_names_packages_with_their_versions() -> None:
    catalogue = load_catalogue()
    assert len(catalogue) >= 20
    assert all(d.version and d.path.endswith(".pdf") for d in catalogue)
    assert all(set(d.pages).isdisjoint(d.none) and (d.pages or d.none) for d in catalogue)
