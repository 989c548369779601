"""Weighs readings of other lengths by how well the page's own glyphs explain them.

A recogniser that goes along a line now and then sees one glyph as two, or two as one: 118.99 may be
read as 1418.99 where the flag of a 1 is long. On the page itself that can be seen: each reading
parts the line into other glyphs, and those of the right one look like the page's surely read
glyphs of their kinds, where the halves of a glyph, or two in one, look like none (analysis by
synthesis, after Xu and Nagy, "Prototype extraction and adaptive OCR", PAMI 1999).
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey
from keel_line.read.decode import Decoded, align_all, read_as
from keel_line.read.evidence import EvidenceModel, load_evidence
from keel_line.read.glyphs import PICTURE_SIZE, Glyph, PageLines, choose_exemplars

SURE = 0.996
"""Lines whose likeliest text has at least this probability keep its length."""

_MOST_READINGS = 8
_LEAST_SHARE = 1e-3
_FLOOR = 0.02
_UNKNOWN = 0.35  # of its ink is what a glyph lacks whose like the page does not show
MEASURES = 2
"""How many figures tell two readings of a line apart (see ``LengthComparison.measures``)."""


def load_lengths() -> EvidenceModel:
    """Load the weights of lengths, fitted to the recogniser's weights."""
    return load_evidence("lengths")


@dataclass(frozen=True)
class LengthComparison:
    """A line's likeliest reading compared with one of another length.

    Attributes
    ----------
    line
        Which line of the page.
    text, other
        The likeliest reading, and the other one.
    share
        The other's probability over that of the likeliest.
    measures
        How many characters more the other has, and how far the likeliest leads in being like the
        page's glyphs: the logarithm of what the other lacks over what it lacks itself, times the
        square root of how many glyphs say so.
    """

    line: int
    text: str
    other: str
    share: float
    measures: tuple[float, ...]


@dataclass(frozen=True, eq=False)
class _Kind:
    """The surely read glyphs of one kind: their pictures, shape (n, 24 * 24), and lines (n,).

    ``power`` are the pictures' sums of squares, shape (n,).
    """

    pictures: NDArray[np.float32]
    power: NDArray[np.float32]
    lines: NDArray[np.int_]


def weigh_lengths(
    lines: PageLines, decoded: Sequence[Decoded], model: EvidenceModel
) -> list[Decoded]:
    """Weigh readings of other lengths than the likeliest by the page's glyphs.

    Parameters
    ----------
    lines
        The page's lines.
    decoded
        Each line's decoding.
    model
        What being like the page's glyphs is worth.

    Returns
    -------
    list of Decoded
        With beams weighed again; a reading of another length may come first.
    """
    falls: dict[int, dict[str, float]] = {}
    for c in compare_lengths(lines, decoded):
        falls.setdefault(c.line, {})[c.other] = math.exp(-model.rise(c.measures))
    out = list(decoded)
    for line, own in falls.items():
        out[line] = _weigh(decoded[line], own, lines.probs[line], lines.alphabet)
    return out


def _written_length(text: str) -> int:
    """Return how many characters of a text leave ink."""
    return len("".join(text.split()))


def compare_lengths(lines: PageLines, decoded: Sequence[Decoded]) -> Iterator[LengthComparison]:
    """Compare each undecided line's likeliest reading with those of other lengths.

    The arguments are those of :func:`weigh_lengths`.
    """
    class_of = lines.class_of
    wanted = {i: own for i, d in enumerate(decoded) if (own := _readings(d))}
    if not wanted:
        return
    used = {class_of[c] for own in wanted.values() for t in own for c in t if c != " "}
    kinds = _gather_kinds(used, lines, decoded)
    for line, readings in wanted.items():
        spelt = [tuple(class_of[c] for c in t) for t in readings]
        laid = [
            Decoded(text, ((text, 1.0),), places, np.ones(len(text)))
            for text, places in zip(readings, align_all(lines.probs[line], spelt), strict=True)
        ]
        cut = [lines.cut_line(line, d) for d in laid]
        (lack, ink), *others = _measure_lacks(cut, lines.pictures[line], lines, kinds)
        text, *rest = readings
        many = math.sqrt(max(1, _written_length(text)))
        for other, (other_lack, other_ink) in zip(rest, others, strict=True):
            more = _written_length(other) - _written_length(text)
            if more:
                share = readings[other] / max(readings[text], 1e-9)
                floor = _FLOOR * max(ink, other_ink) + 1e-9
                lead = many * math.log((other_lack + floor) / (lack + floor))
                yield LengthComparison(line, text, other, share, (float(more), lead))


def _readings(decoded: Decoded) -> dict[str, float]:
    """Return a line's likeliest readings, the likeliest first; none where all are of one length."""
    text, best = decoded.beams[0]
    if not text or best >= SURE:
        return {}
    own = {t: p for t, p in decoded.beams[:_MOST_READINGS] if t and p >= _LEAST_SHARE * best}
    return own if len({_written_length(t) for t in own}) > 1 else {}


def _gather_kinds(
    wanted: set[int], lines: PageLines, decoded: Sequence[Decoded]
) -> dict[int, _Kind]:
    """Picture the page's surest glyphs of each kind that is wanted."""
    glyphs = lines.cut(decoded)
    kinds = np.array([g.kind for g in glyphs], int)
    out = {}
    for kind in wanted:
        own = [glyphs[i] for i in choose_exemplars(kind, kinds, glyphs, decoded)]
        seen = np.zeros((len(own), PICTURE_SIZE), np.float32)
        for row, glyph in zip(seen, own, strict=True):
            row[:] = lines.picture(glyph)
        out[kind] = _Kind(seen, (seen**2).sum(axis=1), np.array([g.line for g in own], int))
    return out


def _measure_lacks(
    cut: Sequence[Sequence[Glyph]], picture: Grey, lines: PageLines, kinds: dict[int, _Kind]
) -> list[tuple[float, float]]:
    """Return how much of a line's ink each reading leaves unexplained, and all its ink.

    Both are sums of squares: how far each glyph is from the nearest of its kind, and what ink lies
    beyond all glyphs. ``cut`` are the glyphs of each reading of the line: most are the same in all.
    """
    columns = (picture.astype(np.float32) ** 2).sum(axis=0)
    away: dict[tuple[int, int, int], float] = {}
    out = []
    for glyphs in cut:
        apart = ink = 0.0
        covered = np.zeros(len(columns), bool)
        for glyph in glyphs:
            at = (round(glyph.left), round(glyph.right))
            own = lines.picture(glyph)
            if (*at, glyph.kind) not in away:
                away[*at, glyph.kind] = _distance(own, kinds[glyph.kind], glyph.line)
            apart += away[*at, glyph.kind]
            ink += float(own @ own)
            covered[at[0] : at[1] + 1] = True
        within = float(columns[covered].sum())
        beyond = float(columns[~covered].sum()) * ink / max(within, 1.0)
        out.append((apart + beyond, ink + beyond))
    return out


def _distance(own: NDArray[np.float32], kind: _Kind, line: int) -> float:
    """Return the squared distance from a glyph to the nearest of a kind on another line."""
    power = float(own @ own)
    elsewhere = kind.lines != line
    if not elsewhere.any():
        return _UNKNOWN * power
    apart = kind.power[elsewhere] + power - 2 * (kind.pictures[elsewhere] @ own)
    return max(0.0, float(apart.min()))


def _weigh(
    decoded: Decoded, falls: dict[str, float], probs: NDArray[np.float32], alphabet: str
) -> Decoded:
    """Weigh a line's beams; the likeliest comes first, with its characters' own places."""
    beams = {text: chance * falls.get(text, 1.0) for text, chance in decoded.beams}
    scale = sum(chance for _, chance in decoded.beams) / sum(beams.values())
    ordered = sorted(beams.items(), key=lambda item: -item[1])
    weighed = tuple((text, chance * scale) for text, chance in ordered)
    text = weighed[0][0]
    if text == decoded.text:
        return replace(decoded, beams=weighed)
    return read_as(text, weighed, probs, alphabet, decoded.agreement)
