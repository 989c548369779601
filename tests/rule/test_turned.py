"""Words that run up the page among others: one piece each, and known for what they are."""

from __future__ import annotations

from typing import TypeAlias

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line.gather.sources import load_page
from keel_line.model.page import PageText
from keel_line.rule.sideways import Letters
from keel_line.rule.survey import survey_page, survey_text
from keel_line.rule.turned import chain_letters, find_turned_cells, gather_text, with_turned
from keel_line.rule.writing import Writing
from synth.pdf import draw_line, write_pdf, write_words

CAP = 20.0
HEADS = ("Tons", "Crew", "Dues paid", "Berth")
XS = (70.0, 200.0, 260.0, 320.0, 380.0, 440.0)


def write_up(text: str, x: float, y: float) -> str:
    """Return the drawing of a line of text that runs up the page from (x, y)."""
    return f"BT /F1 10 Tf 0 1 -1 0 {x:.1f} {y:.1f} Tm ({text}) Tj ET"


@pytest.fixture(scope="module")
def drawn() -> bytes:
    words = [write_words("Vessel", XS[0] + 6, 646)]
    words += [write_up(head, x + 34, 646) for head, x in zip(HEADS, XS[1:], strict=False)]
    for row in range(7):
        low = 622 - 20 * row
        words.append(write_words(("Wren", "Tern", "Skua")[row % 3], XS[0] + 6, low))
        words += [write_words(f"{row * 7 + k + 10}", x + 20, low) for k, x in enumerate(XS[1:5])]
    ys = [710.0, 640.0, *(616.0 - 20 * k for k in range(7))]
    lines = [draw_line(XS[0], y, XS[-1], y) for y in ys]
    lines += [draw_line(x, ys[0], x, ys[-1]) for x in XS]
    return write_pdf([[*lines, *words]])


def test_turned_characters_make_a_piece_in_the_order_of_the_file() -> None:
    up = [(100.0, 160.0 - 20 * k, 120.0, 176.0 - 20 * k) for k in range(4)]
    along = [(200.0 + 14 * k, 160.0, 212.0 + 14 * k, 180.0) for k in range(4)]
    text = PageText(
        "TonsWren",
        np.array([*up, *along]),
        np.array([True, False, False, False] * 2),
        (),
        np.array([True] * 4 + [False] * 4),
    )
    writing = gather_text(text)
    assert len(writing.boxes) == 2
    assert writing.boxes[0].tolist() == [100.0, 100.0, 120.0, 176.0]
    assert writing.lines.tolist() == [0, 0]  # beside each other, so on one line


def test_scraps_of_a_turned_word_give_way_to_it() -> None:
    scraps = np.array([(100.0, 100.0 + 22 * k, 118.0, 118.0 + 22 * k) for k in range(4)])
    word = np.array([[99.0, 99.0, 119.0, 186.0]])
    below = np.array([(90.0, 220.0, 130.0, 240.0)])
    writing = Writing(np.concatenate([scraps, below]), np.arange(5), CAP)
    found = with_turned(writing, word)
    assert found.boxes.tolist() == [word[0].tolist(), below[0].tolist()]
    assert found.lines.tolist() == [0, 1]
    assert with_turned(writing, np.zeros((0, 4))) is writing


Letter: TypeAlias = tuple[float, float, float, float]


def stack(gap: float, count: int = 4, y: float = 100.0) -> list[Letter]:
    """Letters above each other, ``gap`` capitals apart."""
    step = CAP + gap * CAP
    return [(100.0, y + step * k, 100.0 + CAP, y + step * k + CAP) for k in range(count)]


def chain(letters: list[Letter], pieces: list[Letter]) -> list[list[float]]:
    boxes = np.array(letters, float)
    writing = Writing(np.array(pieces, float), np.arange(len(pieces)), CAP, boxes)
    found = chain_letters(Letters(boxes, np.ones(len(boxes), bool)), writing)
    assert found.shape == (len(found), 4)
    return [[float(v) for v in box] for box in found]


def test_letters_close_above_each_other_are_a_turned_word() -> None:
    assert chain(stack(0.1), stack(0.1)) == [[100.0, 100.0, 120.0, 186.0]]


@pytest.mark.parametrize(("space", "joined"), [(0.6, 1), (1.0, 2)])
def test_words_a_space_apart_are_one_turned_line(space: float, joined: int) -> None:
    both = [*stack(0.1), *stack(0.1, y=186.0 + space * CAP)]
    assert len(chain(both, both)) == joined


def test_short_lines_close_above_each_other_are_no_turned_word() -> None:
    assert chain(stack(0.38), stack(0.38)) == []


def test_a_bracket_over_two_lines_is_no_turned_word() -> None:
    bracket = [(100.0, 100.0, 112.0, 160.0)]
    assert chain(bracket, bracket) == []


def test_a_turned_word_takes_the_letter_at_its_end_and_not_the_row_below() -> None:
    first = (102.0, 84.0, 120.0, 97.0)
    row = (95.0, 206.0, 125.0, 226.0)
    assert chain(stack(0.1), [first, *stack(0.1), row]) == [[100.0, 84.0, 120.0, 186.0]]


def cells_of(data: bytes, *, by_text: bool) -> list[tuple[int, int]]:
    page = load_page(data, "page.pdf", 1)
    assert page.text is not None
    survey = survey_text(page.text, 300.0) if by_text else survey_page(page.pixels, 300.0)
    (grid,) = survey.grids
    assert (grid.rows, grid.cols) == (8, 5)
    return [(grid.cells[k].row, grid.cells[k].col) for k in find_turned_cells(grid, survey.letters)]


@pytest.mark.parametrize("by_text", [True, False])
def test_the_cells_of_turned_headings_are_known(drawn: bytes, *, by_text: bool) -> None:
    assert cells_of(drawn, by_text=by_text) == [(0, 1), (0, 2), (0, 3), (0, 4)]


def test_a_page_without_turned_words_has_no_such_cells() -> None:
    grey: NDArray[np.uint8] = np.full((700, 900), 235, np.uint8)
    for k in range(8):
        for x in (60, 300, 600):
            cv2.putText(grey, "12 tons", (x, 80 + 70 * k), cv2.FONT_HERSHEY_SIMPLEX, 1.0, 20, 2)
    survey = survey_page(grey, 200.0)
    assert all(find_turned_cells(g, survey.letters) == () for g in survey.grids)
