"""Faces that no foundry drew: letters half way between two faces, or some of either.

A reader that is to hold on faces it never saw is shown more of them than there are. Outlines are
blended by their signed distance fields, as shapes are morphed in graphics.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from synth.faces import Face

Ink = NDArray[np.uint8]

_FINER = 3  # glyphs are blended at this many times their size
_ALIKE = 0.35  # overlap of two letters' ink, over both, from which they may be blended
_NEAR_KINDS = {
    "sans": ("sans", "narrow", "mono"),
    "narrow": ("narrow", "sans"),
    "serif": ("serif", "typewriter"),
    "mono": ("mono", "sans"),
    "typewriter": ("typewriter", "serif", "mono"),
    "dots": ("dots",),
}


@dataclass(frozen=True)
class Glyph:
    """A letter's ink (True where it is), from ``left`` and ``top`` of the pen on the baseline."""

    ink: NDArray[np.bool_]
    left: float
    top: float
    advance: float


def choose_partner(rng: np.random.Generator, face: Face, faces: Sequence[Face]) -> Face:
    """Return a face of another family that may be mixed with ``face``; itself where none may."""
    near = _NEAR_KINDS[face.kind]
    others = [
        f for f in faces if f.kind in near and f.italic == face.italic and f.family != face.family
    ]
    return others[int(rng.integers(len(others)))] if others else face


def draw_glyph(font: ImageFont.FreeTypeFont, char: str) -> Glyph:
    """Return a letter as its face draws it, in px of the font's own size."""
    left, top, right, bottom = (round(v) for v in font.getbbox(char, anchor="ls"))
    advance = font.getlength(char)
    if right <= left or bottom <= top:
        return Glyph(np.zeros((0, 0), np.bool_), 0.0, 0.0, advance)
    picture = Image.new("L", (right - left, bottom - top), 0)
    ImageDraw.Draw(picture).text((-left, -top), char, font=font, fill=255, anchor="ls")
    ink = np.asarray(picture) > 127
    rows, cols = np.nonzero(ink.any(axis=1))[0], np.nonzero(ink.any(axis=0))[0]
    if not rows.size:
        return Glyph(np.zeros((0, 0), np.bool_), 0.0, 0.0, advance)
    tight = ink[rows[0] : rows[-1] + 1, cols[0] : cols[-1] + 1]
    return Glyph(tight, float(left + cols[0]), float(top + rows[0]), advance)


def _between(one: float, other: float, share: float) -> float:
    return one + share * (other - one)


def _resized(ink: NDArray[np.bool_], size: tuple[int, int]) -> NDArray[np.bool_]:
    picture = ink.astype(np.uint8) * 255
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_LINEAR) > 127)


def _depth(ink: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Return how far inside (above 0) or outside the ink every pixel lies, in px."""
    framed = np.pad(ink, 1).astype(np.uint8)
    inside = cv2.distanceTransform(framed, cv2.DIST_L2, 3)
    outside = cv2.distanceTransform(1 - framed, cv2.DIST_L2, 3)
    return np.asarray((inside - outside)[1:-1, 1:-1], np.float32)


def _parts(ink: NDArray[np.bool_]) -> tuple[int, int]:
    """Return how many pieces of ink and of paper there are: a 0 is no C."""
    framed = np.pad(ink, 1).astype(np.uint8)
    return cv2.connectedComponents(framed)[0], cv2.connectedComponents(1 - framed)[0]


def blend_glyphs(one: Glyph, other: Glyph, share: float) -> Glyph | None:
    """Return the letter ``share`` (0 to 1) of the way from one to the other.

    None where the two are too unlike, or what lies between them is not made as they are.
    """
    if not one.ink.size or not other.ink.size:
        return None
    sides = [
        max(1, round(_between(a, b, share)))
        for a, b in zip(one.ink.shape, other.ink.shape, strict=True)
    ]
    size = (sides[1], sides[0])
    inks = [_resized(glyph.ink, size) for glyph in (one, other)]
    either, both = (inks[0] | inks[1]).sum(), (inks[0] & inks[1]).sum()
    if not both or both < _ALIKE * either:
        return None
    depths = [_depth(ink) for ink in inks]
    ink = np.asarray((1 - share) * depths[0] + share * depths[1] > 0)
    if _parts(ink) not in (_parts(inks[0]), _parts(inks[1])):
        return None
    return Glyph(
        ink,
        _between(one.left, other.left, share),
        _between(one.top, other.top, share),
        _between(one.advance, other.advance, share),
    )


class BlendedFont:
    """A made face that draws like a font: every letter always the same, none quite a real one's.

    Parameters
    ----------
    faces
        The face whose letters are mixed, and its partner.
    cap_px
        Height of capitals.
    rng
        Chooses how far between the two faces it lies, and which letters are of one alone.
    """

    def __init__(self, faces: tuple[Face, Face], cap_px: float, rng: np.random.Generator) -> None:
        self._fonts = tuple(
            ImageFont.truetype(
                str(face.path),
                _FINER * cap_px / face.cap_ratio,
                layout_engine=ImageFont.Layout.BASIC,
            )
            for face in faces
        )
        self.size = cap_px / faces[0].cap_ratio
        self._chars = faces[1].chars
        self._share = float(rng.uniform(0.2, 0.8))
        self._seed = int(rng.integers(1 << 31))
        self._glyphs: dict[str, Glyph] = {}

    def _glyph(self, char: str) -> Glyph:
        if char not in self._glyphs:
            self._glyphs[char] = self._make(char)
        return self._glyphs[char]

    def _make(self, char: str) -> Glyph:
        one = draw_glyph(self._fonts[0], char)
        if char not in self._chars:
            return one
        other = draw_glyph(self._fonts[1], char)
        to_blend, of_first = np.random.default_rng([self._seed, ord(char)]).random(2)
        blended = blend_glyphs(one, other, self._share) if to_blend < 0.7 else None
        return blended or (one if of_first < 0.5 else other)

    def getlength(self, text: str) -> float:
        """Return how far the pen moves over ``text``, in px."""
        return sum(self._glyph(char).advance for char in text) / _FINER

    def stamp(
        self, draw: ImageDraw.ImageDraw, at: tuple[float, float], char: str, level: int
    ) -> None:
        """Draw a letter with the pen at ``at`` on its baseline, in the given grey."""
        glyph = self._glyph(char)
        if not glyph.ink.size:
            return
        left, top = at[0] * _FINER + glyph.left, at[1] * _FINER + glyph.top
        column, row = int(np.floor(left / _FINER)), int(np.floor(top / _FINER))
        before = (round(top - row * _FINER), round(left - column * _FINER))
        after = [-(b + n) % _FINER for b, n in zip(before, glyph.ink.shape, strict=True)]
        fine = np.pad(glyph.ink, [(b, a) for b, a in zip(before, after, strict=True)])
        rows, cols = fine.shape
        coarse = fine.reshape(rows // _FINER, _FINER, cols // _FINER, _FINER).mean(axis=(1, 3))
        mask = Image.fromarray(np.asarray(coarse * 255, np.uint8))
        draw.bitmap((column, row), mask, fill=level)
