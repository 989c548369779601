"""Which lines are captions is fitted on measures of pages."""

from __future__ import annotations

import numpy as np
import pytest

from keel_line.rule.captions import MEASURES, Option
from synth.press.truth import CellPlace, PressPage, TableGrid, TextTruth
from training.captions import MeasuredPage, count_right, find_true_captions, fit_model

BELOW = MEASURES.index("below")


def page_of(texts: list[TextTruth], tables: list[TableGrid]) -> PressPage:
    return PressPage("design", 0, (400.0, 600.0), tuple(texts), tuple(tables))


def text_at(role: str, top: float, *, left: float = 20.0) -> TextTruth:
    return TextTruth(role, role, ((left, top, left + 100, top + 10),))


def table_of(*texts: int, caption: int = -1) -> TableGrid:
    cells = tuple(CellPlace(row, 0, 1, 1, text, False) for row, text in enumerate(texts))
    return TableGrid(len(texts), 1, 0, cells, caption)


def test_the_caption_that_the_truth_names_is_taken() -> None:
    texts = [text_at("caption", 20), text_at("cell", 40), text_at("cell", 60)]
    assert find_true_captions(page_of(texts, [table_of(1, 2, caption=0)])) == [[0]]


@pytest.mark.parametrize(
    ("top", "left", "found"),
    [
        (25.0, 20.0, [[2], []]),  # above the first table
        (82.0, 20.0, [[2], []]),  # between both, nearer to the first
        (118.0, 20.0, [[], [2]]),
        (300.0, 20.0, [[], []]),  # far off
        (25.0, 220.0, [[], []]),  # beside
    ],
)
def test_a_manuals_caption_is_the_nearest_tables(
    top: float, left: float, found: list[list[int]]
) -> None:
    texts = [text_at("cell", 50), text_at("cell", 140), text_at("caption", top, left=left)]
    texts += [text_at("cell", 70), text_at("cell", 160), text_at("text", 25)]
    page = page_of(texts, [table_of(0, 3), table_of(1, 4)])
    assert find_true_captions(page) == found


def measured(count: int, *, kind: str = "chance", below: bool) -> list[MeasuredPage]:
    """Pages of a table with two options, of which that below, or above, is the caption."""
    rng = np.random.default_rng(count)
    out = []
    for k in range(count):
        measures = np.zeros((2, len(MEASURES)))
        measures[:, -3:] = rng.normal(size=(2, 3))
        measures[:, BELOW] = [0.0, 1.0]
        options = tuple(Option(np.array([n]), measures[n]) for n in range(2))
        out.append(MeasuredPage(f"design {k}", kind, (options,), (int(below),)))
    return out


def test_what_tells_captions_is_learnt() -> None:
    model = fit_model(measured(60, below=True))
    assert sum(count_right(p, model)[0] for p in measured(50, below=True)) > 45


def test_pages_of_offices_count_more_than_manuals() -> None:
    pages = [*measured(40, kind="office", below=True), *measured(41, kind="manual", below=False)]
    model = fit_model(pages)
    right = sum(count_right(p, model)[0] for p in measured(50, below=True))
    assert right > 35


def test_what_the_truth_does_not_tell_is_left_out() -> None:
    (told,) = measured(1, below=True)
    unknown = MeasuredPage("design", "chance", (told.options[0], ()), (-2, -2))
    none = MeasuredPage("design", "chance", ((),), (-1,))
    model = fit_model([*measured(30, below=True), unknown, none])
    assert count_right(unknown, model) == (0, 0)
    assert count_right(none, model) == (1, 1)
