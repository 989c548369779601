"""Reads cells of a page with real text: the file's characters, checked against the ink."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box, Transform
from keel_line.model.grid import Grid
from keel_line.model.page import UNKNOWN, PageText
from keel_line.model.reading import CharReading, Reading, RunnerUp

MODEL = "real text"
"""Stands in place of the recogniser's hash in readings that come from a file's own text."""

_LIES = 2e-4  # how often a file's text is not what it shows: letters mapped wrongly, hidden text
_SAME_LINE_CAPS = 0.8
_GAP_CAPS, _TURNED_GAP = 0.3, 0.22
_MOST_RUNNERS_UP = 5
_DOUBT = 0.995
_ALIKE = str.maketrans({"’": "'", "‘": "'", "–": "-", "—": "-", "−": "-", "º": "°", "“": '"'})


def lay_text(text: PageText, transform: Transform) -> PageText:
    """Return a page's text projected onto the squared page; its lines stay level."""
    boxes = text.boxes
    first = transform.to_squared(boxes[:, :2])
    last = transform.to_squared(boxes[:, 2:])
    laid = np.column_stack([np.minimum(first, last), np.maximum(first, last)])
    rules = []
    for rule in text.rules:
        ends = [(rule.start, rule.at(rule.start)), (rule.end, rule.at(rule.end))]
        points = ends if rule.direction == "across" else [(y, x) for x, y in ends]
        (ax, ay), (bx, by) = transform.to_squared(points).tolist()
        start, end, position = (
            (ax, bx, (ay + by) / 2) if rule.direction == "across" else (ay, by, (ax + bx) / 2)
        )
        rules.append(replace(rule, start=min(start, end), end=max(start, end), position=position))
    return replace(text, boxes=laid, rules=tuple(rules))


def read_real_text(text: PageText, grid: Grid, ink: Sequence[Reading]) -> list[Reading]:
    """Read a grid's cells from a page's own text.

    Parameters
    ----------
    text
        The characters in px of the squared page.
    grid
        The grid.
    ink
        What the recogniser made of each cell, along ``grid.cells``: where it surely says something
        else, the cell is doubted and its reading stands as the runner-up.

    Returns
    -------
    list of Reading
        Along ``grid.cells``.
    """
    middles = (text.boxes[:, :2] + text.boxes[:, 2:]) / 2
    out = []
    for cell, seen in zip(grid.cells, ink, strict=True):
        x0, x1 = grid.x_lines[cell.col], grid.x_lines[cell.col + cell.col_span]
        y0, y1 = grid.y_lines[cell.row], grid.y_lines[cell.row + cell.row_span]
        inside = ((middles >= (x0, y0)) & (middles < (x1, y1))).all(axis=1)
        out.append(_reconcile(*_set_lines(text, np.flatnonzero(inside)), seen))
    return out


def read_box(text: PageText, box: Box) -> str:
    """Return a page's own text in a box (px), on one line."""
    middles = (text.boxes[:, :2] + text.boxes[:, 2:]) / 2
    inside = ((middles >= box[:2]) & (middles < box[2:])).all(axis=1)
    return " ".join(_set_lines(text, np.flatnonzero(inside))[0].split())


def _set_lines(text: PageText, own: NDArray[np.int64]) -> tuple[str, tuple[CharReading, ...]]:
    """Order a cell's characters in lines and words; return the text and each with its place."""
    if len(own) == 0:
        return "", ()
    boxes = text.boxes
    turned = bool(text.is_turned[own].all())
    cap = float(np.median(boxes[own, 3] - boxes[own, 1]))
    thick = float((boxes[own, 2] - boxes[own, 0]).max())
    ordered = own if turned else own[np.argsort(boxes[own, 3], kind="stable")]
    # Turned letters are in the file's order: a line ends where the next stand beside it.
    parted = (
        np.minimum(boxes[own[1:], 2], boxes[own[:-1], 2])
        <= np.maximum(boxes[own[1:], 0], boxes[own[:-1], 0])
        if turned
        else np.diff(boxes[ordered, 3]) > _SAME_LINE_CAPS * cap
    )
    lines = np.split(ordered, np.flatnonzero(parted) + 1)
    said: list[str] = []
    chars: list[CharReading] = []
    for number, line in enumerate(lines):
        row = line if turned else line[np.argsort(boxes[line, 0], kind="stable")]
        words = ""
        for k, i in enumerate(row.tolist()):
            before = row[k - 1] if k else i
            spaced = text.spaced[i] if i == before + 1 else True
            gap = boxes[i, 0] - boxes[before, 2]
            if turned:  # between them the library sees white of its own
                gap = max(boxes[i, 1] - boxes[before, 3], boxes[before, 1] - boxes[i, 3])
                spaced = spaced and gap > _TURNED_GAP * thick
            if k and spaced and (i == before + 1 or gap > _GAP_CAPS * cap):
                words += " "
                place = (boxes[before, 2], boxes[i, 1], boxes[i, 0], boxes[i, 3])
                chars.append(CharReading(" ", 1.0, _rounded(place), number))
            words += text.chars[i]
            chars.append(CharReading(text.chars[i], 1.0, _rounded(boxes[i]), number))
        said.append(words)
    return "\n".join(said), tuple(chars)


def _rounded(place: Sequence[float] | NDArray[np.float64]) -> tuple[float, float, float, float]:
    x0, y0, x1, y1 = (round(float(v), 1) for v in place)
    return (x0, y0, x1, y1)


def _reconcile(said: str, chars: tuple[CharReading, ...], seen: Reading) -> Reading:
    """Weigh the file's text against the reading of its ink (Bayes' rule)."""
    if UNKNOWN in said:  # the file does not name all of it: the ink has the word
        return seen
    if _plain(said) == _plain(seen.text):
        return Reading(said, 1.0 - _LIES / 10, chars, model=MODEL, unread=seen.unread)
    right = (1.0 - _LIES) * (1.0 - seen.confidence)
    confidence = right / (right + _LIES * seen.confidence)
    others = (RunnerUp(seen.text, seen.confidence), *seen.runners_up)
    runners_up = tuple(r for r in others if r.text != said)[:_MOST_RUNNERS_UP]
    reasons = ("The file's text and its ink differ.",) if confidence < _DOUBT else ()
    # What the ink's own reading left over may be in the file's text.
    unread = () if said else seen.unread
    return Reading(said, confidence, chars, runners_up, reasons, model=MODEL, unread=unread)


def _plain(text: str) -> str:
    """Return a text without spaces, with look-alike marks replaced by one of them."""
    return "".join(text.split()).translate(_ALIKE)
