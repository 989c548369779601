"""Reads the line that a fax machine prints along a page's top: sender, time and page."""

from __future__ import annotations

import re
from dataclasses import dataclass

import cv2
import numpy as np

from keel_line._shared.paper import PAPER_LEVEL, Grey, flatten_light
from keel_line.model.geometry import Box
from keel_line.read.reader import Reader

_REACH_IN = 0.6
_HIGHEST_IN = 0.22
_LEAST_HIGH_IN = 0.045
_CLEAR_IN = 0.07
_LEAST_WIDE = 0.35
_GAP_IN = 0.03
_SPECK_IN = 0.028
_INK = 70
_LEAST_CHARS = 10

_DATE = re.compile(
    r"\b\d{1,4}[-./ ](?:\d{1,2}|[A-Za-z]{3,9})[-./ ]\d{2,4}\b"
    r"|\b[A-Za-z]{3,9}[ -]\d{1,2}[, -]+\d{4}\b"
)
_TIME = re.compile(r"\b\d{1,2}[:.]\d{2}(?:[:.]\d{2})?(?: ?[AaPp][Mm])?\b")
_PAGE = re.compile(
    r"\b(?:P(?:age|g)?\.?|S(?:eite)?\.?) ?[:.]? ?0*(\d{1,3})(?:\s?(?:/|of)\s?0*(\d{1,3}))?\b"
)
_OF = re.compile(r"\b0*(\d{1,3}) ?/ ?0*(\d{1,3})$")
_NUMBER = re.compile(r"\+?\(?\d[\d ()-]{5,}\d")


@dataclass(frozen=True)
class Strip:
    """A fax machine's line; parts that were not found are empty.

    ``text`` is the whole line as it reads.
    """

    text: str
    number: str = ""
    date: str = ""
    page: str = ""

    def describe(self) -> str:
        """Describe it in a few words; return the whole line if nothing was parsed."""
        parts = [
            f"from {self.number}" if self.number else "",
            self.date,
            f"page {self.page}" if self.page else "",
        ]
        said = ", ".join(p for p in parts if p)
        return f"Sent {said}" if self.date or self.number else f"Fax line: {self.text}"


def read_strip(grey: Grey, dpi: float, reader: Reader) -> Strip | None:
    """Read the line that a fax machine printed along a page's top.

    Parameters
    ----------
    grey
        The page as it came, in true proportions, shape (rows, cols): the machine prints its line
        straight however the paper lay.
    dpi
        Its resolution.
    reader
        Reads the line.

    Returns
    -------
    Strip or None
        None where no line stands by itself at the top.
    """
    top = flatten_light(np.ascontiguousarray(grey[: round(_REACH_IN * dpi)]))
    box = find_strip(top, dpi)
    if box is None:
        return None
    text, _ = reader.read_words(top, dpi, box)
    return parse_strip(text) if len(text) >= _LEAST_CHARS else None


def find_strip(top: Grey, dpi: float) -> Box | None:
    """Find the one line of writing at the very top, light evened out; None if there is none."""
    ink = (top < PAPER_LEVEL - _INK).astype(np.uint8)
    _, labels, table, _ = cv2.connectedComponentsWithStats(ink, connectivity=8)
    # What runs along an edge is the machine's shadow, not its writing.
    tall = table[:, cv2.CC_STAT_HEIGHT] > _HIGHEST_IN * dpi
    wide = table[:, cv2.CC_STAT_WIDTH] > 4 * _HIGHEST_IN * dpi
    specks = table[:, cv2.CC_STAT_HEIGHT] < _SPECK_IN * dpi
    kept = ~(tall | wide | specks)
    kept[0] = False
    rows = kept[labels].sum(axis=1) >= 3
    edges = np.flatnonzero(np.diff(np.concatenate([[0], rows.astype(np.int8), [0]])))
    runs: list[list[int]] = []
    for start, end in edges.reshape(-1, 2).tolist():
        if runs and start - runs[-1][1] <= _GAP_IN * dpi:
            runs[-1][1] = end
        else:
            runs.append([start, end])
    lines = [r for r in runs if r[1] - r[0] >= _LEAST_HIGH_IN * dpi]
    if not lines:
        return None
    start, end = lines[0]
    after = lines[1][0] if len(lines) > 1 else len(top)
    cols = np.flatnonzero(kept[labels[start:end]].any(axis=0))
    if (
        end - start > _HIGHEST_IN * dpi
        or after - end < _CLEAR_IN * dpi
        or end >= len(top) - 1
        or np.ptp(cols) < _LEAST_WIDE * top.shape[1]
    ):
        return None
    pad = round(0.02 * dpi)
    return (
        float(max(0, cols[0] - 2 * pad)),
        float(max(0, start - pad)),
        float(min(top.shape[1], cols[-1] + 2 * pad)),
        float(min(len(top), end + pad)),
    )


def parse_strip(text: str) -> Strip:
    """Parse number, date with time, and page from a fax machine's line."""
    rest = text
    date = _DATE.search(rest)
    if date:
        rest = rest.replace(date.group(), " ", 1)
    time = _TIME.search(rest)
    if time:
        rest = rest.replace(time.group(), " ", 1)
    page = _PAGE.search(rest) or _OF.search(rest.strip())
    if page:
        rest = rest.replace(page.group(), " ", 1)
    number = _NUMBER.search(rest)
    when = " ".join(m.group() for m in (date, time) if m)
    which = ""
    if page:
        which = page.group(1) + (f" of {page.group(2)}" if page.group(2) else "")
    return Strip(text, number.group().strip() if number else "", when, which)
