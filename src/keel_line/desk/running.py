"""Reads the lines of text outside a page's tables."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from keel_line._shared.bands import clear_bands
from keel_line._shared.paper import flatten_light
from keel_line._shared.pulse import pulse
from keel_line._shared.reading_order import find_column_starts
from keel_line.desk.work import PageRequest, find_reader, load_original, unpack_picture
from keel_line.model.geometry import Box, Transform, unite
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import CharReading, Reading
from keel_line.read.real_text import lay_text
from keel_line.rule.pieces import texts_of
from keel_line.rule.rules import find_rules, make_rule_field
from keel_line.rule.turned import gather_text
from keel_line.rule.writing import Writing, find_writing

_WORD_GAP_CAPS = 2.0  # white within a line, at most
_AROUND_CAPS = 0.5
_AT_ONCE = 40


@dataclass(frozen=True)
class RunningRequest:
    """A request to read what stands outside the tables of a page.

    ``picture`` is the compressed picture of the squared page, ``page`` where its source is;
    ``taken`` are the boxes of its tables. Where ``real``, the source's own characters are taken.
    """

    page: PageRequest
    picture: bytes
    dpi: float
    transform: Transform
    taken: tuple[Box, ...]
    real: bool


@dataclass(frozen=True)
class RunningLine:
    """A line of text outside tables, with its characters' places (px of the squared page).

    ``cap_px`` is the height of its letters, ``confidence`` the probability (0 to 1) that it reads
    so.
    """

    text: str
    box: Box
    cap_px: float
    chars: tuple[CharReading, ...] = ()
    confidence: float = 1.0


def answer_running(request: RunningRequest, threads: int = 1) -> list[RunningLine]:
    """Read the lines outside a page's tables.

    Raises
    ------
    KeelLineError
        When the page's source or picture cannot be loaded.
    """
    return _take_text(request) if request.real else _read_ink(request, threads)


def _take_text(request: RunningRequest) -> list[RunningLine]:
    page = load_original(request.page)
    if page.text is None:
        return []
    text = lay_text(page.text, request.transform)
    writing = gather_text(text)
    said = texts_of(writing, text)
    inside = [_lies_in(tuple(box), request.taken) for box in writing.boxes.tolist()]
    out = []
    for run in _find_runs(writing, np.flatnonzero(~np.array(inside, bool)).tolist()):
        line = " ".join(said[k] for k in run if said[k]).strip()
        if line:
            out.append(RunningLine(line, _around(writing, run), writing.cap_px))
    return out


def _read_ink(request: RunningRequest, threads: int) -> list[RunningLine]:
    pixels = np.asarray(unpack_picture(request.picture), np.uint8)
    flat = clear_bands(flatten_light(pixels), request.dpi)
    rules = find_rules(make_rule_field(flat, request.dpi))
    writing = find_writing(flat, request.dpi, rules, list(request.taken))
    runs = _find_runs(writing, list(range(len(writing.boxes))))
    pad = _AROUND_CAPS * writing.cap_px
    places = [_around(writing, run) for run in runs]
    grids = []
    for x0, y0, x1, y1 in places:
        box = (max(0.0, x0 - pad), max(0.0, y0 - pad), x1 + pad, y1 + pad)
        grids.append(Grid(box, (box[0], box[2]), (box[1], box[3]), (Cell(0, 0, 1, 1, box),)))
    out = []
    reader = find_reader(threads)
    for first in range(0, len(grids), _AT_ONCE):
        pulse()
        own = places[first : first + _AT_ONCE]
        lines = grids[first : first + _AT_ONCE]
        readings = reader.read_page(pixels, request.dpi, lines, flat, prose=True)
        for box, (reading,) in zip(own, readings, strict=True):
            text = " ".join(reading.text.split())
            if text:
                cap = _find_cap(reading, writing.cap_px)
                out.append(RunningLine(text, box, cap, reading.chars, reading.confidence))
    return out


def _find_cap(reading: Reading, usual: float) -> float:
    """Return the height of a line's letters by that of its characters' boxes."""
    heights = [c.box[3] - c.box[1] for c in reading.chars if not c.char.isspace()]
    return float(np.median(heights)) if heights else usual


def _find_runs(writing: Writing, chosen: Sequence[int]) -> list[list[int]]:
    """Return the pieces of each line that stand close to one another, from left to right."""
    out: list[list[int]] = []
    own = np.array(chosen, np.int64)
    begins = np.zeros(len(writing.boxes), np.bool_)
    begins[own] = find_column_starts(writing.boxes[own], writing.lines[own], writing.cap_px)
    x0, x1 = writing.boxes[:, 0], writing.boxes[:, 2]
    for k in sorted(chosen, key=lambda k: (int(writing.lines[k]), float(x0[k]))):
        last = out[-1][-1] if out else None
        near = last is not None and writing.lines[last] == writing.lines[k] and not begins[k]
        if near and last is not None and x0[k] - x1[last] <= _WORD_GAP_CAPS * writing.cap_px:
            out[-1].append(k)
        else:
            out.append([k])
    return out


def _around(writing: Writing, run: Sequence[int]) -> Box:
    box: Box = tuple(writing.boxes[run[0]].tolist())
    for k in run[1:]:
        box = unite(box, tuple(writing.boxes[k].tolist()))
    return box


def _lies_in(box: Box, areas: Sequence[Box]) -> bool:
    x, y = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
    return any(a[0] <= x <= a[2] and a[1] <= y <= a[3] for a in areas)
