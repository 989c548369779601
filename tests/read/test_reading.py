from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from keel_line._shared.paper import PAPER_LEVEL, flatten_light
from keel_line.model.grid import Cell, Grid
from keel_line.read.confidence import (
    FEATURES,
    Calibration,
    estimate_confidence,
    load_calibration,
    make_flagging,
    measure_hardness,
)
from keel_line.read.decode import align, decode_line, search_beams
from keel_line.read.ink import take_ink
from keel_line.read.lines import find_lines
from keel_line.read.network import Network
from keel_line.read.prepare import LineRecipe, prepare_line
from keel_line.read.reader import Reader
from tests.conftest import inter

ALPHABET = "ab c"
CAP_PX = 22.0


def steps(*rows: dict[int, float]) -> NDArray[np.float32]:
    """Class probabilities, the rest of each step's 1 given to the blank."""
    out = np.zeros((len(rows), len(ALPHABET) + 1), np.float32)
    for i, row in enumerate(rows):
        for c, p in row.items():
            out[i, c] = p
        out[i, 0] += 1 - out[i].sum()
    return out


def draw(
    text: str,
    *,
    size: tuple[int, int] = (300, 60),
    at: tuple[int, int] = (20, 42),
    cap_px: float = CAP_PX,
    leading_px: int = 34,
) -> NDArray[np.uint8]:
    face = inter()
    font = ImageFont.truetype(str(face.path), cap_px / face.cap_ratio)
    image = Image.new("L", size, PAPER_LEVEL)
    for i, line in enumerate(text.split("\n")):
        ImageDraw.Draw(image).text(
            (at[0], at[1] + i * leading_px), line, font=font, fill=20, anchor="ls"
        )
    return np.array(image)


# --- decoding ---


def test_repeats_merge_unless_a_blank_parts_them() -> None:
    assert decode_line(steps({1: 1}, {1: 1}, {2: 1}), ALPHABET).text == "ab"
    assert decode_line(steps({1: 1}, {}, {1: 1}), ALPHABET).text == "aa"


def test_a_dip_within_a_character_is_no_second_one() -> None:
    dip = steps({1: 0.95}, {1: 0.75}, {1: 0.95}, {2: 1})
    decoded = decode_line(dip, ALPHABET)
    assert decoded.text == "ab"
    assert "aab" not in dict(decoded.beams)


def test_a_glyph_between_two_characters_is_one_of_them() -> None:
    # Path by path "ab" has more ways than "a" or "b" alone; there is but one glyph all the same.
    decoded = decode_line(steps({}, {1: 0.5, 2: 0.5}, {1: 0.5, 2: 0.5}, {1: 0.5, 2: 0.5}), ALPHABET)
    assert decoded.text in {"a", "b"}
    chances = dict(decoded.beams)
    assert chances["a"] == pytest.approx(chances["b"])
    assert chances.get("ab", 0.0) < 0.1


def test_neighbours_that_touch_are_two() -> None:
    touching = steps({1: 0.9}, {1: 0.9}, {2: 0.9}, {2: 0.9})
    assert decode_line(touching, ALPHABET).text == "ab"


def test_a_gap_that_may_be_one_gives_both_readings() -> None:
    decoded = decode_line(steps({1: 1}, {1: 0.45}, {1: 1}, {2: 1}), ALPHABET)
    chances = dict(decoded.beams)
    assert chances["aab"] == pytest.approx(0.55, abs=0.01)
    assert chances["ab"] == pytest.approx(0.45, abs=0.01)


def test_runners_up_come_with_their_chances() -> None:
    decoded = decode_line(steps({1: 0.7, 2: 0.3}, {}, {4: 1.0}), ALPHABET)
    assert decoded.text == "ac"
    assert dict(decoded.beams)["bc"] == pytest.approx(0.3, abs=0.01)
    assert decoded.chances[0] == pytest.approx(0.7, abs=0.01)


def test_beam_adds_up_the_ways_to_one_text() -> None:
    # Step by step "nothing" is likeliest, but "a" may come about in three ways.
    probs = steps({1: 0.4}, {1: 0.4})
    assert decode_line(probs, ALPHABET).text == "a"
    (best, chance), *_ = search_beams(probs)
    assert best == (1,)
    assert chance == pytest.approx(0.64, abs=0.01)


def test_places_follow_the_steps() -> None:
    decoded = decode_line(steps({}, {1: 1}, {1: 1}, {}, {2: 1}), ALPHABET)
    np.testing.assert_array_equal(decoded.places, [(1, 3), (4, 5)])


def test_a_line_of_two_hundred_characters_is_aligned() -> None:
    count = 200
    probs = np.full((2 * count, 3), 0.05, np.float32)
    probs[::2, 1], probs[1::2, 0] = 0.9, 0.9
    places = align(probs, (1,) * count)
    np.testing.assert_array_equal(places[:, 0], 2.0 * np.arange(count))


def test_alignment_finds_the_same_places_without_the_greedy_path() -> None:
    probs = steps({}, {1: 0.9}, {1: 0.9}, {}, {2: 0.9})
    np.testing.assert_array_equal(align(probs, (1, 2)), [(1, 3), (4, 5)])


@given(st.text(alphabet="abc", min_size=0, max_size=12))
def test_any_text_spelt_out_is_read_back(text: str) -> None:
    rows: list[dict[int, float]] = []
    for char in text:
        rows += [{ALPHABET.index(char) + 1: 0.97}, {}]
    decoded = decode_line(steps(*rows, {}), ALPHABET)
    assert decoded.text == text
    assert len(decoded.places) == len(text)
    assert sum(p for _, p in decoded.beams) <= 1.0001


# --- ink ---


def test_paper_with_grain_is_blank() -> None:
    rng = np.random.default_rng(1)
    grey = np.clip(PAPER_LEVEL + rng.normal(0, 6, (60, 300)), 0, 255).astype(np.uint8)
    assert take_ink(grey, 200.0, CAP_PX, 3.0).is_blank


@pytest.mark.parametrize("text", [".", "-", "1", "— nil —"])
def test_small_marks_are_ink(text: str) -> None:
    assert not take_ink(draw(f"7{text}" if text == "." else text), 200.0, CAP_PX, 3.0).is_blank


def test_lone_speck_is_dirt_and_counted() -> None:
    grey = np.full((60, 300), PAPER_LEVEL, np.uint8)
    grey[20:22, 150:152] = 30
    ink = take_ink(grey, 200.0, CAP_PX, 3.0)
    assert ink.is_blank
    assert ink.dirt_px == 4
    assert ink.specks.tolist() == [[150, 20, 2, 2, 4]]


def test_specks_by_a_letter_may_be_its_accent_and_stay() -> None:
    grey = draw("RAV", size=(200, 60))
    top = int(np.nonzero((grey < 128).any(axis=1))[0][0])
    middle = int(np.nonzero((grey < 128).any(axis=0))[0].mean())
    for x in (middle - 5, middle + 4):
        grey[top - 5 : top - 3, x : x + 2] = 0
    ink = take_ink(grey, 200.0, CAP_PX, 3.0)
    assert ink.dirt_px == 0
    assert ink.grey[top - 4, middle - 5] < 60


def test_speck_far_from_the_words_is_dirt_and_a_stop_is_not() -> None:
    grey = draw("Cargo. 4", size=(400, 60))
    grey[48:50, 350:354] = 30
    ink = take_ink(grey, 200.0, CAP_PX, 3.0)
    clean = take_ink(draw("Cargo. 4", size=(400, 60)), 200.0, CAP_PX, 3.0)
    assert len(ink.parts) == len(clean.parts)
    assert ink.dirt_px == 8


@pytest.mark.parametrize("side", [2, 4])
def test_specks_sown_over_a_blank_cell_are_dirt_and_leaders_are_not(side: int) -> None:
    rng = np.random.default_rng(7)
    grey = np.full((60, 300), PAPER_LEVEL, np.uint8)
    for x, y in zip(range(12, 290, 24), rng.permutation(np.arange(4, 52, 4)), strict=True):
        grey[y : y + side, x : x + side] = 30
    assert take_ink(grey, 200.0, CAP_PX, 3.0).is_blank
    leaders = np.full((60, 300), PAPER_LEVEL, np.uint8)
    for x in range(12, 290, 24):
        leaders[40 : 40 + side, x : x + side] = 30
    assert take_ink(leaders, 200.0, CAP_PX, 3.0).is_blank == (side == 2)


def test_remains_of_rules_are_painted_out() -> None:
    grey = draw("46.20")
    grey[:2, :] = 40
    grey[:, :2] = 40
    grey[-3:, 200:] = 40
    ink = take_ink(grey, 200.0, CAP_PX, 3.0)
    clean = take_ink(draw("46.20"), 200.0, CAP_PX, 3.0)
    assert len(ink.parts) == len(clean.parts)
    assert ink.grey[0].min() > 200


@pytest.mark.parametrize("turns", [0, 2])
@pytest.mark.parametrize("thick", [1, 2, 3])
def test_a_letter_that_touches_a_rule_is_not_painted_out_with_it(thick: int, turns: int) -> None:
    low = draw("Charge", size=(140, 34), at=(10, 28))
    ruled = low.copy()
    ruled[-thick:] = 40
    alone, touching = (
        np.rot90(
            take_ink(np.ascontiguousarray(np.rot90(page, turns)), 200.0, CAP_PX, 3.0).mask, turns
        )
        for page in (low, ruled)
    )
    above = np.s_[: -thick - 1]
    assert not touching[-thick:].any()
    assert np.count_nonzero(touching[above] != alone[above]) < 0.02 * np.count_nonzero(alone)


def test_letters_that_end_at_their_cells_foot_are_no_rule() -> None:
    cut = draw("LEZ E-Z_L", size=(240, 60))[:42]
    ink = take_ink(cut, 200.0, CAP_PX, 3.0)
    assert np.count_nonzero(ink.mask[-1]) >= np.count_nonzero(cut[-1] < 110)


# --- lines ---


@pytest.mark.parametrize("count", [1, 2, 3, 8])
def test_lines_are_counted(count: int) -> None:
    text = "\n".join(["Skerry Head", "chain worn,", "replace it"][i % 3] for i in range(count))
    grey = draw(text, size=(300, 50 + 34 * count))
    assert len(find_lines(take_ink(grey, 200.0, CAP_PX, 3.0), CAP_PX)) == count


def test_accents_dots_and_stops_stay_with_their_line() -> None:
    ink = take_ink(draw("éi:;, j."), 200.0, CAP_PX, 3.0)
    assert len(find_lines(ink, CAP_PX)) == 1


@pytest.mark.parametrize("text", ["=", ":", "÷", "„"])
def test_strokes_of_one_sign_are_no_lines_of_their_own(text: str) -> None:
    assert len(find_lines(take_ink(draw(text), 200.0, CAP_PX, 3.0), CAP_PX)) == 1


def test_dashes_below_each_other_are_lines() -> None:
    ink = take_ink(draw("-\n-", size=(300, 100)), 200.0, CAP_PX, 3.0)
    assert len(find_lines(ink, CAP_PX)) == 2


def test_a_tail_that_is_broken_off_is_no_line_of_its_own() -> None:
    grey = draw("North Quay", size=(300, 80))
    grey[43:45] = PAPER_LEVEL
    grey[45 : 46 + round(0.5 * CAP_PX), 150:162] = 20  # as long as an old style Q has it
    (line,) = find_lines(take_ink(grey, 200.0, CAP_PX, 3.0), CAP_PX)
    assert line.baseline == pytest.approx(42, abs=1.5)


def test_a_small_mark_above_a_line_belongs_to_it() -> None:
    grey = draw("9793", size=(300, 80))
    high = round(0.45 * CAP_PX)
    grey[18 - high : 18, 110 : 110 + high] = 20
    assert len(find_lines(take_ink(grey, 200.0, CAP_PX, 3.0), CAP_PX)) == 1


def test_letters_of_a_turned_word_are_lines_however_close() -> None:
    word = draw("Net", size=(100, 60))
    ink = take_ink(np.ascontiguousarray(np.rot90(word)), 200.0, CAP_PX, 3.0)
    assert len(find_lines(ink, CAP_PX)) == 3


def test_baseline_and_height_are_measured() -> None:
    (line,) = find_lines(take_ink(draw("Harrow 19"), 200.0, CAP_PX, 3.0), CAP_PX)
    assert line.baseline == pytest.approx(42, abs=1.5)
    assert line.cap_px == pytest.approx(CAP_PX, abs=2)
    assert line.sure


def test_brackets_do_not_lift_the_line() -> None:
    (line,) = find_lines(take_ink(draw("(0)"), 200.0, CAP_PX, 3.0), CAP_PX)
    assert line.baseline == pytest.approx(42, abs=1.5)
    assert line.cap_px == pytest.approx(CAP_PX, abs=1.5)


def test_small_letters_alone_keep_the_usual_height() -> None:
    (line,) = find_lines(take_ink(draw("reno"), 200.0, CAP_PX, 3.0), CAP_PX)
    assert line.cap_px == pytest.approx(CAP_PX, abs=1)


# --- preparation ---


@pytest.mark.parametrize("factor", [0.6, 1.0, 2.5])
def test_any_size_comes_to_the_recipes_size(factor: float) -> None:
    recipe = LineRecipe()
    cap = CAP_PX * factor
    grey = draw(
        "HHHH",
        cap_px=cap,
        size=(round(300 * factor), round(60 * factor)),
        at=(round(20 * factor), round(42 * factor)),
    )
    line = prepare_line(grey, round(42 * factor), cap, recipe)
    assert line.shape[0] == recipe.height
    inked = np.flatnonzero(line.max(axis=1) > 128)
    assert inked[0] == pytest.approx(recipe.baseline - recipe.cap, abs=1.1)
    assert inked[-1] == pytest.approx(recipe.baseline - 1, abs=1.1)


def test_contrast_does_not_matter() -> None:
    strong = draw("BS 114")
    weak = (PAPER_LEVEL - (PAPER_LEVEL - strong.astype(float)) * 0.4).astype(np.uint8)
    a, b = (prepare_line(g, 42, CAP_PX, LineRecipe()).astype(int) for g in (strong, weak))
    assert np.abs(a - b).mean() < 4


# --- confidence ---


def test_confidence_is_a_bounded_chance() -> None:
    model = load_calibration()
    assert len(model.weights) == len(FEATURES)
    low = estimate_confidence(
        model, (-9, -9, 20, 3, -1, 1, 1, 3, 0.2, -2, -6, -0.5, 4.5, -6, 3, 0.5)
    )
    high = estimate_confidence(model, (9, 9, 0, 2, 0.3, 0, 0, 0, 1, 2, 12, -4, -36, 12, -48, 0))
    assert 0 < low < 0.2
    assert 0.95 < high < 1


def test_a_table_is_as_hard_as_its_other_cells() -> None:
    easy = measure_hardness([9.0] * 40)
    hard = measure_hardness([9.0] * 20 + [1.0] * 20)
    alone = measure_hardness([1.0])
    assert max(easy) < min(hard) < -0.3
    assert hard[0] > hard[-1]  # a close reading does not count against itself
    assert max(easy) < alone[0] < max(hard)


MODEL = Calibration((0.0,), 0.0, ((0.1, 0.999), (1.0, 0.99), (10.0, 0.9), (100.0, 0.5)), "")


def test_fewer_unseen_means_more_flags() -> None:
    flaggings = [make_flagging(MODEL, rate) for rate in (0.05, 0.1, 0.5, 1, 5, 10, 99)]
    assert [f.strict for f in flaggings] == sorted((f.strict for f in flaggings), reverse=True)
    assert make_flagging(MODEL, 1).strict == 0.99
    assert make_flagging(MODEL, 1).lenient == 0.9
    assert make_flagging(MODEL, math.sqrt(10)).strict == pytest.approx(0.945)


def test_surest_cells_pass_within_the_rate() -> None:
    flagging = make_flagging(MODEL, 1.0)
    # A thousand cells may hold one wrong one: forty of 0.98 fit beside those that are sure.
    clean = [0.9999] * 960 + [0.98] * 40
    assert flagging.find_cut(clean) == 0.98
    # Too many of them do not: then only what is sure on any material passes.
    poor = [0.995] * 100 + [0.98] * 900
    assert flagging.find_cut(poor) == 0.99
    assert flagging.find_cut([0.9999] * 5000 + [0.85]) > 0.85
    assert flagging.find_cut([]) == 0.99


@given(st.lists(st.floats(0.001, 0.9999), max_size=60), st.floats(0.1, 100))
def test_a_cut_lies_between_its_bounds(confidences: list[float], rate: float) -> None:
    flagging = make_flagging(MODEL, rate)
    assert flagging.lenient <= flagging.find_cut(confidences) <= flagging.strict


# --- the whole reader ---


@pytest.fixture(scope="module")
def reader() -> Reader:
    return Reader(Network(threads=2))


@pytest.mark.parametrize("text", ["1,284.50", "Tern of Ailsay", "BS 114", "15 Mar", "2019-05-11"])
def test_clean_cells_are_read(reader: Reader, text: str) -> None:
    ((reading,),) = reader.read_page(
        draw(text),
        200,
        [Grid((0, 0, 300, 60), (0.0, 300.0), (0.0, 60.0), (Cell(0, 0, 1, 1, (0, 0, 300, 60)),))],
    )
    assert reading.text == text
    assert reading.confidence > 0.9
    assert len(reading.chars) == len(text)
    lefts = [c.box[0] for c in reading.chars]
    assert lefts == sorted(lefts)
    assert 15 < lefts[0] < 30
    assert len(reading.runners_up) <= 5
    assert reading.model == reader.network.hash


def test_blank_cell_reads_as_nothing(reader: Reader) -> None:
    grey = np.full((60, 300), PAPER_LEVEL, np.uint8)
    grid = Grid((0, 0, 300, 60), (0.0, 300.0), (0.0, 60.0), (Cell(0, 0, 1, 1, (0, 0, 300, 60)),))
    ((reading,),) = reader.read_page(grey, 200, [grid])
    assert reading.text == ""
    assert reading.confidence > 0.99


def test_letters_too_far_apart_for_what_was_read_are_doubted(
    reader: Reader, monkeypatch: pytest.MonkeyPatch
) -> None:
    grey = draw("Quay 41 mended", size=(300, 60))
    grid = Grid((0, 0, 300, 60), (0.0, 300.0), (0.0, 60.0), (Cell(0, 0, 1, 1, (0, 0, 300, 60)),))
    why = "There may be one more letter than was read."
    ((usual,),) = reader.read_page(grey, 200, [grid])
    assert usual.text == "Quay 41 mended"
    assert why not in usual.reasons
    monkeypatch.setattr("keel_line.read.reader.measure_stretch", lambda *_: 0.4)
    ((reading,),) = reader.read_page(grey, 200, [grid])
    assert reading.confidence <= 0.85
    assert why in reading.reasons


def test_lines_of_a_cell_are_joined_by_breaks(reader: Reader) -> None:
    grey = draw("Chain 4 worn,\nReplace 12", size=(300, 100))
    grid = Grid((0, 0, 300, 100), (0.0, 300.0), (0.0, 100.0), (Cell(0, 0, 1, 1, (0, 0, 300, 100)),))
    ((reading,),) = reader.read_page(grey, 200, [grid])
    assert reading.text == "Chain 4 worn,\nReplace 12"
    assert {c.line for c in reading.chars} == {0, 1}


def test_nothing_to_read(reader: Reader) -> None:
    assert reader.read_page(np.full((50, 50), 255, np.uint8), 200, []) == []
    assert reader.network.run([]) == []


def test_order_does_not_depend_on_width(reader: Reader) -> None:
    recipe = reader.network.recipe.line
    pictures = [prepare_line(draw(t), 42, CAP_PX, recipe) for t in ("7", "Elspeth Rowan", "12")]
    texts = [
        decode_line(p, reader.network.recipe.alphabet).text for p in reader.network.run(pictures)
    ]
    assert texts == ["7", "Elspeth Rowan", "12"]


def test_uneven_light_is_evened_out() -> None:
    shade = np.linspace(120, 240, 500).astype(np.uint8)
    page = np.repeat(shade[None, :], 400, axis=0)
    page[100:104, 50:450] = 20
    flat = flatten_light(page)
    assert np.abs(flat[200].astype(int) - PAPER_LEVEL).max() < 12
    assert flat[102, 60:440].max() < 90
