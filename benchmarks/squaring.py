"""How well pages are laid: which way up, and sheets in photographs, on pages with known truth."""

from __future__ import annotations

import time
from dataclasses import dataclass
from functools import partial

import numpy as np

from keel_line.desk.work import find_way_up
from keel_line.errors import Failed
from keel_line.model.page import Page, Resolution
from keel_line.read.network import Network
from keel_line.square.sheet import find_sheet, sheet_size
from keel_line.square.straighten import square_page
from synth.camera import take_photograph
from synth.faces import load_faces
from synth.pages import make_page

_SEED = 90211
_CONDITIONS = ("clean", "office", "copy", "fax", "clean", "fax-coarse")
_PHOTO_PX = (2400, 3200)
_A4 = 2**-0.5


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


def score_turns(pages: int) -> TurnScore:
    """Lay pages in each of the four ways and square them."""
    faces, allowed = load_faces("held"), frozenset(Network().recipe.alphabet)
    tell = partial(find_way_up, 2)
    right = wrong_and_sure = 0
    for i in range(pages):
        rng = np.random.default_rng([_SEED, i])
        condition = _CONDITIONS[i % len(_CONDITIONS)]
        made = make_page(rng, faces, allowed, condition=condition, dpi=250, held=True)
        turned = int(rng.integers(4))
        if condition == "fax-coarse":  # a fax machine takes no page on its side
            turned -= turned % 2
        pixels = np.ascontiguousarray(np.rot90(made.grey, turned))
        dpi = (made.x_dpi, made.y_dpi) if turned % 2 == 0 else (made.y_dpi, made.x_dpi)
        squared = square_page(Page(pixels, Resolution(*dpi), "made", 1, "scan"), None, tell)
        right += squared.turns == turned
        wrong_and_sure += squared.turns != turned and not squared.unsure
    return TurnScore(pages, right, wrong_and_sure)


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
