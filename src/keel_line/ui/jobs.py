"""All pools and threads of the window; results arrive as signals on the interface thread.

An answer that belongs to an earlier docket is dropped.
"""

from __future__ import annotations

import logging
import time
from collections import Counter
from collections.abc import Callable, Sequence
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from keel_line._shared.pulse import listening
from keel_line.desk.desk import Desk, Notice, taken_from
from keel_line.desk.engine import find_in_area, part_cells
from keel_line.desk.find import Found, find_anywhere
from keel_line.desk.intake import Taken, find_files, take_in
from keel_line.desk.judge import judge_table
from keel_line.desk.misreadings import Misreadings
from keel_line.desk.pool import WorkerPool
from keel_line.desk.schedule import Answer, Schedule
from keel_line.desk.sending import SendRequest, Sent, answer_send
from keel_line.desk.work import (
    load_small_original,
    unpack_picture,
)
from keel_line.errors import KeelLineError, StoppedError
from keel_line.model.docket import PageState
from keel_line.model.form import KnownForm
from keel_line.model.geometry import Box
from keel_line.model.grid import Grid
from keel_line.model.table import TableState

log = logging.getLogger(__name__)
_ORIGINAL_SIDE_PX = 1500
STOPPED, COMPLETE = True, False


def make_image(data: bytes) -> QImage:
    """Unpack a stored picture into a grey image."""
    return as_image(unpack_picture(data))


def as_image(pixels: NDArray[np.uint8]) -> QImage:
    """Copy grey pixels, shape (rows, cols), into an image."""
    rows, cols = pixels.shape
    return QImage(pixels.tobytes(), cols, rows, cols, QImage.Format.Format_Grayscale8).copy()


class Jobs(QObject):
    """Reads pages in worker processes and unpacks pictures in threads.

    Signals
    -------
    page_done
        The page's id, after its findings are in the docket.
    file_taken
        A Notice about a file, once it is in the docket or could not be taken in.
    files_added
        Every file that was to be added is in the docket or told of.
    progress
        Pages done, pages in all, seconds left (below 0: not known yet).
    finished
        Whether the run was stopped by the clerk.
    picture_ready
        A page's id and its unpacked picture.
    original_ready
        A page's id and the page as it came, made smaller.
    noticed
        Something about a page that the clerk should know, as a Notice.
    area_laid_out
        A page's id and the grid that was found in an area of it.
    cells_parted
        A grid as it was handed in, and with its cells split along their lines and columns.
    sent
        What was written, or the trouble in words.
    judged
        A table as it was handed in, and as its checks judge it.

    Attributes
    ----------
    find_forms
        Returns the forms of which earlier pages are known; asked when reading begins.
    """

    page_done = pyqtSignal(int)
    file_taken = pyqtSignal(object)
    files_added = pyqtSignal()
    progress = pyqtSignal(int, int, float)
    finished = pyqtSignal(bool)
    picture_ready = pyqtSignal(int, QImage)
    original_ready = pyqtSignal(int, QImage)
    noticed = pyqtSignal(object)
    judged = pyqtSignal(object, object)
    area_laid_out = pyqtSignal(int, object)
    cells_parted = pyqtSignal(object, object)
    sent = pyqtSignal(object)
    _answered = pyqtSignal(object)
    _found = pyqtSignal(int, object)
    _took = pyqtSignal(int, object)
    _unpacked = pyqtSignal(int, int, int, QImage)
    _loaded = pyqtSignal(int, int, object)
    _laid_out = pyqtSignal(int, int, object)
    _parted = pyqtSignal(int, object, object)
    _sent = pyqtSignal(object)
    _worked = pyqtSignal(int, object, object)

    def __init__(
        self, desk: Desk, make_executor: Callable[[int | None], Executor] = WorkerPool
    ) -> None:
        super().__init__()
        self.find_forms: Callable[[], Sequence[KnownForm]] = tuple
        self._desk = desk
        self._executor = make_executor(None)
        self._side = make_executor(1)  # what must not wait behind pages: files, originals
        self._adding = 0
        self._threads = ThreadPoolExecutor(1, thread_name_prefix="pictures")
        self._writers = ThreadPoolExecutor(1, thread_name_prefix="writing")
        self._writing_stopped = self._closed = False
        self._workers = ThreadPoolExecutor(1, thread_name_prefix="tables")
        self._finders = ThreadPoolExecutor(1, thread_name_prefix="finding")
        self._search = 0
        self._schedule = Schedule(desk, self._executor, self._answered.emit)
        self._docket = 0
        self._started = 0.0
        self._editions: Counter[int] = Counter()  # how often each page was read
        self._wanted: set[int] = set()
        self._wanted_originals: set[int] = set()
        self._answered.connect(self._take)
        self._found.connect(self._take_in)
        self._took.connect(self._note_taken)
        self._unpacked.connect(self._hand_over)
        self._loaded.connect(self._hand_over_original)
        self._laid_out.connect(self._hand_over_grid)
        self._parted.connect(self._hand_over_parted)
        self._sent.connect(self._hand_over_sent)
        self._worked.connect(self._hand_over_work)

    @property
    def running(self) -> bool:
        """Whether pages are being read."""
        return self._schedule.running

    def set_desk(self, desk: Desk) -> None:
        """Switch to another docket."""
        self.stop()
        self._desk = self._schedule.desk = desk
        self._docket += 1
        self._adding = 0
        self._editions.clear()
        self._wanted.clear()
        self._wanted_originals.clear()

    def read_waiting(self) -> None:
        """Read all waiting pages; pages added meanwhile join the run."""
        if self._desk.docket.read_only:
            return
        if not self.running:
            self._started = time.monotonic()
        self._schedule.begin(self.find_forms())
        self._feed()

    def prefer(self, page_id: int) -> None:
        """Read a page before the others if it waits."""
        self._schedule.prefer(page_id)

    def stop(self) -> None:
        """Stop reading; results still under way are dropped."""
        if self.running:
            self._schedule.stop()
            self.finished.emit(STOPPED)

    def close(self) -> None:
        """Close all pools at once; results still under way are dropped."""
        self.stop()
        self._docket += 1
        self._closed = True
        self.stop_writing()
        self.stop_finding()
        for executor in (self._executor, self._side):
            executor.shutdown(wait=False, cancel_futures=True)
        self._threads.shutdown(wait=True, cancel_futures=True)
        self._workers.shutdown(wait=True, cancel_futures=True)
        self._finders.shutdown(wait=True, cancel_futures=True)
        self._writers.shutdown(wait=True)

    # --- files --------------------------------------------------------------------------------

    @property
    def adding(self) -> int:
        """Number of files being added."""
        return self._adding

    def add_files(self, paths: Sequence[Path]) -> None:
        """Add files and folders; ``files_added`` reports the end."""
        docket = self._docket
        self._adding += len(paths)
        for path in paths:
            future = self._side.submit(find_files, path)
            future.add_done_callback(partial(self._answer_found, docket, path))

    def _answer_found(self, docket: int, path: Path, future: Future[list[Path] | Taken]) -> None:
        if future.cancelled():
            return
        lost = future.exception() is not None
        fault = f"{path.name} cannot be searched. Add its files one by one."
        self._found.emit(docket, Taken(path, trouble=fault) if lost else future.result())

    def _take_in(self, docket: int, found: list[Path] | Taken) -> None:
        if docket != self._docket:
            return
        if isinstance(found, Taken):
            self._note_taken(docket, found)
            return
        self._adding += len(found) - 1  # a folder is as many as its files
        for path in found:
            future = self._side.submit(take_in, path, self._desk.docket.path)
            future.add_done_callback(partial(self._answer_taken, docket, path))
        if not found:
            self._finish_adding()

    def _answer_taken(self, docket: int, path: Path, future: Future[Taken]) -> None:
        if not future.cancelled():
            self._took.emit(docket, taken_from(path, future))

    def _note_taken(self, docket: int, taken: Taken) -> None:
        if docket != self._docket:
            return
        self._adding -= 1
        try:
            self.file_taken.emit(self._desk.note_taken(taken))
        except KeelLineError as error:
            self.file_taken.emit(Notice(str(error), trouble=True))
        self.read_waiting()
        self._finish_adding()

    def _finish_adding(self) -> None:
        if self._adding == 0:
            self.files_added.emit()

    # --- pages --------------------------------------------------------------------------------

    def _feed(self) -> None:
        """Start as many pages as run at once, and report progress."""
        if self._schedule.feed():
            self.finished.emit(COMPLETE)
        elif self.running:
            self._tell()

    def _take(self, answer: Answer) -> None:
        try:
            is_done, notice = self._schedule.take(answer)
        except KeelLineError as error:  # what is read next could not be kept either
            self.stop()
            said = f"{error} Reading stopped; Ctrl+. resumes."
            self.noticed.emit(Notice(said, trouble=True))
            return
        if notice is not None:
            self.noticed.emit(notice)
        if is_done:
            self.renew_page(answer[1].page_id)
        self._feed()

    def renew_page(self, page_id: int) -> None:
        """Say that a page's finding is another one, without reading it."""
        self._editions[page_id] += 1
        self.page_done.emit(page_id)

    def _tell(self) -> None:
        done, total = self._schedule.done, self._schedule.total
        spent = time.monotonic() - self._started
        left = spent / done * (total - done) if done else -1.0
        self.progress.emit(done, total, left)

    def _submit(self, job: Callable[..., object], *args: object) -> None:
        """Run a job in a thread; log a fault, as nobody waits for its answer."""
        self._threads.submit(job, *args).add_done_callback(_log_fault)

    def want_picture(self, page_id: int) -> None:
        """Unpack a page's picture in a thread; ``picture_ready`` delivers it."""
        if page_id in self._wanted:
            return
        data = self._desk.docket.squared_picture(page_id)
        if data is None:
            return
        self._wanted.add(page_id)
        docket = self._docket
        self._submit(self._unpack, docket, page_id, self._editions[page_id], data)

    def _unpack(self, docket: int, page_id: int, edition: int, data: bytes) -> None:
        self._unpacked.emit(docket, page_id, edition, make_image(data))

    def _hand_over(self, docket: int, page_id: int, edition: int, image: QImage) -> None:
        if docket != self._docket:
            return
        self._wanted.discard(page_id)
        if edition == self._editions[page_id]:
            self.picture_ready.emit(page_id, image)
        else:  # the page was squared again meanwhile: its readings belong to another picture
            self.want_picture(page_id)

    def want_judged(self, table: TableState, misreadings: Misreadings) -> None:
        """Run a large table's checks in a thread; ``judged`` delivers the findings."""
        flagging = self._desk.flagging  # asked here: the docket belongs to this thread
        known = misreadings.copy()
        self._submit(lambda: self.judged.emit(table, judge_table(table, flagging, known)))

    def want(self, work: Callable[[], object], then: Callable[[Future[Any]], object]) -> None:
        """Do work in a thread; ``then`` gets its answer or fault on the interface thread."""
        future = self._workers.submit(work)
        future.add_done_callback(partial(self._worked.emit, self._docket, then))

    def _hand_over_work(
        self, docket: int, then: Callable[[Future[Any]], object], future: Future[Any]
    ) -> None:
        if docket == self._docket and not future.cancelled():
            then(future)

    def want_found(
        self, sought: str, dockets: Sequence[Path], then: Callable[[Future[Found]], object]
    ) -> None:
        """Look for a text in dockets in a thread; what was looked for before is given up."""
        self.stop_finding()
        search = self._search

        def look() -> None:
            if self._search != search:
                raise StoppedError("A newer search took its place.")

        def find() -> Found:
            with listening(look):
                return find_anywhere(sought, dockets)

        def take(future: Future[Found]) -> None:
            if self._search == search:
                then(future)

        future = self._finders.submit(find)
        future.add_done_callback(partial(self._worked.emit, self._docket, take))

    def stop_finding(self) -> None:
        """Give up what is looked for."""
        self._search += 1

    def want_sent(self, request: SendRequest) -> None:
        """Write tables in a thread; ``sent`` delivers what was written, or the trouble."""
        self._writing_stopped = False
        self._writers.submit(self._send, request)  # it tells of its own faults

    def stop_writing(self) -> None:
        """Stop what is being written; what was there before stays."""
        self._writing_stopped = True

    def _send(self, request: SendRequest) -> None:
        def look() -> None:
            if self._writing_stopped:
                more = " Some of its files may be written." if len(request.files) > 1 else ""
                raise StoppedError(f"{request.target.name} was not written: you stopped it.{more}")

        try:
            with listening(look):
                answer: Sent | str = answer_send(request, self._side)
        except KeelLineError as error:
            answer = str(error)
        except Exception:
            log.exception("writing %s", request.target)
            answer = f"{request.target.name} was not written because of a fault in Keel Line."
        self._sent.emit(answer)

    def _hand_over_sent(self, answer: Sent | str) -> None:
        if not self._closed:  # what an earlier docket wrote is told of, too
            self.sent.emit(answer)

    def want_grid(self, page: PageState, box: Box) -> None:
        """Find the rows and columns of an area in a thread; ``area_laid_out`` delivers the grid."""
        data = self._desk.docket.squared_picture(page.id)
        if data is not None:
            self._submit(self._lay_out, self._docket, page, data, box)

    def _lay_out(self, docket: int, page: PageState, data: bytes, box: Box) -> None:
        grid = find_in_area(unpack_picture(data), page.dpi, box)
        self._laid_out.emit(docket, page.id, grid)

    def want_parted(self, page: PageState, grid: Grid, row: int | None) -> None:
        """Split a grid's cells, or one row, in a thread; ``cells_parted`` brings the grid."""
        data = self._desk.docket.squared_picture(page.id)
        if data is not None:
            self._submit(self._part, self._docket, page, data, grid, row)

    def _part(self, docket: int, page: PageState, data: bytes, grid: Grid, row: int | None) -> None:
        parted = part_cells(unpack_picture(data), page.dpi, grid, row)
        self._parted.emit(docket, grid, parted)

    def _hand_over_parted(self, docket: int, grid: Grid, parted: Grid) -> None:
        if docket == self._docket:
            self.cells_parted.emit(grid, parted)

    def _hand_over_grid(self, docket: int, page_id: int, grid: Grid) -> None:
        if docket == self._docket:
            self.area_laid_out.emit(page_id, grid)

    def want_original(self, page: PageState) -> None:
        """Load a page as it came in a thread; ``original_ready`` delivers it, shrunk."""
        if page.id in self._wanted_originals:
            return
        self._wanted_originals.add(page.id)
        future = self._side.submit(
            load_small_original, self._desk.make_request(page), _ORIGINAL_SIDE_PX
        )
        future.add_done_callback(partial(self._answer_original, self._docket, page.id))

    def _answer_original(self, docket: int, page_id: int, future: Future[bytes]) -> None:
        if future.cancelled():
            return
        fault = future.exception()
        if fault is None:
            self._loaded.emit(docket, page_id, make_image(future.result()))
            return
        said = (
            str(fault)
            if isinstance(fault, KeelLineError)
            else "The original page cannot be shown: its file is damaged."
        )
        self._loaded.emit(docket, page_id, Notice(said, trouble=True))

    def _hand_over_original(self, docket: int, page_id: int, found: QImage | Notice) -> None:
        if docket != self._docket:
            return
        self._wanted_originals.discard(page_id)
        if isinstance(found, Notice):
            self.noticed.emit(found)
        else:
            self.original_ready.emit(page_id, found)


def _log_fault(future: Future[object]) -> None:
    if not future.cancelled() and (fault := future.exception()) is not None:
        log.error("a job beside the window failed", exc_info=fault)
