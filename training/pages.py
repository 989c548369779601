"""Made pages that the product squares and rules, on which the small models are fitted."""

from __future__ import annotations

import numpy as np

from keel_line.model.grid import Grid
from keel_line.model.page import Page, Resolution, SquaredPage
from keel_line.rule.grids import find_grids
from keel_line.square.straighten import square_page
from synth.faces import Split, load_faces
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
    squared = square_page(Page(page.grey, Resolution(page.x_dpi, page.y_dpi), "made", 1, "scan"))
    return page, squared, find_grids(squared.pixels, squared.dpi)
