"""Puts pieces of writing together to tables, by the roles that they are thought to have."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from heapq import heapify, heappop, heappush
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Box
from keel_line.model.grid import Grid, LineDoubt, Rule
from keel_line.rule.beside import are_parted, find_strips, part_at
from keel_line.rule.pieces import WAYS
from keel_line.rule.roles import BODY, HEADING, Roles
from keel_line.rule.writing import Writing, box_around

Ints = NDArray[np.int64]
_LIKELY, _LITTLE = 0.5, 0.02
_UNSURE = 0.4
_LEAST_CHANCE = 0.02
_UP, _LEFT = WAYS.index("up"), WAYS.index("left")
_LEAST_PIECES, _LEAST_SURE = 4, 0.88
_NARROW_CAPS = 0.3
_CLOSE_LINES = 2
_LEAST_LEVEL, _LEVEL, _AS_CLOSE = 3, 0.9, 1.15
_LEAST_RULES, _NEAR_RULE_CAPS = 2, 3.0
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
    ends
        The chances (0 to 1) that it begins, and ends, at another line.
    """

    lines: tuple[Ints, ...]
    joins: tuple[float, ...]
    headings: int
    spans: tuple[NDArray[np.bool_], ...]
    same: tuple[NDArray[np.float64], ...]
    ends: tuple[float, float] = (0.0, 0.0)

    @property
    def joined(self) -> tuple[bool, ...]:
        """Of each line but the first, whether it goes on with the row of the line before."""
        return tuple(chance > _LIKELY for chance in self.joins)

    @property
    def pieces(self) -> Ints:
        """Numbers of all pieces."""
        return np.concatenate(self.lines)


def find_tables(writing: Writing, roles: Roles, rules: Sequence[Rule] = ()) -> list[FoundTable]:
    """Find the tables of a page: pieces in tables, linked along lines and from line to line.

    What holds fewer than 4 pieces, or is no table with a chance of more than one in eight, is none.
    """
    within = roles.in_table > _LIKELY
    strips = find_strips(rules, writing)
    roles = part_at(strips, writing, roles)
    segments = _find_segments(writing, roles, within)
    groups = _gather(len(segments), _weigh_links(segments, roles))
    groups = _join_headings(groups, segments, writing, roles)
    groups = _join_level(groups, segments, writing, roles, rules, strips)
    tables = [make_table([segments[k] for k in own], writing, roles) for own in groups]
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


def _join_headings(
    groups: list[list[int]], segments: list[Ints], writing: Writing, roles: Roles
) -> list[list[int]]:
    """Join groups that are heading alone to the table close below them.

    A heading over several columns may stand above the white between them, so that no piece is
    right below it.
    """
    first, last = writing.boxes[:, 0], writing.boxes[:, 2]
    out = {group[0]: list(group) for group in groups}
    owner = {k: group[0] for group in groups for k in group}
    for group in groups:
        if not all(_is_heading(segments[k], roles) for k in group):
            continue
        own = np.concatenate([segments[k] for k in group])
        line = int(writing.lines[own].max())
        below = [
            k
            for k, segment in enumerate(segments)
            if 0 < int(writing.lines[segment[0]]) - line <= _CLOSE_LINES
            and last[segment].max() > first[own].min()
            and first[segment].min() < last[own].max()
        ]
        if below:
            nearest = min(below, key=lambda k: int(writing.lines[segments[k][0]]))
            table, heading = owner[nearest], owner[group[0]]
            if table != heading:
                out[table] = sorted(out.pop(heading) + out[table])
                owner.update(dict.fromkeys(out[table], table))
    return list(out.values())


def _join_level(
    groups: list[list[int]],
    segments: list[Ints],
    writing: Writing,
    roles: Roles,
    rules: Sequence[Rule],
    strips: Sequence[Box],
) -> list[list[int]]:
    """Join groups that stand level beside each other, as close as their own columns do.

    Tables beside each other stand far apart: a clerk has to see that they are two. What the same
    rules run over is one table all the same, but never what ``strips`` part.
    """
    plain = roles.spans <= _LIKELY
    out = [(own, np.concatenate([segments[k] for k in own])) for own in groups]
    out = sorted(out, key=lambda group: float(writing.boxes[group[1], 0].min()))
    k = 0
    while k < len(out):
        own, pieces = out[k]
        for other, (more, beside) in enumerate(out[k + 1 :], k + 1):
            halves = pieces[plain[pieces]], beside[plain[beside]]
            if _are_level(*halves, writing, rules) and not are_parted(*halves, writing, strips):
                out[k] = (sorted(own + more), np.concatenate([pieces, beside]))
                del out[other]
                break
        else:
            k += 1
    return [own for own, _ in out]


def _are_level(left: Ints, right: Ints, writing: Writing, rules: Sequence[Rule]) -> bool:
    """Return whether two groups share text lines, and are close or under the same rules."""
    first, second = set(writing.lines[left].tolist()), set(writing.lines[right].tolist())
    shared = first & second
    if len(shared) < max(_LEAST_LEVEL, _LEVEL * len(first | second)):
        return False
    between = float(writing.boxes[right, 0].min() - writing.boxes[left, 2].max())
    inner = max(_widest_white(writing.boxes[own]) for own in (left, right))
    close = between <= _AS_CLOSE * inner or _are_ruled_together(left, right, writing, rules)
    return between >= 0.0 and close


def _are_ruled_together(left: Ints, right: Ints, writing: Writing, rules: Sequence[Rule]) -> bool:
    """Return whether two rules or more run over both groups, close to their lines."""
    x0, y0, x1, y1 = box_around(writing.boxes[np.concatenate([left, right])])
    near, count = _NEAR_RULE_CAPS * writing.cap_px, 0
    for rule in rules:
        if rule.direction == "across" and rule.start <= x0 and rule.end >= x1:
            count += y0 - near <= rule.at((x0 + x1) / 2) <= y1 + near
    return count >= _LEAST_RULES


def _widest_white(boxes: NDArray[np.float64]) -> float:
    """Return the widest gap (px) between columns of boxes, shape (n, 4)."""
    boxes = boxes[np.argsort(boxes[:, 0])]
    reach = np.maximum.accumulate(boxes[:, 2])
    return float((boxes[1:, 0] - reach[:-1]).max(initial=0.0))


def _log_odds(chances: NDArray[np.float64]) -> NDArray[np.float64]:
    held = np.clip(chances, _LEAST_CHANCE, 1 - _LEAST_CHANCE)
    out: NDArray[np.float64] = np.log(held) - np.log(1 - held)
    return out


def take_all(writing: Writing, roles: Roles) -> FoundTable:
    """Make one table of all writing; its roles still tell rows, headings and spans."""
    return make_table(
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


def make_table(segments: Sequence[Ints], writing: Writing, roles: Roles) -> FoundTable:
    """Make a table of segments. Each holds pieces of one line; their order does not matter."""
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
    spans = _judge_spans(lines, joins, headings, roles)
    same = tuple(roles.same_left[own] for own in lines)
    return FoundTable(tuple(lines), joins, headings, spans, same)


def _judge_spans(
    lines: Sequence[Ints], joins: Sequence[float], headings: int, roles: Roles
) -> tuple[NDArray[np.bool_], ...]:
    """Return of each piece of each line whether it spans columns.

    A piece alone on its row in a table's body is the name of a section. Where it is unsure whether
    one spans columns, the mean of all of them decides.
    """
    spans = [roles.spans[own] > _LIKELY for own in lines]
    alone = [
        k
        for k, own in enumerate(lines)
        if len(own) == 1 and k >= max(headings, 1) and joins[k - 1] <= _LIKELY
    ]
    if alone:
        wide = mean_chance(np.concatenate([roles.spans[lines[k]] for k in alone])) > _LIKELY
        for k in alone:
            if abs(float(roles.spans[lines[k]][0]) - _LIKELY) < _UNSURE:
                spans[k] = np.array([wide])
    return tuple(spans)


def mean_chance(chances: NDArray[np.float64]) -> float:
    """Return the chance (0 to 1) whose log odds are the mean of those of several chances."""
    held = np.clip(chances, 1e-4, 1 - 1e-4)
    return float(1.0 / (1.0 + np.exp(-np.log(held / (1 - held)).mean())))


def find_open(table: FoundTable, roles: Roles, grid: Grid) -> tuple[LineDoubt, ...]:
    """Return the boundaries of a laid out table that may not be where they are, and how likely.

    A row's boundary is in doubt where its lines may go on with each other, or may not, and where
    another table may begin; an outer one where the table may end at another line; a heading's where
    it may span other columns than it does.
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
    for index, chance in zip((0, grid.rows), table.ends, strict=True):
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
