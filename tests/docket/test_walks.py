"""Random work on a docket: nothing is lost, and undo leads back step by step to the start."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path

from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule
from typing_extensions import override

from keel_line.desk.desk import Desk
from keel_line.gather.sources import Source
from keel_line.model.docket import PageState
from keel_line.model.finding import DrawnSum, Sums
from keel_line.model.page import SquareChoice
from keel_line.model.reason import Reason
from keel_line.model.table import CellState, TableState
from keel_line.rule.mend import add_line, remove_line
from tests.docket.paper import PaperReader

SHARE = st.floats(0.05, 0.95)


def snap(desk: Desk) -> object:
    """Return all that the clerk sees of a docket; numbers of what the clerk did something to."""
    tables = [
        (
            table.name,
            table.header_rows,
            table.passed,
            table.sums,
            table.grid.x_lines,
            table.grid.y_lines,
            [(c.settled and c.id, c.cell, c.reading.text, c.settled) for c in table.cells],
        )
        for table in desk.tables()
    ]
    pages = [(p.id, p.choice, p.drawn, p.turns, p.angle_deg) for p in desk.pages()]
    lost = [desk.docket.strays(p.id) for p in desk.pages()]
    return tables, pages, lost


class Walk(RuleBasedStateMachine):
    """A clerk who does anything in any order."""

    def __init__(self) -> None:
        super().__init__()
        self.folder = Path(tempfile.mkdtemp())
        self.path = self.folder / "dues.keel"
        self.desk = Desk(self.path)
        for name in ("march.png", "april.png"):
            self.desk.add_source(Source(name, name.encode(), name, 1))
        self.read()
        self.seen = [snap(self.desk)]
        self.at = 0
        self.told: list[tuple[int, str | None]] = []

    def read(self) -> None:
        self.desk.run(PaperReader())

    def did(self) -> None:
        """Note what is seen now as the outcome of one more change."""
        self.read()
        del self.seen[self.at + 1 :]
        self.seen.append(snap(self.desk))
        self.at += 1

    def table(self, share: float) -> TableState | None:
        tables = self.desk.tables()
        return tables[int(share * len(tables))] if tables else None

    def cell(self, share: float, within: float) -> CellState | None:
        table = self.table(share)
        return None if table is None else table.cells[int(within * len(table.cells))]

    def page(self, share: float) -> PageState:
        pages = self.desk.pages()
        return pages[int(share * len(pages))]

    @rule(share=SHARE, within=SHARE, text=st.text("0123456789.,-", max_size=6))
    def type_value(self, share: float, within: float, text: str) -> None:
        cell = self.cell(share, within)
        if cell is not None:
            self.desk.replace(cell, text)
            self.told.append((cell.id, self.desk.cell(cell.id).text))
            self.did()

    @rule(share=SHARE, within=SHARE, printed=st.booleans())
    def accept(self, share: float, within: float, printed: bool) -> None:  # noqa: FBT001 - drawn
        cell = self.cell(share, within)
        if cell is not None:
            if printed:
                self.desk.settle_as_printed(cell)
            else:
                self.desk.accept([cell])
            self.told.append((cell.id, cell.text))
            self.did()

    @rule(share=SHARE)
    def settle_many(self, share: float) -> None:
        table = self.table(share)
        if table is not None:
            some = [(c, c.text + "0") for c in table.cells[::5]]
            self.desk.settle_all(some, Reason("kind", "0 or 00"))
            self.told += [(c.id, text) for c, text in some]
            self.did()

    @rule(share=SHARE, turns=st.sampled_from([0, 2]), angle=st.sampled_from([None, 0.4, -1.0]))
    def square(self, share: float, turns: int, angle: float | None) -> None:
        page = self.page(share)
        self.desk.choose([(page.id, SquareChoice(turns=turns, angle_deg=angle))], Reason("squared"))
        self.did()

    @rule(share=SHARE, at=SHARE, direction=st.sampled_from(["across", "down"]))
    def add_line(self, share: float, at: float, direction: str) -> None:
        table = self.table(share)
        if table is not None:
            x0, y0, x1, y1 = table.grid.box
            place = x0 + at * (x1 - x0) if direction == "down" else y0 + at * (y1 - y0)
            self.mend(table, add_line(table.grid, direction, place))  # type: ignore[arg-type] # drawn

    @rule(share=SHARE, at=SHARE, direction=st.sampled_from(["across", "down"]))
    def remove_line(self, share: float, at: float, direction: str) -> None:
        table = self.table(share)
        if table is not None:
            count = table.grid.cols if direction == "down" else table.grid.rows
            if count > 1:
                index = int(at * (count + 1))
                self.mend(table, remove_line(table.grid, direction, index))  # type: ignore[arg-type] # drawn

    def mend(self, table: TableState, grid: object) -> None:
        page = self.desk.page(_known(table.page_id))
        assert page is not None
        own = [t for t in self.desk.tables() if t.page_id == table.page_id]
        self.desk.draw(
            page,
            [grid if t.id == table.id else t.grid for t in own],  # type: ignore[misc] # a grid
            Reason("lines"),
        )
        self.did()

    @rule(share=SHARE)
    def leave_out(self, share: float) -> None:
        self.desk.draw(self.page(share), [], Reason("lines"))
        self.did()

    @rule(share=SHARE)
    def as_found(self, share: float) -> None:
        self.desk.draw(self.page(share), None, Reason("lines-found"))
        self.did()

    @rule(share=SHARE, rows=st.integers(0, 3), name=st.sampled_from(["", "Dues", "Tolls"]))
    def name(self, share: float, rows: int, name: str) -> None:
        table = self.table(share)
        if table is not None:
            self.desk.rename(table, name)
            self.did()
            self.desk.set_heading(table, rows)
            self.did()

    @rule(share=SHARE, within=SHARE)
    def sum(self, share: float, within: float) -> None:
        table = self.table(share)
        if table is not None and table.grid.rows > 2:
            col = int(within * table.grid.cols)
            places = [(r, col) for r in range(table.grid.rows)]
            held = {(c.cell.row, c.cell.col) for c in table.cells}
            if set(places) <= held:
                sums = Sums((DrawnSum(places[-1], tuple(places[:-1])),))
                self.desk.set_sums(table, sums, Reason("sum-set"))
                self.did()

    @rule(share=SHARE)
    def read_again(self, share: float) -> None:
        self.desk.docket.read_again([self.page(share).id])
        self.read()
        assert snap(self.desk) == self.seen[self.at]

    @precondition(lambda self: self.at > 0)
    @rule(steps=st.integers(1, 3))
    def undo(self, steps: int) -> None:
        for _ in range(min(steps, self.at)):
            assert self.desk.undo() is not None
            self.read()
            self.at -= 1
            assert snap(self.desk) == self.seen[self.at]

    @precondition(lambda self: self.at < len(self.seen) - 1)
    @rule()
    def redo(self) -> None:
        assert self.desk.redo() is not None
        self.read()
        self.at += 1
        assert snap(self.desk) == self.seen[self.at]

    @rule()
    def reopen(self) -> None:
        self.desk.close()
        self.desk = Desk(self.path)
        assert snap(self.desk) == self.seen[self.at]

    @invariant()
    def every_value_is_in_the_record(self) -> None:
        record = [(r.subject, r.after) for r in self.desk.history() if r.kind == "settle"]
        assert record == self.told

    @override
    def teardown(self) -> None:
        while self.at > 0:
            assert self.desk.undo() is not None
            self.read()
            self.at -= 1
        assert self.desk.undo() is None
        assert snap(self.desk) == self.seen[0]
        assert self.desk.docket.check() == "ok"
        self.desk.close()
        shutil.rmtree(self.folder)


def _known(page_id: int | None) -> int:
    assert page_id is not None
    return page_id


TestWalk = Walk.TestCase
TestWalk.settings = settings(
    max_examples=int(os.environ.get("KEEL_LINE_WALKS", "25")),
    stateful_step_count=50,
    phases=[Phase.explicit, Phase.reuse, Phase.generate],  # a walk is short enough to follow
    suppress_health_check=[HealthCheck.too_slow],
)
