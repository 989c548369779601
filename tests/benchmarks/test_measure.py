from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from benchmarks.materials import encode
from benchmarks.measure import SETTINGS, CellScore, PageScore, flat_text, score_page
from benchmarks.pictures import band_cells, calibration_error, draw_reliability, draw_silent
from benchmarks.run import (
    calibration_rows,
    confusions,
    dial_rows,
    plain_row,
    table_row,
    writing_rows,
)
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
    drawn = draw_page(make_content(4, 3))
    made = replace(drawn, grey=np.full_like(drawn.grey, 250))
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


def test_line_breaks_are_not_scored() -> None:
    assert flat_text("chain worn,\n replace  it ") == "chain worn, replace it"


def test_the_dial_flags_fewer_the_more_may_pass() -> None:
    cells = [
        replace(cell("a", "b", 0.5), flagged_at=(True, True, True, True, False, False)),
        replace(cell("a", "a", 0.9), flagged_at=(True, False, False, False, False, False)),
    ]
    rows = dial_rows(cells)
    assert len(rows) == len(SETTINGS)
    assert rows[0] == "| 0.5 | 100.00% | 100.00% | 0.0 |"
    assert rows[-1] == "| 10 | 0.00% | 0.00% | 500.0 |"


def test_a_page_is_flagged_at_every_setting_of_the_dial() -> None:
    score = score_page(made := draw_page(make_content()), encode(made), "one")
    counts = [sum(c.flagged_at[i] for c in score.cells) for i in range(len(SETTINGS))]
    assert counts == sorted(counts, reverse=True)
    default = SETTINGS.index(1.0)
    assert all(c.flagged == c.flagged_at[default] for c in score.cells)
    assert sum(c.plain[0] for c in score.cells) >= sum(c.right for c in score.cells) > 0


def test_bands_hold_equally_many_cells_and_miss_none() -> None:
    cells = [cell("a", "a" if i % 4 else "b", i / 40) for i in range(40)]
    bands = band_cells(cells, 4)
    assert [n for _, _, n in bands] == [10, 10, 10, 10]
    assert [said for said, _, _ in bands] == sorted(said for said, _, _ in bands)
    always = [cell("a", "a", 1.0), cell("b", "b", 1.0)]
    assert calibration_error(always) == 0.0
    assert calibration_error([]) == 0.0


def test_pictures_are_drawn(tmp_path: Path) -> None:
    ink = np.full((20, 60), 235, np.uint8)
    silent = [replace(cell("$1", "l"), ink=ink), replace(cell("☃", None), ink=None)]
    draw_silent(silent, tmp_path / "silent.png")
    draw_silent([], tmp_path / "none.png")
    draw_reliability({"clean": [cell("a", "a")] * 9, "fax": []}, tmp_path / "reliability.png")
    for name in ("silent", "none", "reliability"):
        with Image.open(tmp_path / f"{name}.png") as drawn:
            assert drawn.width > 200
