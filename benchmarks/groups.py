"""How right grids are where the cells of a table's first column span rows, by the rules beside."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from benchmarks.ruling import find_picture_grids, is_exact, load_network
from synth.faces import load_faces
from synth.pages import CellContent, MadePage, Sheet, TableContent, choose_style, finish_page
from synth.text import make_word

RULINGS = ("across", "full")
_SEED = 51290
_CONDITIONS = ("clean", "office", "copy", "photo")
_DPI = 250.0
_MOST_LETTERS = 11


def make_grouped_page(rng: np.random.Generator, ruling: str, condition: str) -> MadePage:
    """Make a page with a table whose rows stand in groups, each named once beside them."""
    style = choose_style(rng, load_faces("held"))
    style = replace(style, ruling=ruling, point=float(rng.uniform(8, 11)))
    chars = style.face.chars & style.bold.chars & frozenset(load_network().recipe.alphabet)

    def word() -> str:
        made = make_word(rng, held=True)[:_MOST_LETTERS]
        return made if set(made) <= chars else "Quay"

    rows, cols = int(rng.integers(8, 20)), int(rng.integers(3, 6))
    cells = [CellContent(0, col, word().capitalize()) for col in range(cols)]
    row = 1
    while row < rows:
        many = min(int(rng.integers(1, 5)), rows - row)
        cells.append(CellContent(row, 0, word(), many, 1))
        for own in range(row, row + many):
            for col in range(1, cols):
                blank = rng.random() < 0.07
                cells.append(CellContent(own, col, "" if blank else f"{rng.uniform(1, 5000):,.2f}"))
        row += many
    content = TableContent(tuple(cells), rows, (1.2,) * cols, "l" + "r" * (cols - 1), 1)
    sheet = Sheet(_DPI)
    sheet.draw_table(content, (0.8, 1.0), style, rng)
    return finish_page(sheet, rng, condition=condition, angle_deg=0.0)


def score_groups(pages: int) -> dict[str, int]:
    """Return for each ruling on how many of so many pages the grid is exactly right."""
    right = dict.fromkeys(RULINGS, 0)
    for ruling in RULINGS:
        for i in range(pages):
            rng = np.random.default_rng([_SEED, i])
            page = make_grouped_page(rng, ruling, _CONDITIONS[i % len(_CONDITIONS)])
            grids = find_picture_grids(page.grey, _DPI)
            right[ruling] += any(is_exact(grid, page.tables[0]) for grid in grids)
    return right
