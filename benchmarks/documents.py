"""How grids hold on real documents: ``python -m benchmarks.documents``.

The pages are those of manuals and reports of Debian packages, which are fetched into
``.cache/documents``. ``document_grids.toml`` has grids that were written down by hand. For two
measures no truth is needed: a page's own characters and the same page drawn, faxed and photographed
must give the same grid; and the pages of ``documents.toml`` without a table must give none.
"""

from __future__ import annotations

import argparse
import gzip
import subprocess
import sys
from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import cv2
import msgspec
import numpy as np
import pypdfium2 as pdfium
from numpy.typing import NDArray

from benchmarks.press import FoundPage, find_page_grids
from benchmarks.workers import open_workers
from keel_line.gather.pdf import load_pdf_page
from keel_line.model.geometry import Transform
from keel_line.model.grid import Grid
from keel_line.rule.headings import count_heading_rows
from synth.press.store import DPI, LoadedPage, load_pressed
from synth.press.truth import PressPage

FOLDER = Path(__file__).resolve().parent.parent / ".cache" / "documents"
_LIST = Path(__file__).with_suffix(".toml")
_GRIDS = Path(__file__).with_name("document_grids.toml")
DAMAGES = ("clean", "fax", "photo")
_SEEDS = (70211, 70212, 70213)  # tables are few: each picture is drawn so often
_MOSTLY = 0.5
_MOST_OFF = 0.01
_MOST_STRAY = 0.03


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


@dataclass(frozen=True)
class WrittenGrid:
    """A table of a page (from 1) of a PDF, as it was written down by hand.

    ``x`` and ``y`` are its lines, as shares of the page's width and height. ``spans`` are (row,
    column, rows, columns, free); a free cell's extent is shown by nothing. ``caption`` is a box in
    the same shares, empty for none, None where it is not measured.
    """

    package: str
    version: str
    path: str
    page: int
    x: tuple[float, ...]
    y: tuple[float, ...]
    heading_rows: int
    spans: tuple[tuple[int, int, int, int, int], ...] = ()
    caption: tuple[float, ...] | None = None


@dataclass(frozen=True)
class _GridList:
    tables: tuple[WrittenGrid, ...]


@cache
def load_written() -> tuple[WrittenGrid, ...]:
    """Return the grids that were written down by hand."""
    return msgspec.toml.decode(_GRIDS.read_bytes(), type=_GridList).tables


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
    listed = {(d.package, d.version) for d in load_catalogue()}
    listed |= {(w.package, w.version) for w in load_written()}
    for name, version in sorted(listed):
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
        for packed in part.rglob("*.pdf.gz"):
            packed.with_suffix("").write_bytes(gzip.decompress(packed.read_bytes()))
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
    own = find_page_grids(load_pressed(data, truth, "digital", _SEEDS[0]))
    middles = (text.boxes[:, :2] + text.boxes[:, 2:]) / 2
    laid = _lay(middles, np.eye(2, 3), own.transform)
    wanted = [places_of(laid, g) for g in own.grids]
    out = []
    for damage in DAMAGES:
        pressed = load_pressed(data, truth, damage, _SEEDS[0])
        page = find_page_grids(pressed)
        boxes = _lay(middles, _from_drawn(pressed), page.transform)
        found = [places_of(boxes, g) for g in page.grids]
        same = sum(any(are_same(w, f) for f in found) for w in wanted)
        out.append(PageResult(name, number, damage, len(own.grids), same, len(found), tabular))
    return out


def _from_drawn(pressed: LoadedPage) -> NDArray[np.float64]:
    """Return the way from px of a page as it was drawn to those of its damaged picture."""
    scale = 72.0 / DPI
    out: NDArray[np.float64] = pressed.to_px * np.array([scale, scale, 1.0])
    return out


@dataclass(frozen=True)
class TableResult:
    """How one table that was written down was found, on a page damaged in one way.

    ``doubted`` tells whether any of its grid is in doubt; ``captioned`` is None where captions are
    not measured.
    """

    name: str
    page: int
    damage: str
    found: bool = False
    exact: bool = False
    headed: bool = False
    captioned: bool | None = None
    doubted: bool = False


def score_tables(data: bytes, name: str, written: Sequence[WrittenGrid]) -> list[TableResult]:
    """Compare the tables that are found on a page with those written down, all of one page."""
    cv2.setNumThreads(1)
    number = written[0].page
    chars, middles, size = _read_chars(data, number)
    truth = PressPage(name, number - 1, (0.0, 0.0), (), ())
    out = []
    drawings = [("digital", 0), *((damage, seed) for seed in _SEEDS for damage in DAMAGES)]
    for damage, seed in drawings:
        pressed = load_pressed(data, truth, damage, seed)
        page = find_page_grids(pressed)
        way = np.eye(2, 3) if damage == "digital" else _from_drawn(pressed)
        laid = _lay(DPI / 72.0 * middles, way, page.transform)
        found = _Characters(chars, middles / size, laid)
        out += [_compare_table(table, page, found, name, damage) for table in written]
    return out


@dataclass(frozen=True, eq=False)
class _Characters:
    """A page's characters, their middles as shares of the page, and as boxes on the picture."""

    said: list[str]
    drawn: NDArray[np.float64]
    laid: NDArray[np.float64]


def _compare_table(
    table: WrittenGrid, page: FoundPage, chars: _Characters, name: str, damage: str
) -> TableResult:
    """Compare a table that was written down with what was found at its place."""
    places = [places_of(chars.laid, g) for g in page.grids]
    wanted, free = _written_places(chars.drawn, table)
    inside = wanted[:, 0] >= 0
    shares = [float((p[inside, 0] >= 0).mean()) for p in places]
    best = int(np.argmax(shares)) if shares else -1
    if best < 0 or shares[best] < _MOSTLY:
        return TableResult(name, table.page, damage)
    grid, place = page.grids[best], places[best]
    fitted = np.where((_within(place, wanted) & free)[:, None], wanted, place)
    size = (len(table.y) - 1, len(table.x) - 1)
    exact = (grid.rows, grid.cols) == size and are_same(wanted, fitted)
    rows = grid.heading_rows
    if rows is None:
        rows = count_heading_rows(grid, _texts(grid, place, chars.said))
    heads = (place[:, 0] >= 0) & (place[:, 0] < rows)
    headed = _are_one(inside & (wanted[:, 0] < table.heading_rows), heads)
    captioned = None
    if table.caption is not None:
        caption = _in_box(chars.drawn, table.caption or None)
        captioned = _are_one(caption, _in_box(chars.laid[:, :2], page.captions[best]))
    doubted = page.doubted[best]
    return TableResult(
        name,
        table.page,
        damage,
        found=True,
        exact=exact,
        headed=headed,
        captioned=captioned,
        doubted=doubted,
    )


def _read_chars(
    data: bytes, number: int
) -> tuple[list[str], NDArray[np.float64], NDArray[np.float64]]:
    """Return a page's characters, their middles, and its width and height (pt, from upper left).

    Files whose characters say nothing tell where they stand all the same.
    """
    with closing(pdfium.PdfDocument(data)) as document:
        page = document[number - 1]
        size = np.array(page.get_size())
        chars, middles = [], []
        with closing(page.get_textpage()) as text:
            for k in range(text.count_chars()):
                x0, y0, x1, y1 = text.get_charbox(k)
                if x1 > x0 and y1 > y0:
                    chars.append(text.get_text_range(k, 1))
                    middles.append(((x0 + x1) / 2, size[1] - (y0 + y1) / 2))
    return chars, np.array(middles).reshape(-1, 2), size


def _written_places(
    drawn: NDArray[np.float64], table: WrittenGrid
) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """Return the cell of each character as :func:`places_of` does, and which are in free cells."""
    out = np.full((len(drawn), 4), -1, np.int64)
    free = np.zeros(len(drawn), bool)
    cols = np.searchsorted(table.x, drawn[:, 0]) - 1
    rows = np.searchsorted(table.y, drawn[:, 1]) - 1
    inside: NDArray[np.bool_] = (
        (cols >= 0) & (cols < len(table.x) - 1) & (rows >= 0) & (rows < len(table.y) - 1)
    )
    out[inside] = np.column_stack([rows, cols, np.ones_like(rows), np.ones_like(cols)])[inside]
    for row, col, high, wide, is_free in table.spans:
        own = inside & (rows >= row) & (rows < row + high) & (cols >= col) & (cols < col + wide)
        out[own] = (row, col, high, wide)
        free[own] = bool(is_free)
    return out, free


def _within(place: NDArray[np.int64], wanted: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Return whether each cell lies within another."""
    begins = place[:, :2] - wanted[:, :2]
    ends = wanted[:, :2] + wanted[:, 2:] - place[:, :2] - place[:, 2:]
    out: NDArray[np.bool_] = (np.minimum(begins, ends) >= 0).all(axis=1)
    return out


def _texts(grid: Grid, place: NDArray[np.int64], chars: Sequence[str]) -> list[str]:
    """Return what each cell says, without spaces."""
    out = []
    for cell in grid.cells:
        own = np.flatnonzero((place[:, :2] == (cell.row, cell.col)).all(axis=1)).tolist()
        out.append("".join(chars[k] for k in own))
    return out


def _in_box(middles: NDArray[np.float64], box: Sequence[float] | None) -> NDArray[np.bool_]:
    if box is None:
        return np.zeros(len(middles), bool)
    x0, y0, x1, y1 = box
    x, y = middles.T
    out: NDArray[np.bool_] = (x >= x0) & (x <= x1) & (y >= y0) & (y <= y1)
    return out


def _are_one(one: NDArray[np.bool_], other: NDArray[np.bool_]) -> bool:
    """Return whether two choices of characters are the same but for a sign or two."""
    either = int((one | other).sum())
    return int((one ^ other).sum()) <= _MOST_STRAY * either


def _lay(
    middles: NDArray[np.float64], to_px: NDArray[np.float64], transform: Transform
) -> NDArray[np.float64]:
    """Return the middles of characters on the squared page, as boxes without extent."""
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
    if not both.any() or both.sum() < _MOSTLY * either.sum():
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


def table_rows(results: Sequence[TableResult]) -> list[str]:
    """Return the report's table: how right the tables are that were written down by hand."""
    rows = [
        "| written by hand | tables | found | exactly right | heading right | caption right "
        "| wrong ones in doubt | right ones in doubt |",
        "|---|---|---|---|---|---|---|---|",
    ]
    for damage in ("digital", *DAMAGES):
        own = [r for r in results if r.damage == damage]
        measured = [
            [r.found for r in own],
            [r.exact for r in own],
            [r.headed for r in own],
            [r.captioned for r in own if r.captioned is not None],
            [r.doubted for r in own if r.found and not r.exact],
            [r.doubted for r in own if r.exact],
        ]
        shares = [sum(m) / max(1, len(m)) for m in measured]
        said = " | ".join(f"{100 * s:.1f}%" for s in shares)
        rows.append(f"| {damage} | {len(own)} | {said} |")
    return rows


def _score(job: tuple[bytes, str, tuple[WrittenGrid, ...]]) -> list[TableResult]:
    return score_tables(*job)


def run_written() -> list[TableResult]:
    """Fetch the documents and score all tables that were written down by hand."""
    fetch_documents()
    pages: dict[tuple[str, str, int], list[WrittenGrid]] = {}
    for w in load_written():
        pages.setdefault((w.package, w.path, w.page), []).append(w)
    jobs = [
        (_read(package, path), f"{package}/{Path(path).name}", tuple(written))
        for (package, path, _), written in pages.items()
    ]
    with open_workers() as pool:
        return [r for found in pool.map(_score, jobs, chunksize=2) for r in found]


def _read(package: str, path: str) -> bytes:
    return (FOLDER / f"tree-{package}" / path).read_bytes()


def run() -> list[PageResult]:
    """Fetch the documents and compare all their pages."""
    fetch_documents()
    jobs: list[tuple[bytes, str, int, bool]] = []
    for d in load_catalogue():
        data = _read(d.package, d.path)
        name = f"{d.package}/{Path(d.path).name}"
        jobs += [(data, name, n, True) for n in d.pages]
        jobs += [(data, name, n, False) for n in d.none]
    listed = {(job[1], job[2]) for job in jobs}
    for w in load_written():
        name = f"{w.package}/{Path(w.path).name}"
        if (name, w.page) not in listed:
            listed.add((name, w.page))
            jobs.append((_read(w.package, w.path), name, w.page, True))
    with open_workers() as pool:
        return [r for found in pool.map(_compare, jobs, chunksize=2) for r in found]


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--each", action="store_true", help="a line for each page")
    args = parser.parse_args()
    tables = run_written()
    for t in tables if args.each else ():
        said = [n for n in ("found", "exact", "headed", "captioned", "doubted") if getattr(t, n)]
        sys.stdout.write(f"{t.name} {t.page} {t.damage}: {' '.join(said)}\n")
    sys.stdout.write("\n".join(table_rows(tables)) + "\n\n")
    sys.stdout.flush()
    results = run()
    for r in results if args.each else ():
        sys.stdout.write(f"{r.name} {r.page} {r.damage}: {r.same} of {r.tables}\n")
    sys.stdout.write("\n".join(summary_rows(results)) + "\n")


if __name__ == "__main__":
    main()
