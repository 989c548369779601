"""Registers: tables whose columns say the same few things again and again.

A day-book of a harbour names the same vessels, goods and berths on every page, beside running
numbers and amounts that hardly ever come twice.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from synth.faces import Face
from synth.pages import (
    CellContent,
    MadePage,
    Sheet,
    Style,
    TableContent,
    choose_style,
    finish_page,
    sized_font,
    suit_paper,
)
from synth.paper import Rng
from synth.text import make_code, make_date, make_name, make_number, make_phrase, make_word

_DPI = 300.0
_WIDTH_IN = 7.2
_TRIES = 30
_BLANK = 0.04
_LISTED, _RUNNING, _MARKED = 0.55, 0.15, 0.1
_MARKS = (("-", "–", "—"), ('"', "”"), ("*", "•"), ("✓", "x"), ("nil", "do."), ("0",), ("=",))

Maker = Callable[[], str]


def make_register(
    rng: Rng,
    faces: Sequence[Face],
    allowed: frozenset[str],
    *,
    condition: str = "clean",
    held: bool = False,
) -> MadePage:
    """Make a page with one register, fully ruled and straight.

    Parameters
    ----------
    rng
        Source of chance.
    faces
        Faces to choose from.
    allowed
        Characters that may be written.
    condition
        The paper, as in ``synth.pages.make_page``.
    held
        Draw words from the held-out tenth of the word lists.
    """
    style = suit_paper(choose_style(rng, faces), condition)
    chars = style.face.chars & style.bold.chars & allowed
    rows, cols = int(rng.integers(14, 34)), int(rng.integers(4, 7))
    weights = rng.uniform(0.8, 1.3, cols)
    widths = tuple(float(w) for w in _WIDTH_IN * weights / weights.sum())
    columns = []
    for width in widths:
        room = _Room(style, chars, width - 2.4 * style.pad_em * style.point / 72)
        columns.append((room, *_choose_column(rng, room, held=held)))
    cells = [
        CellContent(0, col, room.fit(lambda: make_word(rng, held=held).capitalize()))
        for col, (room, _, _) in enumerate(columns)
    ]
    for row in range(1, rows):
        for col, (_, make, _) in enumerate(columns):
            cells.append(CellContent(row, col, make() if rng.random() > _BLANK else ""))
    align = "".join(align for _, _, align in columns)
    content = TableContent(tuple(cells), rows, widths, align, 1)
    sheet = Sheet(_DPI)
    sheet.draw_table(content, (0.5, 0.9), style, rng)
    return finish_page(sheet, rng, condition=condition, angle_deg=0.0, family=style.face.family)


@dataclass(frozen=True)
class _Room:
    """What a column can hold: texts of these characters, no wider than ``width_in``."""

    style: Style
    chars: frozenset[str]
    width_in: float

    def fit(self, make: Maker) -> str:
        """Make a text that fits; the last one made is cut where none does."""
        font = sized_font(self.style.bold, self.style.point, 100)
        text = ""
        for _ in range(_TRIES):
            text = " ".join(make().split())
            whole = bool(text) and set(text) <= self.chars
            if whole and font.getlength(text) <= 100 * self.width_in:
                return text
        text = "".join(c for c in text if c in self.chars)
        while len(text) > 1 and font.getlength(text) > 100 * self.width_in:
            text = text[:-1]
        return text.strip() or "0"


def _choose_column(rng: Rng, room: _Room, *, held: bool) -> tuple[Maker, str]:
    """Choose what a column holds; return what makes its values, and how they are aligned."""
    free: list[tuple[Maker, str]] = [
        (lambda: make_name(rng, held=held), "l"),
        (lambda: make_word(rng, held=held), "l"),
        (lambda: make_phrase(rng, held=held), "l"),
        (lambda: make_code(rng), "l"),
        (lambda: make_date(rng), "l"),
        (lambda: f"{rng.uniform(1, 500):,.2f}", "r"),
        (lambda: make_number(rng), "r"),
    ]
    make, align = free[int(rng.integers(len(free)))]
    roll = rng.random()
    if roll >= 1 - _MARKED:
        kinds = [own for kind in _MARKS if (own := [m for m in kind if set(m) <= room.chars])]
        often, seldom = (kinds[int(i)] for i in rng.permutation(len(kinds))[:2])
        mark, other = (str(rng.choice(kind)) for kind in (often, seldom))
        return lambda: ("", mark, mark, other)[int(rng.integers(4))], "c"
    if roll < _LISTED:
        values = [room.fit(make) for _ in range(int(rng.integers(2, 13)))]
        shares = rng.exponential(1.0, len(values)) + 0.1
        shares /= shares.sum()
        return lambda: values[int(rng.choice(len(values), p=shares))], align
    if roll < _LISTED + _RUNNING:
        prefix = room.fit(lambda: make_code(rng)[:2]) + "-" if rng.random() < 0.5 else ""
        numbers = iter(range(int(rng.integers(100, 9000)), 10_000))
        return lambda: f"{prefix}{next(numbers)}", "l"
    return lambda: room.fit(make), align
