"""How rightly jigs are laid on other scans of their form: ``python -m benchmarks.jigs``.

The forms are pages that other programs set (``benchmarks/press``). A jig is kept from the page as a
file; its lines are then laid on the same page as a scan, from an office, copied, faxed and
photographed, each lying otherwise. Every jig is tried on all pages of the other forms as well.
"""

from __future__ import annotations

import io
import sys
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from contextlib import closing
from dataclasses import dataclass
from multiprocessing import get_context

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from pypdfium2 import PdfDocument

from benchmarks.press import PRESS, SEED
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
_PROCESSES = 2


@dataclass(frozen=True)
class Form:
    """A page as a file, and the jig that was kept of its table; lines in pt of the file's page."""

    data: bytes
    truth: PressPage
    jig: Jig
    x: tuple[float, ...]
    y: tuple[float, ...]


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
    page, tables = read_page(load_pressed(data, truth, "digital", SEED), truth, data)
    if len(tables) != 1:
        return None
    (table,), (true,) = tables, truth.tables
    size = (table.grid.rows, table.grid.cols, table.header_rows)
    if size != (true.rows, true.cols, true.header_rows):
        return None
    jig = keep_as_jig(truth.design, table, page.dpi)
    pt = 72.0 / page.dpi
    x, y = (tuple(v * pt for v in along) for along in (table.grid.x_lines, table.grid.y_lines))
    return (
        Form(data, truth, jig, x, y) if jig.page is not None and len(jig.page.marks) > 2 else None
    )


def read_page(
    loaded: LoadedPage, truth: PressPage, data: bytes | None = None, jig: Jig | None = None
) -> tuple[PageState, list[TableState]]:
    """Read a page as the program does; with a jig once more, with its lines laid."""
    desk = Desk()
    try:
        out, res = io.BytesIO(), loaded.page.resolution
        if data is not None:
            with closing(PdfDocument(data)) as whole, closing(PdfDocument.new()) as single:
                single.import_pages(whole, [truth.number])
                single.save(out)
        else:
            Image.fromarray(loaded.page.pixels).save(out, "PNG", dpi=(res.x_dpi, res.y_dpi))
        desk.add_source(make_source("page", out.getvalue()))
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
    page, found = read_page(loaded, form.truth)
    placed = None if form.jig.page is None else place_lines(form.jig.page, found, page.dpi)
    after, laid = read_page(loaded, form.truth, jig=form.jig)
    off = min((_find_off(form, loaded, after, t) for t in laid), default=float("inf"))
    sure = placed is not None and placed.sure
    return Laid(form.truth.design, damage, sure, off, tuple(found), page.dpi)


def _find_off(form: Form, loaded: LoadedPage, page: PageState, table: TableState) -> float:
    """Return how far (mm) the worst of a table's lines lies from the form's."""
    grid = table.grid
    if (grid.cols, grid.rows) != (len(form.x) - 1, len(form.y) - 1):
        return float("inf")
    middle = ((form.x[0] + form.x[-1]) / 2, (form.y[0] + form.y[-1]) / 2)

    def place(points: Sequence[tuple[float, float]]) -> NDArray[np.float64]:
        on_paper = np.array(points) @ loaded.to_px[:, :2].T + loaded.to_px[:, 2]
        return np.asarray(page.transform.to_squared(on_paper))

    across = place([(x, middle[1]) for x in form.x])[:, 0]
    down = place([(middle[0], y) for y in form.y])[:, 1]
    ends = place([(form.x[0], middle[1]), (form.x[-1], middle[1])])
    px_per_mm = float(np.hypot(*(ends[1] - ends[0]))) / ((form.x[-1] - form.x[0]) * _MM_PER_PT)
    off = max(np.abs(across - grid.x_lines).max(), np.abs(down - grid.y_lines).max())
    return float(off / px_per_mm)


def say_lines(forms: Sequence[Form], pages: Sequence[Laid]) -> list[str]:
    """Return the figures."""
    near = sum(p.sure and p.off_mm <= NEAR_MM for p in pages)
    taken = sum(
        any(
            f.jig.page is not None
            and f.truth.design != p.design
            and place_lines(f.jig.page, p.tables, p.dpi).sure
            for f in forms
        )
        for p in pages
    )
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
    context = get_context("spawn")  # the recogniser's threads do not survive a fork
    with ProcessPoolExecutor(_PROCESSES, mp_context=context) as pool:
        pages = list(pool.map(lay, *zip(*jobs, strict=True)))
    sys.stdout.write("\n".join(say_lines(forms, pages)) + "\n")
    for page in pages:
        sys.stderr.write(f"{page.design} {page.damage} {page.sure} {page.off_mm:.2f}\n")


if __name__ == "__main__":
    main()
