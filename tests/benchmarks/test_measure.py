from __future__ import annotations

import pytest

from benchmarks.measure import CellScore, PageScore, flat_text, score_page
from benchmarks.run import calibration_rows, confusions, encode, table_row
from keel_line.gather.sources import load_page
from tests.conftest import draw_page, make_content


def cell(
    truth: str,
    read: str | None,
    confidence: float = 0.9,
    *,
    flagged: bool = False,
    errors: int | None = None,
) -> CellScore:
    wrong = int(truth != read) if errors is None else errors
    return CellScore(truth, read, confidence, flagged, wrong, "clean", "Inter")


def test_a_page_is_scored_against_its_truth() -> None:
    made = draw_page(make_content(), angle_deg=0.8)
    score = score_page(made, encode(made), "one")
    assert score.grid_right
    assert abs(score.skew_error_deg) < 0.1
    assert len(score.cells) == 24
    assert sum(c.right for c in score.cells) >= 22
    assert {"gather", "square", "rule", "read"} <= score.seconds.keys()


def test_missing_cells_count_as_wrong() -> None:
    made = draw_page(make_content(4, 3), rule_level=255)
    score = score_page(made, encode(made), "none")
    assert not score.grid_right
    assert all(c.read is None and not c.right for c in score.cells)
    assert all(c.errors == len(c.truth) for c in score.cells)


@pytest.mark.parametrize("condition", ["clean", "fax", "fax-coarse"])
def test_encoded_pages_keep_their_resolution(condition: str) -> None:
    made = draw_page(make_content(3, 3), condition=condition)
    page = load_page(encode(made), "made", 1)
    assert page.pixels.shape == made.grey.shape
    assert page.resolution.x_dpi == pytest.approx(made.x_dpi, abs=0.5)
    assert page.resolution.y_dpi == pytest.approx(made.y_dpi, abs=0.5)
    assert (page.kind == "fax") == condition.startswith("fax")


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


def test_line_breaks_are_not_scored() -> None:
    assert flat_text("chain worn,\n replace  it ") == "chain worn, replace it"
