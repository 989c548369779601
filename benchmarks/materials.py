"""The report's pages: which material of paper, how many, and as a machine would hand them over."""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from PIL import Image

from keel_line.read.network import Network
from synth.faces import load_faces
from synth.pages import MadePage, make_page

SEED = 90210


@dataclass(frozen=True)
class Material:
    """One kind of page: its condition, resolution and how many."""

    name: str
    condition: str
    dpi: float
    pages: int


MATERIALS = (
    Material("300 dpi scan, clean to moderate", "clean", 300, 24),
    Material("300 dpi scan, strong compression, grey", "office", 300, 16),
    Material("200 dpi office scan", "office", 200, 8),
    Material("photocopy", "copy", 300, 8),
    Material("fax 204x196", "fax", 300, 8),
    Material("fax 204x98", "fax-coarse", 300, 4),
    Material("photograph, 200 px per inch", "photo", 200, 6),
)


def encode(page: MadePage) -> bytes:
    """Encode a page as a scanner or fax machine would hand it over."""
    out = io.BytesIO()
    if page.condition.startswith("fax"):
        Image.fromarray(page.grey > 127).save(
            out, "TIFF", compression="group4", dpi=(page.x_dpi, page.y_dpi)
        )
    else:
        Image.fromarray(page.grey).save(out, "PNG", dpi=(page.x_dpi, page.y_dpi), compress_level=1)
    return out.getvalue()


def make_material(number: int, material: Material) -> Iterator[MadePage]:
    """Make the pages of one material, ``number`` being its place among them."""
    faces = load_faces("held")
    allowed = frozenset(Network().recipe.alphabet)
    for i in range(material.pages):
        yield make_page(
            np.random.default_rng([SEED, number, i]),
            faces,
            allowed,
            condition=material.condition,
            dpi=material.dpi,
            held=True,
        )
