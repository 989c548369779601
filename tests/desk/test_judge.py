"""A check may take doubt from a cell, but not where ink is unread, cut off, or several rows."""

from __future__ import annotations

import pytest

from keel_line.desk.judge import findings_at, judge_table
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import Reading
from keel_line.model.table import CellState, TableState
from keel_line.read.confidence import load_calibration, make_flagging

FLAGGING = make_flagging(load_calibration(), 1.0)


def lay(rows: list[list[Reading]]) -> TableState:
    cells = tuple(
        CellState(
            100 * r + c, Cell(r, c, 1, 1, (c, r, c + 1.0, r + 1.0)), reading, None, flagged=False
        )
        for r, row in enumerate(rows)
        for c, reading in enumerate(row)
    )
    size = (0.0, 0.0, float(len(rows[0])), float(len(rows)))
    xs, ys = tuple(map(float, range(len(rows[0]) + 1))), tuple(map(float, range(len(rows) + 1)))
    grid = Grid(size, xs, ys, tuple(s.cell for s in cells))
    return TableState(1, "Dues", 1, 1, "scan.png", grid, 1, "", cells)


def balanced(last: Reading) -> CellState:
    """Judge a column whose sum balances; return the cell that is ``last`` before its total."""
    texts = ["Dues", "1,210.40", "318.25", "77.10"]
    rows = [[Reading(t, 0.9999)] for t in texts]
    table = judge_table(lay([*rows, [last], [Reading("1,730.95", 0.9999)]]), FLAGGING)
    assert table.findings[0].holds
    assert table.findings[0].kind == "sum"
    return table.cells[4]


def test_a_sum_that_balances_takes_doubt_from_a_doubtful_reading() -> None:
    assert not balanced(Reading("125.20", 0.5)).in_doubt


@pytest.mark.parametrize(
    "reading",
    [
        Reading("125.20", 0.5, unread=((1.0, 1.0, 4.0, 4.0),)),
        Reading("125.20", 0.5, held_down=True),
    ],
)
def test_ink_that_nobody_read_stays_in_doubt_whatever_balances(reading: Reading) -> None:
    cell = balanced(reading)
    assert cell.in_doubt
    assert cell.confidence <= 0.5


def test_several_lines_beside_as_many_stay_in_doubt_and_say_why() -> None:
    lines = "\n".join(f"{n}.50" for n in range(15))
    head = [Reading(t, 0.9999) for t in ("Vessel", "Tons", "Note")]
    body = [Reading(lines, 1.0), Reading(lines, 1.0), Reading("Skerry", 1.0)]
    table = judge_table(lay([head, body]), FLAGGING)
    assert [s.in_doubt for s in table.cells[3:]] == [True, True, False]
    assert findings_at(table, table.cells[3])[0].says.startswith(
        "15 lines in each of 2 cells of this row"
    )
    assert all(s.confidence < 0.5 for s in table.cells[3:5])
