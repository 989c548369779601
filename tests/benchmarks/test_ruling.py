"""The measure of grids: neighbour relations, blanks skipped."""

from __future__ import annotations

from benchmarks.ruling import RulingScore, relations

PLAIN = [(0, 0, 1, 1, "a"), (0, 1, 1, 1, "b"), (1, 0, 1, 1, "c"), (1, 1, 1, 1, "d")]


def test_neighbours_right_and_below() -> None:
    assert relations(PLAIN) == {
        ("a", "b", "right"),
        ("c", "d", "right"),
        ("a", "c", "below"),
        ("b", "d", "below"),
    }


def test_blanks_are_skipped_and_a_span_is_one() -> None:
    cells = [(0, 0, 1, 2, "head"), (1, 0, 1, 1, None), (1, 1, 1, 1, "d"), (2, 0, 1, 1, "e")]
    assert relations(cells) == {("head", "d", "below"), ("head", "e", "below")}


def test_no_cells_have_no_neighbours() -> None:
    assert relations([]) == set()


def test_the_harmonic_mean() -> None:
    score = RulingScore("none", relations_true=10, relations_found=6, relations_shared=4)
    assert score.relations_f1 == 0.5
    assert RulingScore("none").relations_f1 == 1.0
