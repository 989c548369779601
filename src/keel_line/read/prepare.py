"""Prepares a line of text: scales it to the size and contrast of training.

Training and reading both call :func:`prepare_line`; the recipe travels with the weights.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from keel_line._shared.paper import Grey

MIN_CONTRAST = 40.0


@dataclass(frozen=True)
class LineRecipe:
    """Geometry of a prepared line, all in pixels of the prepared line.

    Attributes
    ----------
    height
        Rows of a prepared line.
    baseline
        Row on which the letters stand, from the top.
    cap
        Height of a capital letter.
    margin
        Blank columns added on the left and on the right.
    step
        Columns per time step of the recogniser.
    """

    height: int = 48
    baseline: float = 36.0
    cap: float = 28.0
    margin: int = 12
    step: int = 4


def prepare_line(crop: Grey, baseline_px: float, cap_px: float, recipe: LineRecipe) -> Grey:
    """Resample a crop so that its baseline and cap height match the recipe.

    Parameters
    ----------
    crop
        Grey picture of one line, shape (rows, cols), paper bright.
    baseline_px
        Row of the baseline in the crop; may lie outside it.
    cap_px
        Height of the capitals in the crop, above 0.
    recipe
        Target geometry.

    Returns
    -------
    array, shape (recipe.height, width)
        Ink as 0 (paper) to 255 (full ink); ``width`` includes both margins.
    """
    scale = recipe.cap / cap_px
    width = max(recipe.step * 4, round(crop.shape[1] * scale) + 2 * recipe.margin)
    # The paper's level is taken from the brighter half, the ink's from the darkest fiftieth.
    counts = np.cumsum(np.bincount(crop.ravel(), minlength=256))
    paper = float(np.searchsorted(counts, 0.75 * crop.size))
    ink = float(np.searchsorted(counts, 0.02 * crop.size))
    contrast = max(paper - ink, MIN_CONTRAST)
    source = crop
    if scale < 1.0:
        sigma = 0.42 * (1.0 / scale - 0.3)
        if sigma > 0.3:
            source = np.asarray(cv2.GaussianBlur(crop, (0, 0), sigma), np.uint8)
    # Pixel centres: prepared (x + 0.5) = scale * (crop x + 0.5) + margin.
    to_prepared = np.array(
        [
            [scale, 0.0, recipe.margin + 0.5 * scale - 0.5],
            [0.0, scale, recipe.baseline - scale * baseline_px + 0.5 * scale - 0.5],
        ]
    )
    moved = cv2.warpAffine(
        source,
        to_prepared,
        (width, recipe.height),
        flags=cv2.INTER_LINEAR if scale < 1.0 else cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=paper,
    )
    inked = (paper - moved.astype(np.float32)) * (255.0 / contrast)
    return np.asarray(np.clip(inked, 0, 255), np.uint8)
