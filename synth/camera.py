"""A sheet on a desk as a hand-held camera sees it: perspective, a desk around it, uneven light."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from synth.paper import Grey, Rng, photograph


@dataclass(frozen=True, eq=False)
class Photograph:
    """A made photograph; ``corners`` (4, 2) of the sheet from the top left, clockwise (px)."""

    grey: Grey
    corners: NDArray[np.float64]


def take_photograph(
    sheet: Grey,
    rng: Rng,
    *,
    size_px: tuple[int, int] = (3000, 4000),
    most_tilt_deg: float = 22.0,
    most_roll_deg: float = 8.0,
    desk_level: float | None = None,
    fill: float | None = None,
    cut_corner: bool = False,
    finger: bool = False,
) -> Photograph:
    """Photograph a sheet that lies on a darker desk.

    A pinhole camera looks at the desk from up to ``most_tilt_deg`` off the upright. ``fill`` is the
    share of the picture's sides that the sheet takes; ``cut_corner`` tears a corner off it, and
    ``finger`` lays one over an edge.
    """
    rows, cols = sheet.shape
    paper = sheet.copy()
    width, height = size_px
    tilt = np.deg2rad(rng.uniform(-most_tilt_deg, most_tilt_deg, 2))
    roll = np.deg2rad(rng.uniform(-most_roll_deg, most_roll_deg))
    turn_x = cv2.Rodrigues(np.array([tilt[0], 0.0, 0.0]))[0]
    turn_y = cv2.Rodrigues(np.array([0.0, tilt[1], 0.0]))[0]
    turn_z = cv2.Rodrigues(np.array([0.0, 0.0, roll]))[0]
    focal = rng.uniform(0.95, 1.4) * max(size_px)
    share = fill if fill is not None else rng.uniform(0.72, 0.86)
    # So far away that the sheet takes its share of the picture.
    away = focal * max(cols / width, rows / height) / share
    flat = np.array([(0, 0), (cols, 0), (cols, rows), (0, rows)], float) - (cols / 2, rows / 2)
    seen = np.column_stack([flat, np.zeros(4)]) @ (turn_z @ turn_x @ turn_y).T
    seen[:, 2] += away
    corners = seen[:, :2] / seen[:, 2:] * focal + (width / 2, height / 2)
    corners += (width / 2, height / 2) - (corners.max(axis=0) + corners.min(axis=0)) / 2
    source = np.array(
        [(-0.5, -0.5), (cols - 0.5, -0.5), (cols - 0.5, rows - 0.5), (-0.5, rows - 0.5)]
    )
    matrix = cv2.getPerspectiveTransform(source.astype(np.float32), corners.astype(np.float32))
    level = desk_level if desk_level is not None else rng.uniform(35, 135)
    coarse = rng.normal(0, 9, (height // 40 + 2, width // 15 + 2)).astype(np.float32)
    desk = level + cv2.resize(coarse, (width, height), interpolation=cv2.INTER_CUBIC)
    mask = np.full(sheet.shape, 255, np.uint8)
    if cut_corner:
        side = round(0.07 * cols)
        cv2.fillPoly(mask, [np.array([(cols, rows), (cols - side, rows), (cols, rows - side)])], 0)
    laid = cv2.warpPerspective(paper, matrix, size_px, flags=cv2.INTER_AREA)
    on_sheet = cv2.warpPerspective(mask, matrix, size_px, flags=cv2.INTER_LINEAR) / 255.0
    picture = laid * on_sheet + desk * (1 - on_sheet)
    if finger:
        at = corners[0] * 0.45 + corners[3] * 0.55
        axes = (round(0.05 * width), round(0.025 * width))
        cv2.ellipse(picture, tuple(np.rint(at).astype(int).tolist()), axes, 0, 0, 360, 118.0, -1)
    grey = photograph(np.clip(picture, 0, 255).astype(np.uint8), rng)
    return Photograph(grey, corners)


@dataclass(frozen=True, eq=False)
class BentPhotograph:
    """A made photograph of a page that fills the picture and does not lie flat.

    ``places`` maps points of the flat page, shape (n, 2) px, onto the picture.
    """

    grey: Grey
    places: Callable[[NDArray[np.float64]], NDArray[np.float64]]


def photograph_bent(
    page: Grey,
    rng: Rng,
    *,
    size_px: tuple[int, int] = (2400, 3200),
    curl: float | None = None,
    most_tilt_deg: float = 6.0,
    fill: float = 0.97,
) -> BentPhotograph:
    """Photograph a page that rises towards a spine at one side, or waves.

    Parameters
    ----------
    page
        The flat page.
    rng
        Source of chance.
    size_px
        (width, height) of the picture.
    curl
        How high the page rises at its highest, as a share of its width (0 to 0.1).
    most_tilt_deg
        Most that the camera is off the upright, about either axis.
    fill
        Share of the picture's sides that the page takes.
    """
    rows, cols = page.shape
    width, height = size_px
    high = (rng.uniform(0.01, 0.06) if curl is None else curl) * cols
    spine_left = bool(rng.random() < 0.5)
    reach = rng.uniform(0.12, 0.3)
    wave = rng.uniform(0.0, 0.35)
    phase = rng.uniform(0, 2 * np.pi)

    def rise(x: NDArray[np.float64]) -> NDArray[np.float64]:
        share = x / cols if spine_left else 1 - x / cols
        bump = np.exp(-np.clip(share, 0, 1) / reach)
        return np.asarray(high * (bump + wave * np.sin(2 * np.pi * share + phase)), np.float64)

    tilt = np.deg2rad(rng.uniform(-most_tilt_deg, most_tilt_deg, 2))
    turn = (
        cv2.Rodrigues(np.array([tilt[0], 0.0, 0.0]))[0]
        @ cv2.Rodrigues(np.array([0.0, tilt[1], 0.0]))[0]
    )
    focal = rng.uniform(0.95, 1.4) * max(size_px)
    away = focal * max(cols / width, rows / height) / fill

    def places(points: NDArray[np.float64]) -> NDArray[np.float64]:
        x, y = points.T
        body = np.column_stack([x - cols / 2, y - rows / 2, -rise(x)]) @ turn.T
        body[:, 2] += away
        seen = body[:, :2] / body[:, 2:] * focal + (width / 2, height / 2)
        return np.asarray(seen, np.float64)

    # Where each pixel of the picture looks: the ray meets the page where it has risen so far.
    step = 8
    gx = np.arange(0, width + step, step, dtype=float)
    gy = np.arange(0, height + step, step, dtype=float)
    seen = np.stack(np.meshgrid(gx, gy), axis=-1).reshape(-1, 2)
    guess = (seen - (width / 2, height / 2)) * (away / focal) + (cols / 2, rows / 2)
    for _ in range(40):
        guess += (seen - places(guess)) * (away / focal) * 0.9
    maps = guess.reshape(len(gy), len(gx), 2).astype(np.float32)
    full = cv2.resize(maps, (len(gx) * step, len(gy) * step), interpolation=cv2.INTER_LINEAR)
    # resize lays samples at the middles of their fields.
    shift = (step - 1) / 2
    full = cv2.warpAffine(
        full,
        np.array([[1.0, 0, shift], [0, 1.0, shift]]),
        size_px,
        flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )
    seen_page = cv2.remap(page, full[..., 0], full[..., 1], cv2.INTER_LINEAR, borderValue=238)
    return BentPhotograph(photograph(np.asarray(seen_page, np.uint8), rng), places)
