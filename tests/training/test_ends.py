"""Which lines at the ends of tables are theirs is learnt from pages whose truth is known."""

from __future__ import annotations

import numpy as np
import pytest

from keel_line.rule.assembly import FoundTable, make_table
from keel_line.rule.ends import MEASURES
from keel_line.rule.pieces import measure_pieces
from keel_line.rule.roles import Roles
from keel_line.rule.sayings import TEXTS
from keel_line.rule.writing import Writing
from synth.press.truth import CellPlace, PressPage, TableGrid, TextTruth
from training.ends import MeasuredEnd, find_owners, fit_model, measure_tables
from training.perceptron import find_document

CAP, PITCH, LINES, COLS = 20.0, 45.0, 9, 3


def writing() -> Writing:
    boxes = [
        (200.0 * c, PITCH * k, 200.0 * c + 100, PITCH * k + CAP)
        for k in range(LINES)
        for c in range(COLS)
    ]
    return Writing(np.array(boxes), np.repeat(np.arange(LINES), COLS), CAP)


def page(last: int) -> PressPage:
    """Return the truth of a table that the lines up to ``last`` make; the others are prose."""
    boxes = [tuple(box) for box in writing().boxes.tolist()]
    texts = tuple(TextTruth("cell", "x", (box,)) for box in boxes)
    cells = tuple(
        CellPlace(k, c, 1, 1, COLS * k + c, free=False)
        for k in range(last + 1)
        for c in range(COLS)
    )
    return PressPage("design", 0, (600.0, 500.0), texts, (TableGrid(last + 1, COLS, 0, cells, -1),))


def owners(last: int) -> np.ndarray:
    boxes = writing().boxes
    return find_owners(writing(), page(last), boxes, np.arange(len(boxes)))


def found(last: int) -> tuple[FoundTable, Roles]:
    own = writing()
    chance = np.full(len(own.boxes), 0.1)
    near = measure_pieces(own, []).near
    roles = np.full((len(own.boxes), 5), 0.2)
    thought = Roles(
        roles, chance, chance, chance, chance, chance, chance, near, np.zeros((len(chance), TEXTS))
    )
    lines = [np.flatnonzero(own.lines == k) for k in range(last + 1)]
    return make_table(lines, own, thought), thought


def test_each_piece_has_the_number_of_its_table() -> None:
    assert owners(4).tolist() == [0] * 5 * COLS + [-1] * (LINES - 5) * COLS
    lone = Writing(np.array([[900.0, 900.0, 950.0, 920.0]]), np.zeros(1, np.int64), CAP)
    boxes = writing().boxes
    assert find_owners(lone, page(4), boxes, np.arange(len(boxes))).tolist() == [-2]


@pytest.mark.parametrize(
    ("truth", "taken", "within"),
    [
        (8, 8, [True] * 4),  # nothing is beyond
        (5, 8, [True, False]),  # three lines too many: the first of them is told
        (8, 6, [True] * 6),  # two too few
        (6, 6, [True] * 4 + [False]),
    ],
)
def test_lines_are_told_from_the_inside_out_to_the_first_that_is_not_the_tables(
    truth: int, taken: int, within: list[bool]
) -> None:
    table, thought = found(taken)
    own = writing()
    foot = measure_tables("design", [table], own, (), thought, owners(truth))[-1]
    assert foot.within.tolist() == within
    assert foot.measures.shape == (len(within), len(MEASURES))
    assert foot.network == 4


def test_lines_that_show_no_text_are_not_told() -> None:
    table, thought = found(6)
    own = owners(8)
    own[(writing().lines == 7)] = -2
    foot = measure_tables("design", [table], writing(), (), thought, own)[-1]
    assert foot.within.tolist() == [True] * 4


def test_what_is_no_table_teaches_nothing() -> None:
    table, thought = found(6)
    none = np.full(LINES * COLS, -1)
    assert measure_tables("design", [table], writing(), (), thought, none) == []


def test_what_two_measures_tell_together_is_found() -> None:
    rng = np.random.default_rng(6)
    ends = []
    for k in range(240):
        measures = np.zeros((4, len(MEASURES)))
        measures[:, :4] = rng.normal(size=(4, 4))
        within = (measures[:, 0] > 0) != (measures[:, 1] > 0)  # no line through the origin tells it
        ends.append(
            MeasuredEnd(f"design {k}", office=False, measures=measures, within=within, network=4)
        )
    model = fit_model(ends[:200])
    right = [((model.find_odds(e.measures) > 0) == e.within).mean() for e in ends[200:]]
    assert np.mean(right) > 0.85


@pytest.mark.parametrize(
    ("design", "document"),
    [("pack0012p7", "pack0012"), ("desc0003p11", "desc0003"), ("typst-bands", "typst-bands")],
)
def test_the_pages_of_a_manual_are_of_one_document(design: str, document: str) -> None:
    assert find_document(design) == document


def test_lines_of_offices_count_more() -> None:
    rng = np.random.default_rng(7)
    measures = np.zeros((400, len(MEASURES)))
    measures[:, 0] = rng.normal(size=400)
    within = measures[:, 0] > 0
    others = MeasuredEnd("others", False, measures, within, 4)
    model = fit_model([others, MeasuredEnd("office", True, measures, ~within, 4)])
    assert ((model.find_odds(measures) > 0) == ~within).mean() > 0.9
