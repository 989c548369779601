"""What hangs together in a picture, also where there is very much of it."""

from __future__ import annotations

import numpy as np

from keel_line._shared.parts import find_parts


def test_parts_that_touch_at_corners_are_one() -> None:
    mask = np.zeros((20, 30), np.uint8)
    mask[2:5, 3:9] = 1
    mask[5:7, 9:12] = 1
    mask[12:14, 20:21] = 1
    labels, table, middles = find_parts(mask)
    assert table[1:].tolist() == [[3, 2, 9, 5, 24], [20, 12, 1, 2, 2]]
    assert labels[3, 4] == labels[6, 11] == 1
    assert middles[2].tolist() == [20.0, 12.5]


def test_more_specks_than_short_numbers_are_all_found() -> None:
    mask = np.zeros((600, 600), np.uint8)
    mask[::2, ::2] = 1
    labels, table, _ = find_parts(mask)
    assert len(table) == 90_001
    assert int(labels.max()) == 90_000


def test_a_bare_page_has_the_ground_alone() -> None:
    labels, table, _ = find_parts(np.zeros((9, 9), np.uint8))
    assert len(table) == 1
    assert not labels.any()
