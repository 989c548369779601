"""Which way up a page is, told by how surely its words read."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from keel_line._shared.paper import PAPER_LEVEL, flatten_light
from keel_line.read.network import Network
from keel_line.read.upright import find_upright, find_words, rate_words
from synth.pages import CellContent, TableContent
from tests.conftest import draw_page


@pytest.fixture(scope="module")
def network() -> Network:
    return Network(threads=2)


@pytest.fixture(scope="module")
def words() -> NDArray[np.uint8]:
    names = ("Marigold", "Corriemoor", "Gannet", "Skerry Head", "Kittiwake", "Harrow", "Dunlin")
    cells = tuple(
        CellContent(r, c, f"{names[(r + c) % 7]} {17 * r + c}") for r in range(8) for c in range(3)
    )
    return flatten_light(draw_page(TableContent(cells, 8, (1.7,) * 3, "lll")).grey)


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_every_way_is_found(network: Network, words: NDArray[np.uint8], turns: int) -> None:
    lying = np.ascontiguousarray(np.rot90(words, turns))
    found = find_upright(lying, 200, network)
    assert (found.turns, found.sure) == (turns, True)
    assert found.words >= 10


def test_pale_writing_is_found_too(network: Network, words: NDArray[np.uint8]) -> None:
    pale = np.asarray(PAPER_LEVEL - (PAPER_LEVEL - words.clip(0, PAPER_LEVEL)) * 0.3, np.uint8)
    found = find_upright(np.ascontiguousarray(np.rot90(pale, 2)), 200, network)
    assert (found.turns, found.sure) == (2, True)


def test_a_page_without_words_is_left_alone_and_not_sure(network: Network) -> None:
    empty = np.full((800, 600), PAPER_LEVEL, np.uint8)
    found = find_upright(empty, 200, network)
    assert (found.turns, found.sure, found.words) == (0, False, 0)


def test_words_read_better_upright(network: Network, words: NDArray[np.uint8]) -> None:
    upright, _ = rate_words(words, 200, network)
    headlong, _ = rate_words(np.rot90(words, 2), 200, network)
    assert upright > 0.9 > headlong


def test_words_are_found_between_rules(words: NDArray[np.uint8]) -> None:
    boxes, cap = find_words(words, 200)
    assert cap == pytest.approx(22, abs=3)
    assert 15 <= len(boxes) <= 28
    assert ((boxes[:, 3] - boxes[:, 1]) < 3 * cap).all()
