"""Puts pieces of writing together to tables, by the roles that they are thought to have."""

from __future__ import annotations

from dataclasses import dataclass
from heapq import heapify, heappop, heappush
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import Grid, LineDoubt
from keel_line.rule.pieces import WAYS
from keel_line.rule.roles import BODY, CAPTION, HEADING, NOTE, Roles
from keel_line.rule.writing import Writing

Ints = NDArray[np.int64]
_LIKELY, _LITTLE = 0.5, 0.02
_JOINED = 0.3  # lines of wrapped text are rarer in the training material than on paper
_END = 0.4  # an end is seldom wrong even where its line is unsure
_LEAST_CHANCE = 0.02
_UP, _LEFT = WAYS.index("up"), WAYS.index("left")
_LEAST_PIECES, _LEAST_SURE = 4, 0.88
_NARROW_CAPS = 0.3
_NEAR_CAPS = 5.0
_PAD_CAPS = 0.35
_WORDS_CAPS, _LEADING_CAPS = 1.8, 1.6
_TINY = 1e-6


@dataclass(frozen=True, eq=False)
class FoundTable:
    """The pieces of a table, line by line.

    Attributes
    ----------
    lines
        Numbers of the pieces of each text line, from the top down, each from the left.
    joins
        Of each line but the first, the probability (0 to 1) that it goes on with the row of the
        line before.
    headings
        How many lines at the top are heading.
    spans
        Of each piece of each line, whether it spans columns.
    same
        Of each piece of each line, the chance (0 to 1) that it stands in one cell with the piece
        left of it.
    """

    lines: tuple[Ints, ...]
    joins: tuple[float, ...]
    headings: int
    spans: tuple[NDArray[np.bool_], ...]
    same: tuple[NDArray[np.float64], ...]

    @property
    def joined(self) -> tuple[bool, ...]:
        """Of each line but the first, whether it goes on with the row of the line before."""
        return tuple(chance > _JOINED for chance in self.joins)

    @property
    def pieces(self) -> Ints:
        """Numbers of all pieces."""
        return np.concatenate(self.lines)


def find_tables(writing: Writing, roles: Roles) -> list[FoundTable]:
    """Find the tables of a page: pieces in tables, linked along lines and from line to line.

    What holds fewer than 4 pieces, or is no table with a chance of more than one in eight, is none.
    """
    within = roles.in_table > _LIKELY
    segments = _find_segments(writing, roles, within)
    groups = _gather(len(segments), _weigh_links(segments, roles))
    tables = [_make_table([segments[k] for k in own], writing, roles) for own in groups]
    # What machines leave along an edge is narrow; a value is seldom narrower than a letter.
    wide = writing.boxes[:, 2] - writing.boxes[:, 0] >= _NARROW_CAPS * writing.cap_px
    return [
        t
        for t in tables
        if int(wide[t.pieces].sum()) >= _LEAST_PIECES
        and float(roles.in_table[t.pieces].mean()) >= _LEAST_SURE
    ]


def _weigh_links(segments: list[Ints], roles: Roles) -> dict[tuple[int, int], float]:
    """Return what speaks for two segments to be of one table, in log odds, by their numbers."""
    number = np.full(len(roles.near) + 1, -1, np.int64)
    for k, segment in enumerate(segments):
        number[segment] = k
    out: dict[tuple[int, int], float] = {}
    for k, segment in enumerate(segments):
        above = number[roles.near[segment, _UP]]
        for other in np.unique(above[above >= 0]).tolist():
            odds = _log_odds(1 - roles.begins[segment[above == other]])
            out[other, k] = float(odds.sum())
        beside = int(number[roles.near[segment[0], _LEFT]])
        if beside >= 0:
            odds = _log_odds(1 - roles.parted[segment[:1]])
            out[beside, k] = out.get((beside, k), 0.0) + float(odds[0])
    return out


def _gather(count: int, links: dict[tuple[int, int], float]) -> list[list[int]]:
    """Return groups of ``count`` things: those most linked are joined first, their links added up.

    Two groups are joined as long as more speaks for it than against it (greedy additive edge
    contraction: Keuper and others, "Efficient decomposition of image and mesh graphs by lifted
    multicuts", ICCV 2015).
    """
    members = [[k] for k in range(count)]
    beside: list[dict[int, float]] = [{} for _ in range(count)]
    for (a, b), weight in links.items():
        beside[a][b] = beside[b][a] = weight
    heap = [(-weight, *pair) for pair, weight in links.items() if weight > 0]
    heapify(heap)
    while heap:
        weight, a, b = heappop(heap)
        if beside[a].get(b) != -weight:
            continue  # one of them was joined to another meanwhile
        if len(beside[a]) < len(beside[b]):
            a, b = b, a
        members[a] += members[b]
        members[b] = []
        for other, own in beside[b].items():
            del beside[other][b]
            if other == a:
                continue
            total = beside[a].get(other, 0.0) + own
            beside[a][other] = beside[other][a] = total
            if total > 0:
                heappush(heap, (-total, a, other))
        beside[b] = {}
    return [sorted(own) for own in members if own]


def _log_odds(chances: NDArray[np.float64]) -> NDArray[np.float64]:
    held = np.clip(chances, _LEAST_CHANCE, 1 - _LEAST_CHANCE)
    out: NDArray[np.float64] = np.log(held) - np.log(1 - held)
    return out


def take_all(writing: Writing, roles: Roles) -> FoundTable:
    """Make one table of all writing; its roles still tell rows, headings and spans."""
    return _make_table(
        [np.flatnonzero(writing.lines == n) for n in np.unique(writing.lines)], writing, roles
    )


def _find_segments(writing: Writing, roles: Roles, within: NDArray[np.bool_]) -> list[Ints]:
    """Return the runs of pieces on one line that stand in one table, from the top down."""
    out: list[Ints] = []
    for line in np.unique(writing.lines):
        own = np.flatnonzero(writing.lines == line)
        own = own[np.argsort(writing.boxes[own, 0])]
        run: list[int] = []
        for piece in own.tolist():
            if run and (not within[piece] or roles.parted[piece] > _LIKELY):
                out.append(np.array(run, np.int64))
                run = []
            if within[piece]:
                run.append(piece)
        if run:
            out.append(np.array(run, np.int64))
    return out


def _is_heading(pieces: Ints, roles: Roles) -> bool:
    lead = roles.roles[pieces, HEADING] - roles.roles[pieces, BODY]
    return bool(lead.mean() > 0)


def _make_table(segments: list[Ints], writing: Writing, roles: Roles) -> FoundTable:
    by_line: dict[int, list[Ints]] = {}
    for segment in segments:
        by_line.setdefault(int(writing.lines[segment[0]]), []).append(segment)
    lines = []
    for line in sorted(by_line):
        own = np.concatenate(by_line[line])
        lines.append(own[np.argsort(writing.boxes[own, 0])])
    joins = tuple(mean_chance(roles.joins[own]) for own in lines[1:])
    heading = [_is_heading(own, roles) for own in lines]
    headings = next((k for k, is_heading in enumerate(heading) if not is_heading), len(heading))
    spans = tuple(roles.spans[own] > _LIKELY for own in lines)
    same = tuple(roles.same_left[own] for own in lines)
    return FoundTable(tuple(lines), joins, headings, spans, same)


def mean_chance(chances: NDArray[np.float64]) -> float:
    """Return the chance (0 to 1) whose log odds are the mean of those of several chances."""
    held = np.clip(chances, 1e-4, 1 - 1e-4)
    return float(1.0 / (1.0 + np.exp(-np.log(held / (1 - held)).mean())))


def find_open(
    table: FoundTable, writing: Writing, roles: Roles, grid: Grid
) -> tuple[LineDoubt, ...]:
    """Return the boundaries of a laid out table that may not be where they are, and how likely.

    A row's boundary is in doubt where its lines may go on with each other, or may not, and where
    another table may begin; an outer one where a line in the table may be none of it, or one beside
    it may; a heading's where it may span other columns than it does.
    """
    out = []
    row = 0
    rest = zip(table.lines[1:], table.joins, table.joined, strict=True)
    for number, (line, chance, joined) in enumerate(rest, 1):
        row += not joined
        at = min(max(row, 1), grid.rows)
        why = f"Row {row + 1} may be two" if joined else "This may not be a separate row"
        out.append(LineDoubt("across", at, why, min(chance, 1 - chance)))
        begins = float(roles.begins[line].mean()) if number > table.headings else 0.0
        out.append(LineDoubt("across", at, "Another table may begin here", min(begins, 0.5)))
        out.append(_doubt_spans(line, roles, at))
    out.append(_doubt_spans(table.lines[0], roles, 0))
    for index, own, step in ((0, table.lines[0], -1), (grid.rows, table.lines[-1], 1)):
        level = writing.lines == int(writing.lines[own[0]]) + step
        over = (writing.boxes[:, 0] < grid.box[2]) & (writing.boxes[:, 2] > grid.box[0])
        beyond = float(roles.in_table[level & over].max(initial=0.0))
        chance = _END * max(1.0 - float(roles.in_table[own].mean()), min(beyond, 1 - beyond))
        out.append(LineDoubt("across", index, "Unsure where this table begins and ends", chance))
    return tuple(_keep_likeliest(out))


def _doubt_spans(line: Ints, roles: Roles, row: int) -> LineDoubt:
    own = roles.spans[line]
    why = "A heading here may stand over other columns"
    return LineDoubt("across", row, why, float(np.minimum(own, 1 - own).max()))


def _keep_likeliest(doubts: list[LineDoubt]) -> list[LineDoubt]:
    """Return for each boundary its likeliest doubt, if there is any to speak of."""
    best: dict[int, LineDoubt] = {}
    for doubt in doubts:
        other = best.get(doubt.index)
        if doubt.chance >= _LITTLE and (other is None or other.chance < doubt.chance):
            best[doubt.index] = doubt
    return [best[k] for k in sorted(best)]


def count_headings(grid: Grid, writing: Writing, roles: Roles) -> int:
    """Return how many rows at a grid's top are its heading, by the roles of what stands in them."""
    x0, _, x1, _ = grid.box
    x = (writing.boxes[:, 0] + writing.boxes[:, 2]) / 2
    y = (writing.boxes[:, 1] + writing.boxes[:, 3]) / 2
    within = (x >= x0) & (x <= x1)
    wide = roles.spans > _LIKELY
    lead = np.log(roles.roles[:, HEADING] + _TINY) - np.log(roles.roles[:, BODY] + _TINY)
    count = bars = 0
    for row, (top, foot) in enumerate(pairwise(grid.y_lines)):
        inside = within & (y >= top) & (y < foot)
        own = lead[inside]
        if len(own) and own.mean() <= 0:
            break
        if len(own):
            count = row + 1
            # A section's name right under the heading is none of it.
            bars = bars + 1 if len(own) == 1 and wide[inside].all() else 0
    return min(count - bars if bars < count else count, grid.rows)


def find_beside(boxes: list[Box], writing: Writing, roles: Roles, role: int) -> list[Box | None]:
    """Return for each table the box around its caption, or its notes; None where it has none.

    ``boxes`` are the tables'; ``role`` is ``CAPTION`` or ``NOTE``. Lines of that role that stand
    close below each other go to the table that they stand nearest to, above or below it. A table
    has one caption; each line is in it as far as nothing parts it.
    """
    cap = writing.cap_px
    chosen = roles.roles.argmax(axis=1) == role
    runs = [run for run in _find_runs(writing, roles) if chosen[run].any()]
    own: list[list[tuple[float, Ints]]] = [[] for _ in boxes]
    for block in _find_blocks(runs, writing):
        pieces = block if role == CAPTION else block[chosen[block]]
        x0, y0, x1, y1 = _box_around(writing.boxes[pieces])
        best, nearest = -1, _NEAR_CAPS * cap * (2 if role == NOTE else 1)
        for k, box in enumerate(boxes):
            if min(box[2], x1) - max(box[0], x0) <= 0:
                continue
            away = max(box[1] - y1, y0 - box[3], 0.0)
            if role == CAPTION and y0 > box[3]:
                away *= 1.5  # a caption stands more often above
            if away < nearest:
                best, nearest = k, away
        if best >= 0:
            own[best].append((nearest, pieces))
    out: list[Box | None] = []
    pad = _PAD_CAPS * cap
    for blocks in own:
        if not blocks:
            out.append(None)
            continue
        kept = sorted(blocks, key=lambda block: block[0])[: 1 if role == CAPTION else None]
        x0, y0, x1, y1 = _box_around(writing.boxes[np.concatenate([block for _, block in kept])])
        out.append((x0 - pad, y0 - pad, x1 + pad, y1 + pad))
    return out


def _find_blocks(runs: list[Ints], writing: Writing) -> list[Ints]:
    """Return the pieces of runs that stand close below each other, block by block."""
    blocks: list[tuple[Ints, Box]] = []
    for run in runs:  # from the top down
        box = _box_around(writing.boxes[run])
        for k, (above, last) in enumerate(blocks):
            beside = min(last[2], box[2]) - max(last[0], box[0]) > 0
            if beside and box[1] - last[3] <= _LEADING_CAPS * writing.cap_px:
                blocks[k] = (np.concatenate([above, run]), box)
                break
        else:
            blocks.append((run, box))
    return [block for block, _ in blocks]


def _find_runs(writing: Writing, roles: Roles) -> list[Ints]:
    """Return the runs of pieces outside tables that stand close to each other on a line."""
    out: list[Ints] = []
    outside = roles.in_table <= _LIKELY
    for line in np.unique(writing.lines):
        own = np.flatnonzero((writing.lines == line) & outside)
        own = own[np.argsort(writing.boxes[own, 0])]
        gaps = writing.boxes[own[1:], 0] - writing.boxes[own[:-1], 2]
        out += np.split(own, np.flatnonzero(gaps > _WORDS_CAPS * writing.cap_px) + 1)
    return [run for run in out if len(run)]


def _box_around(boxes: NDArray[np.float64]) -> Box:
    x0, y0 = boxes[:, :2].min(axis=0).tolist()
    x1, y1 = boxes[:, 2:].max(axis=0).tolist()
    return (x0, y0, x1, y1)
