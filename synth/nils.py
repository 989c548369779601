"""Tables whose columns hold marks that stand alone, dashes for nil and the like, beside blanks."""

from __future__ import annotations

from collections.abc import Sequence

from synth.faces import Face
from synth.pages import (
    CellContent,
    MadePage,
    Sheet,
    TableContent,
    choose_style,
    finish_page,
    suit_paper,
)
from synth.paper import Rng

_DPI = 300.0
_ROWS, _MARKED_COLUMNS = 26, 4
_WIDTHS_IN = (1.3, 0.9, 0.9, 0.9, 0.9, 1.0)
_HEADINGS = ("Dues", "Nil", "Note", "Mark", "See", "No.")
_DASHES = ("-", "-", "–", "—")
_OTHERS = ('"', ".", "*", "•", "=", "..", "”", "'", "--", "+")
_SHARES = (0.0, 0.05, 0.3, 0.8)
_DASHED, _BLANK = 0.6, 0.7


def make_nils(
    rng: Rng, faces: Sequence[Face], allowed: frozenset[str], *, condition: str = "clean"
) -> MadePage:
    """Make a page with one straight, fully ruled table of figures and columns of lone marks.

    A column has one kind of mark, in none to four fifths of its cells; of the rest most are blank
    and some hold a number. The arguments are those of ``synth.pages.make_page``.
    """
    style = suit_paper(choose_style(rng, faces), condition)
    chars = style.face.chars & style.bold.chars & allowed
    shares = rng.choice(_SHARES, _MARKED_COLUMNS)
    marks = []
    for _ in shares:
        pool = [m for m in (_DASHES if rng.random() < _DASHED else _OTHERS) if set(m) <= chars]
        marks.append(str(rng.choice(pool or ["."])))
    cells = [CellContent(0, col, heading) for col, heading in enumerate(_HEADINGS)]
    for row in range(1, _ROWS):
        cells.append(CellContent(row, 0, f"{rng.uniform(1, 900):.2f}"))
        for col, (mark, share) in enumerate(zip(marks, shares, strict=True), 1):
            other = "" if rng.random() < _BLANK else f"{rng.integers(1, 9999)}"
            cells.append(CellContent(row, col, mark if rng.random() < share else other))
        cells.append(CellContent(row, _MARKED_COLUMNS + 1, f"{rng.integers(1, 999)}"))
    align = "r" + "".join(rng.choice(list("lcr"), _MARKED_COLUMNS)) + "r"
    sheet = Sheet(_DPI)
    content = TableContent(tuple(cells), _ROWS, _WIDTHS_IN, align, 1)
    sheet.draw_table(content, (0.8, 1.0), style, rng)
    return finish_page(sheet, rng, condition=condition, angle_deg=0.0, family=style.face.family)
