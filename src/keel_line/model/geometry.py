"""Places on the page: boxes, and the transform from the picture as it came to the squared page."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import ArrayLike, NDArray

Box: TypeAlias = tuple[float, float, float, float]
"""(x0, y0, x1, y1) in px, origin top left, x1 and y1 exclusive."""


def overlap(a: Box, b: Box) -> float:
    """Return the area that two boxes share over the area that they cover together (0 to 1)."""
    wide = min(a[2], b[2]) - max(a[0], b[0])
    high = min(a[3], b[3]) - max(a[1], b[1])
    if wide <= 0 or high <= 0:
        return 0.0
    both = wide * high
    return both / ((a[2] - a[0]) * (a[3] - a[1]) + (b[2] - b[0]) * (b[3] - b[1]) - both)


Matrix: TypeAlias = tuple[tuple[float, float, float], ...]
"""Three rows of a homogeneous 3x3 matrix that maps (x, y, 1) columns."""


def as_matrix(values: ArrayLike) -> Matrix:
    """Return a (2, 3) or (3, 3) array as three rows of three numbers."""
    array = np.asarray(values, dtype=float)
    if array.shape == (2, 3):
        array = np.vstack([array, [0.0, 0.0, 1.0]])
    rows = array.tolist()
    return ((*rows[0],), (*rows[1],), (*rows[2],))


@dataclass(frozen=True)
class TransformStep:
    """One named step, such as ``fax proportion`` or ``deskew``."""

    name: str
    matrix: Matrix


@dataclass(frozen=True)
class Transform:
    """The chain of steps from the picture as it came to the squared page.

    Points are pixel coordinates (x, y); pixel (col, row) has its centre at (col, row).
    """

    steps: tuple[TransformStep, ...] = ()

    @property
    def matrix(self) -> NDArray[np.float64]:
        """The composed map, shape (3, 3)."""
        total = np.eye(3)
        for step in self.steps:
            total = np.array(step.matrix) @ total
        return total

    def then(self, name: str, matrix: ArrayLike) -> Transform:
        """Return this chain with one more step at its end."""
        return Transform((*self.steps, TransformStep(name, as_matrix(matrix))))

    def to_squared(self, points: ArrayLike) -> NDArray[np.float64]:
        """Map points of the picture as it came, shape (n, 2), onto the squared page."""
        return _apply(self.matrix, points)

    def to_original(self, points: ArrayLike) -> NDArray[np.float64]:
        """Map points of the squared page, shape (n, 2), onto the picture as it came."""
        return _apply(np.asarray(np.linalg.inv(self.matrix), np.float64), points)

    def box_on_original(self, box: Box) -> NDArray[np.float64]:
        """Return the corners of a squared-page box on the picture as it came.

        Shape (4, 2): top left, top right, bottom right, bottom left.
        """
        x0, y0, x1, y1 = box
        return self.to_original([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])


def _apply(matrix: NDArray[np.float64], points: ArrayLike) -> NDArray[np.float64]:
    array = np.asarray(points, dtype=float).reshape(-1, 2)
    mapped = np.column_stack([array, np.ones(len(array))]) @ matrix.T
    return np.asarray(mapped[:, :2] / mapped[:, 2:], dtype=np.float64)
