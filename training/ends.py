"""Fits at which lines tables begin and end: ``python -m training.ends FOLDER... --office F``.

The folders hold pages with their truth (``synth.press.make``, ``training.manuals held``), none of
which the benchmark has, nor the training of roles: a network is surer of what it learnt from.
"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from unittest.mock import patch

import msgspec
import numpy as np
from numpy.typing import NDArray

from benchmarks.press import find_page_grids, place_texts
from keel_line.model.grid import Rule
from keel_line.rule.assembly import FoundTable
from keel_line.rule.ends import FOOT, TOP, count_likely, find_run, measure_run
from keel_line.rule.perceptron import Perceptron
from keel_line.rule.roles import Roles
from keel_line.rule.writing import Writing
from synth.press.truth import PressPage
from training.measuring import Job, load_job, measure_kinds, take_arguments
from training.perceptron import Choices, find_document, fit_perceptron, hold_out
from training.roles import find_texts

MODEL = Path(__file__).resolve().parent.parent / "src" / "keel_line" / "rule" / "data" / "ends.json"
_HIDDEN, _PENALTY, _OFFICE = 12, 1e-3, 3.0
_NO_TEXT = -2


@dataclass(frozen=True, eq=False)
class MeasuredEnd:
    """The lines at an end of a table that was found, from the inside out.

    Their measures, whether each is the table's (the last may not be), and how many of them the
    network alone takes. ``office`` says that the page is like those that offices print.
    """

    design: str
    office: bool
    measures: NDArray[np.float64]
    within: NDArray[np.bool_]
    network: int


def measure_page(job: Job, *, office: bool) -> list[MeasuredEnd]:
    """Measure the ends of the tables that are found on a page, where the truth has their lines."""
    loaded, truth = load_job(job)
    seen: list[tuple[Sequence[FoundTable], Writing, Sequence[Rule], Roles]] = []

    def keep(
        tables: Sequence[FoundTable], writing: Writing, rules: Sequence[Rule], roles: Roles
    ) -> list[FoundTable]:
        seen.append((tables, writing, rules, roles))
        return list(tables)

    with patch("keel_line.rule.tables.judge_ends", keep):
        found = find_page_grids(loaded)
    if not seen:
        return []
    places = place_texts(truth, loaded.to_px, found.transform.to_squared)
    tables, writing, rules, roles = seen[-1]
    owner = find_owners(writing, truth, places.boxes, places.owner)
    return measure_tables(truth.design, tables, writing, rules, roles, owner, office=office)


def measure_tables(
    design: str,
    tables: Sequence[FoundTable],
    writing: Writing,
    rules: Sequence[Rule],
    roles: Roles,
    owner: NDArray[np.int64],
    *,
    office: bool = False,
) -> list[MeasuredEnd]:
    """Measure the ends of some tables; ``owner`` is as :func:`find_owners` returns it."""
    out = []
    for table in tables:
        known = owner[table.pieces]
        if not (known >= 0).any():
            continue
        own = int(np.bincount(known[known >= 0]).argmax())
        free = np.ones(len(owner), bool)
        for other in tables:
            free[other.pieces] = other is table
        for side in (TOP, FOOT):
            run, first = find_run(table.lines, side, writing, free)
            if first == len(run) or not all(_is_within(owner[line], own) for line in run[:first]):
                continue
            told = [_is_within(owner[line], own) for line in run[first:]]
            end = next((k for k, within in enumerate(told) if within is None), len(told))
            end = next((k + 1 for k, within in enumerate(told[:end]) if not within), end)
            if end:
                measures = measure_run(run, first, side, writing, rules, roles)
                within = np.array(told[:end], bool)
                taken = len(table.lines) - first
                out.append(MeasuredEnd(design, office, measures[:end], within, taken))
    return out


def find_owners(
    writing: Writing,
    truth: PressPage,
    places: NDArray[np.float64],
    texts: NDArray[np.int64],
) -> NDArray[np.int64]:
    """Return the number of each piece's table, -1 where it is in none, -2 where it shows no text.

    ``places``, shape (n, 4), are the boxes (px) of texts' lines, ``texts`` the texts' numbers.
    """
    tables = {c.text: k for k, t in enumerate(truth.tables) for c in t.cells}
    shown = find_texts(writing, places, texts).tolist()
    return np.array([tables.get(text, -1) if text >= 0 else -2 for text in shown], np.int64)


def _is_within(owner: NDArray[np.int64], table: int) -> bool | None:
    """Return whether most of a line's pieces are a table's, None where they show no text."""
    known = owner[owner > _NO_TEXT]
    return bool((known == table).mean() > 0.5) if len(known) else None


def fit_model(ends: Sequence[MeasuredEnd]) -> Perceptron:
    """Return the perceptron that tells from measures which lines are their tables'.

    Those of offices count more.
    """
    within = np.concatenate([e.within for e in ends])
    measures = np.concatenate([e.measures for e in ends])
    weights = [np.full(len(e.within), _OFFICE if e.office else 1.0) for e in ends]
    choices = Choices(measures, np.arange(len(within)), within, np.concatenate(weights))
    return fit_perceptron(choices, _HIDDEN, _PENALTY)


def main() -> None:
    """Measure, tell how a fit without a design does on that design, fit on all and write."""
    args = take_arguments(__doc__, MODEL)
    pages = measure_kinds("ends", measure_page, args)
    ends = [end for page in pages for end in page]
    models = hold_out(ends, [find_document(e.design) for e in ends], fit_model)
    told = np.array([e.within.sum() for e in ends])
    before = np.array([e.network for e in ends]) != told
    found = [
        count_likely(m.find_odds(e.measures), min(e.network, len(e.measures)))[0]
        for e, m in zip(ends, models, strict=True)
    ]
    now = np.array(found) != told
    sys.stdout.write(
        f"{len(ends)} ends; wrong by the network alone: {before.sum()}; designs held out: "
        f"{now.sum()} ({(before & ~now).sum()} mended, {(now & ~before).sum()} made wrong)\n"
    )
    args.out.write_bytes(msgspec.json.encode(fit_model(ends)) + b"\n")


if __name__ == "__main__":
    main()
