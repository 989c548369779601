"""Which white is a space is fitted on measures."""

from __future__ import annotations

import numpy as np

from keel_line.rule.gaps import MEASURES
from training.gaps import MeasuredGaps, fit_model


def draw(rng: np.random.Generator, count: int) -> np.ndarray:
    """Return measures of which all but four are equal."""
    out = np.zeros((count, len(MEASURES)))
    out[:, :4] = rng.normal(size=(count, 4))
    return out


def test_what_two_measures_tell_together_is_found() -> None:
    rng = np.random.default_rng(6)
    pages = []
    for k in range(80):
        measures = draw(rng, 12)
        inside = (measures[:, 0] > 0) != (measures[:, 1] > 0)  # no line through the origin tells it
        pages.append(MeasuredGaps(f"design {k}", measures, inside))
    model = fit_model(pages[:60])
    right = [((model.find_odds(p.measures) > 0) == p.inside).mean() for p in pages[60:]]
    assert np.mean(right) > 0.85


def test_a_page_of_many_gaps_does_not_outvote_the_others() -> None:
    rng = np.random.default_rng(7)
    few = [draw(rng, 4) for _ in range(40)]
    many = draw(rng, 900)
    pages = [MeasuredGaps("few", own, own[:, 0] > 0) for own in few]
    model = fit_model([*pages, MeasuredGaps("many", many, many[:, 0] < 0)])
    new = draw(rng, 400)
    assert ((model.find_odds(new) > 0) == (new[:, 0] > 0)).mean() > 0.8
