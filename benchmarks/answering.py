"""A clerk who answers every doubt of a table truthfully, one after the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from benchmarks.measure import flat_text
from keel_line.desk.judge import judge_table
from keel_line.desk.misreadings import Misreadings
from keel_line.model.grid import Grid
from keel_line.model.reading import Reading
from keel_line.model.table import CellState, Settled, TableState
from keel_line.read.confidence import Flagging
from keel_line.rule.headings import count_heading_rows


@dataclass
class AnswerScore:
    """Counts over tables: questions, and wrong cells that were not asked about.

    ``unseen`` is how many are so before any answer, ``left`` after the last; ``apart`` how many are
    left where a correction says nothing of other cells.
    """

    asked: int = 0
    asked_apart: int = 0
    unseen: int = 0
    left: int = 0
    apart: int = 0


def make_table(grid: Grid, readings: Sequence[Reading], flagging: Flagging) -> TableState:
    """Return a table as it was read, flagged by its readings alone."""
    cut = flagging.find_cut([r.confidence for r in readings])
    cells = tuple(
        CellState(number, cell, reading, None, flagged=reading.confidence < cut)
        for number, (cell, reading) in enumerate(zip(grid.cells, readings, strict=True))
    )
    heads = count_heading_rows(grid, [r.text for r in readings])
    return TableState(1, "Made", 1, 1, "made", grid, heads, "", cells, cut)


def answer_all(
    table: TableState, texts: Sequence[str], flagging: Flagging, *, recalling: bool = True
) -> tuple[int, TableState]:
    """Answer each doubt down the columns; return how many there were, and the table then.

    ``texts`` are what is truly written. Without ``recalling`` what was corrected says nothing of
    other cells.
    """
    known = None if recalling else Misreadings()
    table = judge_table(table, flagging, known)
    asked = 0
    while True:
        doubts = [s for s in table.cells if s.in_doubt]
        if not doubts:
            return asked, table
        state = min(doubts, key=lambda s: (s.cell.col, s.cell.row))
        right = is_right(state, texts)
        said = state.reading.text if right else texts[state.id]
        settled = replace(state, settled=Settled(said, by_hand=not right))
        cells = tuple(settled if s.id == state.id else s for s in table.cells)
        table = judge_table(replace(table, cells=cells), flagging, known)
        asked += 1


def is_right(state: CellState, texts: Sequence[str]) -> bool:
    """Return whether a cell says what is written."""
    return flat_text(state.text) == flat_text(texts[state.id])


def add_answers(
    score: AnswerScore, table: TableState, texts: Sequence[str], flagging: Flagging
) -> None:
    """Answer a table's doubts, with and without recalling what was corrected, and count."""
    score.unseen += sum(not s.flagged and not is_right(s, texts) for s in table.cells)
    asked, answered = answer_all(table, texts, flagging)
    score.asked += asked
    score.left += sum(not is_right(s, texts) for s in answered.cells)
    asked, answered = answer_all(table, texts, flagging, recalling=False)
    score.asked_apart += asked
    score.apart += sum(not is_right(s, texts) for s in answered.cells)
