"""Removes specks: marks smaller than any full stop, as copiers and faxes make them."""

from __future__ import annotations

import cv2
import numpy as np

from keel_line._shared.paper import PAPER_LEVEL, Grey, estimate_paper

_SPECK_IN = 0.009
_INK_LEVEL = PAPER_LEVEL - 45
_NEAR_IN = 0.05


def drop_specks(grey: Grey, flat: Grey, dpi: float) -> Grey:
    """Paint out specks that stand by themselves, with the paper's own brightness.

    A speck is at most 0.009 inch across and has no larger mark within 0.05 inch: dots of an i, full
    stops and the dots of a needle printer stay.

    Parameters
    ----------
    grey, flat
        Squared page as it is and with its light evened out, shape (rows, cols), 0 is black.
    dpi
        Its resolution.
    """
    binary = (flat < _INK_LEVEL).astype(np.uint8)
    _, labels, table, _ = cv2.connectedComponentsWithStats(binary, connectivity=8)
    parts = np.asarray(table)
    most = max(1.0, _SPECK_IN * dpi)
    small = np.maximum(parts[:, cv2.CC_STAT_WIDTH], parts[:, cv2.CC_STAT_HEIGHT]) <= most
    small[0] = False
    reach = 2 * round(_NEAR_IN * dpi) + 1
    writing = ((labels > 0) & ~small[labels]).astype(np.uint8)
    near = cv2.dilate(writing, np.ones((reach, reach), np.uint8)) > 0
    beside = np.zeros(len(parts), bool)
    beside[np.unique(labels[near])] = True
    gone = (small & ~beside)[labels].astype(np.uint8)
    if not gone.any():
        return grey
    out = grey.copy()
    soft = cv2.dilate(gone, np.ones((3, 3), np.uint8)) > 0
    out[soft] = estimate_paper(grey)[soft].astype(np.uint8)
    return out
