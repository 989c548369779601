"""Likeness: whether a glyph looks like certain examples of its kind on the page.

A page is mostly set in one face. How far its O is rounder than its 0, its l longer than its I, its
dash longer than its hyphen, can be seen on the page itself, from glyphs that were read beyond
doubt, where a recogniser that has to know every face at once cannot tell (adapting to the style of
a page, after Sarkar and Nagy, "Style consistent classification of isogenous patterns", PAMI 2005;
nearest prototypes after Cover and Hart, "Nearest neighbor pattern classification", 1967).
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from keel_line.read.decode import Decoded
from keel_line.read.evidence import EvidenceModel, load_evidence
from keel_line.read.glyphs import PICTURE_SIZE, Glyph, PageLines, choose_exemplars

_LEAST_SHARE = 1e-5
_RIVALS = 8
_MOST_BEAMS = 12
_FLOOR = 0.01
MEASURES = 6
"""How many figures say how like two kinds a glyph is (see ``Comparison.measures``)."""

_Near: TypeAlias = tuple[float, int]
"""How far the nearest glyph of a kind is (0 for the same, to 1), and among how many."""


def load_likeness() -> EvidenceModel:
    """Load the weights of likeness, fitted to the recogniser's weights."""
    return load_evidence("likeness")


@dataclass(frozen=True)
class Comparison:
    """One glyph compared with another kind that it might be.

    Attributes
    ----------
    line, place
        Which line of the page, and which of its characters.
    kind, rival
        The class that was read, and the other one.
    share
        The rival's chance by the network over that of what was read.
    measures
        How like either kind the glyph is, as :class:`EvidenceModel` weighs it.
    """

    line: int
    place: int
    kind: int
    rival: int
    share: float
    measures: tuple[float, ...]


_Evidence: TypeAlias = tuple[Glyph, dict[int, tuple[float, float]]]
"""A glyph, and for each rival its share of the glyph's own chance and the rise against it."""


def weigh_likeness(
    lines: PageLines, decoded: Sequence[Decoded], model: EvidenceModel
) -> list[Decoded]:
    """Weigh readings that differ in one character by which kind on the page the glyph resembles.

    Parameters
    ----------
    lines
        The page's lines.
    decoded
        Each line's decoding.
    model
        What the likeness is worth.

    Returns
    -------
    list of Decoded
        With beams and chances weighed; a reading with another character in a place may come first.
    """
    glyphs, compared = _compare_all(lines, decoded)
    said: dict[int, list[_Evidence]] = defaultdict(list)
    for glyph, own in zip(glyphs, compared, strict=True):
        if own:
            rises = {c.rival: (c.share, model.rise(c.measures)) for c in own}
            said[glyph.line].append((glyph, rises))
    out = list(decoded)
    for line, evidence in said.items():
        out[line] = _weigh(decoded[line], evidence, lines.alphabet)
    return out


def compare_glyphs(lines: PageLines, decoded: Sequence[Decoded]) -> list[Comparison]:
    """Compare every glyph for which the network sees a rival with both kinds (for fitting).

    The arguments are those of :func:`weigh_likeness`.
    """
    _, compared = _compare_all(lines, decoded)
    return [c for own in compared for c in own]


def _compare_all(
    lines: PageLines, decoded: Sequence[Decoded]
) -> tuple[list[Glyph], list[list[Comparison]]]:
    """Return the page's glyphs, and each one's comparisons."""
    glyphs = lines.cut(decoded)
    space = lines.class_of[" "]
    rivals = [_find_rivals(g, lines.probs[g.line], decoded[g.line], space) for g in glyphs]
    near = _measure_nearness(lines, decoded, glyphs, rivals)
    compared = [
        [
            Comparison(g.line, g.place, g.kind, kind, shares[kind], _measure(*both))
            for kind, both in own.items()
        ]
        for g, shares, own in zip(glyphs, rivals, near, strict=True)
    ]
    return glyphs, compared


def _find_rivals(
    glyph: Glyph, probs: NDArray[np.float32], decoded: Decoded, space: int
) -> dict[int, float]:
    """Return the classes a glyph might be instead, with their share of its own class's chance."""
    first, last = (int(v) for v in decoded.places[glyph.place])
    chances = probs[first : max(last, first + 1)].max(axis=0)
    own = max(float(chances[glyph.kind]), 1e-7)
    near = np.flatnonzero(chances >= _LEAST_SHARE)
    near = near[np.argsort(-chances[near], kind="stable")][: _RIVALS + 1]
    return {int(k): float(chances[k]) / own for k in near if k not in (0, space, glyph.kind)}


def _measure_nearness(
    page: PageLines,
    decoded: Sequence[Decoded],
    glyphs: Sequence[Glyph],
    rivals: Sequence[dict[int, float]],
) -> list[dict[int, tuple[_Near, _Near]]]:
    """Return the distance of each glyph to its own kind and to its rival's.

    Left out are rivals, or all of them, where the page shows no sure glyph on another line.
    """
    kinds = np.array([g.kind for g in glyphs], int)
    lines = np.array([g.line for g in glyphs], int)
    asked: dict[int, list[int]] = defaultdict(list)
    for i, others in enumerate(rivals):
        for kind in (glyphs[i].kind, *others) if others else ():
            asked[kind].append(i)
    exemplars = {kind: choose_exemplars(kind, kinds, glyphs, decoded) for kind in asked}
    looks = np.zeros((len(glyphs), PICTURE_SIZE), np.float32)
    for i in {i for own in (*asked.values(), *exemplars.values()) for i in own}:
        looks[i] = page.picture(glyphs[i])
    power = (looks**2).sum(axis=1)
    away: dict[tuple[int, int], _Near] = {}
    for kind, wanted in asked.items():
        own = exemplars[kind]
        if not own:
            continue
        both = power[wanted][:, None] + power[own][None]
        apart = (both - 2 * looks[wanted] @ looks[own].T) / (both + 1e-6)
        elsewhere = lines[wanted][:, None] != lines[own][None]
        apart[~elsewhere] = np.inf
        counts = elsewhere.sum(axis=1).tolist()
        for i, least, count in zip(wanted, apart.min(axis=1).tolist(), counts, strict=True):
            if count:
                away[i, kind] = least, count
    return [
        {
            kind: (away[i, g.kind], away[i, kind])
            for kind in others
            if (i, kind) in away and (i, g.kind) in away
        }
        for i, (g, others) in enumerate(zip(glyphs, rivals, strict=True))
    ]


def _measure(own: _Near, other: _Near) -> tuple[float, ...]:
    """Return a model's measures: the lead of the own kind, and the number of examples.

    The nearest of many is near, and says more.
    """
    lead = (other[0] - own[0]) / (other[0] + own[0] + _FLOOR)
    many, others = math.log(own[1]), math.log(other[1])
    return (1.0, many, others, lead, lead * many, lead * others)


def _weigh(decoded: Decoded, evidence: Sequence[_Evidence], alphabet: str) -> Decoded:
    """Weigh a line's beams, and readings with one other character, by the page's letters."""
    text, best = decoded.beams[0]
    chances = decoded.chances.copy()
    falls: dict[tuple[int, str], float] = {}
    taken: dict[tuple[int, str], float] = {}
    beams = dict(decoded.beams)
    for glyph, rivals in evidence:
        place, shares = glyph.place, {}
        for kind, (share, rise) in rivals.items():
            char = alphabet[kind - 1]
            falls[place, char] = math.exp(-rise)
            shares[char] = share * falls[place, char]
            beams.setdefault(text[:place] + char + text[place + 1 :], best * share)
        unheard = (
            1 / max(glyph.chance, _LEAST_SHARE) - 1 - sum(share for share, _ in rivals.values())
        )
        chances[place] = 1 / (1 + sum(shares.values()) + max(0.0, unheard))
        taken |= {(place, char): share * chances[place] for char, share in shares.items()}
    changes = {other: _differ(text, other) for other in beams}
    for other, places in changes.items():
        beams[other] *= math.prod(falls.get(at, 1.0) for at in places)
    scale = sum(chance for _, chance in decoded.beams) / sum(beams.values())
    # Where the characters of a reading of another length stand is not known here.
    known = [t for t in beams if len(t) == len(text) and all(at in taken for at in changes[t])]
    first = max(known, key=lambda t: beams[t])
    for place, char in changes[first]:
        chances[place] = taken[place, char]
    ordered = sorted(beams, key=lambda t: (t != first, -beams[t]))[:_MOST_BEAMS]
    return replace(
        decoded,
        text=first,
        beams=tuple((t, beams[t] * scale) for t in ordered),
        chances=chances,
    )


def _differ(text: str, other: str) -> list[tuple[int, str]]:
    """Return the places where a reading of the same length has another character, and which."""
    if len(text) != len(other):
        return []
    return [(i, b) for i, (a, b) in enumerate(zip(text, other, strict=True)) if a != b]
