"""The press room's pages as the program meets them: as a file's own text, or drawn and damaged."""

from __future__ import annotations

import gzip
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
import pypdfium2 as pdfium
from numpy.typing import NDArray

from keel_line.gather.pdf import load_pdf_page
from keel_line.model.page import Page, PageKind, Resolution
from synth.paper import CONDITIONS, fax
from synth.press.truth import PressPage, decode_pages

DPI = 300.0
DAMAGES = ("digital", "clean", "office", "copy", "fax", "fax-coarse", "photo")


@dataclass(frozen=True, eq=False)
class LoadedPage:
    """A page as it came, and the map from points of its PDF to its pixels, shape (2, 3)."""

    page: Page
    to_px: NDArray[np.float64]


def load_truth(folder: Path, design: str) -> list[PressPage]:
    """Return the pages of a design that lie in a folder."""
    return decode_pages(gzip.decompress((folder / f"{design}.json.gz").read_bytes()))


def each_page(folder: Path) -> Iterator[tuple[bytes, PressPage]]:
    """Yield each page of a folder: its PDF and its truth."""
    for path in sorted(folder.glob("*.json.gz")):
        design = path.name.removesuffix(".json.gz")
        data = (folder / f"{design}.pdf").read_bytes()
        for page in load_truth(folder, design):
            yield data, page


def load_pressed(
    data: bytes, truth: PressPage, damage: str, seed: int, *, most_skew_deg: float = 1.5
) -> LoadedPage:
    """Return a page as a clerk would get it: ``digital``, or as paper through a machine.

    Pages on paper lie up to ``most_skew_deg`` crooked. ``damage`` is one of ``DAMAGES``.
    """
    scale = DPI / 72.0
    to_px = np.array([[scale, 0.0, 0.0], [0.0, scale, 0.0]])
    if damage == "digital":
        return LoadedPage(load_pdf_page(data, "page.pdf", truth.number + 1, DPI), to_px)
    rng = np.random.default_rng([seed, DAMAGES.index(damage), *truth.design.encode()])
    with closing(pdfium.PdfDocument(data)) as document:
        drawn = document[truth.number].render(scale=scale, grayscale=True)
        grey = np.asarray(drawn.to_numpy(), np.uint8).reshape(drawn.height, drawn.width).copy()
    angle = float(rng.uniform(-most_skew_deg, most_skew_deg))
    rows, cols = grey.shape
    turn = cv2.getRotationMatrix2D(((cols - 1) / 2, (rows - 1) / 2), -angle, 1.0)
    grey = np.asarray(
        cv2.warpAffine(grey, turn, (cols, rows), flags=cv2.INTER_LINEAR, borderValue=255), np.uint8
    )
    x_dpi = y_dpi = DPI
    if damage.startswith("fax"):
        fine = damage == "fax"
        grey = fax(grey, rng, dpi=DPI, fine=fine)
        x_dpi, y_dpi = 204.0, 196.0 if fine else 98.0
    else:
        grey = CONDITIONS[damage](grey, rng)
    whole = np.vstack([to_px, [0, 0, 1]])
    turned = np.vstack([turn, [0, 0, 1]]) @ whole
    shrunk = np.diag([grey.shape[1] / cols, grey.shape[0] / rows, 1.0]) @ turned
    kind: PageKind = "photo" if damage == "photo" else "fax" if damage.startswith("fax") else "scan"
    page = Page(grey, Resolution(x_dpi, y_dpi), "page.png", 1, kind)
    return LoadedPage(page, shrunk[:2])
