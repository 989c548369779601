"""How rightly jigs are laid on other scans of their form: ``python -m benchmarks.jigs``.

The forms are pages that other programs set (``benchmarks/press``). A jig is kept from a clean scan;
its lines are then laid on the same page scanned again, in an office, copied, faxed and
photographed, each lying otherwise. Lines between rows count where they are printed, or part the
heading: others are the page's own. Every jig is tried on all pages of the other forms as well.
"""

from __future__ import annotations

import io
import sys
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from benchmarks.press import PRESS, SEED
from benchmarks.workers import open_workers
from keel_line.desk.desk import Desk
from keel_line.desk.forms import lay_form
from keel_line.desk.pool import InlineExecutor
from keel_line.desk.tidying import keep_as_jig
from keel_line.gather.sources import make_source
from keel_line.model.docket import PageState
from keel_line.model.table import TableState
from keel_line.tidy.form_lines import place_lines
from keel_line.tidy.jigs import Jig
from synth.press.store import LoadedPage, each_page, load_pressed
from synth.press.truth import PressPage

DAMAGES = ("clean", "office", "copy", "fax", "photo")
FORMS = 12
NEAR_MM = 0.5
_MM_PER_PT = 25.4 / 72.0
_OTHER_SEED, _LEAST_MARKS = 60_013, 3


@dataclass(frozen=True)
class Form:
    """A page as a file, and the jig that was kept of its scan.

    ``x`` and ``y`` are points (pt of the file's page), shape (n, 2), on its lines.
    """

    data: bytes
    truth: PressPage
    jig: Jig
    x: NDArray[np.float64]
    y: NDArray[np.float64]


@dataclass(frozen=True)
class Laid:
    """A form's page on paper: whether its jig was sure of it, and how far (mm) lines lie off."""

    design: str
    damage: str
    sure: bool
    off_mm: float
    tables: tuple[TableState, ...]
    dpi: float


def find_forms(count: int = FORMS) -> list[Form]:
    """Return the first pages with one headed table that the program finds as it is."""
    out: list[Form] = []
    for data, truth in each_page(PRESS):
        if len(out) == count:
            break
        known = {f.truth.design for f in out}
        if len(truth.tables) != 1 or truth.design in known or not truth.tables[0].header_rows:
            continue
        form = _keep_form(data, truth)
        if form is not None:
            out.append(form)
    return out


def _keep_form(data: bytes, truth: PressPage) -> Form | None:
    loaded = load_pressed(data, truth, "clean", _OTHER_SEED)
    page, tables = read_page(loaded)
    if len(tables) != 1:
        return None
    (table,), (true,) = tables, truth.tables
    size = (table.grid.rows, table.grid.cols, table.header_rows)
    if size != (true.rows, true.cols, true.header_rows):
        return None
    jig = keep_as_jig(truth.design, table, page.dpi)
    if jig.page is None or len(jig.page.marks) < _LEAST_MARKS:
        return None
    x0, y0, x1, y1 = table.grid.box
    ys = table.grid.y_lines if jig.page.printed else table.grid.y_lines[: true.header_rows + 1]

    def on_paper(points: list[tuple[float, float]]) -> NDArray[np.float64]:
        came = np.asarray(page.transform.to_original(np.array(points)))
        return np.asarray((came - loaded.to_px[:, 2]) @ np.linalg.inv(loaded.to_px[:, :2]).T)

    x = on_paper([(v, (y0 + y1) / 2) for v in table.grid.x_lines])
    y = on_paper([((x0 + x1) / 2, v) for v in ys])
    return Form(data, truth, jig, x, y)


def read_page(loaded: LoadedPage, jig: Jig | None = None) -> tuple[PageState, list[TableState]]:
    """Read a page as the program does; with a jig once more, with its lines laid."""
    desk = Desk()
    try:
        out, res = io.BytesIO(), loaded.page.resolution
        Image.fromarray(loaded.page.pixels).save(out, "PNG", dpi=(res.x_dpi, res.y_dpi))
        desk.add_source(make_source("page.png", out.getvalue()))
        desk.run(InlineExecutor())
        (page,), own = desk.pages(), desk.tables()
        fit = None if jig is None else lay_form(page, own, jig)
        if fit is not None:
            desk.lay_forms([(page, fit)])
            desk.run(InlineExecutor())
            (page,), own = desk.pages(), desk.tables()
        return page, own
    finally:
        desk.close()


def lay(form: Form, damage: str) -> Laid:
    """Lay a form's jig on its page through a machine."""
    cv2.setNumThreads(1)
    loaded = load_pressed(form.data, form.truth, damage, SEED)
    page, found = read_page(loaded)
    placed = None if form.jig.page is None else place_lines(form.jig.page, found, page.dpi)
    after, laid = read_page(loaded, form.jig)
    off = min((_find_off(form, loaded, after, t) for t in laid), default=float("inf"))
    sure = placed is not None and placed.sure
    return Laid(form.truth.design, damage, sure, off, tuple(found), page.dpi)


def _find_off(form: Form, loaded: LoadedPage, page: PageState, table: TableState) -> float:
    """Return how far (mm) the worst of a table's lines lies from the form's."""
    grid = table.grid
    printed = form.jig.page is not None and form.jig.page.printed
    if grid.cols != len(form.x) - 1 or (printed and grid.rows != len(form.y) - 1):
        return float("inf")

    def place(points: NDArray[np.float64]) -> NDArray[np.float64]:
        came = points @ loaded.to_px[:, :2].T + loaded.to_px[:, 2]
        return np.asarray(page.transform.to_squared(came))

    across, down = place(form.x), place(form.y)
    wide_mm = float(np.hypot(*(form.x[-1] - form.x[0]))) * _MM_PER_PT
    px_per_mm = float(np.hypot(*(across[-1] - across[0]))) / wide_mm
    off_x = np.abs(across[:, 0] - grid.x_lines).max()
    off_y = np.abs(down[:, 1] - grid.y_lines[: len(down)]).max()
    return float(max(off_x, off_y) / px_per_mm)


def find_taken(forms: Sequence[Form], page: Laid) -> list[str]:
    """Return the other forms that a page is taken for."""
    return [
        f.truth.design
        for f in forms
        if f.jig.page is not None
        and f.truth.design != page.design
        and place_lines(f.jig.page, page.tables, page.dpi).sure
    ]


def say_lines(forms: Sequence[Form], pages: Sequence[Laid]) -> list[str]:
    """Return the figures."""
    near = sum(p.sure and p.off_mm <= NEAR_MM for p in pages)
    taken = sum(bool(find_taken(forms, p)) for p in pages)
    out = [
        f"{len(forms)} forms, {len(pages)} pages, each tried with the jigs of all forms.",
        "",
        "| | asked | measured |",
        "|---|---|---|",
        f"| the jig is sure, every line within {NEAR_MM} mm | 97% | {near / len(pages):.1%} |",
        f"| pages taken for another form | 0 | {taken} |",
        "",
        "| damage | sure | within 0.5 mm | within 1 mm | sure and wrong by more than 1 mm |",
        "|---|---|---|---|---|",
    ]
    for damage in DAMAGES:
        own = [p for p in pages if p.damage == damage]
        sure = [p for p in own if p.sure]
        counts = (
            len(sure),
            sum(p.off_mm <= NEAR_MM for p in own),
            sum(p.off_mm <= 1.0 for p in own),
            sum(p.off_mm > 1.0 for p in sure),
        )
        out.append(f"| {damage} | " + " | ".join(f"{n} of {len(own)}" for n in counts) + " |")
    return out


def main() -> None:
    """Measure and print."""
    forms = find_forms()
    jobs = [(form, damage) for form in forms for damage in DAMAGES]
    with open_workers() as pool:
        pages = list(pool.map(lay, *zip(*jobs, strict=True)))
    sys.stdout.write("\n".join(say_lines(forms, pages)) + "\n")
    for page in pages:
        taken = ", ".join(find_taken(forms, page))
        said = f"{page.design} {page.damage} {page.sure} {page.off_mm:.2f} {taken}\n"
        sys.stderr.write(said)


if __name__ == "__main__":
    main()
