"""Finds each table's caption, or its title, among the lines above and below it; and its notes.

What may be a caption is one line or several, next to a table or with a line or two between. All
that speaks for each is weighed at once: what the network thinks of its lines and of the next ones,
what they say, and where they stand. A small perceptron makes chances of it;
``training.captions`` fits it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.rule.perceptron import MOST_ODDS, Perceptron, load_perceptron, log_odds
from keel_line.rule.roles import CAPTION, NOTE, OUTSIDE, Roles
from keel_line.rule.sayings import CODE, ENDS, FIRST_WORD, IS_KNOWN, LENGTH
from keel_line.rule.writing import Writing, box_around, lie_outside

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_MODEL = Path(__file__).parent / "data" / "captions.json"
_LIKELY = 0.5
_NEAR_CAPS, _PAD_CAPS = 10.0, 0.35
_WORDS_CAPS, _LEADING_CAPS = 1.8, 1.6
_AWAY_CAPS, _PASSED_CAPS, _LOOSE_CAPS, _ASIDE_CAPS = 8.0, 4.0, 2.6, 2.5
_PASSED, _MOST_LINES = 2, 6  # lines between a table and its caption, lines of a caption
_FAR, _MOST_OFF = 20.0, 8.0
_NONE_ODDS = -0.5  # a doubtful caption is right more often than none
_TITLE_CAPS, _MOST_TITLES = 4.0, 2

_LINE = (
    "caption, mean",
    "caption, least",
    "note",
    "outside",
    "in a table",
    "known",
    "names a table",
    "numbered",
    "begins small",
    "begins large",
    "begins with a figure",
    "begins as a note",
    "begins as an item",
    "signs of code",
    "length",
    "ends with a stop",
    "ends with a comma",
    "ends with a colon",
    "ends open",
)
_CAPTION, _LEAST, _NOTE, _IN_TABLE, _NAMED, _SMALL, _LARGE, _STOP = (
    _LINE.index(name)
    for name in (
        "caption, mean",
        "caption, least",
        "note",
        "in a table",
        "names a table",
        "begins small",
        "begins large",
        "ends with a stop",
    )
)
_BARE = np.zeros(len(_LINE))  # in place of a line where there is none
_BARE[[_CAPTION, _LEAST, _NOTE, _IN_TABLE]] = -MOST_ODDS

MEASURES = (
    "below",
    "lines",
    "parts on one line",
    "lines between",
    *(f"first line: {name}" for name in _LINE),
    *(f"last line: {name}" for name in _LINE),
    "caption, mean",
    "caption, least",
    "note, mean",
    "in a table, most",
    "further lines begin large",
    "further lines begin small",
    "a further line names a table",
    "a line but the last ends with a stop",
    *(f"next line: {name}" for name in _LINE),
    "next part on the same line",
    *(f"line between: {name}" for name in _LINE),
    "away from the table",
    "room after",
    "room before",
    "room to the next table",
    "room within, most",
    "left edge",
    "left edge, off",
    "middle",
    "middle, off",
    "right edge",
    "width",
    "first line to the widest",
    "last line to the widest",
    "height of lines",
    "caption, most on this side",
    "caption, most on the other side",
    "names a table, on this side",
    "names a table, on the other side",
    "another table on this side",
    "the only table",
)
"""The names of the numbers that describe a possible caption; the model weighs them."""

_PLACE = [
    MEASURES.index(name)
    for name in (
        "below",
        "lines",
        "lines between",
        "away from the table",
        "room after",
        "room to the next table",
        "another table on this side",
    )
]
_ENDED = [MEASURES.index(f"last line: ends with a {end}") for end in ("stop", "comma", "colon")]


@dataclass(frozen=True, eq=False)
class Option:
    """One possible caption: its pieces' numbers, and a value for each of ``MEASURES``."""

    pieces: Ints
    measures: Floats


@dataclass(frozen=True, eq=False)
class _Lines:
    """The lines outside tables: their pieces' numbers, their boxes (n, 4), and ``_LINE`` of each.

    What stands on one line with wide room between is several lines here.
    """

    pieces: tuple[Ints, ...]
    boxes: Floats
    measures: Floats


@dataclass(frozen=True, eq=False)
class _Side:
    """The lines on one side of a table, from the nearest on.

    ``gaps`` is the room (heights of capitals) before each of them and after the last, which is that
    to the next table where there is one (``bounded``).
    """

    below: bool
    numbers: Ints
    gaps: Floats
    bounded: bool


def find_captions(boxes: Sequence[Box], writing: Writing, roles: Roles) -> list[Box | None]:
    """Return for each table the box around its caption or title; None where it has none.

    ``boxes`` are the tables'. No line is the caption of two.
    """
    options = list_options(boxes, writing, roles)
    chosen = choose(options, load_perceptron(_MODEL))
    taken = {k for option in chosen if option is not None for k in option.pieces.tolist()}
    found: list[Box | None] = []
    for table, own_options, likeliest in zip(boxes, options, chosen, strict=True):
        option = likeliest or _find_title(own_options, writing, taken)
        if option is None:
            found.append(None)
            continue
        own = writing.boxes[option.pieces]
        x0, y0, x1, y1 = _pad(own, writing.cap_px)
        below = own[:, 1].min() > (table[1] + table[3]) / 2
        y0, y1 = (max(y0, table[3]), y1) if below else (y0, min(y1, table[1]))
        found.append((x0, y0, x1, y1))
    return found


def _find_title(options: Sequence[Option], writing: Writing, taken: set[int]) -> Option | None:
    """Return the line above a table that is its title by where it stands alone, or None.

    It is the last of the one or two lines that a page begins with, or the only one between two
    tables and nearer to the lower one, and does not end as a sentence does.
    """
    for option in options:
        below, lines, between, away, after, to_table, bounded = option.measures[_PLACE]
        if below or lines > 1 or between or np.expm1(away) > _TITLE_CAPS:
            continue
        top = writing.boxes[option.pieces, 1].min()
        first = len(np.unique(writing.lines[writing.boxes[:, 3] < top])) < _MOST_TITLES
        alone = bool(bounded) and after == to_table and away < after
        ended = option.measures[_ENDED].any()
        if (first or alone) and not ended and not taken & set(option.pieces.tolist()):
            return option
    return None


def choose(options: Sequence[Sequence[Option]], model: Perceptron) -> list[Option | None]:
    """Return the likeliest option of each table, or None where having no caption is likelier.

    Where two tables could take the same line, the one with the higher chance gets it.
    """
    ranked: list[tuple[float, int, Option | None]] = []
    for table, own in enumerate(options):
        odds = model.find_odds(np.array([o.measures for o in own])) if own else np.zeros(0)
        every = np.append(odds, _NONE_ODDS)
        raised = np.exp(every - every.max())
        chances = (raised / raised.sum()).tolist()
        ranked += [(c, table, o) for c, o in zip(chances, (*own, None), strict=True)]
    out: dict[int, Option | None] = {}
    used: set[int] = set()
    for _, table, option in sorted(ranked, key=lambda r: -r[0]):
        pieces = set() if option is None else set(option.pieces.tolist())
        if table not in out and not pieces & used:
            out[table] = option
            used |= pieces
    return [out[table] for table in range(len(options))]


def list_options(boxes: Sequence[Box], writing: Writing, roles: Roles) -> list[list[Option]]:
    """Return all possible captions of each table, with their measures."""
    lines, cap = _find_lines(boxes, writing, roles), writing.cap_px
    out: list[list[Option]] = []
    for number, table in enumerate(boxes):
        others = [b for k, b in enumerate(boxes) if k != number]
        sides = [_look(table, others, lines, cap, below=below) for below in (False, True)]
        own: list[Option] = []
        for side, other in (sides, sides[::-1]):
            mine, beyond = _sum_up(side, lines), _sum_up(other, lines)
            known = [mine[0], beyond[0], mine[1], beyond[1]]
            known += [float(side.bounded), float(not others)]
            own += _list_on(side, table, lines, known, cap)
        out.append(own)
    return out


def _find_lines(boxes: Sequence[Box], writing: Writing, roles: Roles) -> _Lines:
    cap = writing.cap_px
    gutters = [
        (a[2], b[0], min(a[1], b[1]) - _AWAY_CAPS * cap, max(a[3], b[3]) + _AWAY_CAPS * cap)
        for a in boxes
        for b in boxes
        if a[2] < b[0] and min(a[3], b[3]) > max(a[1], b[1])
    ]
    pieces = tuple(_find_runs(writing, lie_outside(writing.boxes, boxes), gutters))
    around = np.array([box_around(writing.boxes[run]) for run in pieces]).reshape(-1, 4)
    measures = np.array([_measure_line(run, roles) for run in pieces]).reshape(-1, len(_LINE))
    return _Lines(pieces, around, measures)


def _measure_line(run: Ints, roles: Roles) -> list[float]:
    """Return a value for each name in ``_LINE``."""
    first, last = roles.said[run[0]], roles.said[run[-1]]
    caption, note, outside = (log_odds(roles.roles[run, r]) for r in (CAPTION, NOTE, OUTSIDE))
    return [
        float(caption.mean()),
        float(caption.min()),
        float(note.mean()),
        float(outside.mean()),
        float(log_odds(roles.in_table[run]).mean()),
        float(first[IS_KNOWN]),
        *first[list(FIRST_WORD)].tolist(),
        float(first[CODE]),
        float(np.log1p(np.expm1(roles.said[run, LENGTH]).sum())),
        *last[list(ENDS)].tolist(),
    ]


def _look(table: Box, others: Sequence[Box], lines: _Lines, cap: float, *, below: bool) -> _Side:
    """Return the lines above a table, or below it, as far as the next table."""
    # Upside down, the lines above are what those below are.
    sign = 1.0 if below else -1.0
    nearer, further = (1, 3) if below else (3, 1)
    edge, far = sign * table[further], np.inf
    for box in others:
        if min(box[2], table[2]) > max(box[0], table[0]) and sign * (box[1] + box[3]) / 2 > edge:
            far = min(far, sign * box[nearer])
    left, right = table[0] - _ASIDE_CAPS * cap, table[2] + _ASIDE_CAPS * cap
    middles = sign * (lines.boxes[:, 1] + lines.boxes[:, 3]) / 2
    own = np.flatnonzero(
        (lines.boxes[:, 0] < right)
        & (lines.boxes[:, 2] > left)
        & (middles > edge)
        & (middles < far)
    )
    # From left to right below a table, and so the other way above it.
    own = own[np.lexsort((sign * lines.boxes[own, 0], np.round(middles[own] / (0.5 * cap))))]
    own = own[: _PASSED + _MOST_LINES + 1]
    starts = np.append(sign * lines.boxes[own, nearer], far)
    ends = np.insert(sign * lines.boxes[own, further], 0, edge)
    return _Side(below, own, np.minimum((starts - ends) / cap, _FAR), bool(np.isfinite(far)))


def _sum_up(side: _Side, lines: _Lines) -> tuple[float, float]:
    """Return the highest caption odds among these lines, and 1 if one begins as "Table" does."""
    own = lines.measures[side.numbers]
    return (
        float(own[:, _CAPTION].max(initial=-MOST_ODDS)),
        float(own[:, _NAMED].max(initial=0.0)),
    )


def _list_on(
    side: _Side, table: Box, lines: _Lines, known: Sequence[float], cap: float
) -> Iterator[Option]:
    """Yield the possible captions on one side of a table.

    ``known`` are the last measures, the same for all of them.
    """
    away = 0.0
    for first in range(min(len(side.numbers), _PASSED + 1)):
        away += max(float(side.gaps[first]), 0.0)
        if away > _AWAY_CAPS + _PASSED_CAPS * first:
            return
        for last in range(first, min(len(side.numbers), first + _MOST_LINES)):
            if last > first and side.gaps[last] > _LOOSE_CAPS:
                break
            own = side.numbers[first : last + 1]
            own = own if side.below else own[::-1]
            measures = [
                *_measure_says(side, first, last, lines.measures, lines.measures[own]),
                np.log1p(away),
                *_measure_room(side, first, last),
                *_measure_place(lines.boxes[own], table, cap),
                *known,
            ]
            pieces = np.concatenate([lines.pieces[k] for k in own])
            yield Option(pieces, np.array(measures, float))


def _measure_says(side: _Side, first: int, last: int, every: Floats, own: Floats) -> list[float]:
    """Measure the texts and roles of a possible caption.

    ``own`` has its lines from the top down, ``every`` all lines of the page.
    """
    further, before = own[1:], own[:-1]
    beyond = every[side.numbers[last + 1]] if last + 1 < len(side.numbers) else _BARE
    between = every[side.numbers[first - 1]] if first else _BARE
    beside = last + 1 < len(side.numbers) and side.gaps[last + 1] < 0
    return [
        float(side.below),
        float(len(own)),
        float((side.gaps[first + 1 : last + 1] < 0).sum()),
        float(first),
        *own[0].tolist(),
        *own[-1].tolist(),
        float(own[:, _CAPTION].mean()),
        float(own[:, _CAPTION].min()),
        float(own[:, _NOTE].mean()),
        float(own[:, _IN_TABLE].max()),
        float(further[:, _LARGE].mean()) if len(further) else 0.0,
        float(further[:, _SMALL].mean()) if len(further) else 0.0,
        float(further[:, _NAMED].max(initial=0.0)),
        float(before[:, _STOP].max(initial=0.0)),
        *beyond.tolist(),
        float(beside),
        *between.tolist(),
    ]


def _measure_room(side: _Side, first: int, last: int) -> list[float]:
    gaps = np.maximum(side.gaps, 0.0)
    after, before = gaps[last + 1], gaps[first]
    within = gaps[first + 1 : last + 1].max(initial=0.0)
    to_table = gaps[last + 1 :].sum() if side.bounded else _FAR
    return [float(np.log1p(room)) for room in (after, before, min(to_table, _FAR), within)]


def _measure_place(own: Floats, table: Box, cap: float) -> list[float]:
    """Measure a possible caption's width, and how far it is from its table's edges."""
    x0, _, x1, _ = box_around(own)
    left, _, right, _ = table
    wide = max(right - left, cap)
    edge, middle, end = (
        float(np.clip(d / cap, -_MOST_OFF, _MOST_OFF))
        for d in (x0 - left, (x0 + x1 - left - right) / 2, x1 - right)
    )
    widths = own[:, 2] - own[:, 0]
    widest = max(float(widths.max()), wide)
    return [
        edge,
        abs(edge),
        middle,
        abs(middle),
        end,
        float(np.log((x1 - x0) / wide)),
        float(widths[0]) / widest,
        float(widths[-1]) / widest,
        float(np.log((own[:, 3] - own[:, 1]).mean() / cap)),
    ]


def find_notes(
    boxes: Sequence[Box], writing: Writing, roles: Roles, taken: Sequence[Box]
) -> list[Box | None]:
    """Return for each table the box around its notes; None where it has none.

    Notes that stand close below each other go to the table that they stand nearest to, above or
    below it. What lies in ``taken`` is left out.
    """
    cap = writing.cap_px
    chosen = roles.roles.argmax(axis=1) == NOTE
    outside = (roles.in_table <= _LIKELY) & lie_outside(writing.boxes, taken)
    runs = [run for run in _find_runs(writing, outside) if chosen[run].any()]
    own: list[list[Ints]] = [[] for _ in boxes]
    for block in _find_blocks(runs, writing):
        pieces = block[chosen[block]]
        x0, y0, x1, y1 = box_around(writing.boxes[pieces])
        best, nearest = -1, _NEAR_CAPS * cap
        for k, box in enumerate(boxes):
            away = max(box[1] - y1, y0 - box[3], 0.0)
            if min(box[2], x1) > max(box[0], x0) and away < nearest:
                best, nearest = k, away
        if best >= 0:
            own[best].append(pieces)
    return [_pad(writing.boxes[np.concatenate(p)], cap) if p else None for p in own]


def _pad(boxes: Floats, cap: float) -> Box:
    """Return the box around several boxes, a little larger on each side."""
    x0, y0, x1, y1 = box_around(boxes)
    pad = _PAD_CAPS * cap
    return (x0 - pad, y0 - pad, x1 + pad, y1 + pad)


def _find_blocks(runs: list[Ints], writing: Writing) -> list[Ints]:
    """Make blocks of runs that stand close below each other; return the pieces of each block."""
    blocks: list[tuple[Ints, Box]] = []
    for run in runs:  # from the top down
        box = box_around(writing.boxes[run])
        for k, (above, last) in enumerate(blocks):
            beside = min(last[2], box[2]) - max(last[0], box[0]) > 0
            if beside and box[1] - last[3] <= _LEADING_CAPS * writing.cap_px:
                blocks[k] = (np.concatenate([above, run]), box)
                break
        else:
            blocks.append((run, box))
    return [block for block, _ in blocks]


def _find_runs(
    writing: Writing,
    outside: NDArray[np.bool_],
    gutters: Sequence[tuple[float, float, float, float]] = (),
) -> list[Ints]:
    """Return runs of the pieces that are ``outside``: close neighbours on one line.

    None goes on over a gutter between two tables: its left and right edge, its top and its foot.
    """
    out: list[Ints] = []
    for line in np.unique(writing.lines[outside]):
        own = np.flatnonzero((writing.lines == line) & outside)
        own = own[np.argsort(writing.boxes[own, 0])]
        ends, starts = writing.boxes[own[:-1], 2], writing.boxes[own[1:], 0]
        parted = starts - ends > _WORDS_CAPS * writing.cap_px
        height = float(writing.boxes[own, 1].mean())
        for left, right, top, foot in gutters:
            if top <= height <= foot:
                parted |= (np.minimum(starts, right) > np.maximum(ends, left)) & (starts > left)
        out += np.split(own, np.flatnonzero(parted) + 1)
    return out
