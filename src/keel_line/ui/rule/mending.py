"""A page's tables while they are edited, before the page is read again; no widgets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from keel_line.desk.engine import fill_box
from keel_line.desk.preview import preview_table
from keel_line.model.docket import PageState
from keel_line.model.geometry import Box
from keel_line.model.grid import Grid
from keel_line.model.table import TableState
from keel_line.ui.rule.frame import shift_box

_BESIDE = 0.03  # of the page's larger side


class Mending:
    """A page's tables during editing.

    ``find_own`` returns the page's tables as the docket has them; they are taken when the first of
    them is mended.
    """

    def __init__(self, find_own: Callable[[], list[TableState]]) -> None:
        self._find_own = find_own
        self._tables: list[TableState] | None = None
        self._before_move: tuple[list[TableState], int, bool] | None = None
        self._fresh_id = -1
        self.at = 0
        self.unkept = False

    @property
    def begun(self) -> bool:
        """Whether editing has begun."""
        return self._tables is not None

    @property
    def shown(self) -> list[TableState]:
        """The page's current tables."""
        return self._find_own() if self._tables is None else self._tables

    def begin(self) -> list[TableState]:
        """Begin to edit the page's tables; return them, to be changed in place."""
        if self._tables is None:
            self._tables = list(self._find_own())
        return self._tables

    def forget(self) -> None:
        """Show the docket's tables again."""
        self._tables, self._before_move, self.unkept = None, None, False

    def clear(self) -> None:
        """Begin with no table at all."""
        self._tables, self.at = [], 0

    def mend(self, how: Callable[..., Grid], *what: object) -> bool:
        """Edit the current grid; return whether it changed."""
        tables = self.begin()
        if not tables:
            return False
        table = tables[self.at]
        grid = how(table.grid, *what)
        if grid is table.grid:
            return False
        tables[self.at] = preview_table(table, grid)
        self.unkept = True
        return True

    def leave_out(self) -> TableState | None:
        """Remove the current table; return it."""
        tables = self.begin()
        if not tables:
            return None
        self.unkept = True
        return tables.pop(self.at)

    def take_grid(self, page: PageState, grid: Grid) -> None:
        """Add a table with a found grid, and make it current."""
        tables = self.begin()
        plain = TableState(self._new_id(), "A new table", page.id, page.number, "", grid, 0, "", ())
        tables.append(preview_table(plain, grid))
        self.at, self.unkept = len(tables) - 1, True

    def reorder(self, step: int) -> TableState | None:
        """Move the current table later or earlier in order; return it, or None at either end."""
        to = self.at + step
        if not 0 <= to < len(self.shown):
            return None
        tables = self.begin()
        tables.insert(to, tables.pop(self.at))
        self.at, self.unkept = to, True
        return tables[to]

    # --- moving as a whole ----------------------------------------------------------------------

    def begin_move(self) -> Box:
        """Save all positions before a move; return the current table's box."""
        tables = self.begin()
        self._before_move = (list(tables), self.at, self.unkept)
        return tables[self.at].grid.box

    def copy_beside(self, page: tuple[int, int]) -> Box:
        """Add a copy of the current table below or beside it; return its box.

        ``page`` is the page's (width, height).
        """
        box = self.begin_move()
        tables = self.begin()
        table = tables[self.at]
        high, off = box[3] - box[1], _BESIDE * max(page)
        below = page[1] - box[3] > high
        place = shift_box(box, 0.0 if below else off, high + off if below else off, page)
        grid = fill_box(table.grid, place)
        fresh = replace(table, id=self._new_id(), name=f"{table.name}, copy", cells=())
        tables.append(preview_table(fresh, grid))
        self.at = len(tables) - 1
        return place

    def move_to(self, box: Box) -> None:
        """Move the current table to another box."""
        tables = self.begin()
        table = tables[self.at]
        tables[self.at] = preview_table(table, fill_box(table.grid, box))

    def put_back(self) -> None:
        """Restore all positions from before the move."""
        if self._before_move is None:
            return
        self._tables, self.at, self.unkept = self._before_move
        self._before_move = None
        if not self.unkept:
            self._tables = None

    def keep_move(self) -> None:
        """Keep what was moved."""
        if self._before_move is not None:
            self._before_move, self.unkept = None, True

    def _new_id(self) -> int:
        self._fresh_id -= 1
        return self._fresh_id
