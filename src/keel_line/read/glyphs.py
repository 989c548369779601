"""The glyphs of a page: their places, pictures, and which are certain examples of their kind."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.paper import Grey
from keel_line.read.decode import Decoded
from keel_line.read.prepare import LineRecipe

_EXEMPLARS = 24  # of a kind
_SURELY = 0.9
_REACH_CAPS = 0.93  # how far a glyph goes to either side of its middle
_OFF_MIDDLE = 0.03
_SIDE = 24
_SOFT = 1.0
PICTURE_SIZE = _SIDE * _SIDE
"""How many figures picture a glyph (see :func:`picture_glyph`)."""


@dataclass(frozen=True)
class Glyph:
    """One character of a line.

    Attributes
    ----------
    line, place
        Which line of the page, and which of its characters.
    kind
        Its class.
    chance
        How sure the network is of it (0 to 1).
    left, right
        Its columns on the prepared line (px).
    """

    line: int
    place: int
    kind: int
    chance: float
    left: float
    right: float


def cut_glyphs(
    number: int, picture: Grey, decoded: Decoded, class_of: dict[str, int], recipe: LineRecipe
) -> list[Glyph]:
    """Cut a line between its characters, where there is the least ink between two middles.

    Parameters
    ----------
    number
        Which line of the page it is.
    picture
        The prepared line, shape (rows, width).
    decoded
        What was read, and where its characters stand.
    class_of
        Class of each character.
    recipe
        Geometry of a prepared line.
    """
    seen = [i for i, char in enumerate(decoded.text) if char != " "]
    if not seen:
        return []
    ink = picture.sum(axis=0, dtype=np.float64)
    last = picture.shape[1] - 1.0
    # A step's receptive field lies half a step before the middle of its own columns.
    middles = np.clip((decoded.places[seen].mean(axis=1) - 0.5) * recipe.step, 0, last)
    cuts = []
    for a, b in zip(middles[:-1].tolist(), middles[1:].tolist(), strict=True):
        columns = np.arange(round(a), round(b) + 1)
        if len(columns) < 3:
            cuts.append((a + b) / 2)
            continue
        off = np.abs(columns - (a + b) / 2)
        cuts.append(float(columns[np.argmin(ink[columns] + 255 * _OFF_MIDDLE * off)]))
    reach = _REACH_CAPS * recipe.cap
    lefts = np.maximum([0.0, *cuts], middles - reach).tolist()
    rights = np.minimum([*cuts, last], middles + reach).tolist()
    return [
        Glyph(number, i, class_of[decoded.text[i]], float(decoded.chances[i]), left, right)
        for i, left, right in zip(seen, lefts, rights, strict=True)
    ]


def choose_exemplars(
    kind: int, kinds: NDArray[np.int_], glyphs: Sequence[Glyph], decoded: Sequence[Decoded]
) -> list[int]:
    """Return the most surely read glyphs of a kind, with their lines.

    ``kinds`` are the classes of all ``glyphs``, ``decoded`` the page's lines. At most 24.
    """
    own = [i for i in np.flatnonzero(kinds == kind).tolist() if glyphs[i].chance >= _SURELY]
    own.sort(key=lambda i: -glyphs[i].chance * decoded[glyphs[i].line].beams[0][1])
    return own[:_EXEMPLARS]


def picture_glyph(picture: Grey, glyph: Glyph, recipe: LineRecipe) -> NDArray[np.float64]:
    """Return a glyph's picture at half size, centred on its ink and softened.

    Shape (24 * 24,), 0 is paper, 1 is ink.
    """
    part = picture[:, round(glyph.left) : round(glyph.right) + 1].astype(np.float32)
    if not part.size:  # a character that no step was left for stands nowhere
        return np.zeros(PICTURE_SIZE)
    ink = part.sum(axis=0)
    middle = float((ink * np.arange(len(ink))).sum() / max(float(ink.sum()), 1.0))
    side = recipe.height
    move = np.array([[1.0, 0.0, side / 2 - 0.5 - middle], [0.0, 1.0, 0.0]])
    laid = cv2.GaussianBlur(cv2.warpAffine(part, move, (side, side)), (0, 0), _SOFT)
    small = cv2.resize(laid, (_SIDE, _SIDE), interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.float64).ravel() / 255


@dataclass(frozen=True, eq=False)
class PageLines:
    """A page's lines as the network reads them.

    Attributes
    ----------
    pictures
        Prepared lines, shape (rows, width) each.
    probs
        What the network gave for each, shape (steps, classes), class 0 the blank.
    alphabet
        Character of class ``i`` is ``alphabet[i - 1]``.
    recipe
        Geometry of a prepared line.
    """

    pictures: Sequence[Grey]
    probs: Sequence[NDArray[np.float32]]
    alphabet: str
    recipe: LineRecipe
    _seen: dict[tuple[int, int, int], NDArray[np.float32]] = field(default_factory=dict, repr=False)

    @cached_property
    def class_of(self) -> dict[str, int]:
        """Class of each character."""
        return {char: i + 1 for i, char in enumerate(self.alphabet)}

    def cut(self, decoded: Sequence[Decoded]) -> list[Glyph]:
        """Cut all lines between their characters, as they were read."""
        return [g for number, d in enumerate(decoded) for g in self.cut_line(number, d)]

    def cut_line(self, number: int, decoded: Decoded) -> list[Glyph]:
        """Cut one line between its characters, for one of its readings."""
        return cut_glyphs(number, self.pictures[number], decoded, self.class_of, self.recipe)

    def picture(self, glyph: Glyph) -> NDArray[np.float32]:
        """Return a glyph's picture (see :func:`picture_glyph`), made once and cached."""
        at = (glyph.line, round(glyph.left), round(glyph.right))
        if at not in self._seen:
            drawn = picture_glyph(self.pictures[glyph.line], glyph, self.recipe)
            self._seen[at] = drawn.astype(np.float32)
        return self._seen[at]
