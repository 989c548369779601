"""A page that costs nothing to read: figures at known places of the paper."""

from __future__ import annotations

from concurrent.futures import Executor, Future

import numpy as np

from keel_line.desk.work import PageRequest, PageResponse, reproject_grids
from keel_line.docket.records import PageFinding, encode_table
from keel_line.model.docket import PageState
from keel_line.model.geometry import Transform
from keel_line.model.grid import Cell, Grid
from keel_line.model.page import Resolution
from keel_line.model.reading import Reading
from keel_line.square.skew import Lean
from keel_line.square.straighten import lay_out

SIZE = (800, 600)
XS, YS = (100.0, 250.0, 400.0, 550.0, 700.0), (80.0, 160.0, 240.0, 320.0, 400.0, 480.0)
RESOLUTION = Resolution(100.0, 100.0)


class PaperReader(Executor):
    """Reads every page as the same paper with one table of 5 by 4 figures."""

    def submit(self, fn, /, *args, **kwargs):  # type: ignore[no-untyped-def, explicit-override]  # as Executor
        future: Future[PageResponse] = Future()
        future.set_result(read_paper(args[0]))
        return future


def read_paper(request: PageRequest) -> PageResponse:
    choice = request.choice
    layout = lay_out(
        SIZE, RESOLUTION, (), Lean(choice.angle_deg or 0.0), choice.turns or 0, choice.part
    )
    transform = layout.transform
    grids = None if request.drawn is None else reproject_grids(request.drawn, transform)
    if grids is None:
        grids = [_find_grid(transform)]
    tables = tuple(
        encode_table(g, [Reading(_text_in(c, transform), 0.9) for c in g.cells], 1, "Dues")
        for g in grids
    )
    state = PageState(
        request.page_id,
        0,
        request.source_name,
        request.number,
        "done",
        size_px=SIZE,
        resolution=RESOLUTION,
        squared_size_px=SIZE,
        dpi=100.0,
        transform=transform,
        angle_deg=choice.angle_deg or 0.0,
        turns=choice.turns or 0,
    )
    return PageResponse(request.page_id, PageFinding(state, b"picture", b"small", tables))


def _find_grid(transform: Transform) -> Grid:
    middle_x, middle_y = (XS[0] + XS[-1]) / 2, (YS[0] + YS[-1]) / 2
    xs = sorted(transform.to_squared([(x, middle_y) for x in XS])[:, 0].tolist())
    ys = sorted(transform.to_squared([(middle_x, y) for y in YS])[:, 1].tolist())
    cells = tuple(
        Cell(r, c, 1, 1, (xs[c], ys[r], xs[c + 1], ys[r + 1]))
        for r in range(len(ys) - 1)
        for c in range(len(xs) - 1)
    )
    return Grid((xs[0], ys[0], xs[-1], ys[-1]), tuple(xs), tuple(ys), cells, ())


def _text_in(cell: Cell, transform: Transform) -> str:
    """Return the figures whose places on the paper lie in a cell; they stand left in theirs."""
    places = [
        (x + 0.3 * (XS[1] - XS[0]), (y + y2) / 2, f"{r}{c}.{r + c}0")
        for r, (y, y2) in enumerate(zip(YS, YS[1:], strict=False))
        for c, x in enumerate(XS[:-1])
    ]
    points = transform.to_squared([(x, y) for x, y, _ in places])
    x0, y0, x1, y1 = cell.box
    inside = np.all((points >= (x0, y0)) & (points < (x1, y1)), axis=1)
    return " ".join(text for (_, _, text), is_in in zip(places, inside, strict=True) if is_in)
