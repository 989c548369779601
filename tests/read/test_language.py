from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keel_line.read.decode import Decoded
from keel_line.read.language import (
    LanguageModel,
    choose_by_language,
    count_language,
    lead_by_language,
    load_language,
    save_language,
)

ALPHABET = "abcd"
TEXTS = ["abab", "abcab", "abd", "dab", "ab"] * 30


@pytest.fixture(scope="module")
def counted() -> LanguageModel:
    return count_language(TEXTS, ALPHABET, (1, 1, 1, 1, 1))


def opened(*beams: tuple[str, float]) -> Decoded:
    count = len(beams[0][0])
    return Decoded(beams[0][0], beams, np.array([(i, i + 1) for i in range(count)]), np.ones(count))


@settings(max_examples=40)
@given(st.text(ALPHABET, max_size=4))
def test_what_may_follow_makes_one_in_all(start: str) -> None:
    model = count_language(TEXTS, ALPHABET, (1, 1, 2, 3, 5))
    ended = model.score_characters([start])[0][-1]
    grown = [model.score_characters([start + c])[0][len(start)] for c in ALPHABET + "?"]
    # What starts a text counts as a character like any other; it never comes again.
    assert np.exp([ended, *grown]).sum() == pytest.approx(1.0, abs=0.01)


def test_seen_runs_are_likelier_than_strange_ones(counted: LanguageModel) -> None:
    seen, strange = counted.score(["abab", "dcdc"])
    assert seen > strange + 3


def test_each_text_is_scored_by_itself(counted: LanguageModel) -> None:
    together = counted.score(["ab", "", "abcab\nd"])
    apart = [float(counted.score([text])[0]) for text in ("ab", "", "abcab d")]
    assert together == pytest.approx(apart)


def test_a_kept_model_scores_alike(counted: LanguageModel, tmp_path: Path) -> None:
    save_language(counted, tmp_path / "language.npz")
    kept = load_language(tmp_path / "language.npz")
    texts = ["ab", "dcba", "abd"]
    assert kept.score(texts) == pytest.approx(counted.score(texts), abs=0.3)


def test_language_chooses_only_where_the_ink_is_open(counted: LanguageModel) -> None:
    probs = np.full((8, 5), 0.2, np.float32)
    lines = [opened(("abdb", 0.5), ("abab", 0.45)), opened(("abdb", 0.99), ("abab", 0.01))]
    chosen = choose_by_language(lines, [probs, probs], ALPHABET, counted)
    assert [d.text for d in chosen] == ["abab", "abdb"]
    assert chosen[0].beams == (("abab", 0.45), ("abdb", 0.5))  # the ink's own probabilities
    assert len(chosen[0].places) == len(chosen[0].chances) == 4


def test_clear_ink_outweighs_the_language(counted: LanguageModel) -> None:
    probs = np.full((8, 5), 0.2, np.float32)
    (kept,) = choose_by_language(
        [opened(("abdb", 0.9), ("abab", 0.02))], [probs], ALPHABET, counted
    )
    assert kept.text == "abdb"


def test_a_mark_at_a_words_end_is_not_read_away_against_the_ink() -> None:
    model = load_language()
    probs = np.full((24, len(model.alphabet) + 1), 0.01, np.float32)
    line = opened(("“QUIRKIEST”", 0.947), ("“QUIRKIEST", 0.05))
    (chosen,) = choose_by_language([line], [probs], model.alphabet, model)
    assert chosen.text == "“QUIRKIEST”"


def test_a_lead_says_how_far_the_text_is_ahead(counted: LanguageModel) -> None:
    leads = lead_by_language(
        [
            opened(("abab", 0.5), ("ab", 0.5)),
            opened(("abdb", 0.9), ("abab", 0.1)),
            opened(("abab", 1.0)),
        ],
        counted,
    )
    assert leads[1] < 0 < leads[0] < leads[2]


def test_the_shipped_model_knows_an_apostrophe_from_a_raised_three() -> None:
    model = load_language()
    right, wrong = model.score(["Marigold's", "Marigold³s"])
    assert right > wrong + 5
