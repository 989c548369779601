"""Whole pages with ruled tables and their truth, as scanners, copiers and faxes give them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import cv2
import numpy as np
from PIL import Image, ImageDraw, ImageFont

from synth.faces import Face
from synth.paper import CONDITIONS, Grey, Rng, fax
from synth.text import make_code, make_date, make_name, make_number, make_phrase, make_word

A4_IN = (8.27, 11.69)
_LEAST_PARTED = 9


@dataclass(frozen=True)
class CellContent:
    """What stands in one cell; lines are parted by a line break."""

    row: int
    col: int
    text: str
    row_span: int = 1
    col_span: int = 1


@dataclass(frozen=True)
class TableContent:
    """A table before it is drawn: ``widths_in`` of its columns and ``align`` (l, c, r) of each."""

    cells: tuple[CellContent, ...]
    rows: int
    widths_in: tuple[float, ...]
    align: str
    header_rows: int = 1


@dataclass(frozen=True)
class CellTruth:
    """A drawn cell; ``box`` in px of the page before it was laid crooked.

    ``written`` is the box around its text, None where it is blank.
    """

    row: int
    col: int
    row_span: int
    col_span: int
    text: str
    box: tuple[float, float, float, float]
    written: tuple[float, float, float, float] | None = None


@dataclass(frozen=True)
class TableTruth:
    """A drawn table."""

    rows: int
    cols: int
    header_rows: int
    box: tuple[float, float, float, float]
    cells: tuple[CellTruth, ...]


@dataclass(frozen=True, eq=False)
class MadePage:
    """A made page: its picture with its resolution across and down, and its truth."""

    grey: Grey
    x_dpi: float
    y_dpi: float
    tables: tuple[TableTruth, ...]
    angle_deg: float
    condition: str
    family: str


@dataclass(frozen=True)
class Style:
    """How a table is drawn.

    ``strike`` (0 to 1) makes letters stand unevenly, as a typewriter does; ``rule_pt`` is the
    thickness of rules; ``frame`` is ``single``, ``double`` or ``thick``. ``ruling`` says which
    rules are drawn: ``full``; ``across`` or ``down`` only; ``heading`` for one above and below the
    heading and one at the foot; ``outline`` for the frame alone; ``none``.
    """

    face: Face
    bold: Face
    point: float = 10.0
    pitch_em: float = 1.9
    pad_em: float = 0.45
    rule_pt: float = 0.6
    rule_level: int = 0
    frame: str = "single"
    strike: float = 0.0
    leading_em: float = 1.25
    ruling: str = "full"


@dataclass
class Sheet:
    """A page being drawn at ``dpi``."""

    dpi: float
    size_in: tuple[float, float] = A4_IN
    image: Image.Image = field(init=False)
    tables: list[TableTruth] = field(default_factory=list)

    def __post_init__(self) -> None:
        size = (round(self.size_in[0] * self.dpi), round(self.size_in[1] * self.dpi))
        self.image = Image.new("L", size, 255)

    def write(
        self,
        at_in: tuple[float, float],
        text: str,
        face: Face,
        point: float,
        rng: Rng,
        strike: float = 0.0,
    ) -> None:
        """Write one line with its baseline's left end at ``at_in`` (inches)."""
        font = sized_font(face, point, self.dpi)
        at = (at_in[0] * self.dpi, at_in[1] * self.dpi)
        _write(ImageDraw.Draw(self.image), at, text, font, rng, strike)

    def draw_table(
        self, content: TableContent, at_in: tuple[float, float], style: Style, rng: Rng
    ) -> TableTruth:
        """Draw a ruled table with its top left corner at ``at_in`` (inches); return its truth."""
        em = style.point / 72 * self.dpi
        draw = ImageDraw.Draw(self.image)
        left, top = at_in[0] * self.dpi, at_in[1] * self.dpi
        xs = left + np.cumsum([0.0, *[w * self.dpi for w in content.widths_in]])
        lines = [1] * content.rows
        for cell in content.cells:
            if cell.row_span == 1:
                lines[cell.row] = max(lines[cell.row], cell.text.count("\n") + 1)
        heights = [em * (style.pitch_em + (n - 1) * style.leading_em) for n in lines]
        ys = top + np.cumsum([0.0, *heights])
        self._rule(draw, content, xs, ys, style)
        truths = []
        for cell in content.cells:
            box = (
                float(xs[cell.col]),
                float(ys[cell.row]),
                float(xs[cell.col + cell.col_span]),
                float(ys[cell.row + cell.row_span]),
            )
            face = style.bold if cell.row < content.header_rows else style.face
            align = "c" if cell.col_span > 1 else content.align[cell.col]
            written = self._fill(draw, box, cell.text, face, style, align, rng)
            truths.append(
                CellTruth(cell.row, cell.col, cell.row_span, cell.col_span, cell.text, box, written)
            )
        truth = TableTruth(
            content.rows,
            len(content.widths_in),
            content.header_rows,
            (float(xs[0]), float(ys[0]), float(xs[-1]), float(ys[-1])),
            tuple(truths),
        )
        self.tables.append(truth)
        return truth

    def _rule(
        self,
        draw: ImageDraw.ImageDraw,
        content: TableContent,
        xs: np.ndarray,
        ys: np.ndarray,
        style: Style,
    ) -> None:
        width = max(1, round(style.rule_pt / 72 * self.dpi))
        if style.ruling != "full":
            self._rule_partly(draw, content, xs, ys, style, width)
            return
        for cell in content.cells:
            corners = [
                (xs[cell.col], ys[cell.row]),
                (xs[cell.col + cell.col_span], ys[cell.row + cell.row_span]),
            ]
            box = [round(float(v)) for p in corners for v in p]
            for a, b in (((0, 1), (2, 1)), ((0, 3), (2, 3)), ((0, 1), (0, 3)), ((2, 1), (2, 3))):
                draw.line([box[a[0]], box[a[1]], box[b[0]], box[b[1]]], style.rule_level, width)
        outer = [round(float(v)) for v in (xs[0], ys[0], xs[-1], ys[-1])]
        if style.frame == "thick":
            draw.rectangle(outer, outline=style.rule_level, width=width * 3)
        elif style.frame == "double":
            off = round(0.028 * self.dpi)
            draw.rectangle(
                [outer[0] - off, outer[1] - off, outer[2] + off, outer[3] + off],
                outline=style.rule_level,
                width=width,
            )

    def _rule_partly(
        self,
        draw: ImageDraw.ImageDraw,
        content: TableContent,
        xs: np.ndarray,
        ys: np.ndarray,
        style: Style,
        width: int,
    ) -> None:
        """Draw only some of the rules; see :class:`Style`."""
        left, right, top, low = (round(float(v)) for v in (xs[0], xs[-1], ys[0], ys[-1]))
        if style.ruling == "heading":
            for y in (ys[0], ys[content.header_rows], ys[-1]):
                draw.line([left, round(float(y)), right, round(float(y))], style.rule_level, width)
        elif style.ruling == "outline":
            draw.rectangle([left, top, right, low], outline=style.rule_level, width=width)
        for cell in content.cells:  # no rule runs through a cell that spans
            x0, x1 = (round(float(xs[c])) for c in (cell.col, cell.col + cell.col_span))
            y0, y1 = (round(float(ys[r])) for r in (cell.row, cell.row + cell.row_span))
            if style.ruling == "across":
                for y in (y0, y1):
                    draw.line([x0, y, x1, y], style.rule_level, width)
            elif style.ruling == "down":
                for x in (x0, x1):
                    draw.line([x, y0, x, y1], style.rule_level, width)

    def _fill(
        self,
        draw: ImageDraw.ImageDraw,
        box: tuple[float, float, float, float],
        text: str,
        face: Face,
        style: Style,
        align: str,
        rng: Rng,
    ) -> tuple[float, float, float, float] | None:
        """Write a cell's text and return the box around it, None where there is none."""
        if not text:
            return None
        font = sized_font(face, style.point, self.dpi)
        em = style.point / 72 * self.dpi
        lines = text.split("\n")
        cap = face.cap_ratio * em
        middle = (box[1] + box[3]) / 2
        first = middle + cap / 2 - (len(lines) - 1) * style.leading_em * em / 2
        ends: list[float] = []
        for i, line in enumerate(lines):
            length = font.getlength(line)
            x = {
                "l": box[0] + style.pad_em * em,
                "r": box[2] - style.pad_em * em - length,
                "c": (box[0] + box[2] - length) / 2,
            }[align]
            _write(draw, (x, first + i * style.leading_em * em), line, font, rng, style.strike)
            ends += [x, x + length]
        low = first + (len(lines) - 1) * style.leading_em * em
        return (min(ends), first - cap, max(ends), low)


def sized_font(face: Face, point: float, dpi: float) -> ImageFont.FreeTypeFont:
    """Return a face at a size in points as it is drawn at a resolution."""
    return ImageFont.truetype(
        str(face.path), point / 72 * dpi, layout_engine=ImageFont.Layout.BASIC
    )


def _write(
    draw: ImageDraw.ImageDraw,
    at: tuple[float, float],
    text: str,
    font: ImageFont.FreeTypeFont,
    rng: Rng,
    strike: float,
) -> None:
    if strike == 0:
        draw.text(at, text, font=font, fill=0, anchor="ls")
        return
    x, y = at
    for char in text:
        dx, dy = rng.normal(0, 0.015, 2) * font.size * strike
        level = int(np.clip(abs(rng.normal(0, 45)) * strike, 0, 120))
        draw.text((x + dx, y + dy), char, font=font, fill=level, anchor="ls")
        x += font.getlength(char)


def finish_page(
    sheet: Sheet,
    rng: Rng,
    *,
    condition: str,
    angle_deg: float,
    family: str = "",
) -> MadePage:
    """Lay the sheet crooked by ``angle_deg`` (clockwise) and send it through a machine.

    ``condition`` is one of ``CONDITIONS`` or ``fax`` / ``fax-coarse`` (204x196, 204x98 dpi).
    """
    grey = np.array(sheet.image)
    if angle_deg:
        rows, cols = grey.shape
        turn = cv2.getRotationMatrix2D(((cols - 1) / 2, (rows - 1) / 2), -angle_deg, 1.0)
        cos, sin = abs(turn[0, 0]), abs(turn[0, 1])
        size = (round(cols * cos + rows * sin), round(cols * sin + rows * cos))
        turn[:, 2] += [(size[0] - cols) / 2, (size[1] - rows) / 2]
        grey = cv2.warpAffine(grey, turn, size, flags=cv2.INTER_LINEAR, borderValue=255)
    x_dpi = y_dpi = sheet.dpi
    if condition.startswith("fax"):
        fine = condition == "fax"
        grey = fax(grey, rng, dpi=sheet.dpi, fine=fine)
        x_dpi, y_dpi = 204.0, 196.0 if fine else 98.0
    else:
        grey = CONDITIONS[condition](grey, rng)
    return MadePage(grey, x_dpi, y_dpi, tuple(sheet.tables), angle_deg, condition, family)


# --- made-up tables ---------------------------------------------------------------------------


def _column_maker(rng: Rng, allowed: frozenset[str], *, held: bool) -> tuple[str, object, str]:
    """Choose a column's kind; return its heading, a maker of values, and its alignment."""
    kind = int(rng.integers(9))
    places = int(rng.choice([0, 1, 2, 2, 3]))
    top = int(rng.choice([20, 100, 1000, 20000, 1_000_000]))

    def money() -> str:
        value = rng.uniform(0, top)
        return f"{value:,.{places}f}" if rng.random() > 0.04 else f"({value:,.{places}f})"

    makers: list[tuple[object, str]] = [
        (money, "r"),
        (money, "r"),
        (lambda: str(rng.integers(0, top)), "r"),
        (lambda: make_number(rng), "r"),
        (lambda: make_date(rng), "l"),
        (lambda: make_code(rng), "l"),
        (lambda: make_name(rng, held=held), "l"),
        (lambda: make_word(rng, held=held), "l"),
        (lambda: make_phrase(rng, held=held), "l"),
    ]
    maker, align = makers[kind]
    heading = make_word(rng, held=held).strip(".,:;?!()").capitalize()
    return heading, maker, align


def _clean(text: str, allowed: frozenset[str]) -> str:
    return " ".join("".join(c for c in text if c in allowed).split())


def _wrap(text: str, font: ImageFont.FreeTypeFont, room: float) -> str:
    """Break a text into lines that fit; words that alone do not fit are cut."""
    lines: list[str] = []
    for word in text.split(" "):
        grown = f"{lines[-1]} {word}" if lines else word
        if lines and font.getlength(grown) <= room:
            lines[-1] = grown
        else:
            cut = word
            while len(cut) > 1 and font.getlength(cut) > room:
                cut = cut[:-1]
            lines.append(cut)
    return "\n".join(lines[:3])


def make_table(
    rng: Rng,
    style: Style,
    allowed: frozenset[str],
    room_in: tuple[float, float],
    *,
    held: bool = False,
    cols: int = 0,
) -> TableContent:
    """Make up a table that fits into ``room_in`` (width, height in inches).

    ``cols`` is the number of its columns, 0 for as many as chance will have it.
    """
    face_chars = style.face.chars & style.bold.chars & allowed
    cols = cols or int(rng.integers(3, 9))
    weights = rng.uniform(0.6, 1.6, cols)
    widths = tuple(float(w) for w in room_in[0] * weights / weights.sum())
    em_in = style.point / 72
    most = int(room_in[1] / (em_in * style.pitch_em))
    rows = int(rng.integers(min(5, most - 1), max(6, min(most, 45))))
    columns = [_column_maker(rng, allowed, held=held) for _ in range(cols)]
    headed = rng.random() < 0.35 and cols >= 4
    header_rows = 2 if headed else 1
    font = sized_font(style.face, style.point, 100)
    bold = sized_font(style.bold, style.point, 100)
    cells: list[CellContent] = []

    def put(row: int, col: int, text: str, row_span: int = 1, col_span: int = 1) -> None:
        room = (sum(widths[col : col + col_span]) - 2.4 * style.pad_em * em_in) * 100
        used = bold if row < header_rows else font
        cells.append(
            CellContent(row, col, _wrap(_clean(text, face_chars), used, room), row_span, col_span)
        )

    group = int(rng.integers(1, cols - 2)) if headed else -1
    size = int(rng.integers(2, min(4, cols - group))) if headed else 0
    for col, (heading, _, _) in enumerate(columns):
        if headed and group <= col < group + size:
            if col == group:
                put(0, col, make_word(rng, held=held).capitalize(), 1, size)
            put(1, col, heading)
        elif headed:
            put(0, col, heading, 2)
        else:
            put(0, col, heading)
    wrap_col = next((c for c, (_, _, a) in enumerate(columns) if a == "l"), -1)
    height = style.pitch_em * em_in * header_rows
    for row in range(header_rows, rows):
        for col, (_, maker, _) in enumerate(columns):
            blank = rng.random() < 0.07
            text = "" if blank else maker()  # type: ignore[operator]  # a maker of texts
            put(row, col, text)
            if col != wrap_col or rng.random() < 0.8:  # most cells stay on one line
                cells[-1] = replace(cells[-1], text=cells[-1].text.split("\n")[0])
        lines = max(c.text.count("\n") for c in cells[-cols:]) + 1
        height += em_in * (style.pitch_em + (lines - 1) * style.leading_em)
        if height > room_in[1]:
            rows = row + 1
            break
    return TableContent(tuple(cells), rows, widths, "".join(a for _, _, a in columns), header_rows)


def choose_style(rng: Rng, faces: Sequence[Face]) -> Style:
    """Choose a face and a way of drawing tables."""
    families = sorted({f.family for f in faces})
    family = families[int(rng.integers(len(families)))]
    own = [f for f in faces if f.family == family]
    plain = next((f for f in own if not f.bold and not f.italic), own[0])
    bold = next((f for f in own if f.bold and not f.italic), plain)
    typed = plain.kind == "typewriter"
    return Style(
        face=plain,
        bold=bold if rng.random() < 0.6 and not typed else plain,
        point=float(rng.uniform(7.5, 12)),
        pitch_em=float(rng.uniform(1.55, 2.6)),
        rule_pt=float(rng.choice([0.3, 0.5, 0.75, 1.0])),
        rule_level=int(rng.choice([0, 0, 60, 120])),
        frame=str(rng.choice(["single", "double", "thick"])),
        strike=float(rng.uniform(0.2, 0.9)) if typed else 0.0,
    )


def suit_paper(style: Style, condition: str) -> Style:
    """Give a style rules that its paper keeps: machines of one bit lose grey and thin ones."""
    if condition in {"clean", "office"}:
        return style
    return replace(style, rule_level=0, rule_pt=max(style.rule_pt, 0.75))


def make_page(
    rng: Rng,
    faces: Sequence[Face],
    allowed: frozenset[str],
    *,
    condition: str = "clean",
    dpi: float = 300.0,
    most_skew_deg: float = 5.0,
    held: bool = False,
    ruling: str = "full",
) -> MadePage:
    """Make a page of one or two tables, sometimes with a title; ``ruling`` as in ``Style``."""
    style = replace(suit_paper(choose_style(rng, faces), condition), ruling=ruling)
    sheet = Sheet(dpi)
    width = float(rng.uniform(5.2, 7.2))
    left = float(rng.uniform(0.5, 8.27 - 0.5 - width))
    top = float(rng.uniform(0.8, 1.6))
    bottom = 11.0
    if rng.random() < 0.6:
        chars = style.face.chars & allowed
        title = _clean(make_phrase(rng, held=held), chars)
        sheet.write((left, top), title, style.bold, style.point * 1.3, rng, style.strike)
        top += style.point / 72 * 1.6
    two = rng.random() < 0.3
    for room in ((bottom - top) * 0.42, 0.0) if two else ((bottom - top) * rng.uniform(0.4, 1.0),):
        room_in = (width, room or bottom - top)
        content = make_table(rng, style, allowed, room_in, held=held)
        drawn = sheet.draw_table(content, (left, top), style, rng)
        top = drawn.box[3] / dpi + float(rng.uniform(0.35, 0.7))
        if bottom - top < 2.0:
            break
    angle = float(rng.uniform(-most_skew_deg, most_skew_deg)) if rng.random() < 0.8 else 0.0
    return finish_page(sheet, rng, condition=condition, angle_deg=angle, family=style.face.family)


def make_neighbours(
    rng: Rng,
    faces: Sequence[Face],
    allowed: frozenset[str],
    *,
    beside: bool,
    condition: str = "clean",
    dpi: float = 300.0,
    held: bool = False,
    ruling: str = "none",
) -> MadePage:
    """Make a page of two tables close together: beside each other and level, or stacked.

    Half of them have the same form: columns of the same kinds and widths under the same headings,
    as where a long list is set in two halves; the others have only their style in common.
    """
    style = replace(suit_paper(choose_style(rng, faces), condition), ruling=ruling)
    sheet = Sheet(dpi)
    same = rng.random() < 0.5
    em_in = style.point / 72
    width = float(rng.uniform(2.9, 3.4) if beside else rng.uniform(4.0, 7.0))
    cols = int(rng.integers(2, 5) if beside else rng.integers(3, 7))
    most = A4_IN[1] - 2.0 if beside else A4_IN[1] / 2 - 1.2
    room_in = (width, min(float(rng.uniform(12, 30)) * em_in * style.pitch_em, most))
    first = make_table(rng, style, allowed, room_in, held=held, cols=cols)
    while same and first.rows < _LEAST_PARTED:
        first = make_table(rng, style, allowed, room_in, held=held, cols=cols)
    other = make_table(rng, style, allowed, room_in, held=held, cols=cols)
    if same:
        first, other = _as_one_form(first, rng)
    left, top = 0.4, float(rng.uniform(0.8, 1.6))
    drawn = sheet.draw_table(first, (left, top), style, rng)
    if beside:
        left += width + float(rng.uniform(0.25, 0.6))
    else:  # less than a title's room
        top = drawn.box[3] / dpi + float(rng.uniform(0.7, 1.6)) * em_in * style.pitch_em
    sheet.draw_table(other, (left, top), style, rng)
    return finish_page(sheet, rng, condition=condition, angle_deg=0.0, family=style.face.family)


def _as_one_form(table: TableContent, rng: Rng) -> tuple[TableContent, TableContent]:
    """Part a table into two of the same form: a heading each, and half of the rows or so."""
    head = table.header_rows
    cut = int(rng.integers(max(head + 2, table.rows // 3), max(head + 3, 2 * table.rows // 3)))
    upper = tuple(c for c in table.cells if c.row < cut)
    lower = tuple(
        c if c.row < head else replace(c, row=c.row - cut + head)
        for c in table.cells
        if c.row < head or c.row >= cut
    )
    return (
        replace(table, cells=upper, rows=cut),
        replace(table, cells=lower, rows=table.rows - cut + head),
    )
