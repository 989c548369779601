"""Pages from picture files: PNG, JPEG, TIFF of many pages, WebP, BMP, PNM."""

from __future__ import annotations

import io

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps

from keel_line.errors import InputError
from keel_line.gather.decoders import (
    LEAST_SIDE_PX,
    MOST_ASPECT,
    MOST_PIXELS,
    MOST_SAMPLES,
    reported_as,
)
from keel_line.gather.tiff import begin_at_page, find_tiff_pages
from keel_line.model.page import Page, PageKind, Resolution

FORMATS = ("PNG", "JPEG", "TIFF", "WEBP", "BMP", "PPM")
"""Formats that are taken, by content. Others may start programs: PostScript starts Ghostscript."""

_PAPER_IN = (8.27, 11.69)
_GREYISH, _COLOURED = 24, 56  # brightest less darkest channel, of 255
_FAX_Y_DPI = (98, 196, 391)

# The bound above is ours; Pillow's own would warn on pages that are merely large.
Image.MAX_IMAGE_PIXELS = None


def count_picture_pages(data: bytes, name: str) -> int:
    """Count the pages of a picture file.

    Raises
    ------
    InputError
        When the bytes are no picture that can be read.
    """
    _open(data, name)
    return max(1, len(find_tiff_pages(data)))  # the frames of a moving picture are no pages


def load_picture_page(data: bytes, name: str, number: int, *, no_colour: bool = False) -> Page:
    """Load page ``number`` (from 1) of a picture file as grey; see ``colour_to_grey``.

    Raises
    ------
    InputError
        When the page is missing, cut short, empty or far too large.
    """
    image = _open_page(data, name, number)
    with reported_as(f"{name} is damaged or cut short (page {number}). Copy or scan it again."):
        width, height = image.size
        if min(width, height) < LEAST_SIDE_PX:
            raise InputError(
                f"{name} is only {width} by {height} pixels: there is no page in it. Scan it again."
            )
        if max(width, height) > MOST_ASPECT * min(width, height):
            raise InputError(f"{name} is {width:,} by {height:,} pixels: a strip, not a page.")
        if width * height * len(image.getbands()) > MOST_SAMPLES or width * height > MOST_PIXELS:
            raise InputError(
                f"{name} is {width:,} by {height:,} pixels, too large for a page. "
                "Scan it again at 300 dpi, or split it."
            )
        image.load()
        kind = _kind(image)
        resolution = find_resolution(image.info.get("dpi"), (width, height))
        grey, turned = _to_grey(image, no_colour=no_colour)
    if turned:
        resolution = Resolution(resolution.y_dpi, resolution.x_dpi, resolution.estimated)
    return Page(grey, resolution, name, number, kind)


def _open_page(data: bytes, name: str, number: int) -> Image.Image:
    """Open a picture file at a page."""
    offsets = find_tiff_pages(data)
    if not 1 <= number <= max(1, len(offsets)):
        raise InputError(f"{name} has no page {number}.")
    return _open(begin_at_page(data, offsets[number - 1]) if number > 1 else data, name)


def find_resolution(stated: object, size_px: tuple[int, int]) -> Resolution:
    """Take the resolution that the file states, or estimate it from the paper's size.

    A statement is not believed where it makes the page smaller than a hand or larger than a
    poster, as 72 dpi on a page of 2,500 px does.
    """
    if isinstance(stated, tuple) and len(stated) == 2:
        x, y = float(stated[0]), float(stated[1])
        if x > 0 and y > 0:
            sides = size_px[0] / x, size_px[1] / y
            if 60 <= x <= 2500 and 60 <= y <= 2500 and 2 <= max(sides) <= 22:
                return Resolution(round(x, 2), round(y, 2))
    long, short = max(size_px), min(size_px)
    dpi = max(72.0, min(1200.0, max(long / _PAPER_IN[1], short / _PAPER_IN[0])))
    return Resolution(round(dpi), round(dpi), estimated=True)


def _open(data: bytes, name: str) -> Image.Image:
    if not data:
        raise InputError(f"{name} is empty. Copy or scan it again.")
    with reported_as(
        f"{name} is not a picture or PDF that can be read. "
        "Use PNG, JPEG, TIFF, WebP, BMP, PNM or PDF."
    ):
        return Image.open(io.BytesIO(data), formats=FORMATS)


def _kind(image: Image.Image) -> PageKind:
    dpi = image.info.get("dpi")
    if image.mode == "1" and isinstance(dpi, tuple):
        x, y = float(dpi[0]), float(dpi[1])
        if abs(x - 204) < 6 and any(abs(y - f) < 6 for f in _FAX_Y_DPI):
            return "fax"
    exif = image.getexif()
    return "photo" if exif.get(0x010F) or exif.get(0x0110) else "scan"  # camera's make, model


def _to_grey(image: Image.Image, *, no_colour: bool) -> tuple[NDArray[np.uint8], bool]:
    """Return grey pixels the right way up, and whether width and height changed places."""
    before = image.size
    upright = ImageOps.exif_transpose(image)
    turned = upright.size != before
    if upright.mode.startswith("I;16") or upright.mode == "I":
        wide = np.asarray(upright).astype(np.float32)
        top = 65535.0 if wide.max() > 255 else 255.0
        return np.clip(wide * (255.0 / top), 0, 255).astype(np.uint8), turned
    if upright.mode == "F":
        values = np.asarray(upright)
        span = float(values.max() - values.min()) or 1.0
        return ((values - values.min()) * (255.0 / span)).astype(np.uint8), turned
    if "A" in upright.getbands() or "transparency" in upright.info:
        over = upright.convert("RGBA")
        paper = Image.new("RGBA", over.size, "white")
        upright = Image.alpha_composite(paper, over).convert("RGB")
    if upright.mode in {"1", "L"}:
        return np.array(upright.convert("L")), turned
    return colour_to_grey(np.asarray(upright.convert("RGB")), no_colour=no_colour), turned


def colour_to_grey(rgb: NDArray[np.uint8], *, no_colour: bool = False) -> NDArray[np.uint8]:
    """Turn a colour picture into grey so that coloured ink stays dark.

    Brightness alone makes blue ink and red stamps pale. Where a pixel is coloured its darkest
    channel is taken instead: ink that is dark in any light is dark in grey. With ``no_colour`` it
    is the brightest, so that lines printed in a colour vanish and black writing stays. The paper's
    own tint is divided out first.

    Parameters
    ----------
    rgb
        Shape (rows, cols, 3).
    no_colour
        Whether coloured lines are dropped.
    """
    grey = cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY)
    paper = np.percentile(rgb[::8, ::8].reshape(-1, 3), 85, axis=0)
    gains = paper.max() / np.maximum(paper, 60.0)
    tables = [np.clip(np.arange(256) * g, 0, 255).astype(np.uint8) for g in gains]
    even = [cv2.LUT(rgb[..., k], tables[k]) for k in range(3)]
    low = cv2.min(cv2.min(even[0], even[1]), even[2])
    high = cv2.max(cv2.max(even[0], even[1]), even[2])
    # Strong compression blurs colour: a pixel is coloured where its neighbours are.
    colour = cv2.blur(cv2.subtract(high, low), (3, 3))
    if not (colour[::4, ::4] > _COLOURED).any():
        return np.asarray(grey, np.uint8)
    share = np.clip((np.arange(256) - _GREYISH) / (_COLOURED - _GREYISH), 0, 1) * 255
    weight = cv2.LUT(colour, share.astype(np.uint8))
    wanted = high if no_colour else low
    # Integer blending keeps the memory of a large page low.
    kept = cv2.multiply(grey, cv2.bitwise_not(weight), scale=1 / 255)
    return np.asarray(cv2.add(kept, cv2.multiply(wanted, weight, scale=1 / 255)), np.uint8)
