"""Parts of a picture: pixels that hang together."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray


def find_parts(
    mask: NDArray[np.uint8],
) -> tuple[NDArray[Any], NDArray[np.int64], NDArray[np.float64]]:
    """Find what hangs together, also at corners, among the pixels of a mask that are not 0.

    Returns
    -------
    labels
        The number of each pixel's part, shape (rows, cols), whole numbers; 0 is the ground.
    table
        x, y, width, height and pixels of each part, shape (n, 5); the first is the ground.
    middles
        x and y of the middle of each part's pixels, shape (n, 2).
    """
    try:  # three times as quick, but it ends where there are too many parts: on much dirt
        found = _label(mask, cv2.CV_16U)
    except cv2.error:
        found = _label(mask, cv2.CV_32S)
    _, labels, table, middles = found
    return labels, np.asarray(table, np.int64), np.asarray(middles, np.float64)


def _label(mask: NDArray[np.uint8], numbers: int) -> tuple[int, Any, Any, Any]:
    return cv2.connectedComponentsWithStatsWithAlgorithm(mask, 8, numbers, cv2.CCL_BOLELLI)
