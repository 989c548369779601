"""Ruling lines and the grid of cells they make."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal, TypeAlias

from keel_line.model.geometry import Box, Transform

Direction: TypeAlias = Literal["across", "down"]
"""Of a line: "across" parts rows, "down" parts columns."""

DIRECTIONS: tuple[Direction, Direction] = ("down", "across")

_RULED_SHARE = 0.25


@dataclass(frozen=True)
class Rule:
    """One straight ruling line in px of the squared page.

    ``start`` and ``end`` run along the line; ``position`` is its place across at ``start`` and
    ``slope`` how much that changes per px along it. ``strength`` (0 to 1) is the share of its
    length on which ink was seen, ``level`` the darkness of that ink below the paper (0 to 255).
    """

    direction: Direction
    start: float
    end: float
    position: float
    slope: float
    thickness_px: float
    strength: float
    level: float = 0.0

    @property
    def length(self) -> float:
        """Length along the line in px."""
        return self.end - self.start

    def at(self, along: float) -> float:
        """Return the place across the line at a place along it."""
        return self.position + self.slope * (along - self.start)

    def moved(self, dx: float, dy: float) -> Rule:
        """Return the rule elsewhere on the page, ``dx`` px to the right and ``dy`` px down."""
        along, across = (dx, dy) if self.direction == "across" else (dy, dx)
        return replace(
            self,
            start=self.start + along,
            end=self.end + along,
            position=self.position + across,
        )


@dataclass(frozen=True, slots=True)
class Cell:
    """One cell of a grid; ``box`` lies inside its rules."""

    row: int
    col: int
    row_span: int
    col_span: int
    box: Box


@dataclass(frozen=True)
class LineDoubt:
    """A grid line that may not lie right, by its number (0 for the first), and why.

    ``chance`` is the probability (0 to 1) that it does not; 1 where nobody knows it.
    """

    direction: Direction
    index: int
    why: str
    chance: float = 1.0


@dataclass(frozen=True)
class Grid:
    """A table's rows and columns.

    ``y_lines`` has rows + 1 and ``x_lines`` cols + 1 places in px of the squared page, at the
    table's middle. ``rules`` are the lines on paper that the grid was made from, ``doubts`` the
    boundaries that may not lie right. ``on_side`` says that its writing runs down the page or up,
    so that its rows and columns are not those of the table. ``heading_rows`` are those at the top
    that look like a heading, None where nobody has looked.
    """

    box: Box
    x_lines: tuple[float, ...]
    y_lines: tuple[float, ...]
    cells: tuple[Cell, ...]
    rules: tuple[Rule, ...] = ()
    doubts: tuple[LineDoubt, ...] = ()
    on_side: bool = False
    heading_rows: int | None = None

    @property
    def rows(self) -> int:
        """Number of rows."""
        return len(self.y_lines) - 1

    @property
    def cols(self) -> int:
        """Number of columns."""
        return len(self.x_lines) - 1

    @cached_property
    def in_rows(self) -> tuple[tuple[int, ...], ...]:
        """Numbers (along ``cells``) of the cells that lie in each row, spanning ones in each."""
        out: list[list[int]] = [[] for _ in range(self.rows)]
        for number, cell in enumerate(self.cells):
            for row in range(cell.row, cell.row + cell.row_span):
                out[row].append(number)
        return tuple(tuple(numbers) for numbers in out)

    @cached_property
    def in_cols(self) -> tuple[tuple[int, ...], ...]:
        """Numbers (along ``cells``) of the cells of each column, those over several left out."""
        out: list[list[int]] = [[] for _ in range(self.cols)]
        for number, cell in enumerate(self.cells):
            if cell.col_span == 1:
                out[cell.col].append(number)
        return tuple(tuple(numbers) for numbers in out)

    def number_at(self, row: int, col: int) -> int | None:
        """Return the number (along ``cells``) of the cell that covers a place, if one does."""
        if not 0 <= row < self.rows:
            return None
        for number in self.in_rows[row]:
            cell = self.cells[number]
            if cell.col <= col < cell.col + cell.col_span:
                return number
        return None

    def lines(self, direction: Direction) -> tuple[float, ...]:
        """Return the places of the boundaries of a direction."""
        return self.y_lines if direction == "across" else self.x_lines

    def extent(self, direction: Direction) -> tuple[float, float]:
        """Return from where to where the boundaries of a direction run."""
        x0, y0, x1, y1 = self.box
        return (x0, x1) if direction == "across" else (y0, y1)

    def rules_at(self, direction: Direction, at: float) -> list[Rule]:
        """Return the rules on paper that a boundary at a place lies on."""
        low, high = self.extent(direction)
        near = max(3.0, 0.004 * (high - low))
        return [
            rule
            for rule in self.rules
            if rule.direction == direction and abs(rule.at((low + high) / 2) - at) <= near
        ]

    def is_ruled(self, direction: Direction, at: float) -> bool:
        """Return whether a boundary at a place lies on a rule on paper, or was inferred."""
        low, high = self.extent(direction)
        length = sum(rule.length for rule in self.rules_at(direction, at))
        return length >= _RULED_SHARE * (high - low)


@dataclass(frozen=True)
class DrawnTables:
    """A page's tables as the clerk drew or edited them, in px of the page's layout at that time.

    ``transform`` is the way from the page as it came to that page; should the page come to lie
    otherwise, the grids are laid on it again. ``to_fit`` says that they come from another page of
    the same form, and are shifted onto this page's own rules when it is read.
    """

    grids: tuple[Grid, ...]
    transform: Transform
    to_fit: bool = False
