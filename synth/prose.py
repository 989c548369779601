"""Pages of writing that is no table: running text, columns of it, lists, letters."""

from __future__ import annotations

from dataclasses import dataclass

from synth.pages import Sheet, Style, sized_font
from synth.paper import Rng
from synth.text import make_date, make_name, make_phrase, make_word

KINDS = ("text", "columns", "list", "letter")
_LEADING_EM = 1.35


@dataclass(frozen=True)
class _Pen:
    """Writes lines and paragraphs; places and widths in inches."""

    sheet: Sheet
    style: Style
    rng: Rng

    @property
    def pitch_in(self) -> float:
        return self.style.point / 72 * _LEADING_EM

    def line(self, x: float, y: float, text: str) -> None:
        self.sheet.write((x, y), text, self.style.face, self.style.point, self.rng)

    def paragraph(self, x: float, y: float, width: float, lines: int, *, even: bool) -> float:
        """Write a paragraph, to even length or ragged; return where the next one begins."""
        for _ in range(lines):
            words = self._words(width)
            if even and len(words) > 1:
                self._spread(x, y, width, words)
            else:
                self.line(x, y, " ".join(words))
            y += self.pitch_in
        return y + self.pitch_in

    def _words(self, width: float) -> list[str]:
        font = sized_font(self.style.face, self.style.point, self.sheet.dpi)
        words: list[str] = []
        while True:
            word = make_word(self.rng)
            if font.getlength(" ".join([*words, word])) > width * self.sheet.dpi:
                return words
            words.append(word)

    def _spread(self, x: float, y: float, width: float, words: list[str]) -> None:
        font = sized_font(self.style.face, self.style.point, self.sheet.dpi)
        lengths = [font.getlength(w) / self.sheet.dpi for w in words]
        gap = (width - sum(lengths)) / (len(words) - 1)
        for word, length in zip(words, lengths, strict=True):
            self.line(x, y, word)
            x += length + gap


def write_prose(sheet: Sheet, style: Style, rng: Rng, kind: str) -> None:
    """Fill a page with writing of one of ``KINDS``."""
    pen = _Pen(sheet, style, rng)
    if kind == "text":
        y = 1.0
        for _ in range(5):
            y = pen.paragraph(0.8, y, 6.5, int(rng.integers(3, 8)), even=False)
    elif kind == "columns":
        for x in (0.8, 4.3):
            y = 1.0
            for _ in range(4):
                y = pen.paragraph(x, y, 3.1, 8, even=True)
    elif kind == "list":
        y = 1.0
        for number in range(1, 13):
            pen.line(0.8, y, f"{number}.")
            y = pen.paragraph(1.25, y, 5.5, int(rng.integers(1, 3)), even=False)
    else:
        _write_letter(pen)


def _write_letter(pen: _Pen) -> None:
    y = 1.0
    for _ in range(4):
        pen.line(0.8, y, make_phrase(pen.rng)[:40])
        y += pen.pitch_in
    pen.line(5.2, y + pen.pitch_in, make_date(pen.rng))
    y += 3 * pen.pitch_in
    for _ in range(3):
        y = pen.paragraph(0.8, y, 6.3, 5, even=False)
    pen.line(0.8, y + pen.pitch_in, make_name(pen.rng))
