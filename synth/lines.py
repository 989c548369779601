"""Lines of text with the place of each character, drawn many at a time on one sheet.

A sheet has one face, one size and one condition of paper, so that the costly degradation is
done once for all its lines; each line is then cut out and prepared as the reader does it.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from keel_line._shared.paper import flatten_light
from keel_line.read.prepare import LineRecipe, prepare_line
from synth.blend import BlendedFont, choose_partner
from synth.faces import Face
from synth.paper import CONDITIONS, Grey, Rng, fax, spread_ink
from synth.text import Group, make_text

_Font = ImageFont.FreeTypeFont | BlendedFont

LINES_A_SHEET = 20
CONDITION_SHARES = {"clean": 0.36, "office": 0.2, "copy": 0.17, "fax": 0.17, "photo": 0.10}
# Capital heights on the picture in px: 300 dpi text is 20 to 42 high, office scans are smaller.
CAP_RANGE_PX = {
    "clean": (17, 44),
    "office": (10.5, 24),
    "copy": (15, 36),
    "fax": (19, 40),
    "photo": (10, 24),
}
_EASY_SHARES = {"clean": 0.7, "office": 0.15, "copy": 0.05, "fax": 0.05, "photo": 0.05}


@dataclass(frozen=True)
class LineSample:
    """A prepared line with its truth.

    ``image`` has shape (recipe.height, width); ``spans`` has shape (len(text), 2): left and right
    of each character in px of the prepared line.
    """

    image: Grey
    text: str
    spans: NDArray[np.float32]
    group: Group
    condition: str
    family: str


@dataclass(frozen=True)
class _Placed:
    text: str
    group: Group
    baseline: float
    left: float
    right: float
    spans: list[tuple[float, float]]


def _fit_text(
    rng: Rng,
    face: Face,
    allowed: Collection[str],
    *,
    held: bool,
    shares: Mapping[Group, float] | None,
) -> tuple[str, Group]:
    text, group = make_text(rng, held=held, shares=shares)
    for _ in range(8):
        text, group = make_text(rng, held=held, shares=shares)
        if len(text) <= 44 and all(c in face.chars and c in allowed for c in text):
            return text, group
    kept = "".join(c for c in text if c in face.chars and c in allowed)[:44].strip()
    return kept or "0", group


def _put(
    draw: ImageDraw.ImageDraw, at: tuple[float, float], char: str, font: _Font, level: int = 0
) -> None:
    if isinstance(font, BlendedFont):
        font.stamp(draw, at, char, level)
    else:
        draw.text(at, char, font=font, fill=level, anchor="ls")


def _draw_line(
    draw: ImageDraw.ImageDraw,
    font: _Font,
    text: str,
    at: tuple[float, float],
    rng: Rng,
    *,
    spacing: float,
    strike: float,
    cell: tuple[float, float] | None = None,
) -> list[tuple[float, float]]:
    """Draw one line and return the left and right of each character.

    ``cell`` sets every character into a cell of one width (px), at the share of the room beside
    it: a comma then stands as far from its neighbours as on a line printer.
    """
    x, y = at
    if cell is not None:
        pitch, hang = cell
        for i, char in enumerate(text):
            room = (pitch - font.getlength(char)) * hang
            _put(draw, (x + i * pitch + room, y), char, font)
        return [(x + i * pitch, x + (i + 1) * pitch) for i in range(len(text))]
    if spacing == 0.0 and strike == 0.0 and not isinstance(font, BlendedFont):
        draw.text((x, y), text, font=font, fill=0, anchor="ls")
        advances = np.cumsum([0.0] + [font.getlength(c) for c in text])
        edges = x + advances * (font.getlength(text) / max(advances[-1], 1e-6))  # kerning evened
        return list(zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True))
    spans = []
    size = font.size
    for char in text:
        advance = font.getlength(char) + spacing
        dx, dy = rng.normal(0, 0.018, 2) * size * strike
        if rng.random() < 0.04 * strike:
            dy += rng.choice([-1, 1]) * 0.07 * size
        level = int(np.clip(abs(rng.normal(0, 45)) * strike, 0, 130))
        _put(draw, (x + dx, y + dy), char, font, level)
        if strike > 0.7 and rng.random() < 0.12:  # struck twice
            _put(draw, (x + dx + 0.02 * size, y + dy), char, font, level)
        spans.append((x, x + advance))
        x += advance
    return spans


def _choose_face(rng: Rng, faces: tuple[Face, ...]) -> Face:
    families = sorted({f.family for f in faces})
    family = families[int(rng.integers(len(families)))]
    own = [f for f in faces if f.family == family]
    weights = np.array([0.35 if f.italic else (0.7 if f.bold else 1.0) for f in own])
    return own[int(rng.choice(len(own), p=weights / weights.sum()))]


def _open_font(
    rng: Rng, face: Face, faces: tuple[Face, ...], cap_px: float, blended: float
) -> _Font:
    if blended and rng.random() < blended:
        return BlendedFont((face, choose_partner(rng, face, faces)), cap_px, rng)
    size = cap_px / face.cap_ratio
    return ImageFont.truetype(str(face.path), size, layout_engine=ImageFont.Layout.BASIC)


def _choose_cell(face: Face, font: _Font, rng: Rng) -> tuple[float, float] | None:
    """Now and then set a face of many widths into cells of one, as simple printers do."""
    if face.kind not in {"sans", "serif", "narrow"} or rng.random() >= 0.06:
        return None
    return font.getlength("m") * rng.uniform(0.8, 1.05), float(rng.choice([0.1, 0.5]))


def _longest_px(text: str, font: _Font, spacing: float, cell: tuple[float, float] | None) -> float:
    """Return how long a line may become however it is set."""
    in_cells = len(text) * cell[0] if cell else 0.0
    return max(font.getlength(text) + max(spacing, 0) * len(text), in_cells)


def _may_be_set_wide(text: str) -> bool:
    """Return whether a text is one that printers set wide: words, the longest of four letters."""
    return max(map(len, text.split()), default=0) >= 4 and not any(c.isdigit() for c in text)


def _as_dots(grey: Grey, cap_px: float, rng: Rng) -> Grey:
    """Print as a needle printer does: a raster of dots of about seven or nine to a capital."""
    pitch = cap_px / rng.choice([7.0, 8.0, 9.0])
    rows, cols = grey.shape
    size = (max(1, round(cols / pitch * rng.choice([1.0, 2.0]))), max(1, round(rows / pitch)))
    cells = cv2.resize(grey, size, interpolation=cv2.INTER_AREA) < rng.integers(125, 175)
    out = np.full(grey.shape, 255, np.uint8)
    radius = pitch * rng.uniform(0.36, 0.6)
    step_y, step_x = rows / size[1], cols / size[0]
    for row, col in zip(*np.nonzero(cells), strict=True):
        centre = (round((col + 0.5) * step_x * 16), round((row + 0.5) * step_y * 16))
        cv2.circle(out, centre, round(radius * 16), 0, -1, cv2.LINE_AA, 4)
    return out


def _draw_remains(grey: Grey, placed: list[_Placed], cap_px: float, rng: Rng) -> None:
    """Leave remains of rules near some lines, as cutting cells out of a form does."""
    width = max(1, round(cap_px * rng.uniform(0.05, 0.14)))
    for line in placed:
        left, right = round(line.left), round(line.right)
        if rng.random() < 0.10:  # a rule or an underline below, now and then through descenders
            y = round(line.baseline + cap_px * rng.uniform(0.18, 0.5))
            start = (
                left - round(cap_px) if rng.random() < 0.6 else int(rng.integers(left, right + 1))
            )
            cv2.line(grey, (start, y), (right + round(cap_px), y), int(rng.integers(0, 120)), width)
        if rng.random() < 0.07:
            y = round(line.baseline - cap_px * rng.uniform(1.35, 1.7))
            cv2.line(
                grey,
                (left - round(cap_px), y),
                (right + round(cap_px), y),
                int(rng.integers(0, 120)),
                width,
            )
        for x in (left - cap_px * rng.uniform(0.3, 0.9), right + cap_px * rng.uniform(0.3, 0.9)):
            if rng.random() < 0.07:
                top = line.baseline - cap_px * rng.uniform(0.4, 2.0)
                low = line.baseline + cap_px * rng.uniform(-0.2, 0.8)
                cv2.line(
                    grey,
                    (round(x), round(top)),
                    (round(x), round(low)),
                    int(rng.integers(0, 120)),
                    width,
                )
        if rng.random() < 0.015:  # struck out
            y = round(line.baseline - cap_px * 0.4)
            cv2.line(grey, (left, y), (right, y), 60, max(1, width // 2))
        if rng.random() < 0.02:  # dotted leader after the text
            y = round(line.baseline - 1)
            for x in np.arange(right + cap_px * 1.6, right + cap_px * 4, cap_px * 0.45):
                cv2.circle(grey, (round(x), y), max(1, round(cap_px * 0.07)), 0, -1)


def make_sheet(
    rng: Rng,
    faces: tuple[Face, ...],
    allowed: Collection[str],
    recipe: LineRecipe,
    *,
    held: bool = False,
    easy: bool = False,
    shares: Mapping[Group, float] | None = None,
    blended: float = 0.0,
) -> list[LineSample]:
    """Draw a sheet of lines and cut it into prepared samples.

    Parameters
    ----------
    rng
        Source of chance.
    faces
        Faces to choose from.
    allowed
        Characters that may be written (the recogniser's alphabet).
    recipe
        Geometry of prepared lines.
    held
        Use the held-out tenth of the word lists.
    easy
        Mostly clean paper, for the beginning of training.
    shares
        Share of each group of texts (see ``make_text``).
    blended
        Chance that the sheet's face is a made one between two of them (0 to 1).
    """
    face = _choose_face(rng, faces)
    mix = _EASY_SHARES if easy else CONDITION_SHARES
    condition = str(rng.choice(list(mix), p=list(mix.values())))
    cap_px = float(rng.uniform(*CAP_RANGE_PX[condition]))
    font = _open_font(rng, face, faces, cap_px, blended)
    typed = face.kind == "typewriter" or (face.kind == "mono" and rng.random() < 0.3)
    strike = float(rng.uniform(0.2, 1.0)) if typed and rng.random() < 0.75 else 0.0
    spacing = 0.0
    if rng.random() < 0.22 or strike:
        spacing = cap_px * float(
            rng.choice([-0.04, 0.05, 0.1, 0.2, 0.45], p=[0.3, 0.3, 0.2, 0.1, 0.1])
        )
        spacing = 0.0 if strike and rng.random() < 0.7 else spacing
    pitch = cap_px * rng.uniform(1.75, 3.2)
    texts = [_fit_text(rng, face, allowed, held=held, shares=shares) for _ in range(LINES_A_SHEET)]
    cell = None if strike else _choose_cell(face, font, rng)
    pad = cap_px * 4.5
    longest = max(_longest_px(t, font, spacing, cell) for t, _ in texts)
    page = Image.new("L", (int(longest + 2 * pad), int(pitch * (len(texts) + 1))), 255)
    draw = ImageDraw.Draw(page)
    placed = []
    for i, (text, group) in enumerate(texts):
        at = (pad + rng.uniform(0, 1), pitch * (i + 1) + rng.uniform(-0.5, 0.5))
        # Only words of some length are set wide; "N 4" is two pieces, not one letterspaced.
        wide = spacing > 0.15 * cap_px and not _may_be_set_wide(text)
        apart = 0.05 * cap_px if wide else spacing
        spans = _draw_line(draw, font, text, at, rng, spacing=apart, strike=strike, cell=cell)
        placed.append(_Placed(text, group, at[1], spans[0][0], spans[-1][1], spans))
    grey = np.array(page)
    if face.kind in {"dots", "mono"} and cap_px > 17 and rng.random() < 0.3:
        grey = _as_dots(grey, cap_px, rng)
    _draw_remains(grey, placed, cap_px, rng)
    if rng.random() < 0.35:
        grey = spread_ink(grey, rng.uniform(-0.6, 1.3) * cap_px / 28, cap_px / 40)
    slope = float(rng.normal(0, 0.0022)) if rng.random() < 0.4 else 0.0
    if slope:
        shear = np.array([[1, 0, 0], [slope, 1, -slope * grey.shape[1] / 2]])
        grey = cv2.warpAffine(grey, shear, grey.shape[::-1], borderValue=255)
    if condition == "fax":
        dpi = cap_px / float(rng.uniform(0.078, 0.125))  # 8 to 13 point
        rows, cols = grey.shape
        grey = fax(grey, rng, dpi=dpi, fine=bool(rng.random() < 0.6))
        back = 204 / dpi
        # Square proportions again, at the fax's own width, as the page is squared.
        grey = cv2.resize(
            grey, (round(cols * back), round(rows * back)), interpolation=cv2.INTER_LINEAR
        )
    else:
        back = 1.0
        grey = CONDITIONS[condition](grey, rng)
        if condition == "photo":
            grey = flatten_light(grey)
    middle = page.width / 2
    return [
        _cut(
            np.asarray(grey, np.uint8),
            line,
            back,
            cap_px,
            slope * ((line.left + line.right) / 2 - middle),
            rng,
            recipe,
            condition,
            face.family,
        )
        for line in placed
    ]


def _cut(
    grey: Grey,
    line: _Placed,
    back: float,
    cap_px: float,
    drop: float,
    rng: Rng,
    recipe: LineRecipe,
    condition: str,
    family: str,
) -> LineSample:
    """Cut one line out of the sheet with the errors that a real line finder makes."""
    cap = cap_px * back * float(np.exp(rng.normal(0, 0.045)))
    if rng.random() < 0.08:
        cap *= float(rng.choice([0.85, 1.18, 0.75]))
    baseline = (line.baseline + drop) * back + float(rng.normal(0, 0.035)) * cap
    left = line.left * back - cap * rng.uniform(0.08, 0.7)
    right = line.right * back + cap * rng.uniform(0.08, 0.7)
    if rng.random() < 0.05:
        right += cap * rng.uniform(0.5, 3.0)
    x0, x1 = max(0, int(left)), min(grey.shape[1], int(np.ceil(right)))
    above, below = rng.uniform(1.15, 1.6), rng.uniform(0.32, 0.6)
    y0 = max(0, int(baseline - above * cap))
    y1 = min(grey.shape[0], int(np.ceil(baseline + below * cap)))
    image = prepare_line(np.ascontiguousarray(grey[y0:y1, x0:x1]), baseline - y0, cap, recipe)
    scale = recipe.cap / cap
    spans = (np.array(line.spans, np.float32) * back - x0) * scale + recipe.margin
    return LineSample(image, line.text, spans, line.group, condition, family)
