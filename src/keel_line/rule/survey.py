"""Finds all tables of a page, with their captions and notes: runs the steps of ruling in turn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey, flatten_light
from keel_line.model.geometry import Box, overlap
from keel_line.model.grid import Grid, Rule
from keel_line.model.page import PageText
from keel_line.rule.assembly import count_headings
from keel_line.rule.captions import find_captions, find_notes
from keel_line.rule.choosing import choose_ruled, is_no_table, part_cells
from keel_line.rule.gaps import join_words
from keel_line.rule.grids import build_drawn_grids, build_grids
from keel_line.rule.mend import shift_grid
from keel_line.rule.pieces import texts_of
from keel_line.rule.roles import ReadPieces, Roles, find_roles, find_roles_reading
from keel_line.rule.rules import find_rules, make_rule_field
from keel_line.rule.sideways import (
    Letters,
    find_blocks,
    find_letters,
    letters_of_text,
    turn_back,
    turn_rules,
)
from keel_line.rule.tables import find_by_roles, find_rejected_areas
from keel_line.rule.turned import chain_letters, gather_text, with_turned
from keel_line.rule.typed import take_typed_rules
from keel_line.rule.unsure import doubt_grid
from keel_line.rule.writing import Writing, drop_flat_lines, find_writing, lie_outside

_TAKEN_IN = 0.03


@dataclass(frozen=True)
class Survey:
    """What a page holds.

    Its tables, its ruling lines, boxes around blocks that were judged no table, for each table a
    box around its caption or title and one around its notes (None where it has none), and which way
    its letters run.
    """

    grids: tuple[Grid, ...]
    rules: tuple[Rule, ...]
    rejected_areas: tuple[Box, ...]
    captions: tuple[Box | None, ...]
    notes: tuple[Box | None, ...]
    letters: Letters


def find_grids(grey: Grey, dpi: float, flat: Grey | None = None) -> list[Grid]:
    """Return the tables that :func:`survey_page` finds on a squared page, from the top down."""
    return list(survey_page(grey, dpi, flat).grids)


def survey_page(
    grey: Grey,
    dpi: float,
    flat: Grey | None = None,
    drawn: Sequence[Grid] | None = None,
    read: ReadPieces | None = None,
) -> Survey:
    """Find every table of a squared page, from the top down, and what else is written there.

    First those whose rules show every cell; then, in what is left, those that the roles of pieces
    of writing show.

    Parameters
    ----------
    grey
        Squared page, shape (rows, cols), 0 is black.
    dpi
        Its resolution, the same in both directions.
    flat
        The page with its light evened out, where the caller has it.
    drawn
        Its tables where the clerk drew them; no others are looked for.
    read
        Reads pieces of writing, since what they say tells their roles.
    """
    flat = flatten_light(grey) if flat is None else flat
    field = make_rule_field(flat, dpi)
    rules = find_rules(field)
    letters = find_letters(flat, dpi, rules)

    ruled = _mark_sideways(build_grids(field, rules) if drawn is None else drawn, letters)
    taken = [_around(g.box, dpi * _TAKEN_IN) for g in ruled]
    blocks = find_blocks(letters, dpi, flat.shape, taken)
    lying: list[Grid] = []
    if drawn is None:
        lying = [g for box in blocks for g in _find_lying(flat, dpi, rules, box)]
        around = [_around(box, dpi * _TAKEN_IN) for box in blocks]
        writing, every = find_pieces(flat, dpi, rules, letters, around)
        roles = find_roles_reading(writing, every, read)
        survey = _survey(every, [*ruled, *lying], dpi, writing, roles, letters)
    else:
        writing, every = find_pieces(flat, dpi, rules, letters)
        roles = find_roles_reading(writing, every, read)
        survey = _survey_around(ruled, every, dpi, writing, roles, letters, blocks)
    over = (b for b in blocks if not any(overlap(b, g.box) for g in lying))
    return replace(survey, rejected_areas=(*survey.rejected_areas, *over))


def find_pieces(
    flat: Grey, dpi: float, rules: list[Rule], letters: Letters, taken: list[Box] | None = None
) -> tuple[Writing, list[Rule]]:
    """Return the pieces of writing of a page's picture, and its rules with the typed ones.

    Scraps of rules that a copier left are no writing.

    The arguments are those of :func:`find_writing`; ``letters`` tells which words are turned.
    """
    found, typed = take_typed_rules(find_writing(flat, dpi, rules, taken))
    words = with_turned(drop_flat_lines(found), chain_letters(letters, found))
    return join_words(words), [*rules, *typed]


def _mark_sideways(grids: Sequence[Grid], letters: Letters) -> list[Grid]:
    """Mark sideways grids."""
    return [replace(g, on_side=letters.are_sideways(g.box)) for g in grids]


def _find_lying(flat: Grey, dpi: float, rules: list[Rule], box: Box) -> list[Grid]:
    """Find tables without full rules in ``box``, a part of a page that is written sideways."""
    pad = dpi * _TAKEN_IN
    x0, y0 = max(0, int(box[0] - pad)), max(0, int(box[1] - pad))
    part = flat[y0 : int(box[3] + pad) + 1, x0 : int(box[2] + pad) + 1]
    high = float(part.shape[0])
    own = [r for r in rules if _lies_in(r, _around(box, pad))]
    turned_rules = turn_rules([r.moved(-x0, -y0) for r in own], high)
    turned = np.ascontiguousarray(np.rot90(part, -1))
    writing = find_writing(turned, dpi, turned_rules)
    found = find_by_roles(writing, turned_rules, find_roles(writing, turned_rules))
    return [shift_grid(turn_back(g, high), x0, y0) for g in found]


def survey_text(text: PageText, dpi: float, drawn: Sequence[Grid] | None = None) -> Survey:
    """Find every table of a page by its own characters and drawn lines; no pixel is looked at.

    Parameters
    ----------
    text
        The characters and lines, in px of the squared page.
    dpi
        The squared page's resolution.
    drawn
        Its tables where the clerk drew them; no others are looked for.
    """
    rules = list(text.rules)
    letters = letters_of_text(text)
    writing = join_words(gather_text(text))
    roles = find_roles(writing, rules, texts_of(writing, text))
    if drawn is not None:
        return _survey_around(_mark_sideways(drawn, letters), rules, dpi, writing, roles, letters)
    ruled = _mark_sideways(build_drawn_grids(rules, dpi), letters)
    return _survey(rules, ruled, dpi, writing, roles, letters)


def _survey_around(
    drawn: Sequence[Grid],
    rules: list[Rule],
    dpi: float,
    writing: Writing,
    roles: Roles,
    letters: Letters,
    others: Sequence[Box] = (),
) -> Survey:
    """Describe a page whose tables the clerk drew.

    Writing in these tables, or in the boxes ``others``, is in no rejected area.
    """
    outside, _ = _leave_out([*(g.box for g in drawn), *others], writing, dpi)
    rejected = find_rejected_areas(outside, ())
    return _make_survey(drawn, rules, rejected, writing, roles, letters, drawn=True)


def _survey(
    rules: list[Rule],
    ruled: list[Grid],
    dpi: float,
    writing: Writing,
    roles: Roles,
    letters: Letters,
) -> Survey:
    """Find all tables: those that rules show, and those that the roles of writing show.

    Where both show one, the grid that fits the writing better is kept.
    """
    lying = [g for g in ruled if g.on_side]
    written = [g for g in ruled if not g.on_side and not is_no_table(g, writing, roles)]
    parted = [part_cells(g, writing, roles) for g in written]
    found = _add_shown(rules, lying, dpi, writing, roles, letters)
    if not parted:
        return found
    shown = [g for g in found.grids if not g.on_side]
    kept = choose_ruled(parted, shown, writing, roles)
    return _add_shown(rules, [*lying, *kept], dpi, writing, roles, letters) if kept else found


def _add_shown(
    rules: list[Rule],
    ruled: list[Grid],
    dpi: float,
    writing: Writing,
    roles: Roles,
    letters: Letters,
) -> Survey:
    """Add to the ``ruled`` tables those that roles show in the writing outside them."""
    taken = [_around(g.box, dpi * _TAKEN_IN) for g in ruled]
    loose = [r for r in rules if not any(_lies_in(r, box) for box in taken)]
    outside, free = _leave_out([g.box for g in ruled], writing, dpi)
    found = find_by_roles(outside, loose, roles.of(free))
    aligned = [g for g in found if not letters.are_sideways(g.box)]
    both = sorted([*ruled, *aligned], key=lambda g: (round(g.box[1] / (dpi / 4)), g.box[0]))
    return _make_survey(both, rules, find_rejected_areas(outside, aligned), writing, roles, letters)


def _leave_out(
    boxes: Sequence[Box], writing: Writing, dpi: float
) -> tuple[Writing, NDArray[np.bool_]]:
    """Return the writing outside of boxes, and which pieces that is, shape (pieces,)."""
    free = lie_outside(writing.boxes, [_around(box, dpi * _TAKEN_IN) for box in boxes])
    return replace(writing, boxes=writing.boxes[free], lines=writing.lines[free]), free


def _make_survey(
    grids: Sequence[Grid],
    rules: Sequence[Rule],
    rejected: Sequence[Box],
    writing: Writing,
    roles: Roles,
    letters: Letters,
    *,
    drawn: bool = False,
) -> Survey:
    """Return tables with what stands around them: headings, captions and notes.

    What the clerk has ``drawn`` keeps the doubts that it came with.
    """
    headed = tuple(
        replace(
            g,
            heading_rows=count_headings(g, writing, roles),
            doubts=g.doubts if drawn or g.on_side else doubt_grid(g, writing, roles),
        )
        for g in grids
    )
    boxes = [g.box for g in grids]
    captions = find_captions(boxes, writing, roles)
    notes = find_notes(boxes, writing, roles, taken=[c for c in captions if c])
    sideways = [g.on_side for g in grids]
    return Survey(
        grids=headed,
        rules=tuple(rules),
        rejected_areas=tuple(rejected),
        captions=_upright(captions, sideways),
        notes=_upright(notes, sideways),
        letters=letters,
    )


def _upright(boxes: Sequence[Box | None], sideways: Sequence[bool]) -> tuple[Box | None, ...]:
    return tuple(None if lies else b for b, lies in zip(boxes, sideways, strict=True))


def _around(box: Box, by: float) -> Box:
    return (box[0] - by, box[1] - by, box[2] + by, box[3] + by)


def _lies_in(rule: Rule, box: Box) -> bool:
    middle = (rule.start + rule.end) / 2
    x, y = (middle, rule.at(middle)) if rule.direction == "across" else (rule.at(middle), middle)
    return box[0] <= x <= box[2] and box[1] <= y <= box[3]
