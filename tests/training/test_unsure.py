"""How likely grids are wrong is fitted on measures."""

from __future__ import annotations

import numpy as np
import pytest

from keel_line.model.table import LEAST_CHANCE
from keel_line.rule.unsure import MEASURES
from training.unsure import (
    Measured,
    find_held_odds,
    find_slope,
    fit_model,
    limit_doubts,
    weigh_thirds,
)


def pages(designs: int, *, turned: str = "") -> list[Measured]:
    """Return pages whose first measure tells which grids are wrong; in one design the reverse."""
    rng = np.random.default_rng(4)
    out = []
    for k in range(designs):
        name = f"design {k}"
        measures = rng.normal(size=(30, len(MEASURES)))
        wrong = measures[:, 0] + 0.3 * rng.normal(size=30) > 0
        right = wrong if name == turned else ~wrong
        out.append(Measured(name, k % 2 == 0, "clean", measures, right))
    return out


def test_what_tells_wrong_grids_is_found() -> None:
    model = fit_model(pages(30))
    held = pages(50)[30:]
    told = np.concatenate([model.find_odds(p.measures) > 0 for p in held])
    assert (told == ~np.concatenate([p.right for p in held])).mean() > 0.8


def test_a_design_is_judged_by_what_the_others_teach() -> None:
    turned = "design 3"
    made = pages(8, turned=turned)
    odds = dict(zip([p.design for p in made], find_held_odds(made), strict=True))
    for page in made:
        as_told = ((odds[page.design] > 0) == ~page.right).mean()
        assert (as_told < 0.3) == (page.design == turned)


def test_chances_are_brought_to_what_happens() -> None:
    rng = np.random.default_rng(5)
    odds = rng.normal(0, 2, 20000)
    right = rng.random(20000) > 1 / (1 + np.exp(-(2 * odds - 1)))
    assert find_slope(odds, right) == pytest.approx(2.0, abs=0.15)


@pytest.mark.parametrize("surer", [-3.0, 0.0, 3.0])
def test_five_in_a_hundred_right_grids_are_in_doubt(surer: float) -> None:
    odds = np.random.default_rng(3).normal(-6.0 - surer, 1.0, 2000)
    told = 1 / (1 + np.exp(-odds - limit_doubts(odds, np.ones(2000)))) >= LEAST_CHANCE
    assert told.mean() == pytest.approx(0.05, abs=0.002)


def test_what_weighs_more_has_fewer_doubts() -> None:
    odds = np.arange(100.0)  # the surest half counts a tenth of the other
    offset = limit_doubts(odds, np.where(odds < 50, 0.1, 1.0))
    assert limit_doubts(odds, np.ones(100)) > offset


def test_files_clean_scans_and_other_paper_count_a_third_each() -> None:
    weights = weigh_thirds(["digital"] * 6 + ["clean"] * 2 + ["fax", "copy", "photo", "office"])
    assert [float(w.sum()) for w in np.split(weights, [6, 8])] == pytest.approx([1.0, 1.0, 1.0])
