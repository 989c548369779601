"""Finds spaces between words, from gaps in the ink and from the table's letter spacing.

The recogniser sees a few letters at a time, and closes narrow gaps or opens wide ones. Whether a
gap is a space depends on how wide this table's letters are set: on a typewriter a comma stands as
far from its neighbours as two words do elsewhere. So every gap is judged once more, by a small
network over measures of the gap and of the table's usual gaps, fitted by ``training.spacing``.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cache
from pathlib import Path

import msgspec
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import PAPER_LEVEL
from keel_line.read.bearings import Bearings, Gap, measure_bearings
from keel_line.read.decode import Decoded
from keel_line.read.network import DATA_DIR

_DOUBT = 0.5
_SURE_MARK = 0.97
_TRACE = 0.25
_MARK_HIGH, _MARK_LOW, _MARK_SIDE = 0.4, 0.3, 0.13  # where a mark's ink must be, in capitals
_LEAST_PAIRS = 12
_LEAST_SEEN = 3
_EVEN = 0.09
_USUAL_GAP, _USUAL_WIDE_GAP, _USUAL_SPACE, _USUAL_PITCH = 0.17, 0.3, 0.62, 0.8  # in capitals
_USUAL_BEYOND, _LEAST_BEYOND = 0.35, 0.1  # what a space has beyond the characters' own room
_MOST_OPEN = 3
_WIDE_GAP = 0.4
_WIDE_CLEAR = 0.33  # of a capital's height: a mark's own place is less
_SETTLED = 0.002
_BOUND = 9.0
_LOW_MARKS = ".,"
_NARROW = "'’‘`\"”“:;!|-–()[]/°"

GAP_FEATURES = 25
"""How many measures there are of a gap (see :func:`measure_gap_features`)."""


class SpaceModel(msgspec.Struct, frozen=True):
    """A network of one hidden layer; features are brought to ``middle`` and ``scale`` first."""

    middle: tuple[float, ...]
    scale: tuple[float, ...]
    hidden: tuple[tuple[float, ...], ...]
    hidden_bias: tuple[float, ...]
    out: tuple[float, ...]
    out_bias: float
    fitted_on: str = ""


@cache
def load_space_model(path: Path = DATA_DIR / "spaces.json") -> SpaceModel:
    """Load the model that travels with the recogniser's weights."""
    return msgspec.json.decode(path.read_bytes(), type=SpaceModel)


@dataclass(frozen=True, eq=False)
class LineGaps:
    """The gaps of a line between neighbouring characters, spaces left out.

    Attributes
    ----------
    text
        The line's characters without spaces; the other arrays have one entry less.
    bare
        Bare columns over the height of capitals.
    apart
        From middle to middle, over the height of capitals.
    spaced
        Whether a space was read there.
    chance
        How likely the recogniser held a space there at the most (0 to 1).
    """

    text: str
    bare: NDArray[np.float64]
    apart: NDArray[np.float64]
    spaced: NDArray[np.bool_]
    chance: NDArray[np.float64]


def measure_gaps(
    inked: NDArray[np.bool_],
    decoded: Decoded,
    middles: NDArray[np.float64],
    cap_px: float,
    space_probs: NDArray[np.floating],
) -> LineGaps:
    """Measure the gaps of one line.

    Parameters
    ----------
    inked
        Whether each column of the line's cell has ink, shape (cols,).
    decoded
        The line's decoding.
    middles
        Column of each character's middle, shape (len(text),).
    cap_px
        Height of the line's capitals.
    space_probs
        The recogniser's probability of a space at each step, shape (steps,).
    """
    glyphs = [i for i, char in enumerate(decoded.text) if char != " "]
    count = max(0, len(glyphs) - 1)
    bare, apart, chance = np.zeros(count), np.zeros(count), np.zeros(count)
    spaced = np.zeros(count, bool)
    for k in range(count):
        a, b = glyphs[k], glyphs[k + 1]
        low, high = np.clip(np.rint(middles[[a, b]]).astype(int), 0, len(inked))
        bare[k] = (~inked[low:high]).sum() / cap_px  # a speck takes no more of it than its width
        apart[k] = (middles[b] - middles[a]) / cap_px
        spaced[k] = b > a + 1
        first, last = int(decoded.places[a, 0]), int(decoded.places[b, 1])
        chance[k] = float(space_probs[first : max(last, first + 1)].max(initial=0.0))
    return LineGaps("".join(decoded.text[i] for i in glyphs), bare, apart, spaced, chance)


@dataclass(frozen=True)
class Setting:
    """A table's letter spacing; lengths are relative to cap height.

    ``gap`` and ``wide_gap`` are the median and the ninth tenth of gaps between letters, ``space``
    the median gap where a space was read, ``pitch`` from middle to middle; ``fixed`` (0 to 1) is
    the share of pairs that stand at the pitch: 1 on a typewriter. ``bearings`` is the room that
    each character leaves, ``beyond`` what a space usually has beyond that; ``steps`` and
    ``beyond_step`` are the same from middle to middle, which dirt in a gap does not change.
    """

    gap: float = _USUAL_GAP
    wide_gap: float = _USUAL_WIDE_GAP
    space: float = _USUAL_SPACE
    pitch: float = _USUAL_PITCH
    fixed: float = 0.0
    bearings: Bearings = field(default_factory=lambda: Bearings(_USUAL_GAP))
    beyond: float = _USUAL_BEYOND
    steps: Bearings = field(default_factory=lambda: Bearings(_USUAL_PITCH))
    beyond_step: float = _USUAL_BEYOND


def measure_setting(lines: Sequence[LineGaps]) -> Setting:
    """Measure a table's letter spacing from the gaps of all its lines."""
    gaps: list[float] = []
    spaces: list[float] = []
    pitches: list[float] = []
    over_marks: list[float] = []
    for line in lines:
        text = line.text
        for k in range(len(line.bare)):
            if line.spaced[k]:
                spaces.append(float(line.bare[k]))
                continue
            if text[k].isalnum() and text[k + 1].isalnum():
                gaps.append(float(line.bare[k]))
                pitches.append(float(line.apart[k]))
            elif k and text[k] in _LOW_MARKS and text[k - 1].isalnum() and text[k + 1].isalnum():
                over_marks.append(float(line.apart[k - 1] + line.apart[k]))
    bearings, beyond = _measure_room(lines, [line.bare for line in lines], _USUAL_GAP)
    steps, beyond_step = _measure_room(lines, [line.apart for line in lines], _USUAL_PITCH)
    if len(gaps) < _LEAST_PAIRS:
        return Setting(bearings=bearings, beyond=beyond, steps=steps, beyond_step=beyond_step)
    pitch = float(np.median(pitches))
    even = np.abs(np.array(pitches) / pitch - 1) < _EVEN
    fixed = float(even.mean())
    if len(over_marks) >= _LEAST_PAIRS // 2:
        # Figures of one width are common; a comma as wide as they is not.
        fixed *= float((np.abs(np.array(over_marks) / (2 * pitch) - 1) < _EVEN).mean())
    gap, wide = np.percentile(gaps, (50, 90)).tolist()
    space = float(np.median(spaces)) if len(spaces) >= _LEAST_PAIRS // 2 else gap + 0.45
    return Setting(gap, wide, space, pitch, fixed, bearings, beyond, steps, beyond_step)


def _measure_room(
    lines: Sequence[LineGaps], widths: Sequence[NDArray[np.float64]], usual: float
) -> tuple[Bearings, float]:
    """Return the room that characters leave, and the median of what spaces add to it.

    ``widths`` are the gaps' of each line, over the height of capitals; ``usual`` is what they are
    where there is little text.
    """
    within: list[Gap] = []
    between: list[Gap] = []
    for line, own in zip(lines, widths, strict=True):
        gaps = zip(line.text, line.text[1:], own.tolist(), strict=False)
        for gap, spaced in zip(gaps, line.spaced.tolist(), strict=True):
            (between if spaced else within).append(gap)
    bearings = measure_bearings(within, usual)
    beyond = [width - bearings.expect(left, right) for left, right, width in between]
    if len(beyond) < _LEAST_PAIRS // 2:
        return bearings, _USUAL_BEYOND
    return bearings, max(_LEAST_BEYOND, float(np.median(beyond)))


def measure_gap_features(line: LineGaps, setting: Setting) -> NDArray[np.float64]:
    """Return the features of each gap of a line, shape (gaps, GAP_FEATURES)."""
    count = len(line.bare)
    out = np.zeros((count, GAP_FEATURES))
    own = line.bare[~line.spaced] if (~line.spaced).sum() >= 3 else np.array([setting.gap])
    own_gap = float(np.median(own))
    share = float(line.spaced.mean()) if count else 0.0
    spare = _spare_places(line, setting.pitch)
    for k in range(count):
        a, b = line.text[k], line.text[k + 1]
        chance = min(max(float(line.chance[k]), 1e-4), 1 - 1e-4)
        bare = float(line.bare[k])
        beyond = bare - setting.bearings.expect(a, b)
        step = float(line.apart[k]) - setting.steps.expect(a, b)
        low = a in _LOW_MARKS or b in _LOW_MARKS
        narrow = a in _NARROW or b in _NARROW
        out[k] = (
            np.log(chance / (1 - chance)),
            float(line.spaced[k]),
            bare,
            bare - setting.gap,
            bare - own_gap,
            (bare - setting.wide_gap) / max(setting.space - setting.gap, 0.1),
            min(bare / max(own_gap, 0.06), 8.0),
            setting.gap,
            setting.space,
            setting.fixed,
            spare[k],
            spare[k] * setting.fixed,
            float(low),
            float(narrow),
            float(a.isdigit() and b.isdigit()),
            float(a.isalpha() and b.isalpha()),
            share,
            min(count, 12) / 12,
            beyond,
            np.log1p(setting.bearings.count(a, b)),
            setting.bearings.noise,
            beyond / setting.beyond,
            step,
            step / setting.beyond_step,
            setting.steps.noise,
        )
    return out


def measure_stretch(line: LineGaps, setting: Setting) -> float:
    """Return how much wider than expected gaps within words are.

    In heights of capitals, 0 at least: ink, and not bare paper, takes the room. Where one letter
    was read for two that touch, it is a letter wide. Nothing is said of letters that the table
    hardly has.
    """
    most = 0.0
    for k in np.flatnonzero(~line.spaced).tolist():
        a, b = line.text[k], line.text[k + 1]
        if setting.steps.count(a, b) < _LEAST_SEEN:
            continue
        step = float(line.apart[k]) - setting.steps.expect(a, b)
        most = max(most, step - max(0.0, float(line.bare[k]) - setting.bearings.expect(a, b)))
    return most


def _spare_places(line: LineGaps, pitch: float) -> NDArray[np.float64]:
    """Return how many more characters of one pitch would fit in about each gap (-2 to 3).

    Measured between the full letters or figures on either side, for where a comma stands in its
    own place differs from face to face.
    """
    full = [i for i, char in enumerate(line.text) if char.isalnum()]
    along = np.concatenate([[0.0], np.cumsum(line.apart)])
    out = np.zeros(len(line.bare))
    for k in range(len(out)):
        left = max((i for i in full if i <= k), default=k)
        right = min((i for i in full if i > k), default=k + 1)
        out[k] = (along[right] - along[left]) / max(pitch, 0.1) - (right - left)
    return np.clip(out, -2, 3)


def judge_gaps(model: SpaceModel, features: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the probability that each gap is a space, shape (gaps,)."""
    scaled = np.clip((features - np.array(model.middle)) / np.array(model.scale), -8, 8)
    inner = np.maximum(scaled @ np.array(model.hidden).T + np.array(model.hidden_bias), 0.0)
    z = inner @ np.array(model.out) + model.out_bias
    return np.asarray(1 / (1 + np.exp(-np.clip(z, -_BOUND, _BOUND))), np.float64)


def set_spaces(decoded: Decoded, chances: NDArray[np.float64]) -> Decoded:
    """Insert likely spaces, remove unlikely ones, and weigh the beams accordingly.

    Beams that differ from the text by spaces alone are replaced by the likeliest ways of setting
    the gaps that are open to doubt; other beams stay.

    Parameters
    ----------
    decoded
        The line's decoding.
    chances
        Probability of a space in each gap between its characters, spaces left out.
    """
    glyphs = [i for i, char in enumerate(decoded.text) if char != " "]
    if len(glyphs) < 2:
        return decoded
    letters = "".join(decoded.text[i] for i in glyphs)
    best = tuple((chances > 0.5).tolist())
    total = sum(c for t, c in decoded.beams if t.replace(" ", "") == letters)
    unsure = [k for k in range(len(chances)) if _SETTLED < chances[k] < 1 - _SETTLED]
    unsure.sort(key=lambda k: abs(float(chances[k]) - 0.5))
    ways: list[tuple[tuple[bool, ...], float]] = [(best, 1.0)]
    for k in unsure[:_MOST_OPEN]:
        likely = max(float(chances[k]), 1 - float(chances[k]))
        other = [((*w[:k], not w[k], *w[k + 1 :]), c * (1 - likely)) for w, c in ways]
        ways = [(w, c * likely) for w, c in ways] + other
    for k in unsure[_MOST_OPEN:]:
        likely = max(float(chances[k]), 1 - float(chances[k]))
        ways = [(w, c * likely) for w, c in ways]
    ways.sort(key=lambda item: -item[1])
    set_ways = [(_spell(letters, way), total * chance) for way, chance in ways]
    others = [(t, c) for t, c in decoded.beams if t.replace(" ", "") != letters]
    text = set_ways[0][0]
    beams = (set_ways[0], *sorted(set_ways[1:] + others, key=lambda item: -item[1]))
    if text == decoded.text:
        return replace(decoded, beams=beams)
    places, own = [], []
    for k, i in enumerate(glyphs):
        places.append(decoded.places[i])
        own.append(float(decoded.chances[i]))
        if k < len(best) and best[k]:
            middle = (decoded.places[i, 1] + decoded.places[glyphs[k + 1], 0]) / 2
            places.append(np.array([middle - 0.5, middle + 0.5]))
            own.append(float(chances[k]))
    return replace(decoded, text=text, beams=beams, places=np.array(places), chances=np.array(own))


def _spell(letters: str, way: Sequence[bool]) -> str:
    return letters[0] + "".join(
        f" {char}" if apart else char for char, apart in zip(letters[1:], way, strict=True)
    )


def _clear_run(clear: NDArray[np.bool_], x: int) -> int:
    """Return the width of the bare run of columns around ``x``; 0 if there is ink."""
    if not 0 <= x < len(clear) or not clear[x]:
        return 0
    inked = np.flatnonzero(~clear)
    left = inked[inked < x].max(initial=-1)
    right = inked[inked > x].min(initial=len(clear))
    return int(right - left - 1)


def clear_marks(
    decoded: Decoded,
    grey: NDArray[np.uint8],
    middles: NDArray[np.float64],
    baseline: float,
    cap_px: float,
) -> Decoded:
    """Doubt a stop or comma that shows little ink; read a space where there is none.

    A number's form may make the recogniser see a mark that is not there. A mark of which it is sure
    is left alone: the mark's place is only estimated, and its ink may lie beside that. Where the
    feet of its neighbours are all that is inked between their middles, with a wide gap, there is
    none. The other text stays among the runner-up readings.

    Parameters
    ----------
    decoded
        The line's decoding.
    grey
        The line's cell with paper at ``PAPER_LEVEL``, shape (rows, cols).
    middles
        Column of each character's middle, shape (len(text),).
    baseline
        Row of the line's baseline.
    cap_px
        Height of its capitals.
    """
    low = max(0, round(baseline - _MARK_HIGH * cap_px))
    foot = grey[low : max(low + 1, round(baseline + _MARK_LOW * cap_px))]
    # A trace of grey is enough for a mark: copiers leave no more of some.
    bare_level = PAPER_LEVEL - _TRACE * (PAPER_LEVEL - float(np.percentile(grey, 2)))
    reach = _MARK_SIDE * cap_px
    clear = foot.min(axis=0, initial=PAPER_LEVEL) > bare_level
    bare = [
        i
        for i, (char, x) in enumerate(zip(decoded.text, middles, strict=True))
        if char in _LOW_MARKS
        and decoded.chances[i] < _SURE_MARK
        and (
            clear[max(0, int(x - reach)) : max(0, int(np.ceil(x + reach))) + 1].all()
            or _clear_run(clear, int(x)) > _WIDE_CLEAR * cap_px
        )
    ]
    if not bare:
        return decoded
    marks, kept = list(decoded.text), list(decoded.text)
    chances = decoded.chances.copy()
    for i in bare:
        marks[i], chances[i] = " ", _DOUBT
        if 0 < i < len(middles) - 1 and _is_bare(
            clear[int(middles[i - 1]) : int(middles[i + 1]) + 1], cap_px
        ):
            kept[i] = " "
    other = "".join(marks)
    if "  " in other or other != other.strip():  # a mark beside a space: leave it, in doubt
        return replace(decoded, chances=chances)
    text = "".join(kept)
    best = decoded.beams[0][1]
    ways = dict.fromkeys((text, decoded.text, other))  # what is read first, each once
    share = best / len(ways)
    others = tuple((t, c) for t, c in decoded.beams[1:] if t not in ways)
    return replace(
        decoded, text=text, beams=(*((t, share) for t in ways), *others), chances=chances
    )


def _is_bare(clear: NDArray[np.bool_], cap_px: float) -> bool:
    """Return whether only the outer ends of a stretch are inked, with a wide gap between them."""
    edges = np.flatnonzero(np.diff(np.concatenate([[True], clear, [True]]).astype(np.int8)))
    runs = edges.reshape(-1, 2)
    apart = [a for a, b in runs.tolist() if a > 0 and b < len(clear)]
    gaps = np.diff(np.concatenate([[0], edges, [len(clear)]]))[::2]
    return not apart and float(gaps.max(initial=0)) >= _WIDE_GAP * cap_px
