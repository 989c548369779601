"""Fit what likeness to a page's own glyphs is worth, on validation pages.

Run as ``python -m training.likeness --pages 400`` after ``training.export``; calibrate after it.
Needs no PyTorch.
"""

from __future__ import annotations

import numpy as np

from keel_line.read.likeness import MEASURES, compare_glyphs
from keel_line.read.network import Network
from training.config import ALPHABET
from training.logistic import Pairs, make_command
from training.pages import read_lines

_SEED = 606


def gather_pairs(seed: int) -> Pairs:
    """Read one validation page; return its glyphs that are one of two kinds.

    Lines read with a character too many or too few are left out, and glyphs that are neither.
    """
    network = Network(threads=1)
    page = read_lines("val", _SEED, seed, network)
    odds, measures, right = [], [], []
    for c in compare_glyphs(page.seen, page.decoded):
        text = page.written[c.line]
        if text is None or len(text) != len(page.decoded[c.line].text):
            continue
        read, rival = ALPHABET[c.kind - 1], ALPHABET[c.rival - 1]
        if text[c.place] in (read, rival):
            odds.append(-np.log(c.share))
            measures.append(c.measures)
            right.append(text[c.place] == read)
    return np.array(odds), np.array(measures).reshape(-1, MEASURES), np.array(right, bool)


main = make_command(gather_pairs, "likeness.json", "Fit the weights of likeness.")

if __name__ == "__main__":
    main()
