"""Makes of a docket's tables what is sent: typed columns, marks of doubt, where they come from."""

from __future__ import annotations

import logging
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Executor, Future, wait
from dataclasses import dataclass, field
from functools import lru_cache, reduce
from importlib.metadata import version
from itertools import groupby
from pathlib import Path

import cv2
import msgspec
import numpy as np
from numpy.typing import NDArray

from keel_line._shared.amounts import Separators, is_open
from keel_line._shared.column_types import OPEN_SIGN, ColumnType, Decided, decide_type, find_point
from keel_line._shared.pulse import pulse
from keel_line._shared.reading_order import order_boxes
from keel_line._shared.texts import count_of
from keel_line.desk.pool import InlineExecutor
from keel_line.desk.repeats import find_all_repeated
from keel_line.desk.running import RunningLine, RunningRequest, answer_running
from keel_line.desk.tidying import Tidying, find_joined, find_year, tidy_table
from keel_line.desk.work import unpack_picture
from keel_line.errors import StoppedError
from keel_line.model.docket import ChangeRecord, PageState, SourceState
from keel_line.model.geometry import Box, Transform, unite
from keel_line.model.reading import CharReading
from keel_line.model.table import CellState, TableState
from keel_line.model.tidy import TidyTable
from keel_line.rule.area import describe_area
from keel_line.send.clipboard import Clip, clip_table
from keel_line.send.document import (
    AS_PRINTED,
    DocumentParts,
    TidiedTable,
    make_document,
    write_document,
)
from keel_line.send.formats import BY_ENDING
from keel_line.send.sent import (
    Above,
    Doubt,
    InkCutter,
    Mark,
    Origin,
    Place,
    SendOptions,
    SentBlock,
    SentColumn,
    SentPage,
    SentSum,
    SentTable,
    SentWord,
)
from keel_line.send.values import type_column

MOST_PICTURES = 100
"""Pages whose doubts are shown as ink at most."""
log = logging.getLogger(__name__)
PROGRAM = f"Keel Line {version('keel-line')}"
"""What writes files."""
_LOOK_EVERY_S = 0.2
_INK_EDGE = 0.25  # of a cell's height
__all__ = [
    "MOST_PICTURES",
    "Clip",
    "SendRequest",
    "Sent",
    "SentTable",
    "answer_send",
    "clip_table",
    "count_left_open",
    "count_open",
    "gather_evidence",
    "make_all_sent",
    "make_documents",
    "make_one_sent",
    "make_sent",
    "type_column",
]
"""With what the window shows of it."""
LEFT_OPEN = "Left as text: the comma or point may part thousands or decimals."


@dataclass(frozen=True)
class Evidence:
    """What is known of a docket's tables beside their texts.

    ``pages`` are the docket's by id, ``settled`` the changes of cells by the cell's id; ``history``
    is all that was done, from the first on.
    """

    pages: Mapping[int, PageState] = field(default_factory=dict)
    settled: Mapping[int, ChangeRecord] = field(default_factory=dict)
    history: tuple[ChangeRecord, ...] = ()


@dataclass(frozen=True)
class Sent:
    """The written files, and messages about them."""

    files: list[Path]
    notices: list[str]


@dataclass(frozen=True, eq=False)
class PageToSend:
    """A page that is sent whole: its source's bytes, and what reads its running text."""

    state: PageState
    data: bytes
    running: RunningRequest


@dataclass(frozen=True, eq=False)
class SendRequest:
    """All that it takes to write tables.

    ``files`` are those that will be written, ``pictures`` the compressed pictures of pages whose
    doubts are shown as ink, by page; ``sources`` those that JSON documents are written of.
    """

    target: Path
    files: tuple[Path, ...]
    options: SendOptions
    tables: tuple[TableState, ...]
    evidence: Evidence
    pictures: Mapping[int, bytes]
    sources: tuple[SourceState, ...]
    pages: tuple[PageToSend, ...] = ()


def answer_send(request: SendRequest, executor: Executor | None = None) -> Sent:
    """Write the tables of a request, in any thread.

    ``executor`` is where running text is read.

    Raises
    ------
    OutputError
        When the target cannot be written.
    StoppedError
        When what listens to the pulse of the work raises it.
    """
    form = BY_ENDING[request.target.suffix.lower()]
    pages, options = request.evidence.pages, request.options
    said: list[str] = []
    left_out = sum(p.progress != "done" for p in pages.values())
    if left_out:
        verb = "is" if left_out == 1 else "are"
        said.append(f"{count_of(left_out, 'page')} not read {verb} left out.")
    if form.write_pages is not None:
        whole, troubles = _make_pages(request, executor or InlineExecutor())
        said += troubles
        said += form.write_pages(whole, request.target, options)
        return Sent(list(request.files), said)
    if form.write is None:
        documents = make_documents(request.sources, request.tables, request.evidence)
        for path, (_, document) in zip(request.files, documents, strict=True):
            write_document(document, path)
        return Sent(list(request.files), said)
    sent, passed_over = make_all_sent(request.tables, request.evidence)
    said += passed_over
    if form.write is None:
        return Sent(list(request.files), said)
    said += form.write(sent, request.target, options, _make_cutter(request))
    typed = "as_text" in form.options and not options.as_text
    left_open = sum(map(count_left_open, sent)) if typed else 0
    if left_open:
        cells = "1 cell is" if left_open == 1 else f"{left_open} cells are"
        said.append(f"{cells} left as text: the comma or point may part thousands or decimals.")
    return Sent(list(request.files), said)


def _make_pages(request: SendRequest, executor: Executor) -> tuple[list[SentPage], list[str]]:
    """Read the text outside the tables of each page; return the pages with tables and text."""
    begun = [(p, executor.submit(answer_running, p.running)) for p in request.pages]
    pages, said = [], []
    for page, future in begun:
        try:
            lines = _wait_for(future)
        except StoppedError:
            for _, other in begun:
                other.cancel()
            raise
        except Exception:  # one page's fault must not keep the others
            log.exception(
                "running text of page %d of %s", page.state.number, page.state.source_name
            )
            lines = []
            where = f"Page {page.state.number} of {page.state.source_name}"
            said.append(f"{where}: what stands outside its tables was not read.")
        own = [t for t in request.tables if t.page_id == page.state.id]
        pages.append(make_sent_page(page, own, lines))
    return pages, said


def _wait_for(future: Future[list[RunningLine]]) -> list[RunningLine]:
    """Return what a worker found, and give signs of life meanwhile."""
    while not future.done():
        pulse()
        wait([future], timeout=_LOOK_EVERY_S)
    return future.result()


def make_sent_page(
    page: PageToSend, tables: Sequence[TableState], lines: Sequence[RunningLine]
) -> SentPage:
    """Return a page with its tables and lines in the order in which they are read."""
    state = page.state
    boxes = [*(t.grid.box for t in tables), *(line.box for line in lines)]
    blocks: list[SentBlock] = []
    for number in order_boxes(boxes):
        box = boxes[number]
        if number < len(tables):
            table = tables[number]
            words = [w for s in table.cells for w in _words_of(s, state.transform)]
            blocks.append(SentBlock(tuple(words), table=make_sent(table)))
            continue
        line = lines[number - len(tables)]
        found = prepare_words(line.text, line.chars, line.box, state.transform)
        blocks.append(SentBlock(tuple(found), line.text, None, *box, line.cap_px))
    res = state.resolution
    return SentPage(
        page.data,
        state.source_name,
        state.number,
        state.size_px,
        (res.x_dpi, res.y_dpi),
        real=state.kind == "text",
        blocks=tuple(blocks),
    )


def _words_of(state: CellState, transform: Transform) -> Iterator[SentWord]:
    """Yield a cell's words: where its characters stand, or over its ink where it was corrected."""
    chars = state.reading.chars if state.text == state.reading.text else ()
    box = state.cell.box
    if state.reading.chars and not chars:
        box = reduce(unite, (c.box for c in state.reading.chars))
    yield from prepare_words(state.text, chars, box, transform)


def prepare_words(
    text: str, chars: Sequence[CharReading], box: Box, transform: Transform
) -> Iterator[SentWord]:
    """Yield a text's words with their corners, by its characters where these are known."""
    words = text.split()
    inked = [c for c in chars if not c.char.isspace()]
    at, whole = 0, max(1, sum(map(len, words)) + len(words) - 1)
    x0, y0, x1, y1 = box
    for number, word in enumerate(words):
        own = inked[at : at + len(word)]
        if own and "".join(c.char for c in own) == word:
            around = reduce(unite, (c.box for c in own))
        else:  # laid along the box, as wide as its share of the letters
            first = at + number
            step = (x1 - x0) / whole
            around = (x0 + first * step, y0, x0 + (first + len(word)) * step, y1)
        at += len(word)
        corners = transform.box_on_original(around)
        yield SentWord(word, tuple((float(x), float(y)) for x, y in corners))


def make_documents(
    sources: Sequence[SourceState], tables: Sequence[TableState], evidence: Evidence
) -> list[tuple[SourceState, dict[str, object]]]:
    """Return each source's pages that were read, and their tables, as JSON documents."""
    by_id = {t.id: t for t in tables}
    tidied = {t.id: _make_tidied(t, tables, by_id, evidence) for t in tables if t.steps}
    out = []
    for source in sources:
        own = [
            p for p in evidence.pages.values() if p.source_id == source.id and p.progress == "done"
        ]
        page_ids = {p.id for p in own}
        on_them = [t for t in tables if t.page_id in page_ids]
        parts = DocumentParts(
            PROGRAM,
            {t.id: make_sent(t) for t in on_them},
            tidied,
            find_all_repeated(on_them),
            evidence.history,
        )
        out.append((source, make_document(source, own, on_them, parts)))
    return out


def _make_tidied(
    table: TableState,
    tables: Sequence[TableState],
    by_id: Mapping[int, TableState],
    evidence: Evidence,
) -> TidiedTable:
    tidying = tidy_table(table, tables)
    sent = make_one_sent(table, tidying, by_id, evidence)
    steps = tuple((msgspec.to_builtins(s), s.say()) for s in tidying.trail.steps)
    return TidiedTable(sent, tidying.table, steps, tidying.trail.joined)


def _make_cutter(request: SendRequest) -> InkCutter | None:
    """Return what cuts the ink of doubted cells out of their pages' pictures; None without any."""
    if not request.pictures:
        return None
    places = {s.id: (t.page_id, s.cell.box) for t in request.tables for s in t.cells if s.in_doubt}

    @lru_cache(maxsize=1)  # the doubts of a page follow one another
    def picture(page_id: int) -> NDArray[np.uint8] | None:
        data = request.pictures.get(page_id)
        return None if data is None else unpack_picture(data)

    def cut(cell: int) -> bytes | None:
        found = places.get(cell)
        pixels = None if found is None else picture(found[0])
        return None if found is None or pixels is None else cut_ink(pixels, found[1])

    return cut


def gather_evidence(pages: Iterable[PageState], history: Iterable[ChangeRecord]) -> Evidence:
    """Return the evidence of a docket: its pages, and who settled which cell last."""
    last: dict[int, ChangeRecord] = {}
    every = sorted(history, key=lambda r: r.id)
    for record in every:
        if record.kind == "settle" and not record.undone:
            last[record.subject] = record
    return Evidence({p.id: p for p in pages}, last, tuple(every))


def make_sent(table: TableState, evidence: Evidence | None = None) -> SentTable:
    """Return a table as it was read, with the types that its columns show."""
    rows, cols = table.grid.rows, table.grid.cols
    texts = [[""] * rows for _ in range(cols)]
    spans: dict[Place, tuple[int, int]] = {}
    for state in table.cells:
        c = state.cell
        texts[c.col][c.row] = state.text
        if c.row_span > 1 or c.col_span > 1:
            spans[c.row, c.col] = c.row_span, c.col_span
    first = table.header_rows
    below = [column[first:] for column in texts]
    point, year = find_point(below), find_year(table)
    headings = [" ".join(t for t in column[:first] if t) for column in texts]
    decided = [
        decide_type(own, name, year, point) for own, name in zip(below, headings, strict=True)
    ]
    marks = _mark_open(texts, first, decided)
    _mark_cells(table, {(s.cell.row, s.cell.col): [s] for s in table.cells}, marks)
    return SentTable(
        table.name,
        tuple(SentColumn("", type_of(d), own) for d, own in zip(decided, texts, strict=True)),
        first,
        table.caption,
        table.notes,
        spans,
        marks,
        _find_sums(table, {s.id: (s.cell.row, s.cell.col) for s in table.cells}),
        _find_origin(table, [table], evidence or Evidence()),
    )


def make_sent_tidied(
    tidying: Tidying, table: TableState, others: Sequence[TableState], evidence: Evidence
) -> SentTable:
    """Return a tidied table; ``others`` are those joined to it."""
    made = tidying.table
    first = made.heading_rows
    texts = [[str(t) for t in c.texts] for c in made.columns]
    marks = _mark_open(texts, first, tidying.types)
    states = {s.id: s for t in (table, *others) for s in t.cells}
    sources = _find_places(made)
    by_place: dict[Place, list[CellState]] = {}
    for cell, places in sources.items():
        for place in places if cell in states else ():
            by_place.setdefault(place, []).append(states[cell])
    _mark_cells(table, by_place, marks)
    single = {cell: places[0] for cell, places in sources.items() if len(places) == 1}
    return SentTable(
        made.name,
        tuple(
            SentColumn(c.name, type_of(d), own)
            for c, d, own in zip(made.columns, tidying.types, texts, strict=True)
        ),
        first,
        table.caption,
        table.notes,
        {},
        marks,
        _find_sums(table, single),
        _find_origin(table, [table, *others], evidence),
        _find_above(table, made),
    )


def _find_above(table: TableState, made: TidyTable) -> tuple[tuple[Above, ...], ...]:
    """Return the headings of the paper that stand over the one that is a column's own."""
    if made.heading_rows:
        return ()
    over: dict[Place, CellState] = {}
    for state in table.cells:
        c = state.cell
        if c.row + c.row_span < table.header_rows and state.text.strip():
            over |= {(c.row, col): state for col in range(c.col, c.col + c.col_span)}
    places = {f"c{col + 1}": col for col in range(table.grid.cols)}
    out = []
    for row in range(table.header_rows - 1):
        own = [over.get((row, places.get(column.id, -1))) for column in made.columns]
        spans, at = [], 0
        for heading, run in groupby(own):
            wide = len(list(run))
            if heading is not None:
                spans.append(Above(at, wide, " ".join(heading.text.split())))
            at += wide
        if spans:
            out.append(tuple(spans))
    return tuple(out)


def make_one_sent(
    table: TableState,
    tidying: Tidying,
    tables: Mapping[int, TableState],
    evidence: Evidence | None = None,
) -> SentTable:
    """Return a table as it is sent: with its steps taken, if it has any.

    ``tables`` are the docket's tables by their ids.
    """
    if not table.steps:
        return make_sent(table, evidence)
    others = [tables[n] for n in tidying.trail.joined if n in tables]
    return make_sent_tidied(tidying, table, others, evidence or Evidence())


def make_all_sent(
    tables: Sequence[TableState], evidence: Evidence
) -> tuple[list[SentTable], list[str]]:
    """Return all tables as they are sent, and what is to be said about them.

    Tables that are joined to others go with these.
    """
    joined = find_joined(tables)
    by_id = {t.id: t for t in tables}
    out, said = [], []
    for table in tables:
        if table.id in joined:
            continue
        if not table.steps:
            out.append(make_sent(table, evidence))
            continue
        tidying = tidy_table(table, tables)
        out.append(make_one_sent(table, tidying, by_id, evidence))
        said += [
            f"“{table.name}”: the step “{taken.step.say()}” was passed over. {taken.misfit}"
            for taken in tidying.taken
            if taken.misfit
        ]
    return out, said


def count_open(table: TableState) -> int:
    """Count the cells of a table that stay text because their comma or point has two meanings."""
    return count_left_open(make_sent(table))


def count_left_open(table: SentTable) -> int:
    """Count the cells that stay text because their comma or point has two meanings."""
    return sum(mark.as_text for mark in table.marks.values())


def cut_ink(pixels: NDArray[np.uint8], box: Box) -> bytes | None:
    """Return a box of a page, shape (rows, cols), with a little around it, as PNG."""
    x0, y0, x1, y1 = box
    edge = _INK_EDGE * (y1 - y0)
    rows = slice(max(0, int(y0 - edge)), max(0, int(y1 + edge) + 1))
    cols = slice(max(0, int(x0 - edge)), max(0, int(x1 + edge) + 1))
    part = pixels[rows, cols]
    if not part.size:
        return None
    _, packed = cv2.imencode(".png", part)
    return packed.tobytes()


def type_of(decided: Decided) -> ColumnType:
    """Return the type that a column is sent as: text where its type is in doubt.

    Where only some of its cells do not fit, the others are typed.
    """
    sure = decided.certain or decided.mixed or decided.why == OPEN_SIGN
    return decided.type if sure else ColumnType()


def _mark_open(
    texts: Sequence[Sequence[str]], first: int, decided: Sequence[Decided]
) -> dict[Place, Mark]:
    """Mark the numbers whose comma or point has two meanings: they stay text."""
    out = {}
    for col, (own, known) in enumerate(zip(texts, decided, strict=True)):
        if known.why != OPEN_SIGN:
            continue
        separators = Separators(known.type.point, certain=False)
        for row in range(first, len(own)):
            if is_open(own[row], separators):
                out[row, col] = Mark((LEFT_OPEN,), as_text=True)
    return out


def _mark_cells(
    table: TableState, states: Mapping[Place, Sequence[CellState]], marks: dict[Place, Mark]
) -> None:
    """Add the marks of cells that are in doubt, or were settled as printed."""
    for place, own in states.items():
        doubted = [s for s in own if s.in_doubt]
        vouched = any(s.settled is not None and s.settled.as_printed for s in own)
        if not doubted and not vouched:
            continue
        before = marks.get(place, Mark())
        says = (*before.says, AS_PRINTED) if vouched else before.says
        doubt = _doubt_of(table, min(doubted, key=lambda s: s.confidence)) if doubted else None
        marks[place] = Mark(says, doubt, before.as_text)


def _doubt_of(table: TableState, state: CellState) -> Doubt:
    place = (state.cell.row, state.cell.col)
    found = table.findings.by_place.get(place, []) if _is_of(table, state) else []
    said = [f.says for f in found if not f.holds and f.at == place]
    others = tuple(r.text for r in state.reading.runners_up)
    return Doubt(state.confidence, others, (*state.reading.reasons, *said), state.id)


def _is_of(table: TableState, state: CellState) -> bool:
    number = table.grid.number_at(state.cell.row, state.cell.col)
    return number is not None and table.cells[number].id == state.id


def _find_places(made: TidyTable) -> dict[int, list[Place]]:
    """Return, by cell, the places of the texts that came from it."""
    out: dict[int, list[Place]] = {}
    for col, column in enumerate(made.columns):
        rows, numbers = np.nonzero(column.sources >= 0)
        cells = column.sources[rows, numbers].tolist()
        for row, cell in zip(rows.tolist(), cells, strict=True):
            out.setdefault(cell, []).append((row, col))
    return out


def _find_sums(table: TableState, places: Mapping[int, Place]) -> tuple[SentSum, ...]:
    """Return the totals that add up, where they and their addends stand in the table once each."""
    ids = {(s.cell.row, s.cell.col): s.id for s in table.cells}
    out = []
    for finding in table.findings:
        if finding.kind != "sum" or not finding.holds:
            continue
        cells = [ids.get(p) for p in finding.places]  # the total comes last
        found = [places[c] for c in cells if c is not None and c in places]
        if len(found) == len(cells) > 2:
            out.append(SentSum(found[-1], tuple(found[:-1])))
    return tuple(out)


def _find_origin(table: TableState, tables: Sequence[TableState], evidence: Evidence) -> Origin:
    page = evidence.pages.get(table.page_id)
    area = "" if page is None else describe_area(table.grid.box, page.dpi)
    states = [s for t in tables for s in t.cells]
    settled = [s.id for s in states if s.settled is not None]
    records = [evidence.settled[i] for i in settled if i in evidence.settled]
    checked = ""
    if settled:
        who = Counter(r.who for r in records)
        names = f" by {', '.join(name for name, _ in who.most_common(4))}" if who else ""
        last = max((r.at for r in records), default="")
        when = f", last on {last[:10]} at {last[11:16]}" if last else ""
        checked = f"{count_of(len(settled), 'cell')}{names}{when}"
    reader = next((s.reading.model for s in states if s.reading.model), "")
    return Origin(
        table.source_name,
        ", ".join(dict.fromkeys(str(t.page_number) for t in tables)),
        area,
        checked,
        sum(t.expected_wrong for t in tables),
        PROGRAM + (f", reader {reader}" if reader else ""),
    )
