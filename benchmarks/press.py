"""How right grids are on pages that other programs set: ``python -m benchmarks.press``."""

from __future__ import annotations

import argparse
import sys
import time
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

import cv2
import msgspec
import numpy as np
from numpy.typing import NDArray

from benchmarks.ruling import Relation, even_out, load_network, relations, survey_picture
from benchmarks.workers import open_workers
from keel_line.model.geometry import Box, Transform
from keel_line.model.grid import Cell, Grid
from keel_line.model.page import SquareChoice
from keel_line.model.table import LEAST_CHANCE
from keel_line.read.real_text import lay_text
from keel_line.rule.doubts import find_doubts
from keel_line.rule.headings import count_heading_rows
from keel_line.rule.survey import survey_text
from keel_line.rule.turned import gather_text
from keel_line.square.straighten import square_page
from synth.press.designs import load_designs
from synth.press.store import LoadedPage, each_page, load_pressed
from synth.press.truth import CellPlace, PressPage, TableGrid

PRESS = Path(__file__).resolve().parent / "press"
GROUPS = {
    "digital": ("digital",),
    "clean scan": ("clean",),
    "copy, fax or photograph": ("copy", "fax", "fax-coarse", "photo", "office"),
}
_DAMAGED = ("copy", "fax", "photo", "fax-coarse", "office")
SEED = 40211
MOSTLY = 0.5  # a grid is a table's that holds so much of its texts


@dataclass(frozen=True)
class TableScore:
    """One table of the truth: whether it was found, exactly right, and what else was right.

    ``true``, ``pairs`` and ``shared`` count pairs of neighbouring cells: those of the truth, those
    found, and those that are the same. ``box`` is the found grid's (px).
    """

    found: bool = False
    exact: bool = False
    headed: bool = False
    captioned: bool = False
    doubted: bool = False
    true: int = 0
    pairs: int = 0
    shared: int = 0
    why: str = ""
    box: Box | None = None


@dataclass(frozen=True)
class PageScore:
    """One page under one damage; ``extra`` counts tables found where there are none."""

    design: str
    number: int
    damage: str
    tables: tuple[TableScore, ...]
    extra: int
    seconds: float


@dataclass(frozen=True, eq=False)
class Places:
    """A page's texts on the squared page: each line's box (px), and the text it belongs to.

    ``parts`` counts the lines of each text.
    """

    boxes: NDArray[np.float64]
    owner: NDArray[np.int64]
    parts: dict[int, int] = field(default_factory=dict)


def score_page(loaded: LoadedPage, truth: PressPage, damage: str) -> PageScore:
    """Find a page's tables as the program does, and compare them with the truth."""
    page = find_page_grids(loaded)
    places = place_texts(truth, loaded.to_px, page.transform.to_squared)
    return _compare(page, truth, places, damage)


@dataclass(frozen=True, eq=False)
class FoundPage:
    """The grids that the program finds on a page, and the squared page.

    Of each grid: its caption, and whether any of it is in doubt. ``seconds`` is how long it took to
    find them.
    """

    pixels: NDArray[np.uint8]
    grids: tuple[Grid, ...]
    captions: tuple[Box | None, ...]
    doubted: tuple[bool, ...]
    transform: Transform
    seconds: float


def find_page_grids(loaded: LoadedPage) -> FoundPage:
    """Square a page and find its tables as the program does."""
    real = loaded.page.text
    choice = SquareChoice(turns=0, angle_deg=0.0, corners=(), as_bent=True) if real else None
    squared = square_page(loaded.page, choice or SquareChoice())
    text = None if real is None else lay_text(real, squared.transform)
    load_network()
    flat = even_out(squared.pixels, squared.dpi)
    begun = time.perf_counter()
    if text is not None:
        survey = survey_text(text, squared.dpi)
    else:
        survey = survey_picture(squared.pixels, squared.dpi, flat)
    seconds = time.perf_counter() - begun
    writing = None if text is None else gather_text(text)
    doubted = tuple(
        any(
            d.chance >= LEAST_CHANCE
            for d in find_doubts(g, flat, squared.dpi, survey.rules, writing)
        )
        for g in survey.grids
    )
    return FoundPage(
        squared.pixels, survey.grids, survey.captions, doubted, squared.transform, seconds
    )


def place_texts(truth: PressPage, to_px: NDArray[np.float64], to_squared: object) -> Places:
    """Return where a page's texts stand on the squared page.

    ``to_px``, shape (2, 3), takes points of the file to the picture, ``to_squared`` from there on.
    """
    boxes, owner = [], []
    for number, text in enumerate(truth.texts):
        for x0, y0, x1, y1 in text.lines:
            corners = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])
            moved = to_squared(corners @ to_px[:, :2].T + to_px[:, 2])  # type: ignore[operator]
            boxes.append((*moved.min(axis=0), *moved.max(axis=0)))
            owner.append(number)
    parts: dict[int, int] = {}
    for number in owner:
        parts[number] = parts.get(number, 0) + 1
    return Places(np.array(boxes, float).reshape(-1, 4), np.array(owner, np.int64), parts)


def _inside(box: Box, places: Places) -> NDArray[np.int64]:
    """Return the numbers of the lines whose middle lies in a box."""
    x = (places.boxes[:, 0] + places.boxes[:, 2]) / 2
    y = (places.boxes[:, 1] + places.boxes[:, 3]) / 2
    return np.flatnonzero((box[0] <= x) & (x <= box[2]) & (box[1] <= y) & (y <= box[3]))


def _name_cells(grid: Grid, places: Places) -> list[object]:
    """Return what each cell holds: a text's number where it holds all of one text and no more."""
    out: list[object] = []
    for cell in grid.cells:
        lines = _inside(cell.box, places)
        owners = places.owner[lines].tolist()
        if not owners:
            out.append(None)
        elif len(set(owners)) == 1 and len(owners) == places.parts[owners[0]]:
            out.append(owners[0])
        else:
            out.append(tuple(sorted(owners)))
    return out


def share_texts(boxes: Sequence[Box], truth: PressPage, places: Places) -> NDArray[np.float64]:
    """Return which share of each true table's texts each box holds, shape (tables, boxes)."""
    holds = [set(places.owner[_inside(box, places)].tolist()) for box in boxes]
    texts = [{c.text for c in table.cells} for table in truth.tables]
    shares = [[len(h & own) / max(1, len(own)) for h in holds] for own in texts]
    return np.array(shares, float).reshape(len(texts), len(holds))


def _compare(page: FoundPage, truth: PressPage, places: Places, damage: str) -> PageScore:
    grids = page.grids
    named = [_name_cells(g, places) for g in grids]
    scores, used = [], set()
    held = share_texts([g.box for g in grids], truth, places)
    for table, shares in zip(truth.tables, held, strict=True):
        best = int(np.argmax(shares)) if len(shares) else -1
        true = relations(
            (c.row, c.col, c.row_span, c.col_span, c.text) for c in _with_blanks(table)
        )
        if best < 0 or shares[best] < MOSTLY:
            used |= {k for k, s in enumerate(shares) if s > 0}
            scores.append(TableScore(true=len(true), why="lost"))
            continue
        found: set[Relation] = set()
        for k, share in enumerate(shares):
            if share > 0:
                used.add(k)
                cells = zip(grids[k].cells, named[k], strict=True)
                found |= relations((c.row, c.col, c.row_span, c.col_span, n) for c, n in cells)
        why = _find_fault(grids[best], named[best], table)
        scores.append(
            TableScore(
                found=True,
                exact=not why,
                headed=_has_heading(grids[best], named[best], table, truth),
                captioned=_has_caption(page.captions[best], table, places),
                doubted=page.doubted[best],
                true=len(true),
                pairs=len(found),
                shared=len(true & found),
                why=why,
                box=grids[best].box,
            )
        )
    return PageScore(
        truth.design, truth.number, damage, tuple(scores), len(grids) - len(used), page.seconds
    )


@dataclass(frozen=True)
class _Place:
    row: int
    col: int
    row_span: int
    col_span: int
    text: object


def _with_blanks(table: TableGrid) -> Iterable[_Place]:
    taken = set()
    for cell in table.cells:
        yield _Place(cell.row, cell.col, cell.row_span, cell.col_span, cell.text)
        taken |= {
            (r, c)
            for r in range(cell.row, cell.row + cell.row_span)
            for c in range(cell.col, cell.col + cell.col_span)
        }
    for row in range(table.rows):
        for col in range(table.cols):
            if (row, col) not in taken:
                yield _Place(row, col, 1, 1, None)


def _find_fault(grid: Grid, names: Sequence[object], table: TableGrid) -> str:
    """Return what is wrong with a grid in a word or two, empty where it is exactly right.

    Blank cells have no say: nothing on paper shows how far they span without rules.
    """
    if grid.rows != table.rows:
        return f"rows {grid.rows - table.rows:+d}"
    if grid.cols != table.cols:
        return f"columns {grid.cols - table.cols:+d}"
    if any(isinstance(n, tuple) for n in names):
        return "texts in other cells"
    at = {n: c for c, n in zip(grid.cells, names, strict=True) if isinstance(n, int)}
    if at.keys() != {c.text for c in table.cells}:
        return "other texts"
    return "" if all(_fits(at[c.text], c) for c in table.cells) else "a span"


def _fits(found: Cell, true: CellPlace) -> bool:
    """Return whether a found cell has the place of a true one, or a part of it that is free."""
    begins = (found.row - true.row, found.col - true.col)
    ends = (
        true.row + true.row_span - found.row - found.row_span,
        true.col + true.col_span - found.col - found.col_span,
    )
    if true.free:
        return min(*begins, *ends) >= 0
    return begins == (0, 0) and ends == (0, 0)


def _has_heading(grid: Grid, names: Sequence[object], table: TableGrid, truth: PressPage) -> bool:
    texts = []
    for name in names:
        owners = (name,) if isinstance(name, int) else name if isinstance(name, tuple) else ()
        texts.append(" ".join(truth.texts[o].text for o in dict.fromkeys(owners)))
    count = grid.heading_rows
    if count is None:
        count = count_heading_rows(grid, texts)
    mine: set[int] = set()
    for cell, name in zip(grid.cells, names, strict=True):
        if cell.row < count:
            mine |= (
                {name} if isinstance(name, int) else set(name) if isinstance(name, tuple) else set()
            )
    return mine == {c.text for c in table.cells if c.row < table.header_rows}


def _has_caption(box: Box | None, table: TableGrid, places: Places) -> bool:
    lines = _inside(box, places).tolist() if box is not None else []
    wanted = np.flatnonzero(places.owner == table.caption).tolist()
    return lines == wanted


def _score_one(folder: Path, data: tuple[bytes, PressPage, str]) -> PageScore:
    del folder
    cv2.setNumThreads(1)
    pdf, truth, damage = data
    return score_page(load_pressed(pdf, truth, damage, SEED), truth, damage)


def score_folder(
    folder: Path, *, programs: Sequence[str] = (), workers: int | None = None
) -> list[PageScore]:
    """Score every page of a folder: as it is, as a clean scan, and damaged in one other way."""
    jobs = []
    for k, (pdf, truth) in enumerate(each_page(folder)):
        if programs and truth.design.split("-")[0] not in programs:
            continue
        jobs += [(pdf, truth, d) for d in ("digital", "clean", _DAMAGED[k % len(_DAMAGED)])]
    with open_workers(workers) as pool:
        return list(pool.map(partial(_score_one, folder), jobs, chunksize=4))


def _percent(part: float, whole: float) -> str:
    return f"{100 * part / whole:.1f}%" if whole else "–"


def summary_rows(scores: Sequence[PageScore]) -> list[str]:
    """Return the report's table: a row for each group of damages."""
    rows = [
        "| pages | tables | found | grid exactly right | structure F1 | heading rows right "
        "| caption right | wrong ones in doubt | right ones in doubt "
        "| tables that are none, per 100 pages | seconds a page |",
        "|---|---|---|---|---|---|---|---|---|---|---|",
    ]
    named = [(n, [s for s in scores if s.damage in d]) for n, d in GROUPS.items()]
    for name, own in [*named, ("**all**", list(scores))]:
        rows.append(_row(name, own))
    return rows


def _row(name: str, own: Sequence[PageScore]) -> str:
    tables = [t for s in own for t in s.tables]
    right = [t for t in tables if t.exact]
    wrong = [t for t in tables if t.found and not t.exact]
    both = sum(t.true + t.pairs for t in tables)
    count = len(tables)
    cells = [
        name,
        str(count),
        _percent(sum(t.found for t in tables), count),
        _percent(len(right), count),
        f"{2 * sum(t.shared for t in tables) / both:.4f}" if both else "–",
        _percent(sum(t.headed for t in tables), count),
        _percent(sum(t.captioned for t in tables), count),
        _percent(sum(t.doubted for t in wrong), len(wrong)),
        _percent(sum(t.doubted for t in right), len(right)),
        f"{100 * sum(s.extra for s in own) / max(1, len(own)):.1f}",
        f"{np.mean([s.seconds for s in own]):.2f}" if own else "–",
    ]
    return "| " + " | ".join(cells) + " |"


def kind_rows(scores: Sequence[PageScore]) -> list[str]:
    """Return a table with a row for each class of designs, and one for each program."""
    kinds = {d.name: d.kind for d in load_designs()}
    rows = [
        "| designs | tables | grid exactly right: digital | clean scan | damaged | structure F1 |",
        "|---|---|---|---|---|---|",
    ]
    groups = {
        k: [s for s in scores if kinds.get(s.design) == k] for k in dict.fromkeys(kinds.values())
    }
    groups |= {
        f"set by {p}": [s for s in scores if s.design.split("-")[0] == p]
        for p in dict.fromkeys(s.design.split("-")[0] for s in scores)
    }
    for name, own in groups.items():
        tables = [t for s in own for t in s.tables]
        if not tables:
            continue
        shares = []
        for damages in GROUPS.values():
            part = [t for s in own if s.damage in damages for t in s.tables]
            shares.append(_percent(sum(t.exact for t in part), len(part)))
        both = sum(t.true + t.pairs for t in tables)
        f1 = 2 * sum(t.shared for t in tables) / both
        rows.append(f"| {name} | {len(tables)} | {' | '.join(shares)} | {f1:.4f} |")
    return rows


def main() -> None:
    """Score a folder of pages and print the tables."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--folder", type=Path, default=PRESS)
    parser.add_argument("--program", action="append", default=[])
    parser.add_argument("--keep", type=Path, help="write all scores as JSON")
    parser.add_argument("--faults", action="store_true", help="count what is wrong")
    args = parser.parse_args()
    scores = score_folder(args.folder, programs=args.program)
    sys.stdout.write("\n".join([*summary_rows(scores), "", *kind_rows(scores), ""]))
    if args.faults:
        counts: dict[str, int] = {}
        for score in scores:
            for table in score.tables:
                counts[table.why] = counts.get(table.why, 0) + 1
        most = sorted(counts.items(), key=lambda c: -c[1])[:25]
        sys.stdout.write("\n".join(f"{n} {why or 'right'}" for why, n in most) + "\n")
    if args.keep:
        args.keep.write_bytes(msgspec.json.encode(scores))


if __name__ == "__main__":
    main()
