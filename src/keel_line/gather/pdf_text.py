"""A PDF page's own characters and drawn lines, where it carries real text."""

from __future__ import annotations

import ctypes
import math
from dataclasses import replace
from itertools import pairwise
from statistics import median_low

import numpy as np
import pypdfium2 as pdfium
import pypdfium2.raw as pdfium_c
from numpy.typing import NDArray

from keel_line.gather.typed_rules import take_typed_rules
from keel_line.model.grid import Direction, Rule
from keel_line.model.page import UNKNOWN, PageText

_LEAST_CHARS = 12
_MOST_CHARS = 60_000  # six times what fills a sheet in small print
_HIDDEN = 3  # text render mode: neither filled nor stroked
_MOST_HIDDEN, _MOST_TURNED = 0.05, 0.3
_MOST_PICTURE = 0.5
_CAP_SHARE = 0.72  # of the size a face is set in
_LEAST_RULE_PT = 4.0
_THICKEST_PT = 4.0
_LEVEL_PT = 0.3
_TOUCH_PX = 3.0
_SAME_LINE_PX, _LEAST_APART, _MOSTLY_APART, _WORD_STEPS = 1.0, 6, 0.6, 1.5
_SPACE_EMS = 0.17
_UP_OR_DOWN = (math.pi / 2, 3 * math.pi / 2)


def read_page_text(page: pdfium.PdfPage, scale: float) -> PageText | None:
    """Read a page's characters and drawn lines in px of the picture it is drawn as.

    Parameters
    ----------
    page
        The page.
    scale
        Pixels of the picture a point (1/72 inch).

    Returns
    -------
    PageText or None
        None where the page has no real text: too few characters, more than a sheet holds, hidden
        ones behind a picture (what some other program made of a scan), characters without a known
        letter, lines of text that stand on their heads, or many that run up the page or down.
    """
    if _picture_share(page) > _MOST_PICTURE:
        return None
    matrix = _to_picture(page, scale)
    text = page.get_textpage()
    try:
        if text.count_chars() > _MOST_CHARS:
            return None
        chars, boxes, spaced, turned = _read_chars(text, matrix, scale)
    finally:
        text.close()
    if len(chars) < _LEAST_CHARS:
        return None
    rules = tuple(_read_rules(page, matrix, scale))
    return take_typed_rules(PageText("".join(chars), boxes, spaced, rules, turned))


def _to_picture(page: pdfium.PdfPage, scale: float) -> NDArray[np.float64]:
    """Return the map from the page's own points to px of its picture, shape (2, 3)."""
    width, height = (math.ceil(v * scale) for v in page.get_size())
    places = []
    # Fine steps: the library answers in whole px.
    fine = 64
    for x, y in ((0.0, 0.0), (100.0, 0.0), (0.0, 100.0)):
        col, row = ctypes.c_int(), ctypes.c_int()
        pdfium_c.FPDF_PageToDevice(
            page, 0, 0, width * fine, height * fine, 0, x, y, ctypes.byref(col), ctypes.byref(row)
        )
        places.append((col.value / fine, row.value / fine))
    origin, right, up = (np.array(p) for p in places)
    return np.column_stack([(right - origin) / 100, (up - origin) / 100, origin])


def _apply(matrix: NDArray[np.float64], x: float, y: float) -> tuple[float, float]:
    col, row = matrix @ (x, y, 1.0)
    return float(col), float(row)


def _picture_share(page: pdfium.PdfPage) -> float:
    """Return how much of the page pictures cover (0 to 1), overlaps counted twice."""
    width, height = page.get_size()
    covered = 0.0
    for item in page.get_objects(filter=[pdfium_c.FPDF_PAGEOBJ_IMAGE]):
        left, low, right, top = _bounds_on_page(item)
        covered += max(0.0, right - left) * max(0.0, top - low)
    return float(covered / max(1.0, width * height))


def _bounds_on_page(item: pdfium.PdfObject) -> tuple[float, float, float, float]:
    """Return the bounding box of an item on the page: left, bottom, right, top (pt)."""
    left, low, right, top = _way_to_page(item).on_rect(*item.get_bounds())
    return left, low, right, top


def _matrix_on_page(item: pdfium.PdfObject) -> tuple[float, ...]:
    """Return the matrix (a, b, c, d, e, f) that turns an item's coordinates into the page's."""
    return tuple(item.get_matrix().multiply(_way_to_page(item)).get())


def _way_to_page(item: pdfium.PdfObject) -> pdfium.PdfMatrix:
    """Return the matrix that turns coordinates of the drawing around an item into the page's.

    A page may hold drawings, and these may hold others. Each has a matrix of its own.
    """
    way, holder = pdfium.PdfMatrix(), item.container
    while holder is not None:
        way, holder = way.multiply(holder.get_matrix()), holder.container
    return way


def _read_chars(
    text: pdfium.PdfTextPage, matrix: NDArray[np.float64], scale: float
) -> tuple[list[str], NDArray[np.float64], NDArray[np.bool_], NDArray[np.bool_]]:
    """Return the visible characters, their boxes, if white space is before each, if it is turned.

    None where they cannot be trusted.
    """
    chars: list[str] = []
    spaced: list[bool] = []
    after_space, guessed = True, False
    guesses: list[bool] = []
    origins: list[tuple[float, float]] = []
    sizes: list[float] = []
    widths: list[float] = []
    faces: list[int] = []
    boxes: list[tuple[float, float, float, float]] = []
    turned: list[bool] = []
    hidden = odd = 0
    for i in range(text.count_chars()):
        char = chr(pdfium_c.FPDFText_GetUnicode(text, i))
        made_up = pdfium_c.FPDFText_IsGenerated(text, i) == 1
        if made_up or char.isspace():
            guessed = made_up and (guessed or not after_space)
            after_space = True
            continue
        item = pdfium_c.FPDFText_GetTextObject(text, i)
        hidden += pdfium_c.FPDFTextObj_GetTextRenderMode(item) == _HIDDEN
        odd += pdfium_c.FPDFText_HasUnicodeMapError(text, i) == 1 or not char.isprintable()
        angle = pdfium_c.FPDFText_GetCharAngle(text, i)
        odd += abs(angle - math.pi) < math.pi / 4
        is_turned = min(abs(angle - a) for a in _UP_OR_DOWN) < math.pi / 4
        left, low, right, top = text.get_charbox(i)
        x, y = ctypes.c_double(), ctypes.c_double()
        pdfium_c.FPDFText_GetCharOrigin(text, i, ctypes.byref(x), ctypes.byref(y))
        size, width = (scale * v for v in _measure_character(text, i, char))
        (x0, y0), (x1, y1) = _apply(matrix, left, low), _apply(matrix, right, top)
        origins.append(_apply(matrix, x.value, y.value))
        sizes.append(size)
        widths.append(width)
        face = ctypes.cast(pdfium_c.FPDFTextObj_GetFont(item), ctypes.c_void_p).value
        faces.append(0 if face is None else face)
        baseline = origins[-1][1]
        chars.append(char if char.isprintable() else UNKNOWN)
        spaced.append(after_space)
        guesses.append(guessed)
        after_space = guessed = False
        turned.append(is_turned)
        span = (y0, y1) if is_turned else (baseline - _CAP_SHARE * size, baseline)
        boxes.append((min(x0, x1), min(span), max(x0, x1), max(span)))
    if hidden + odd > _MOST_HIDDEN * len(chars) or sum(turned) > _MOST_TURNED * len(chars):
        return [], np.zeros((0, 4)), np.zeros(0, bool), np.zeros(0, bool)
    places = np.array(origins, float).reshape(-1, 2)
    fonts = [(face, round(size)) for face, size in zip(faces, sizes, strict=True)]
    unsaid = _find_unsaid(chars, fonts, np.array(spaced, bool), places, np.array(widths, float))
    unsaid &= ~np.array(turned, bool)
    spaces = _close_up(chars, unsaid | spaced, unsaid | guesses, places)
    return chars, np.array(boxes, float).reshape(-1, 4), spaces, np.array(turned, bool)


def _find_unsaid(
    chars: list[str],
    fonts: list[tuple[int, int]],
    spaced: NDArray[np.bool_],
    origins: NDArray[np.float64],
    widths: NDArray[np.float64],
) -> NDArray[np.bool_]:
    """Return before which letters and figures white space is that nothing in the file tells of.

    Some programs leave room for a space without writing one, and the library sees only large ones.
    There the next character stands farther off than this one is wide, by more than letters of its
    font (face, and size in px) usually do. Where the width is not known (0), the same character's
    usual step tells. Between two figures such a gap may be the thin space of a number; it is none.
    """
    out = np.zeros(len(chars), bool)
    steps = np.diff(origins[:, 0])
    level = np.abs(np.diff(origins[:, 1])) <= _SAME_LINE_PX
    # The letters of a ligature stand in one place, and what follows is as far off as it is wide.
    level[1:] &= ~level[:-1] | (np.abs(steps[:-1]) > _SAME_LINE_PX)
    close = [
        k
        for k in np.flatnonzero(level & (steps > 0) & ~spaced[1:]).tolist()
        if chars[k].isalnum() and chars[k + 1].isalnum()
    ]
    taken: dict[tuple[str, int, int], list[float]] = {}
    between: dict[tuple[int, int], list[float]] = {}
    for k in close:
        taken.setdefault((chars[k], *fonts[k]), []).append(float(steps[k]))
        if widths[k] > 0:
            between.setdefault(fonts[k], []).append(float(steps[k] - widths[k]))
    usual = {key: median_low(own) for key, own in taken.items()}
    apart = {key: max(0.0, median_low(own)) for key, own in between.items()}
    for k in close:
        least = usual[chars[k], *fonts[k]]
        if widths[k] > 0:
            least = min(least, float(widths[k]) + apart[fonts[k]])
        figures = chars[k].isdigit() and chars[k + 1].isdigit()
        out[k + 1] = steps[k] - least > _SPACE_EMS * fonts[k][1] and not figures
    return out


def _close_up(
    chars: list[str],
    spaced: NDArray[np.bool_],
    guesses: NDArray[np.bool_],
    origins: NDArray[np.float64],
) -> NDArray[np.bool_]:
    """Return before which characters white space is, without the gaps of letters set apart.

    The library takes these for spaces (``guesses``). Where most letters of a line are apart, a
    space is where one stands farther from the letter before it than they usually do. Leaders of
    points, which are apart as well, do not count.
    """
    if not guesses.any():
        return spaced
    out = spaced.copy()
    written = np.array([c.isalnum() for c in chars])
    both = np.concatenate([[False], written[1:] & written[:-1]])
    either = np.concatenate([[False], written[1:] | written[:-1]])
    line = np.concatenate([[0], np.cumsum(np.abs(np.diff(origins[:, 1])) > _SAME_LINE_PX)])
    for number in np.unique(line[guesses]).tolist():
        own = np.flatnonzero(line == number)[1:]
        inner = own[both[own]]
        if len(inner) < _LEAST_APART or guesses[inner].mean() < _MOSTLY_APART:
            continue
        usual = np.median(np.diff(origins[:, 0])[inner - 1])
        apart = own[guesses[own] & either[own]]
        steps = origins[apart, 0] - origins[apart - 1, 0]
        out[apart] = (steps > _WORD_STEPS * usual) | (steps <= 0)
    return out


def _measure_character(text: pdfium.PdfTextPage, number: int, char: str) -> tuple[float, float]:
    """Return a character's font size and its width (pt); the width is 0 if the file has none."""
    size = pdfium_c.FPDFText_GetFontSize(text, number)
    font = pdfium_c.FPDFTextObj_GetFont(pdfium_c.FPDFText_GetTextObject(text, number))
    width = ctypes.c_float()
    pdfium_c.FPDFFont_GetGlyphWidth(font, ord(char), size, ctypes.byref(width))
    matrix = pdfium_c.FS_MATRIX()  # the page may enlarge it beyond its font size
    if not pdfium_c.FPDFText_GetMatrix(text, number, ctypes.byref(matrix)):
        return size, width.value
    higher = math.hypot(matrix.c, matrix.d) or 1.0
    return size * higher, width.value * (math.hypot(matrix.a, matrix.b) or higher)


def _read_rules(page: pdfium.PdfPage, matrix: NDArray[np.float64], scale: float) -> list[Rule]:
    """Return the straight lines that are drawn across and down the page, pieces joined."""
    pieces: list[tuple[bool, float, float, float, float]] = []
    for item in page.get_objects(filter=[pdfium_c.FPDF_PAGEOBJ_PATH]):
        pieces += _pieces_of(item, matrix, scale)
    # Some programs draw a line as a picture of one point, stretched.
    for item in page.get_objects(filter=[pdfium_c.FPDF_PAGEOBJ_IMAGE]):
        pieces += _thin_box(_bounds_on_page(item), matrix, scale)
    return [*_join([p for p in pieces if p[0]]), *_join([p for p in pieces if not p[0]])]


def _pieces_of(
    item: pdfium.PdfObject, matrix: NDArray[np.float64], scale: float
) -> list[tuple[bool, float, float, float, float]]:
    """Return (across, start, end, position, thickness) in px of each straight piece of a path."""
    filled, stroked = ctypes.c_int(), ctypes.c_int()
    pdfium_c.FPDFPath_GetDrawMode(item, ctypes.byref(filled), ctypes.byref(stroked))
    if filled.value and not stroked.value:  # thin filled boxes are lines, a large one a ground
        out = _thin_box(_bounds_on_page(item), matrix, scale)
        for part in () if out else _parts_of(item):
            (left, low), (right, top) = np.min(part, axis=0), np.max(part, axis=0)
            out += _thin_box((left, low, right, top), matrix, scale)
        return out
    if not stroked.value:
        return []
    width = ctypes.c_float()
    pdfium_c.FPDFPageObj_GetStrokeWidth(item, ctypes.byref(width))
    a, b, *_ = _matrix_on_page(item)
    thick = max(1.0, width.value * scale * math.hypot(a, b))
    out = []
    for part in _parts_of(item):
        points = [_apply(matrix, x, y) for x, y in part]
        for first, last in pairwise(points):
            out += _piece(first, last, scale, thick)
    return out


def _thin_box(
    bounds: tuple[float, float, float, float], matrix: NDArray[np.float64], scale: float
) -> list[tuple[bool, float, float, float, float]]:
    """Return a thin box (pt) as a line; an empty list if the box is not thin."""
    left, low, right, top = bounds
    if min(right - left, top - low) > _THICKEST_PT:
        return []
    (x0, y0), (x1, y1) = _apply(matrix, left, low), _apply(matrix, right, top)
    thick = max(1.0, min(abs(x1 - x0), abs(y1 - y0)))
    return _piece((x0, (y0 + y1) / 2), (x1, (y0 + y1) / 2), scale, thick) or _piece(
        ((x0 + x1) / 2, y0), ((x0 + x1) / 2, y1), scale, thick
    )


def _parts_of(item: pdfium.PdfObject) -> list[list[tuple[float, float]]]:
    """Return the points (pt on the page) of each part of a path that is drawn in one go.

    A part ends at a curve; what is closed comes back to its first point.
    """
    a, b, c, d, e, f = _matrix_on_page(item)
    out: list[list[tuple[float, float]]] = []
    for k in range(pdfium_c.FPDFPath_CountSegments(item)):
        segment = pdfium_c.FPDFPath_GetPathSegment(item, k)
        x, y = ctypes.c_float(), ctypes.c_float()
        pdfium_c.FPDFPathSegment_GetPoint(segment, ctypes.byref(x), ctypes.byref(y))
        point = (a * x.value + c * y.value + e, b * x.value + d * y.value + f)
        straight = pdfium_c.FPDFPathSegment_GetType(segment) == pdfium_c.FPDF_SEGMENT_LINETO
        if straight and out:
            out[-1].append(point)
        else:
            out.append([point])
        if pdfium_c.FPDFPathSegment_GetClose(segment):
            out[-1].append(out[-1][0])
    return out


def _piece(
    a: tuple[float, float], b: tuple[float, float], scale: float, thick: float
) -> list[tuple[bool, float, float, float, float]]:
    """Return a piece of a line that is level or upright, none of one that is neither or short."""
    wide, high = abs(b[0] - a[0]), abs(b[1] - a[1])
    if max(wide, high) < _LEAST_RULE_PT * scale:
        return []
    if high <= _LEVEL_PT * scale:
        return [(True, min(a[0], b[0]), max(a[0], b[0]), (a[1] + b[1]) / 2, thick)]
    if wide <= _LEVEL_PT * scale:
        return [(False, min(a[1], b[1]), max(a[1], b[1]), (a[0] + b[0]) / 2, thick)]
    return []


def _join(pieces: list[tuple[bool, float, float, float, float]]) -> list[Rule]:
    """Join pieces that lie on one line and touch: cells are often drawn one by one."""
    out: list[Rule] = []
    ordered = sorted(pieces, key=lambda p: (round(p[3] / _TOUCH_PX), p[1]))
    for across, start, end, position, thick in ordered:
        last = out[-1] if out else None
        if (
            last is not None
            and abs(last.position - position) <= _TOUCH_PX
            and start <= last.end + _TOUCH_PX + thick
        ):
            most = max(last.thickness_px, thick)
            out[-1] = replace(last, end=max(last.end, end), thickness_px=most)
        else:
            way: Direction = "across" if across else "down"
            out.append(Rule(way, start, end, position, 0.0, thick, 1.0))
    return out
