"""The level of the paper: how bright it is where no ink lies."""

from __future__ import annotations

from typing import TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

Grey: TypeAlias = NDArray[np.uint8]

PAPER_LEVEL = 235
_WORK_SIDE_PX = 500


def shrink(grey: Grey, factor: float) -> Grey:
    """Return a picture made smaller by ``factor``, each pixel the mean of those it covers.

    A factor of 1 or more gives the picture back as it is.
    """
    if factor >= 1.0:
        return grey
    small = cv2.resize(grey, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.uint8)


def estimate_paper(grey: Grey) -> NDArray[np.float32]:
    """Estimate the brightness of the bare paper under each pixel.

    A grey closing on a small copy removes ink that is thinner than about 1/20 of the longer
    side; a median and a blur make it smooth (Gonzalez and Woods, Digital Image Processing, 9.6).

    Parameters
    ----------
    grey
        Picture, shape (rows, cols), 0 is black.

    Returns
    -------
    array, shape (rows, cols)
        Paper level, 1 to 255.
    """
    rows, cols = grey.shape
    level = cv2.resize(paper_levels(grey), (cols, rows), interpolation=cv2.INTER_LINEAR)
    return np.maximum(level, 1.0)


def paper_levels(grey: Grey) -> NDArray[np.float32]:
    """Estimate the paper's brightness (0 to 255) on a copy of at most 500 px a side."""
    rows, cols = grey.shape
    factor = min(1.0, _WORK_SIDE_PX / max(rows, cols))
    small_size = (max(1, round(cols * factor)), max(1, round(rows * factor)))
    small = cv2.resize(grey, small_size, interpolation=cv2.INTER_AREA)
    side = max(3, (max(small_size) // 20) | 1)
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    closed = cv2.morphologyEx(small, cv2.MORPH_CLOSE, kernel)
    closed = cv2.medianBlur(closed, min(side, 15) | 1)
    return np.asarray(cv2.GaussianBlur(closed.astype(np.float32), (0, 0), side / 3), np.float32)


def flatten_light(grey: Grey) -> Grey:
    """Divide out uneven light so that bare paper lies at ``PAPER_LEVEL`` everywhere.

    Where the paper is very dark (a black page, a scanner's edge) the gain is bounded, so that
    noise is not blown up into ink.
    """
    levels = np.clip(np.rint(paper_levels(grey)), 80, 255).astype(np.uint8)
    rows, cols = grey.shape
    level = cv2.resize(levels, (cols, rows), interpolation=cv2.INTER_LINEAR)
    return np.asarray(cv2.divide(grey, level, scale=PAPER_LEVEL), np.uint8)
