"""Cells read from a file's own text, and doubted where the ink surely says otherwise."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line.model.geometry import Transform
from keel_line.model.grid import Rule
from keel_line.model.page import UNKNOWN, PageText
from keel_line.model.reading import Reading
from keel_line.read.real_text import lay_text, read_box, read_real_text
from keel_line.rule.mend import make_plain_grid
from keel_line.rule.survey import survey_text

GRID = make_plain_grid((0, 0, 400, 100), 1, 2)
CAP = 20.0


def set_text(*words: tuple[str, float, float]) -> PageText:
    """Set words at (left, baseline), each letter 12 px wide, the next 2 px on."""
    chars, boxes, spaced = "", [], []
    for word, left, low in words:
        for k in range(len(word)):
            boxes.append((left + 14 * k, low - CAP, left + 14 * k + 12, low))
            spaced.append(k == 0)
        chars += word
    return PageText(chars, np.array(boxes, float).reshape(-1, 4), np.array(spaced, bool), ())


def read(text: PageText, *ink: tuple[str, float]) -> list[Reading]:
    return read_real_text(text, GRID, [Reading(said, sure) for said, sure in ink])


def test_words_and_lines_go_to_their_cells() -> None:
    text = set_text(("chain", 10, 40), ("worn,", 100, 40), ("replace", 10, 75), ("12", 250, 55))
    left, right = read(text, ("chain worn,\nreplace", 0.9), ("12", 0.99))
    assert left.text == "chain worn,\nreplace"
    assert right.text == "12"
    assert min(left.confidence, right.confidence) > 0.9999
    assert [c.line for c in left.chars] == [0] * 11 + [1] * 7
    assert "".join(c.char for c in left.chars) == "chain worn,replace"
    assert right.chars[0].box == (250.0, 35.0, 262.0, 55.0)


@given(st.floats(0.5, 0.999999))
def test_the_surer_the_ink_says_otherwise_the_less_sure_is_the_text(sure: float) -> None:
    text = set_text(("1,284.50", 10, 40))
    less, _ = read(text, ("1,264.50", sure), ("", 0.99))
    more, _ = read(text, ("1,264.50", sure / 2), ("", 0.99))
    assert less.confidence < more.confidence
    assert less.text == "1,284.50"
    assert less.runners_up[0].text == "1,264.50"


def test_a_sure_ink_raises_a_doubt() -> None:
    cell, _ = read(set_text(("1,284.50", 10, 40)), ("1,264.50", 0.999), ("", 0.99))
    assert cell.confidence < 0.9
    assert cell.reasons == ("The file's text and its ink differ.",)
    blank, _ = read(set_text(), ("paid", 0.9999), ("", 0.99))
    assert blank.text == ""
    assert blank.confidence < 0.6


@pytest.mark.parametrize(("said", "seen"), [("4–5", "4-5"), ("it’s", "it's"), ("N4", "N 4")])
def test_marks_that_look_alike_raise_none(said: str, seen: str) -> None:
    cell, _ = read(set_text((said, 10, 40)), (seen, 0.99), ("", 0.99))
    assert cell.text == said
    assert cell.confidence > 0.9999


def test_what_a_box_says_stands_on_one_line() -> None:
    text = set_text(("Table", 10, 40), ("2.", 90, 40), ("Rota", 10, 75), ("else", 10, 300))
    assert read_box(text, (0, 0, 400, 100)) == "Table 2. Rota"


def test_text_is_laid_where_the_page_was_laid() -> None:
    rule = Rule("down", 10, 90, 50, 0.0, 2, 1.0)
    text = set_text(("ab", 10, 40))
    shifted = Transform().then("shift", [[1, 0, 7], [0, 1, -3], [0, 0, 1]])
    laid = lay_text(PageText(text.chars, text.boxes, text.spaced, (rule,)), shifted)
    assert laid.boxes[0].tolist() == [17, 17, 29, 37]
    assert (laid.rules[0].start, laid.rules[0].end, laid.rules[0].position) == (7, 87, 57)


def test_a_table_of_text_is_found_without_pixels() -> None:
    words = [(f"{w}{r}", 40 + 200 * c, 60 + 50 * r) for r in range(6) for c, w in enumerate("abc")]
    (grid,) = survey_text(set_text(*words), 150).grids
    assert (grid.rows, grid.cols) == (6, 3)
    lines = [Rule("across", 20, 620, 30.0 + 50 * i, 0.0, 2, 1.0) for i in range(7)]
    lines += [Rule("down", 30, 330, x, 0.0, 2, 1.0) for x in (20.0, 220.0, 420.0, 620.0)]
    text = set_text(*words)
    framed = PageText(text.chars, text.boxes, text.spaced, tuple(lines))
    (ruled,) = survey_text(framed, 150).grids
    assert (ruled.rows, ruled.cols) == (6, 3)
    assert ruled.is_ruled("down", ruled.x_lines[1])


def test_where_the_file_does_not_name_a_character_the_ink_has_the_word() -> None:
    cell, _ = read(set_text((f"1,2{UNKNOWN}4.50", 10, 40)), ("1,284.50", 0.9), ("", 0.99))
    assert (cell.text, cell.confidence) == ("1,284.50", 0.9)
