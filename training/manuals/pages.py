"""Pages of parts of manuals, with the truth of what is on them."""

from __future__ import annotations

import re
import sys
from collections.abc import Iterator, Sequence
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pypdfium2 as pdfium
from numpy.typing import NDArray

from synth.faces import Face, load_faces
from synth.press.make import keep_pages
from synth.press.model import tag_hex
from synth.press.setting import SettingError, print_html
from synth.press.truth import (
    CellPlace,
    PageChars,
    PressPage,
    TableGrid,
    TextTruth,
    lie_over,
    lines_of,
    read_chars,
)
from training.manuals.asides import add_asides, add_notes
from training.manuals.captions import give_captions
from training.manuals.changes import change_tables
from training.manuals.listings import list_tables
from training.manuals.looks import choose_look
from training.manuals.markup import Manual, Part
from training.manuals.results import add_results
from training.manuals.sources import Source, load_manual
from training.roles import keep_printed

_BATCH, _BARE, _TRIES, _FACES = 16, 0.15, 30, 40
_MOST_OFF_PT = 0.6
_AROUND = 3500
_LEAST_CHARACTERS, _LEAST_LINES = 40, 2
_CUT, _LEAST_CUT = 0.2, 4
_NUMBER = re.compile(r'k="(\d+)"')


def take_window(manual: Manual, rng: np.random.Generator, *, bare: bool) -> list[Part]:
    """Return some of a manual's blocks in order: those around a table, or around none."""
    wanted = [k for k, p in enumerate(manual.parts) if (p.table is None) == bare]
    if not wanted:
        return []
    at = wanted[int(rng.integers(len(wanted)))]
    first, last = at, at + 1
    before, after = rng.uniform(0, _AROUND, 2)
    while first > 0 and before > 0:
        first -= 1
        before -= manual.parts[first].size
    while last < len(manual.parts) and after > 0:
        after -= manual.parts[last].size
        last += 1
    return manual.parts[first:last]


def cut_first_table(parts: Sequence[Part], rng: np.random.Generator) -> list[Part]:
    """Return the blocks from the first table on; the table loses its heading and first rows.

    A page looks like this when its table began on the page before.
    """
    at = next((k for k, p in enumerate(parts) if p.table is not None and not p.markup), None)
    table = None if at is None else parts[at].table
    if at is None or table is None or table.rows < _LEAST_CUT:
        return list(parts)
    first = int(rng.integers(1, table.rows - _LEAST_LINES + 1))
    if table.heading > first or any(c.row < first < c.row + c.row_span for c in table.cells):
        return list(parts)
    rest = replace(
        table,
        rows=table.rows - first,
        heading=0,
        above="",
        cells=tuple(replace(c, row=c.row - first) for c in table.cells if c.row >= first),
        kinds=tuple((row - first, kind) for row, kind in table.kinds if row >= first),
    )
    return [replace(parts[at], table=rest), *parts[at + 1 :]]


def write_manuals(
    windows: Sequence[tuple[Manual, Sequence[Part]]],
    looks: Sequence[str],
    faces: Sequence[Face],
    *,
    tagged: bool,
) -> str:
    """Return one HTML file of parts of manuals; where ``tagged``, each text has its colour."""
    out = ["<!doctype html><html lang='en'><head><meta charset='utf-8'><style>"]
    out += [f"@font-face{{font-family:'{f.family}';src:url('{f.path.as_uri()}')}}" for f in faces]
    out += [*looks, "</style></head><body>"]
    first = 0
    for k, (manual, parts) in enumerate(windows):
        text = "".join(p.write() for p in parts)

        def colour(match: re.Match[str], first: int = first) -> str:
            return f"style='color:#{tag_hex(first + int(match[1]))}'" if tagged else ""

        out.append(f"<div class='m{k}'>{_NUMBER.sub(colour, text)}</div>")
        first += len(manual.texts)
    return "".join([*out, "</body></html>"])


def find_manual_truth(plain: bytes, tagged: bytes, manuals: Sequence[Manual]) -> list[PressPage]:
    """Return the truth of each page; a table that is cut by its end is two."""
    firsts = np.cumsum([0, *[len(m.texts) for m in manuals]])
    found = []
    with closing(pdfium.PdfDocument(plain)) as a, closing(pdfium.PdfDocument(tagged)) as b:
        if len(a) != len(b):
            return []
        for number in range(len(b)):
            marked, bare = read_chars(b[number]), read_chars(a[number])
            known = marked.tags[(marked.tags >= 0) & (marked.tags < firsts[-1])]
            if (
                len(known) < _LEAST_CHARACTERS
                or len(bare.text) != len(marked.text)
                or np.abs(bare.boxes - marked.boxes).max() > _MOST_OFF_PT
            ):
                continue
            own = int(np.bincount(np.searchsorted(firsts, known, side="right") - 1).argmax())
            page = _make_truth(manuals[own], marked, int(firsts[own]), number)
            if page is not None:
                found.append(page)
    return found


def _make_truth(manual: Manual, chars: PageChars, first: int, number: int) -> PressPage | None:
    texts: list[TextTruth] = []
    place: dict[int, int] = {}
    for own in np.unique(chars.tags).tolist():
        if not first <= own < first + len(manual.texts):
            continue
        role, said = manual.texts[own - first]
        lines = lines_of(chars.boxes[chars.tags == own], turned=False)
        places = np.array(lines)
        if places[:, :2].min() < 0 or (places[:, 2:] > chars.size).any():
            return None
        place[own - first] = len(texts)
        texts.append(TextTruth(role, said, tuple(lines)))
    if lie_over([line for t in texts for line in t.lines]):
        return None
    tables = []
    for table in manual.tables:
        cells = [replace(c, text=place[c.text]) for c in table.cells if c.text in place]
        if not cells:
            continue
        left = _keep_filled(table, cells)
        if min(left.rows, left.cols) >= _LEAST_LINES:
            tables.append(left)
            continue
        for cell in cells:  # nobody could tell that it is a part of a table
            texts[cell.text] = replace(texts[cell.text], role="unknown")
    return PressPage("manual", number, chars.size, tuple(texts), tuple(tables))


def _keep_filled(table: TableGrid, cells: Sequence[CellPlace]) -> TableGrid:
    """Return what is left of a table: the rows and columns in which some cell begins."""
    rows, cols = (sorted({getattr(c, n) for c in cells}) for n in ("row", "col"))
    moved = []
    for c in cells:
        high = sum(c.row <= r < c.row + c.row_span for r in rows)
        wide = sum(c.col <= k < c.col + c.col_span for k in cols)
        place = (rows.index(c.row), cols.index(c.col), high, wide)
        moved.append(CellPlace(*place, c.text, free=False))
    heads = sum(r < table.header_rows for r in rows)
    if table.header_rows < 0 and 0 in rows:
        heads = -1
    return TableGrid(len(rows), len(cols), heads, tuple(moved), -1)


def print_pages(source: Source, seed: int, *, held: bool) -> tuple[bytes, list[PressPage]]:
    """Print parts of manuals by chance; return the PDF and the truth of its pages.

    Raises
    ------
    SettingError
        When the browser fails.
    """
    rng = np.random.default_rng([739, seed])
    every = load_faces("val" if held else "train")
    faces = tuple(every[int(k)] for k in rng.permutation(len(every))[:_FACES])
    listed = source.load_listed(held=held)
    windows: list[tuple[Manual, list[Part]]] = []
    for _ in range(_BATCH * _TRIES):
        path = listed.choose(rng)
        manual = None if path is None else load_manual(path)
        if manual is None:
            continue
        change_tables(manual, rng)
        give_captions(manual, rng)
        list_tables(manual, rng)
        parts = take_window(manual, rng, bare=not manual.tables or rng.random() < _BARE)
        if parts and rng.random() < _CUT:
            parts = cut_first_table(parts, rng)
        if parts:
            add_notes(manual, parts, rng)
            add_asides(manual, parts, rng)
            add_results(manual, parts, rng)
            windows.append((manual, parts))
        if len(windows) == _BATCH:
            break
    looks = [choose_look(rng, f"m{k}", faces) for k in range(len(windows))]
    plain, tagged = (
        print_html(write_manuals(windows, looks, faces, tagged=t)) for t in (False, True)
    )
    return plain, find_manual_truth(plain, tagged, [m for m, _ in windows])


def print_held(source: Source, seed: int, folder: Path) -> None:
    """Print parts of manuals that are held out, and keep the PDF beside the truth of its pages."""
    name = f"{source.name}{seed:04d}"
    try:
        pdf, pages = print_pages(source, seed, held=True)
    except SettingError as error:
        sys.stdout.write(f"{error}\n")
        return
    keep_pages(folder, name, pdf, [replace(p, design=f"{name}-{p.number}") for p in pages])


def render(source: Source, seed: int, *, ink_share: float) -> Iterator[dict[str, NDArray[Any]]]:
    """Print parts of manuals by chance, and yield what is kept of each page."""
    try:
        plain, pages = print_pages(source, seed, held=False)
    except SettingError as error:
        sys.stdout.write(f"{error}\n")
        return
    yield from keep_printed(plain, pages, seed, ink_share)
