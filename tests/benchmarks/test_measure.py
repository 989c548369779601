from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from benchmarks.materials import encode
from benchmarks.measure import SETTINGS, flat_text, score_page
from benchmarks.pictures import band_cells, calibration_error, draw_reliability, draw_silent
from keel_line.gather.sources import load_page
from tests.benchmarks.scores import cell
from tests.conftest import draw_page, make_content


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


def test_line_breaks_are_not_scored() -> None:
    assert flat_text("chain worn,\n replace  it ") == "chain worn, replace it"


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
