"""A second look: lines that the first look left in doubt are read again, a little displaced.

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
from keel_line.read.decode import Decoded, align, decode_line, measure_chances
from keel_line.read.network import Network

SURE = 0.985
"""Lines whose likeliest text has at least this probability are not looked at again."""

_MOST_CANDIDATES = 6
_STRETCHES = (0.93, 1.08)
_SHIFTS = (-1, 1)
_NEVER = -1e9


def look_again(
    pictures: Sequence[Grey],
    probs: Sequence[NDArray[np.float32]],
    decoded: Sequence[Decoded],
    network: Network,
) -> list[Decoded]:
    """Read doubtful lines again and weigh the looks together.

    Parameters
    ----------
    pictures
        Prepared lines, shape (24, width) each.
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
        ``agreement``, the share of looks that say the same.
    """
    out = list(decoded)
    unsure = [i for i, d in enumerate(decoded) if d.beams[0][1] < SURE]
    copies = [copy for i in unsure for copy in displace(pictures[i])]
    looks = network.run(copies)
    each = len(_SHIFTS) + len(_STRETCHES)
    for k, i in enumerate(unsure):
        own = looks[k * each : (k + 1) * each]
        out[i] = weigh_looks(decoded[i], [probs[i], *own], network.recipe.alphabet)
    return out


def displace(picture: Grey) -> list[Grey]:
    """Return copies of a prepared line: a row higher, a row lower, narrower and wider."""
    rows, cols = picture.shape
    shifted = [np.roll(picture, by, axis=0) for by in _SHIFTS]
    stretched = [
        np.asarray(cv2.resize(picture, (max(8, round(cols * by / 2) * 2), rows)), np.uint8)
        for by in _STRETCHES
    ]
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
    scores = np.mean([score_texts(look, spelt) for look in looks], axis=0)
    shares = np.exp(scores - scores.max())
    shares /= shares.sum()
    order = np.argsort(-shares, kind="stable")
    beams = tuple((candidates[i], float(shares[i])) for i in order)
    text = beams[0][0]
    agreement = float(np.mean([d.text == text for d in (first, *others)]))
    if text == first.text:
        return replace(first, beams=beams, agreement=agreement)
    classes = spelt[int(order[0])]
    places = align(looks[0], classes)
    return Decoded(text, beams, places, measure_chances(looks[0], classes, places), agreement)


def score_texts(
    probs: NDArray[np.float32], texts: Sequence[tuple[int, ...]]
) -> NDArray[np.float64]:
    """Return the log probability of each class sequence over all its alignments (CTC forward).

    Graves and others, "Connectionist temporal classification", ICML 2006.

    Parameters
    ----------
    probs
        Class probabilities, shape (steps, classes), class 0 the blank.
    texts
        Class sequences.
    """
    longest = max(len(t) for t in texts)
    states = np.zeros((len(texts), 2 * longest + 1), int)
    for row, text in zip(states, texts, strict=True):
        row[1 : 2 * len(text) : 2] = text
    skips = np.zeros(states.shape, bool)
    skips[:, 3::2] = states[:, 3::2] != states[:, 1:-2:2]
    logs = np.log(np.maximum(probs.astype(float), 1e-12))[:, states]
    score = np.full(states.shape, _NEVER)
    score[:, :2] = logs[0][:, :2]
    for step in logs[1:]:
        one = np.pad(score[:, :-1], ((0, 0), (1, 0)), constant_values=_NEVER)
        two = np.pad(score[:, :-2], ((0, 0), (2, 0)), constant_values=_NEVER)
        two = np.where(skips, two, _NEVER)
        score = np.logaddexp(np.logaddexp(score, one), two) + step
    ends = np.array([2 * len(t) for t in texts])
    rows = np.arange(len(texts))
    last = np.where(ends > 0, score[rows, ends - 1], _NEVER)
    return np.asarray(np.logaddexp(score[rows, ends], last), np.float64)
