"""What earlier pages of a form said of a column weighs where this page's ink is open."""

from __future__ import annotations

from dataclasses import replace

import pytest

from keel_line.model.form import KnownColumn, KnownForm
from keel_line.model.grid import Grid
from keel_line.read.column import gather_forms
from keel_line.read.known import as_cells, find_known
from keel_line.read.values import gather_values, make_worth
from keel_line.rule.mend import make_grid

HEADING = (("Vessel", "Berth"),)
BERTHS = KnownColumn(9, {"N 2": 4, "S 1": 3}, {"a 9": 9})
FORM = KnownForm(HEADING, (0.0, 0.6, 1.0), (KnownColumn(), BERTHS))
TEXTS = ("Vessel", "Berth", "Tern", "N 2", "Wren", "S 1")


def grid(middle: float = 70.0) -> Grid:
    return make_grid((10.0, middle, 110.0), (0.0, 20.0, 40.0, 60.0), (), heading_rows=1)


def test_a_table_of_a_known_form_has_its_columns() -> None:
    assert find_known(grid(), TEXTS, [FORM]) == FORM.columns
    misread = ("Vesse1", *TEXTS[1:])
    assert find_known(grid(), misread, [FORM]) == FORM.columns


@pytest.mark.parametrize(
    ("form", "middle", "texts"),
    [
        (FORM, 70.0, ("Goods", *TEXTS[1:])),
        (FORM, 40.0, TEXTS),  # its columns lie otherwise
        (replace(FORM, heading=()), 70.0, TEXTS),
        (replace(FORM, lines=(0.0, 0.3, 0.6, 1.0)), 70.0, TEXTS),
        (FORM, 70.0, ("",) * 6),
    ],
)
def test_other_tables_have_none(form: KnownForm, middle: float, texts: tuple[str, ...]) -> None:
    assert find_known(grid(middle), texts, [form]) == ()


def test_what_it_repeated_counts_as_if_it_stood_on_this_page() -> None:
    own = {"N 2": 0.6, "N Z": 0.4}
    alone = make_worth(gather_values([own]), own)
    after = make_worth(gather_values([own, *as_cells(BERTHS)]), own)
    assert alone("N 2") == 0.0
    assert after("N 2") > 2.0
    assert after("N Z") == 0.0
    assert len(as_cells(BERTHS)) == BERTHS.cells


def test_how_it_was_written_counts_as_well() -> None:
    alone = gather_forms([("N 2", 0.9)])
    after = gather_forms([("N 2", 0.9)], BERTHS.forms)
    assert after.log_share("NZ", "", 0.0) < alone.log_share("NZ", "", 0.0)
    assert after.log_share("E 5", "", 0.0) > alone.log_share("E 5", "", 0.0)
