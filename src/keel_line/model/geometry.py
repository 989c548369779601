"""Places on the page: boxes, and the transform from the picture as it came to the squared page."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.polynomial import chebyshev
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


def overlaps(a: ArrayLike, b: ArrayLike) -> NDArray[np.float64]:
    """Return :func:`overlap` of each of n boxes with each of m, shape (n, m)."""
    first = np.asarray(a, float).reshape(-1, 1, 4)
    second = np.asarray(b, float).reshape(1, -1, 4)
    low = np.maximum(first[..., :2], second[..., :2])
    high = np.minimum(first[..., 2:], second[..., 2:])
    both = np.clip(high - low, 0, None).prod(axis=-1)
    areas = [(x[..., 2:] - x[..., :2]).prod(axis=-1) for x in (first, second)]
    every = areas[0] + areas[1] - both
    return np.asarray(np.divide(both, every, out=np.zeros_like(both), where=both > 0), float)


def unite(a: Box, b: Box) -> Box:
    """Return the smallest box around two."""
    return (min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3]))


Matrix: TypeAlias = tuple[tuple[float, float, float], ...]
"""Three rows of a homogeneous 3x3 matrix that maps (x, y, 1) columns."""

IDENTITY: Matrix = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))
_MOST_TURNS = 12
_CLOSE_PX = 0.005


def as_matrix(values: ArrayLike) -> Matrix:
    """Return a (2, 3) or (3, 3) array as three rows of three numbers."""
    array = np.asarray(values, dtype=float)
    if array.shape == (2, 3):
        array = np.vstack([array, [0.0, 0.0, 1.0]])
    rows = array.tolist()
    return ((*rows[0],), (*rows[1],), (*rows[2],))


@dataclass(frozen=True)
class Bend:
    """A smooth displacement that makes bent lines straight.

    A point moves by two polynomials in its place: ``across`` gives its way in x, ``down`` in y.
    Entry ``[i][j]`` is the coefficient (px) of the product of the Chebyshev polynomials T_i of x
    and T_j of y, both brought to -1 to 1 over ``box``, where lines were seen. Beyond it the
    displacement stays what it is at its edge.
    """

    box: Box
    across: tuple[tuple[float, ...], ...]
    down: tuple[tuple[float, ...], ...]

    def move(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return bent points, shape (n, 2), where they lie once the lines are straight."""
        low, high = np.array(self.box[:2]), np.array(self.box[2:])
        x, y = np.clip(2 * (points - low) / (high - low) - 1, -1, 1).T
        moved = [chebyshev.chebval2d(x, y, np.array(c)) for c in (self.across, self.down)]
        return np.asarray(points + np.column_stack(moved), np.float64)

    def move_back(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return where straightened points, shape (n, 2), came from, to a hundredth of a px."""
        guess = points.copy()
        for _ in range(_MOST_TURNS):
            off = points - self.move(guess)
            guess += off
            if np.abs(off).max(initial=0.0) < _CLOSE_PX:
                break
        return guess


@dataclass(frozen=True)
class TransformStep:
    """One named step, such as ``true proportions`` or ``deskew``: a matrix, or else a bend."""

    name: str
    matrix: Matrix = IDENTITY
    bend: Bend | None = None


@dataclass(frozen=True)
class Transform:
    """The chain of steps from the picture as it came to the squared page.

    Points are pixel coordinates (x, y); pixel (col, row) has its centre at (col, row).
    """

    steps: tuple[TransformStep, ...] = ()

    @property
    def matrix(self) -> NDArray[np.float64]:
        """The composed map without its bend, shape (3, 3)."""
        total = np.eye(3)
        for step in self.steps:
            total = np.array(step.matrix) @ total
        return total

    @property
    def bent(self) -> bool:
        """Whether a bend is taken out, so that ``matrix`` is not the whole map."""
        return any(step.bend for step in self.steps)

    def then(self, name: str, matrix: ArrayLike) -> Transform:
        """Return this chain with one more step at its end."""
        return Transform((*self.steps, TransformStep(name, as_matrix(matrix))))

    def then_bend(self, name: str, bend: Bend) -> Transform:
        """Return this chain with a bend taken out at its end."""
        return Transform((*self.steps, TransformStep(name, bend=bend)))

    def to_squared(self, points: ArrayLike) -> NDArray[np.float64]:
        """Map points of the picture as it came, shape (n, 2), onto the squared page."""
        array = np.asarray(points, dtype=float).reshape(-1, 2)
        for step in self.steps:
            array = step.bend.move(array) if step.bend else _apply(np.array(step.matrix), array)
        return array

    def to_original(self, points: ArrayLike) -> NDArray[np.float64]:
        """Map points of the squared page, shape (n, 2), onto the picture as it came."""
        array = np.asarray(points, dtype=float).reshape(-1, 2)
        for step in reversed(self.steps):
            if step.bend:
                array = step.bend.move_back(array)
            else:
                array = _apply(np.asarray(np.linalg.inv(np.array(step.matrix))), array)
        return array

    def box_on_original(self, box: Box) -> NDArray[np.float64]:
        """Return the corners of a squared-page box on the picture as it came.

        Shape (4, 2): top left, top right, bottom right, bottom left.
        """
        x0, y0, x1, y1 = box
        return self.to_original([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])


def _apply(matrix: NDArray[np.float64], array: NDArray[np.float64]) -> NDArray[np.float64]:
    mapped = np.column_stack([array, np.ones(len(array))]) @ matrix.T
    return np.asarray(mapped[:, :2] / mapped[:, 2:], dtype=np.float64)
