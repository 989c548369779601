"""Tables without full ruling: found by white space and alignment; prose and lists left alone."""

from __future__ import annotations

import textwrap
from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from keel_line.model.grid import Grid
from keel_line.rule.survey import find_grids
from synth.pages import CellContent, Sheet, Style, TableContent, finish_page
from tests.conftest import inter, make_content

DPI = 150.0
PROSE = (
    "the harbour master keeps a register of every vessel that lies at a berth and of the dues"
    " paid for it in each quarter of the year so that no berth is let twice "
) * 12


def draw(
    content: TableContent,
    ruling: str,
    *,
    title: str = "",
    noise: int = 5,
    pitch_em: float = Style.pitch_em,
) -> NDArray[np.uint8]:
    sheet = Sheet(DPI, (8.0, 9.0))
    rng = np.random.default_rng(noise)
    style = Style(inter(), inter(bold=True), 11.0, ruling=ruling, pitch_em=pitch_em)
    if title:
        sheet.write((0.8, 0.7), title, inter(bold=True), 13, rng)
    sheet.draw_table(content, (0.8, 1.0), style, rng)
    return finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey


def shape(grid: Grid) -> set[tuple[int, int, int, int]]:
    return {(c.row, c.col, c.row_span, c.col_span) for c in grid.cells}


def wanted(content: TableContent) -> set[tuple[int, int, int, int]]:
    return {(c.row, c.col, c.row_span, c.col_span) for c in content.cells}


@pytest.mark.parametrize("ruling", ["none", "heading", "across", "down", "outline", "full"])
def test_columns_and_rows_are_found_whatever_is_ruled(ruling: str) -> None:
    content = make_content(9, 4)
    (grid,) = find_grids(draw(content, ruling), DPI)
    assert shape(grid) == wanted(content)


def test_a_column_beside_one_whose_values_wrap_is_one() -> None:
    """Few lines have writing on both sides: wrapped values lie above and below the others."""
    names = ["Master", "Capt.\nGannetry", "ROWAN", "", "M.P.", "Capt.\nTidewell", "Mrs\nBrannock"]
    content = make_content(len(names), 4)
    cells = tuple(replace(c, text=names[c.row]) if c.col == 0 else c for c in content.cells)
    content = replace(content, cells=cells, widths_in=(0.8, 1.3, 1.3, 1.3))
    (grid,) = find_grids(draw(content, "none"), DPI)
    assert shape(grid) == wanted(content)


@pytest.mark.parametrize("depth", [200, 50], ids=["dots", "pale dots"])
def test_letters_of_dots_are_writing(depth: int) -> None:
    """A needle printer's letters, on a ribbon that may be worn."""
    grey = draw(make_content(8, 4), "none", noise=3).astype(np.float64)
    paper = float(np.percentile(grey, 60))
    rows, cols = np.indices(grey.shape)
    inked = (grey < paper - 60) & (rows % 3 < 2) & (cols % 3 < 2)
    grain = np.random.default_rng(1).normal(0, 3, grey.shape)
    dotted = np.clip(paper + grain - depth * inked, 0, 255).astype(np.uint8)
    fine = np.asarray(cv2.resize(dotted, None, fx=2, fy=2), np.uint8)
    (grid,) = find_grids(fine, 2 * DPI)
    assert (grid.rows, grid.cols) == (8, 4)


def test_specks_all_over_a_page_are_no_letters_of_dots() -> None:
    grey = draw(make_content(8, 4), "none")
    rng = np.random.default_rng(2)
    grey[rng.integers(0, grey.shape[0], 1500), rng.integers(0, grey.shape[1], 1500)] = 0
    (grid,) = find_grids(grey, DPI)
    assert shape(grid) == wanted(make_content(8, 4))


@pytest.mark.parametrize(
    ("ruling", "across", "down"),
    [("none", 0, 0), ("across", 10, 0), ("down", 0, 5), ("full", 10, 5)],
)
def test_it_is_known_which_lines_lie_on_paper(ruling: str, across: int, down: int) -> None:
    (grid,) = find_grids(draw(make_content(9, 4), ruling), DPI)
    assert sum(grid.is_ruled("across", y) for y in grid.y_lines) == across
    assert sum(grid.is_ruled("down", x) for x in grid.x_lines) == down


@settings(max_examples=12, suppress_health_check=list(HealthCheck))
@given(rows=st.integers(4, 14), cols=st.integers(2, 5), align=st.sampled_from("lrc"))
def test_any_size_and_alignment_comes_back(rows: int, cols: int, align: str) -> None:
    content = replace(make_content(rows, cols), align=align * cols)
    (grid,) = find_grids(draw(content, "none"), DPI)
    assert shape(grid) == wanted(content)


def test_a_title_is_no_row() -> None:
    content = make_content(8, 4)
    (grid,) = find_grids(draw(content, "none", title="Berth dues paid in the first quarter"), DPI)
    assert grid.rows == 8


def test_a_second_line_stays_in_its_row() -> None:
    cells = [
        CellContent(
            r, c, "Marigold of\nBrannock" if (r, c) == (4, 1) else f"{r * 7 + c * 31 + 10}.{c}5"
        )
        for r in range(9)
        for c in range(4)
    ]
    content = TableContent(tuple(cells), 9, (1.3,) * 4, "llll")
    (grid,) = find_grids(draw(content, "none"), DPI)
    assert shape(grid) == wanted(content)


def test_descenders_move_no_line_away_from_its_row() -> None:
    cells = [
        CellContent(r, c, f"{r * 37 % 90}.{c}5" if c else f"Berth {r}")
        for r in range(10)
        for c in range(4)
    ]
    for r in (1, 4, 7):  # the last line is as far from the next row as from its own, but for pixels
        cells[4 * r] = CellContent(r, 0, "Coexisting\nHugging gray\nouse ease")
    content = TableContent(tuple(cells), 10, (1.45,) * 4, "lrrr")
    # Where pixels decide, one scan in twelve is read otherwise.
    scans = (find_grids(draw(content, "none", noise=k, pitch_em=1.5), DPI) for k in range(1, 9))
    assert sum([shape(g) for g in grids] == [wanted(content)] for grids in scans) >= 7


MIDDLES = [100.0, 190.0, 280.0, 417.0, 554.0, 644.0, 734.0, 871.0]  # of rows, two of them high
ROWS = [(y, "xxxx") for y in MIDDLES]


@pytest.mark.parametrize(
    "ruling",
    [
        "full",
        pytest.param(
            "none",
            marks=pytest.mark.xfail(
                strict=True,
                reason="without rules, a heading over two columns looks wide",
            ),
        ),
    ],
)
def test_a_heading_over_two_columns_spans_them(ruling: str) -> None:
    span = CellContent(0, 1, "Dues in pounds", 1, 2)
    content = make_content(9, 4, (span,))
    (grid,) = find_grids(draw(content, ruling), DPI)
    assert (0, 1, 1, 2) in shape(grid)
    assert grid.rows == 9


def test_a_currency_sign_is_no_column() -> None:
    cells = [
        CellContent(r, c, ("£" if c == 1 else f"{(r * 37 + c) % 90 + 10}.50"))
        for r in range(10)
        for c in range(4)
    ]
    content = TableContent(tuple(cells), 10, (1.5, 0.28, 1.0, 1.2), "llll", 0)
    (grid,) = find_grids(draw(content, "none"), DPI)
    assert grid.cols == 3


def test_two_tables_below_each_other_stay_two() -> None:
    sheet = Sheet(DPI, (8.0, 9.0))
    rng = np.random.default_rng(1)
    style = Style(inter(), inter(bold=True), 11.0, ruling="none")
    drawn = sheet.draw_table(make_content(6, 4), (0.8, 1.0), style, rng)
    sheet.draw_table(make_content(7, 3), (0.8, drawn.box[3] / DPI + 0.8), style, rng)
    grids = find_grids(finish_page(sheet, rng, condition="clean", angle_deg=0).grey, DPI)
    assert [(g.rows, g.cols) for g in grids] == [(6, 4), (7, 3)]


def write_lines(lines: list[tuple[float, float, str]]) -> NDArray[np.uint8]:
    sheet = Sheet(DPI, (8.0, 9.0))
    rng = np.random.default_rng(3)
    for x, y, text in lines:
        sheet.write((x, y), text, inter(), 10.5, rng)
    return finish_page(sheet, rng, condition="clean", angle_deg=0).grey


def prose(x: float, top: float, chars: int, lines: int) -> list[tuple[float, float, str]]:
    wrapped = textwrap.wrap(PROSE, chars)[:lines]
    return [(x, top + 0.2 * k, line) for k, line in enumerate(wrapped)]


LETTER = [
    (0.8, 1.0, "Brannock Sound Harbour Office"),
    (5.5, 1.4, "14 March 1974"),
    *prose(0.8, 2.0, 70, 6),
    (0.8, 3.8, "I. Strome, clerk"),
]
LIST = [
    entry
    for k in range(14)
    for entry in (
        (0.8, 1.0 + 0.4 * k, f"{k + 1}."),
        (1.2, 1.0 + 0.4 * k, textwrap.wrap(PROSE, 50)[k]),
    )
]


@pytest.mark.parametrize(
    "lines",
    [prose(0.8, 1.0, 80, 24), prose(0.6, 1.0, 38, 24) + prose(4.3, 1.0, 38, 24), LIST, LETTER, []],
    ids=["prose", "two columns of prose", "list", "letter", "nothing"],
)
def test_other_writing_is_no_table(lines: list[tuple[float, float, str]]) -> None:
    assert find_grids(write_lines(lines), DPI) == []


def make_levels(rows: int, cols: int, first: int, size: int) -> TableContent:
    """A table whose heading has a title over ``size`` columns from ``first`` on."""
    cells = [CellContent(0, first, "Dues paid", 1, size)]
    for c in range(cols):
        if first <= c < first + size:
            cells.append(CellContent(1, c, f"Qtr {c}"))
        else:
            cells.append(CellContent(0, c, f"Head {c}", 2))
    for r in range(2, rows):
        cells += [CellContent(r, c, f"{r * 7 + c * 31 + 10}.{c}5") for c in range(cols)]
    return TableContent(tuple(cells), rows, (1.2,) * cols, "r" * cols, 2)


@pytest.mark.parametrize(
    ("ruling", "first", "size"),
    [
        (r, *at)
        for r in ("none", "heading", "across", "down", "outline", "full")
        for at in ((1, 2), (2, 3), (0, 2))
    ],
)
def test_a_title_over_some_columns_heads_them_alone(ruling: str, first: int, size: int) -> None:
    content = make_levels(9, 5, first, size)
    (grid,) = find_grids(draw(content, ruling), DPI)
    assert shape(grid) == wanted(content)


def test_two_tables_close_together_with_other_columns_are_two() -> None:
    sheet = Sheet(DPI, (8.0, 9.0))
    rng = np.random.default_rng(3)
    style = Style(inter(), inter(bold=True), 11.0, ruling="none")
    upper = sheet.draw_table(make_content(6, 4), (0.8, 1.0), style, rng)
    sheet.draw_table(make_content(6, 3), (1.1, upper.box[3] / DPI + 0.3), style, rng)
    grids = find_grids(finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey, DPI)
    assert [(g.rows, g.cols) for g in grids] == [(6, 4), (6, 3)]


def test_a_wide_gap_in_one_table_parts_nothing() -> None:
    sheet = Sheet(DPI, (8.0, 9.0))
    rng = np.random.default_rng(3)
    style = Style(inter(), inter(bold=True), 11.0, ruling="none")
    upper = sheet.draw_table(make_content(6, 4), (0.8, 1.0), style, rng)
    whole = make_content(7, 4)
    values = tuple(replace(c, row=c.row - 1) for c in whole.cells if c.row > 0)
    rest = replace(whole, cells=values, rows=6, header_rows=0)
    sheet.draw_table(rest, (0.8, upper.box[3] / DPI + 0.15), style, rng)
    (grid,) = find_grids(finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey, DPI)
    assert (grid.rows, grid.cols) == (12, 4)


def test_a_value_that_runs_over_takes_no_neighbour_with_it() -> None:
    cells = [
        CellContent(r, c, "Marigold of Brannock" if (r, c) == (6, 0) else f"{r * 7 + c}.{c}5")
        for r in range(14)
        for c in range(4)
    ]
    content = TableContent(tuple(cells), 14, (1.45, 1.45, 1.45, 1.45), "lrrr")
    (grid,) = find_grids(draw(content, "none"), DPI)
    assert shape(grid) == wanted(content)


def test_columns_that_nearly_touch_are_told_by_their_edges() -> None:
    cells = [
        CellContent(r, c, f"{10000 + r * 777}" if c == 0 else f"Berth {r}")
        for r in range(6)
        for c in range(2)
    ]
    content = TableContent(tuple(cells), 6, (1.0, 1.0), "rl")
    style = Style(inter(), inter(bold=True), 11.0, ruling="none", pad_em=0.3)
    sheet = Sheet(DPI, (8.0, 9.0))
    rng = np.random.default_rng(5)
    sheet.draw_table(content, (0.8, 1.0), style, rng)
    (grid,) = find_grids(finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey, DPI)
    assert (grid.rows, grid.cols) == (6, 2)


@pytest.mark.parametrize("size", [(1, 1), (5, 900), (900, 5), (40, 40)])
def test_a_sliver_of_a_page_has_no_table(size: tuple[int, int]) -> None:
    assert find_grids(np.full(size, 255, np.uint8), 300) == []


def test_what_a_copier_leaves_of_a_rule_is_no_row() -> None:
    cells = tuple(CellContent(r, c, f"{3 * r + c}.50") for r in range(6) for c in range(3))
    content = TableContent(cells, 6, (1.4,) * 3, "rrr")
    grey = draw(content, "none", pitch_em=2.4)
    (before,) = find_grids(grey, DPI)
    y = round(before.y_lines[4])
    for x in (130, 190, 260, 300, 420, 505):
        grey[y : y + 3, x : x + 16] = 60
    (grid,) = find_grids(grey, DPI)
    assert shape(before) == wanted(content)
    assert shape(grid) == wanted(content)
