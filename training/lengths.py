"""Fit what it is worth that the page's glyphs explain a reading of one length and not of another.

Run as ``python -m training.lengths --pages 400`` after ``training.likeness``; calibrate after it.
Needs no PyTorch.
"""

from __future__ import annotations

import numpy as np

from keel_line.read.lengths import MEASURES, compare_lengths
from keel_line.read.likeness import load_likeness, weigh_likeness
from keel_line.read.network import Network
from training.logistic import Pairs, make_command
from training.pages import read_lines

_SEED = 606


def gather_pairs(seed: int) -> Pairs:
    """Read one validation page; return its lines of which one of two readings is right.

    Spaces are left aside: they are judged by themselves.
    """
    network = Network(threads=1)
    page = read_lines("val", _SEED, seed, network)
    decoded = weigh_likeness(page.seen, page.decoded, load_likeness())
    odds, measures, right = [], [], []
    for c in compare_lengths(page.seen, decoded):
        truth = page.written[c.line]
        if truth is None:
            continue
        first, other, wanted = ("".join(t.split()) for t in (c.text, c.other, truth))
        if wanted in (first, other):
            odds.append(-np.log(c.share))
            measures.append(c.measures)
            right.append(wanted == first)
    return np.array(odds), np.array(measures).reshape(-1, MEASURES), np.array(right, bool)


main = make_command(gather_pairs, "lengths.json", "Fit the weights of lengths.")

if __name__ == "__main__":
    main()
