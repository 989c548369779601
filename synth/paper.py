"""What paper and machines do to print: ink spread, copies, faxes, cameras, compression.

All functions take and give grey pictures, shape (rows, cols), uint8, paper bright.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

Grey = NDArray[np.uint8]
Rng = np.random.Generator


def _smooth_noise(rng: Rng, shape: tuple[int, int], grain_px: float) -> NDArray[np.float32]:
    """Return unit-variance noise that varies over about ``grain_px`` pixels."""
    rows = max(2, int(shape[0] / grain_px) + 2)
    cols = max(2, int(shape[1] / grain_px) + 2)
    small = rng.standard_normal((rows, cols), dtype=np.float32)
    return np.asarray(
        cv2.resize(small, (shape[1], shape[0]), interpolation=cv2.INTER_CUBIC), np.float32
    )


@cache
def _noise_pool() -> NDArray[np.float32]:
    return np.random.default_rng(7).standard_normal(1 << 22, dtype=np.float32)


def _white_noise(rng: Rng, shape: tuple[int, int]) -> NDArray[np.float32]:
    """Return unit white noise, cut from one pool at a random place: drawing it again is slow."""
    pool = _noise_pool()
    count = shape[0] * shape[1]
    if count >= pool.size:
        return rng.standard_normal(shape, dtype=np.float32)
    start = int(rng.integers(pool.size - count))
    return pool[start : start + count].reshape(shape)


def _blur(grey: Grey, sigma_px: float) -> Grey:
    return np.asarray(cv2.GaussianBlur(grey, (0, 0), sigma_px), np.uint8)


def _clip(values: NDArray[np.floating]) -> Grey:
    return np.asarray(np.clip(values, 0, 255), np.uint8)


def spread_ink(grey: Grey, amount_px: float, soft_px: float) -> Grey:
    """Thicken (positive) or thin (negative) strokes by about ``amount_px`` and soften them."""
    blurred = _blur(grey, max(soft_px, 0.4)).astype(np.float32)
    slope = 255.0 / (2.5 * max(soft_px, 0.4))
    return _clip(128 + (blurred - 128 - amount_px * slope * 0.35) * 1.6)


def add_grain(grey: Grey, rng: Rng, sigma: float) -> Grey:
    """Add white noise of the given standard deviation (grey levels)."""
    return _clip(grey + _white_noise(rng, grey.shape) * sigma)


def fade(grey: Grey, rng: Rng, paper: float, ink: float, mottle: float = 0.0) -> Grey:
    """Bring paper and ink to the given grey levels, the ink mottled by a worn ribbon."""
    depth = (255.0 - grey.astype(np.float32)) / 255.0
    if mottle > 0:
        depth *= np.clip(1.0 - mottle * (0.5 + 0.5 * _smooth_noise(rng, grey.shape, 3.5)), 0.15, 1)
    return _clip(paper - depth * (paper - ink))


def add_specks(grey: Grey, rng: Rng, per_megapixel: float, size_px: float) -> Grey:
    """Scatter dark and bright specks."""
    out = grey.copy()
    count = int(rng.poisson(per_megapixel * grey.size / 1e6))
    for _ in range(count):
        centre = (int(rng.integers(grey.shape[1])), int(rng.integers(grey.shape[0])))
        radius = max(0, round(float(rng.exponential(size_px))))
        level = int(rng.integers(0, 120)) if rng.random() < 0.75 else 255
        cv2.circle(out, centre, min(radius, 6), level, -1)
    return out


def compress(grey: Grey, quality: int) -> Grey:
    """Return the picture after JPEG compression at ``quality`` (1 to 100)."""
    _, data = cv2.imencode(".jpg", grey, [cv2.IMWRITE_JPEG_QUALITY, quality])
    return np.asarray(cv2.imdecode(data, cv2.IMREAD_GRAYSCALE), dtype=np.uint8)


def scan(grey: Grey, rng: Rng) -> Grey:
    """Scan as an office flatbed does: slight blur, slight noise, mild compression."""
    out = _blur(grey, rng.uniform(0.45, 0.95))
    out = fade(out, rng, rng.uniform(225, 252), rng.uniform(10, 75), rng.choice([0.0, 0.25]))
    out = add_grain(out, rng, rng.uniform(1, 7))
    if rng.random() < 0.5:
        out = compress(out, int(rng.integers(60, 95)))
    return out


def office_scan(grey: Grey, rng: Rng) -> Grey:
    """Scan at low resolution with strong compression, some blur and bleed-through."""
    out = _blur(grey, rng.uniform(0.5, 0.95))
    if rng.random() < 0.3:
        back = _blur(np.asarray(cv2.flip(grey, 1), np.uint8), 1.5)
        weight = rng.uniform(0.04, 0.16)
        out = _clip(out.astype(np.float32) - weight * (255.0 - back.astype(np.float32)))
    out = fade(out, rng, rng.uniform(205, 250), rng.uniform(20, 110), rng.choice([0.0, 0.3]))
    out = add_grain(out, rng, rng.uniform(2, 10))
    return compress(out, int(rng.integers(45, 80)))


def photocopy(grey: Grey, rng: Rng, generations: int = 1) -> Grey:
    """Copy on a worn copier: hard contrast, uneven toner, specks, thicker or thinner strokes."""
    out = grey
    for _ in range(generations):
        soft = rng.uniform(0.7, 1.25)
        blurred = _blur(out, soft).astype(np.float32)
        toner = _smooth_noise(rng, grey.shape, rng.uniform(2.5, 7)) * rng.uniform(4, 20)
        centre = 128 + rng.uniform(-38, 45)
        out = _clip(128 + (blurred - centre + toner) * rng.uniform(2.2, 5))
        out = add_specks(out, rng, rng.uniform(0, 120), 0.7)
    out = _blur(out, rng.uniform(0.4, 0.8))
    out = fade(out, rng, rng.uniform(225, 252), rng.uniform(5, 60))
    return add_grain(out, rng, rng.uniform(1, 6))


def fax(grey: Grey, rng: Rng, *, dpi: float, fine: bool) -> Grey:
    """Send by fax: 204 dpi across, 196 or 98 dpi down, black and white only.

    Returns the bilevel picture with the fax's own, unequal resolution: shape is
    (rows * (196 or 98) / dpi, cols * 204 / dpi).
    """
    rows, cols = grey.shape
    size = (max(1, round(cols * 204 / dpi)), max(1, round(rows * (196 if fine else 98) / dpi)))
    soft = _blur(grey, rng.uniform(0.4, 0.8) * dpi / 204)
    small = cv2.resize(soft, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    small += _white_noise(rng, small.shape) * rng.uniform(4, 22)
    level = 128 + rng.uniform(0, 50)
    out = np.where(small < level, 0, 255).astype(np.uint8)
    flips = rng.random(out.shape) < rng.choice([0.0, 0.0005, 0.002])
    out[flips] = 255 - out[flips]
    return out


def photograph(grey: Grey, rng: Rng) -> Grey:
    """Photograph by hand: lens blur, some motion, uneven light, sensor noise, compression."""
    out = _blur(grey, rng.uniform(0.5, 1.1))
    if rng.random() < 0.4:
        length = int(rng.integers(2, 4))
        kernel = np.zeros((length, length), np.float32)
        kernel[length // 2 if rng.random() < 0.5 else slice(None), :] = 1
        if rng.random() < 0.5:
            kernel = kernel.T
        out = np.asarray(cv2.filter2D(out, -1, kernel / kernel.sum()), np.uint8)
    out = fade(out, rng, rng.uniform(170, 235), rng.uniform(25, 90))
    rows, cols = grey.shape
    slope = np.outer(np.linspace(-1, 1, rows), [rng.uniform(-0.18, 0.18)] * cols)
    slope += np.outer(np.ones(rows), np.linspace(-1, 1, cols) * rng.uniform(-0.18, 0.18))
    light = (
        1 + slope.astype(np.float32) + 0.04 * _smooth_noise(rng, grey.shape, max(rows, cols) / 4)
    )
    out = _clip(out.astype(np.float32) * light)
    out = add_grain(out, rng, rng.uniform(3, 11))
    return compress(out, int(rng.integers(60, 92)))


CONDITIONS: dict[str, Callable[[Grey, Rng], Grey]] = {
    "clean": scan,
    "office": office_scan,
    "copy": lambda grey, rng: photocopy(grey, rng, int(rng.integers(1, 3))),
    "photo": photograph,
}
