"""Decodes the network's steps to text: beam search, places and probabilities of characters.

The search keeps, for each prefix, the probability of ending in the blank and of not (Graves and
others, "Connectionist temporal classification", ICML 2006; prefix search of Hannun and others,
2014).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

BEAMS = 10
_LEAST_CHANCE = 1e-3
_MOST_OPEN = 24  # writing on its side leaves more open a step, and no search makes them sure
_FORGET = 1e-6
_PARTING_BLANK = 0.3
_HOPELESS, _HOPELESS_BEAMS = 12.0, 2
GIVING_WAY, LEAST_WAY = 0.5, 0.02
"""One character follows another without a blank between them in full where the one's probability
falls and the other's rises by ``GIVING_WAY``; never less than ``LEAST_WAY`` of it."""


@dataclass(frozen=True)
class Decoded:
    """One line's decoding.

    Attributes
    ----------
    text
        Likeliest text.
    beams
        (text, probability) of the likeliest texts, ``text`` first; probabilities sum to 1 at most.
    places
        Shape (len(text), 2): first and last step (exclusive) of each character.
    chances
        Shape (len(text),): each character's probability, 0 to 1.
    agreement
        Share of the looks at the line that say the same (0 to 1).
    """

    text: str
    beams: tuple[tuple[str, float], ...]
    places: NDArray[np.float64]
    chances: NDArray[np.float64]
    agreement: float = 1.0


def decode_line(probs: NDArray[np.float32], alphabet: str) -> Decoded:
    """Decode one line.

    Parameters
    ----------
    probs
        Class probabilities at each step, shape (steps, len(alphabet) + 1), class 0 the blank.
    alphabet
        Character of class ``i`` is ``alphabet[i - 1]``.
    """
    beams = search_beams(probs)
    best = beams[0][0]
    texts: dict[str, float] = {}
    for classes, chance in beams:
        text = "".join(alphabet[c - 1] for c in classes).strip()
        texts[text] = texts.get(text, 0.0) + chance
    raw = "".join(alphabet[c - 1] for c in best)
    lead, text = len(raw) - len(raw.lstrip()), raw.strip()
    inner = best[lead : lead + len(text)]
    places = _greedy_places(probs, best)
    if places is None:
        places = align(probs, best)
    places = places[lead : lead + len(text)]
    chances = measure_chances(probs, inner, places)
    ordered = sorted(texts.items(), key=lambda item: -item[1])
    ordered.sort(key=lambda item: item[0] != text)
    return Decoded(text, tuple(ordered), places, chances)


def read_as(
    text: str,
    beams: tuple[tuple[str, float], ...],
    probs: NDArray[np.float32],
    alphabet: str,
    agreement: float,
) -> Decoded:
    """Return a line's decoding with another text, aligned to the same steps.

    Parameters are those of :func:`decode_line` and the fields of :class:`Decoded`.
    """
    classes = tuple(alphabet.index(char) + 1 for char in text)
    places = align(probs, classes)
    return Decoded(text, beams, places, measure_chances(probs, classes, places), agreement)


def measure_chances(
    probs: NDArray[np.float32], classes: tuple[int, ...], places: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Return the greatest chance of each class at any step, shape (len(classes),)."""
    return np.array(
        [
            float(probs[int(a) : max(int(b), int(a) + 1), c].max())
            for c, (a, b) in zip(classes, places, strict=True)
        ]
    )


def is_hopeless(probs: NDArray[np.float32]) -> bool:
    """Return whether a line is so uncertain that it cannot be readable writing.

    ``probs`` are class probabilities, shape (steps, classes). Lines of worn faxes leave up to eight
    classes open a step in the mean; writing on its side, pictures and dirt thirty.
    """
    return float((probs > _LEAST_CHANCE).sum(axis=1).mean()) > _HOPELESS


def search_beams(probs: NDArray[np.float32]) -> list[tuple[tuple[int, ...], float]]:
    """Return the likeliest class sequences with their probabilities, the likeliest first.

    A character is one run of steps that are sure of it; a slight dip within the run is no second
    one. So a repeat needs a step before it where the blank is at all likely. And one character
    gives way to another where the blank is likely or the one's probability falls as the other's
    rises: where two share the same steps, the glyph is one or the other, not both in turn.
    """
    beams: dict[tuple[int, ...], tuple[float, float]] = {(): (1.0, 0.0)}
    most = _HOPELESS_BEAMS if is_hopeless(probs) else BEAMS
    candidates = probs > _LEAST_CHANCE
    for step, row in enumerate(probs):
        open_here = np.flatnonzero(candidates[step])
        if len(open_here) > _MOST_OPEN:
            open_here = np.sort(np.argpartition(-row, _MOST_OPEN)[:_MOST_OPEN])
        chosen = open_here.tolist()
        if chosen == [0]:  # nothing but blank: every prefix stays as it is
            blank = float(row[0])
            beams = {p: ((b + n) * blank, 0.0) for p, (b, n) in beams.items()}
            continue
        grown: dict[tuple[int, ...], list[float]] = {}
        values = [(c, float(row[c])) for c in chosen]
        before = probs[max(step - 1, 0)]
        parted = step > 0 and float(before[0]) > _PARTING_BLANK
        bare = max(float(before[0]), float(row[0]))
        for prefix, (in_blank, in_char) in beams.items():
            total = in_blank + in_char
            last = prefix[-1] if prefix else -1
            fall = float(before[last] - row[last]) if last >= 0 else 0.0
            for c, chance in values:
                if c == 0:
                    grown.setdefault(prefix, [0.0, 0.0])[0] += total * chance
                elif c == last:
                    grown.setdefault(prefix, [0.0, 0.0])[1] += in_char * chance
                    if parted and in_blank > 0:
                        grown.setdefault((*prefix, c), [0.0, 0.0])[1] += in_blank * chance
                else:
                    way = max(bare, min(fall, chance - float(before[c]))) / GIVING_WAY
                    joined = in_blank + in_char * min(1.0, max(LEAST_WAY, way))
                    grown.setdefault((*prefix, c), [0.0, 0.0])[1] += joined * chance
        ranked = sorted(grown.items(), key=lambda item: -(item[1][0] + item[1][1]))[:most]
        top = sum(ranked[0][1])
        if top <= 0:
            break
        # Scaled so that long lines do not run out of numbers; ratios are what counts.
        beams = {p: (b / top, n / top) for p, (b, n) in ranked if (b + n) / top > _FORGET}
    # The readings that were not followed for want of hope have their share, too.
    total = sum(b + n for b, n in beams.values()) * BEAMS / most
    return sorted(((p, (b + n) / total) for p, (b, n) in beams.items()), key=lambda i: -i[1])


def _greedy_places(
    probs: NDArray[np.float32], classes: tuple[int, ...]
) -> NDArray[np.float64] | None:
    """Places from the runs of each step's best class, where those spell the same text."""
    best = probs.argmax(axis=1)
    starts = np.flatnonzero(np.diff(best, prepend=-1))
    ends = np.append(starts[1:], len(best))
    runs = [(int(best[a]), a, b) for a, b in zip(starts, ends, strict=True) if best[a] != 0]
    if tuple(r[0] for r in runs) != classes:
        return None
    return np.array([(a, b) for _, a, b in runs], float).reshape(-1, 2)


def align(probs: NDArray[np.float32], classes: tuple[int, ...]) -> NDArray[np.float64]:
    """Align a class sequence to the steps in the likeliest way.

    Returns
    -------
    array, shape (len(classes), 2)
        First and last step (exclusive) of each class.
    """
    return align_all(probs, [classes])[0]


def align_all(
    probs: NDArray[np.float32], texts: Sequence[tuple[int, ...]]
) -> list[NDArray[np.float64]]:
    """Align several class sequences to the same steps in the likeliest way (Viterbi).

    Parameters
    ----------
    probs
        Class probabilities, shape (steps, classes), class 0 the blank.
    texts
        Class sequences.

    Returns
    -------
    list of arrays, shape (len(text), 2) each
        First and last step (exclusive) of each class.
    """
    states = np.zeros((len(texts), 2 * max(map(len, texts), default=0) + 1), int)
    for own, text in zip(states, texts, strict=True):
        own[1 : 2 * len(text) : 2] = text
    logs = np.log(np.maximum(probs[:, states], 1e-12))
    barred = np.full(states.shape, -np.inf)  # two states on is the next class, if it is another
    barred[:, 3::2] = np.where(states[:, 3::2] != states[:, 1:-2:2], 0.0, -np.inf)
    score = np.full((len(texts), states.shape[1] + 2), -np.inf)  # two states of none before
    score[:, 2:4] = logs[0, :, :2]
    back = np.zeros((len(probs), *states.shape), np.int8)
    for t in range(1, len(probs)):
        stay, one, two = score[:, 2:], score[:, 1:-1], score[:, :-2] + barred
        best = np.maximum(stay, one)
        leaps = two > best
        back[t] = np.where(leaps, 2, one > stay)
        score[:, 2:] = np.where(leaps, two, best) + logs[t]
    return [
        _trace_back(own, len(text), back[:, row])
        for row, (text, own) in enumerate(zip(texts, score[:, 2:], strict=True))
    ]


def _trace_back(
    score: NDArray[np.float64], count: int, back: NDArray[np.int8]
) -> NDArray[np.float64]:
    """Return where the ``count`` classes of the likeliest path lie.

    ``score`` are the states' at the last step, ``back`` says how many states each came from.
    """
    places = np.tile([0.0, 1.0], (count, 1))
    if count == 0:
        return places
    state = 2 * count if score[2 * count] >= score[2 * count - 1] else 2 * count - 1
    path = np.zeros(len(back), int)
    for t in range(len(back) - 1, -1, -1):
        path[t] = state
        state -= int(back[t, state])
    starts = np.flatnonzero(np.diff(path, prepend=-1))
    ends = np.append(starts[1:], len(path))
    for a, b in zip(starts.tolist(), ends.tolist(), strict=True):
        if path[a] % 2:
            places[path[a] // 2] = (a, b)
    return places
