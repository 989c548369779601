from __future__ import annotations

from dataclasses import replace

import pytest

from benchmarks.measure import SETTINGS, PageScore
from benchmarks.report import (
    calibration_rows,
    confusions,
    dial_rows,
    plain_row,
    table_row,
    writing_rows,
)
from tests.benchmarks.scores import cell


def test_confusions_are_counted_by_what_was_written() -> None:
    pairs = confusions([cell("10", "1O"), cell("105", "1O5"), cell("a b", "ab"), cell("x", "x")])
    assert pairs["0", "O"] == 2
    assert pairs[" ", ""] == 1
    assert sum(pairs.values()) == 3


def test_calibration_error_is_the_gap_between_said_and_was() -> None:
    cells = [cell("a", "a", 0.96), cell("b", "c", 0.96), cell("d", None, 0.0)]
    rows, error = calibration_rows(cells)
    assert len(rows) == 1
    assert error == pytest.approx(0.46)


def test_report_line_counts_silent_errors() -> None:
    cells = (cell("1", "1"), cell("2", "3"), cell("4", "5", flagged=True), cell("", ""))
    line = table_row("made", [PageScore("p", "clean", True, 0.0, cells, {})])
    columns = [c.strip() for c in line.strip("|").split("|")]
    assert columns[0] == "made"
    assert columns[2] == "100.00%"
    assert columns[3] == "3"
    assert columns[4] == "33.33%"
    assert columns[7] == "50.00%"
    assert columns[8] == "1"


def test_each_kind_of_text_has_figures_of_every_sample() -> None:
    first = [cell("12", "12"), cell("13", "18"), cell("Quay", "Ouay", flagged=True)]
    rows = {
        row.strip("| ").split(" | ")[0]: row.strip("| ").split(" | ")[1:]
        for row in writing_rows(first, [*first, cell("", "")])
    }
    assert rows["figures alone: numbers, dates, times"][:4] == ["2", "50.00%", "0.00%", "1"]
    assert rows["words and names"] == ["1", "0.00%", "100.00%", "0"] * 2
    assert rows["blank"][4:] == ["1", "100.00%", "0.00%", "0"]


def test_plain_signs_are_counted_beside_what_is_printed() -> None:
    cells = (
        replace(cell("4–5", "4-5", flagged=True), plain=(True, False)),
        replace(cell("1", "7"), plain=(False, False)),
        replace(cell("", ""), plain=(True, False)),
    )
    line = plain_row("made", [PageScore("p", "clean", True, 0.0, cells, {})])
    columns = [c.strip() for c in line.strip("|").split("|")]
    assert columns == ["made", "0.00%", "50.00%", "33.33%", "0.00%", "1", "1"]


def test_the_dial_flags_fewer_the_more_may_pass() -> None:
    cells = [
        replace(cell("a", "b", 0.5), flagged_at=(True, True, True, True, False, False)),
        replace(cell("a", "a", 0.9), flagged_at=(True, False, False, False, False, False)),
    ]
    rows = dial_rows(cells)
    assert len(rows) == len(SETTINGS)
    assert rows[0] == "| 0.5 | 100.00% | 100.00% | 0.0 |"
    assert rows[-1] == "| 10 | 0.00% | 0.00% | 500.0 |"
