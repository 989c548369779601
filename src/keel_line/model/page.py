"""A page of a source, as it came and squared."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from keel_line.model.geometry import Transform

PageKind = Literal["text", "scan", "fax", "photo"]


@dataclass(frozen=True)
class Resolution:
    """Dots per inch across and down; they differ on faxes.

    ``estimated`` is true where the file said nothing usable.
    """

    x_dpi: float
    y_dpi: float
    estimated: bool = False


@dataclass(frozen=True, eq=False)
class Page:
    """A page as it came: grey pixels, shape (rows, cols), uint8, 0 is black.

    ``number`` counts from 1 within its source.
    """

    pixels: NDArray[np.uint8]
    resolution: Resolution
    source_name: str
    number: int
    kind: PageKind


@dataclass(frozen=True, eq=False)
class SquaredPage:
    """A page laid straight in true proportions.

    ``angle_deg`` is the skew that was taken out: positive where the page as it came leaned
    clockwise. ``unsure`` says why the angle is in doubt, empty where it is not.
    """

    pixels: NDArray[np.uint8]
    dpi: float
    transform: Transform
    angle_deg: float
    unsure: str = ""
