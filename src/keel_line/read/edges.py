"""Finds writing that runs over its cell's side: a letter is cut, or a word goes on next door."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, measure_darkness

_BORDER_PX, _WITHIN_PX = 2, 3
_TALL_CAPS = 0.15
_BEYOND_CAPS = 0.4
_LETTERS_APART_CAPS, _LEAST_LETTER_CAPS, _LEAST_HIGH_CAPS = 0.25, 0.35, 0.4
_NEAR_CAPS = 0.12
_DARK = 0.42  # of the page's ink
_RULE_SHARE = 0.7  # of a cell's height, or its width, that only a rule fills


def runs_over(
    flat: Grey,
    origin: tuple[int, int],
    mask: NDArray[np.bool_],
    depth: float,
    cap_px: float,
    rule_px: float,
) -> bool:
    """Return whether a cell's writing goes on beyond its left or right side.

    Parameters
    ----------
    flat
        Squared page with even light, shape (rows, cols).
    origin
        (x, y) of the cell's upper left pixel on the page.
    mask
        The cell's writing, without what is left of rules, shape (rows, cols).
    depth
        Typical darkness of the page's ink below its paper (grey levels).
    cap_px
        Height of capitals.
    rule_px
        Thickness of the table's rules.
    """
    rows, cols = mask.shape
    x, y = origin
    past = round(rule_px) + _BORDER_PX
    reach = past + max(2, round(_BEYOND_CAPS * cap_px))
    near = np.ones((2 * max(1, round(_NEAR_CAPS * cap_px)) + 1, 1), np.uint8)
    # What is left of a rule along the cell's top or foot goes on next door, as rules do; so does
    # what hangs on it along the side and comes from nowhere within.
    ruled = np.asarray(mask.mean(axis=1) >= _RULE_SHARE, np.bool_)
    hanging = _find_hanging(mask, ruled)
    deep = _BORDER_PX + _WITHIN_PX
    for edge, inner, first, last in (
        (slice(-_BORDER_PX, None), slice(-deep, -_BORDER_PX), x + cols + past, x + cols + reach),
        (slice(None, _BORDER_PX), slice(_BORDER_PX, deep), x - reach, x - past),
    ):
        remains = hanging[:, edge].any(axis=1) & ~mask[:, inner].any(axis=1)
        touching = np.asarray(mask[:, edge].any(axis=1) & ~ruled & ~remains, np.bool_)
        if touching.sum() < _TALL_CAPS * cap_px:
            continue
        beyond = flat[y : y + rows, max(0, first) : max(0, last)]
        if not beyond.size:  # the page ends here
            continue
        dark = np.asarray(measure_darkness(beyond) > _DARK * depth, np.bool_)
        writing = dark[:, dark.mean(axis=0) < _RULE_SHARE].any(axis=1)
        around = (
            np.asarray(cv2.dilate(touching.astype(np.uint8)[:, None], near), np.uint8).ravel() > 0
        )
        if (writing & around).sum() >= _TALL_CAPS * cap_px:
            return True
    return _goes_on(flat, origin, mask & ~hanging, _DARK * depth, cap_px)


def _goes_on(
    flat: Grey, origin: tuple[int, int], mask: NDArray[np.bool_], level: float, cap_px: float
) -> bool:
    """Return whether a cell's last letter and one beyond its left or right side are of one word.

    They stand no farther apart than letters do, and no rule stands between them.
    """
    rows, cols = mask.shape
    x, y = origin
    near, wide = (max(3, round(caps * cap_px)) for caps in (_LETTERS_APART_CAPS, 1.0))
    if cols < wide:
        return False
    for own, beside in (
        (mask[:, -wide:], flat[y : y + rows, x + cols - near : x + cols + near]),
        (mask[:, :wide][:, ::-1], flat[y : y + rows, max(0, x - near) : x + near][:, ::-1]),
    ):
        at = np.flatnonzero(own[:, -near:].any(axis=0))
        if not len(at) or beside.shape[1] < 2 * near:  # nothing stands there, or the page ends
            continue
        last = int(at[-1])
        labels = np.asarray(cv2.connectedComponents(own.astype(np.uint8))[1])
        letter = labels == labels[:, wide - near + last].max()
        if np.count_nonzero(letter.any(axis=0)) < _LEAST_LETTER_CAPS * cap_px:
            continue  # as narrow as what is left of a rule
        dark = np.asarray(measure_darkness(np.ascontiguousarray(beside)) > level, np.bool_)
        if (dark.mean(axis=0) >= _RULE_SHARE).any():
            continue
        dark[dark.mean(axis=1) >= _RULE_SHARE] = False
        after = dark[letter.any(axis=1), last + 1 : last + 1 + near]
        high = np.count_nonzero(after.any(axis=1))
        goes_beyond = after[:, near - last - 1 :].any()
        if goes_beyond and high >= _LEAST_HIGH_CAPS * cap_px:
            return True
    return False


def _find_hanging(mask: NDArray[np.bool_], ruled: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Mark the ink of a cell that is joined to its ``ruled`` rows, which a rule's remains fill."""
    if not ruled.any():
        return np.zeros_like(mask)
    labels = np.asarray(cv2.connectedComponents(mask.astype(np.uint8))[1])
    return np.asarray(mask & np.isin(labels, labels[ruled]), np.bool_)
