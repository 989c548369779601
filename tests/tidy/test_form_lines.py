"""A form is found on a page by its own words, however the page was scanned and its grid found."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import replace

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.desk.forms import find_form, lay_form
from keel_line.desk.tidying import keep_as_jig
from keel_line.model.docket import PageState
from keel_line.model.finding import DrawnSum, Sums
from keel_line.model.geometry import Box
from keel_line.model.grid import DrawnTables, Grid, Rule
from keel_line.model.reading import CharReading, Reading
from keel_line.model.table import CellState, TableState
from keel_line.rule.mend import make_grid
from keel_line.tidy.form_lines import keep_lines, place_lines
from keel_line.tidy.jigs import decode_jig, encode_jig

DPI = 254.0  # ten px a mm
XS, YS = (200.0, 600.0, 1100.0, 1500.0), (300.0, 380.0, 460.0, 540.0, 620.0)
TEXTS = (
    ("Vessel", "Berth", "Dues"),
    ("Wren", "North 4", "12.50"),
    ("Tern", "South 1", "3.00"),
    ("Marigold", "North 2", "8.25"),
)


def reading(text: str, box: Box) -> Reading:
    """Return a reading whose characters stand in the middle of a box, 20 px wide each."""
    left = (box[0] + box[2]) / 2 - 10 * len(text)
    chars = tuple(
        CharReading(c, 0.99, (left + 20 * k, box[1] + 20, left + 20 * k + 18, box[3] - 20))
        for k, c in enumerate(text)
        if c != " "
    )
    return Reading(text, 0.99, chars)


def ruled(grid: Grid) -> Grid:
    """Return a grid with a rule on paper at each of its lines."""
    across = [Rule("across", grid.box[0], grid.box[2], y, 0.0, 2.0, 1.0) for y in grid.y_lines]
    return replace(grid, rules=tuple(across))


def make_table(
    grid: Grid,
    texts: Sequence[Sequence[str]],
    heading: int = 1,
    places: Sequence[Sequence[Box]] | None = None,
) -> TableState:
    """Return a table; ``places`` are where its texts stand, the cells' boxes if not given."""
    cells = tuple(
        CellState(
            1 + 100 * c.row + c.col,
            c,
            reading(texts[c.row][c.col], c.box if places is None else places[c.row][c.col]),
            None,
            flagged=False,
        )
        for c in grid.cells
    )
    return TableState(1, "Dues", 1, 1, "a.png", grid, heading, "", cells)


PAGE = PageState(1, 1, "a.png", 1, "done", dpi=DPI, squared_size_px=(2100, 2970))


FORM = make_table(ruled(make_grid(XS, YS)), TEXTS)
JIG = keep_as_jig("Dues", FORM, DPI)


def elsewhere(scale: float, dx: float, dy: float) -> TableState:
    """Return the form's page scanned otherwise, all of it found as one cell in each row."""
    xs, ys = (np.array(v) * scale for v in (XS, YS))
    xs, ys = xs + dx, ys + dy
    one = make_grid((xs[0], xs[-1]), tuple(ys))
    cells = []
    for cell in one.cells:
        own = TEXTS[cell.row]
        parts = [
            reading(text, (xs[k], ys[cell.row], xs[k + 1], ys[cell.row + 1]))
            for k, text in enumerate(own)
        ]
        whole = Reading(" ".join(own), 0.99, tuple(c for p in parts for c in p.chars))
        cells.append(CellState(1 + cell.row, cell, whole, None, flagged=False))
    return TableState(2, "Dues", 1, 1, "b.png", one, 0, "", tuple(cells))


@given(
    scale=st.floats(0.6, 1.5),
    dx=st.floats(-100, 300),
    dy=st.floats(-100, 400),
)
def test_lines_follow_the_words_of_the_form(scale: float, dx: float, dy: float) -> None:
    found = elsewhere(scale, dx, dy)
    fit = find_form(PAGE, [found], [JIG])
    assert fit is not None
    (laid,) = fit.grids
    near = 12.0  # letters are as wide here whatever the scale
    assert np.abs(np.array(laid.x_lines) - (np.array(XS) * scale + dx)).max() < near
    assert np.abs(np.array(laid.y_lines) - (np.array(YS) * scale + dy)).max() < near
    assert laid.heading_rows == 1
    assert fit.missing == ()


def test_nothing_is_offered_where_the_lines_are_there_or_the_clerk_drew_them() -> None:
    assert find_form(PAGE, [FORM], [JIG]) is None
    found = elsewhere(1.0, 40.0, 30.0)
    drawn = DrawnTables((found.grid,), PAGE.transform)
    assert find_form(replace(PAGE, drawn=drawn), [found], [JIG]) is None
    assert (
        lay_form(replace(PAGE, drawn=drawn), [found], JIG) is not None
    )  # the clerk may still want it


def test_sums_of_a_printed_form_come_with_its_lines() -> None:
    summed = Sums((DrawnSum((3, 1), ((1, 1), (2, 1))),), ((3, 2),))
    jig = keep_as_jig("Dues", replace(FORM, sums=summed), DPI)
    assert decode_jig(encode_jig(jig)) == jig
    found = elsewhere(1.0, 40.0, 30.0)
    fit = find_form(PAGE, [found], [jig])
    assert fit is not None
    assert (fit.sums, fit.table) == (summed, found)
    there = find_form(PAGE, [FORM], [jig])  # the lines are there, the sums are not
    assert there is not None
    assert (there.grids, there.table) == ((), FORM)
    own = replace(FORM, sums=Sums(dropped=((3, 1),)))
    assert find_form(PAGE, [own], [jig]) is None  # the clerk's stay
    rows = make_table(make_grid(XS, YS), TEXTS)  # each page has its own rows
    bare = keep_as_jig("Dues", replace(rows, sums=summed), DPI).page
    assert bare is not None
    assert bare.sums == Sums()


def test_another_form_is_not_taken_for_it() -> None:
    other = make_table(make_grid(XS, YS), [("Buoy", "Depth", "Light"), *TEXTS[1:]])
    lines = keep_lines(FORM, DPI)
    bare = msgspec.structs.replace(lines, printed=False, marks=lines.marks[:3])
    assert not place_lines(bare, [other], DPI).sure
    assert set(place_lines(bare, [other], DPI).missing) == {"Vessel", "Berth", "Dues"}
    jig = msgspec.structs.replace(JIG, page=bare)
    assert find_form(PAGE, [other], [jig]) is None


def test_a_misread_word_is_found_and_a_missing_one_told() -> None:
    found = elsewhere(1.0, 0.0, 0.0)
    lines = keep_lines(FORM, DPI)
    marks = (*lines.marks, msgspec.structs.replace(lines.marks[0], text="Remarks"))
    placed = place_lines(msgspec.structs.replace(lines, marks=marks), [found], DPI)
    assert placed.sure
    assert placed.missing == ("Remarks",)
    misread = make_table(make_grid(XS, YS), [("Vesse1", "Berth", "Dues"), *TEXTS[1:]])
    assert place_lines(lines, [misread], DPI).missing == ()


def test_a_form_without_printed_rows_takes_those_of_the_page() -> None:
    plain = make_table(make_grid(XS, YS), TEXTS)
    jig = keep_as_jig("Log", plain, DPI)
    assert jig.page is not None
    assert not jig.page.printed
    longer = make_grid((XS[0], XS[-1]), (*YS, 700.0, 780.0))
    texts = [(" ".join(t),) for t in (*TEXTS, TEXTS[1], TEXTS[2])]
    places = [[(XS[0], y, XS[-1], y + 80)] for y in longer.y_lines[:-1]]
    wide = make_table(longer, texts, 0, places)
    words = make_table(make_grid(XS, YS[:2]), TEXTS[:1])
    heading = replace(wide.cells[0], reading=_joined([c.reading for c in words.cells]))
    fit = find_form(PAGE, [replace(wide, cells=(heading, *wide.cells[1:]))], [jig])
    assert fit is not None
    assert (fit.grids[0].rows, fit.grids[0].cols) == (6, 3)


def _joined(parts: Sequence[Reading]) -> Reading:
    chars = tuple(c for p in parts for c in p.chars)
    return Reading(" ".join(p.text for p in parts), 0.99, chars)


def test_other_tables_of_the_page_stay() -> None:
    below = make_table(make_grid((200.0, 900.0), (2000.0, 2100.0)), [("Notes",)], 0)
    fit = find_form(PAGE, [elsewhere(1.0, 0.0, 0.0), below], [JIG])
    assert fit is not None
    assert [g.rows for g in fit.grids] == [4, 1]


@pytest.mark.parametrize(
    "change",
    [
        {"x": [10.0]},
        {"x": [10.0, 5.0, 20.0, 30.0]},
        {"y": [1e9, 2e9]},
        {"spans": [[0, 0, 9, 9]]},
        {"spans": [[-1, 0, 2, 1]]},
        {"header_rows": 40},
        {"marks": [{"text": "x" * 3000, "x": 1.0, "y": 1.0}]},
    ],
)
def test_lines_that_make_no_grid_are_refused(change: dict[str, object]) -> None:
    made = json.loads(encode_jig(JIG))
    made["page"].update(change)
    with pytest.raises(ValueError, match="no grid"):
        decode_jig(json.dumps(made).encode())


def test_a_word_that_stands_elsewhere_several_times_tells_nothing() -> None:
    rows = [("Vessel", "Buoy", "Dues"), *TEXTS[1:2], ("Tern", "Berth", "3.00")]
    rows.append(("Marigold", "Berth", "8.25"))
    placed = place_lines(keep_lines(FORM, DPI), [make_table(make_grid(XS, YS), rows)], DPI)
    assert not placed.sure
    assert placed.missing == ("Berth",)
