"""How right grids are by how a table is ruled, and how often other writing is taken for a table."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from functools import cache, partial

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.bands import clear_bands
from keel_line._shared.paper import Grey, flatten_light, measure_darkness
from keel_line.model.grid import Grid
from keel_line.model.page import Page, Resolution
from keel_line.model.table import LEAST_CHANCE
from keel_line.read.network import Network
from keel_line.read.pieces import read_pieces
from keel_line.rule.doubts import find_doubts
from keel_line.rule.headings import count_heading_rows
from keel_line.rule.mend import place_grid
from keel_line.rule.survey import Survey, survey_page
from keel_line.square.straighten import square_page
from synth.faces import load_faces
from synth.pages import (
    MadePage,
    Sheet,
    TableTruth,
    choose_style,
    finish_page,
    make_neighbours,
    make_page,
)
from synth.prose import KINDS, write_prose

RULINGS = ("full", "across", "down", "heading", "outline", "none")
NEIGHBOURS_RULED = ("full", "across", "none")
_SEED = 90212
_CONDITIONS = ("clean", "office", "clean", "copy", "fax", "photo")
_INKED, _DARK, _GONE = 0.02, 60, 0.1
_DPI = 250.0

Relation = tuple[object, object, str]


def _spans(truth: TableTruth) -> bool:
    return any(c.row_span > 1 or c.col_span > 1 for c in truth.cells)


def _wraps(truth: TableTruth) -> bool:
    return any("\n" in c.text for c in truth.cells)


HARDER: dict[str, Callable[[TableTruth], bool]] = {
    "merged headings, spans": _spans,
    "wrapped rows": _wraps,
    "one or the other": lambda truth: _spans(truth) or _wraps(truth),
}


@dataclass
class RulingScore:
    """Tables of one ruling, or that hold one thing: found, exactly right, neighbour relations.

    ``gone`` are the wrong ones that a machine left next to no ink of. ``doubted_right`` and
    ``doubted_wrong`` count the tables with a line that needs a check; ``headed`` those of the right
    ones whose heading rows are counted right.
    """

    name: str
    tables: int = 0
    found: int = 0
    right: int = 0
    headed: int = 0
    doubted_right: int = 0
    doubted_wrong: int = 0
    gone: int = 0
    relations_true: int = 0
    relations_found: int = 0
    relations_shared: int = 0
    seconds: list[float] = field(default_factory=list)

    @property
    def relations_f1(self) -> float:
        """Harmonic mean of precision and recall over pairs of neighbouring cells."""
        both = self.relations_true + self.relations_found
        return 2 * self.relations_shared / both if both else 1.0


@cache
def load_network() -> Network:
    """Load the recogniser, so that no page's time has that in it."""
    network = Network(threads=1)
    network.run([np.zeros((48, 64), np.uint8)])
    return network


def even_out(grey: Grey, dpi: float) -> Grey:
    """Even out a squared page's light and clear its bands, as the program does."""
    return clear_bands(flatten_light(grey), dpi)


def survey_picture(grey: Grey, dpi: float, flat: Grey) -> Survey:
    """Find a squared page's tables by its picture as the program does: what it says is read."""
    return survey_page(grey, dpi, flat, read=partial(read_pieces, load_network(), flat))


def find_picture_grids(grey: Grey, dpi: float) -> list[Grid]:
    """Find the tables of a squared page by its picture as the program does."""
    return list(survey_picture(grey, dpi, even_out(grey, dpi)).grids)


def score_rulings(pages: int) -> tuple[list[RulingScore], list[RulingScore]]:
    """Draw the same pages with every kind of ruling and look for their tables.

    Returns the scores by ruling, and those of the tables of all rulings that hold what is harder:
    cells that span (headings of two levels), values that wrap.
    """
    faces, allowed = load_faces("held"), frozenset(load_network().recipe.alphabet)
    scores = []
    harder = {name: RulingScore(name) for name in HARDER}
    for ruling in RULINGS:
        score = RulingScore(ruling)
        for i in range(pages):
            page = make_page(
                np.random.default_rng([_SEED, i]),
                faces,
                allowed,
                condition=_CONDITIONS[i % len(_CONDITIONS)],
                dpi=_DPI,
                most_skew_deg=0,
                held=True,
                ruling=ruling,
            )
            grey, dpi = _lay_true(page)
            begun = time.perf_counter()
            flat = even_out(grey, dpi)
            survey = survey_picture(grey, dpi, flat)
            score.seconds.append(time.perf_counter() - begun)
            # On the page as it was drawn, where the truth lies.
            scale = (_DPI / dpi, _DPI / dpi)
            grids = [
                replace(
                    place_grid(g, scale, (0.0, 0.0)),
                    doubts=find_doubts(g, flat, dpi, survey.rules),
                )
                for g in survey.grids
            ]
            for truth in page.tables:
                right = score.right
                _add_table(score, truth, grids)
                score.gone += score.right == right and _is_gone(flat, dpi, truth)
                for name, holds in HARDER.items():
                    if holds(truth):
                        _add_table(harder[name], truth, grids)
        scores.append(score)
    return scores, list(harder.values())


def score_neighbours(pages: int) -> list[RulingScore]:
    """Look for pairs of tables close together: beside each other and level, or below each other.

    Half of the pairs have the same form under the same heading; see ``make_neighbours``.
    """
    faces, allowed = load_faces("held"), frozenset(load_network().recipe.alphabet)
    scores = []
    for ruling in NEIGHBOURS_RULED:
        for beside in (True, False):
            score = RulingScore(f"{'beside' if beside else 'below'} each other, rules: {ruling}")
            for i in range(pages):
                page = make_neighbours(
                    np.random.default_rng([_SEED, 93, i, beside]),
                    faces,
                    allowed,
                    beside=beside,
                    condition=_CONDITIONS[i % len(_CONDITIONS)],
                    dpi=_DPI,
                    held=True,
                    ruling=ruling,
                )
                grey, dpi = _lay_true(page)
                scale = (_DPI / dpi, _DPI / dpi)
                grids = [place_grid(g, scale, (0.0, 0.0)) for g in find_picture_grids(grey, dpi)]
                for truth in page.tables:
                    _add_table(score, truth, grids)
            scores.append(score)
    return scores


def _lay_true(page: MadePage) -> tuple[NDArray[np.uint8], float]:
    """Return a page's picture with one resolution across and down, and that resolution."""
    if page.x_dpi == page.y_dpi:
        return page.grey, page.x_dpi
    as_it_came = Page(page.grey, Resolution(page.x_dpi, page.y_dpi), "made", 1, "fax")
    squared = square_page(as_it_came)
    return squared.pixels, squared.dpi


def _is_gone(flat: NDArray[np.uint8], dpi: float, truth: TableTruth) -> bool:
    """Return whether fewer than a tenth of a table's cells show any ink of what was written."""
    ink = measure_darkness(flat) > _DARK
    shown = []
    for cell in truth.cells:
        if cell.written:
            x0, y0, x1, y1 = (round(v * dpi / _DPI) for v in cell.written)
            shown.append(float(ink[y0 : y1 + 1, x0 : x1 + 1].mean()) >= _INKED)
    return float(np.mean(shown)) < _GONE


def _add_table(score: RulingScore, truth: TableTruth, grids: list[Grid]) -> None:
    score.tables += 1
    own = [g for g in grids if _covers(g, truth)]
    score.found += bool(own)
    right = [g for g in own if is_exact(g, truth)]
    score.right += bool(right)
    doubted = any(d.chance >= LEAST_CHANCE for g in own for d in g.doubts) or not own
    score.doubted_right += bool(right) and doubted
    score.doubted_wrong += not right and doubted
    texts = {(c.row, c.col): c.text for c in truth.cells}
    score.headed += any(
        count_heading_rows(g, [texts[c.row, c.col] for c in g.cells]) == truth.header_rows
        for g in right
    )
    true = relations(
        (c.row, c.col, c.row_span, c.col_span, i if c.text else None)
        for i, c in enumerate(truth.cells)
    )
    found: set[Relation] = set()
    for grid in own:
        found |= relations(
            (c.row, c.col, c.row_span, c.col_span, _holds(c.box, truth)) for c in grid.cells
        )
    score.relations_true += len(true)
    score.relations_found += len(found)
    score.relations_shared += len(true & found)


def is_exact(grid: Grid, truth: TableTruth) -> bool:
    """Tell whether a grid has the cells of a made table, each of them where and as far as there."""
    found, wanted = (
        {(c.row, c.col, c.row_span, c.col_span) for c in cells}
        for cells in (grid.cells, truth.cells)
    )
    return found == wanted


def _covers(grid: Grid, truth: TableTruth) -> bool:
    """Return whether a grid lies over most of what is written in a table.

    Without rules a table ends where its writing does, not where its outer columns were laid out.
    """
    written = np.array([c.written for c in truth.cells if c.written])
    x0, y0 = written[:, :2].min(axis=0).tolist()
    x1, y1 = written[:, 2:].max(axis=0).tolist()
    wide = min(grid.box[2], x1) - max(grid.box[0], x0)
    high = min(grid.box[3], y1) - max(grid.box[1], y0)
    return bool(wide > 0.5 * (x1 - x0) and high > 0.3 * (y1 - y0))


def _holds(box: tuple[float, float, float, float], truth: TableTruth) -> object:
    """Return what a found cell holds of the truth: a cell's number, several, or None.

    A text is where the middle of its writing lies: without rules a cell's sides are nowhere.
    """
    inside = [
        i
        for i, c in enumerate(truth.cells)
        if c.written
        and box[0] <= (c.written[0] + c.written[2]) / 2 <= box[2]
        and box[1] <= (c.written[1] + c.written[3]) / 2 <= box[3]
    ]
    if not inside:
        return None
    return inside[0] if len(inside) == 1 else tuple(inside)


def relations(cells: Iterable[tuple[int, int, int, int, object]]) -> set[Relation]:
    """Return the pairs of neighbouring cells with text, blanks between them skipped.

    ``cells`` are (row, col, row span, col span, name), the name None for a blank. (The measure of
    Goebel and others, "A methodology for evaluating algorithms for table understanding in PDF
    documents", DocEng 2012.)
    """
    at: dict[tuple[int, int], object] = {}
    for row, col, row_span, col_span, name in cells:
        for r in range(row, row + row_span):
            for c in range(col, col + col_span):
                at[r, c] = name
    rows = 1 + max((r for r, _ in at), default=-1)
    cols = 1 + max((c for _, c in at), default=-1)
    out: set[Relation] = set()
    ways = [("right", [[(r, c) for c in range(cols)] for r in range(rows)])]
    ways.append(("below", [[(r, c) for r in range(rows)] for c in range(cols)]))
    for way, tracks in ways:
        for track in tracks:
            names = [at.get(place) for place in track]
            known = [n for n in names if n is not None]
            out |= {(a, b, way) for a, b in zip(known, known[1:], strict=False) if a != b}
    return out


def count_false_tables(pages: int) -> int:
    """Count pages of running text, columns of it, lists and letters on which a table is seen."""
    faces = load_faces("held")
    wrong = 0
    for i in range(pages):
        rng = np.random.default_rng([_SEED, 77, i])
        sheet = Sheet(_DPI)
        write_prose(sheet, choose_style(rng, faces), rng, KINDS[i % 4])
        page = finish_page(sheet, rng, condition=_CONDITIONS[i % 4], angle_deg=0.0)
        wrong += bool(find_picture_grids(page.grey, _DPI))
    return wrong


@dataclass(frozen=True)
class LyingScore:
    """Tables laid on their side under upright ones: all, those told, upright ones told to lie."""

    tables: int
    told: int
    mistaken: int


def score_lying(pages: int) -> LyingScore:
    """Lay tables on their side, ruled and not, under upright ones, and look for both."""
    faces, allowed = load_faces("held"), frozenset(load_network().recipe.alphabet)
    told = mistaken = 0
    for i in range(pages):
        upright, lying = (
            _cut_table(
                make_page(
                    np.random.default_rng([_SEED, 91, i, k]),
                    faces,
                    allowed,
                    condition=_CONDITIONS[i % 4],  # those that keep the resolution
                    dpi=_DPI,
                    most_skew_deg=0,
                    held=True,
                    ruling=RULINGS[(i + 3 * k) % len(RULINGS)],
                )
            )
            for k in range(2)
        )
        page, part = _stack(upright, np.rot90(lying, 1 if i % 2 else -1))
        grids = find_picture_grids(page, _DPI)
        told += any(g.on_side and g.box[1] > part for g in grids)
        mistaken += sum(g.on_side and g.box[3] < part for g in grids)
    return LyingScore(pages, told, mistaken)


def _cut_table(page: MadePage) -> NDArray[np.uint8]:
    """Cut a page's first table out, with a little paper around it."""
    pad = round(0.15 * _DPI)
    x0, y0, x1, y1 = (round(v) for v in page.tables[0].box)
    return page.grey[max(0, y0 - pad) : y1 + pad, max(0, x0 - pad) : x1 + pad]


def _stack(first: NDArray[np.uint8], second: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], int]:
    """Lay two pictures below each other on a sheet; return it, and a row between the two."""
    margin = round(0.4 * _DPI)
    rows = first.shape[0] + second.shape[0] + 3 * margin
    cols = max(first.shape[1], second.shape[1]) + 2 * margin
    sheet = np.full((rows, cols), int(np.percentile(second, 80)), np.uint8)
    sheet[margin:][: first.shape[0], margin:][:, : first.shape[1]] = first
    below = 2 * margin + first.shape[0]
    sheet[below:][: second.shape[0], margin:][:, : second.shape[1]] = second
    return sheet, below - margin // 2
