"""Loads pages from PDFs as pictures, with their own text if they have any."""

from __future__ import annotations

from contextlib import closing

import numpy as np
import pypdfium2 as pdfium
from numpy.typing import NDArray

from keel_line.errors import InputError
from keel_line.gather.decoders import LEAST_SIDE_PX, MOST_ASPECT, MOST_PIXELS, reported_as
from keel_line.gather.pdf_text import read_page_text
from keel_line.gather.pictures import colour_to_grey
from keel_line.model.page import Page, PageKind, Resolution

PDF_DPI = 300.0


def count_pdf_pages(data: bytes, name: str) -> int:
    """Count a PDF's pages.

    Raises
    ------
    InputError
        When it is damaged or locked.
    """
    with closing(_open(data, name)) as document, reported_as(_say_damaged(name)):
        return len(document)


def load_pdf_page(
    data: bytes, name: str, number: int, dpi: float = PDF_DPI, *, no_colour: bool = False
) -> Page:
    """Draw page ``number`` (from 1) in grey at ``dpi``.

    Raises
    ------
    InputError
        When the document or the page cannot be drawn.
    """
    with (
        closing(_open(data, name)) as document,
        reported_as(f"Page {number} of {name} is damaged and cannot be drawn."),
    ):
        if not 1 <= number <= len(document):
            raise InputError(f"{name} has no page {number}.")
        page = document[number - 1]
        scale = dpi / 72
        width, height = (side * scale for side in page.get_size())
        if width * height > MOST_PIXELS:
            raise InputError(f"Page {number} of {name} is too large to be drawn at {dpi:.0f} dpi.")
        if min(width, height) < max(LEAST_SIDE_PX, max(width, height) / MOST_ASPECT):
            raise InputError(f"Page {number} of {name} is too small to hold a table.")
        bitmap = page.render(scale=scale, rev_byteorder=True)
        pixels = _as_grey(np.asarray(bitmap.to_numpy(), np.uint8), no_colour=no_colour)
        text = read_page_text(page, scale)
    kind: PageKind = "scan" if text is None else "text"
    return Page(pixels, Resolution(dpi, dpi), name, number, kind, text)


def _as_grey(drawn: NDArray[np.uint8], *, no_colour: bool) -> NDArray[np.uint8]:
    if drawn.ndim == 2:
        return drawn.copy()
    if drawn.shape[2] == 1:
        return drawn[..., 0].copy()
    return colour_to_grey(np.ascontiguousarray(drawn[..., :3]), no_colour=no_colour)


def _open(data: bytes, name: str) -> pdfium.PdfDocument:
    with reported_as(_say_damaged(name)):
        try:
            return pdfium.PdfDocument(data)
        except pdfium.PdfiumError as error:
            if "password" not in str(error).lower():
                raise
            raise InputError(
                f"{name} is locked with a password. Save it without one, then add it again."
            ) from error


def _say_damaged(name: str) -> str:
    return f"{name} is a damaged PDF. Ask for it again or scan it."
