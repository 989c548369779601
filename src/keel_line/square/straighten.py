"""Turn a page as it came into the squared page, in one resampling."""

from __future__ import annotations

import cv2
import numpy as np

from keel_line.errors import Failed
from keel_line.model.geometry import Transform
from keel_line.model.page import Page, SquaredPage
from keel_line.square.skew import estimate_skew

_LEAVE_DEG = 0.02


def square_page(page: Page) -> SquaredPage:
    """Lay a page straight and in true proportions.

    The squared page has the finer of the page's two resolutions in both directions. The page is
    left at its angle where none can be found, with the reason in ``unsure``.
    """
    res = page.resolution
    dpi = max(res.x_dpi, res.y_dpi)
    rows, cols = page.pixels.shape
    scale = (dpi / res.x_dpi, dpi / res.y_dpi)
    transform = Transform()
    upright = page.pixels
    size = (cols, rows)
    if scale != (1.0, 1.0):
        size = (max(1, round(cols * scale[0])), max(1, round(rows * scale[1])))
        exact = (size[0] / cols, size[1] / rows)
        transform = transform.then(
            "true proportions",
            # Pixel centres lie at whole numbers, hence the half-pixel shift.
            [[exact[0], 0, (exact[0] - 1) / 2], [0, exact[1], (exact[1] - 1) / 2]],
        )
        upright = np.asarray(
            cv2.resize(page.pixels, size, interpolation=cv2.INTER_LINEAR), np.uint8
        )
    found = estimate_skew(upright)
    unsure = found.reason if isinstance(found, Failed) else ""
    angle = 0.0 if isinstance(found, Failed) else found
    if abs(angle) < _LEAVE_DEG:
        return SquaredPage(upright, dpi, transform, 0.0, unsure)
    turn, size = _turn(size, angle)
    transform = transform.then("deskew", turn)
    pixels = cv2.warpAffine(
        page.pixels,
        transform.matrix[:2],
        size,
        flags=cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=float(np.percentile(page.pixels[::8, ::8], 80)),
    )
    return SquaredPage(np.asarray(pixels, np.uint8), dpi, transform, angle, unsure)


def _turn(size: tuple[int, int], angle_deg: float) -> tuple[np.ndarray, tuple[int, int]]:
    """Return the turn by -angle about the middle and the size that holds all of the page."""
    width, height = size
    turn = cv2.getRotationMatrix2D(((width - 1) / 2, (height - 1) / 2), angle_deg, 1.0)
    cos, sin = abs(turn[0, 0]), abs(turn[0, 1])
    new = (round(width * cos + height * sin), round(width * sin + height * cos))
    turn[0, 2] += (new[0] - width) / 2
    turn[1, 2] += (new[1] - height) / 2
    return np.asarray(turn), new
