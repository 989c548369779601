"""Takes one page through all stations: a frozen request in, a finding out, in any process."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from concurrent.futures import Future
from dataclasses import dataclass, field, replace
from functools import cache, partial

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.bands import clear_bands
from keel_line._shared.memory import is_lack_of_memory
from keel_line._shared.paper import Grey, flatten_light, shrink
from keel_line._shared.pulse import pulse
from keel_line.desk.intake import DocketSource, FileSource, read_stored
from keel_line.desk.pool import WorkerLost
from keel_line.docket.records import EncodedTable, PageFinding, encode_table
from keel_line.errors import DocketError, KeelLineError
from keel_line.gather.sources import load_page
from keel_line.model.docket import PageState
from keel_line.model.form import KnownForm
from keel_line.model.geometry import Box, Transform
from keel_line.model.grid import DrawnTables, Grid, LineDoubt
from keel_line.model.page import Page, PageText, SquareChoice, SquaredPage
from keel_line.model.reading import Reading
from keel_line.read.network import Network
from keel_line.read.pieces import read_pieces
from keel_line.read.reader import Reader
from keel_line.read.real_text import lay_text, read_box, read_real_text
from keel_line.read.strip import read_strip
from keel_line.read.turned import read_turned
from keel_line.read.upright import find_upright
from keel_line.rule.area import fit_to_rules
from keel_line.rule.doubts import find_doubts
from keel_line.rule.headings import count_heading_rows
from keel_line.rule.mend import place_grid
from keel_line.rule.sideways import Letters
from keel_line.rule.survey import Survey, survey_page, survey_text
from keel_line.rule.turned import find_turned_cells, gather_text
from keel_line.square.straighten import WayUp, square_page

log = logging.getLogger(__name__)

SMALL_HEIGHT_PX = 112
_PICTURE_QUALITY = 88
_JPEG = b"\xff\xd8\xff"
_MOST_LEAN = 0.03
ON_SIDE = "This table is sideways. U moves it upright to a page of its own"
_SURE_TITLE = 0.2  # a title names its sheet; one that is all doubt names nothing


@dataclass(frozen=True)
class PageRequest:
    """A request to read a page: its source, its number (from 1) in it, and the clerk's choice.

    ``source`` are its bytes, or where the worker finds them; ``drawn`` are its tables where the
    clerk mended them; ``forms`` are those of which earlier pages are known.
    """

    page_id: int
    source_name: str
    source: bytes | FileSource | DocketSource
    number: int
    choice: SquareChoice = field(default_factory=SquareChoice)
    drawn: DrawnTables | None = None
    forms: tuple[KnownForm, ...] = ()


@dataclass(frozen=True)
class PageResponse:
    """The response to a request: a finding, or the trouble in plain words.

    ``crashed`` says that its worker died.
    """

    page_id: int
    finding: PageFinding | None
    trouble: str = ""
    seconds: tuple[tuple[str, float], ...] = ()
    crashed: bool = False


@cache
def find_reader(threads: int) -> Reader:
    """Return this process's reader."""
    return Reader(Network(threads=threads))


def load_original(request: PageRequest) -> Page:
    """Load a page as it came.

    Raises
    ------
    KeelLineError
        When it cannot be loaded.
    """
    source = request.source
    data = source if isinstance(source, bytes) else read_stored(source)
    return load_page(data, request.source_name, request.number, no_colour=request.choice.no_colour)


def answer_page(request: PageRequest, threads: int = 1) -> PageResponse:
    """Take one page through all stations; return any fault as the page's trouble."""
    try:
        return process_page(request, threads)
    except Exception as error:  # noqa: BLE001 - one page's fault must not end the others
        return answer_fault(request, error)


def response_from(request: PageRequest, future: Future[PageResponse]) -> PageResponse:
    """Return the response to a request, also if its worker was lost."""
    try:
        return future.result()
    except Exception as error:  # noqa: BLE001 - told as an answer about this page
        answer = answer_fault(request, error)
        died = isinstance(error, WorkerLost) and error.why == "died"
        return replace(answer, crashed=died)


def answer_fault(request: PageRequest, error: BaseException) -> PageResponse:
    """Return the answer about a page whose reading failed, in plain words."""
    page = f"Page {request.number} of {request.source_name}"
    if isinstance(error, KeelLineError):
        said = str(error)
    elif isinstance(error, WorkerLost) and error.why == "stalled":
        said = f"{page} took too long and was stopped. Save or scan it again; Ctrl+R retries."
    elif isinstance(error, WorkerLost):
        said = (
            f"{page} could not be read: damaged, or too large for memory. "
            "Scan it at 300 dpi; Ctrl+R retries."
        )
    elif is_lack_of_memory(error):
        said = f"{page} needs too much memory. Scan it at 300 dpi, or cut it into smaller pages."
    else:
        log.error("page %d of %s", request.number, request.source_name, exc_info=error)
        said = f"{page} could not be read because of a fault in Keel Line. Ctrl+R tries it again."
    return PageResponse(request.page_id, None, said)


def load_small_original(request: PageRequest, side_px: int) -> bytes:
    """Load a page as it came, shrink its longer side to ``side_px``, and compress it.

    Raises
    ------
    KeelLineError
        When it cannot be loaded.
    """
    pixels = load_original(replace(request, choice=SquareChoice())).pixels
    small = shrink(pixels, side_px / max(pixels.shape))
    _, packed = cv2.imencode(".jpg", small, [cv2.IMWRITE_JPEG_QUALITY, _PICTURE_QUALITY])
    return packed.tobytes()


def find_way_up(threads: int, flat: Grey, dpi: float) -> WayUp:
    """Return which way up a straight page is, by how surely the recogniser reads its words."""
    found = find_upright(flat, dpi, find_reader(threads).network)
    return WayUp(found.turns, found.sure)


def _read_pieces(threads: int, flat: Grey, boxes: NDArray[np.float64], cap_px: float) -> list[str]:
    return read_pieces(find_reader(threads).network, flat, boxes, cap_px)


def process_page(request: PageRequest, threads: int = 1) -> PageResponse:
    """Take one page through gather, square, rule and read.

    Raises
    ------
    KeelLineError
        When it cannot be loaded.
    MemoryError
        When it takes more memory than there is.
    """
    clock = cv2.TickMeter()
    seconds: list[tuple[str, float]] = []

    def lap(name: str) -> None:
        clock.stop()
        seconds.append((name, clock.getTimeSec()))
        clock.reset()
        clock.start()
        pulse()

    clock.start()
    page = load_original(request)
    lap("gather")
    real = None if request.choice.as_picture else page.text
    choice = request.choice if real is None else _without_moving(request.choice)
    squared = square_page(page, choice, partial(find_way_up, threads))
    lap("square")
    drawn = None if request.drawn is None else reproject_grids(request.drawn, squared.transform)
    flat = clear_bands(flatten_light(squared.pixels), squared.dpi)
    text = None if real is None else lay_text(real, squared.transform)
    survey = (
        survey_page(squared.pixels, squared.dpi, flat, drawn, partial(_read_pieces, threads, flat))
        if text is None
        else survey_text(text, squared.dpi, drawn)
    )
    kept = request.drawn if drawn is not None else None
    grids = _finish_grids(survey, squared.dpi, flat, kept, text)
    lap("rule")
    words = partial(_read_words, squared, text, threads)
    titles = [words(box) for box in survey.captions]
    notes = [words(box) for box in survey.notes]
    readings = _read_grids(squared, flat, grids, survey.letters, request.forms, threads)
    if text is not None:
        pairs = zip(grids, readings, strict=True)
        readings = [ink if g.on_side else read_real_text(text, g, ink) for g, ink in pairs]
    strip = _note_of(page, threads)
    lap("read")
    tables: list[EncodedTable] = []
    for grid, own, title, notes_under in zip(grids, readings, titles, notes, strict=True):
        heading = grid.heading_rows
        if heading is None:
            heading = count_heading_rows(grid, [r.text for r in own])
        tables.append(encode_table(grid, own, heading, title, notes_under))
    rows, cols = squared.pixels.shape
    state = PageState(
        id=request.page_id,
        source_id=0,
        source_name=request.source_name,
        number=request.number,
        progress="done",
        # Only in a picture that a camera took does a sheet lie on a desk.
        kind="photo" if squared.corners else page.kind,
        size_px=(page.pixels.shape[1], page.pixels.shape[0]),
        resolution=page.resolution,
        squared_size_px=(cols, rows),
        dpi=squared.dpi,
        transform=squared.transform,
        angle_deg=squared.angle_deg,
        unsure=squared.unsure,
        tables=len(tables),
        turns=squared.turns,
        corners=squared.corners,
        verdict=squared.verdict,
        straight_px=squared.straight_px,
        note=strip,
        rejected_areas=survey.rejected_areas,
        parted_at=squared.parted_at,
    )
    big, small = _pictures(squared)
    lap("keep")
    return PageResponse(
        request.page_id, PageFinding(state, big, small, tuple(tables)), "", tuple(seconds)
    )


def reproject_grids(drawn: DrawnTables, transform: Transform) -> list[Grid] | None:
    """Project grids that the clerk drew onto the page in its current layout.

    None where it lies so much otherwise that rows would no longer be rows.
    """
    if drawn.transform == transform:
        return list(drawn.grids)
    out = []
    for grid in drawn.grids:
        x0, y0, x1, y1 = grid.box
        corners = transform.to_squared(drawn.transform.box_on_original(grid.box))
        along, down = corners[1] - corners[0], corners[3] - corners[0]
        level = abs(along[1]) <= _MOST_LEAN * abs(along[0]) and along[0] > 0
        upright = abs(down[0]) <= _MOST_LEAN * abs(down[1]) and down[1] > 0
        if not (level and upright):
            return None
        low, high = corners.min(axis=0), corners.max(axis=0)
        scale = (high - low) / (max(x1 - x0, 1.0), max(y1 - y0, 1.0))
        out.append(place_grid(grid, scale.tolist(), (low - scale * (x0, y0)).tolist()))
    return out


def _without_moving(choice: SquareChoice) -> SquareChoice:
    """Return a choice that leaves a page of real text in place unless the clerk set otherwise."""
    return replace(
        choice,
        turns=choice.turns or 0,
        angle_deg=choice.angle_deg or 0.0,
        corners=choice.corners or (),
        as_bent=True,
    )


def _finish_grids(
    survey: Survey, dpi: float, flat: Grey, drawn: DrawnTables | None, text: PageText | None
) -> list[Grid]:
    """Complete grids with doubts of their lines, or align them with the page's rules.

    What the clerk drew on this very page keeps the doubts that it came with.
    """
    if drawn is not None and not drawn.to_fit:
        return list(survey.grids)
    grids: Sequence[Grid] = survey.grids
    if drawn is not None:
        grids = [fit_to_rules(g, survey.rules, dpi) for g in grids]

    writing = None if text is None else gather_text(text)

    def doubt(grid: Grid) -> tuple[LineDoubt, ...]:
        if grid.on_side:
            return (LineDoubt("across", 0, ON_SIDE),)
        return find_doubts(grid, flat, dpi, survey.rules, writing, found=drawn is None)

    return [replace(g, doubts=doubt(g)) for g in grids]


def _read_words(squared: SquaredPage, text: PageText | None, threads: int, box: Box | None) -> str:
    """Read the text in a box outside the tables; empty if it cannot be read."""
    if box is None:
        return ""
    if text is not None:
        return read_box(text, box)
    said, sure = find_reader(threads).read_words(squared.pixels, squared.dpi, box)
    return said if sure >= _SURE_TITLE else ""


def _read_grids(
    squared: SquaredPage,
    flat: Grey,
    grids: list[Grid],
    letters: Letters,
    forms: Sequence[KnownForm],
    threads: int,
) -> list[list[Reading]]:
    """Read every cell of every grid; those with turned writing the way in which they read surer."""
    reader = find_reader(threads)
    readings = reader.read_page(squared.pixels, squared.dpi, grids, flat, forms)
    for grid, own in zip(grids, readings, strict=True):
        numbers = find_turned_cells(grid, letters)
        cells = [grid.cells[k] for k in numbers]
        turned = read_turned(reader, squared.pixels, squared.dpi, cells)
        for k, reading in zip(numbers, turned, strict=True):
            own[k] = max(own[k], reading, key=lambda r: r.confidence if r.text else 0.0)
    return readings


def _note_of(page: Page, threads: int) -> str:
    """Read the line that a fax machine printed along a page's top; empty on other pages."""
    if page.kind != "fax":
        return ""
    res = page.resolution
    top = page.pixels[: round(res.y_dpi)]
    size = (top.shape[1], max(1, round(top.shape[0] * res.x_dpi / res.y_dpi)))
    grey = np.asarray(cv2.resize(top, size, interpolation=cv2.INTER_LINEAR), np.uint8)
    strip = read_strip(grey, res.x_dpi, find_reader(threads))
    return "" if strip is None else strip.describe()


def _pictures(squared: SquaredPage) -> tuple[bytes, bytes]:
    """Compress the squared page for the window, and a small copy for the ribbon."""
    pixels = squared.pixels
    _, big = cv2.imencode(".jpg", pixels, [cv2.IMWRITE_JPEG_QUALITY, _PICTURE_QUALITY])
    factor = SMALL_HEIGHT_PX / pixels.shape[0]
    size = (max(1, round(pixels.shape[1] * factor)), SMALL_HEIGHT_PX)
    _, small = cv2.imencode(".png", cv2.resize(pixels, size, interpolation=cv2.INTER_AREA))
    return big.tobytes(), small.tobytes()


def unpack_picture(data: bytes) -> np.ndarray:
    """Unpack a picture made by a worker: grey, shape (rows, cols), uint8.

    Raises
    ------
    DocketError
        When it is no picture that a worker makes: the docket is damaged.
    """
    unpacked = (
        cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_GRAYSCALE)
        if data.startswith(_JPEG)
        else None
    )
    if unpacked is None:
        raise DocketError("A page's picture in the docket is damaged. Read the page again.")
    return np.asarray(unpacked)
