"""Fits which lines of a table are one row: ``python -m training.joining FOLDER... --office F``.

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
from keel_line.rule.joining import measure_lines
from keel_line.rule.perceptron import Perceptron
from keel_line.rule.roles import Roles
from keel_line.rule.writing import Writing
from training.measuring import Job, load_job, measure_kinds, take_arguments
from training.perceptron import Choices, find_document, fit_perceptron, hold_out
from training.roles import JOINS, label_placed

MODEL = (
    Path(__file__).resolve().parent.parent / "src" / "keel_line" / "rule" / "data" / "joining.json"
)
_HIDDEN, _PENALTY, _OFFICE = 8, 1.5e-3, 3.0


@dataclass(frozen=True, eq=False)
class MeasuredTable:
    """The lines of a table that was found: their measures, and whether each goes on with its row.

    ``network`` says what the network alone thinks, ``office`` that the page is like those that
    offices print.
    """

    design: str
    office: bool
    measures: NDArray[np.float64]
    joined: NDArray[np.bool_]
    network: NDArray[np.bool_]


def measure_page(job: Job, *, office: bool) -> list[MeasuredTable]:
    """Measure the tables that are found on a page, where the truth has their lines."""
    loaded, truth = load_job(job)
    seen: list[tuple[FoundTable, Writing, Sequence[Rule], Roles]] = []

    def keep(
        table: FoundTable, writing: Writing, rules: Sequence[Rule], roles: Roles
    ) -> FoundTable:
        seen.append((table, writing, rules, roles))
        return table

    with patch("keel_line.rule.tables.judge_joins", keep):
        found = find_page_grids(loaded)
    places = place_texts(truth, loaded.to_px, found.transform.to_squared)
    out = []
    for table, writing, rules, roles in seen:
        if len(table.lines) < 2:
            continue
        labels = label_placed(writing, roles.near, truth, places.boxes, places.owner)[:, JOINS]
        told = np.array([labels[line].max() for line in table.lines[1:]])
        measures = measure_lines(table, writing, rules, roles)
        network = np.array(table.joined)
        known = told >= 0
        out.append(
            MeasuredTable(truth.design, office, measures[known], told[known] > 0, network[known])
        )
    return out


def fit_model(tables: Sequence[MeasuredTable]) -> Perceptron:
    """Return the perceptron that tells from measures which lines go on with their rows.

    The lines of a table count together as the square root of their number, those of offices more.
    """
    joined = np.concatenate([t.joined for t in tables])
    weights = [
        np.full(len(t.joined), (_OFFICE if t.office else 1.0) / np.sqrt(max(1, len(t.joined))))
        for t in tables
    ]
    measures = np.concatenate([t.measures for t in tables])
    choices = Choices(measures, np.arange(len(joined)), joined, np.concatenate(weights))
    return fit_perceptron(choices, _HIDDEN, _PENALTY)


def find_held_chances(tables: Sequence[MeasuredTable]) -> list[NDArray[np.float64]]:
    """Return the chances of each table's lines by a model that was fitted without its design."""
    models = hold_out(tables, [find_document(t.design) for t in tables], fit_model)
    return [m.find_chances(t.measures) for t, m in zip(tables, models, strict=True)]


def main() -> None:
    """Measure, tell how a fit without a design does on that design, fit on all and write."""
    args = take_arguments(__doc__, MODEL)
    pages = measure_kinds("joining", measure_page, args)
    tables = [table for page in pages for table in page]
    chances = find_held_chances(tables)
    judged = [
        (int((t.network != t.joined).sum()), int(((c > 0.5) != t.joined).sum()), len(t.joined))
        for t, c in zip(tables, chances, strict=True)
    ]
    before, now, lines = np.array(judged).T
    sys.stdout.write(
        f"{len(tables)} tables, {lines.sum()} lines; wrong by the network alone: {before.sum()} "
        f"lines, {(before > 0).sum()} tables; designs held out: {now.sum()} lines, "
        f"{(now > 0).sum()} tables\n"
    )
    model = fit_model(tables)
    args.out.write_bytes(msgspec.json.encode(model) + b"\n")


if __name__ == "__main__":
    main()
