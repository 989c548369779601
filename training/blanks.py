"""Fit what tells blank cells from lone marks that were not read, on validation pages.

Run as ``python -m training.blanks --pages 400`` after ``training.lengths``; calibrate after it.
Every other page has columns of lone marks, the rest are like those that confidence is fitted on.
Needs no PyTorch.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from keel_line.model.grid import Grid
from keel_line.read.blanks import MEASURES
from keel_line.read.network import Network
from keel_line.read.reader import Reader
from synth.faces import load_faces
from synth.laying import lay, pair_texts
from synth.nils import make_nils
from synth.pages import TableTruth
from training.config import ALPHABET
from training.logistic import Pairs, make_command
from training.pages import lay_page

_SEED = 808
CONDITIONS = ("clean", "office", "copy", "fax", "fax-coarse", "copy", "fax", "photo")


def gather_blanks(number: int) -> Pairs:
    """Read one page; tell of its cells with ink in which nothing is read whether they are blank."""
    cv2.setNumThreads(1)
    if number % 2:
        page, squared, grids = lay_page("val", _SEED, number // 2)
    else:
        page = make_nils(
            np.random.default_rng([_SEED, number]),
            load_faces("val"),
            frozenset(ALPHABET),
            condition=CONDITIONS[number // 2 % len(CONDITIONS)],
        )
        squared, grids = lay(page)
    reader = Reader(Network(threads=1))
    return pair_cells(grids, page.tables, reader.measure_blanks(squared.pixels, squared.dpi, grids))


def pair_cells(
    grids: Sequence[Grid],
    tables: Sequence[TableTruth],
    measured: Sequence[Sequence[tuple[float, ...] | None]],
) -> Pairs:
    """Tell of every cell that was measured whether it is blank; wrong grids are left out.

    ``measured`` has for each grid what is measured of its cells, in their order.
    """
    measures: list[tuple[float, ...]] = []
    blank: list[bool] = []
    for texts, own in zip(pair_texts(grids, tables), measured, strict=True):
        for text, found in zip(texts, own, strict=True) if texts else ():
            if found is not None:
                measures.append(found)
                blank.append(not text)
    shaped = np.array(measures, float).reshape(-1, len(MEASURES))
    return np.zeros(len(blank)), shaped, np.array(blank, bool)


main = make_command(gather_blanks, "blanks.json", "Fit the weights of what is left in blank cells.")

if __name__ == "__main__":
    main()
