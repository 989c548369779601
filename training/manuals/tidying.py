"""Joins and suggestions on tables that people wrote: ``python -m training.manuals.tidying``.

Tables of manuals and descriptions, chosen by chance. Each is cut in two as by the end of a page,
its heading repeated or not: it goes on. Two tables of one file with headings of their own, equally
wide, do not. Suggestions were judged by eye; the wrong ones are listed here, and all are printed.
"""

from __future__ import annotations

import random
import sys
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import numpy as np

from benchmarks.tidy import make_state, name_need
from keel_line.model.tidy import make_tidy
from keel_line.tidy.joins import LIKELY, SURE, weigh_join
from keel_line.tidy.suggest import Suggestion, suggest
from training.manuals.sources import SOURCES, load_manual

_SEED, _PACKAGES, _FILES = 99, 120, 3
_ROWS, _COLS, _LONGEST = (5, 60), (2, 9), 60
_LEAST_CUT, _REPEATS = 9, 0.6
_JUDGED_WRONG = frozenset({("usearch", "bars")})  # a title over two rows, a blank row below them


@dataclass(frozen=True)
class Table:
    """A table of a package's file: its texts row by row, by column, the heading first."""

    package: str
    rows: list[dict[int, str]]
    cols: int
    heading: int


def load_tables() -> list[list[Table]]:
    """Load tables of packages chosen by chance, those of a file together."""
    out: list[list[Table]] = []
    for source in SOURCES:
        rng = random.Random(_SEED)
        packages = list(source.load_listed(held=True).packages)
        packages += source.load_listed(held=False).packages
        rng.shuffle(packages)
        found = (t for files in packages if (t := _take_tables(source.folder, files, rng)))
        out += [tables for _, tables in zip(range(_PACKAGES), found, strict=False)]
    return out


def _take_tables(folder: Path, files: dict[str, int], rng: random.Random) -> list[Table]:
    """Return the tables of a package's first file that has some of the sizes asked for."""
    paths = [path for path, cols in files.items() if cols >= _COLS[0]]
    rng.shuffle(paths)
    for path in map(Path, paths[:_FILES]):
        manual = load_manual(path) if path.exists() else None
        tables = []
        for grid in manual.tables if manual else ():
            heading = max(0, grid.header_rows)
            rows: list[dict[int, str]] = [{} for _ in range(grid.rows)]
            for cell in grid.cells:
                rows[cell.row][cell.col] = manual.texts[cell.text][1] if manual else ""
            short = all(len(t) < _LONGEST for row in rows for t in row.values())
            sized = _ROWS[0] <= grid.rows - heading <= _ROWS[1]
            if short and sized and _COLS[0] <= grid.cols <= _COLS[1]:
                package = path.relative_to(folder).parts[0]
                tables.append(Table(package, rows, grid.cols, heading))
        if tables:
            return tables
    return []


def score_joins(files: Sequence[Sequence[Table]]) -> list[tuple[bool, float]]:
    """Return for each pair whether the table goes on in the other, and the chance told for it."""
    rng = np.random.default_rng(_SEED)
    out = []
    for tables in files:
        for table in tables[:_FILES]:
            body = len(table.rows) - table.heading
            if body < _LEAST_CUT:
                continue
            cut = table.heading + int(rng.integers(4, body - 3))
            top = table.rows[: table.heading] if rng.random() < _REPEATS else []
            xs = np.concatenate([[0.0], np.cumsum(rng.uniform(0.6, 2.0, table.cols))])
            xs = 100 + 1500 * xs / xs[-1]
            first = make_state(0, table.rows[:cut], table.heading, xs, "")
            second = make_state(1, [*top, *table.rows[cut:]], len(top), xs, "")
            out.append((True, weigh_join(first, second)[0]))
        for a, b in pairwise(tables):
            own = a.rows[: a.heading], b.rows[: b.heading]
            if a.cols == b.cols and all(own) and own[0] != own[1]:
                xs = np.linspace(100, 1600, a.cols + 1)
                first = make_state(0, a.rows, a.heading, xs, "")
                out.append((False, weigh_join(first, make_state(1, b.rows, b.heading, xs, ""))[0]))
    return out


def find_suggestions(files: Sequence[Sequence[Table]]) -> Iterator[tuple[Table, Suggestion]]:
    """Yield what one table of each file is thought to need; types are measured by themselves."""
    for number, tables in enumerate(files):
        table = random.Random(number).choice(tables)
        xs = np.linspace(0, 1500, table.cols + 1)
        state = make_state(0, table.rows, table.heading, xs, "")
        for suggestion in suggest(make_tidy(state)):
            if name_need(suggestion.key) != "type":
                yield table, suggestion


def main() -> None:
    """Measure and print; the manuals have to be fetched and listed before."""
    files = load_tables()
    pairs = score_joins(files)
    right = sum((chance >= LIKELY) == goes_on for goes_on, chance in pairs)
    unseen = sum(chance >= SURE for goes_on, chance in pairs if not goes_on)
    found = list(find_suggestions(files))
    wrong = 0
    for table, suggestion in found:
        is_wrong = (table.package, suggestion.key) in _JUDGED_WRONG
        wrong += is_wrong
        words = f"{table.package}: {suggestion.words}{' (WRONG)' if is_wrong else ''}"
        sys.stderr.write(f"{words}\n")
    going_on = sum(goes_on for goes_on, _ in pairs)
    sys.stdout.write(
        "| | number | right | wrong without a question |\n|---|---|---|---|\n"
        f"| joins: {going_on} go on, {len(pairs) - going_on} do not | {len(pairs)} | "
        f"{right / len(pairs):.1%} | {unseen} |\n"
        f"| suggestions | {len(found)} | {1 - wrong / len(found):.1%} | |\n"
    )


if __name__ == "__main__":
    main()
