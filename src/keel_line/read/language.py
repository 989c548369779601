"""The language model: how likely a text is, from character n-grams of made texts.

A character n-gram model with Witten-Bell smoothing (Witten and Bell, "The zero-frequency problem",
IEEE Transactions on Information Theory 37, 1991). It has a small say between readings that the ink
leaves open, and none where the ink is clear: names and codes are not bent into words.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from keel_line.read.decode import Decoded, read_as
from keel_line.read.network import DATA_DIR

ORDER = 5
WEIGHT = 0.2
"""The say of the language in the choice between readings; the ink's is 1."""

SURE = 0.985
"""Lines whose likeliest text has at least this probability by the ink alone keep it."""

USUAL_COST = 2.7
"""What a character costs on the average of made texts (natural logarithm).

A longer reading is not unlikelier for being longer: without this a mark at a word's end, which few
texts have, was read away against the ink.
"""

_QUANTUM = 0.05
_UNKNOWN, _EDGE, _FIRST = 0, 1, 2  # codes of a strange character, of a text's ends, of the alphabet
_BITS = np.uint64(8)
_LEAST = 1e-9
_LEAST_AHEAD, _MOST_AHEAD = -6.0, 12.0


@dataclass(frozen=True, eq=False)
class Level:
    """The n-grams of one length.

    Attributes
    ----------
    contexts
        Sorted codes of what goes before, eight bits a character.
    rest
        For each context the share that is left to shorter contexts (0 to 1).
    grams
        Sorted codes of context and character.
    shares
        For each of them the character's own share (0 to 1).
    """

    contexts: NDArray[np.uint64]
    rest: NDArray[np.float64]
    grams: NDArray[np.uint64]
    shares: NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class LanguageModel:
    """A character model over ``alphabet``; ``levels[n - 1]`` holds the n-grams of length n."""

    alphabet: str
    levels: tuple[Level, ...]

    def score(self, texts: Sequence[str]) -> NDArray[np.float64]:
        """Return each text's log probability with its ends, shape (len(texts),)."""
        return np.array([s.sum() for s in self.score_characters(texts)])

    def score_characters(self, texts: Sequence[str]) -> list[NDArray[np.float64]]:
        """Return for each text the log probability of each character and of the end."""
        if not texts:
            return []
        codes = {char: i + _FIRST for i, char in enumerate(self.alphabet)}
        spelt = [
            [_EDGE, *(codes.get(c, _UNKNOWN) for c in t.replace("\n", " ")), _EDGE] for t in texts
        ]
        row = np.concatenate([np.array(s, np.uint64) for s in spelt])
        place = np.concatenate([np.arange(len(s)) for s in spelt])
        chance = np.full(len(row), 1.0 / (len(self.alphabet) + _FIRST))
        context = np.zeros(len(row), np.uint64)
        for n, level in enumerate(self.levels):
            if n:
                shifted = np.concatenate([np.zeros(n, np.uint64), row])[: len(row)]
                context = context | (shifted << (_BITS * np.uint64(n - 1)))
            deep = np.flatnonzero(place >= max(n, 1))
            at, known = _look_up(level.contexts, context[deep])
            own, seen = _look_up(level.grams, (context[deep] << _BITS) | row[deep])
            mixed = level.rest[at] * chance[deep] + np.where(seen, level.shares[own], 0.0)
            chance[deep] = np.where(known, mixed, chance[deep])
        logs = np.log(chance)
        ends = np.cumsum([len(s) for s in spelt])
        return [logs[end - len(s) + 1 : end] for s, end in zip(spelt, ends.tolist(), strict=True)]


def _look_up(
    keys: NDArray[np.uint64], wanted: NDArray[np.uint64]
) -> tuple[NDArray[np.intp], NDArray[np.bool_]]:
    """Return where each wanted key stands, and whether it is there at all."""
    at = np.minimum(np.searchsorted(keys, wanted), len(keys) - 1)
    return at, keys[at] == wanted


def count_language(
    texts: Sequence[str], alphabet: str, least: Sequence[int] = (1, 1, 2, 3, 5)
) -> LanguageModel:
    """Count a model from texts.

    Parameters
    ----------
    texts
        What is written, without line breaks.
    alphabet
        Characters that are told apart.
    least
        How often an n-gram of each length must have been seen to be kept; its length is the
        model's order.
    """
    codes = {char: i + _FIRST for i, char in enumerate(alphabet)}
    spelt = [[_EDGE, *(codes.get(c, _UNKNOWN) for c in t), _EDGE] for t in texts]
    row = np.concatenate([np.array(s, np.uint64) for s in spelt])
    place = np.concatenate([np.arange(len(s)) for s in spelt])
    levels = []
    for n, enough in enumerate(least, 1):
        keys = np.zeros(len(row) - n + 1, np.uint64)
        for k in range(n):
            keys = (keys << _BITS) | row[k : len(row) - n + 1 + k]
        grams, counts = np.unique(keys[place[n - 1 :] >= max(n - 1, 1)], return_counts=True)
        contexts, own = np.unique(grams >> _BITS, return_inverse=True)
        total = np.bincount(own, counts) + np.bincount(own)  # every kind once more, for the rest
        keep = counts >= enough
        shares = counts[keep] / total[own[keep]]
        rest = 1.0 - np.bincount(own[keep], shares, minlength=len(contexts))
        used = np.isin(contexts, grams[keep] >> _BITS)  # without any gram the rest is all
        levels.append(
            Level(contexts[used], np.asarray(rest[used], np.float64), grams[keep], shares)
        )
    return LanguageModel(alphabet, tuple(levels))


def save_language(model: LanguageModel, path: Path) -> None:
    """Write a model; shares are kept to a twentieth of their logarithm."""
    arrays = {"alphabet": np.array(model.alphabet)}
    for n, level in enumerate(model.levels, 1):
        own = np.searchsorted(level.contexts, level.grams >> _BITS)
        arrays[f"steps{n}"] = np.diff(level.contexts, prepend=np.uint64(0))
        arrays[f"kinds{n}"] = np.bincount(own, minlength=len(level.contexts)).astype(np.uint8)
        arrays[f"chars{n}"] = (level.grams & np.uint64(255)).astype(np.uint8)
        arrays[f"rest{n}"] = _pack(level.rest)
        arrays[f"shares{n}"] = _pack(level.shares)
    np.savez_compressed(path, allow_pickle=False, **arrays)


def _pack(shares: NDArray[np.float64]) -> NDArray[np.uint8]:
    logs = -np.log(np.maximum(shares, _LEAST))
    return np.asarray(np.clip(np.rint(logs / _QUANTUM), 0, 255), np.uint8)


@cache
def load_language(path: Path = DATA_DIR / "language.npz") -> LanguageModel:
    """Load the model that travels with the recogniser's weights."""
    levels = []
    with np.load(path, allow_pickle=False) as data:
        for n in range(1, ORDER + 1):
            contexts = np.cumsum(data[f"steps{n}"], dtype=np.uint64)
            grams = (np.repeat(contexts, data[f"kinds{n}"]) << _BITS) | data[f"chars{n}"]
            rest = np.exp(-_QUANTUM * data[f"rest{n}"].astype(np.float64))
            shares = np.exp(-_QUANTUM * data[f"shares{n}"].astype(np.float64))
            levels.append(Level(contexts, rest, grams.astype(np.uint64), shares))
        return LanguageModel(str(data["alphabet"]), tuple(levels))


def choose_by_language(
    decoded: Sequence[Decoded],
    probs: Sequence[NDArray[np.float32]],
    alphabet: str,
    model: LanguageModel,
) -> list[Decoded]:
    """Choose among a line's readings by language where the ink is undecided.

    Parameters
    ----------
    decoded
        Each line's decoding.
    probs
        What the network gave for each, shape (steps, classes), class 0 the blank.
    alphabet
        Character of class ``i`` is ``alphabet[i - 1]``.
    model
        The language.

    Returns
    -------
    list of Decoded
        The text is the likeliest by ink and language together and stands first among the beams,
        which keep the ink's own probabilities.
    """
    open_lines = [d for d in decoded if d.text and d.beams[0][1] < SURE]
    scores = _score_beams(open_lines, model)
    out = []
    for d, look in zip(decoded, probs, strict=True):
        first = 0
        if d.text and d.beams[0][1] < SURE:
            ink, likely = _weigh_beams(d, scores)
            first = int(np.argmax(ink + WEIGHT * likely))
        if first == 0:
            out.append(d)
            continue
        beams = (d.beams[first], *d.beams[:first], *d.beams[first + 1 :])
        out.append(read_as(beams[0][0], beams, look, alphabet, d.agreement))
    return out


def lead_by_language(decoded: Sequence[Decoded], model: LanguageModel) -> list[float]:
    """Return the lead of each line's text over others, by ink and language with full weight.

    Log odds of the text against all other beams together, -6 to 12; 12 where there are no others.
    """
    scores = _score_beams(decoded, model)
    leads = []
    for d in decoded:
        ink, likely = _weigh_beams(d, scores)
        if len(ink) < 2 or not np.isfinite(likely[0]):
            leads.append(_MOST_AHEAD)
            continue
        others = np.minimum(ink[1:], 0.0) + likely[1:] - likely[0]
        leads.append(float(np.clip(-np.logaddexp.reduce(others), _LEAST_AHEAD, _MOST_AHEAD)))
    return leads


def score_against_usual(texts: Sequence[str], model: LanguageModel) -> dict[str, float]:
    """Return each text's log probability relative to a typical text of its length."""
    own = list(dict.fromkeys(texts))
    scores = zip(own, model.score(own).tolist(), strict=True)
    return {text: score + USUAL_COST * (len(text) + 1) for text, score in scores}


def _score_beams(decoded: Sequence[Decoded], model: LanguageModel) -> dict[str, float]:
    """Score the beams' texts relative to typical texts of their length."""
    return score_against_usual([text for d in decoded for text, _ in d.beams if text], model)


def _weigh_beams(
    decoded: Decoded, scores: dict[str, float]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the log probability of each beam by the ink and by the language."""
    ink = np.array([math.log(max(chance, _LEAST)) for _, chance in decoded.beams])
    return ink, np.array([scores.get(text, -math.inf) for text, _ in decoded.beams])
