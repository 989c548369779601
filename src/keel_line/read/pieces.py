"""Reads pieces of writing quickly, before it is known what they are; what they say tells it.

Cells are read anew, and with more care (:mod:`keel_line.read.reader`).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey
from keel_line.read.ink import ink_depth, take_ink
from keel_line.read.lines import find_lines
from keel_line.read.network import Network
from keel_line.read.prepare import prepare_line

_PAD_CAPS = 0.35
_RULE_PX = 2.0


def read_pieces(
    network: Network, flat: Grey, boxes: NDArray[np.float64], cap_px: float
) -> list[str]:
    """Read each piece by the likeliest character at each step; empty where no line is seen.

    Parameters
    ----------
    network
        The recogniser.
    flat
        Page with even light, shape (rows, cols).
    boxes
        Boxes around the pieces (px), shape (n, 4).
    cap_px
        Height of the page's capitals.
    """
    pad = _PAD_CAPS * cap_px
    rows, cols = flat.shape
    depth = ink_depth(flat)
    pictures, owners = [], []
    for number, (x0, y0, x1, y1) in enumerate(boxes.tolist()):
        left, right = max(0, round(x0 - pad)), min(cols, round(x1 + pad))
        top, low = max(0, round(y0 - pad)), min(rows, round(y1 + pad))
        if right - left < 2 or low - top < 2:
            continue
        ink = take_ink(np.ascontiguousarray(flat[top:low, left:right]), depth, cap_px, _RULE_PX)
        lines = find_lines(ink, cap_px)
        if lines:
            line = max(lines, key=lambda own: own.right - own.left)
            part = ink.grey[line.top : line.bottom, line.left : line.right]
            if part.size:
                baseline = line.baseline - line.top
                pictures.append(prepare_line(part, baseline, line.cap_px, network.recipe.line))
                owners.append(number)
    out = [""] * len(boxes)
    alphabet = network.recipe.alphabet
    for number, chances in zip(owners, network.run(pictures), strict=True):
        best = chances.argmax(axis=1)
        kept = best[np.concatenate([[True], best[1:] != best[:-1]])]
        out[number] = "".join(alphabet[k - 1] for k in kept.tolist() if k).strip()
    return out
