"""Pages from picture files: PNG, JPEG, TIFF of many pages, WebP, BMP, PNM."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps, UnidentifiedImageError

from keel_line.errors import InputError
from keel_line.model.page import Page, PageKind, Resolution

MOST_PIXELS = 400_000_000
"""Largest page that is taken: about A0 at 500 dpi."""

LEAST_SIDE_PX = 16
_PAPER_IN = (8.27, 11.69)
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
    return int(getattr(_open(data, name), "n_frames", 1))


def load_picture_page(data: bytes, name: str, number: int) -> Page:
    """Load page ``number`` (from 1) of a picture file as grey.

    Raises
    ------
    InputError
        When the page is missing, cut short, empty or far too large.
    """
    image = _open(data, name)
    try:
        image.seek(number - 1)
    except EOFError as error:
        raise InputError(f"{name} has no page {number}.") from error
    width, height = image.size
    if min(width, height) < LEAST_SIDE_PX:
        raise InputError(
            f"{name} is only {width} by {height} pixels: there is no page in it. Scan it again."
        )
    if width * height > MOST_PIXELS:
        raise InputError(
            f"{name} is {width:,} by {height:,} pixels, too large for a page. "
            "Scan it again at 300 dpi, or cut it up."
        )
    try:
        image.load()
        kind = _kind(image)
        resolution = find_resolution(image.info.get("dpi"), (width, height))
        grey, turned = _to_grey(image)
    except (OSError, SyntaxError, ValueError, EOFError) as error:
        raise InputError(
            f"{name} is damaged or cut short (page {number}). Copy or scan it again."
        ) from error
    if turned:
        resolution = Resolution(resolution.y_dpi, resolution.x_dpi, resolution.estimated)
    return Page(grey, resolution, name, number, kind)


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
    try:
        return Image.open(io.BytesIO(data))
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError) as error:
        raise InputError(
            f"{name} is not a picture or PDF that can be read. "
            "Use PNG, JPEG, TIFF, WebP, BMP, PNM or PDF."
        ) from error


def _kind(image: Image.Image) -> PageKind:
    dpi = image.info.get("dpi")
    if image.mode == "1" and isinstance(dpi, tuple):
        x, y = float(dpi[0]), float(dpi[1])
        if abs(x - 204) < 6 and any(abs(y - f) < 6 for f in _FAX_Y_DPI):
            return "fax"
    exif = image.getexif()
    return "photo" if exif.get(0x010F) or exif.get(0x0110) else "scan"  # camera's make, model


def _to_grey(image: Image.Image) -> tuple[NDArray[np.uint8], bool]:
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
    return np.array(upright.convert("L")), turned
