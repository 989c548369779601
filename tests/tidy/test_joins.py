"""Tables that go on over pages are known by what stands on them, and joined without loss."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

import openpyxl
import pytest

from keel_line.desk.desk import Desk
from keel_line.desk.tidying import MisfitError, tidy_table
from keel_line.gather.sources import Source
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import Reading
from keel_line.model.table import CellState, TableState
from keel_line.tidy.joins import LIKELY, SURE, weigh_join
from tests.docket.paper import PaperReader

HEADING = ("No.", "Vessel", "Dues")
XS = (100.0, 180.0, 420.0, 560.0)


def table(
    page: int,
    rows: Sequence[Sequence[str]],
    *,
    caption: str = "",
    heading: Sequence[str] = HEADING,
    xs: Sequence[float] = XS,
    source: str = "log.pdf",
) -> TableState:
    whole = [heading, *rows] if heading else list(rows)
    ys = [100.0 + 30 * k for k in range(len(whole) + 1)]
    states = [
        CellState(
            1000 * page + len(XS) * r + c,
            Cell(r, c, 1, 1, (xs[c], ys[r], xs[c + 1], ys[r + 1])),
            Reading(text, 0.99),
            None,
            flagged=False,
        )
        for r, row in enumerate(whole)
        for c, text in enumerate(row)
    ]
    cells = tuple(s.cell for s in states)
    grid = Grid((xs[0], ys[0], xs[-1], ys[-1]), tuple(xs), tuple(ys), cells)
    return TableState(
        page, "Log", page, page, source, grid, int(bool(heading)), caption, tuple(states)
    )


def entries(first: int, count: int) -> list[tuple[str, str, str]]:
    return [(str(first + k), "Wren" if k % 2 else "Tern", f"{k + 1}.50") for k in range(count)]


FIRST = table(1, entries(1, 8), caption="Log, 1974")


@pytest.mark.parametrize(
    ("second", "sure"),
    [
        (table(2, entries(9, 6)), True),
        (table(2, entries(9, 6), heading=()), True),
        (table(2, entries(9, 6), caption="Log, 1974 (continued)"), True),
        (table(2, entries(9, 6), heading=(), xs=(90.0, 172.0, 415.0, 556.0)), True),
        (table(3, entries(15, 6)), False),  # a page is missing
    ],
)
def test_a_table_that_goes_on_is_known(second: TableState, sure: bool) -> None:  # noqa: FBT001
    chance, why = weigh_join(FIRST, second)
    assert chance >= (SURE if sure else LIKELY)
    assert all(e.why for e in why)


@pytest.mark.parametrize(
    "second",
    [
        table(2, entries(1, 6), caption="Log, 1975"),
        table(2, entries(1, 6), heading=("No.", "Buoy", "Depth"), caption=""),
        table(2, [("Wren", "paid", "see page 4")] * 6, heading=("a", "b", "c")),
        table(2, [(*row, "") for row in entries(9, 6)], heading=(), xs=(*XS, 700.0)),
    ],
)
def test_a_table_of_its_own_is_not_joined(second: TableState) -> None:
    assert weigh_join(FIRST, second)[0] < LIKELY


def test_totals_and_sums_carried_forward_tell() -> None:
    closed = table(1, [*entries(1, 8), ("", "Total", "36.00")], caption="Log, March")
    other = table(2, [*entries(1, 8), ("", "Total", "36.00")])
    assert weigh_join(closed, other)[0] < LIKELY
    carried = table(1, [*entries(1, 8), ("", "Carried forward", "36.00")], caption="Log")
    brought = table(2, [("", "Brought forward", "36.00"), *entries(9, 3)], caption="Log")
    assert weigh_join(carried, brought)[0] >= SURE
    page = table(1, [*entries(1, 8), ("", "Page total", "36.00")], caption="Log")
    assert weigh_join(page, table(2, entries(9, 6)))[0] >= SURE


def test_joined_tables_are_one_and_each_row_knows_its_page() -> None:
    second, third = table(2, entries(9, 6)), table(3, entries(15, 2), heading=())
    tables = [FIRST, second, third]
    tidying = tidy_table(FIRST, tables)
    assert tidying.suggestions[0].words == "Goes on on page 2: join"
    one = replace(FIRST, steps=tidying.take_all().encoded)
    again = tidy_table(one, [one, *tables[1:]])
    assert again.trail.joined == (2,)
    assert again.say_rows() == "14 rows from pages 1, 2"
    two = replace(one, steps=again.take(0).encoded)
    whole = tidy_table(two, [two, *tables[1:]])
    assert whole.say_rows() == "16 rows from pages 1, 2, 3"
    assert list(whole.table.columns[0].texts) == [str(k + 1) for k in range(16)]
    assert whole.find_cell(8, 0) == 2004
    assert [t.step.say() for t in whole.taken][:2] == ["page 2 joined below", "page 3 joined below"]


def test_tables_of_one_form_are_stacked_with_where_each_row_came_from() -> None:
    march = replace(table(1, entries(1, 3), caption="March"), name="March")
    april = replace(table(2, entries(1, 2), caption="April"), name="April")
    may = replace(table(3, entries(1, 2), caption="May"), name="May")
    tables = [march, april, may]
    first = tidy_table(march, tables)
    assert not first.goes_on
    one = replace(march, steps=first.join_table(april).encoded)
    stacked = tidy_table(one, [one, *tables[1:]])
    two = replace(one, steps=stacked.join_table(may).encoded)
    made = tidy_table(two, [two, *tables[1:]])
    assert made.table.columns[-1].name == "From"
    assert list(made.table.columns[-1].texts[1:]) == ["March"] * 3 + ["April"] * 2 + ["May"] * 2
    assert [t.step.say() for t in made.taken] == ["April stacked below", "May stacked below"]


def test_a_sum_carried_forward_is_compared_with_the_next_page() -> None:
    first = table(1, [*entries(1, 8), ("", "Carried forward", "36.00")])
    for brought, troubles in (
        ("36.00", []),
        ("63.00", ["Page 1 carries 36.00 forward, page 2 begins with 63.00."]),
    ):
        second = table(2, [("", "Brought forward", brought), *entries(9, 3)])
        joined = replace(first, steps=tidy_table(first, [first, second]).take(0).encoded)
        assert tidy_table(joined, [joined, second]).seam_troubles == troubles


def test_a_join_that_does_not_fit_is_told() -> None:
    wide = table(2, [(*row, "x") for row in entries(9, 2)], heading=(), xs=(*XS, 700.0))
    tidying = tidy_table(FIRST, [FIRST, wide])
    with pytest.raises(MisfitError, match="It has 4 columns, and this table has 3"):
        tidying.join_table(wide)
    one = replace(FIRST, steps=tidying.join_table(table(2, entries(9, 2)), check=False).encoded)
    (gone,) = tidy_table(one, [one]).taken
    assert "is not there any more" in gone.misfit
    assert gone.table.rows == 9


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    desk = Desk(tmp_path / "log.keel")
    desk.add_source(Source("log.pdf", b"1", "1", 3))
    desk.run(PaperReader())
    yield desk
    desk.close()


def test_joined_tables_are_sent_as_one(desk: Desk, tmp_path: Path) -> None:
    first, second, third = desk.tables()
    desk.set_steps(first, tidy_table(first, desk.tables()).take_all())
    files = desk.send(tmp_path / "log.xlsx").files
    sheets = openpyxl.load_workbook(files[0]).worksheets
    assert [s.max_row for s in sheets[:2]] == [1 + 2 * 4, 5]
    assert [s.title for s in sheets[2:]] == ["Doubts", "Source"]
    assert len(desk.name_files(tmp_path / "log.csv")) == 2
    assert {second.id, third.id} & {t.id for t in desk.tables()} == {second.id, third.id}
    desk.undo()
    assert len(desk.name_files(tmp_path / "log.csv")) == 3


def test_a_correction_on_a_later_page_flows_through(desk: Desk) -> None:
    first, second, _ = desk.tables()
    desk.set_steps(first, tidy_table(first, desk.tables()).take_all())
    desk.replace(second.cells[4], "77")
    tables = desk.tables()
    assert "77" in list(tidy_table(tables[0], tables).table.columns[0].texts)
