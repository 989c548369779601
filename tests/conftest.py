"""Material that many tests share: small made pages in the bundled face, and the demo's pages."""

from __future__ import annotations

import io
import os
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import numpy as np
import pytest
from hypothesis import settings
from numpy.typing import NDArray
from PIL import Image

from keel_line.desk.desk import Desk
from keel_line.model.page import Page, Resolution
from keel_line.ui.theme import FONT_DIR
from synth.faces import Face
from synth.pages import CellContent, MadePage, Sheet, Style, TableContent, finish_page
from tests.remembering import RememberingExecutor

ROOT = Path(__file__).resolve().parent.parent
DEMO_PAGES = ROOT / "demo" / "pages"

# How long a test takes is no business of tests: see "make bench".
settings.register_profile("without deadlines", deadline=None)
settings.load_profile("without deadlines")


@cache
def inter(*, bold: bool = False) -> Face:
    path = FONT_DIR / ("Inter-SemiBold.otf" if bold else "Inter-Regular.otf")
    chars = frozenset(chr(c) for c in range(32, 127)) | frozenset("£½°é")
    return Face("Inter", "sans", "train", path, chars, 0.727, bold=bold, italic=False)


def make_content(rows: int = 6, cols: int = 4, spans: tuple[CellContent, ...] = ()) -> TableContent:
    """A table of short numbers; ``spans`` take the place of the cells they cover."""
    taken = {
        (r, c)
        for s in spans
        for r in range(s.row, s.row + s.row_span)
        for c in range(s.col, s.col + s.col_span)
    }
    cells = [
        CellContent(
            r, c, f"Head {chr(97 + c)}" if r == 0 else f"{(r * 37 + c * 11) % 90 + 10}.{r}{c}"
        )
        for r in range(rows)
        for c in range(cols)
        if (r, c) not in taken
    ]
    return TableContent((*spans, *cells), rows, (1.2,) * cols, "l" * cols)


def draw_page(
    *contents: TableContent,
    angle_deg: float = 0.0,
    condition: str = "clean",
    dpi: float = 200.0,
    size_in: tuple[float, float] = (6.5, 6.0),
    rule_level: int = 0,
    rule_pt: float = 0.7,
    frame: str = "single",
) -> MadePage:
    sheet = Sheet(dpi, size_in)
    style = Style(
        inter(), inter(bold=True), 11.0, rule_level=rule_level, rule_pt=rule_pt, frame=frame
    )
    rng = np.random.default_rng(5)
    top = 0.8
    for content in contents:
        drawn = sheet.draw_table(content, (0.7, top), style, rng)
        top = drawn.box[3] / dpi + 0.5
    return finish_page(sheet, rng, condition=condition, angle_deg=angle_deg)


def as_page(made: MadePage) -> Page:
    return Page(made.grey, Resolution(made.x_dpi, made.y_dpi), "made.png", 1, "scan")


def draw_table(content: TableContent, ruling: str, dpi: float = 150.0) -> NDArray[np.uint8]:
    """Draw one table, ruled as ``Style.ruling`` says, on a clean sheet of 8 by 9 inches."""
    sheet, rng = Sheet(dpi, (8.0, 9.0)), np.random.default_rng(3)
    style = Style(inter(), inter(bold=True), 11.0, ruling=ruling)
    sheet.draw_table(content, (0.8, 1.0), style, rng)
    return finish_page(sheet, rng, condition="clean", angle_deg=0.0).grey


def as_png(grey: NDArray[np.uint8], dpi: tuple[float, float] = (200.0, 200.0)) -> bytes:
    out = io.BytesIO()
    Image.fromarray(grey).save(out, "PNG", dpi=dpi)
    return out.getvalue()


BERTHS = (
    ("Berth", "Vessel", "Tons", "Harbour dues"),
    ("Inner quay 12", "Morwenna Tarn", "4,186.50", "1,204.75"),
    ("Inner quay 14", "Saltmarsh Lady", "2,730.25", "866.00"),
    ("Outer mole 3", "Windrush", "9,451.00", "2,917.40"),
    ("Outer mole 7", "Kittiwake Bay", "1,068.75", "412.35"),
    ("Coal wharf 2", "Brannock Pride", "7,392.00", "2,250.60"),
)


TWO_LINES = (
    *(CellContent(3, col, text) for col, text in enumerate(("4\n5", "Kelp\nCoal", "9\n8", "2\n3"))),
    CellContent(5, 1, "Marigold\nof Ailsay"),
    *(
        CellContent(6, col, text)
        for col, text in enumerate(("61\n62", "Linnet\nSandpiper", "7.5\n8.5", "24\n25"))
    ),
)
"""Two rows of ``make_content`` with two lines in every cell, and one with two in a single one."""


def draw_lying(turns: int, dpi: float = 150.0) -> bytes:
    """A page with the first rows of ``BERTHS`` upright, and all of it on its side below, as PNG."""
    rng = np.random.default_rng(2)
    style = Style(inter(), inter(bold=True), 10.0)
    upright, lying = Sheet(dpi, (8.3, 4.0)), Sheet(dpi, (7.6, 8.3))
    for sheet, rows, at in ((upright, 4, (0.8, 0.8)), (lying, 6, (0.9, 1.2))):
        cells = tuple(
            CellContent(r, c, text)
            for r, row in enumerate(BERTHS[:rows])
            for c, text in enumerate(row)
        )
        sheet.draw_table(TableContent(cells, rows, (1.4,) * 4, "l" * 4), at, style, rng)
    first, second = (
        finish_page(s, rng, condition="clean", angle_deg=0.0).grey for s in (upright, lying)
    )
    grey = np.ascontiguousarray(np.vstack([first, np.rot90(second, turns)]))
    return as_png(grey, (dpi, dpi))


@pytest.fixture(scope="session", autouse=True)
def without_word_lists() -> Iterator[None]:
    """Let two words stand in for the fetched word lists, which a fresh machine does not have."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("synth.text.load_words", lambda _package, *, held: ("harbour", "tide"))
        yield


@pytest.fixture(scope="session", autouse=True)
def _remembering(tmp_path_factory: pytest.TempPathFactory) -> None:
    base = tmp_path_factory.getbasetemp()
    run = base.parent if "PYTEST_XDIST_WORKER" in os.environ else base
    RememberingExecutor.folder = run / "findings"


@pytest.fixture(scope="session")
def scan_bytes() -> bytes:
    """A crooked ruled page of 6 by 4 cells as a PNG."""
    made = draw_page(make_content(), angle_deg=1.5)
    return as_png(made.grey)


@pytest.fixture
def scan_file(tmp_path: Path, scan_bytes: bytes) -> Path:
    path = tmp_path / "scan.png"
    path.write_bytes(scan_bytes)
    return path


@pytest.fixture(scope="session")
def read_docket(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's pages, read, in a docket; copy it before changing it."""
    path = tmp_path_factory.mktemp("docket") / "demo.keel"
    desk = Desk(path)
    desk.add_files(sorted(DEMO_PAGES.iterdir()))
    desk.run(RememberingExecutor(), threads=2)
    desk.close()
    return path


@pytest.fixture
def demo_desk(tmp_path: Path, read_docket: Path) -> Iterator[Desk]:
    path = tmp_path / "Brannock Sound.keel"
    path.write_bytes(read_docket.read_bytes())
    desk = Desk(path)
    yield desk
    desk.close()
