from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from keel_line.model.geometry import Transform

numbers = st.floats(-500, 500)


@given(
    angle=st.floats(-0.5, 0.5),
    scale=st.floats(0.4, 3),
    dx=numbers,
    dy=numbers,
    x=st.floats(0, 3000),
    y=st.floats(0, 4000),
)
def test_mapped_points_map_back(
    angle: float, scale: float, dx: float, dy: float, x: float, y: float
) -> None:
    cos, sin = np.cos(angle), np.sin(angle)
    chain = (
        Transform()
        .then("true proportions", np.array([[1, 0, 0], [0, scale, 0]]))
        .then("deskew", np.array([[cos, -sin, dx], [sin, cos, dy]], dtype=float))
    )
    squared = chain.to_squared([(x, y)])
    np.testing.assert_allclose(chain.to_original(squared), [(x, y)], atol=1e-6)


def test_steps_apply_in_order() -> None:
    chain = Transform().then("stretch", [[2, 0, 0], [0, 1, 0]]).then("move", [[1, 0, 5], [0, 1, 0]])
    np.testing.assert_allclose(chain.to_squared([(1, 1)]), [(7, 1)])


def test_box_on_original_has_four_corners_in_order() -> None:
    chain = Transform().then("move", [[1, 0, 10], [0, 1, 20]])
    corners = chain.box_on_original((10, 20, 30, 60))
    np.testing.assert_allclose(corners, [(0, 0), (20, 0), (20, 40), (0, 40)])
