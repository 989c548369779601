"""Keel Line for scripts: open or make a docket, add files, read, look, settle, write.

Reading works in processes of its own, so a script needs the usual guard::

    import keel_line

    if __name__ == "__main__":
        with keel_line.open_docket() as docket:
            docket.add("scans/")
            docket.read()
            for table in docket.tables():
                print(table.name, table.expected_wrong)
            docket.write("ledger.xlsx")
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from os import PathLike
from pathlib import Path
from types import TracebackType

import cv2
import numpy as np
from numpy.typing import NDArray

from keel_line.desk.desk import Desk
from keel_line.desk.pool import InlineExecutor, WorkerPool
from keel_line.model.reason import Reason
from keel_line.model.table import CellState, TableState

__all__ = ["Cell", "Docket", "Table", "open_docket"]

_Path = str | PathLike[str]


@dataclass(frozen=True)
class Cell:
    """A cell of a table as it stands now.

    Attributes
    ----------
    row, col, row_span, col_span
        Its place, counted from 0, and how far it reaches.
    text
        The settled value, else the reading; lines are parted by a line break.
    confidence
        Probability (0 to 1) that the reading is right.
    in_doubt
        Whether somebody should look at it.
    settled
        Whether somebody did.
    reasons
        Why it may be doubted, in plain words.
    others
        Other readings of the same ink with their probabilities, the likeliest first.
    box
        Its place on the squared page: left, top, right, foot in px.
    """

    row: int
    col: int
    row_span: int
    col_span: int
    text: str
    confidence: float
    in_doubt: bool
    settled: bool
    reasons: tuple[str, ...]
    others: tuple[tuple[str, float], ...]
    box: tuple[float, float, float, float]
    _state: CellState = field(repr=False, compare=False)
    _page: int = field(repr=False, compare=False)


@dataclass(frozen=True)
class Table:
    """A table as it stands now.

    Attributes
    ----------
    name, caption, notes
        What it is called, and what the paper says above and under it.
    source, page
        The file that it is from, and the number of its page (from 1).
    rows, cols, heading_rows
        Its size, and how many rows at its top are heading.
    cells
        Its cells in reading order; a cell that spans others stands for them all.
    expected_wrong
        How many cells are expected to be wrong among those neither settled nor in doubt.
    lines_in_doubt
        What may be wrong with its grid, in plain words.
    """

    name: str
    caption: str
    notes: str
    source: str
    page: int
    rows: int
    cols: int
    heading_rows: int
    cells: tuple[Cell, ...]
    expected_wrong: float
    lines_in_doubt: tuple[str, ...]
    _state: TableState = field(repr=False, compare=False)

    def doubts(self) -> list[Cell]:
        """Return the cells that are in doubt."""
        return [c for c in self.cells if c.in_doubt]

    def texts(self) -> list[list[str]]:
        """Return the texts, a list for each row; a spanning cell fills its upper left place."""
        out = [[""] * self.cols for _ in range(self.rows)]
        for cell in self.cells:
            out[cell.row][cell.col] = cell.text
        return out


class Docket:
    """Pages and what was read and settled on them. Every change is saved at once.

    What :meth:`tables` returns is as of then: ask again after settling.
    """

    def __init__(self, path: Path | None) -> None:
        self._desk = Desk(path)

    def __enter__(self) -> Docket:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()

    def close(self) -> None:
        """Close the docket; everything is saved already."""
        self._desk.close()

    def add(self, *paths: _Path) -> list[str]:
        """Add pictures, PDFs, or folders of them.

        Returns
        -------
        list of str
            A sentence for each that cannot be used; the others are added.
        """
        notices = self._desk.add_files([Path(p) for p in paths])
        return [n.text for n in notices if n.trouble]

    def read(
        self, *, workers: int | None = None, progress: Callable[[int, int], None] | None = None
    ) -> list[str]:
        """Read all pages that are not read yet.

        Parameters
        ----------
        workers
            How many processes work beside this one; None for as many as this machine has room for,
            0 to work in this process, where a page that kills its reader kills the script.
        progress
            Called with (pages done, pages in all).

        Returns
        -------
        list of str
            A sentence for each page that could not be read.
        """
        if workers == 0:
            responses = self._desk.run(InlineExecutor(), progress=progress)
        else:
            with WorkerPool(workers) as pool:
                responses = self._desk.run(pool, progress=progress)
        return [r.trouble for r in responses if r.trouble]

    def tables(self) -> list[Table]:
        """Return all tables, in the order of their pages."""
        return [_show(t) for t in self._desk.tables()]

    def ink(self, cell: Cell) -> NDArray[np.uint8]:
        """Return the picture of a cell: grey, shape (rows, cols), 0 is black."""
        packed = self._desk.docket.squared_picture(cell._page)
        if packed is None:
            return np.zeros((0, 0), np.uint8)
        page = cv2.imdecode(np.frombuffer(packed, np.uint8), cv2.IMREAD_GRAYSCALE)
        x0, y0, x1, y1 = (max(0, round(v)) for v in cell.box)
        return np.asarray(page, np.uint8)[y0:y1, x0:x1]

    def settle(self, cell: Cell, text: str | None = None) -> None:
        """Settle a cell with ``text``, or with its current text. Its reading is kept."""
        if text is None:
            self._desk.accept([cell._state])
        else:
            self._desk.replace(cell._state, text, Reason("script"))

    def undo(self) -> bool:
        """Take back the last change; return whether there was one."""
        return self._desk.undo() is not None

    def write(self, target: _Path) -> list[Path]:
        """Write all tables; the ending (.xlsx, .csv, .tsv or .json) sets the format.

        Returns
        -------
        list of Path
            The files that were written.

        Raises
        ------
        keel_line.errors.OutputError
            When the ending is unknown, the target cannot be written, or there is no table.
        """
        return list(self._desk.send(Path(target)).files)


def open_docket(path: _Path | None = None) -> Docket:
    """Open a docket's file, or make one; without a path it lives in memory.

    Raises
    ------
    keel_line.errors.DocketError
        When the file is no docket or cannot be opened.
    """
    return Docket(None if path is None else Path(path))


def _show(table: TableState) -> Table:
    return Table(
        table.name,
        table.caption,
        table.notes,
        table.source_name,
        table.page_number,
        table.grid.rows,
        table.grid.cols,
        table.header_rows,
        tuple(_show_cell(c, table.page_id) for c in table.cells),
        table.expected_wrong,
        tuple(d.why for d in table.line_doubts),
        table,
    )


def _show_cell(state: CellState, page_id: int) -> Cell:
    cell, reading = state.cell, state.reading
    return Cell(
        cell.row,
        cell.col,
        cell.row_span,
        cell.col_span,
        state.text,
        state.confidence,
        state.in_doubt,
        state.settled is not None,
        reading.reasons,
        tuple((r.text, r.probability) for r in reading.runners_up),
        cell.box,
        state,
        page_id,
    )
