"""Tidy: types, joins and suggestions on tables whose truth is known.

Run as ``python -m benchmarks.tidy``; it prints the figures that docs/accuracy.md has. The columns
and tables are made here and by the press room's contents, which the code of Tidy knows nothing of.
"""

from __future__ import annotations

import argparse
import random
import sys
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, replace
from time import perf_counter

import numpy as np

from keel_line._shared.column_types import Kind, decide_type
from keel_line.desk.tidying import tidy_table
from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import Reading
from keel_line.model.table import CellState, TableState
from keel_line.model.tidy import make_tidy
from keel_line.tidy.joins import LIKELY, SURE, Append, weigh_join
from keel_line.tidy.suggest import suggest
from keel_line.tidy.trail import Trail, encode_trail
from synth.press.contents import Features, make_table
from synth.press.model import Look

_SEED, _COLUMNS, _JOINS, _TABLES = 2907, 200, 60, 120
_LONG_PAGES, _LONG_ROWS = 2000, 50
_OFTEN, _NOW_AND_THEN = 0.5, 0.2
_VESSELS = ("Marigold", "Tern of Ailsay", "Gannet", "Little Skerry", "Wren", "Fair Isobel")
_MONTHS = "January February March April May June July August September October November December"


@dataclass(frozen=True)
class _Made:
    kind: Kind
    name: str
    texts: list[str]


def _make_columns(rng: random.Random) -> list[_Made]:
    """Make columns of each kind in the ways that offices write them, with blanks and dashes."""
    months = _MONTHS.split()

    def money() -> float:
        return rng.choice([9, 90, 900, 9000]) * rng.random()

    def day() -> tuple[int, int, int]:
        return rng.randrange(1, 29), rng.randrange(1, 13), rng.randrange(1951, 1999)

    def long_date() -> str:
        d, m, y = day()
        return f"{d} {months[m - 1]} {y}"

    def short_date() -> str:
        d, m, y = day()
        return f"{d} {months[m - 1][:3]}. {y}"

    def figure_date(sign: str, digits: int) -> str:
        d, m, y = day()
        return sign.join((f"{d:02}", f"{m:02}", str(y)[-digits:]))

    ways: list[tuple[Kind, str, Callable[[], str]]] = [
        ("whole number", "Days", lambda: str(rng.randrange(1, 400))),
        ("whole number", "Tons", lambda: f"{rng.randrange(1, 90_000_000):,}"),
        ("whole number", "Pieces", lambda: str(rng.randrange(20)).rjust(2)),
        ("decimal", "Depth m", lambda: f"{30 * rng.random():.1f}"),
        ("decimal", "Rate", lambda: f"{money():,.2f}"),
        ("decimal", "Gewicht", lambda: f"{money():.3f}".replace(".", ",")),
        ("decimal", "Change", lambda: f"{rng.uniform(-9, 9):+.1f}".replace("+", "")),
        ("money", "Dues £", lambda: f"{money():,.2f}"),
        ("money", "Dues", lambda: f"£{money():,.2f}"),
        ("money", "Fee", lambda: f"$ {money():,.2f}"),
        ("money", "Balance £", lambda: rng.choice(["({:,.2f})", "{:,.2f}"]).format(money())),
        ("money", "Balance", lambda: f"{money():,.2f} {rng.choice(['CR', 'DR'])}"),
        ("percent", "Share", lambda: f"{100 * rng.random():.1f}%"),
        ("percent", "Share %", lambda: f"{100 * rng.random():.0f}"),
        ("date", "In", long_date),
        ("date", "Out", short_date),
        ("date", "On", lambda: figure_date("/", 4)),
        ("date", "Day", lambda: figure_date(".", 2)),
        ("date", "Date", lambda: "{2}-{1:02}-{0:02}".format(*day())),
        ("time", "Boards", lambda: f"{rng.randrange(24):02}:{rng.randrange(60):02}"),
        (
            "time",
            "High water",
            lambda: f"{rng.randrange(1, 13)}.{rng.randrange(60):02} {rng.choice('ap')}.m.",
        ),
        ("duration", "Stay", lambda: f"{rng.randrange(1, 90)}h {rng.randrange(60)}m"),
        ("yes or no", "Paid", lambda: rng.choice(["yes", "no"])),
        ("yes or no", "Seen", lambda: rng.choice(["Y", "N"])),
        ("code", "Reg.", lambda: f"{rng.choice(['BS', 'KQ'])} {rng.randrange(200)}"),
        ("code", "No.", lambda: f"{rng.randrange(400):04}"),
        ("code", "Part", lambda: f"{rng.choice('ABC')}{rng.randrange(99)}-{rng.randrange(9)}"),
        ("text", "Vessel", lambda: rng.choice(_VESSELS)),
        ("text", "From, to", lambda: f"{rng.choice(_VESSELS)} to N {rng.randrange(9)}"),
        ("text", "Remarks", lambda: rng.choice(["paid in full", "2 lines lost", "see page 4"])),
        (
            "pounds, shillings, pence",
            "Dues",
            lambda: f"£{rng.randrange(90)} {rng.randrange(20)}s. {rng.randrange(12)}d.",
        ),
    ]
    out = []
    for k in range(_COLUMNS):
        kind, name, make = ways[k % len(ways)]
        rows = rng.randrange(8, 50)
        blank = rng.choice([0.0, 0.0, 0.1, 0.3])
        texts = [rng.choice(["", "–"]) if rng.random() < blank else make() for _ in range(rows)]
        misread = rng.choice([0.0, 0.0, 0.02, 0.05])
        texts = [_misread(rng, t) if rng.random() < misread else t for t in texts]
        out.append(_Made(kind, name, texts))
    return out


def _misread(rng: random.Random, text: str) -> str:
    """Return a text with one character taken for another."""
    if not text:
        return text
    at = rng.randrange(len(text))
    return text[:at] + rng.choice("O0l1SB8,.'a") + text[at + 1 :]


def score_types(rng: random.Random) -> tuple[int, int, int, Counter[tuple[str, str]]]:
    """Return how many columns there are, how many are right, wrong without a doubt, and as what."""
    right = unseen = 0
    wrong: Counter[tuple[str, str]] = Counter()
    columns = _make_columns(rng)
    for made in columns:
        decided = decide_type(made.texts, made.name)
        if decided.type.kind == made.kind:
            right += 1
        else:
            wrong[made.name, decided.type.kind] += 1
            unseen += decided.certain and decided.type.kind != "text"
    return len(columns), right, unseen, wrong


def _make_pair(rng: np.random.Generator, *, goes_on: bool) -> tuple[TableState, TableState]:
    """Make two tables that follow one another: parts of one, or two that only look so.

    Those that only look so have the same columns: two months of one form, with a caption or a total
    each, or two forms alike.
    """
    alike = str(rng.choice(["caption", "heading", "total"]))
    features = Features(
        rows=(14, 40),
        cols=(2, 6),
        levels=int(rng.choice([1, 1, 2])),
        totals=not goes_on and (alike == "total" or rng.random() < 0.5),
        blanks=float(rng.choice([0, 0.2])),
    )
    seed = int(rng.integers(1 << 30))
    table = make_table(np.random.default_rng(seed), features, Look())
    rows = {r: {c.col: c.text for c in table.cells if c.row == r} for r in range(table.rows)}
    heading = [rows[r] for r in range(table.header_rows)]
    body = [rows[r] for r in range(table.header_rows, table.rows)]
    captions = ("Berth dues, March 1974", "")
    if goes_on:
        cut = int(rng.integers(5, len(body) - 3))
        parts = body[:cut], body[cut:]
        repeats = rng.random() < 0.6
        if rng.random() < 0.2:
            captions = (captions[0], f"{captions[0]} (continued)")
        heads = heading, heading if repeats else []
    else:
        order = np.random.default_rng(seed + 1).permutation(len(body))
        others = [body[int(k)] for k in order if not features.totals or k < len(body) - 1]
        parts = body, [*others, *body[len(others) :]]
        captions = (captions[0], "Berth dues, April 1974" if alike == "caption" else "")
        own = [{k: f"{t} too" for k, t in row.items()} for row in heading]
        heads = heading, own if alike == "heading" else heading
    widths = rng.uniform(0.6, 2.0, table.cols)
    made = []
    for k in range(2):
        shares = widths * rng.uniform(0.99, 1.01, table.cols)
        xs = np.concatenate([[0.0], np.cumsum(shares)]) / shares.sum() * 1500 + 100
        made.append(make_state(k, [*heads[k], *parts[k]], len(heads[k]), xs, captions[k]))
    return made[0], made[1]


def make_state(
    number: int, rows: list[dict[int, str]], heading: int, xs: np.ndarray, caption: str
) -> TableState:
    """Return a table on page ``number`` (from 0) of a file, its columns' boundaries at ``xs`` (px).

    ``rows`` have the texts by column, the ``heading`` rows first.
    """
    ys = [100.0 + 40 * k for k in range(len(rows) + 1)]
    cells: list[Cell] = []
    states: list[CellState] = []
    for r, row in enumerate(rows):
        for c in range(len(xs) - 1):
            cell = Cell(r, c, 1, 1, (float(xs[c]), ys[r], float(xs[c + 1]), ys[r + 1]))
            cells.append(cell)
            read = Reading(row.get(c, ""), 0.99)
            states.append(CellState(10_000 * number + len(states), cell, read, None, flagged=False))
    grid = Grid(
        (float(xs[0]), ys[0], float(xs[-1]), ys[-1]),
        tuple(float(x) for x in xs),
        tuple(ys),
        tuple(cells),
    )
    name = f"table {number + 1}"
    return TableState(
        number, name, number, number + 1, "volume.pdf", grid, heading, caption, tuple(states)
    )


def score_joins(rng: np.random.Generator) -> tuple[int, int, int, int]:
    """Return pairs, right ones, wrong ones without a question, and joins that were missed."""
    right = unseen = missed = 0
    for k in range(2 * _JOINS):
        goes_on = k < _JOINS
        chance, _ = weigh_join(*_make_pair(rng, goes_on=goes_on))
        right += (chance >= LIKELY) == goes_on
        unseen += not goes_on and chance >= SURE
        missed += goes_on and chance < LIKELY
    return 2 * _JOINS, right, unseen, missed


def score_suggestions(rng: np.random.Generator) -> tuple[int, int, int, Counter[str]]:
    """Return how many suggestions there were, how many fit, and how many needs went without one.

    Types are measured by themselves and left out here. The counter names what went wrong.
    """
    made = fits = missed = 0
    wrong: Counter[str] = Counter()
    for _ in range(_TABLES):
        features = Features(
            rows=(8, 24),
            cols=(2, 6),
            levels=int(rng.choice([0, 1, 1, 1, 2])),
            groups=str(rng.choice(["none", "none", "once", "merged", "bars", "indent"])),
            totals=bool(rng.random() < _OFTEN),
            leaders=bool(rng.random() < _NOW_AND_THEN),
            blank_col=bool(rng.random() < _NOW_AND_THEN),
            blanks=float(rng.choice([0, 0, 0.1, 0.3])),
            marks=str(rng.choice(["", "", "brackets", "credit", "notes", "dashes"])),
            units=bool(rng.random() < _NOW_AND_THEN),
        )
        table = make_table(rng, features, Look())
        rows = [{c.col: c.text for c in table.cells if c.row == r} for r in range(table.rows)]
        xs = np.linspace(0, 1500, table.cols + 1)
        state = make_state(0, rows, table.header_rows, xs, "")
        needs = {
            "names": table.header_rows > 0,
            "totals": features.totals,
            "bars": features.groups in {"bars", "indent"},
            "blanks": features.groups in {"once", "merged"},
            "empty columns": features.blank_col,
            "trim": features.leaders,
        }
        found = {name_need(s.key) for s in suggest(make_tidy(state))} - {"type"}
        # Marks, and columns or rows that chance left empty, are looked at in the table itself.
        loose = {"mark", "empty rows", "empty columns"}
        made += len(found)
        right = {f for f in found if needs.get(f) or f in loose}
        fits += len(right)
        wrong.update(f"{f} suggested" for f in found - right)
        gone = {need for need, is_one in needs.items() if is_one} - found
        missed += len(gone)
        wrong.update(f"{need} not suggested" for need in gone)
    return made, fits, missed, wrong


def name_need(key: str) -> str:
    """Return what a suggestion is about, without the column."""
    return key if key in {"empty rows", "empty columns"} else key.split(maxsplit=1)[0]


def say_lines(seed: int = _SEED) -> list[str]:
    """Measure, and return the figures as lines for docs/accuracy.md."""
    columns, right, unseen, _ = score_types(random.Random(seed))
    pairs, joined, sure, _ = score_joins(np.random.default_rng(seed))
    made, fits, missed, _ = score_suggestions(np.random.default_rng(seed))
    needed = fits + missed
    return [
        "Made by `benchmarks/tidy.py` and the press room's contents (`python -m benchmarks.tidy`), "
        "so by our own hands. Columns are written in 31 ways of offices, with blanks, dashes and "
        "misread characters. Half of the pairs go on over a page; the others are two months of one "
        "form, with a caption or a total each, or two forms alike.",
        "",
        "| | number | right | to reach | wrong without a doubt |",
        "|---|---|---|---|---|",
        f"| types of columns | {columns} | {right / columns:.1%} | 98% | {unseen} |",
        f"| joins | {pairs} | {joined / pairs:.1%} | 97% | {sure} |",
        f"| suggestions | {made} | {fits / made:.1%} | 95% | |",
        f"| needs that are suggested | {needed} | {fits / needed:.1%} | 90% | |",
    ]


def time_long(pages: int = _LONG_PAGES) -> list[str]:
    """Time a table that goes on over many pages; return the figures as lines.

    All of it runs in a thread of the window.
    """
    rng = random.Random(_SEED)
    rows = [
        [
            {0: str(50 * page + k + 1), 1: rng.choice(_VESSELS), 2: f"{rng.random() * 900:.2f}"}
            for k in range(_LONG_ROWS)
        ]
        for page in range(pages)
    ]
    xs = np.array([100.0, 180.0, 420.0, 560.0])
    heading = {0: "No.", 1: "Vessel", 2: "Dues"}
    tables = [make_state(k, [heading, *own], 1, xs, "") for k, own in enumerate(rows)]
    steps = tuple(Append(t.id, t.name, t.page_number) for t in tables[1:])
    whole = replace(tables[0], steps=encode_trail(Trail(steps)))
    begun = perf_counter()
    tidying = tidy_table(whole, tables).prepare()
    ready = perf_counter()
    tidying.sort(1)
    sorted_by = perf_counter()
    tidying.take_all()
    taken = perf_counter()
    return [
        f"| a table of {pages * _LONG_ROWS:,} rows from {pages:,} pages, in a thread | s |",
        "|---|---|",
        f"| joined, with types, suggestions and what the lane shows | {ready - begun:.1f} |",
        f"| sorted | {sorted_by - ready:.1f} |",
        f"| all suggestions taken | {taken - sorted_by:.1f} |",
    ]


def main() -> None:
    """Measure and print."""
    words = argparse.ArgumentParser(description=__doc__)
    words.add_argument("--seed", type=int, default=_SEED)
    seed = words.parse_args().seed
    sys.stdout.write("\n".join(say_lines(seed)) + "\n\n")
    *_, types = score_types(random.Random(seed))
    *_, suggestions = score_suggestions(np.random.default_rng(seed))
    for what, times in (*types.most_common(), *suggestions.most_common()):
        sys.stdout.write(f"{what}: {times}\n")
    sys.stdout.write("\n" + "\n".join(time_long()) + "\n")


if __name__ == "__main__":
    main()
