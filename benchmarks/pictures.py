"""The report's pictures: a reliability diagram for each material, and the ink of silent errors."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

import matplotlib as mpl
import numpy as np
from matplotlib.figure import Figure
from numpy.typing import NDArray

from benchmarks.measure import CellScore
from keel_line._shared.paper import shrink

_BANDS = 8
_INK, _TEAL, _BRASS = "#22303A", "#0E6E6E", "#8F5A0C"


def band_cells(cells: Sequence[CellScore], bands: int = _BANDS) -> list[tuple[float, float, int]]:
    """Return (said on average, were right, cells) of bands of equally many cells, by confidence."""
    known = sorted((c for c in cells if c.read is not None), key=lambda c: c.confidence)
    parts = np.array_split(np.arange(len(known)), min(bands, max(1, len(known))))
    return [
        (
            float(np.mean([known[i].confidence for i in part])),
            float(np.mean([known[i].right for i in part])),
            len(part),
        )
        for part in parts
        if len(part)
    ]


def calibration_error(cells: Sequence[CellScore]) -> float:
    """Return the expected calibration error over bands of equally many cells (0 to 1)."""
    bands = band_cells(cells)
    whole = sum(n for _, _, n in bands)
    return sum(n * abs(said - was) for said, was, n in bands) / whole if whole else 0.0


def draw_reliability(groups: Mapping[str, Sequence[CellScore]], target: Path) -> None:
    """Draw what was said against what was true, a panel for each material."""
    cols = 4
    rows = -(-len(groups) // cols)
    with mpl.rc_context({"font.size": 8, "axes.edgecolor": "#CFC9BD", "text.color": _INK}):
        figure = Figure(figsize=(10.4, 2.9 * rows), layout="constrained")
        for number, (name, cells) in enumerate(groups.items(), 1):
            axes = figure.add_subplot(rows, cols, number)
            bands = band_cells(cells)
            axes.plot([0, 1], [0, 1], color="#CFC9BD", linewidth=1)
            axes.plot(
                [b[0] for b in bands], [b[1] for b in bands], "o-", color=_TEAL, markersize=3.5
            )
            axes.set(xlim=(0, 1.02), ylim=(0, 1.02), aspect="equal")
            axes.set_title(f"{name}\nerror {calibration_error(cells):.4f}", color=_INK)
            axes.set_xlabel("said")
            axes.set_ylabel("were right")
        figure.savefig(target, dpi=100)


def draw_silent(cells: Sequence[CellScore], target: Path) -> None:
    """Draw the ink of wrong cells that were not flagged, each with what was written and read."""
    shown = [c for c in cells if c.ink is not None and c.ink.size]
    with mpl.rc_context({"font.size": 8, "text.color": _INK, "font.family": "DejaVu Sans"}):
        rows = max(1, -(-len(shown) // 2))
        figure = Figure(figsize=(10.4, 0.62 * rows + 0.3), layout="constrained")
        for number, cell in enumerate(shown, 1):
            axes = figure.add_subplot(rows, 2, number)
            assert cell.ink is not None  # noqa: S101 - chosen so above
            axes.imshow(cell.ink, cmap="gray", vmin=0, vmax=255, aspect="equal")
            axes.set_anchor("W")
            axes.set_axis_off()
            told = f"written {_plain(cell.truth)}   read {_plain(cell.read or '')}"
            axes.set_title(f"{told}   ({cell.condition}, {cell.confidence:.4f})", loc="left", pad=2)
        if not shown:
            figure.text(0.02, 0.5, "None.", color=_BRASS)
        figure.savefig(target, dpi=100)


def draw_laid(
    pages: Sequence[tuple[str, NDArray[np.uint8], NDArray[np.uint8]]], target: Path
) -> None:
    """Draw pages as they came above the same pages squared."""
    with mpl.rc_context({"font.size": 8, "text.color": _INK}):
        figure = Figure(figsize=(2.1 * len(pages), 5.6), layout="constrained", facecolor="#E9E6DF")
        for number, (name, came, squared) in enumerate(pages, 1):
            for row, picture in enumerate((came, squared)):
                axes = figure.add_subplot(2, len(pages), row * len(pages) + number)
                small = shrink(picture, 420 / max(picture.shape))
                axes.imshow(small, cmap="gray", vmin=0, vmax=255)
                axes.set_axis_off()
                if row == 0:
                    axes.set_title(name)
        figure.savefig(target, dpi=100)


def _plain(text: str) -> str:
    """Return a text as matplotlib is to show it: no dollar sign begins mathematics."""
    return (text or "(blank)").replace("$", r"\$")
