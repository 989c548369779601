from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keel_line._shared.paper import PAPER_LEVEL
from keel_line.read.decode import Decoded
from keel_line.read.spaces import (
    LineGaps,
    Setting,
    clear_marks,
    judge_gaps,
    load_space_model,
    measure_gap_features,
    measure_gaps,
    measure_setting,
    measure_stretch,
    set_spaces,
)


def spelt(text: str, chance: float = 0.9) -> Decoded:
    places = np.array([(4.0 * i, 4.0 * i + 2) for i in range(len(text))])
    return Decoded(text, ((text, 0.9), (text + "x", 0.05)), places, np.full(len(text), chance))


def gaps_of(text: str, at: list[float], bare: list[float], chance: float = 0.01) -> LineGaps:
    """Gaps of a line whose characters stand with their middles ``at``, in heights of capitals."""
    letters = text.replace(" ", "")
    glyphs = [i for i, char in enumerate(text) if char != " "]
    spaced = np.diff(glyphs) > 1
    chances = np.where(spaced, 0.9, chance)
    return LineGaps(letters, np.array(bare), np.diff(at), spaced, chances)


def typed(text: str, *, pitch: float = 0.9, comma_off: float = -0.2) -> LineGaps:
    """Gaps of a line on a typewriter; low marks stand at the left of their place."""
    at = [i * pitch + (comma_off if c in ".," else 0.0) for i, c in enumerate(text) if c != " "]
    width = [0.2 if c in ".," else 0.6 for c in text if c != " "]
    bare = [b - a - (v + w) / 2 for a, b, v, w in zip(at, at[1:], width, width[1:], strict=False)]
    return gaps_of(text, at, bare)


def test_gaps_are_measured_in_heights_of_capitals() -> None:
    inked = np.zeros(60, bool)
    for left in (0, 12, 40):
        inked[left : left + 10] = True
    probs = np.zeros(20)
    probs[7] = 0.4
    gaps = measure_gaps(inked, spelt("ab4"), np.array([5.0, 17.0, 45.0]), 20.0, probs)
    np.testing.assert_allclose(gaps.bare, [0.1, 0.9])
    np.testing.assert_allclose(gaps.apart, [0.6, 1.4])
    np.testing.assert_allclose(gaps.chance, [0.0, 0.4])
    assert gaps.spaced.tolist() == [False, False]


def test_a_gap_runs_over_the_space_in_it() -> None:
    inked = np.zeros(60, bool)
    inked[:10] = inked[40:50] = True
    gaps = measure_gaps(inked, spelt("a b"), np.array([5.0, 25.0, 45.0]), 20.0, np.zeros(20))
    assert gaps.text == "ab"
    np.testing.assert_allclose(gaps.bare, [1.5])
    assert gaps.spaced.tolist() == [True]


def test_a_typewriter_is_known_by_its_pitch() -> None:
    lines = [typed("5,181"), typed("12,40"), typed("83,77"), typed("1,204"), typed("6,318")] * 2
    setting = measure_setting(lines)
    assert setting.fixed > 0.9
    assert setting.pitch == pytest.approx(0.9)
    # Figures of one width with a narrow comma between them are no typewriter's.
    printed = [gaps_of("5,181", [0, 0.55, 1.1, 2.0, 2.9], [0.1, 0.1, 0.2, 0.2])] * 10
    assert measure_setting(printed).fixed < 0.1


def test_little_text_has_the_usual_setting() -> None:
    assert measure_setting([typed("5,1")]) == Setting()
    assert measure_setting([]) == Setting()


def test_what_a_gap_has_beyond_its_letters_room_tells_a_narrow_space() -> None:
    # Round letters stand close, straight ones apart: a space between round ones is no wider.
    close, wide, space = 0.05, 0.25, 0.28
    lines = [
        gaps_of("oooo oooo", [0.7 * i for i in range(8)], [close] * 3 + [space] + [close] * 3),
        gaps_of("nnnnnnnn", [0.7 * i for i in range(8)], [wide] * 7),
    ] * 8
    setting = measure_setting(lines)
    assert setting.beyond == pytest.approx(space - close, abs=0.03)
    beyond = measure_gap_features(lines[0], setting)[:, 21]
    assert beyond[3] == pytest.approx(1.0, abs=0.15)
    assert np.abs(np.delete(beyond, 3)).max() < 0.15
    assert np.abs(measure_gap_features(lines[1], setting)[:, 21]).max() < 0.2


def test_letters_too_far_apart_for_their_gaps_tell_of_one_that_was_rejected_areas() -> None:
    at, bare = [0.7 * i for i in range(8)], [0.2] * 7
    plain = gaps_of("nnnnnnnn", at, bare)
    setting = measure_setting([plain] * 4)
    assert measure_stretch(plain, setting) < 0.05
    merged = gaps_of("nnnnnnnn", [*at[:4], *(x + 0.6 for x in at[4:])], bare)
    assert measure_stretch(merged, setting) == pytest.approx(0.6, abs=0.05)
    parted = gaps_of("nnnnnnnn", [*at[:4], *(x + 0.6 for x in at[4:])], [*bare[:3], 0.8, *bare[4:]])
    assert measure_stretch(parted, setting) < 0.05, "bare paper takes the room"
    strange = gaps_of("nnnnWnnn", [*at[:4], *(x + 0.6 for x in at[4:])], bare)
    assert measure_stretch(strange, setting) < 0.05, "nothing is known of a letter's room"


def test_a_wide_comma_on_a_typewriter_is_not_followed_by_a_space() -> None:
    lines = [typed(t) for t in ("5,181", "12,40", "Pier 4", "83,77", "Berth 12", "6,318")] * 3
    setting = measure_setting(lines)
    read_wrong = typed("5,181")
    wrong = replace(read_wrong, spaced=np.array([False, True, False, False]))
    wrong = replace(wrong, chance=np.array([0.01, 0.7, 0.01, 0.01]))
    model = load_space_model()
    chances = judge_gaps(model, measure_gap_features(wrong, setting))
    assert (chances < 0.5).all()
    chances = judge_gaps(model, measure_gap_features(typed("Berth 12"), setting))
    assert (chances > 0.5).tolist() == [False] * 4 + [True, False]


def test_spaces_are_put_in_and_taken_out() -> None:
    assert set_spaces(spelt("N4"), np.array([0.9])).text == "N 4"
    closed = set_spaces(spelt("5, 181"), np.array([0.01, 0.2, 0.01, 0.01]))
    assert closed.text == "5,181"
    assert len(closed.places) == len(closed.chances) == 5


def test_the_other_way_stays_among_the_readings() -> None:
    opened = set_spaces(spelt("N4"), np.array([0.75]))
    assert dict(opened.beams)["N 4"] == pytest.approx(0.9 * 0.75)
    assert dict(opened.beams)["N4"] == pytest.approx(0.9 * 0.25)
    assert dict(opened.beams)["N4x"] == pytest.approx(0.05)
    assert opened.chances[1] == pytest.approx(0.75)
    assert (np.diff(opened.places[:, 0]) > 0).all()


@given(st.text("ab1,", min_size=2, max_size=8), st.lists(st.floats(0, 1), min_size=7, max_size=7))
def test_spaces_change_nothing_but_spaces(text: str, chances: list[float]) -> None:
    out = set_spaces(spelt(text), np.array(chances[: len(text) - 1]))
    assert out.text.replace(" ", "") == text
    assert len(out.places) == len(out.chances) == len(out.text)
    assert out.beams[0][0] == out.text
    assert sum(c for _, c in out.beams) <= 1 + 1e-9


def paper_with(*inked: tuple[int, int, int, int]) -> np.ndarray:
    grey = np.full((40, 80), PAPER_LEVEL, np.uint8)
    for x0, y0, x1, y1 in inked:
        grey[y0:y1, x0:x1] = 30
    return grey


FIGURES = ((5, 10, 15, 30), (45, 10, 55, 30))
MIDDLES = np.array([10.0, 30.0, 50.0])


def test_a_stop_on_bare_paper_is_a_space_in_doubt() -> None:
    cleared = clear_marks(spelt("1.2"), paper_with(*FIGURES), MIDDLES, 30.0, 20.0)
    assert cleared.text == "1 2"
    assert cleared.chances[1] == pytest.approx(0.5)
    assert [t for t, _ in cleared.beams[:2]] == ["1 2", "1.2"]
    assert cleared.beams[0][1] == pytest.approx(cleared.beams[1][1])


def test_a_stop_read_near_a_figure_on_a_wide_bare_gap_is_a_space() -> None:
    # The stop's place is only estimated: here it lies so near the figure that the ink touches.
    off = np.array([10.0, 42.0, 50.0])
    assert clear_marks(spelt("1.2"), paper_with(*FIGURES), off, 30.0, 20.0).text == "1 2"


def test_a_stop_with_its_ink_beside_its_place_is_only_doubted() -> None:
    # A seven's foot lies left of its middle, so that paper is bare where the stop is looked for.
    grey = paper_with(*FIGURES, (17, 27, 20, 31))
    doubted = clear_marks(spelt("7.2"), grey, np.array([10.0, 34.0, 50.0]), 30.0, 20.0)
    assert doubted.text == "7.2"
    assert doubted.chances[1] == pytest.approx(0.5)
    assert [t for t, _ in doubted.beams[:2]] == ["7.2", "7 2"]


def test_a_stop_of_which_the_recogniser_is_sure_is_left_alone() -> None:
    read = spelt("1.2", chance=0.99)
    assert clear_marks(read, paper_with(*FIGURES), MIDDLES, 30.0, 20.0) is read


def test_a_stop_with_its_ink_stays() -> None:
    read = spelt("1.2")
    assert clear_marks(read, paper_with(*FIGURES, (28, 27, 32, 31)), MIDDLES, 30.0, 20.0) is read


def test_a_trace_of_ink_is_enough_for_a_stop() -> None:
    grey = paper_with(*FIGURES)
    grey[27:31, 28:32] = 150
    assert clear_marks(spelt("1,2"), grey, MIDDLES, 30.0, 20.0).text == "1,2"


def test_a_mark_beside_a_space_is_only_doubted() -> None:
    middles = np.array([10.0, 30.0, 38.0, 50.0])
    doubted = clear_marks(spelt("1. 2"), paper_with(*FIGURES), middles, 30.0, 20.0)
    assert doubted.text == "1. 2"
    assert doubted.chances[1] == pytest.approx(0.5)


def test_other_marks_are_left_alone() -> None:
    read = spelt("1-2")
    assert clear_marks(read, paper_with(*FIGURES), MIDDLES, 30.0, 20.0) is read
