"""Spot checks: a random sample of cells that are not in doubt."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from keel_line.model.docket import ChangeRecord
from keel_line.model.reason import Reason
from keel_line.model.table import CellState, TableState

DRAWN = 20
RIGHT = Reason("sample-right")
WRONG = Reason("sample-corrected")
_SURE = 0.95
_SURPRISE = 0.05


@dataclass(frozen=True)
class SampleVerdict:
    """The result of the cells checked so far.

    Attributes
    ----------
    drawn, wrong
        How many were looked at, and how many of them were wrong.
    expected
        How many were to be wrong by their confidence.
    at_most
        Upper end of the 95% interval for the share of wrong cells (0 to 1).
    fits
        Whether so many wrong ones are no surprise (a chance of 5% or more).
    """

    drawn: int
    wrong: int
    expected: float
    at_most: float
    fits: bool

    def say(self) -> str:
        """Return it in words."""
        cells = "1 cell" if self.drawn == 1 else f"{self.drawn} cells"
        found = {0: "none was", 1: "1 was"}.get(self.wrong, f"{self.wrong} were")
        said = f"Of {cells} checked at random, {found} wrong; {self.expected:.1f} expected"
        if not self.fits:
            return f"{said}. That is more than chance explains: choose a stricter tolerance."
        return f"{said}. With 95% confidence fewer than {self.at_most:.1%} are wrong."


def draw_sample(
    tables: Sequence[TableState], count: int, rng: np.random.Generator
) -> list[tuple[int, int]]:
    """Draw cells that are neither in doubt nor settled, each with the same chance.

    Returns (table, cell) of each in the order of the docket; fewer where there are not so many.
    """
    pool = [
        (t, c)
        for t, table in enumerate(tables)
        for c, state in enumerate(table.cells)
        if not state.flagged and state.settled is None
    ]
    if not pool:
        return []
    chosen = rng.choice(len(pool), size=min(count, len(pool)), replace=False)
    return sorted(pool[int(i)] for i in chosen)


def judge_sample(chances: Sequence[float], wrong: int) -> SampleVerdict:
    """Compare the wrong cells of a sample with the expected number.

    Parameters
    ----------
    chances
        Probability (0 to 1) that each drawn cell is wrong.
    wrong
        How many were.

    Returns
    -------
    SampleVerdict
        The interval is Clopper and Pearson's (Biometrika 1934); the chance of so many wrong ones
        is that of a sum of unequal draws (the Poisson binomial distribution).
    """
    from scipy.special import betaincinv  # noqa: PLC0415 - the window need not wait for it

    drawn = len(chances)
    spread = np.ones(1)  # chance of 0, 1, 2 … wrong ones among those counted so far
    for chance in chances:
        spread = np.convolve(spread, (1.0 - chance, chance))
    as_many = float(spread[wrong:].sum())
    at_most = float(betaincinv(wrong + 1, drawn - wrong, _SURE)) if wrong < drawn else 1.0
    return SampleVerdict(drawn, wrong, float(sum(chances)), at_most, as_many >= _SURPRISE)


def judge_drawn(
    records: Iterable[ChangeRecord], find: Callable[[int], CellState | None]
) -> SampleVerdict | None:
    """Judge all sampled cells that were checked, by the docket's history; None if none.

    ``find`` returns a cell by its id, None if it has no place any more.
    """
    looked_at = {
        r.subject: r.reason == WRONG for r in records if r.reason in (RIGHT, WRONG) and not r.undone
    }
    found = {number: find(number) for number in looked_at}
    chances = {number: 1.0 - s.confidence for number, s in found.items() if s is not None}
    if not chances:
        return None
    return judge_sample(list(chances.values()), sum(looked_at[i] for i in chances))
