"""What the checks do for tables that carry totals: silent errors and flags, without and with.

At the default setting of the dial next to nothing passes the reading in columns of amounts; what
the checks catch shows where the dial lets more pass.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from benchmarks.answering import make_table
from benchmarks.measure import flat_text
from keel_line.desk.judge import judge_table
from keel_line.model.grid import Grid
from keel_line.model.reading import Reading
from keel_line.read.confidence import Flagging, load_calibration, make_flagging
from keel_line.read.network import Network
from keel_line.read.reader import Reader
from synth.faces import load_faces
from synth.laying import lay, pair_texts
from synth.pages import CellContent, MadePage, Sheet, TableContent, choose_style, finish_page
from synth.text import make_code, make_date, make_word

CONDITIONS = ("office", "copy", "fax", "clean", "copy", "fax", "office", "fax-coarse")
FACES = "held"
_SEED = 41177
_DPI = 300.0
_FIRST_AMOUNT = 3
DIALS = (1.0, 10.0, 30.0)
"""Wrong cells in a thousand that may pass unseen."""


@dataclass
class ReckoningScore:
    """Counts over cells with a reading: all, wrong, silent and needless flags, without and with.

    ``silent_amounts`` are those of ``silent`` in columns that are reckoned with.
    """

    cells: int = 0
    wrong: int = 0
    silent: tuple[int, int] = (0, 0)
    silent_amounts: tuple[int, int] = (0, 0)
    needless: tuple[int, int] = (0, 0)


def make_ledger(rng: np.random.Generator, condition: str) -> MadePage:
    """Make a page with a ledger: days times rate makes dues, and the totals stand below."""
    faces = load_faces(FACES)
    style = choose_style(rng, faces)
    chars = style.face.chars & style.bold.chars & frozenset(Network().recipe.alphabet)
    rows = int(rng.integers(9, 24))
    headings = ["Vessel", "No.", "In", "Days", "Rate", "Dues"]
    lines: list[list[str]] = []
    days_in_all, dues_in_all = 0, 0.0
    for _ in range(rows):
        days, rate = int(rng.integers(1, 30)), round(float(rng.uniform(4, 120)), 2)
        dues = round(days * rate + 1e-6, 2)
        days_in_all, dues_in_all = days_in_all + days, dues_in_all + dues
        words = [make_word(rng, held=True), make_code(rng), make_date(rng)]
        words = [w if set(w) <= chars else "-" for w in words]
        lines.append([*words, str(days), f"{rate:.2f}", f"{dues:,.2f}"])
    lines.append(["Total", "", "", str(days_in_all), "", f"{dues_in_all:,.2f}"])
    cells = [
        CellContent(r, c, text)
        for r, line in enumerate([headings, *lines])
        for c, text in enumerate(line)
    ]
    content = TableContent(tuple(cells), rows + 2, (1.9, 1.1, 1.4, 0.7, 0.9, 1.1), "lllrrr", 1)
    sheet = Sheet(_DPI)
    sheet.draw_table(content, (0.6, 1.0), style, rng)
    return finish_page(sheet, rng, condition=condition, angle_deg=0.0, family=style.face.family)


def score_reckoning(pages: int) -> dict[float, ReckoningScore]:
    """Read ledgers, and count what would pass unseen without the checks and with them.

    Returns the counts of each setting of the dial.
    """
    calibration, reader = load_calibration(), Reader()
    scores = {dial: ReckoningScore() for dial in DIALS}
    for i in range(pages):
        rng = np.random.default_rng([_SEED, i])
        page = make_ledger(rng, CONDITIONS[i % len(CONDITIONS)])
        squared, grids = lay(page)
        (texts,) = pair_texts(grids, page.tables) if len(grids) == 1 else (None,)
        if texts is None:
            continue
        truth = {
            (cell.row, cell.col): flat_text(text)
            for cell, text in zip(grids[0].cells, texts, strict=True)
        }
        (readings,) = reader.read_page(squared.pixels, squared.dpi, grids)
        for dial, score in scores.items():
            _add_table(score, truth, grids[0], readings, make_flagging(calibration, dial))
    return scores


def _add_table(
    score: ReckoningScore,
    truth: Mapping[tuple[int, int], str],
    grid: Grid,
    readings: Sequence[Reading],
    flagging: Flagging,
) -> None:
    table = make_table(grid, readings, flagging)
    plain = table.cells
    judged = judge_table(table, flagging)
    score.cells += len(plain)
    score.wrong += sum(flat_text(c.text) != truth[c.cell.row, c.cell.col] for c in plain)
    for way, cells in enumerate((plain, judged.cells)):
        wrong = [flat_text(c.text) != truth[c.cell.row, c.cell.col] for c in cells]
        silent = [c for w, c in zip(wrong, cells, strict=True) if w and not c.flagged]
        amounts = sum(c.cell.col >= _FIRST_AMOUNT for c in silent)
        needless = sum(c.flagged and not w for w, c in zip(wrong, cells, strict=True))
        score.silent = _add(score.silent, way, len(silent))
        score.silent_amounts = _add(score.silent_amounts, way, amounts)
        score.needless = _add(score.needless, way, needless)


def _add(pair: tuple[int, int], way: int, count: int) -> tuple[int, int]:
    return (pair[0] + count, pair[1]) if way == 0 else (pair[0], pair[1] + count)
