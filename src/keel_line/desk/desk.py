"""The desk: adds pages to a docket, runs the stations over them, settles cells and sends tables."""

from __future__ import annotations

import getpass
import logging
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import Executor, Future
from contextlib import nullcontext
from dataclasses import dataclass, replace
from pathlib import Path
from queue import Empty, SimpleQueue

import msgspec
import numpy as np

from keel_line._shared.memory import collection_paused
from keel_line.desk.forms import FormFit
from keel_line.desk.history import HEADINGS, Correction
from keel_line.desk.intake import DocketSource, FileSource, Taken, find_files, take_in
from keel_line.desk.judge import judge_table
from keel_line.desk.misreadings import Misreadings, gather_misreadings
from keel_line.desk.plain import see_plainly, write_plainly
from keel_line.desk.pool import InlineExecutor, WorkerLost
from keel_line.desk.running import RunningRequest
from keel_line.desk.schedule import Answer, Schedule
from keel_line.desk.sending import (
    MOST_PICTURES,
    PageToSend,
    SendRequest,
    Sent,
    answer_send,
    gather_evidence,
    make_all_sent,
    make_documents,
)
from keel_line.desk.tidying import Change, find_joined
from keel_line.desk.work import PageRequest, PageResponse
from keel_line.docket.records import PageFinding
from keel_line.docket.store import Docket
from keel_line.docket.sums import lay_sums
from keel_line.errors import OutputError
from keel_line.gather.sources import Source
from keel_line.model.docket import Carried, ChangeRecord, PageState, SourceState, Step
from keel_line.model.finding import Sums
from keel_line.model.form import KnownForm
from keel_line.model.geometry import Box
from keel_line.model.grid import DrawnTables, Grid
from keel_line.model.page import REMOVED, SquareChoice
from keel_line.model.reason import ACCEPTED, TYPED, Reason
from keel_line.model.table import CellState, Settled, TableState
from keel_line.read.confidence import Flagging, load_calibration, make_flagging
from keel_line.rule.mend import place_grid
from keel_line.send.document import encode_document
from keel_line.send.formats import BY_ENDING, Format
from keel_line.send.names import name_files
from keel_line.send.sent import SendOptions, SentTable
from keel_line.send.separated import write_rows
from keel_line.settings import PLAIN_SIGNS, TOLERANCE
from keel_line.square.skew import LIMIT_DEG, Lean
from keel_line.square.straighten import Layout, lay_out
from keel_line.tidy.jigs import Writing

__all__ = ["MOST_NAME", "SEND_FORMATS", "Desk", "Notice", "SendOptions", "taken_from"]

SEND_FORMATS: dict[str, Format] = BY_ENDING
"""Formats by the ending of their files."""


log = logging.getLogger(__name__)

_LOOK_EVERY_S = 0.1
_OPTIONS, _ENDING = "send", "send-ending"  # names of settings
_LIFTED_IN = 0.1  # of the page around a table that is taken out of it
MOST_NAME = 200
"""Characters of a table's name at most."""


@dataclass(frozen=True)
class Notice:
    """A message for the clerk; ``trouble`` if something went wrong."""

    text: str
    trouble: bool = False


class Desk:
    """Everything the window and the command line may ask for.

    Parameters
    ----------
    path
        The docket's file; None keeps it in memory.
    """

    def __init__(self, path: Path | None = None) -> None:
        self.docket = Docket(path)
        self.notices: list[Notice] = []
        self._files: dict[str, Path] = {}  # of a docket without a file, by SHA-256
        self._calibration = load_calibration()

    def close(self) -> None:
        """Close the docket; everything is saved already."""
        self.docket.close()

    # --- gather --------------------------------------------------------------------------------

    def add_files(self, paths: Iterable[Path], executor: Executor | None = None) -> list[Notice]:
        """Add files and folders; report what cannot be used, and add the rest.

        ``executor`` is where they are read and counted.
        """
        workers = executor or InlineExecutor()
        taken: list[Taken | tuple[Path, Future[Taken]]] = []
        for path in paths:
            files = find_files(path)
            if isinstance(files, Taken):
                taken.append(files)
                continue
            taken += [(f, workers.submit(take_in, f, self.docket.path)) for f in files]
        return [
            self.note_taken(one if isinstance(one, Taken) else taken_from(one[0], one[1]))
            for one in taken
        ]

    def note_taken(self, taken: Taken) -> Notice:
        """Record the outcome of adding a file; return the message about it."""
        name = taken.path.name
        if taken.trouble:
            self.docket.add_trouble(name, taken.trouble)
            notice = Notice(taken.trouble, trouble=True)
        elif taken.known or (self.docket.path is None and self.docket.has_source(taken.sha256)):
            again = self.read_failed_again(taken.sha256)
            more = f" {_count_pages(again)} that failed will be read again." if again else ""
            notice = Notice(f"{name} is already in this docket.{more}")
        else:
            if self.docket.path is None:  # its bytes stay where they are
                self.docket.add_source(name, b"", taken.sha256, taken.pages)
                self._files[taken.sha256] = taken.path
            notice = Notice(f"{name}: {_count_pages(taken.pages)}.")
        self.notices.append(notice)
        return notice

    def add_source(self, source: Source) -> Notice:
        """Add a source from its bytes; the same bytes are added only once."""
        if self.docket.has_source(source.sha256):
            return Notice(f"{source.name} is already in this docket.")
        self.docket.add_source(source.name, source.data, source.sha256, source.pages)
        return Notice(f"{source.name}: {_count_pages(source.pages)}.")

    def read_failed_again(self, sha256: str | None = None) -> int:
        """Queue failed pages again, all or those of one source; return how many."""
        ids = {s.id for s in self.sources() if sha256 in {None, s.sha256}}
        failed = [p.id for p in self.pages() if p.progress == "failed" and p.source_id in ids]
        if failed:
            self.docket.read_again(failed)
        return len(failed)

    def sources(self) -> list[SourceState]:
        """Return the docket's sources."""
        return self.docket.sources()

    def pages(self) -> list[PageState]:
        """Return the docket's pages in order."""
        return self.docket.pages()

    def page(self, page_id: int) -> PageState | None:
        """Return one page; None where there is none of that id."""
        return self.docket.page(page_id)

    # --- square --------------------------------------------------------------------------------

    def choose(self, choices: Sequence[tuple[int, SquareChoice]], why: Reason) -> None:
        """Set how pages are squared, and queue them.

        Raises
        ------
        ValueError
            When an angle is beyond 20 degrees.
        """
        for _, choice in choices:
            if choice.angle_deg is not None and abs(choice.angle_deg) > LIMIT_DEG:
                raise ValueError(f"an angle is at most {LIMIT_DEG:.0f} degrees")
        self.docket.choose(choices, _clerk(), why)

    @staticmethod
    def plan(page: PageState, choice: SquareChoice) -> Layout:
        """Return the layout a page would get from a choice."""
        return lay_out(
            page.size_px,
            page.resolution,
            page.corners if choice.corners is None else choice.corners,
            Lean(page.angle_deg if choice.angle_deg is None else choice.angle_deg),
            page.turns if choice.turns is None else choice.turns,
            choice.part,
        )

    def part_page(self, page: PageState) -> None:
        """Split a picture that shows two pages: this page is the left one, a new one the right.

        It is parted where the pages were seen to part, or else in the middle. Taken back as one
        change.
        """
        wide, high = page.size_px
        at = page.parted_at if page.parted_at is not None else wide / 2
        whole = page.choice.part or (0.0, 0.0, float(wide), float(high))
        other = self.docket.beside(page.id)
        left = replace(page.choice, part=(whole[0], whole[1], at, whole[3]), corners=None)
        right = replace(left, part=(at, whole[1], whole[2], whole[3]))
        self.choose([(page.id, left), (other, right)], Reason("parted"))

    def join_parts(self, page: PageState) -> None:
        """Join the pages that were split from one picture, or put an extracted table back."""
        if page.extracted:
            self.docket.return_extracted(page.id, _clerk(), Reason("put-back"))
            return
        other = self.docket.beside(page.id)
        first, second = sorted((page.id, other))
        whole = replace(page.choice, part=None)
        self.choose([(first, whole), (second, SquareChoice(part=REMOVED))], Reason("joined"))

    def accept_page(self, page_id: int) -> None:
        """Record that the clerk approved how a page lies."""
        self.docket.set_passed(page_id)

    # --- rule ----------------------------------------------------------------------------------

    def draw(self, page: PageState, grids: Sequence[Grid] | None, why: Reason) -> None:
        """Set a page's tables as the clerk edited them, and queue it.

        ``grids`` are in px of the page as it lies now; None takes the tables as they are found.
        """
        drawn = None if grids is None else DrawnTables(tuple(grids), page.transform)
        self.docket.draw([(page.id, drawn)], _clerk(), why)

    def extract_table(self, page: PageState, table: TableState) -> int:
        """Move a table to a page of its own, upright, as one change; return the page's id.

        The page keeps its other tables; both wait to be read.
        """
        margin = _LIFTED_IN * page.dpi
        x0, y0, x1, y1 = table.grid.box
        around = (x0 - margin, y0 - margin, x1 + margin, y1 + margin)
        corners = page.transform.box_on_original(around)
        low = np.clip(corners.min(axis=0), 0, page.size_px)
        high = np.clip(corners.max(axis=0), 0, page.size_px)
        own = self.docket.tables(lambda _: 0.0, page.id)
        left = DrawnTables(tuple(t.grid for t in own if t.id != table.id), page.transform)
        part = (float(low[0]), float(low[1]), float(high[0]), float(high[1]))
        # Which way up a file's own characters stand is not known: their ink is read.
        choice = replace(
            page.choice,
            part=part,
            corners=None,
            turns=None,
            angle_deg=None,
            as_picture=page.choice.as_picture or page.kind == "text",
        )
        return self.docket.extract_page(
            page.id, left, choice, _clerk(), Reason("taken-out", table.name)
        )

    def copy_grids(self, page: PageState, onto: Sequence[PageState]) -> None:
        """Copy a page's grids to other pages of the same form, as one change, and queue those.

        When such a page is read the grids are shifted onto its own rules.
        """
        grids = [t.grid for t in self.docket.tables(lambda _: 0.0, page.id)]
        changes = []
        for other in onto:
            scale = other.dpi / page.dpi
            laid = tuple(place_grid(g, (scale, scale), (0.0, 0.0)) for g in grids)
            changes.append((other.id, DrawnTables(laid, other.transform, to_fit=True)))
        self.docket.draw(changes, _clerk(), Reason("lines-copied", str(page.number)))

    def lay_grids(self, drawn: Sequence[tuple[PageState, DrawnTables]], why: Reason) -> None:
        """Lay grids on pages, as one change, and queue these."""
        self.docket.draw([(page.id, tables) for page, tables in drawn], _clerk(), why)

    def lay_forms(self, fits: Sequence[tuple[PageState, FormFit]]) -> None:
        """Lay the lines of jigs on pages, set their sums, as one change, and queue the pages.

        When such a page is read the lines are shifted onto its own rules. A page that has the lines
        already only gets the sums.
        """
        laid = [
            (p.id, DrawnTables(fit.grids, p.transform, to_fit=True)) for p, fit in fits if fit.grids
        ]
        sums = [
            (fit.table.id, lay_sums(fit.sums, fit.laid, p.transform))
            for p, fit in fits
            if fit.table is not None
        ]
        names = ", ".join(dict.fromkeys(fit.name for _, fit in fits))
        why = "form-lines" if laid else "form-sums"
        self.docket.draw(laid, _clerk(), Reason(why, names), sums)

    def accept_lines(self, table: TableState) -> None:
        """Record that the clerk approved a table's lines."""
        self.docket.set_table(table.id, "passed", "1", _clerk(), Reason("lines-checked"))

    def set_heading(self, table: TableState, rows: int) -> None:
        """Set how many rows of a table are its heading (0 to all)."""
        value = str(min(max(rows, 0), table.grid.rows))
        self.docket.set_table(table.id, "header_rows", value, _clerk(), Reason("heading"))

    def rename(self, table: TableState, name: str) -> None:
        """Name a table; an empty name restores the one that was found."""
        plain = " ".join(name.split())[:MOST_NAME]
        self.docket.set_table(table.id, "name", plain or None, _clerk(), Reason("named"))

    def set_steps(self, table: TableState, change: Change) -> None:
        """Set what is done to a table at Tidy, as a change that can be undone."""
        self.docket.set_table(table.id, "steps", change.encoded, _clerk(), change.reason)

    def set_sums(self, table: TableState, sums: Sums, why: Reason) -> None:
        """Set a table's sums in place of earlier ones."""
        self.docket.set_sums(table, sums, _clerk(), why)

    # --- running --------------------------------------------------------------------------------

    def waiting(self) -> list[PageState]:
        """Return the pages that are still to be read."""
        return [p for p in self.pages() if p.progress == "waiting"]

    def waiting_page(self, page_id: int) -> PageState | None:
        """Return a page that is still to be read; None if it is not waiting any more."""
        page = self.docket.page(page_id)
        return page if page is not None and page.progress == "waiting" else None

    def make_request(self, page: PageState) -> PageRequest:
        """Make the request to read a page."""
        source = self._find_source(page.source_id)
        return PageRequest(page.id, page.source_name, source, page.number, page.choice, page.drawn)

    def _find_source(self, source_id: int) -> bytes | FileSource | DocketSource:
        """Return a source's bytes, or preferably the place where a worker finds them."""
        source, path = self.docket.source(source_id), self.docket.path
        if path is not None:
            return DocketSource(path, source_id, source.name, source.sha256)
        if source.sha256 in self._files:
            return FileSource(self._files[source.sha256], source.sha256)
        return self.docket.source_bytes(source_id)

    def take_response(self, response: PageResponse) -> Notice | None:
        """Store the response to a request; return the message about it."""
        notice = None
        if response.finding is None:
            self.docket.store_failure(response.page_id, response.trouble)
            notice = Notice(response.trouble, trouble=True)
        else:
            carried = self.docket.store_page(response.page_id, response.finding)
            if carried.kept or carried.strays:
                notice = _report_carried(response.finding, carried)
        if notice is not None:
            self.notices.append(notice)
        return notice

    def run(
        self,
        executor: Executor,
        *,
        threads: int = 1,
        ahead: int = 4,
        progress: Callable[[int, int], None] | None = None,
        cancelled: Callable[[], bool] | None = None,
        forms: Sequence[KnownForm] = (),
    ) -> list[PageResponse]:
        """Read every waiting page.

        Parameters
        ----------
        executor
            Where pages are worked on.
        threads
            Threads that each page's recogniser may use.
        ahead
            How many requests lie in the executor at once, so that memory stays bounded.
        progress
            Called with (pages done, pages in all).
        cancelled
            Asked between pages; pages that are done stay done.
        forms
            Forms of which earlier pages are known.
        """
        answers: SimpleQueue[Answer] = SimpleQueue()
        schedule = Schedule(self, executor, answers.put, ahead, threads)
        done: list[PageResponse] = []
        schedule.begin(forms)
        total = schedule.total
        if progress:
            progress(0, total)
        schedule.feed()
        while schedule.running:
            if cancelled is not None and cancelled():
                schedule.stop()
                break
            try:
                answer = answers.get(timeout=_LOOK_EVERY_S)
            except Empty:
                continue
            is_done, _ = schedule.take(answer)
            schedule.feed()
            if is_done:
                done.append(answer[2])
                if progress:
                    progress(len(done), total)
        return done

    # --- proof ----------------------------------------------------------------------------------

    @property
    def unseen(self) -> float:
        """Tolerance: wrong cells in 1,000 that may stay unflagged."""
        return TOLERANCE.check(float(self.docket.setting(TOLERANCE.name, str(TOLERANCE.default))))

    def set_tolerance(self, value: float) -> None:
        """Set the tolerance (wrong cells in 1,000 left unflagged), and flag all cells again."""
        self.docket.set_setting(TOLERANCE.name, str(TOLERANCE.check(value)))

    @property
    def plain_signs(self) -> bool:
        """Whether typographic dashes and quotes are replaced by - ' "."""
        return self.docket.setting(PLAIN_SIGNS.name, str(PLAIN_SIGNS.default)) == str(True)

    def set_plain_signs(self, *, plain: bool) -> None:
        """Turn plain dashes and quotes on or off, and flag all cells again."""
        self.docket.set_setting(PLAIN_SIGNS.name, str(plain))

    @property
    def flagging(self) -> Flagging:
        """The flagging for the current tolerance."""
        return make_flagging(self._calibration, self.unseen)

    def tables(
        self,
        page_id: int | None = None,
        misreadings: Misreadings | None = None,
        names: Mapping[int, str] | None = None,
    ) -> list[TableState]:
        """Return the current tables of a page, or all.

        ``misreadings`` are what was corrected in the docket; without, in these tables alone.
        ``names`` are the tables' names by id, where the caller has them.
        """
        flagging = self.flagging
        see = see_plainly if self.plain_signs else None
        many = collection_paused() if page_id is None else nullcontext()
        with many:
            tables = self.docket.tables(flagging.find_cut, page_id, see, names)
            known = gather_misreadings(tables) if misreadings is None else misreadings
            return [judge_table(table, flagging, known) for table in tables]

    def judge(self, table: TableState, misreadings: Misreadings | None = None) -> TableState:
        """Return a table with its checks run again after one of its texts changed.

        ``misreadings`` are what was corrected in the docket; without, in this table alone.
        """
        return judge_table(table, self.flagging, misreadings)

    def misreadings(self) -> Misreadings:
        """Return what was corrected in all of the docket."""
        see = see_plainly if self.plain_signs else None
        out = Misreadings()
        for columns, state in self.docket.settled_cells():
            out.add(columns, state if see is None else see(state))
        return out

    def page_order(self) -> dict[int, int]:
        """Return each page's place in the docket, by id."""
        return {page_id: k for k, page_id in enumerate(self.docket.page_ids())}

    def pages_of(self, step: Step) -> list[int]:
        """Return the pages of the cells and tables that an undo or redo affected."""
        return self.docket.pages_of(step.cell_ids, step.table_ids)

    def pages_with_tables(self) -> list[int]:
        """Return the ids of the pages with tables, in order."""
        return self.docket.pages_with_tables()

    def table_names(self, page_id: int | None = None) -> dict[int, str]:
        """Return the names of all tables by id, or of those named together with a page's."""
        return dict(self.docket.table_names(page_id))

    def cell(self, cell_id: int, least_confidence: float | None = None) -> CellState:
        """Return one cell's current state.

        ``least_confidence`` is its table's, where the caller has the table at hand.
        """
        plain = self.plain_signs
        if least_confidence is None:
            beside = self.docket.readings_beside(cell_id)
            seen = [write_plainly(r) for r in beside] if plain else beside
            least_confidence = self.flagging.find_cut([r.confidence for r in seen])
        state = self.docket.cell(cell_id, least_confidence)
        if not plain:
            return state
        state = see_plainly(state)
        return replace(state, flagged=state.reading.confidence < least_confidence)

    def accept(self, cells: Sequence[CellState], why: Reason = ACCEPTED) -> None:
        """Settle cells with their current values."""
        self.docket.settle([(c.id, _settle_unchanged(c)) for c in cells], _clerk(), why)

    def settle_as_printed(self, cell: CellState) -> None:
        """Settle a cell with its current value, as printed, although a check expects another."""
        settled = replace(_settle_unchanged(cell), as_printed=True)
        self.docket.settle([(cell.id, settled)], _clerk(), Reason("as-printed"))

    def replace(self, cell: CellState, text: str, why: Reason = TYPED) -> None:
        """Settle a cell with another value; the reading stays beside it as evidence."""
        self.settle_all([(cell, text)], why)

    def settle_all(self, cells: Sequence[tuple[CellState, str]], why: Reason) -> None:
        """Settle cells, each with a text, as one change that is undone as one."""
        self.docket.settle(
            [(c.id, Settled(text, by_hand=text != c.reading.text)) for c, text in cells],
            _clerk(),
            why,
        )

    def undo(self) -> Step | None:
        """Undo the last change; return what it affected."""
        return self.docket.undo(_clerk())

    def redo(self) -> Step | None:
        """Redo the last undone change; return what it affected."""
        return self.docket.redo(_clerk())

    def history(
        self, cell_id: int | None = None, reasons: Sequence[Reason] = ()
    ) -> list[ChangeRecord]:
        """Return the changes of a cell, or of the whole docket; those with some reasons only."""
        return self.docket.history(cell_id, reasons)

    @staticmethod
    def write_history(corrections: Sequence[Correction], target: Path) -> None:
        """Write corrections as CSV.

        Raises
        ------
        OutputError
            When the target cannot be written.
        """
        write_rows([HEADINGS, *(c.as_row() for c in corrections)], target)

    # --- send -----------------------------------------------------------------------------------

    def tables_to_send(self, tables: Sequence[TableState] | None = None) -> list[TableState]:
        """Return the tables (all, or those given) whose page is read with its current settings.

        What was found on a page before it was set again, or before it failed, does not leave.
        """
        done = {p.id for p in self.pages() if p.progress == "done"}
        return [t for t in (self.tables() if tables is None else tables) if t.page_id in done]

    @property
    def send_options(self) -> SendOptions:
        """The options that were last chosen for writing this docket."""
        try:
            return msgspec.json.decode(self.docket.setting(_OPTIONS, "{}"), type=SendOptions)
        except msgspec.DecodeError:
            log.exception("the options of sending")
            return SendOptions()

    def set_send_options(self, options: SendOptions) -> None:
        """Remember how this docket's tables are written."""
        self.docket.set_setting(_OPTIONS, msgspec.json.encode(options).decode())

    @property
    def send_ending(self) -> str:
        """The ending of the files that were last chosen for this docket; empty for none."""
        return self.docket.setting(_ENDING, "")

    def set_send_ending(self, ending: str) -> None:
        """Remember the format in which this docket's tables are written."""
        if ending != self.send_ending:
            self.docket.set_setting(_ENDING, ending)

    @property
    def writing(self) -> Writing | None:
        """What was chosen for writing this docket, as a jig keeps it; None where nothing was."""
        if not (self.send_ending or self.docket.setting(_OPTIONS, "")):
            return None
        return Writing(self.send_ending, msgspec.to_builtins(self.send_options))

    def follow_writing(self, writing: Writing | None) -> bool:
        """Take over a jig's writing options unless the clerk chose some; return whether it did."""
        if writing is None or self.writing is not None or self.docket.read_only:
            return False
        try:
            self.set_send_options(msgspec.convert(writing.options, SendOptions))
        except msgspec.ValidationError:  # of a later version, or changed by hand
            log.exception("how a jig writes")
            return False
        if writing.ending in SEND_FORMATS:
            self.set_send_ending(writing.ending)
        return True

    def name_files(
        self,
        target: Path,
        tables: Sequence[TableState] | None = None,
        options: SendOptions | None = None,
    ) -> list[Path]:
        """Return the paths that :meth:`send` would write for a target.

        Raises
        ------
        OutputError
            When the ending is unknown, or there is no table to be written.
        """
        chosen = self.tables_to_send(tables)
        joined = find_joined(chosen)
        alone = sum(t.id not in joined for t in chosen)
        return self._name_files(target, alone, options or self.send_options)

    def _name_files(self, target: Path, tables: int, options: SendOptions) -> list[Path]:
        ending = target.suffix.lower()
        if ending not in SEND_FORMATS:
            known = ", ".join(SEND_FORMATS)
            raise OutputError(f"{target.name}: unknown file ending “{ending}”. Use {known}.")
        if ending == ".json" and (names := self._name_documents(target)):
            return names
        if not tables and SEND_FORMATS[ending].write_pages is None:  # no file is made empty
            raise OutputError(f"There is no table to write to {target.name}.")
        each = SEND_FORMATS[ending].each and not options.stacked
        return name_files(target, tables) if each else [target]

    def make_sent(self, tables: Sequence[TableState] | None = None) -> list[SentTable]:
        """Return tables (all unless said otherwise) as they are sent."""
        evidence = gather_evidence(self.pages(), self.docket.history())
        return make_all_sent(self.tables_to_send(tables), evidence)[0]

    def prepare_send(
        self,
        target: Path,
        tables: Sequence[TableState] | None = None,
        options: SendOptions | None = None,
    ) -> SendRequest:
        """Return all that it takes to write tables (all unless said otherwise).

        The answer to it, :func:`answer_send`, asks the docket for nothing more.

        Raises
        ------
        OutputError
            When the ending is unknown, or there is no table for it.
        """
        how = options or self.send_options
        chosen = self.tables_to_send(tables)
        joined = find_joined(chosen)
        files = self._name_files(target, sum(t.id not in joined for t in chosen), how)
        doubted = {t.page_id for t in chosen if any(s.in_doubt for s in t.cells)}
        wanted = list(doubted)[:MOST_PICTURES] if how.ink and target.suffix == ".xlsx" else []
        pictures = {i: data for i in wanted if (data := self.docket.squared_picture(i))}
        evidence = gather_evidence(self.pages(), self.docket.history())
        sources = tuple(s for s in self.sources() if not s.trouble)
        whole = SEND_FORMATS[target.suffix.lower()].write_pages is not None
        pages = self._prepare_pages(chosen) if whole else ()
        return SendRequest(
            target, tuple(files), how, tuple(chosen), evidence, pictures, sources, pages
        )

    def _prepare_pages(self, tables: Sequence[TableState]) -> tuple[PageToSend, ...]:
        """Return what it takes to send whole pages."""
        boxes: dict[int, list[Box]] = {}
        for table in tables:
            boxes.setdefault(table.page_id, []).append(table.grid.box)
        sources: dict[int, bytes] = {}
        out = []
        for page in self.pages():
            picture = self.docket.squared_picture(page.id)
            if page.progress != "done" or picture is None:
                continue
            if page.source_id not in sources:
                sources[page.source_id] = self._read_source(page.source_id)
            taken = tuple(boxes.get(page.id, ()))
            real = page.kind == "text"
            running = RunningRequest(
                self.make_request(page), picture, page.dpi, page.transform, taken, real
            )
            out.append(PageToSend(page, sources[page.source_id], running))
        return tuple(out)

    def _read_source(self, source_id: int) -> bytes:
        found = self._find_source(source_id)
        return found if isinstance(found, bytes) else found.read()

    def send(
        self,
        target: Path,
        tables: Sequence[TableState] | None = None,
        options: SendOptions | None = None,
        executor: Executor | None = None,
    ) -> Sent:
        """Write tables (all unless said otherwise) in the format of the target's ending.

        ``executor`` is where the running text of pages is read, for the formats that hold it.

        Raises
        ------
        OutputError
            When the ending is unknown, the target cannot be written, or there is no table for it.
        """
        return answer_send(self.prepare_send(target, tables, options), executor)

    def documents(
        self, chosen: Sequence[TableState] | None = None
    ) -> list[tuple[SourceState, dict[str, object]]]:
        """Return each usable source's pages and tables (all or those given) as JSON documents."""
        sources = [s for s in self.sources() if not s.trouble]
        evidence = gather_evidence(self.pages(), self.docket.history())
        return make_documents(sources, self.tables_to_send(chosen), evidence)

    def json_lines(self) -> list[bytes]:
        """Return the documents as encoded JSON, for standard output."""
        return [encode_document(document) for _, document in self.documents()]

    def _name_documents(self, target: Path) -> list[Path]:
        sources = [s for s in self.sources() if not s.trouble]
        if len(sources) == 1:
            return [target]
        names: list[Path] = []
        for source in sources:
            path = target.with_name(f"{target.stem}-{Path(source.name).stem}{target.suffix}")
            if path in names:
                path = target.with_name(f"{path.stem}-{source.id}{target.suffix}")
            names.append(path)
        return names


def taken_from(path: Path, future: Future[Taken]) -> Taken:
    """Return the outcome of adding a file, also if its worker was lost."""
    try:
        return future.result()
    except WorkerLost:
        words = "is damaged, or needs too much memory or time. Scan it again."
    except Exception:
        log.exception("taking in %s", path)
        words = "could not be added because of a fault in Keel Line. Other files are not affected."
    return Taken(path, trouble=f"{path.name} {words}")


def _count_pages(pages: int) -> str:
    return "1 page" if pages == 1 else f"{pages} pages"


def _report_carried(finding: PageFinding, carried: Carried) -> Notice:
    """Return how many settled cells kept their place on a page that was read again."""
    state = finding.state
    page = f"Page {state.number} of {state.source_name}"
    kept = "1 settled cell" if carried.kept == 1 else f"{carried.kept} settled cells"
    if not carried.strays:
        return Notice(f"{page} was read again. {kept} kept their values.")
    shown = ", ".join(f"“{text or 'blank'}”" for text in carried.strays[:4])
    more = " and more" if len(carried.strays) > 4 else ""
    return Notice(
        f"{page} was read again. {kept} kept their values; {len(carried.strays)} no longer have a "
        f"cell ({shown}{more}). Ctrl+Z restores the page.",
        trouble=True,
    )


def _settle_unchanged(cell: CellState) -> Settled:
    """Return the settlement that keeps a cell's value."""
    if cell.settled is not None:
        return cell.settled
    return Settled(cell.text, by_hand=False)


def _clerk() -> str:
    """Return the desktop's user name, for the history."""
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return "unknown"
