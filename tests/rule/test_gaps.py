"""Words that a space parts are joined; columns are not."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.rule.gaps import MEASURES, join_words, measure_gaps
from keel_line.rule.writing import Writing

CAP = 20.0
LETTER, WHITE = 12.0, 3.0
Words = list[tuple[float, int]]


def writing(lines: list[Words]) -> Writing:
    """Return words, each by its left side (px) and its number of letters, line by line."""
    boxes, numbers, letters = [], [], []
    for line, words in enumerate(lines):
        top = 100.0 + 45.0 * line
        for left, count in words:
            own = [
                (x, top, x + LETTER - WHITE, top + CAP) for x in left + LETTER * np.arange(count)
            ]
            letters += own
            boxes.append((left, top, own[-1][2], top + CAP))
            numbers.append(line)
    return Writing(
        np.array(boxes, float).reshape(-1, 4),
        np.array(numbers, np.int64),
        CAP,
        np.array(letters, float).reshape(-1, 4),
    )


def typed(texts: list[str]) -> Writing:
    """Return the words of texts of one width, as far from each other as a space is wide."""
    lines = []
    for text in texts:
        words, at = [], 0
        for word in text.split(" "):
            if word:
                words.append((60.0 + LETTER * at, len(word)))
            at += len(word) + 1
        lines.append(words)
    return writing(lines)


PROSE = [
    "All dues are payable at the office before a vessel sails and no",
    "vessel may lie at the coal berth for more than two tides unless",
    "the master has leave in writing from the harbour master or from",
    "his deputy who keeps the book of berths at the head of the pier",
    "and shows it to any owner who asks to see it on a working day at",
    "the office between nine and four or at the pilot house by night",
]


def test_words_of_typed_prose_are_one_piece_a_line() -> None:
    page = typed(PROSE)
    joined = join_words(page)
    assert len(joined.boxes) < len(page.boxes) / 4
    assert set(joined.lines.tolist()) == set(page.lines.tolist())


def test_columns_of_figures_stay_apart_however_close() -> None:
    rows = [[(80.0 + 100.0 * c, 6) for c in range(6)] for _ in range(12)]
    page = writing(rows)
    assert (page.boxes[1, 0] - page.boxes[0, 2]) / CAP == pytest.approx(1.55)
    assert len(join_words(page).boxes) == len(page.boxes)


@given(
    st.lists(
        st.lists(st.tuples(st.integers(0, 60), st.integers(1, 9)), min_size=1, max_size=6),
        min_size=1,
        max_size=8,
    )
)
def test_joined_pieces_cover_what_they_are_made_of(drawn: list[list[tuple[int, int]]]) -> None:
    lines = []
    for words in drawn:
        left, line = 50.0, []
        for white, count in words:
            left += 5.0 + white
            line.append((left, count))
            left += LETTER * count
        lines.append(line)
    page = writing(lines)
    joined = join_words(page)
    assert joined.letters is page.letters
    for box, line in zip(page.boxes, page.lines, strict=True):
        own = joined.boxes[joined.lines == line]
        held = (own[:, :2] <= box[:2]).all(axis=1) & (own[:, 2:] >= box[2:]).all(axis=1)
        assert held.sum() == 1
    for box, line in zip(joined.boxes, joined.lines, strict=True):
        parts = page.boxes[page.lines == line]
        inside = parts[(parts[:, 0] >= box[0]) & (parts[:, 2] <= box[2])]
        assert box.tolist() == [*inside[:, :2].min(axis=0), *inside[:, 2:].max(axis=0)]


def test_only_narrow_gaps_within_lines_are_measured() -> None:
    page = writing([[(100.0, 3), (150.0, 3), (400.0, 2)], [(440.0, 4)]])
    pairs, measures = measure_gaps(page)
    assert pairs.tolist() == [[0, 1]]
    assert measures.shape == (1, len(MEASURES))
    assert measures[0, 0] == pytest.approx((150 - 100 - 3 * LETTER + WHITE) / CAP)


@pytest.mark.parametrize("lines", [[], [[(100.0, 3)]], [[(100.0, 3)], [(100.0, 2)]]])
def test_a_page_without_gaps_stays(lines: list[Words]) -> None:
    page = writing(lines)
    assert join_words(page) is page


def test_letters_need_not_be_known() -> None:
    page = replace(typed(PROSE), letters=np.zeros((0, 4)))
    _, measures = measure_gaps(page)
    assert np.isfinite(measures).all()


@given(st.floats(0.5, 3.0), st.floats(0, 500))
def test_neither_size_nor_place_counts_but_the_height_of_capitals(scale: float, off: float) -> None:
    page = typed(PROSE[:3])
    moved = Writing(page.boxes * scale + off, page.lines, CAP * scale, page.letters * scale + off)
    own, other = measure_gaps(page)[1], measure_gaps(moved)[1]
    high = MEASURES.index("height of capitals")
    assert np.delete(other, high, axis=1) == pytest.approx(np.delete(own, high, axis=1), abs=1e-6)
