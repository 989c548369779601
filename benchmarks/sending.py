"""How long writing takes, and how much memory: ``python -m benchmarks.sending``.

A million cells, in a process of its own for each format.
"""

from __future__ import annotations

import multiprocessing
import resource
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from keel_line._shared.column_types import ColumnType, Kind
from keel_line.send.formats import BY_ENDING
from keel_line.send.sent import SendOptions, SentColumn, SentTable

ROWS, COLS = 50_000, 20
_KINDS: tuple[Kind, ...] = ("text", "code", "whole number", "decimal", "money", "date")
ASKED = {".xlsx": (40.0, 500.0), ".csv": (5.0, None)}


def make_large(rows: int = ROWS, cols: int = COLS) -> SentTable:
    """Return a table of made-up values of all kinds."""
    rng = np.random.default_rng(7)
    numbers = rng.integers(0, 1_000_000, (cols, rows))
    columns = []
    for col in range(cols):
        kind = _KINDS[col % len(_KINDS)]
        own = numbers[col].tolist()
        texts = {
            "text": [f"Vessel {n % 997}" for n in own],
            "code": [f"BS {n % 9999:04}" for n in own],
            "whole number": [f"{n:,}" for n in own],
            "decimal": [f"{n / 100:.2f}" for n in own],
            "money": [f"£{n / 100:,.2f}" for n in own],
            "date": [f"{1 + n % 28} Mar {1900 + n % 90}" for n in own],
        }[kind]
        columns.append(SentColumn(f"{kind} {col}", ColumnType(kind), texts))
    return SentTable("Large", tuple(columns))


def measure(ending: str, out: multiprocessing.Queue[tuple[float, float, float]]) -> None:
    """Write the table; put the seconds, the memory it took beyond the table (MB), and its size."""
    table = make_large()
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    write = BY_ENDING[ending].write
    with tempfile.TemporaryDirectory() as folder:
        target = Path(folder) / f"large{ending}"
        begun = time.perf_counter()
        if write is not None:
            write([table], target, SendOptions(), None)
        took = time.perf_counter() - begun
        size = target.stat().st_size / 1e6
    after = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    out.put((took, (after - before) / 1024, size))


def say_lines() -> list[str]:
    """Measure every format, and return the figures."""
    lines = [
        f"A table of {ROWS:,} rows and {COLS} columns.",
        "",
        "| format | seconds | asked | memory beyond the table | asked | file |",
        "|---|---|---|---|---|---|",
    ]
    context = multiprocessing.get_context("spawn")
    for ending in (".xlsx", ".csv", ".html", ".md"):
        out: multiprocessing.Queue[tuple[float, float, float]] = context.Queue()
        process = context.Process(target=measure, args=(ending, out))
        process.start()
        took, memory, size = out.get()
        process.join()
        seconds, megabytes = ASKED.get(ending, (None, None))
        lines.append(
            f"| {ending} | {took:.1f} | {seconds or '–'} | {memory:.0f} MB | "
            f"{f'{megabytes:.0f} MB' if megabytes else '–'} | {size:.0f} MB |"
        )
    return lines


if __name__ == "__main__":
    sys.stdout.write("\n".join(say_lines()) + "\n")
