"""A second look: lines in doubt are read again, slightly displaced.

The network's figures change with where a letter falls on its steps. What stays the same in every
look is likelier right (averaging over transformed copies of an input, after Krizhevsky and others,
"ImageNet classification with deep convolutional neural networks", 2012); where the looks do not
agree, that is evidence of doubt.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey
from keel_line.read.decode import (
    GIVING_WAY,
    LEAST_WAY,
    Decoded,
    decode_line,
    is_hopeless,
    read_as,
)
from keel_line.read.network import Network

SURE = 0.985
"""Lines whose likeliest text has at least this probability are not looked at again."""

_MOST_CANDIDATES = 6
_STRETCHES = (0.93, 1.08)
_SHIFTS = (-1, 1)  # in 24ths of a line's height
_NEVER = -60.0  # log probability of a text that a look rules out: a strong word, not the last


def look_again(
    pictures: Sequence[Grey],
    probs: Sequence[NDArray[np.float32]],
    decoded: Sequence[Decoded],
    network: Network,
) -> list[Decoded]:
    """Read doubtful lines again and combine the looks.

    Parameters
    ----------
    pictures
        Prepared lines, shape (rows, width) each.
    probs
        What the first look gave for each, shape (steps, classes).
    decoded
        The first look's decoding of each.
    network
        The network that looks again.

    Returns
    -------
    list of Decoded
        As given where the first look was sure; otherwise with beams weighed over all looks and
        ``agreement``, the share of looks that say the same. A line that is no writing to read is
        not looked at again: nothing agrees with its reading.
    """
    hopeless = [is_hopeless(look) for look in probs]
    out = [
        replace(d, agreement=0.0) if none else d for d, none in zip(decoded, hopeless, strict=True)
    ]
    unsure = [i for i, d in enumerate(decoded) if d.beams[0][1] < SURE and not hopeless[i]]
    step = network.recipe.line.step
    copies = [copy for i in unsure for copy in displace(pictures[i], step)]
    looks = network.run(copies)
    each = len(_SHIFTS) + len(_STRETCHES)
    for k, i in enumerate(unsure):
        own = looks[k * each : (k + 1) * each]
        out[i] = weigh_looks(decoded[i], [probs[i], *own], network.recipe.alphabet)
    return out


def displace(picture: Grey, step: int) -> list[Grey]:
    """Return copies of a prepared line, slightly higher, lower, narrower and wider.

    ``step`` is the recogniser's step in px, of which a copy has a whole number.
    """
    rows, cols = picture.shape
    shifted = [np.roll(picture, by * max(1, rows // 24), axis=0) for by in _SHIFTS]
    widths = [step * max(4, round(cols * by / step)) for by in _STRETCHES]
    stretched = [np.asarray(cv2.resize(picture, (w, rows)), np.uint8) for w in widths]
    return [*shifted, *stretched]


def weigh_looks(first: Decoded, looks: Sequence[NDArray[np.float32]], alphabet: str) -> Decoded:
    """Choose among the readings of several looks by their mean log probability over all of them.

    ``looks`` are class probabilities, shape (steps, classes), the first look's first.
    """
    others = [decode_line(look, alphabet) for look in looks[1:]]
    chances: dict[str, float] = {}
    for d in (first, *others):
        for text, chance in d.beams:
            chances[text] = max(chances.get(text, 0.0), chance)
    candidates = sorted(chances, key=lambda t: -chances[t])[:_MOST_CANDIDATES]
    class_of = {char: i + 1 for i, char in enumerate(alphabet)}
    spelt = [tuple(class_of[c] for c in text) for text in candidates]
    scores = np.maximum(score_texts(looks, spelt), _NEVER).mean(axis=0)
    shares = np.exp(scores - scores.max())
    shares /= shares.sum()
    order = np.argsort(-shares, kind="stable")
    beams = tuple((candidates[i], float(shares[i])) for i in order)
    text = beams[0][0]
    agreement = float(np.mean([d.text == text for d in (first, *others)]))
    if text == first.text:
        return replace(first, beams=beams, agreement=agreement)
    return read_as(text, beams, looks[0], alphabet, agreement)


def score_texts(
    looks: Sequence[NDArray[np.float32]], texts: Sequence[tuple[int, ...]]
) -> NDArray[np.float64]:
    """Return the log probability of each class sequence over all its alignments, in each look.

    The forward recursion of CTC (Graves and others, "Connectionist temporal classification", ICML
    2006), scaled at each step so that long lines do not run out of numbers. Two characters that
    share the same steps are one glyph that may be either, not both in turn: as in the search for
    beams, the one follows the other as far as it takes its place.

    Parameters
    ----------
    looks
        Class probabilities, shape (steps, classes) each, class 0 the blank.
    texts
        Class sequences.

    Returns
    -------
    array, shape (len(looks), len(texts))
        Natural logarithms; -inf where a text cannot be.
    """
    steps = max(len(look) for look in looks)
    states = np.zeros((len(texts), 2 * max(len(t) for t in texts) + 1), int)
    for row, text in zip(states, texts, strict=True):
        row[1 : 2 * len(text) : 2] = text
    skips = np.zeros(states.shape)
    skips[:, 3::2] = states[:, 3::2] != states[:, 1:-2:2]
    chances = np.zeros((steps, len(looks), *states.shape))
    for i, look in enumerate(looks):
        chances[: len(look), i] = look[:, states]
        chances[len(look) :, i] = states == 0  # beyond its end a look is sure of the blank
    forward = np.zeros(chances.shape[1:])
    forward[..., :2] = chances[0][..., :2]
    logs = np.zeros(chances.shape[1:3])
    with np.errstate(divide="ignore"):
        for step in range(1, steps):
            grown = forward.copy()
            grown[..., 1:] += forward[..., :-1]
            way = _giving_way(chances[step - 1], chances[step])
            grown[..., 2:] += skips[:, 2:] * way * forward[..., :-2]
            grown *= chances[step]
            total = grown.sum(axis=-1)
            logs += np.log(total)
            forward = grown / np.maximum(total, np.finfo(float).tiny)[..., None]
        ends = np.array([2 * len(t) for t in texts])
        rows = np.arange(len(texts))
        last = np.where(ends > 0, forward[:, rows, ends - 1], 0.0)
        return np.asarray(logs + np.log(forward[:, rows, ends] + last), np.float64)


def _giving_way(before: NDArray[np.float64], now: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return how far each state's character takes the place of the one two states before.

    ``before`` and ``now`` are the states' probabilities at two steps, the blank's first.
    """
    bare = np.maximum(before[..., :1], now[..., :1])
    fall, rise = before[..., :-2] - now[..., :-2], now[..., 2:] - before[..., 2:]
    taken = np.maximum(bare, np.minimum(fall, rise)) / GIVING_WAY
    return np.asarray(np.clip(taken, LEAST_WAY, 1.0), np.float64)
