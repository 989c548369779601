"""How rightly running text outside tables is read: ``python -m benchmarks.running``.

On pages that other programs set (``benchmarks/press``): those without a table, and some with one.
Beside it stands how many characters are wrong in the cells of tables with the same damages.
"""

from __future__ import annotations

import io
import re
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import cv2
from PIL import Image

from benchmarks.press import PRESS, SEED
from benchmarks.workers import open_workers
from keel_line.desk.desk import Desk
from keel_line.desk.pool import InlineExecutor
from keel_line.desk.running import answer_running
from keel_line.desk.sending import make_sent_page
from keel_line.gather.sources import make_source
from keel_line.model.table import TableState
from keel_line.send.paragraphs import find_paragraphs
from synth.press.store import each_page, load_pressed
from synth.press.truth import PressPage
from synth.scoring import edit_distance

DAMAGES = ("clean", "copy", "fax")
_PROSE, _REPORTS, _COLUMNS = 12, 12, 12
_IN_COLUMNS = frozenset({"latex-prose-columns", "latex-prose-three"})
_WORDS = 3  # of a paragraph's beginning, at least, by which its place is known
_LEADERS = re.compile(r"[.…]{3,}")


@dataclass(frozen=True)
class Score:
    """A page: characters of running text, how many are wrong, and whether the order is right.

    ``cell_chars`` and ``cell_wrong`` are the same of its tables' cells, of tables that were found
    with as many rows and columns as they have.
    """

    design: str
    damage: str
    chars: int
    wrong: int
    ordered: bool
    cell_chars: int = 0
    cell_wrong: int = 0


def choose_pages() -> list[tuple[bytes, PressPage]]:
    """Return pages without a table, pages of two and three columns, and some with a table."""
    prose: list[tuple[bytes, PressPage]] = []
    columns: list[tuple[bytes, PressPage]] = []
    reports: dict[str, tuple[bytes, PressPage]] = {}
    for data, truth in each_page(PRESS):
        if truth.design in _IN_COLUMNS:
            columns.append((data, truth))
        elif not truth.tables and len(prose) < _PROSE:
            prose.append((data, truth))
        outside = [t for t in truth.texts if t.role == "paragraph"]
        if len(truth.tables) == 1 and outside and len(reports) < _REPORTS:
            reports.setdefault(truth.design, (data, truth))
    return [*prose, *columns[:_COLUMNS], *reports.values()]


def score(data: bytes, truth: PressPage, damage: str) -> Score:
    """Read a page's running text, and compare it with the truth."""
    cv2.setNumThreads(1)
    loaded = load_pressed(data, truth, damage, SEED)
    out, res = io.BytesIO(), loaded.page.resolution
    Image.fromarray(loaded.page.pixels).save(out, "PNG", dpi=(res.x_dpi, res.y_dpi))
    desk = Desk()
    try:
        desk.add_source(make_source("page.png", out.getvalue()))
        desk.run(InlineExecutor())
        request = desk.prepare_send(Path("page.txt"))
        (page,) = request.pages
        made = make_sent_page(page, request.tables, answer_running(page.running))
        cells = compare_cells(truth, request.tables)
    finally:
        desk.close()
    said = " ".join(p.text for p in find_paragraphs(made) if p.table is None)
    # What the program takes for a table's cells is none of the running text, and counts as missing.
    wanted = [t.text for t in truth.texts if t.role != "cell"]
    whole = " ".join(wanted)
    wrong = edit_distance(_plain(whole), _plain(said))
    beginnings = [_find_beginning(t, _plain(whole)) for t in wanted]
    ordered = _is_ordered([b for b in beginnings if b], _plain(said))
    return Score(truth.design, damage, len(_plain(whole)), wrong, ordered, *cells)


def compare_cells(truth: PressPage, tables: Sequence[TableState]) -> tuple[int, int]:
    """Return how many characters the cells of a page's only table have, and how many are wrong.

    None where the table was found with other rows or columns: then its cells cannot be compared.
    """
    if len(truth.tables) != 1 or len(tables) != 1:
        return 0, 0
    (true,), (found,) = truth.tables, tables
    if (found.grid.rows, found.grid.cols) != (true.rows, true.cols):
        return 0, 0
    said = {(s.cell.row, s.cell.col): s.reading.text for s in found.cells}
    chars = wrong = 0
    for cell in true.cells:
        text = _plain(truth.texts[cell.text].text)
        chars += len(text)
        wrong += edit_distance(text, _plain(said.get((cell.row, cell.col), "")))
    return chars, wrong


def _find_beginning(text: str, whole: str) -> str:
    """Return the shortest beginning of a text that stands on its page once; empty for none.

    One that stands there twice tells no place: where it is misread once, the other is found.
    """
    words = text.split()
    for count in range(min(_WORDS, len(words)), len(words) + 1):
        beginning = _plain(" ".join(words[:count]))
        if whole.count(beginning) == 1:
            return beginning
    return ""


def _is_ordered(beginnings: Sequence[str], said: str) -> bool:
    """Return whether what is read begins as the texts do, one after another.

    A beginning that was misread says nothing.
    """
    at = 0
    for beginning in beginnings:
        found = said.find(beginning, at)
        if found < 0 and said.count(beginning):
            return False
        at = max(at, found)
    return True


def _plain(text: str) -> str:
    """Return a text without blanks and leaders of dots."""
    return _LEADERS.sub("", "".join(text.replace("\u2013", "-").replace("\u2019", "'").split()))


def say_lines(scores: Sequence[Score]) -> list[str]:
    """Return the figures."""
    lines = [
        "| damage | pages | characters | wrong | reading order right | in cells | wrong |",
        "|---|---|---|---|---|---|---|",
    ]
    for damage in DAMAGES:
        own = [s for s in scores if s.damage == damage]
        chars, wrong = sum(s.chars for s in own), sum(s.wrong for s in own)
        ordered = sum(s.ordered for s in own)
        in_cells, off = sum(s.cell_chars for s in own), sum(s.cell_wrong for s in own)
        lines.append(
            f"| {damage} | {len(own)} | {chars:,} | {wrong / max(1, chars):.2%} | "
            f"{ordered / max(1, len(own)):.1%} | {in_cells:,} | {off / max(1, in_cells):.2%} |"
        )
    return lines


def main() -> None:
    """Measure and print."""
    jobs = [(data, truth, damage) for data, truth in choose_pages() for damage in DAMAGES]
    with open_workers() as pool:
        scores = list(pool.map(score, *zip(*jobs, strict=True)))
    sys.stdout.write("\n".join(say_lines(scores)) + "\n")
    for one in scores:
        sys.stderr.write(f"{one}\n")


if __name__ == "__main__":
    main()
