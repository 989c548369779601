"""What earlier pages of a form are worth: ``python -m benchmarks.known``.

Of each register (``benchmarks.repeats``) the upper half stands for an earlier page, as written; the
lower half is read with and without what the upper one said.
"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from benchmarks.measure import flat_text
from benchmarks.repeats import CONDITIONS, RepeatScore
from keel_line._shared.headings import share_lines
from keel_line.model.form import KnownForm
from keel_line.model.grid import Grid
from keel_line.read.confidence import load_calibration, make_flagging
from keel_line.read.reader import Reader
from keel_line.tidy.jigs import count_texts
from synth.faces import load_faces
from synth.laying import lay, pair_texts
from synth.registers import make_register

WAYS = ("by itself", "with what the upper half said")
_PAGES, _SEED, _DIAL = 32, 51907, 1.0


def know_upper_half(grid: Grid, texts: Sequence[str], heading: int) -> tuple[KnownForm, int]:
    """Return a table's form as its upper half tells it, and the first row of the lower half."""
    middle = heading + (grid.rows - heading) // 2
    cells = list(zip(grid.cells, texts, strict=True))
    columns = []
    for col in range(grid.cols):
        said = (t for cell, t in cells if cell.col == col and heading <= cell.row < middle)
        columns.append(count_texts(said))
    names = tuple(
        tuple(text for cell, text in cells if cell.row == row and text.strip())
        for row in range(heading)
    )
    return KnownForm(names, share_lines(grid.x_lines), tuple(columns)), middle


def score(pages: int = _PAGES) -> list[RepeatScore]:
    """Read the lower halves in both of ``WAYS``; return the counts of cells that are not empty."""
    reader = Reader()
    faces, alphabet = load_faces("held"), frozenset(reader.network.recipe.alphabet)
    flagging = make_flagging(load_calibration(), _DIAL)
    scores = [RepeatScore() for _ in WAYS]
    for number in range(pages):
        rng = np.random.default_rng([_SEED, number])
        condition = CONDITIONS[number % len(CONDITIONS)]
        page = make_register(rng, faces, alphabet, condition=condition, held=True)
        squared, grids = lay(page)
        (texts,) = pair_texts(grids, page.tables) if len(grids) == 1 else (None,)
        if texts is None:
            continue
        (grid,), heading = grids, grids[0].heading_rows or 1
        form, middle = know_upper_half(grid, texts, heading)
        kept = [k for k, c in enumerate(grid.cells) if c.row < heading or c.row >= middle]
        lower = replace(grid, cells=tuple(grid.cells[k] for k in kept))
        for own, forms in zip(scores, ((), (form,)), strict=True):
            (read,) = reader.read_page(squared.pixels, squared.dpi, [lower], None, forms)
            cut = flagging.find_cut([r.confidence for r in read])
            for k, cell, reading in zip(kept, lower.cells, read, strict=True):
                text = flat_text(texts[k])
                if cell.row < heading or not text:
                    continue
                right = flat_text(reading.text) == text
                own.cells += 1
                own.right += right
                own.flagged += reading.confidence < cut
                own.silent += not right and reading.confidence >= cut
    return scores


def main() -> None:
    """Measure and print."""
    out = ["| | cells | exactly right | flagged | wrong and not flagged |", "|---|---|---|---|---|"]
    out += [
        f"| {way} | {s.cells} | {s.right / s.cells:.2%} | {s.flagged / s.cells:.2%} | {s.silent} |"
        for way, s in zip(WAYS, score(), strict=True)
    ]
    sys.stdout.write("\n".join(out) + "\n")


if __name__ == "__main__":
    main()
