from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from keel_line._shared.paper import PAPER_LEVEL
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import CharReading, Reading
from keel_line.read.account import account_ink
from keel_line.read.confidence import FEATURES, load_calibration, make_flagging
from keel_line.read.edges import runs_over
from keel_line.read.ink import CellInk, ink_depth, take_ink
from keel_line.read.lines import find_lines, guess_cap_px, usual_cap_px
from keel_line.read.network import Network
from keel_line.read.reader import Reader
from tests.conftest import inter

CAP_PX = 22.0


@pytest.fixture(scope="module")
def reader() -> Reader:
    return Reader(Network(threads=2))


def draw_row(
    *texts: str, wide: int = 260, high: int = 60, level: int = 20
) -> tuple[NDArray[np.uint8], Grid]:
    """Draw a row of cells without rules, and its grid."""
    face = inter()
    font = ImageFont.truetype(str(face.path), CAP_PX / face.cap_ratio)
    image = Image.new("L", (wide * len(texts), high), PAPER_LEVEL)
    for i, text in enumerate(texts):
        ImageDraw.Draw(image).text((wide * i + 20, 42), text, font=font, fill=level, anchor="ls")
    cells = tuple(
        Cell(0, i, 1, 1, (wide * i + 3, 3, wide * (i + 1) - 3, high - 3)) for i in range(len(texts))
    )
    xs = tuple(float(wide * i) for i in range(len(texts) + 1))
    return np.array(image), Grid((0, 0, xs[-1], high), xs, (0.0, float(high)), cells)


def read_row(reader: Reader, *texts: str, level: int = 20) -> list[Reading]:
    grey, grid = draw_row(*texts, level=level)
    (readings,) = reader.read_page(grey, 200, [grid])
    return readings


def test_marks_take_the_baseline_of_their_row(reader: Reader) -> None:
    texts = ["Harrow 12", "-", "Gannet 7", "BS 131"]
    assert [r.text for r in read_row(reader, *texts)] == texts


def test_size_parts_small_letters_from_capitals(reader: Reader) -> None:
    texts = ["Cos 10", "cos", "COS", "Dues 46"]
    assert [r.text for r in read_row(reader, *texts)] == texts


def test_faint_ink_reads_like_strong_ink(reader: Reader) -> None:
    texts = ["1,284.50", "Corriemoor", "KQ 52"]
    assert [r.text for r in read_row(reader, *texts, level=150)] == texts


def test_a_cut_letter_lowers_the_confidence(reader: Reader) -> None:
    grey, grid = draw_row("1,284.50", "412.00", "68.75")
    spoilt = grey.copy()
    spoilt[18:34, 20:60] = PAPER_LEVEL
    (whole,) = reader.read_page(grey, 200, [grid])
    (cut,) = reader.read_page(spoilt, 200, [grid])
    assert cut[0].confidence < whole[0].confidence - 0.03
    assert cut[0].reasons
    assert cut[0].reasons[0].endswith(".")


def test_evidence_is_kept_by_name(reader: Reader) -> None:
    (reading, *_) = read_row(reader, "Marigold", "12", "3 Mar")
    assert tuple(name for name, _ in reading.features) == FEATURES
    assert all(0 <= c.probability <= 1 for c in reading.chars)
    assert [c.char for c in reading.chars] == list("Marigold")
    assert all(r.text != reading.text for r in reading.runners_up)
    ordered = [r.probability for r in reading.runners_up]
    assert ordered == sorted(ordered, reverse=True)


def test_places_lie_over_the_ink(reader: Reader) -> None:
    grey, grid = draw_row("HIH", "12", "34")
    ((reading, *_),) = reader.read_page(grey, 200, [grid])
    for char in reading.chars:
        x0, y0, x1, y1 = (round(v) for v in char.box)
        assert (grey[y0:y1, x0:x1] < 100).any()
    middles = [(c.box[0] + c.box[2]) / 2 for c in reading.chars]
    inked = np.flatnonzero((grey[:, :200] < 100).any(axis=0))
    assert inked[0] < middles[0] < middles[1] < middles[2] < inked[-1]


def test_two_tables_are_read_in_one_go(reader: Reader) -> None:
    grey, grid = draw_row("4.2", "7.8", "18.5")
    below = np.vstack([grey, np.full((40, grey.shape[1]), PAPER_LEVEL, np.uint8), grey])
    moved = Grid(
        (0, 100, grid.box[2], 160),
        grid.x_lines,
        (100.0, 160.0),
        tuple(
            Cell(0, c.col, 1, 1, (c.box[0], c.box[1] + 100, c.box[2], c.box[3] + 100))
            for c in grid.cells
        ),
    )
    first, second = reader.read_page(below, 200, [grid, moved])
    assert [r.text for r in first] == [r.text for r in second] == ["4.2", "7.8", "18.5"]
    assert second[0].chars[0].box[1] == pytest.approx(first[0].chars[0].box[1] + 100, abs=1.5)


def test_heights_of_letters_are_guessed_from_the_ink() -> None:
    grey, _ = draw_row("Elspeth Rowan", "Tern of Ailsay", "2,568.00")
    ink = take_ink(grey, ink_depth(grey), 20.0, 2.0)
    lines = find_lines(ink, guess_cap_px(ink.parts, 200))
    assert usual_cap_px(lines * 3, 1.0) == pytest.approx(CAP_PX, abs=2)
    assert usual_cap_px([], 17.0) == 17.0
    assert guess_cap_px(np.zeros((0, 5), np.int32), 200) == 20.0


def test_the_shipped_cuts_are_in_order() -> None:
    cuts = load_calibration().cuts
    assert [rate for rate, _ in cuts] == sorted(rate for rate, _ in cuts)
    least = [cut for _, cut in cuts]
    assert least == sorted(least, reverse=True)
    assert make_flagging(load_calibration(), 1.0).find_cut([0.5] * 50) > 0.5


def test_the_recipe_travels_with_the_weights() -> None:
    recipe = Network().recipe
    assert len(set(recipe.alphabet)) == len(recipe.alphabet)
    assert set("0123456789 .,-£€½°éÉßñ†№✓") <= set(recipe.alphabet)
    assert recipe.figures["all"]["lines"] > 1000
    (probs,) = Network().run([np.zeros((recipe.line.height, 128), np.uint8)])
    assert probs.shape == (32, len(recipe.alphabet) + 1)
    np.testing.assert_allclose(probs.sum(axis=1), 1, atol=1e-3)


def test_what_is_read_in_a_line_does_not_depend_on_the_others() -> None:
    network = Network(threads=1)
    rng = np.random.default_rng(5)
    height = network.recipe.line.height
    lines = [rng.integers(0, 255, (height, w), np.uint8) for w in (60, 900, 64, 65, 60, 1)]
    together = network.run(lines)
    assert [len(probs) for probs in together] == [15, 225, 16, 16, 15, 1]
    for line, probs in zip(lines, together, strict=True):
        np.testing.assert_allclose(network.run([line])[0], probs, atol=1e-4)


# --- the ink account ---


def char(x0: float, x1: float) -> CharReading:
    return CharReading("x", 1.0, (x0, 20.0, x1, 45.0))


def inked(*boxes: tuple[int, int, int, int]) -> CellInk:
    grey = np.full((60, 260), PAPER_LEVEL, np.uint8)
    for x0, y0, x1, y1 in boxes:
        grey[y0:y1, x0:x1] = 20
    return take_ink(grey, 200.0, CAP_PX, 3.0)


def test_every_pixel_is_accounted_for() -> None:
    ink = inked((20, 20, 34, 42), (50, 20, 64, 42), (200, 20, 214, 42), (120, 30, 121, 32))
    account = account_ink(ink, [char(20, 34), char(50, 64)], (100, 500), CAP_PX)
    whole = account_ink(ink, [char(120, 134), char(150, 164), char(300, 314)], (100, 0), CAP_PX)
    assert whole.unread == ()
    assert whole.read_px == 3 * 14 * 22
    assert whole.dirt_px == 2
    assert account.read_px + account.unread_px == int(ink.mask.sum())


def test_a_stop_that_a_copier_left_one_dot_of_stays_by_its_figure() -> None:
    """A dot of one pixel off by itself is dirt."""
    ink = inked((20, 20, 34, 42), (37, 41, 38, 42), (41, 20, 55, 42), (120, 30, 121, 31))
    assert len(ink.parts) == 3
    assert ink.grey[41, 37] < PAPER_LEVEL
    assert ink.grey[30, 120] == PAPER_LEVEL


def test_ink_without_a_character_is_told_with_its_place() -> None:
    ink = inked((20, 20, 34, 42), (200, 20, 214, 42))
    account = account_ink(ink, [char(120, 134)], (100, 0), CAP_PX)
    assert account.unread == ((300.0, 20.0, 314.0, 42.0),)
    assert account.unexplained == pytest.approx(0.5)
    assert account_ink(inked(), [], (0, 0), CAP_PX).unexplained == 0.0


def test_a_stroke_beside_a_comma_is_another_characters() -> None:
    stub, comma, figure = (14, 34, 17, 42), (22, 36, 25, 46), (34, 20, 48, 42)
    chars = [CharReading(",", 1.0, (14.0, 20.0, 30.0, 45.0), 0), char(34, 48)]
    account = account_ink(inked(stub, comma, figure), chars, (0, 0), CAP_PX)
    assert account.stray_stroke
    assert account.unread == ((14.0, 34.0, 17.0, 42.0),)
    whole = account_ink(inked(comma, figure), chars, (0, 0), CAP_PX)
    assert not whole.stray_stroke
    assert whole.unread == ()
    wide = [char(14, 30), char(34, 48)]  # a broken letter may be in several strands
    assert not account_ink(inked(stub, comma, figure), wide, (0, 0), CAP_PX).stray_stroke


def test_the_dot_over_an_i_is_its_own() -> None:
    chars = [CharReading("i", 1.0, (14.0, 20.0, 22.0, 45.0), 0)]
    assert not account_ink(
        inked((16, 18, 19, 21), (16, 26, 19, 42)), chars, (0, 0), CAP_PX
    ).stray_stroke


def test_a_flourish_that_is_not_read_is_shown(reader: Reader) -> None:
    grey, grid = draw_row("412.00", "68.75")
    grey[20:24, 190:250] = 20
    grey[10:50, 215:219] = 20
    (readings,) = reader.read_page(grey, 200, [grid])
    stroke = [b for b in readings[0].unread if b[2] > 185]
    read_there = [c for c in readings[0].chars if c.box[2] > 185]
    assert stroke or read_there
    assert readings[1].unread == ()


@pytest.mark.parametrize("ruled", [True, False])
def test_writing_that_runs_into_the_next_cell_is_in_doubt(reader: Reader, *, ruled: bool) -> None:
    grey, grid = draw_row("Corriemoor Outer Quay", "", "Gannet 7")
    if ruled:
        for x in (260, 520):
            grey[:, x - 1 : x + 2] = 20
    (readings,) = reader.read_page(grey, 200, [grid])
    assert readings[0].confidence <= 0.5
    assert readings[0].reasons[0] == "The writing runs past the edge of the cell."
    assert readings[1].confidence <= 0.5
    assert readings[2].confidence > 0.9


def test_writing_close_to_a_rule_is_none_that_runs_on(reader: Reader) -> None:
    grey, grid = draw_row("Harrow 12", "Gannet 7")
    width = int(np.flatnonzero((grey < 128).any(axis=0) & (np.arange(520) < 260))[-1])
    close = np.full_like(grey, PAPER_LEVEL)
    close[:, 257 - width : 257] = grey[:, :width]  # up to the rule, but not over it
    close[:, 280:] = grey[:, 280:]
    close[:, 259:262] = 20
    (readings,) = reader.read_page(close, 200, [grid])
    assert not any("runs on" in reason for r in readings for reason in r.reasons)


@pytest.mark.parametrize("gap", [4, 5])
def test_a_side_between_two_letters_of_a_word_cuts_it(gap: int) -> None:
    page = np.full((60, 520), PAPER_LEVEL, np.uint8)
    ends = [80 + k * (12 + gap) for k in range(1, 6)]  # of five letters
    for end in ends:
        page[20:42, end - 12 : end] = 20
    dark = page < 100
    for side in [end + gap // 2 for end in ends[:-1]]:
        assert runs_over(page, (0, 0), dark[:, :side], 180.0, CAP_PX, 2.0)
        assert runs_over(page, (side, 0), dark[:, side:260], 180.0, CAP_PX, 2.0)
    for side in (ends[-1] + gap, ends[-1] + 2 * gap):
        assert not runs_over(page, (0, 0), dark[:, :side], 180.0, CAP_PX, 2.0)


def test_what_is_left_of_a_rule_beside_a_letter_is_no_word() -> None:
    page, _ = draw_row("", "Gannet")
    first = int(np.flatnonzero((page < 100).any(axis=0))[0])
    side = first - 2
    page[20:44, side - 6 : side - 3] = 20
    assert not runs_over(page, (0, 0), page[:, :side] < 100, 180.0, CAP_PX, 2.0)


def test_a_rule_along_the_top_is_no_writing_that_runs_on() -> None:
    page = np.full((60, 520), PAPER_LEVEL, np.uint8)
    page[4:10] = 20  # what is left of a frame, from side to side
    page[10:40, 30:34] = 20  # a letter that touches it
    seen = page[:, :260] < 100
    assert not runs_over(page, (0, 0), seen, 180.0, CAP_PX, 2.0)
    page[4:40, 258:260] = 20  # and along the side
    page[4:40, 264:268] = 20
    assert not runs_over(page, (0, 0), page[:, :260] < 100, 180.0, CAP_PX, 2.0)
    page[20:26, 200:300] = 20  # a stroke that only this cell's writing has
    assert runs_over(page, (0, 0), page[:, :260] < 100, 180.0, CAP_PX, 2.0)
