"""Lines of text inside a cell: where each runs, its baseline and the height of its capitals."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from keel_line.read.ink import CellInk

_LEAST_APART = 1.0  # heights of capitals from one line's middle to the next
_ONE_BAND = 0.35  # bands that overlap by more of the smaller one are one


@dataclass(frozen=True)
class TextLine:
    """One line of text in px of its cell.

    ``top`` and ``bottom`` bound the rows that belong to it, ``left`` and ``right`` its ink.
    ``cap_px`` is the height of capitals and figures; ``sure`` whether baseline and height were
    seen on enough of the line's own letters.
    """

    top: int
    bottom: int
    left: int
    right: int
    baseline: float
    cap_px: float
    sure: bool


def guess_cap_px(parts: NDArray[np.int32], dpi: float) -> float:
    """Guess the height of a page's capitals from the parts of its ink.

    ``parts`` has rows x, y, width, height, area. Small letters make the lower of two peaks, so the
    guess is the upper third of the heights that letters of 5 to 20 point may have.
    """
    heights = parts[:, 3] if len(parts) else np.zeros(0)
    fit = heights[(heights >= dpi * 0.035) & (heights <= dpi * 0.2)]
    return float(np.percentile(fit, 65)) if len(fit) >= 5 else dpi * 0.1


def find_lines(ink: CellInk, cap_px: float) -> list[TextLine]:
    """Split a cell's writing into lines, from the top down.

    ``cap_px`` is the usual height of capitals around the cell; it decides what is an accent or a
    dot and for lines that have no capital or figure of their own.
    """
    bands = _bands(ink, cap_px)
    edges = [0]
    edges += [(a[1] + b[0]) // 2 for a, b in zip(bands, bands[1:], strict=False)]
    edges.append(ink.mask.shape[0])
    return [_measure(ink, band, (edges[i], edges[i + 1]), cap_px) for i, band in enumerate(bands)]


def _bands(ink: CellInk, cap_px: float) -> list[tuple[int, int]]:
    """Return (top, bottom) of each run of inked rows, dots and accents with their letters."""
    tall = ink.parts[ink.parts[:, 3] >= 0.4 * cap_px]
    body = tall if len(tall) else ink.parts
    spans = sorted((int(y), int(y + h)) for y, h in body[:, [1, 3]])
    bands: list[list[int]] = []
    for top, bottom in spans:
        # Letters of one line overlap in most of their height; those of two lines do not.
        if bands:
            if not len(tall) and bottom - bands[-1][0] <= cap_px:  # the strokes of an equals sign
                bands[-1][1] = max(bands[-1][1], bottom)
                continue
            overlap = min(bands[-1][1], bottom) - top
            if overlap > 0.3 * min(bottom - top, bands[-1][1] - bands[-1][0]):
                bands[-1][1] = max(bands[-1][1], bottom)
                continue
        bands.append([top, bottom])
    if len(tall):
        small = ink.parts[ink.parts[:, 3] < 0.4 * cap_px]
        for _, y, _, h, _ in small:
            middle = y + h / 2
            off = [max(b[0] - middle, middle - b[1], 0.0) for b in bands]
            near = int(np.argmin(off))
            if off[near] < 0.75 * cap_px:
                bands[near] = [min(bands[near][0], int(y)), max(bands[near][1], int(y + h))]
            else:
                bands.append([int(y), int(y + h)])
    bands.sort()
    merged: list[list[int]] = []
    for band in bands:
        if merged and (_overlap(merged[-1], band) or _are_one_line(tall, merged[-1], band, cap_px)):
            merged[-1][1] = max(merged[-1][1], band[1])
        else:
            merged.append(band)
    return [(a, b) for a, b in merged]


def _overlap(upper: list[int], lower: list[int]) -> bool:
    """Return whether two bands overlap so much that they are one."""
    return lower[0] < upper[1] - _ONE_BAND * min(lower[1] - lower[0], upper[1] - upper[0])


def _are_one_line(
    letters: NDArray[np.int32], upper: list[int], lower: list[int], cap_px: float
) -> bool:
    """Return whether two bands are one line: a tail below its letters, or a mark above them.

    The letters of a turned word are as close, but each stands alone in its band.
    """
    if sum(lower) - sum(upper) >= 2 * _LEAST_APART * cap_px:
        return False
    middles = letters[:, 1] + letters[:, 3] / 2
    for top, bottom in (upper, lower):
        own = letters[(middles >= top) & (middles <= bottom)]
        if len(own) > 1 and int(own[:, 0].max()) >= int((own[:, 0] + own[:, 2]).min()):
            return True
    return False


def _measure(ink: CellInk, band: tuple[int, int], rows: tuple[int, int], cap_px: float) -> TextLine:
    centres = ink.parts[:, 1] + ink.parts[:, 3] / 2
    own = ink.parts[(centres >= band[0]) & (centres <= band[1])]
    if len(own) == 0:
        own = ink.parts
    left, right = int(own[:, 0].min()), int((own[:, 0] + own[:, 2]).max())
    letters = own[(own[:, 3] >= 0.5 * cap_px) & (own[:, 3] <= 1.9 * cap_px)]
    # Brackets and strokes are tall and narrow, and hang below the line.
    brackets = (letters[:, 3] > 1.12 * cap_px) & (letters[:, 2] < 0.36 * letters[:, 3])
    if not brackets.all():
        letters = letters[~brackets]
    bottoms = letters[:, 1] + letters[:, 3]
    if len(letters) == 0:
        # Only stops, dashes or marks: the baseline must come from the row (see reader).
        middle = (band[0] + band[1]) / 2
        return TextLine(*rows, left, right, middle + cap_px / 2, cap_px, sure=False)
    baseline = _mode(bottoms.astype(float), 0.1 * cap_px)
    on_line = letters[np.abs(bottoms - baseline) <= 0.12 * cap_px + 1]
    tallest = _tallest(on_line[:, 3]) if len(on_line) else cap_px
    # Within a seventh of the usual height the line's own letters say best how high they are;
    # lower ones are small letters without a capital among them.
    cap = tallest if 0.86 * cap_px <= tallest else cap_px
    if tallest < 0.55 * cap_px:
        cap = max(tallest, 0.6 * cap_px)
    return TextLine(*rows, left, right, baseline, cap, sure=len(on_line) >= 2)


def _tallest(heights: NDArray[np.int32]) -> float:
    """Height of the tallest letters, but for one that stands out (a bracket, a struck letter)."""
    ordered = np.sort(heights)[::-1].astype(float)
    if len(ordered) > 2 and ordered[0] > 1.2 * ordered[1]:
        return float(ordered[1])
    return float(ordered[: 2 if len(ordered) > 3 else 1].mean())


def usual_cap_px(lines: list[TextLine], fallback: float) -> float:
    """Return the usual height of capitals among lines that have letters enough to tell."""
    seen = [line.cap_px for line in lines if line.sure]
    return float(np.median(seen)) if len(seen) >= 3 else fallback


def _mode(values: NDArray[np.float64], width: float) -> float:
    """Return the middle of the densest stretch of ``width`` among the values."""
    ordered = np.sort(values)
    ends = np.searchsorted(ordered, ordered + max(width, 1.0), side="right")
    counts = ends - np.arange(len(ordered))
    best = int(counts.argmax())
    first, last = best + (counts[best] - 1) // 2, best + counts[best] // 2
    return float(ordered[first] + ordered[last]) / 2
