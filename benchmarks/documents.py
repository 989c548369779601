"""How grids hold on real documents: ``python -m benchmarks.documents``.

The pages are named in ``documents.toml``: manuals and reports of Debian packages, which are fetched
into ``.cache/documents``. No truth is needed for two measures: a page's own characters and the same
page drawn, faxed and photographed must give the same grid; and a page without a table must give
none.
"""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import cv2
import msgspec
import numpy as np
from numpy.typing import NDArray

from benchmarks.press import find_page_grids
from keel_line.gather.pdf import load_pdf_page
from keel_line.model.geometry import Transform
from keel_line.model.grid import Grid
from keel_line.model.page import PageText
from synth.press.store import DPI, load_pressed
from synth.press.truth import PressPage

FOLDER = Path(__file__).resolve().parent.parent / ".cache" / "documents"
_LIST = Path(__file__).with_suffix(".toml")
DAMAGES = ("clean", "fax", "photo")
_SEED = 70211
_MOSTLY = 0.5
_MOST_OFF = 0.01


@dataclass(frozen=True)
class DocumentPages:
    """Pages (from 1) of a PDF at ``path`` in a Debian package of a version.

    ``pages`` have tables, ``none`` have not.
    """

    package: str
    version: str
    path: str
    pages: tuple[int, ...]
    none: tuple[int, ...] = ()


@dataclass(frozen=True)
class _Catalogue:
    documents: tuple[DocumentPages, ...]


def load_catalogue() -> tuple[DocumentPages, ...]:
    """Return the pages that are measured."""
    return msgspec.toml.decode(_LIST.read_bytes(), type=_Catalogue).documents


def fetch_documents() -> None:
    """Fetch and unpack the packages that are not there yet.

    Raises
    ------
    subprocess.CalledProcessError
        When a package in that version is no longer to be had.
    """
    FOLDER.mkdir(parents=True, exist_ok=True)
    for name, version in sorted({(d.package, d.version) for d in load_catalogue()}):
        tree = FOLDER / f"tree-{name}"
        if tree.exists():
            continue
        subprocess.run(  # noqa: S603 - names of our own list
            ["apt-get", "download", "-q", f"{name}={version}"],  # noqa: S607
            cwd=FOLDER,
            check=True,
            capture_output=True,
        )
        (package,) = FOLDER.glob(f"{name}_*.deb")
        part = FOLDER / f"part-{name}"
        subprocess.run(  # noqa: S603
            ["dpkg-deb", "-x", package.name, part.name],  # noqa: S607
            cwd=FOLDER,
            check=True,
            capture_output=True,
        )
        package.unlink()
        part.rename(tree)


@dataclass(frozen=True)
class PageResult:
    """For one page and damage: its tables by its own characters, and how many came out the same.

    ``tabular`` tells whether the page has tables; ``found`` is how many its picture gave.
    """

    name: str
    page: int
    damage: str
    tables: int
    same: int
    found: int
    tabular: bool


def compare_page(data: bytes, name: str, number: int, *, tabular: bool) -> list[PageResult]:
    """Compare the grids of a page's own characters with those of its picture, for each damage."""
    cv2.setNumThreads(1)
    loaded = load_pdf_page(data, "page.pdf", number, DPI)
    text = loaded.text
    if text is None:
        return []
    truth = PressPage(name, number - 1, (0.0, 0.0), (), ())
    own, laid = find_page_grids(load_pressed(data, truth, "digital", _SEED))
    wanted = [places_of(_lay(text, np.eye(2, 3), laid), g) for g in own]
    out = []
    for damage in DAMAGES:
        pressed = load_pressed(data, truth, damage, _SEED)
        grids, transform = find_page_grids(pressed)
        # From px of the page as it was drawn to those of the squared picture.
        scale = 72.0 / DPI
        boxes = _lay(text, pressed.to_px * np.array([scale, scale, 1.0]), transform)
        found = [places_of(boxes, g) for g in grids]
        same = sum(any(are_same(w, f) for f in found) for w in wanted)
        out.append(PageResult(name, number, damage, len(own), same, len(grids), tabular))
    return out


def _lay(text: PageText, to_px: NDArray[np.float64], transform: Transform) -> NDArray[np.float64]:
    """Return the middles of characters on the squared page, as boxes without extent."""
    middles = (text.boxes[:, :2] + text.boxes[:, 2:]) / 2
    on_page = middles @ to_px[:, :2].T + to_px[:, 2]
    squared = np.asarray(transform.to_squared(on_page))
    return np.hstack([squared, squared])


def places_of(boxes: NDArray[np.float64], grid: Grid) -> NDArray[np.int64]:
    """Return the row, column and spans of the cell that each character is in, -1 for none.

    ``boxes`` are the characters' (px), shape (n, 4); the result has shape (n, 4), too.
    """
    x, y = (boxes[:, 0] + boxes[:, 2]) / 2, (boxes[:, 1] + boxes[:, 3]) / 2
    out = np.full((len(boxes), 4), -1, np.int64)
    for c in grid.cells:
        x0, x1 = grid.x_lines[c.col], grid.x_lines[c.col + c.col_span]
        y0, y1 = grid.y_lines[c.row], grid.y_lines[c.row + c.row_span]
        out[(x >= x0) & (x < x1) & (y >= y0) & (y < y1)] = (c.row, c.col, c.row_span, c.col_span)
    return out


def are_same(one: NDArray[np.int64], other: NDArray[np.int64]) -> bool:
    """Return whether two grids of one page put its characters into the same cells.

    Both are what :func:`places_of` returns.
    """
    either = (one[:, 0] >= 0) | (other[:, 0] >= 0)
    both = (one[:, 0] >= 0) & (other[:, 0] >= 0)
    if both.sum() < _MOSTLY * either.sum():
        return False
    # A sign or two at a cell's edge may fall on the other side of it.
    off = (one[either] != other[either]).any(axis=1)
    return bool(off.mean() <= _MOST_OFF)


def _compare(job: tuple[bytes, str, int, bool]) -> list[PageResult]:
    data, name, number, tabular = job
    return compare_page(data, name, number, tabular=tabular)


def summary_rows(results: Sequence[PageResult]) -> list[str]:
    """Return the report's table: how often the picture gives the text's grid, and false tables."""
    rows = [
        "| the same page | tables | the same grid | pages without a table | tables found there |",
        "|---|---|---|---|---|",
    ]
    for damage in DAMAGES:
        own = [r for r in results if r.damage == damage and r.tabular]
        count, same = sum(r.tables for r in own), sum(r.same for r in own)
        bare = [r for r in results if r.damage == damage and not r.tabular]
        share = f"{100 * same / max(1, count):.1f}%"
        rows.append(
            f"| {damage} | {count} | {share} | {len(bare)} | {sum(r.found for r in bare)} |"
        )
    bare = [r for r in results if r.damage == DAMAGES[0] and not r.tabular]
    rows.append(f"| own characters |  |  | {len(bare)} | {sum(r.tables for r in bare)} |")
    return rows


def run() -> list[PageResult]:
    """Fetch the documents and compare all their pages."""
    fetch_documents()
    jobs: list[tuple[bytes, str, int, bool]] = []
    for d in load_catalogue():
        data = (FOLDER / f"tree-{d.package}" / d.path).read_bytes()
        name = f"{d.package}/{Path(d.path).name}"
        jobs += [(data, name, n, True) for n in d.pages]
        jobs += [(data, name, n, False) for n in d.none]
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        return [r for found in pool.map(_compare, jobs, chunksize=2) for r in found]


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--each", action="store_true", help="a line for each page")
    args = parser.parse_args()
    results = run()
    for r in results if args.each else ():
        sys.stdout.write(f"{r.name} {r.page} {r.damage}: {r.same} of {r.tables}\n")
    sys.stdout.write("\n".join(summary_rows(results)) + "\n")


if __name__ == "__main__":
    main()
