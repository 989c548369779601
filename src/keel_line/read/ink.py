"""The ink of a cell: separates writing from dirt and from remains of rules."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import PAPER_LEVEL, Grey, grey_percentile, measure_darkness

_LEAST_DEPTH = 26
_DOT_SHARE = 0.11  # a full stop is about this part of a capital's height
_SPECK_SHARE = 0.075
_ACCENT_SHARE = 0.3
_MARK_SHARE = 0.25
_LEAST_LEADERS = 3
_LEADERS_CAPS = 0.15
_LEADERS_SHARE = 0.7
_LEAST_RULE_CAPS, _WHOLE_ROW, _GAP_PX, _MOSTLY_THIN = 2.0, 0.9, 3, 0.5


@dataclass(frozen=True, eq=False)
class CellInk:
    """A cell's picture with everything but writing painted out.

    Attributes
    ----------
    grey
        Cleaned picture, shape (rows, cols), paper at ``PAPER_LEVEL``.
    mask
        Writing, shape (rows, cols).
    parts
        One row a connected part of the writing: x, y, width, height, area (px).
    specks
        What was judged dirt, in rows of the same five.
    """

    grey: Grey
    mask: NDArray[np.bool_]
    parts: NDArray[np.int32]
    specks: NDArray[np.int32]

    @property
    def dirt_px(self) -> int:
        """Pixels that were judged dirt."""
        return int(self.specks[:, 4].sum())

    @property
    def is_blank(self) -> bool:
        """Whether no writing is left."""
        return len(self.parts) == 0


def ink_depth(flat: Grey) -> float:
    """Typical darkness of a page's ink below its paper (grey levels, at least 40)."""
    ink = measure_darkness(np.ascontiguousarray(flat[::3, ::3]))
    dark = ink[ink > 40]
    return float(np.percentile(dark, 75)) if dark.size > 50 else 40.0


def take_ink(crop: Grey, depth: float, cap_px: float, rule_px: float) -> CellInk:
    """Separate the writing in a cell from its paper, from dirt and from remains of rules.

    Parameters
    ----------
    crop
        The cell between its rules, light evened out, shape (rows, cols).
    depth
        Typical darkness of the page's ink (see :func:`ink_depth`).
    cap_px
        Height of the page's capitals, or an estimate.
    rule_px
        Thickness of the table's rules.
    """
    ink = measure_darkness(crop)
    own = grey_percentile(ink, 0.995) if ink.size else 0.0
    level = max(_LEAST_DEPTH, 0.42 * min(max(own, 0.35 * depth), depth))
    inked = ink > level
    binary = _without_rules(inked, cap_px, rule_px).astype(np.uint8)
    _, labels, table, _ = cv2.connectedComponentsWithStats(binary, connectivity=8)
    stats = np.asarray(table, np.int32)
    keep = ~_are_rule_remains(stats, crop.shape, cap_px, rule_px)
    keep[0] = False
    dirt = _find_dirt(stats, keep, cap_px)
    keep &= ~dirt
    mask = keep[labels]
    grey = crop.copy()
    # Dirt and remains go with their soft edges, but never the writing beside them.
    gone = np.asarray(inked & ~mask, np.uint8)
    if gone.any():
        around = cv2.dilate(gone, np.ones((5, 5), np.uint8)).astype(bool)
        near_writing = cv2.dilate(mask.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
        grey[around & ~near_writing] = PAPER_LEVEL
    return CellInk(grey, mask, stats[keep], stats[dirt])


def _without_rules(inked: NDArray[np.bool_], cap_px: float, rule_px: float) -> NDArray[np.bool_]:
    """Return a cell's ink without what is left of rules along its sides.

    A letter that touches such a rule is parted from it and stays.
    """
    out = inked.copy()
    most = _thickest_remain(cap_px, rule_px)
    for side in (out, out[::-1], out.T, out.T[::-1]):
        _cut_rule_off(side, most, _LEAST_RULE_CAPS * cap_px)
    return out


def _cut_rule_off(inked: NDArray[np.bool_], most: float, least: float) -> None:
    """Remove from ink, in place, a rule along its first row; letters may hang on it.

    The rule is ``most`` px high, and ``least`` px long or as long as the row.
    """
    touching = np.flatnonzero(inked[0])
    shortest = min(least, _WHOLE_ROW * inked.shape[1])
    if len(touching) < _MOSTLY_THIN * shortest:
        return
    deep = inked[: int(most) + 1, touching]
    heights = np.where(deep.all(axis=0), len(deep), deep.argmin(axis=0))
    thin = heights < len(deep)
    for run in np.split(np.arange(len(touching)), np.flatnonzero(np.diff(touching) > _GAP_PX) + 1):
        own = run[thin[run]]
        long = touching[run[-1]] - touching[run[0]] + 1
        if long < shortest or len(own) < _MOSTLY_THIN * len(run):
            continue
        # Where a letter hangs on the rule, the rule is as high as beside it.
        high = np.rint(np.interp(run, own, heights[own])).astype(int)
        for column, end in zip(touching[run].tolist(), high.tolist(), strict=True):
            inked[:end, column] = False


def _thickest_remain(cap_px: float, rule_px: float) -> float:
    """Return how thick (px) ink at a cell's side can be and still be a remnant of a rule."""
    return max(2.0, 0.8 * rule_px + 1.5, 0.14 * cap_px)


def _are_rule_remains(
    parts: NDArray[np.int32], shape: tuple[int, ...], cap_px: float, rule_px: float
) -> NDArray[np.bool_]:
    """Return which parts are pieces of ruling lines at the cell's edges, shape (len(parts),)."""
    x, y, width, height, area = parts.T
    rows, cols = shape
    thin = _thickest_remain(cap_px, rule_px)
    edge = max(2, round(0.12 * cap_px))
    touches_side = (x == 0) | (x + width == cols)
    touches_end = (y == 0) | (y + height == rows)
    near_side = (x <= edge) | (x + width >= cols - edge)
    near_end = (y <= edge) | (y + height >= rows - edge)
    across = near_end & (height <= thin) & (width >= 3 * height)
    long_enough = (height >= 1.6 * cap_px) | (touches_side & (height >= 3 * width))
    down = near_side & (width <= thin) & long_enough
    stub_across = touches_side & (height <= thin) & (width <= cap_px)
    stub_down = touches_end & (width <= thin) & (height <= 0.5 * cap_px)
    touches = touches_side | touches_end
    speck = touches & (np.maximum(width, height) <= thin)
    # A corner of the frame: long on both sides with little ink in between.
    corner = touches & (area < 0.25 * width * height)
    corner &= (width > 0.6 * cols) & (height > 0.6 * rows)
    out: NDArray[np.bool_] = across | down | stub_across | stub_down | speck | corner
    return out


def _find_dirt(
    stats: NDArray[np.int32], keep: NDArray[np.bool_], cap_px: float
) -> NDArray[np.bool_]:
    """Tell dirt among parts: too small for a full stop, or small and far from any writing."""
    widths, heights, areas = stats[:, 2], stats[:, 3], stats[:, 4]
    size = np.maximum(widths, heights)
    speck = keep & ((size < _SPECK_SHARE * cap_px + 0.6) | (areas < 3))
    writing = keep & (size >= 0.35 * cap_px)
    if speck.any():
        speck &= ~_by_letters(stats, speck, writing, cap_px)
    # Beside writing that stands elsewhere, a lone mark must be larger to count.
    most = (2.2 if writing.any() else 1.3) * _DOT_SHARE * cap_px
    small = keep & ~speck & ~writing & (size < most) & (areas < 0.6 * most**2)
    if small.any():
        xs, ys = stats[:, 0] + widths / 2, stats[:, 1] + heights / 2
        alone = []
        for i in np.nonzero(small)[0]:
            # A stop stands by its word.
            near_x = np.abs(xs - xs[i]) < 2.2 * cap_px + widths / 2
            near_y = np.abs(ys - ys[i]) < 1.2 * cap_px + heights / 2
            if not (writing & near_x & near_y).any():
                alone.append(i)
        if not _in_a_row(ys[alone], cap_px):
            speck[alone] = True
    marks = keep & ~speck & (size < _MARK_SHARE * cap_px)
    # A machine of few dots an inch sows specks as large as stops over a blank cell.
    sown = not writing.any() and marks.sum() >= _LEAST_LEADERS
    if sown and not _in_a_row(stats[marks, 1] + heights[marks] / 2, cap_px):
        speck |= marks
    return speck


def _in_a_row(ys: NDArray[np.float64], cap_px: float) -> bool:
    """Tell dots that lead from one word to another from specks that are sown about.

    ``ys`` are the heights of small marks that stand by no letter (px).
    """
    if len(ys) < _LEAST_LEADERS:
        return False
    band = _LEADERS_CAPS * cap_px
    most = max(int((np.abs(ys - y) <= band).sum()) for y in ys)
    return most >= _LEADERS_SHARE * len(ys)


def _by_letters(
    stats: NDArray[np.int32], marks: NDArray[np.bool_], writing: NDArray[np.bool_], cap_px: float
) -> NDArray[np.bool_]:
    """Tell which small marks may belong to a letter: an umlaut's dots, a piece of a stroke, a stop.

    A copier may leave a single pixel of a stop; the recogniser tells it better than its size does.
    """
    out = np.zeros(len(stats), bool)
    x0, y0 = stats[:, 0], stats[:, 1]
    x1, y1 = x0 + stats[:, 2], y0 + stats[:, 3]
    reach = _ACCENT_SHARE * cap_px
    for i in np.nonzero(marks)[0]:
        gap_x = np.maximum(np.maximum(x0 - x1[i], x0[i] - x1), 0)
        gap_y = np.maximum(np.maximum(y0 - y1[i], y0[i] - y1), 0)
        out[i] = bool((writing & (gap_x <= reach) & (gap_y <= reach)).any())
    return out
