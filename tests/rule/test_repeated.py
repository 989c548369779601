"""Finds repeated headings: another table begins below or beside."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line.rule.grids import find_grids
from keel_line.rule.repeated import find_repeat_beside, find_repeats_below, heads_figures
from synth.pages import CellContent, Sheet, Style, TableContent, finish_page
from tests.conftest import inter

DPI = 150.0
CAP = 20.0
TALL = "bdfhklt0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"


def letters(text: str, x: float, foot: float) -> NDArray[np.float64]:
    """Boxes of letters, each as wide as its own kind is."""
    out = []
    for char in text:
        wide = 8.0 if char.isdigit() else 5.0 + ord(char) % 7
        high = CAP if char in TALL else 0.7 * CAP
        out.append((x, foot - high, x + wide, foot))
        x += wide + 2
    return np.array(out)


def lay(*lines: dict[float, str]) -> tuple[list[NDArray[np.float64]], NDArray[np.float64]]:
    """Lay out lines, each a word by where it begins; return their pieces and all letters."""
    rows, every = [], []
    for number, line in enumerate(lines):
        words = [letters(text, x, 50.0 * number + 30) for x, text in line.items()]
        rows.append(np.array([[*w[:, :2].min(axis=0), *w[:, 2:].max(axis=0)] for w in words]))
        every += words
    return rows, np.concatenate(every)


HEAD = {0.0: "Vessel", 150.0: "Tons", 300.0: "Dues"}
ROWS = [
    {0.0: "Marigold", 150.0: "412", 300.0: "18.50"},
    {0.0: "Heron", 150.0: "96", 300.0: "7.25"},
    {0.0: "Petrel", 150.0: "1204", 300.0: "55.00"},
]


def beside(left: dict[float, str], right: dict[float, str]) -> dict[float, str]:
    return {**left, **{x + 500: text for x, text in right.items()}}


def test_a_heading_below_itself_is_found() -> None:
    assert find_repeats_below(*lay(HEAD, *ROWS, HEAD, *ROWS), CAP) == [4]
    assert find_repeats_below(*lay(HEAD, *ROWS, HEAD, *ROWS, HEAD, *ROWS), CAP) == [4, 8]
    assert find_repeats_below(*lay(HEAD, *ROWS, *ROWS), CAP) == []


def test_a_title_that_stands_above_it_both_times_goes_with_it() -> None:
    title = {210.0: "Charged"}
    assert find_repeats_below(*lay(title, HEAD, *ROWS, title, HEAD, *ROWS), CAP) == [5]


def test_figures_of_one_width_are_no_second_heading() -> None:
    same = [{0.0: f"{k}0412", 150.0: f"{k}75", 300.0: f"1{k}.50"} for k in range(1, 9)]
    assert find_repeats_below(*lay(*same), CAP) == []
    assert find_repeats_below(*lay(HEAD, *same), CAP) == []


def test_the_middle_of_the_white_before_a_heading_beside_itself() -> None:
    rows, every = lay(
        beside(HEAD, HEAD), *(beside(a, b) for a, b in zip(ROWS, ROWS[::-1], strict=True))
    )
    found = find_repeat_beside(rows, every, CAP)
    assert found is not None
    assert 340 < found < 500


@pytest.mark.parametrize(
    "heading",
    [
        {0.0: "Qtr1", 150.0: "Qtr2", 500.0: "Qtr3", 650.0: "Qtr4"},
        {0.0: "Vessel", 150.0: "Tons", 500.0: "Berthed", 650.0: "Dues"},
    ],
)
def test_columns_that_only_resemble_each_other_are_of_one_table(heading: dict[float, str]) -> None:
    values = [{x: f"{k}{n}.5" for n, x in enumerate(heading)} for k in range(4)]
    assert find_repeat_beside(*lay(heading, *values), CAP) is None


def test_kinds_of_values_that_repeat_under_one_stub_are_of_one_table() -> None:
    heading = {150.0: "Tons", 300.0: "Dues", 650.0: "Tons", 800.0: "Dues"}
    values = [
        {0.0: name, 150.0: "412", 300.0: "18.50", 650.0: "96", 800.0: "7.25"}
        for name in ("Heron", "Petrel", "Tern", "Marigold")
    ]
    assert find_repeat_beside(*lay(heading, *values), CAP) is None


def test_words_over_figures_are_a_heading() -> None:
    xs = [-10.0, 140.0, 290.0, 450.0]
    rows, every = lay(HEAD, *ROWS)
    assert heads_figures(rows, every, CAP, xs)
    assert not heads_figures(rows[1:], every, CAP, xs)


FORM = ("Vessel", "Tons", "Dues")


def form(first: int, last: int) -> TableContent:
    names = ("Marigold", "Heron", "Petrel", "Tern", "Kittiwake", "Gannet")
    rows = [
        FORM,
        *((names[k % 6], f"{k * 37 + 80}", f"{k * 3 + 5}.50") for k in range(first, last)),
    ]
    cells = tuple(
        CellContent(r, c, text) for r, row in enumerate(rows) for c, text in enumerate(row)
    )
    return TableContent(cells, len(rows), (1.3, 0.7, 0.8), "lrr")


@pytest.mark.parametrize("ruling", ["none", "heading", "across", "full"])
@pytest.mark.parametrize("is_beside", [True, False])
def test_a_list_set_in_two_halves_is_two_tables(ruling: str, *, is_beside: bool) -> None:
    sheet = Sheet(DPI, (8.0, 9.0))
    rng = np.random.default_rng(4)
    style = Style(inter(), inter(bold=True), 11.0, ruling=ruling, frame="double")
    drawn = sheet.draw_table(form(0, 7), (0.8, 1.0), style, rng)
    at = (4.0, 1.0) if is_beside else (0.8, drawn.box[3] / DPI + 0.2)
    sheet.draw_table(form(7, 14), at, style, rng)
    grids = find_grids(finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey, DPI)
    assert [(g.rows, g.cols) for g in grids] == [(8, 3), (8, 3)]


def test_frames_that_nearly_touch_are_of_two_tables() -> None:
    """Rules are carried on over small gaps, so these run from one table into the other."""
    sheet = Sheet(DPI, (8.0, 9.0))
    rng = np.random.default_rng(4)
    style = Style(inter(), inter(bold=True), 11.0, frame="double")
    drawn = sheet.draw_table(form(0, 5), (0.8, 1.0), style, rng)
    wide = replace(form(5, 9), widths_in=(0.9, 0.9, 1.0))
    sheet.draw_table(wide, (0.8, drawn.box[3] / DPI + 0.16), style, rng)
    grids = find_grids(finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey, DPI)
    assert [(g.rows, g.cols) for g in grids] == [(6, 3), (5, 3)]
