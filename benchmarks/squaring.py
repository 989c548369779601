"""How well pages are laid: which way up, and sheets in photographs, on pages with known truth."""

from __future__ import annotations

import time
import tracemalloc
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from keel_line.desk.work import find_way_up
from keel_line.errors import Failed
from keel_line.model.page import Page, Resolution, SquareChoice
from keel_line.read.network import Network
from keel_line.square.sheet import find_sheet, sheet_size
from keel_line.square.straighten import square_page
from synth.camera import BentPhotograph, Photograph, photograph_bent, take_photograph
from synth.faces import load_faces
from synth.pages import MadePage, TableTruth, make_page

_SEED = 90211
_CONDITIONS = ("clean", "office", "copy", "fax", "clean", "fax-coarse")
_PHOTO_PX = (2400, 3200)
_LARGE_PX = (3000, 4000)
_A4 = 2**-0.5
_LEAST_WORDS = 20


@dataclass(frozen=True)
class TurnScore:
    """Pages laid in one of the four ways: how many came upright, and how many wrong unseen."""

    pages: int
    right: int
    wrong_and_sure: int


@dataclass(frozen=True)
class SheetScore:
    """Photographed sheets: found, corner errors (share of the diagonal), proportions, seconds."""

    sheets: int
    found: int
    errors: tuple[float, ...]
    proportions_right: int
    seconds: float


@dataclass(frozen=True)
class BendScore:
    """Bent photographs: how far rules keep from straight and level, before and after (px).

    Lengths are brought to 200 px per inch; ``seconds`` is what squaring one of 12 megapixels takes,
    ``copies`` the memory that takes, in pictures of that size, itself among them.
    """

    pages: int
    before: tuple[float, ...]
    after: tuple[float, ...]
    seconds: float
    copies: float


@dataclass(frozen=True)
class LaidScore:
    """All that is measured of squaring beside the lean."""

    turns: TurnScore
    sheets: SheetScore
    bends: BendScore


def score_laying(turned: int, photographed: int, bent: int) -> LaidScore:
    """Measure way up, sheets and bends on so many pages of each."""
    return LaidScore(score_turns(turned), score_sheets(photographed), score_bends(bent))


def make_bent(number: int, size_px: tuple[int, int]) -> tuple[MadePage, BentPhotograph]:
    """Make a page and photograph it curled, with no desk in sight."""
    rng = np.random.default_rng([_SEED, 8, number])
    faces, allowed = load_faces("held"), frozenset(Network().recipe.alphabet)
    dpi = size_px[1] * 0.97 / 11.69
    made = make_page(rng, faces, allowed, dpi=dpi, held=True, most_skew_deg=0)
    return made, photograph_bent(made.grey, rng, size_px=size_px)


def as_photo(seen: BentPhotograph | Photograph) -> Page:
    """Return a photograph as a page whose resolution nobody stated."""
    dpi = round(max(seen.grey.shape) / 11.69)
    return Page(seen.grey, Resolution(dpi, dpi, estimated=True), "photo.jpg", 1, "photo")


def score_bends(pages: int) -> BendScore:
    """Square curled pages and follow their rules through it."""
    before: list[float] = []
    after: list[float] = []
    for i in range(pages):
        made, seen = make_bent(i, _PHOTO_PX)
        squared = square_page(as_photo(seen), SquareChoice(turns=0))
        scale = 200 / (_PHOTO_PX[1] * 0.97 / 11.69)
        for table in made.tables:
            for line, axis in _rules_of(table):
                places = seen.places(line)
                laid = squared.transform.to_squared(places)
                for points, out in ((places, before), (laid, after)):
                    away = points[:, 1 - axis] - points[:, 1 - axis].mean()
                    out.append(float(np.abs(away).max() * scale))
    _, seen = make_bent(pages, _LARGE_PX)
    page = as_photo(seen)
    begun = time.perf_counter()
    square_page(page, SquareChoice(turns=0))
    spent = time.perf_counter() - begun
    tracemalloc.start()
    square_page(page, None, partial(find_way_up, 2))
    copies = 1 + tracemalloc.get_traced_memory()[1] / page.pixels.nbytes
    tracemalloc.stop()
    return BendScore(pages, tuple(before), tuple(after), spent, copies)


def _rules_of(table: TableTruth) -> list[tuple[NDArray[np.float64], int]]:
    """Return points along every rule of a table, with the axis that it runs along."""
    x0, y0, x1, y1 = table.box
    ys = sorted({c.box[1] for c in table.cells} | {y1})
    xs = sorted({c.box[0] for c in table.cells} | {x1})
    across = [(np.column_stack([np.linspace(x0, x1, 50), np.full(50, y)]), 0) for y in ys]
    down = [(np.column_stack([np.full(50, x), np.linspace(y0, y1, 50)]), 1) for x in xs]
    return across + down


def score_turns(pages: int) -> TurnScore:
    """Lay each page in two of the four ways and square it; pages with few words say too little."""
    faces, allowed = load_faces("held"), frozenset(Network().recipe.alphabet)
    tell = partial(find_way_up, 2)
    laid = right = wrong_and_sure = 0
    for i in range(pages):
        rng = np.random.default_rng([_SEED, i])
        condition = _CONDITIONS[i % len(_CONDITIONS)]
        made = make_page(rng, faces, allowed, condition=condition, dpi=250, held=True)
        words = sum(len(cell.text.split()) for table in made.tables for cell in table.cells)
        if words < _LEAST_WORDS:
            continue
        first = int(rng.integers(2))
        # A fax machine takes no page on its side.
        apart = 2 if condition == "fax-coarse" else 1 + int(rng.integers(3))
        first -= first % 2 if condition == "fax-coarse" else 0
        for turned in (first, (first + apart) % 4):
            pixels = np.ascontiguousarray(np.rot90(made.grey, turned))
            dpi = (made.x_dpi, made.y_dpi) if turned % 2 == 0 else (made.y_dpi, made.x_dpi)
            squared = square_page(Page(pixels, Resolution(*dpi), "made", 1, "scan"), None, tell)
            laid += 1
            right += squared.turns == turned
            wrong_and_sure += squared.turns != turned and not squared.unsure
    return TurnScore(laid, right, wrong_and_sure)


def score_sheets(sheets: int) -> SheetScore:
    """Photograph sheets on a desk and find their corners."""
    faces, allowed = load_faces("held"), frozenset(Network().recipe.alphabet)
    errors: list[float] = []
    proportions = 0
    spent = 0.0
    for i in range(sheets):
        rng = np.random.default_rng([_SEED, 7, i])
        made = make_page(rng, faces, allowed, dpi=220, held=True, most_skew_deg=0)
        seen = take_photograph(
            made.grey, rng, size_px=_PHOTO_PX, cut_corner=i % 5 == 1, finger=i % 5 == 3
        )
        begun = time.perf_counter()
        found = find_sheet(seen.grey)
        spent += time.perf_counter() - begun
        if isinstance(found, Failed):
            continue
        away = np.array(found) - seen.corners
        errors.append(float(np.hypot(away[:, 0], away[:, 1]).max() / np.hypot(*_PHOTO_PX)))
        wide, high = sheet_size(found, _PHOTO_PX)
        proportions += abs(wide / high / _A4 - 1) < 0.005
    return SheetScore(sheets, len(errors), tuple(errors), proportions, spent / sheets)


def show_laying() -> list[tuple[str, NDArray[np.uint8], NDArray[np.uint8]]]:
    """Return one page of each kind: its name, as it came, and squared."""
    faces, allowed = load_faces("held"), frozenset(Network().recipe.alphabet)
    tell = partial(find_way_up, 2)

    def make(number: int, condition: str, skew: float) -> MadePage:
        rng = np.random.default_rng([_SEED, 9, number])
        return make_page(
            rng, faces, allowed, condition=condition, dpi=200, held=True, most_skew_deg=skew
        )

    crooked, faxed, flat = make(0, "clean", 5.0), make(1, "fax-coarse", 3.0), make(2, "clean", 0.0)
    on_desk = take_photograph(flat.grey, np.random.default_rng(3), size_px=(1500, 2000))
    shown = [
        ("crooked scan", Page(crooked.grey, Resolution(200, 200), "a", 1, "scan")),
        ("fax 204x98", Page(faxed.grey, Resolution(204, 98), "b", 1, "fax")),
        ("photograph", as_photo(on_desk)),
        ("curled", as_photo(make_bent(3, (1500, 2000))[1])),
        (
            "on its side",
            Page(
                np.ascontiguousarray(np.rot90(make(4, "office", 2.0).grey)),
                Resolution(200, 200),
                "e",
                1,
                "scan",
            ),
        ),
    ]
    return [(name, page.pixels, square_page(page, None, tell).pixels) for name, page in shown]
