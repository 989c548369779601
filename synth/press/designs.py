"""The designs of the press room: which program sets which page, and for which part of the work."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cache
from pathlib import Path
from typing import Literal

import msgspec
import numpy as np

from synth.press.contents import (
    Features,
    make_address,
    make_bullets,
    make_contents,
    make_definitions,
    make_form_lines,
    make_formulas,
    make_index,
    make_list,
    make_note,
    make_paragraph,
    make_program,
    make_table,
    make_title,
)
from synth.press.drawings import DRAWINGS
from synth.press.model import Block, Document, Drawing, Look, Row, Stack, Table, Text, Typed
from synth.press.words import Rng, make_sentence, pick

_CATALOGUE = Path(__file__).with_suffix(".toml")
Split = Literal["develop", "choose", "benchmark"]
PAGES = ("report", "sheet", "several", "beside", "form", "column")
PROSE = ("text", "list", "letter", "columns", "contents", "fields")
THREE = "three columns"
MORE_PROSE = ("code", "definitions", "formulas", "index", "bullets", "labels", "mixed", "drawn")
"""Further pages without a table, for training: no design of the catalogue has them."""
_DRAWN, _HALF_PT, _OFTEN = 6, 240.0, 0.5
_CROWDED = 0.2
_BARE = 0.65
_SELDOM = 0.15


@dataclass(frozen=True)
class Design:
    """How the pages of one design are made up.

    ``page`` is one of ``PAGES``, or without a table of ``PROSE`` or ``THREE``. ``caption`` is
    ``above``, ``below``, ``centred``, ``numbered``, ``bold``, ``stack`` (title and subtitle) or
    ``none``.
    ``typed`` pages have letters of one width; ``listed`` ones have them in their tables alone.
    """

    name: str
    program: str
    split: Split
    kind: str
    look: Look
    features: Features
    page: str
    caption: str
    faces: tuple[str, ...]
    point: tuple[float, float]
    typed: Typed | None = None
    listed: Typed | None = None


def make_document(rng: Rng, design: Design) -> Document:
    """Make up one page of a design."""
    blocks: list[Block] = []
    point = round(float(rng.uniform(*design.point)) * 2) / 2
    gap = float(rng.choice([3.0, 6.0, 8.0, 12.0]))
    if design.page in (*PROSE, *MORE_PROSE, THREE):
        blocks += _make_prose(rng, design.page)
    else:
        blocks += _make_page(rng, design)
    margin = (float(rng.uniform(15, 28)), float(rng.uniform(14, 26)))
    if design.page == "sheet":
        margin = (float(rng.uniform(12, 20)), float(rng.uniform(12, 22)))
    return Document(
        tuple(_plain(b) for b in blocks),
        pick(rng, design.faces),
        point,
        float(rng.choice([1.15, 1.25, 1.35])),
        margin_mm=margin,
        gap_pt=gap,
        design=design.name,
        typed=design.typed,
    )


_SIGNS = frozenset("£°§±²³¹¼½¾×÷–—‘’“”†‡•ªº¡¿«»")


def _plain(block: Block) -> Block:
    """Return a block with the characters that every program sets."""
    if isinstance(block, Text):
        return replace(block, text=_plain_text(block.text))
    if isinstance(block, Table):
        cells = (replace(c, text=_plain_text(c.text)) for c in block.cells)
        return replace(block, cells=tuple(c for c in cells if c.text))
    if isinstance(block, Drawing):
        return block
    return replace(block, blocks=tuple(_plain(b) for b in block.blocks))


def _plain_text(text: str) -> str:
    text = text.replace("\u2212", "\u2013")
    return "".join(
        c for c in text if " " <= c <= "~" or "\u00c0" <= c <= "\u00ff" or c in _SIGNS
    ).strip()


def _captioned(rng: Rng, design: Design, number: int, features: Features) -> list[Block]:
    """Return a table with its caption and notes, in their order."""
    look = design.look
    table = replace(make_table(rng, features, look), typed=design.listed)
    title = make_title(rng)
    align = "c" if design.caption == "centred" else "l"
    how = design.caption
    if features.long_caption:
        title += ". " + make_sentence(rng)
    out: list[Block] = [table]
    if how == "numbered":
        title = (
            f"{pick(rng, ('Table', 'TABLE', 'Tab.'))} {number}{pick(rng, ('.', ':', ' –'))} {title}"
        )
    caption = Text("caption", title, align, bold=how in ("bold", "stack"), italic=False)
    if features.set_captions:
        caption = _set_caption(rng, caption, numbered=how == "numbered")
        how = "below" if rng.random() < _OFTEN and how != "none" else how
    if how == "below":
        out = [table, caption]
    elif how == "stack":
        under = Text("subtitle", make_sentence(rng), align, italic=True)
        out = [caption, under, table]
    elif how != "none":
        out = [caption, table]
    elif design.listed is not None:
        out = [*make_program(rng, int(rng.integers(1, 4))), table]
    if rng.random() < 0.3 and how != "below":
        out += [Text("note", make_note(rng), size=0.85) for _ in range(features.notes)]
    return out


def _set_caption(rng: Rng, caption: Text, *, numbered: bool) -> Text:
    """Return a caption as books set it: a gap after its number, narrower than the page, long."""
    text = caption.text
    for _ in range(int(rng.choice([0, 0, 1, 2, 4]))):
        text += " " + make_sentence(rng)
    return replace(
        caption,
        text=text,
        align=pick(rng, ("l", "c", "c", "j")),
        size=float(rng.choice([1.0, 1.0, 0.9, 0.8])),
        inset=float(rng.choice([0, 0, 2, 5])),
        lead=2 if numbered else 0,
        gap=float(rng.choice([0, 0.3, 0.7, 1.2])),
        lead_bold=rng.random() < _OFTEN,
        bold=caption.bold and not numbered,
    )


def _make_page(rng: Rng, design: Design) -> list[Block]:
    f = design.features
    justify = "j" if rng.random() < 0.5 else "l"

    def prose(least: int = 2, most: int = 5) -> Text:
        return Text("paragraph", make_paragraph(rng, least, most), justify)

    out: list[Block] = []
    if design.page != "sheet" and rng.random() < 0.4:
        out.append(
            Text("running", "Brannock Sound Harbour Office", pick(rng, ("l", "c", "r")), size=0.85)
        )
    if design.page == "sheet":
        out += _captioned(rng, design, 1, f)
        return out
    if design.page == "form":
        fields = make_form_lines(rng, int(rng.integers(3, 6)))
        out.append(Text("heading", make_title(rng), "c", bold=True, size=1.3))
        out += fields
        out += _captioned(rng, design, 1, f)
        out.append(Text("paragraph", f"Amount due: £{rng.uniform(1, 900):.2f}", "r", bold=True))
        return out
    if design.page == "several":
        return [*out, *_make_several(rng, design, prose)]
    if design.page in ("beside", "column"):
        return [*out, *_make_beside(rng, design, prose)]
    if rng.random() < 0.5:
        out.append(Text("heading", make_title(rng), bold=True, size=1.25))
    if rng.random() < 0.8:
        out.append(prose())
    if f.among:
        out += _make_drawn(rng, 1) if f.among == "drawn" else _make_more(rng, f.among)[:8]
    out += _captioned(rng, design, int(rng.integers(1, 30)), f)
    if rng.random() < 0.7:
        out.append(prose())
    return out


def _make_several(rng: Rng, design: Design, prose: Callable[..., Text]) -> list[Block]:
    """Return two or three small tables below each other, most with prose between them."""
    f = design.features
    out: list[Block] = []
    for number in range(1, int(rng.integers(2, 4)) + 1):
        small = replace(f, rows=(3, 7), cols=(min(2, f.cols[1]), min(4, f.cols[1])))
        if rng.random() < 0.7:
            out.append(prose(1, 2))
        out += _captioned(rng, design, number, small)
    return out


def _make_beside(rng: Rng, design: Design, prose: Callable[..., Text]) -> list[Block]:
    """Return two tables beside each other, or one in a column beside prose."""
    if design.page == "beside":
        small = replace(design.features, rows=(4, 9), cols=(1, 2))
        both = tuple(Stack(tuple(_captioned(rng, design, k + 1, small))) for k in range(2))
        return [prose(), Row(both, (1.0, 1.0)), prose()]
    small = replace(design.features, rows=(4, 10), cols=(1, 2))
    left = Stack((prose(), *_captioned(rng, design, 1, small), prose()))
    right = Stack((prose(4, 6), prose(4, 6)))
    parts = (left, right) if rng.random() < 0.5 else (right, left)
    return [Row(parts, (1.0, 1.0))]


def _make_prose(rng: Rng, kind: str) -> list[Block]:
    justify = "j" if rng.random() < 0.5 else "l"
    out: list[Block] = [Text("heading", make_title(rng), bold=True, size=1.3)]
    if kind == "list":
        out.append(Text("paragraph", make_paragraph(rng), justify))
        out += make_list(rng, int(rng.integers(5, 14)))
    elif kind == "letter":
        out += make_address(rng)
        out += [Text("paragraph", make_paragraph(rng), justify) for _ in range(4)]
        out += make_address(rng)[:2]
    elif kind in {"columns", THREE}:
        wide, long = (3, 6) if kind == THREE else (2, 4)
        parts = tuple(
            Stack(tuple(Text("paragraph", make_paragraph(rng), justify) for _ in range(long)))
            for _ in range(wide)
        )
        out.append(Row(parts, (1.0,) * wide))
    elif kind == "contents":
        out += make_contents(rng, int(rng.integers(8, 20)))
    elif kind in MORE_PROSE:
        out += _make_more(rng, kind)
    elif kind == "fields":
        out += make_form_lines(rng, 6)
        out.append(Text("paragraph", make_paragraph(rng), justify))
    else:
        out += [Text("paragraph", make_paragraph(rng, 3, 7), justify) for _ in range(6)]
    return out


def _make_drawn(rng: Rng, most: int) -> list[Block]:
    """Return drawings, formulas and the like, with what is said about them."""
    out: list[Block] = []
    for number in range(int(rng.integers(1, most + 1))):
        wide = float(rng.choice([230.0, 300.0, 400.0, 450.0]))
        drawing = Drawing(DRAWINGS[pick(rng, tuple(DRAWINGS))](rng, wide))
        said = Text("paragraph", make_paragraph(rng, 1, 3), "j")
        under = pick(rng, ("", "", f"Figure {number + 1}. ", f"Fig. {number + 1}: "))
        if wide < _HALF_PT and rng.random() < _OFTEN:
            out.append(Row((Stack((drawing,)), Stack((said,))), (wide, _HALF_PT)))
        else:
            out += [drawing, said] if not under else [drawing]
        if under:
            out.append(Text("paragraph", under + make_title(rng), pick(rng, ("l", "c"))))
    return out


def _make_more(rng: Rng, kind: str) -> list[Block]:
    count = int(rng.integers(8, 26))
    if kind == "drawn":
        return _make_drawn(rng, 3)
    if kind == "index":
        wide = int(rng.integers(2, 4))
        parts = tuple(Stack(tuple(make_index(rng, count))) for _ in range(wide))
        return [Row(parts, (1.0,) * wide)]
    if kind == "labels":  # words here and there, as around a drawing
        rows = []
        for _ in range(count // 2):
            wide = int(rng.integers(1, 5))
            words = tuple(
                Text("paragraph", make_sentence(rng).split()[0], pick(rng, ("l", "c", "r")))
                for _ in range(wide)
            )
            rows.append(Row(words, tuple(rng.uniform(0.5, 2.0, wide).tolist())))
        return list(rows)
    makers: dict[str, Callable[[Rng, int], list[Text]]] = {
        "code": make_program,
        "definitions": make_definitions,
        "formulas": make_formulas,
        "bullets": make_bullets,
    }
    if kind in makers:
        return list(makers[kind](rng, count))
    out: list[Block] = []
    for _ in range(4):
        out.append(Text("paragraph", make_paragraph(rng), "j"))
        out += makers[pick(rng, tuple(makers))](rng, int(rng.integers(2, 8)))
    return out


@dataclass(frozen=True)
class _Program:
    split: Split
    faces: tuple[str, ...]


@dataclass(frozen=True)
class _Line:
    """One line of the catalogue."""

    name: str
    kind: str
    page: str = "report"
    caption: str = "above"
    point: tuple[float, float] = (8.5, 11.0)
    look: Look = field(default_factory=Look)
    features: Features = field(default_factory=Features)


@dataclass(frozen=True)
class _Catalogue:
    designs: tuple[_Line, ...]
    programs: dict[str, _Program]


@cache
def load_designs() -> tuple[Design, ...]:
    """Return all designs of the catalogue, ``designs.toml``."""
    found = msgspec.toml.decode(_CATALOGUE.read_bytes(), type=_Catalogue)
    out = []
    for line in found.designs:
        program = line.name.partition("-")[0]
        made = found.programs[program]
        out.append(
            Design(
                line.name,
                program,
                made.split,
                line.kind,
                line.look,
                line.features,
                line.page,
                line.caption,
                made.faces,
                line.point,
            )
        )
    return tuple(out)


def designs_of(split: Split) -> tuple[Design, ...]:
    """Return the designs of one part of the work."""
    return tuple(d for d in load_designs() if d.split == split)


def rng_of(design: Design, number: int) -> Rng:
    """Return the source of chance for one page of a design."""
    return np.random.default_rng([*design.name.encode(), number])


def sample_design(rng: Rng, faces: tuple[str, ...]) -> Design:
    """Return a design by chance, for training: any look with any contents."""
    lines = ("none", "none", "all", "groups", "five")
    cols = ("none", "none", "none", "all", "groups")
    frames = ("none", "none", "none", "single", "single", "thick", "double", "rounded", "sides")
    banded = rng.random() < 0.2
    look = Look(
        frame=pick(rng, frames),
        top=int(rng.choice([0, 0, 1, 2])),
        below_heading=int(rng.choice([0, 0, 1, 1, 1, 2, 3])),
        foot=int(rng.choice([0, 0, 1, 2])),
        rows=pick(rng, lines),  # type: ignore[arg-type]
        cols=pick(rng, cols),  # type: ignore[arg-type]
        after_stub=rng.random() < 0.12,
        spanners=rng.random() < 0.7,
        line=pick(rng, ("solid", "solid", "solid", "dotted", "dashed")),
        weight_pt=float(rng.choice([0.3, 0.5, 0.5, 0.75, 1.0])),
        level=int(rng.choice([0, 0, 0, 90, 160])),
        band=int(rng.choice([2, 2, 3, 4])) if banded else 0,
        band_level=int(rng.choice([205, 225, 240])),
        heading_band=pick(rng, ("none", "none", "none", "grey", "dark")),
        total=int(rng.choice([0, 1, 2])),
        blank_after=int(rng.choice([0, 0, 0, 0, 3, 5])),
        pad_pt=(float(rng.uniform(2, 9)), float(rng.uniform(0, 5))),
        wide=rng.random() < 0.35,
        bold_heading=rng.random() < 0.65,
        italic_heading=rng.random() < 0.15,
        valign=pick(rng, ("top", "top", "middle", "bottom")),
        heading_valign=pick(rng, ("bottom", "bottom", "middle", "middle", "top")),
        rule_pt=float(rng.choice([0, 0, 0, 1.5, 3, 5])),
        trim_pt=float(rng.choice([0, 1, 2, 4])),
        scale=float(rng.choice([1, 1, 1, 0.9, 0.8, 0.7])),
        place=pick(rng, ("left", "centre")),
        blank_share=float(rng.choice([0.4, 0.7, 1.0])),
        natural=rng.random() < 0.6,
        justified=rng.random() < 0.3,
    )
    features = Features(
        rows=(1 if rng.random() < 0.15 else 3, int(rng.choice([3, 8, 8, 15, 15, 25, 40]))),
        cols=(1 if rng.random() < 0.1 else 2, int(rng.choice([3, 5, 8]))),
        levels=int(rng.choice([0, 1, 1, 1, 1, 1, 2, 2, 3])),
        groups=pick(rng, ("none", "none", "none", "once", "merged", "bars", "indent")),
        totals=rng.random() < 0.35,
        wrap=int(rng.choice([0, 0, 0, 1, 1, 2, 3])),
        turned=rng.random() < 0.07,
        units=rng.random() < 0.15,
        leaders=rng.random() < 0.1,
        blanks=float(rng.choice([0, 0, 0, 0, 0.1, 0.35, 0.6])),
        marks=pick(rng, ("", "", "brackets", "signs", "currency", "credit", "notes", "dashes")),
        pounds=rng.random() < 0.07,
        blank_col=rng.random() < 0.07,
        twin=int(rng.choice([1] * 14 + [2, 3])),
        squeeze=float(rng.choice([0, 0, 0, 0, 0.45, 0.6, 0.8, 1.0])),
        long_heads=rng.random() < 0.35,
        centred=rng.random() < 0.12,
        long_caption=rng.random() < 0.15,
        notes=int(rng.choice([1, 1, 1, 2, 3])),
        over_stub=rng.random() < 0.1,
        partial=rng.random() < 0.6,
        wide_heads=rng.random() < 0.12,
        among=pick(
            rng, ("",) * 8 + ("code", "definitions", "formulas", "bullets", "drawn", "drawn")
        ),
        technical=rng.random() < 0.35,
        set_captions=rng.random() < 0.5,
        under=rng.random() < 0.06,
        open_stub=float(rng.choice([0] * 10 + [0.15, 0.5])),
        sparse=rng.random() < 0.15,
        narrow_stub=rng.random() < 0.3,
    )
    if features.twin > 1:
        look = replace(look, rows="none", frame="none")
    page = pick(
        rng,
        (
            *["report"] * 8,
            *["sheet"] * 3,
            "several",
            "several",
            "several",
            "beside",
            "beside",
            "form",
            "column",
            *PROSE,
            *MORE_PROSE,
            *["drawn"] * _DRAWN,
        ),
    )
    caption = pick(
        rng, ("above", "above", "below", "centred", "numbered", "numbered", "bold", "stack", "none")
    )
    point = (5.5, 7.5) if rng.random() < 0.1 else (7.5, 12.0)
    look, features = _sample_crowded(rng, look, features)
    return Design(
        "sample", "browser", "develop", "sampled", look, features, page, caption, faces, point
    )


def _sample_crowded(rng: Rng, look: Look, features: Features) -> tuple[Look, Features]:
    """Return a design whose cells may hold several lines or formulas, or whose table is short."""
    kind = rng.random()
    if kind < _CROWDED:  # text that wraps, with every cell ruled
        look = replace(look, frame="single", rows="all", cols="all", natural=False)
        features = replace(features, wrap=int(rng.integers(1, 4)), twin=1)
    elif kind < 2 * _CROWDED:
        features = replace(features, rows=(1, 3), groups="none", levels=min(1, features.levels))
    if rng.random() < _CROWDED:
        features = replace(features, stacked=float(rng.choice([0.3, 0.6, 1.0])))
    if rng.random() < _CROWDED:
        features = replace(features, formulas=float(rng.choice([0.3, 0.7])))
    return look, features


def sample_slip(rng: Rng, faces: tuple[str, ...]) -> Design:
    """Return the design of a small table without rules by chance, often by itself on its page."""
    design = sample_design(rng, faces)
    plain = Look(
        pad_pt=(float(rng.uniform(1.5, 10)), float(rng.uniform(0, 6))),
        bold_heading=rng.random() < _OFTEN,
        place=pick(rng, ("left", "left", "centre")),
        rule_pt=design.look.rule_pt,
        wide=rng.random() < _SELDOM,
    )
    features = Features(
        rows=(2, 10),
        cols=(1, int(rng.choice([1, 1, 2, 3]))),  # and the stub
        levels=int(rng.choice([0, 0, 1])),
        stub_last=rng.random() < _OFTEN,
        marks=design.features.marks,
        blanks=float(rng.choice([0, 0, 0.1])),
        technical=design.features.technical,
        sparse=rng.random() < _SELDOM,
    )
    page = pick(rng, ("sheet", "sheet", "report", "several"))
    caption = pick(rng, ("none", "none", "above", "numbered"))
    return replace(design, look=plain, features=features, page=page, caption=caption)


def sample_typed(rng: Rng, faces: tuple[str, ...]) -> Design:
    """Return the design of a typed page by chance, for training. ``faces`` are of one width."""
    design = _sample_for_typing(rng, faces)
    return replace(design, typed=_sample_typing(rng), point=(8.0, 12.0))


def sample_listed(rng: Rng, faces: tuple[str, ...]) -> Design:
    """Return a design by chance whose tables are a machine's listings in a page set otherwise."""
    design = _sample_for_typing(rng, faces)
    while design.page not in ("report", "several", "form"):
        design = _sample_for_typing(rng, faces)
    typed = _sample_typing(rng)
    if rng.random() < _BARE:  # columns one space apart, and no rules at all
        typed = replace(typed, gap=int(rng.choice([1, 1, 2])), bar="", framed=False, double=False)
        look = replace(design.look, top=0, below_heading=0, foot=0, rows="none", total=0)
        plain = replace(design.features, wrap=0, leaders=False)
        look = replace(look, spanners=False)
        design = replace(design, look=look, features=plain, caption="none")
    return replace(design, listed=replace(typed, margin=0))


def _sample_for_typing(rng: Rng, faces: tuple[str, ...]) -> Design:
    """Return a design by chance that can be set in letters of one width."""
    design = sample_design(rng, faces)
    while (
        design.page in ("beside", "column", "columns", "index", "labels", "drawn")
        or design.features.among == "drawn"
        or design.features.twin > 1
    ):
        design = sample_design(rng, faces)
    features = design.features
    cols = (features.cols[0], min(features.cols[1], 5))
    return replace(design, features=replace(features, turned=False, cols=cols))


def _sample_typing(rng: Rng) -> Typed:
    bar = pick(rng, ("", "", "", "|", "|", ":", "!"))
    rule = pick(rng, ("-", "-", "-", "=", "_", "."))
    return Typed(
        gap=int(rng.choice([1, 2, 2, 3, 4])) if not bar else 1,
        rule=rule,
        bar=bar,
        cross=pick(rng, ("+", rule)),
        whole=rng.random() < 0.5,
        framed=rng.random() < 0.15,
        double=rng.random() < 0.1,
        margin=int(rng.choice([0, 0, 2, 6])),
        underlined=rng.random() < 0.3,
        spaced=rng.random() < 0.5,
    )
