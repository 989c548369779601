"""The report of a run of the benchmark: docs/accuracy.md and its figures."""

from __future__ import annotations

import os
import platform
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from difflib import SequenceMatcher
from pathlib import Path
from typing import TypeAlias

import numpy as np

from benchmarks import press, tidy
from benchmarks.answering import AnswerScore
from benchmarks.measure import SETTINGS, CellScore, PageScore
from benchmarks.pictures import calibration_error, draw_laid, draw_reliability, draw_silent
from benchmarks.proofing import BIG_PAGES, ProofScore
from benchmarks.reckoning import ReckoningScore
from benchmarks.repeats import SIGHTS, WAYS, RepeatScore
from benchmarks.ruling import LyingScore, RulingScore
from benchmarks.squaring import LaidScore, show_laying
from benchmarks.timing import PageTime
from benchmarks.writing import KINDS, name_kind
from keel_line import __version__
from keel_line.read.network import Network

ROOT = Path(__file__).resolve().parent.parent
REPORT = ROOT / "docs" / "accuracy.md"
FIGURES = ROOT / "docs" / "figures"
MEASURED = Path(__file__).with_name("measured")
"""What takes long and is measured by itself: a file of lines for each module that does."""
BEFORE_ROLES = Path(__file__).with_name("press_before.txt")
TURNED_PAGES = 120
PHOTOGRAPHED_SHEETS = 30
BENT_PAGES = 16
RULED_PAGES = 42
LEDGER_PAGES = 48
REGISTER_PAGES = 32
MARK_PAGES = 32
GROUP_PAGES = 24
PROSE_PAGES = 24
LYING_PAGES = 24
NEIGHBOUR_PAGES = 18
TARGET_MATERIALS = 2  # the figures to reach are for 300 dpi, clean to moderately noisy

Ruled: TypeAlias = tuple[
    tuple[list[RulingScore], list[RulingScore]],
    list[RulingScore],
    int,
    LyingScore,
    dict[str, int],
]


def _kept_lines(name: str) -> list[str]:
    return (MEASURED / f"{name}.md").read_text(encoding="utf-8").splitlines()


def _percent(part: float, whole: float) -> str:
    return f"{100 * part / whole:.2f}%" if whole else "–"


def table_row(name: str, scores: list[PageScore]) -> str:
    """Return one material's line of the report."""
    cells = [c for s in scores for c in s.cells]
    written = [c for c in cells if c.truth]
    wrong = [c for c in cells if not c.right]
    silent = [c for c in wrong if not c.flagged]
    characters = sum(len(c.truth) for c in cells)
    return (
        "| "
        + " | ".join(
            [
                name,
                str(len(scores)),
                _percent(sum(s.grid_right for s in scores), len(scores)),
                str(len(written)),
                _percent(sum(c.right for c in written), len(written)),
                _percent(sum(c.errors for c in cells), characters),
                _percent(sum(c.flagged for c in cells), len(cells)),
                _percent(len(wrong) - len(silent), len(wrong)),
                str(len(silent)),
            ]
        )
        + " |"
    )


def writing_rows(*samples: Sequence[CellScore]) -> list[str]:
    """Return a line of the report for each kind of text, with the figures of each sample of cells.

    Cells are told apart by what is truly written in them.
    """
    rows = []
    for kind in KINDS:
        told = [kind]
        for cells in samples:
            own = [c for c in cells if name_kind(c.truth) == kind]
            told += [
                str(len(own)),
                _percent(sum(c.right for c in own), len(own)),
                _percent(sum(c.flagged for c in own), len(own)),
                str(sum(not c.right and not c.flagged for c in own)),
            ]
        rows.append("| " + " | ".join(told) + " |")
    return rows


def plain_row(name: str, scores: list[PageScore]) -> str:
    """Return one material's line of what is gained where signs are written plainly."""
    cells = [c for s in scores for c in s.cells]
    written = [c for c in cells if c.truth]
    silent = sum(not right and not flagged for right, flagged in (c.plain for c in cells))
    counts = (
        _percent(sum(c.right for c in written), len(written)),
        _percent(sum(c.plain[0] for c in written), len(written)),
        _percent(sum(c.flagged for c in cells), len(cells)),
        _percent(sum(c.plain[1] for c in cells), len(cells)),
        str(sum(not c.right and not c.flagged for c in cells)),
        str(silent),
    )
    return "| " + " | ".join([name, *counts]) + " |"


def dial_rows(cells: list[CellScore]) -> list[str]:
    """Return what each setting of the clerk's dial flags, a line of the report each."""
    wrong = [c for c in cells if not c.right]
    rows = []
    for i, setting in enumerate(SETTINGS):
        flagged = sum(c.flagged_at[i] for c in cells)
        seen = sum(c.flagged_at[i] for c in wrong)
        silent = 1000 * (len(wrong) - seen) / max(1, len(cells))
        rows.append(
            f"| {setting:g} | {_percent(flagged, len(cells))} | {_percent(seen, len(wrong))} | "
            f"{silent:.1f} |"
        )
    return rows


def confusions(cells: list[CellScore]) -> Counter[tuple[str, str]]:
    """Count which characters were taken for which."""
    pairs: Counter[tuple[str, str]] = Counter()
    for cell in cells:
        if cell.read is None or cell.right:
            continue
        match = SequenceMatcher(None, cell.truth, cell.read, autojunk=False)
        for kind, a0, a1, b0, b1 in match.get_opcodes():
            if kind != "equal":
                pairs[cell.truth[a0:a1], cell.read[b0:b1]] += 1
    return pairs


def calibration_rows(cells: list[CellScore]) -> tuple[list[str], float]:
    """Return confidence against truth by bands, and the expected calibration error."""
    rows, error = [], 0.0
    known = [c for c in cells if c.read is not None]
    edges = (0.0, 0.5, 0.8, 0.9, 0.95, 0.98, 0.99, 0.995, 1.0001)
    for low, high in zip(edges, edges[1:], strict=False):
        inside = [c for c in known if low <= c.confidence < high]
        if not inside:
            continue
        said = sum(c.confidence for c in inside) / len(inside)
        was = sum(c.right for c in inside) / len(inside)
        error += len(inside) / len(known) * abs(said - was)
        rows.append(f"| {low:.3f} to {min(high, 1):.3f} | {len(inside)} | {said:.4f} | {was:.4f} |")
    return rows, error


@dataclass(frozen=True)
class Measured:
    """All that one run of the benchmark measured.

    Attributes
    ----------
    groups
        The pages of each material.
    page, window, reader
        What :mod:`benchmarks.timing` gives.
    laid, ruled, pressed, reckoned, repeated, marked, proofed
        How pages were squared, grids found on our own pages and on typeset
        ones, amounts checked, repeated values and lone marks read,
        and doubts settled by key.
    minutes
        How long it all took.
    """

    groups: dict[str, list[PageScore]]
    page: PageTime
    window: dict[str, float]
    reader: dict[str, float]
    laid: LaidScore
    ruled: Ruled
    pressed: list[press.PageScore]
    reckoned: dict[float, ReckoningScore]
    repeated: tuple[list[dict[str, RepeatScore]], AnswerScore]
    marked: list[dict[str, RepeatScore]]
    proofed: ProofScore
    minutes: float


def write_report(measured: Measured) -> str:
    """Write the report and its figures, and return its text."""
    groups, page, window, reader = (
        measured.groups,
        measured.page,
        measured.window,
        measured.reader,
    )
    everything = [s for scores in groups.values() for s in scores]
    target = [s for name in list(groups)[:TARGET_MATERIALS] for s in groups[name]]
    cells = [c for s in everything for c in s.cells]
    by_material = {n: [c for s in own for c in s.cells] for n, own in groups.items()}
    silent = sorted(
        (c for c in cells if not c.right and not c.flagged), key=lambda c: -c.confidence
    )
    rows, error = calibration_rows(cells)
    skews = np.abs([s.skew_error_deg for s in everything])
    recipe = Network().recipe
    lines = [
        "# Accuracy and speed",
        "",
        f"Measured on {datetime.now(UTC):%d %B %Y} by `make bench` with Keel Line {__version__}, "
        f"reader {Network().hash} ({recipe.steps_trained:,} steps in its last stage of training), "
        f"on {platform.machine()} with {os.cpu_count()} cores, in {measured.minutes:.0f} minutes. "
        "`synth/` makes the pages. Their faces, their seeds and a tenth of the words are used only "
        "here, never in training or tuning. Cells hold numbers, dates, codes, names, words and "
        "phrases. Some are random strings, which are harder than most ledgers.",
        "",
        "## Figures to reach",
        "",
        "Ruled pages at 300 dpi, straight or up to 5° crooked, clean to moderately noisy "
        f"({len(target)} pages):",
        "",
        *_figures(target, page, window),
        "",
        "## By material",
        "",
        "| material | pages | grid exactly right | cells with text | of them exactly right "
        "| characters wrong | cells flagged | wrong cells flagged | wrong and not flagged |",
        "|---|---|---|---|---|---|---|---|---|",
        *[table_row(name, scores) for name, scores in groups.items()],
        table_row("**all**", everything),
        "",
        "Tolerance: 1 wrong cell in 1,000, the default. A flagged cell is shown to the clerk.",
        "",
        "### By what is written",
        "",
        "Cells of the 40 pages at 300 dpi, and of all pages.",
        "",
        "| what is written | cells | exactly right | flagged | wrong and not flagged "
        "| cells of all pages | exactly right | flagged | wrong and not flagged |",
        "|---|---|---|---|---|---|---|---|---|",
        *writing_rows([c for s in target for c in s.cells], cells),
        "",
        "### Other tolerances",
        "",
        "The same 40 pages, and below them all pages.",
        "",
        "| tolerance: wrong cells in 1,000 | cells flagged | wrong cells flagged "
        "| wrong and not flagged, in 1,000 |",
        "|---|---|---|---|",
        *dial_rows([c for s in target for c in s.cells]),
        "| **all materials** | | | |",
        *dial_rows(cells),
        "",
        "### Plain dashes and quotes",
        "",
        "In many faces nobody can tell which dash or quotation mark is printed. The clerk may have "
        "all of them replaced by -, ' and \". As printed, and plain:",
        "",
        "| material | exactly right | plain | cells flagged | plain "
        "| wrong and not flagged | plain |",
        "|---|---|---|---|---|---|---|",
        *[plain_row(name, scores) for name, scores in groups.items()],
        plain_row("**all**", everything),
        "",
        "## Squaring",
        "",
        f"Skew error over {len(skews)} pages: median {np.median(skews):.3f}°, 95 of 100 under "
        f"{np.percentile(skews, 95):.3f}°, largest {skews.max():.3f}°.",
        "",
        *_laid_lines(measured.laid),
        "",
        "Before and after: crooked, faxed, photographed on a desk, curled, sideways.",
        "",
        "![Pages before and after squaring](figures/squaring.png)",
        "",
        "## Grids by ruling",
        "",
        "The same pages with different rules, as clean and office scans, photocopies, faxes and "
        "photographs. Faces and layouts were not used during development. Some tables have wrapped "
        "cells, spans and headings of two levels. What is written is read first, as the program "
        "does.",
        "",
        *_ruling_lines(measured.ruled),
        "",
        "## Grids on pages set by other programs",
        "",
        *_press_lines(measured.pressed),
        "",
        "## Real documents",
        "",
        *_kept_lines("documents"),
        "",
        "## Tidy",
        "",
        *tidy.say_lines(),
        "",
        *_kept_lines("tidy_outside"),
        "",
        *tidy.time_long(),
        "",
        "## Jigs",
        "",
        *_kept_lines("jigs"),
        "",
        "## What a jig tells the reader",
        "",
        *_kept_lines("known"),
        "",
        "## Running text",
        "",
        *_kept_lines("running"),
        "",
        "## Writing",
        "",
        *_kept_lines("sending"),
        "",
        "## Files read back",
        "",
        *_kept_lines("roundtrip"),
        "",
        "## Columns with repeated values",
        "",
        *_repeat_lines(*measured.repeated),
        "",
        "## Lone marks",
        "",
        *_mark_lines(measured.marked),
        "",
        "## Checks",
        "",
        *_reckoning_lines(measured.reckoned),
        "",
        "## Proofing",
        "",
        *_proof_lines(measured.proofed),
        "",
        "## Confidence",
        "",
        "| confidence | cells | mean confidence | share right |",
        "|---|---|---|---|",
        *rows,
        "",
        f"Expected calibration error: {error:.4f}. Expected wrong cells without a flag: "
        f"{sum(1 - c.confidence for c in cells if not c.flagged):.1f}; actual: {len(silent)}.",
        "",
        "By material, in bands of equally many cells (goal: at most 0.02 on each):",
        "",
        "| material | cells | calibration error |",
        "|---|---|---|",
        *[
            f"| {name} | {len(own)} | {calibration_error(own):.4f} |"
            for name, own in by_material.items()
        ],
        "",
        "![Confidence and share right, by material](figures/reliability.png)",
        "",
        "## Confused characters",
        "",
        "| written | read | times |",
        "|---|---|---|",
        *[
            f"| `{a or '(nothing)'}` | `{b or '(nothing)'}` | {n} |"
            for (a, b), n in confusions(cells).most_common(15)
        ],
        "",
        "## Wrong and not flagged, most confident first",
        "",
        "| written | read | confidence | material | face |",
        "|---|---|---|---|---|",
        *[
            f"| `{c.truth or '(blank)'}` | `{c.read or '(blank)'}` | {c.confidence:.4f} | "
            f"{c.condition} | {c.family} |"
            for c in silent[:20]
        ],
        "",
        "![Their ink](figures/silent.png)",
        "",
        "## Speed",
        "",
        "One A4 page at 300 dpi with 200 cells, in a process of its own with two threads: "
        f"{page.again_s:.2f} s from file to readings ("
        + ", ".join(f"{name} {spent:.2f} s" for name, spent in page.laps.items())
        + f"); {page.first_s:.2f} s for the first page, which loads the reader; "
        f"peak memory {page.peak_mb:.0f} MB.",
        "",
        f"The recogniser ({Network().model_file.stat().st_size / 1e6:.2f} MB) loads in "
        f"{reader['load_ms']:.0f} ms and runs over {reader['lines_a_second']:.0f} lines of ten "
        "characters a second with two threads.",
        "",
        f"The window: usable {window['usable_s']:.2f} s after the start of Python; a step to the "
        f"next doubt takes {window['median_ms']:.1f} ms in the median and "
        f"{window['worst_ms']:.1f} ms at worst of {window['steps']:.0f}, painting included "
        "(offscreen, without a graphics card).",
        "",
        "## Limits",
        "",
        "- Grids on pages from other programs are exactly right on 19 of 20, on tables of "
        "manuals and papers on two of three. Check the grid in Rule before you proof.",
        "- Without rules, a title directly above a table may be taken for a row. Two tables close "
        "together may become one. Where columns go on beside each other under the same headings, "
        "they are taken for one table.",
        "- Curl is flattened if rules or lines of text show it. Creases are not.",
        "- A lone hairline dash that left no ink on a fax is read as blank.",
        "- Handwriting is not read.",
        "- A 204x98 dpi fax has few dots for each letter, so many cells are in doubt.",
        "",
    ]
    FIGURES.mkdir(exist_ok=True)
    draw_reliability(by_material, FIGURES / "reliability.png")
    draw_silent(silent[:20], FIGURES / "silent.png")
    draw_laid(show_laying(), FIGURES / "squaring.png")
    text = "\n".join(lines)
    REPORT.write_text(text, encoding="utf-8")
    return text


def _laid_lines(laid: LaidScore) -> list[str]:
    turns, sheets, bends = laid.turns, laid.sheets, laid.bends
    away = 100 * np.array(sheets.errors or (np.nan,))
    return [
        f"Way up: {turns.right} of {turns.pages} pages (at least 20 words, turned in one of four "
        f"ways) came out upright. {turns.wrong_and_sure} of the others had no doubt.",
        "",
        f"Sheets in photographs (torn corners and fingers over an edge among them): {sheets.found} "
        f"of {sheets.sheets} found; the worst of the four corners is off by "
        f"{np.median(away):.3f}% of the picture's diagonal in the median, {away.max():.3f}% at "
        f"most; proportions right on {sheets.proportions_right}. {sheets.seconds:.2f} s each.",
        "",
        f"Curl on {bends.pages} photographs without a visible desk: {len(bends.after)} rules are "
        f"off straight and level by {np.median(bends.after):.2f} px in the median and "
        f"{np.percentile(bends.after, 95):.2f} px in 95 of 100 (at 200 px per inch; "
        f"{np.median(bends.before):.1f} and {np.percentile(bends.before, 95):.1f} px before). "
        f"A photograph of 12 megapixels is squared in {bends.seconds:.2f} s, "
        f"with memory for {bends.copies:.1f} copies of it.",
    ]


def _ruling_lines(ruled: Ruled) -> list[str]:
    (scores, harder), neighbours, false_tables, lying, groups = ruled
    right = sum(s.right for s in scores)
    wrong = sum(s.tables for s in scores) - right
    return [
        "| rules | tables | found | grid exactly right | neighbour relations F1 "
        "| heading rows right | seconds a page |",
        "|---|---|---|---|---|---|---|",
        *[
            f"| {s.name} | {s.tables} | {_percent(s.found, s.tables)} | "
            f"{_percent(s.right, s.tables)} | {s.relations_f1:.4f} | {_percent(s.headed, s.right)} "
            f"| {np.mean(s.seconds):.2f} |"
            for s in scores
        ],
        "",
        "Among these, harder tables:",
        "",
        "| what they hold | tables | grid exactly right | neighbour relations F1 |",
        "|---|---|---|---|",
        *[
            f"| {s.name} | {s.tables} | {_percent(s.right, s.tables)} | {s.relations_f1:.4f} |"
            for s in harder
        ],
        "",
        f"Of {wrong} wrong grids, {sum(s.doubted_wrong for s in scores)} had a line in doubt; of "
        f"{right} right ones, {sum(s.doubted_right for s in scores)}. Heading rows are counted "
        f"where the grid is right. {sum(s.gone for s in scores)} of the wrong ones are on copies "
        "with hardly any ink left: fewer than one cell in ten shows some.",
        "",
        f"A table was found on {false_tables} of {PROSE_PAGES} pages of running text, lists and "
        "letters.",
        "",
        f"Of {lying.tables} sideways tables, with and without rules, below upright ones, "
        f"{lying.told} were recognised as sideways; of the upright ones, {lying.mistaken}.",
        "",
        f"First-column cells that span rows: {groups['across']} of {GROUP_PAGES} tables with rules "
        f"across were exactly right, {groups['full']} of {GROUP_PAGES} with all rules.",
        "",
        "Two tables close together. Half of the pairs share heading and columns. Tables side by "
        "side are level:",
        "",
        "| position | tables | grid exactly right | neighbour relations F1 |",
        "|---|---|---|---|",
        *[
            f"| {s.name} | {s.tables} | {_percent(s.right, s.tables)} | {s.relations_f1:.4f} |"
            for s in neighbours
        ],
    ]


def _press_lines(scores: Sequence[press.PageScore]) -> list[str]:
    return [
        "Pages that LaTeX, troff, a word processor, a spreadsheet and a listing program set, in "
        "designs that nobody looked at while developing (`synth/press/`). Each page is taken as a "
        "PDF with its own text, as a clean scan, and through one other machine. Exactly right: "
        "all texts in the right row and column, with the right spans. The first lines are those of "
        "28 November 2026, before tables were found by learnt roles.",
        "",
        *press.summary_rows(scores)[:2],
        *BEFORE_ROLES.read_text(encoding="utf-8").splitlines(),
        *press.summary_rows(scores)[2:],
        "",
        *press.kind_rows(scores),
        "",
        "The worst tables of the pages that choices were made on (drawn by `python -m "
        "benchmarks.gallery`), with the lines that were found:",
        "",
        "![The worst tables](figures/worst_tables.png)",
    ]


_KINDS = {"text": "words, figures, codes", "mark": "a mark alone", "blank": "blank"}


def _cell_rows(ways: Sequence[str], scores: Sequence[dict[str, RepeatScore]]) -> list[str]:
    """Return a table of each kind of cell, read in each of some ways."""
    return [
        "| cells | | number | exactly right | flagged | wrong and not flagged | read as nothing |",
        "|---|---|---|---|---|---|---|",
        *[
            f"| {named} | {way} | {s.cells} | {_percent(s.right, s.cells)} | "
            f"{_percent(s.flagged, s.cells)} | {s.silent} | {s.lost} |"
            for kind, named in _KINDS.items()
            for way, score in zip(ways, scores, strict=True)
            for s in (score[kind],)
        ],
    ]


def _repeat_lines(scores: list[dict[str, RepeatScore]], answers: AnswerScore) -> list[str]:
    return [
        f"{REGISTER_PAGES} registers (all materials). Most columns repeat a few values; some hold "
        "lone dashes or ditto marks. Read cell by cell, and with the column's other values:",
        "",
        *_cell_rows(WAYS, scores),
        "",
        f"{answers.unseen} of these cells are wrong and not flagged. A clerk who answers every "
        f"doubt truthfully settles {answers.asked_apart} cells and leaves {answers.apart} wrong. "
        "If a correction also flags cells read alike in its column, the clerk settles "
        f"{answers.asked} and leaves {answers.left}.",
    ]


def _mark_lines(scores: list[dict[str, RepeatScore]]) -> list[str]:
    return [
        f"{MARK_PAGES} tables (all materials) with columns of dashes, ditto marks, dots and the "
        "like in up to four fifths of their cells. The other cells are blank or hold a number. "
        "Hairline dashes of some faces leave no ink on a fax. As printed, and with plain dashes "
        "and quotes:",
        "",
        *_cell_rows(SIGHTS, scores),
    ]


def _reckoning_lines(scores: dict[float, ReckoningScore]) -> list[str]:
    first = next(iter(scores.values()))
    ways = ("without checks", "with checks")
    return [
        f"{LEDGER_PAGES} ledgers (office scans, photocopies, faxes) with totals, and with dues "
        f"that are days times rate: {first.cells} cells, {first.wrong} of them read wrong.",
        "",
        "| tolerance: wrong cells in 1,000 | | wrong and not flagged | of these in checked columns "
        "| right and flagged |",
        "|---|---|---|---|---|",
        *[
            f"| {dial:g} | {way} | {score.silent[k]} | {score.silent_amounts[k]} | "
            f"{score.needless[k]} |"
            for dial, score in scores.items()
            for k, way in enumerate(ways)
        ],
    ]


def _proof_lines(score: ProofScore) -> list[str]:
    return [
        f"A clerk who answers all {score.doubts} doubts of the fax pages truthfully presses "
        f"{score.presses / max(1, score.doubts):.2f} keys for each doubt, besides the characters "
        "to be typed.",
        "",
        f"Keys over a docket of {score.rows:,} rows on {BIG_PAGES} pages, painting included "
        "(offscreen, without a graphics card):",
        "",
        "| key | median, ms | worst, ms |",
        "|---|---|---|",
        *[f"| {name} | {middle} | {worst} |" for name, (middle, worst) in score.keys.items()],
    ]


def _figures(target: list[PageScore], page: PageTime, window: dict[str, float]) -> list[str]:
    cells = [c for s in target for c in s.cells]
    written = [c for c in cells if c.truth]
    wrong = [c for c in cells if not c.right]
    flagged_wrong = sum(c.flagged for c in wrong)
    rows = [
        ("grid exactly right", "≥ 95%", _percent(sum(s.grid_right for s in target), len(target))),
        (
            "cells with text exactly right",
            "≥ 97%",
            _percent(sum(c.right for c in written), len(written)),
        ),
        ("wrong cells that are flagged", "≥ 90%", _percent(flagged_wrong, len(wrong))),
        ("cells flagged", "≤ 8%", _percent(sum(c.flagged for c in cells), len(cells))),
        ("A4 page, 200 cells", "≤ 3 s", f"{page.again_s:.2f} s"),
        ("peak memory", "< 600 MB", f"{page.peak_mb:.0f} MB"),
        ("window usable", "< 2 s", f"{window['usable_s']:.2f} s"),
        ("step to the next doubt", "< 16 ms", f"{window['median_ms']:.1f} ms"),
    ]
    return [
        "| figure | to reach | measured |",
        "|---|---|---|",
        *[f"| {a} | {b} | {c} |" for a, b, c in rows],
    ]
