"""Cells whose writing runs up the page or down are read with their picture turned."""

from __future__ import annotations

import numpy as np
import pytest

from keel_line.model.grid import Cell
from keel_line.read.reader import Reader
from keel_line.read.turned import read_turned
from synth.pages import Sheet, finish_page
from tests.conftest import inter

DPI = 200.0


@pytest.fixture(scope="module")
def words() -> np.ndarray:
    sheet = Sheet(DPI, (3.0, 1.0))
    rng = np.random.default_rng(3)
    sheet.write((0.2, 0.4), "Dues paid", inter(), 12, rng)
    return finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey


@pytest.mark.parametrize("quarters", [1, -1], ids=["up", "down"])
def test_turned_writing_is_read_and_has_its_place(words: np.ndarray, quarters: int) -> None:
    page = np.ascontiguousarray(np.rot90(words, quarters))
    rows, cols = page.shape
    whole = (0.0, 0.0, float(cols), float(rows))
    (reading,) = read_turned(Reader(), page, DPI, [Cell(0, 0, 1, 1, whole)])
    assert reading.text == "Dues paid"
    assert reading.confidence > 0.9
    ys = [(c.box[1] + c.box[3]) / 2 for c in reading.chars]
    assert ys == sorted(ys, reverse=quarters > 0)
    for char in reading.chars:
        x0, y0, x1, y1 = char.box
        assert 0 <= x0 < x1 <= cols
        assert 0 <= y0 < y1 <= rows
        if char.char != " ":
            ink = page[int(y0) : int(y1) + 1, int(x0) : int(x1) + 1]
            assert ink.min() < 120


def test_no_cells_need_no_reading() -> None:
    assert read_turned(Reader(), np.full((9, 9), 255, np.uint8), DPI, []) == []
