"""Hold what the pipeline makes of a page against the page's truth."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from keel_line._shared.texts import write_plain
from keel_line.desk.desk import Desk
from keel_line.desk.work import PageRequest, process_page, unpack_picture
from keel_line.model.table import CellState
from keel_line.read.confidence import load_calibration, make_flagging
from synth.pages import MadePage, TableTruth
from synth.scoring import edit_distance

SETTINGS = (0.5, 1.0, 2.0, 3.0, 5.0, 10.0)
"""Settings of the clerk's dial that flags are counted for: wrong cells in a thousand unseen."""


@dataclass(frozen=True)
class CellScore:
    """One cell of the truth and what was read of it; ``read`` is None where it is missing.

    ``flagged_at`` says at which of ``SETTINGS`` the cell would be flagged; ``ink`` is the picture
    of a wrong cell that is not flagged. ``plain`` says whether the cell would be right, and whether
    flagged, with dashes and quotation marks written plainly.
    """

    truth: str
    read: str | None
    confidence: float
    flagged: bool
    errors: int
    condition: str
    family: str
    flagged_at: tuple[bool, ...] = ()
    plain: tuple[bool, bool] = (False, False)
    ink: NDArray[np.uint8] | None = field(default=None, compare=False, repr=False)

    @property
    def right(self) -> bool:
        """Whether the cell reads exactly as it is written."""
        return self.read is not None and self.errors == 0


@dataclass(frozen=True)
class PageScore:
    """One page: whether its grids are exactly right, its skew's error, cells, and seconds."""

    name: str
    condition: str
    grid_right: bool
    skew_error_deg: float
    cells: tuple[CellScore, ...]
    seconds: dict[str, float]


def flat_text(text: str) -> str:
    """Return a text with every run of white space as one blank: line breaks are not scored."""
    return " ".join(text.split())


def score_page(page: MadePage, data: bytes, name: str, *, threads: int = 2) -> PageScore:
    """Run one encoded page through every station and hold it against its truth."""
    desk = Desk()
    desk.docket.add_source(name, data, name, 1)
    response = process_page(PageRequest(1, name, data, 1), threads)
    desk.take_response(response)
    tables = desk.tables()
    state = desk.pages()[0]
    packed = desk.docket.squared_picture(state.id)
    picture = None if packed is None else unpack_picture(packed)
    desk.set_plain_signs(plain=True)
    plain = desk.tables()
    same = len(tables) == len(page.tables)
    grid_right = same
    cells: list[CellScore] = []
    for i, truth in enumerate(page.tables):
        found = tables[i].cells if i < len(tables) else ()
        seen_plainly = plain[i].cells if i < len(plain) else ()
        grid_right &= same and _shape(truth) == {
            (c.cell.row, c.cell.col, c.cell.row_span, c.cell.col_span) for c in found
        }
        cells += _score_cells(truth, found, seen_plainly, page, picture)
    desk.close()
    return PageScore(
        name,
        page.condition,
        grid_right,
        state.angle_deg - page.angle_deg,
        tuple(cells),
        dict(response.seconds),
    )


def _shape(truth: TableTruth) -> set[tuple[int, int, int, int]]:
    return {(c.row, c.col, c.row_span, c.col_span) for c in truth.cells}


def _score_cells(
    truth: TableTruth,
    found: tuple[CellState, ...],
    seen_plainly: tuple[CellState, ...],
    page: MadePage,
    picture: NDArray[np.uint8] | None,
) -> list[CellScore]:
    by_place = {(s.cell.row, s.cell.col): s for s in found}
    plainly = {(s.cell.row, s.cell.col): s for s in seen_plainly}
    sure = [s.confidence for s in found]
    calibration = load_calibration()
    cuts = [make_flagging(calibration, setting).find_cut(sure) for setting in SETTINGS]
    out = []
    for cell in truth.cells:
        state = by_place.get((cell.row, cell.col))
        wanted = flat_text(cell.text)
        read = None if state is None else flat_text(state.text)
        confidence = 0.0 if state is None else state.confidence
        flagged = state is not None and state.flagged
        plain = plainly.get((cell.row, cell.col))
        right = plain is not None and flat_text(plain.text) == write_plain(wanted)
        ink = None
        if state is not None and read != wanted and not flagged and picture is not None:
            x0, y0, x1, y1 = (max(0, round(v)) for v in state.cell.box)
            ink = picture[y0:y1, x0:x1].copy()
        out.append(
            CellScore(
                wanted,
                read,
                confidence,
                flagged,
                edit_distance(wanted, read or ""),
                page.condition,
                page.family,
                tuple(state is not None and confidence < cut for cut in cuts),
                (right, plain is not None and plain.flagged),
                ink,
            )
        )
    return out
