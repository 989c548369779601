"""A ruled cell that holds a whole part of a table gives way to what roles show, or is parted."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pytest

from keel_line.gather.sources import load_page
from keel_line.model.grid import Cell, Grid
from keel_line.rule.choosing import choose_ruled, is_no_table, part_cells
from keel_line.rule.mend import make_plain_grid
from keel_line.rule.pieces import measure_pieces
from keel_line.rule.roles import BODY, OUTSIDE, Roles
from keel_line.rule.sayings import TEXTS
from keel_line.rule.survey import find_grids, survey_text
from keel_line.rule.writing import Writing
from synth.pdf import draw_line, write_pdf, write_words

XS = (80.0, 220.0, 330.0, 440.0)
TOP, STEP = 700.0, 18.0
HEADING = ("Vessel", "Tons", "Dues")
TEXT = (
    "New chain fitted to the outer mooring, the old one to be kept for the ice boat; paint and oil"
    " from the stores, as agreed with the master in May."
)
NAMES = ("Marigold", "Windrush", "Kittiwake", "Skerry", "Linnet", "Gannet", "Curlew", "Fulmar")
ROWS = [(name, f"{137 * (i + 3)}", f"{i + 2}.50") for i, name in enumerate(NAMES)]


def lay(rows: Sequence[tuple[str, ...]], lines: list[str]) -> bytes:
    words = [
        write_words(text, x + 8, TOP - STEP * (i + 0.7))
        for i, row in enumerate([HEADING, *rows])
        for x, text in zip(XS[:3], row, strict=True)
    ]
    return write_pdf([[*lines, *words]])


def frame(low: float, *at: float) -> list[str]:
    """A frame down to ``low``, and rules across ``at`` heights."""
    across = [draw_line(XS[0], y, XS[-1], y) for y in (TOP, *at, low)]
    return [*across, *(draw_line(x, TOP, x, low) for x in (XS[0], XS[-1]))]


def find_both(data: bytes) -> tuple[Grid, Grid]:
    """Find the page's one table by its own characters, and by its ink."""
    page = load_page(data, "page.pdf", 1)
    assert page.text is not None
    (by_text,) = survey_text(page.text, 300.0).grids
    (by_ink,) = find_grids(page.pixels, 300.0)
    return by_text, by_ink


@pytest.mark.parametrize("down", [False, True])
def test_a_frame_with_a_rule_under_the_heading_is_no_grid_of_two_cells(*, down: bool) -> None:
    low = TOP - STEP * 9
    lines = frame(low, TOP - STEP)
    if down:  # and rules between the columns
        lines += [draw_line(x, TOP, x, low) for x in XS[1:3]]
    for grid in find_both(lay(ROWS, lines)):
        assert (grid.rows, grid.cols) == (9, 3)
        assert grid.is_ruled("across", grid.y_lines[1])


def test_a_rule_down_after_the_first_column_does_not_hold_the_rows_together() -> None:
    low = TOP - STEP * 9
    lines = [*frame(low, TOP - STEP), draw_line(XS[1], TOP, XS[1], low)]
    for grid in find_both(lay(ROWS, lines)):
        assert (grid.rows, grid.cols) == (9, 3)


def test_text_that_wraps_in_several_columns_stays_in_its_cells() -> None:
    long = (6, 4, 5), (5, 6, 4), (4, 5, 6)
    at, words, lines = TOP - STEP, [], [TOP - STEP]
    for counts in long:
        for x, count in zip(XS[:3], counts, strict=True):
            said = textwrap.wrap(TEXT, 18)[:count]
            words += [write_words(t, x + 8, at - STEP * (i + 0.7)) for i, t in enumerate(said)]
        at -= STEP * max(counts)
        lines.append(at)
    heading = [write_words(t, x + 8, TOP - STEP * 0.7) for t, x in zip(HEADING, XS, strict=False)]
    down = [draw_line(x, TOP, x, at) for x in XS[1:3]]
    for grid in find_both(write_pdf([[*frame(at, *lines[:-1]), *down, *heading, *words]])):
        assert (grid.rows, grid.cols) == (4, 3)


def grid_of(cells: Sequence[Cell]) -> Grid:
    return Grid((0, 0, 300, 80), (0, 100, 200, 300), (0, 40, 80), tuple(cells))


def writing_of(*boxes: tuple[float, float]) -> Writing:
    """Pieces 60 px wide and 20 px high at places (x, y)."""
    own = np.array([(x, y, x + 60, y + 20) for x, y in boxes], float)
    return Writing(own, (own[:, 1] // 40).astype(np.int64), 20.0)


def roles_of(writing: Writing, same: float, role: int = BODY) -> Roles:
    """Roles of pieces that are all in one cell with the chance ``same``."""
    count = len(writing.boxes)
    none, chance = np.zeros(count), np.full(count, same)
    roles = np.full((count, 5), 0.01)
    roles[:, role] = 0.96
    near = measure_pieces(writing, []).near
    said = np.zeros((len(near), TEXTS))
    return Roles(roles, none, none, none, none, chance, chance, near, said)


JOINED = [
    Cell(0, 0, 1, 1, (0, 0, 100, 40)),
    Cell(0, 1, 2, 2, (100, 0, 300, 80)),
    Cell(1, 0, 1, 1, (0, 40, 100, 80)),
]


def test_a_joined_cell_whose_places_all_hold_values_is_parted() -> None:
    writing = writing_of((120, 10), (220, 10), (120, 50), (220, 50))
    parted = part_cells(grid_of(JOINED), writing, roles_of(writing, 0.1))
    assert len(parted.cells) == 6
    assert {(c.row, c.col) for c in parted.cells} == {(r, c) for r in (0, 1) for c in (0, 1, 2)}


def test_a_joined_cell_with_one_text_stays() -> None:
    for writing in (writing_of((170, 30)), writing_of((170, 10), (170, 50))):
        grid = grid_of(JOINED)
        assert part_cells(grid, writing, roles_of(writing, 0.9)) == grid


def test_lines_that_go_on_with_each_other_keep_their_cell() -> None:
    writing = writing_of((120, 10), (120, 50))
    assert part_cells(grid_of(JOINED), writing, roles_of(writing, 0.9)) == grid_of(JOINED)


def test_rows_are_parted_between_lines_that_no_cell_holds_both_of() -> None:
    grid = make_plain_grid((0, 0, 300, 80), 1, 3)
    writing = writing_of(*[(x, y) for y in (10, 50) for x in (20, 120, 220)])
    assert part_cells(grid, writing, roles_of(writing, 0.1)).rows == 2
    assert part_cells(grid, writing, roles_of(writing, 0.9)) == grid


def test_a_cell_that_rules_merge_over_many_rows_holds_text_that_wraps() -> None:
    rows = [Cell(r, 1, 1, 1, (100, 40 * r, 300, 40 * r + 40)) for r in range(3)]
    cells = (Cell(0, 0, 3, 1, (0, 0, 100, 120)), *rows)
    merged = Grid((0, 0, 300, 120), (0, 100, 300), (0, 40, 80, 120), cells)
    beside = [(170, 10), (170, 50), (170, 90)]
    wrapped = writing_of((20, 10), (20, 50), *beside)
    roles = roles_of(wrapped, 0.02)  # "quarter" is thought to be a cell below "Fourth"
    assert part_cells(merged, wrapped, roles) == merged
    assert choose_ruled([merged], [make_plain_grid(merged.box, 3, 2)], wrapped, roles) == [merged]
    full = writing_of((20, 10), (20, 50), (20, 90), *beside)
    assert len(part_cells(merged, full, roles_of(full, 0.02)).cells) == 6


def test_a_joined_cell_whose_lines_stand_between_those_beside_it_stays() -> None:
    rows = [Cell(r, 1, 1, 1, (100, 40 * r, 300, 40 * r + 40)) for r in range(2)]
    cells = (Cell(0, 0, 2, 1, (0, 0, 100, 80)), *rows)
    merged = Grid((0, 0, 300, 80), (0, 100, 300), (0, 40, 80), cells)
    between = writing_of((170, 10), (20, 22), (170, 44), (20, 58))
    between = replace(between, lines=np.arange(4))
    assert part_cells(merged, between, roles_of(between, 0.02)) == merged
    level = writing_of((20, 10), (170, 10), (20, 50), (170, 50))
    assert len(part_cells(merged, level, roles_of(level, 0.02)).cells) == 4


def test_what_fits_the_writing_better_is_taken() -> None:
    coarse, fine = (make_plain_grid((0, 0, 300, 240), rows, 3) for rows in (1, 6))
    writing = writing_of(*[(x, 40 * y + 10) for y in range(6) for x in (20, 120, 220)])
    apart, together = roles_of(writing, 0.1), roles_of(writing, 0.9)
    assert choose_ruled([coarse], [fine], writing, apart) == []
    assert choose_ruled([coarse], [fine], writing, together) == [coarse]
    assert choose_ruled([fine], [coarse], writing, apart) == [fine]
    assert choose_ruled([coarse], [], writing, apart) == [coarse]


def test_a_ruled_grid_stays_where_what_roles_show_is_no_better() -> None:
    grid = make_plain_grid((0, 0, 300, 80), 2, 3)
    writing = writing_of((20, 10), (120, 10), (20, 50))
    assert choose_ruled([grid], [replace(grid)], writing, roles_of(writing, 0.1)) == [grid]
    outside = roles_of(writing, 0.1, OUTSIDE)
    assert choose_ruled([grid], [], writing, outside) == [grid]


def test_two_ruled_parts_give_way_together() -> None:
    upper, lower = (make_plain_grid((0, y, 300, y + 120), 1, 1) for y in (0, 120))
    whole = make_plain_grid((0, 0, 300, 240), 6, 3)
    writing = writing_of(*[(x, 40 * y + 10) for y in range(6) for x in (20, 120, 220)])
    assert choose_ruled([upper, lower], [whole], writing, roles_of(writing, 0.1)) == []
    apart = make_plain_grid((0, 400, 300, 480), 2, 3)
    assert choose_ruled([upper, lower, apart], [whole], writing, roles_of(writing, 0.1)) == [apart]


def test_squared_paper_is_many_blank_cells() -> None:
    grid, small = make_plain_grid((0, 0, 300, 300), 10, 10), make_plain_grid((0, 0, 300, 80), 2, 3)
    beside, within = writing_of((400, 400)), writing_of((5, 5))
    assert is_no_table(grid, beside, roles_of(beside, 0.1))
    assert not is_no_table(grid, within, roles_of(within, 0.1))
    assert not is_no_table(small, beside, roles_of(beside, 0.1))


def test_rules_around_what_is_outside_all_tables_are_none() -> None:
    grid = make_plain_grid((0, 0, 300, 80), 2, 3)
    writing = writing_of((20, 10), (120, 10), (220, 10), (20, 50))
    assert is_no_table(grid, writing, roles_of(writing, 0.1, OUTSIDE))
    assert not is_no_table(grid, writing, roles_of(writing, 0.1, BODY))
    note = writing_of((20, 10))
    assert is_no_table(grid, note, roles_of(note, 0.1, OUTSIDE))


def test_a_plain_grid_that_is_written_in_is_a_table_where_its_pieces_alone_look_like_none() -> None:
    grid = make_plain_grid((0, 0, 300, 120), 3, 3)
    places = [(100 * x + 20, 40 * y + 10) for y in range(3) for x in range(3)]
    full, sparse = writing_of(*places), writing_of(*places[:5])
    assert not is_no_table(grid, full, unlikely(full))
    assert is_no_table(grid, sparse, unlikely(sparse))
    first, second, *rest = grid.cells
    wide = replace(first, col_span=2, box=(*first.box[:2], *second.box[2:]))
    joined = replace(grid, cells=(wide, *rest))
    assert is_no_table(joined, full, unlikely(full))


def unlikely(writing: Writing) -> Roles:
    """Roles of pieces that each have a chance of 0.2 to be in a table."""
    plain = roles_of(writing, 0.1)
    roles = np.tile([0.8, 0.0, 0.0, 0.2, 0.0], (len(writing.boxes), 1))
    return replace(plain, roles=roles)


def test_a_row_of_blank_boxes_is_no_table() -> None:
    boxes, beside = make_plain_grid((0, 0, 300, 40), 1, 3), writing_of((400, 400))
    assert is_no_table(boxes, beside, roles_of(beside, 0.1))
