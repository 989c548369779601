"""Made pages that the product squares and rules, on which the small models are fitted."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from keel_line._shared.paper import Grey, flatten_light
from keel_line.model.grid import Grid
from keel_line.model.page import SquaredPage
from keel_line.read.cells import prepare_grid
from keel_line.read.decode import Decoded, decode_line
from keel_line.read.glyphs import PageLines
from keel_line.read.looks import look_again
from keel_line.read.network import Network
from synth.faces import Split, load_faces
from synth.laying import lay, pair_texts, split_lines
from synth.pages import MadePage, make_page
from training.config import ALPHABET

CONDITIONS = ("clean", "office", "clean", "copy", "office", "fax", "clean", "fax-coarse")


def lay_page(split: Split, seed: int, number: int) -> tuple[MadePage, SquaredPage, list[Grid]]:
    """Make one page, square it and find its grids; the same numbers always give the same page.

    Parameters
    ----------
    split
        Whose faces; all but those to train on also have words that were kept out of training.
    seed
        What the pages are for.
    number
        Which of them; their paper goes by turns.
    """
    page = make_page(
        np.random.default_rng([seed, number]),
        load_faces(split),
        frozenset(ALPHABET),
        condition=CONDITIONS[number % len(CONDITIONS)],
        dpi=200.0 if number % 5 == 4 else 300.0,
        held=split != "train",
    )
    return page, *lay(page)


@dataclass(frozen=True, eq=False)
class ReadLines:
    """The lines of a made page as the network reads them, before any other evidence is heard.

    Attributes
    ----------
    seen
        The lines, and what the network gave for each.
    written
        What is truly written in each; None where that is not known.
    decoded
        Each line's decoding, all looks weighed together.
    """

    seen: PageLines
    written: list[str | None]
    decoded: list[Decoded]


def read_lines(split: Split, seed: int, number: int, network: Network) -> ReadLines:
    """Read the lines of one made page; tables whose grid was not found are left out.

    The arguments but the last are those of :func:`lay_page`.
    """
    cv2.setNumThreads(1)
    page, squared, grids = lay_page(split, seed, number)
    flat = flatten_light(squared.pixels)
    pictures: list[Grey] = []
    written: list[str | None] = []
    for grid, texts in zip(grids, pair_texts(grids, page.tables), strict=True):
        if texts is None:
            continue
        cells = prepare_grid(flat, squared.dpi, grid, network.recipe.line)
        for cell, text in zip(cells, texts, strict=True):
            count = len(cell.pictures)
            pictures += cell.pictures
            written += split_lines(text, count) or [None] * count
    probs = network.run(pictures)
    decoded = [decode_line(p, ALPHABET) for p in probs]
    seen = PageLines(pictures, probs, ALPHABET, network.recipe.line)
    return ReadLines(seen, written, look_again(pictures, probs, decoded, network))
