"""How rightly types of columns are told that people wrote: ``python -m training.manuals.kinds``.

Columns of tables in manuals (:mod:`training.manuals`), chosen by chance among those with figures or
with yes and no; their kinds were written down by eye. What is no longer as it was is left out. It
needs the packages of training.
"""

from __future__ import annotations

import sys
import tomllib
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from keel_line._shared.column_types import Decided, decide_type
from training.manuals.markup import Manual
from training.manuals.sources import SOURCES, load_manual

_JUDGED = Path(__file__).with_name("column_kinds.toml")
_KEPT = frozenset({"text", "code"})  # their cells stay as they are written


@dataclass(frozen=True)
class Judged:
    """A column: where it stands, the kinds that it may be taken for, a checksum of its texts."""

    source: str
    path: str
    table: int
    column: int
    kinds: tuple[str, ...]
    check: int

    def find(self) -> tuple[str, list[str]] | None:
        """Return its heading and its texts; None where they are not as they were."""
        folder = next(s.folder for s in SOURCES if s.name == self.source)
        path = folder / self.path
        manual = load_manual(path) if path.exists() else None
        if manual is None or len(manual.tables) <= self.table:
            return None
        name, texts = take_column(manual, self.table, self.column)
        same = zlib.crc32("\n".join([name, *texts]).encode()) == self.check
        return (name, texts) if same else None


def load_judged() -> list[Judged]:
    """Load what was judged by eye."""
    listed = tomllib.loads(_JUDGED.read_text(encoding="utf-8"))["column"]
    return [Judged(**{**one, "kinds": tuple(one["kinds"])}) for one in listed]


def take_column(manual: Manual, table: int, column: int) -> tuple[str, list[str]]:
    """Return a column's heading, its levels joined, and a text for each row below it."""
    grid = manual.tables[table]
    texts = [""] * (grid.rows - grid.header_rows)
    name = []
    for cell in grid.cells:
        said = manual.texts[cell.text][1]
        if cell.row < grid.header_rows:
            if cell.col <= column < cell.col + cell.col_span:
                name.append(said)
        elif cell.col == column:
            texts[cell.row - grid.header_rows] = said
    return " / ".join(name), texts


def say_lines(found: Sequence[tuple[Judged, Decided]]) -> list[str]:
    """Return the figures."""
    wrong = [d for j, d in found if d.type.kind not in j.kinds]
    certain = [d for d in wrong if d.certain]
    changed = [d for d in certain if d.type.kind not in _KEPT]
    return [
        "| columns | right | wrong, in doubt | wrong, not in doubt | of these not kept as text |",
        "|---|---|---|---|---|",
        f"| {len(found)} | {1 - len(wrong) / max(1, len(found)):.1%} | {len(wrong) - len(certain)} "
        f"| {len(certain)} | {len(changed)} |",
    ]


def main() -> None:
    """Fetch, compare and print."""
    judged = load_judged()
    for source in SOURCES:
        source.fetch({j.path.split("/")[0] for j in judged if j.source == source.name})
    found = []
    for one in judged:
        column = one.find()
        if column is None:
            sys.stderr.write(f"{one.path}: not as it was\n")
            continue
        name, texts = column
        decided = decide_type(texts, name)
        found.append((one, decided))
        if decided.type.kind not in one.kinds:
            sys.stderr.write(f"{one.path}: {decided.type.kind}, not {' or '.join(one.kinds)}\n")
    sys.stdout.write("\n".join(say_lines(found)) + "\n")


if __name__ == "__main__":
    main()
