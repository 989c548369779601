"""Pages of manuals to train on: ``python -m training.manuals fetch|list|render``.

Documentation of Debian packages that comes as HTML has tables made by many hands, between
paragraphs, lists and listings; its markup tells which text is which cell. A browser prints parts of
it in looks by chance. Nothing of it is kept in the repository.
"""

from __future__ import annotations

import argparse
import html
import json
import re
import subprocess
import sys
import zlib
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from contextlib import closing
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import cv2
import lxml.html
import numpy as np
import pypdfium2 as pdfium
from lxml import etree
from numpy.typing import NDArray

from synth.faces import Face, load_faces
from synth.press.model import tag_hex
from synth.press.setting import SettingError, print_html
from synth.press.truth import (
    CellPlace,
    PageChars,
    PressPage,
    TableGrid,
    TextTruth,
    lie_over,
    lines_of,
    read_chars,
)
from training.roles import CHARACTERS, MATERIAL, keep_printed, write_pages

FOLDER = MATERIAL.parent / "manuals"
_NAMES = Path(__file__).with_suffix(".txt")
_INDEX = FOLDER / "files.json"
_PROCESSES, _HELD = 2, 8
_BATCH, _BARE, _TRIES, _FACES = 16, 0.15, 30, 40
_MOST_STRANGE, _LEAST_SAID = 0.02, 300
_MOST_BYTES, _MOST_FILES = 800_000, 50
_MOST_CELL, _MOST_MEAN, _MOST_ROWS, _MOST_COLS = 700, 140, 90, 14
_LEAST_FILLED = 0.55
_MOST_OFF_PT = 0.6
_AROUND, _MOST_BLOCK = 3500, 4000
_LEAST_CHARACTERS, _LEAST_LINES = 40, 2

_BOLD = frozenset({"b", "strong"})
_SLANTED = frozenset({"i", "em", "var", "cite", "dfn"})
_TYPED = frozenset({"code", "tt", "kbd", "samp"})
_SMALL = frozenset({"sub", "sup"})
_INLINE = (
    _BOLD
    | _SLANTED
    | _TYPED
    | _SMALL
    | {"a", "span", "small", "big", "u", "abbr", "q", "font", "acronym", "mark", "s", "del", "ins"}
    | {"label", "br", "wbr", "nobr", "bdi", "time"}
)
_DROPPED = frozenset({
    "script", "style", "img", "svg", "nav", "header", "footer", "form", "input", "button", "iframe",
    "video", "audio", "noscript", "link", "meta", "head", "object", "embed", "select", "textarea",
    "canvas", "map", "math", "hr", "colgroup", "col", "title",
})  # fmt: skip
_ITEMS = frozenset({"ul", "ol", "dl", "blockquote"})
_KEPT = _ITEMS | {"li", "dt", "dd", "p", "h1", "h2", "h3", "h4", "h5", "h6", "pre"}
_PLACES = frozenset({"div", "ul", "td", "table", "p"})
_NO_PLACE = re.compile(
    r"nav|sidebar|related|toolbar|search|footer|header-|mem|mlabel|linenos|tabs|menu|breadcrumb"
)
_NOTE = re.compile(r"\b(note|warning|tip|important|caution|admonition|example|sidebar|seealso)\b")
_NOT_DATA = re.compile(r"mem|mlabel|nav|field-list|highlighttable|indextable|layout|footnote")
_CAPTION = re.compile(r"^(Table|Tab\.|Tabelle|Tableau|Tabla|Listing|Exhibit)\s*[\dA-Z]")
_WIDE_GAP = re.compile(r"\S {3,}\S|\t")
_FIGURES = re.compile(r"^[\s\d.,+\-−–%$€£()/:x×e]+$")
_NUMBER = re.compile(r'k="(\d+)"')
_BLANKS = re.compile(r"\s+")


@dataclass
class _Part:
    """A block of a manual: its markup, how many characters it has, and whether it is a table."""

    markup: str
    size: int
    table: bool


@dataclass
class Manual:
    """What a file says: its blocks in order, its texts with their roles, its tables."""

    parts: list[_Part] = field(default_factory=list)
    texts: list[tuple[str, str]] = field(default_factory=list)
    tables: list[TableGrid] = field(default_factory=list)

    def add(self, role: str, text: str) -> int:
        """Add a text and return its number."""
        self.texts.append((role, text))
        return len(self.texts) - 1


def read_manual(data: bytes) -> Manual:
    """Read a file of HTML; what is no text or stands beside the contents is left out.

    Raises
    ------
    lxml.etree.ParserError
        Where there is nothing in it.
    """
    tree = lxml.html.document_fromstring(data)
    body = tree.find("body")
    manual = Manual()
    if body is not None:
        _read_blocks(manual, body)
    return manual


def _class_of(element: Any) -> str:
    return f"{element.get('class') or ''} {element.get('id') or ''}".lower()


def _is_dropped(element: Any) -> bool:
    return (
        not isinstance(element.tag, str)
        or element.tag in _DROPPED
        or (
            element.tag in {"div", "ul", "td", "table", "p"}
            and bool(_NO_PLACE.search(_class_of(element)))
        )
    )


def _is_inline(element: Any) -> bool:
    return (
        isinstance(element.tag, str)
        and element.tag in _INLINE
        and all(_is_inline(child) for child in element if isinstance(child.tag, str))
    )


def _words(text: str | None, *, exact: bool) -> str:
    plain = text or ""
    return html.escape(plain if exact else _BLANKS.sub(" ", plain))


def _read_inline(element: Any, *, exact: bool) -> str:
    """Return the markup of what stands in a line."""
    if not isinstance(element.tag, str) or element.tag in _DROPPED:
        return ""
    if element.tag in {"br", "wbr"}:
        return "<br>" if element.tag == "br" else "<wbr>"
    inner = _words(element.text, exact=exact)
    for child in element:
        inner += _read_inline(child, exact=exact) + _words(child.tail, exact=exact)
    for tags, name in ((_BOLD, "b"), (_SLANTED, "i"), (_TYPED, "code")):
        if element.tag in tags:
            return f"<{name}>{inner}</{name}>"
    return f"<{element.tag}>{inner}</{element.tag}>" if element.tag in _SMALL else inner


def _bare(markup: str) -> str:
    return html.unescape(re.sub(r"<[^>]*>", " ", markup))


def _read_runs(manual: Manual, element: Any, key: int | None, role: str) -> str:
    """Return the markup of an element's contents, each text of it with its number.

    With ``key`` all of it is one text.
    """
    exact = element.tag == "pre"
    out, run = "", _words(element.text, exact=exact)

    def close() -> str:
        nonlocal run
        said, run = run, ""
        if not _bare(said).strip():
            return ""
        number = manual.add(role, _bare(said)) if key is None else key
        return f'<span k="{number}">{said}</span>'

    for child in element:
        if _is_inline(child):
            run += _read_inline(child, exact=exact)
        else:
            out += close()
            if not _is_dropped(child):
                inner = _read_runs(manual, child, key, _role_of(child, role))
                name = child.tag if child.tag in _KEPT else "div"
                out += f"<{name}>{inner}</{name}>" if inner else ""
        run += _words(child.tail, exact=exact)
    return out + close()


def _role_of(element: Any, role: str) -> str:
    """Return the role of an element's text; of aligned listings it is unknown."""
    if element.tag == "pre":
        lines = (element.text_content() or "").splitlines()
        return "unknown" if sum(bool(_WIDE_GAP.search(s.strip())) for s in lines) > 1 else "code"
    said = (element.text_content() or "").strip()
    if element.tag in {"p", "div", "caption"} and _CAPTION.match(said) and len(said) < 200:
        return "caption"
    return role


def _read_blocks(manual: Manual, element: Any) -> None:
    """Add an element's blocks; what only holds others is left out."""
    run = _words(element.text, exact=False)

    def close() -> None:
        nonlocal run
        said, run = run, ""
        if _bare(said).strip():
            number = manual.add("text", _bare(said))
            markup = f'<p><span k="{number}">{said}</span></p>'
            manual.parts.append(_Part(markup, len(said), table=False))

    for child in element:
        if _is_inline(child):
            run += _read_inline(child, exact=False)
        elif not _is_dropped(child):
            close()
            _read_block(manual, child)
        run += _words(child.tail, exact=False)
    close()


def _read_block(manual: Manual, element: Any) -> None:
    if element.tag == "table":
        made = _read_table(manual, element)
        if made:
            manual.parts.append(_Part(made, len(element.text_content()), table=True))
            return
    noted = bool(_NOTE.search(_class_of(element)))
    if element.find(".//table") is not None or not (noted or element.tag in _KEPT):
        _read_blocks(manual, element)
        return
    size = len(element.text_content())
    if size > _MOST_BLOCK:
        return
    inner = _read_runs(manual, element, None, _role_of(element, "text"))
    if inner:
        name, more = (element.tag, "") if element.tag in _KEPT else ("div", " class='note'")
        manual.parts.append(_Part(f"<{name}{more}>{inner}</{name}>", size, table=False))


# --- tables ---------------------------------------------------------------------------------


def _read_table(manual: Manual, table: Any) -> str:
    """Add a table and return its markup; empty for what is only laid out as one."""
    if _NOT_DATA.search(_class_of(table)) or table.find(".//table") is not None:
        return ""
    rows = [r for r in table.iter("tr") if r.find("td") is not None or r.find("th") is not None]
    placed, cols = _place_cells(rows)
    said = [_BLANKS.sub(" ", c.text_content() or "").strip() for c, *_ in placed]
    lengths = [len(s) for s in said if s]
    if (
        not 2 <= len(rows) <= _MOST_ROWS
        or not 2 <= cols <= _MOST_COLS
        or not lengths
        or max(lengths) > _MOST_CELL
        or sum(lengths) > _MOST_MEAN * len(lengths)
        or len(lengths) < _LEAST_FILLED * len(placed)
        or any(c.find(".//pre") is not None for c, *_ in placed)
    ):
        return ""
    heading = _count_headings(table, rows)
    cells, out = [], [""] * len(rows)
    for (cell, row, col, high, wide), text in zip(placed, said, strict=True):
        inner = ""
        if text:
            number = manual.add("cell", text)
            inner = _read_runs(manual, cell, number, "cell")
            if not inner:
                continue
            cells.append(CellPlace(row, col, high, wide, number, free=False))
        name = "th" if row < heading or cell.tag == "th" else "td"
        figures = " class='n'" if text and _FIGURES.match(text) else ""
        spans = f" rowspan={high}" * (high > 1) + f" colspan={wide}" * (wide > 1)
        out[row] += f"<{name}{spans}{figures}>{inner}</{name}>"
    caption, above = -1, ""
    said_above = table.find("caption")
    if said_above is not None and (said_above.text_content() or "").strip():
        caption = manual.add("caption", said_above.text_content())
        above = f"<caption>{_read_runs(manual, said_above, caption, 'caption')}</caption>"
    manual.tables.append(TableGrid(len(rows), cols, heading, tuple(cells), caption))
    top = "".join(f"<tr>{r}</tr>" for r in out[: max(0, heading)])
    rest = "".join(f"<tr>{r}</tr>" for r in out[max(0, heading) :])
    return f"<table>{above}<thead>{top}</thead><tbody>{rest}</tbody></table>"


def _place_cells(rows: Sequence[Any]) -> tuple[list[tuple[Any, int, int, int, int]], int]:
    """Return each cell with its row, column, rows and columns, and how many columns there are."""
    taken: set[tuple[int, int]] = set()
    out, cols = [], 0
    for row, element in enumerate(rows):
        col = 0
        for cell in element:
            if cell.tag not in {"td", "th"}:
                continue
            while (row, col) in taken:
                col += 1
            high, wide = (_span_of(cell, n) for n in ("rowspan", "colspan"))
            high = min(high, len(rows) - row)
            taken |= {(row + r, col + c) for r in range(high) for c in range(wide)}
            out.append((cell, row, col, high, wide))
            col += wide
            cols = max(cols, col)
    return out, cols


def _span_of(cell: Any, name: str) -> int:
    value = (cell.get(name) or "1").strip()
    return min(40, max(1, int(value))) if value.isdecimal() else 1


def _count_headings(table: Any, rows: Sequence[Any]) -> int:
    """Return how many heading rows a table has; -1 where its markup does not tell."""
    top = table.find("thead")
    own = [r for r in rows if top is not None and r.getparent() is top]
    if own and len(own) < len(rows):
        return len(own)
    count = 0
    for row in rows[:4]:
        cells = [c for c in row if c.tag in {"td", "th"}]
        if not all(c.tag == "th" or _is_bold(c) for c in cells):
            break
        count += 1
    return count if 0 < count < len(rows) else -1


def _is_bold(cell: Any) -> bool:
    said = "".join((cell.text_content() or "").split())
    strong = "".join("".join(e.text_content().split()) for e in cell.iter("b", "strong"))
    return bool(said) and said == strong


# --- looks ----------------------------------------------------------------------------------


def _choose(rng: np.random.Generator, *options: Any) -> Any:
    return options[int(rng.integers(len(options)))]


def choose_look(rng: np.random.Generator, name: str, faces: Sequence[Face]) -> str:
    """Return the style of a manual by chance, as CSS; ``name`` is its class and its page's."""
    plain = [f for f in faces if f.kind in {"sans", "serif", "narrow"}]
    typed = [f for f in faces if f.kind in {"mono", "typewriter"}]
    text, head, mono = _choose(rng, *plain), _choose(rng, *plain), _choose(rng, *typed)
    head = text if rng.random() < 0.6 else head
    if rng.random() < 0.06:
        text = head = mono
    size = _choose(rng, "210mm 297mm", "210mm 297mm", "8.5in 11in", "148mm 210mm", "7in 9.25in")
    small = size.startswith(("148", "7"))
    point = rng.uniform(7.5, 10) if small else rng.uniform(8, 12)
    margin = rng.uniform(10, 18) if small else rng.uniform(14, 32)
    columns = 1 if small or rng.random() < 0.82 else 2
    grey = int(_choose(rng, 0, 0, 0, 60, 120, 180))
    colour = f"rgb({grey},{grey},{grey})"
    dash = _choose(rng, *["solid"] * 6, "dotted", "dashed")
    line = f"{rng.uniform(0.3, 1.3):.2f}pt {dash} {colour}"
    thick = f"{rng.uniform(0.8, 2):.2f}pt solid {colour}"
    d = f".{name}"
    t = f"{d} table"
    out = [
        f"@page {name}{{size:{size};margin:{margin + 4:.1f}mm {margin:.1f}mm;{_run_heads(rng)}}}",
        f"{d}{{page:{name};break-before:page;font:{point:.1f}pt/{rng.uniform(1.1, 1.5):.2f} "
        f"'{text.family}';column-count:{columns};column-gap:{rng.uniform(5, 9):.1f}mm}}",
        f"{d} h1,{d} h2,{d} h3,{d} h4,{d} h5{{font-family:'{head.family}';margin:0.9em 0 0.4em;"
        f"font-weight:{_choose(rng, 'bold', 'bold', 'normal')}}}",
        f"{d} h1,{d} h2{{font-size:{rng.uniform(1.2, 1.8):.2f}em}}{d} h3,{d} h4,{d} h5"
        f"{{font-size:{rng.uniform(1.0, 1.2):.2f}em}}",
        f"{d} p{{margin:{rng.uniform(0.2, 0.9):.2f}em 0;"
        f"text-align:{_choose(rng, 'justify', 'left')};"
        f"text-indent:{_choose(rng, '0', '0', '1.2em')}}}",
        f"{d} li{{margin:{_choose(rng, 0, 0.2, 0.5)}em 0}}{d} td p,{d} th p,{d} li p{{margin:0;"
        "text-indent:0}",
        f"{d} pre,{d} code{{font-family:'{mono.family}';font-size:{rng.uniform(0.8, 0.95):.2f}em}}",
        f"{d} pre{{white-space:pre-wrap;{_choose(rng, '', 'margin-left:2em', 'background:#eee')}}}",
        f"{d} .note{{margin:0.6em 0;{_choose(rng, '', 'padding:0.5em;border:' + line)};"
        f"{_choose(rng, '', 'background:#eee;padding:0.4em', 'margin-left:2em')}}}",
        f"{d} .note .note{{border:0}}",
        f"{t}{{border-collapse:collapse;font-size:{_choose(rng, 1, 1, 0.9, 0.85)}em;"
        f"margin:{rng.uniform(0.3, 1.4):.1f}em {_choose(rng, '0', '0', 'auto', '1.5em')};"
        f"width:{_choose(rng, 'auto', 'auto', 'auto', '100%', '100%', '85%')}}}",
        f"{t} td,{t} th{{padding:{_choose(rng, 0, 0.5, 1, 2, 3):.1f}pt {rng.uniform(2, 9):.1f}pt;"
        f"vertical-align:{_choose(rng, 'top', 'top', 'top', 'middle', 'baseline')};"
        f"text-align:{_choose(rng, 'left', 'left', 'left', 'left', 'justify', 'center')}}}",
        f"{t} .n{{text-align:{_choose(rng, 'left', 'right', 'right', 'center')}}}",
        f"{t} tbody th{{font-weight:{_choose(rng, 'normal', 'bold')}}}",
        f"{t} thead th{{font-weight:{_choose(rng, 'bold', 'bold', 'bold', 'normal')};"
        f"text-align:{_choose(rng, 'left', 'left', 'center')};"
        f"vertical-align:{_choose(rng, 'bottom', 'top', 'middle')}}}",
        f"{d} caption{{caption-side:{_choose(rng, 'top', 'top', 'bottom')};padding:3pt 0;"
        f"font-weight:{_choose(rng, 'normal', 'bold')};"
        f"text-align:{_choose(rng, 'left', 'center', 'center')}}}",
        f"{d} tr{{break-inside:avoid}}",
        *(f"{t} {rule}" for rule in _choose_rules(rng, line, thick)),
    ]
    return "".join(out)


def _choose_rules(rng: np.random.Generator, line: str, thick: str) -> list[str]:
    """Return the rules and grounds of a manual's tables, each after ``table``."""
    edge = _choose(rng, line, thick)
    ends = [
        f"{{border-top:{edge};border-bottom:{edge}}}",
        f"thead tr:last-child th{{border-bottom:{line}}}",
    ]
    band = int(rng.integers(190, 245))
    shaded = f"thead th{{background:rgb({band},{band},{band})}}"
    dark = int(rng.integers(20, 110))
    kinds = [
        *[[]] * 3,
        *[[f":is(td,th){{border:{line}}}"]] * 4,
        [f"tr{{border-bottom:{line}}}", f"thead th{{border-bottom:{edge}}}"],
        [f"tr{{border-bottom:{line}}}", f"{{border-top:{edge};border-bottom:{edge}}}"],
        [f"thead tr:last-child th{{border-bottom:{edge}}}"],
        *[ends] * 4,
        [f"{{border:{edge}}}", f"thead tr:last-child th{{border-bottom:{line}}}"],
        [f"{{border:{edge}}}"],
        [f"tr:nth-child(even) td{{background:rgb({band},{band},{band})}}", *ends[:1]],
        [f"thead th{{background:rgb({dark},{dark},{dark});color:#fff}}"],
        [f"td+td{{border-left:{line}}}", ends[1]],
        [f"td:first-child{{border-right:{line}}}", *ends],
    ]
    return [*_choose(rng, *kinds), *[shaded] * (rng.random() < 0.15)]


def _run_heads(rng: np.random.Generator) -> str:
    """Return running heads and page numbers at chance places of a page's margin."""
    words = ("Chapter", "Manual", "Reference", "Guide", "Version", "Section", "Notes", "Appendix")
    title = " ".join(str(_choose(rng, *words)) for _ in range(int(rng.integers(1, 4))))
    title += f" {int(rng.integers(1, 20))}.{int(rng.integers(9))}"
    number = _choose(rng, "counter(page)", "'Page ' counter(page)", "'– ' counter(page) ' –'")
    out = ""
    if rng.random() < 0.6:
        out += f"@top-{_choose(rng, 'left', 'center', 'right')}{{content:'{title}';font-size:8pt}}"
    if rng.random() < 0.7:
        place = _choose(rng, "bottom-center", "bottom-right", "bottom-left")
        out += f"@{place}{{content:{number};font-size:8pt}}"
    return out


# --- pages ----------------------------------------------------------------------------------


def take_window(manual: Manual, rng: np.random.Generator, *, bare: bool) -> list[_Part]:
    """Return some of a manual's blocks in order: those around a table, or around none."""
    wanted = [k for k, p in enumerate(manual.parts) if p.table != bare]
    if not wanted:
        return []
    at = wanted[int(rng.integers(len(wanted)))]
    first, last = at, at + 1
    before, after = rng.uniform(0, _AROUND, 2)
    while first > 0 and before > 0:
        first -= 1
        before -= manual.parts[first].size
    while last < len(manual.parts) and after > 0:
        after -= manual.parts[last].size
        last += 1
    return manual.parts[first:last]


def write_manuals(
    windows: Sequence[tuple[Manual, Sequence[_Part]]],
    looks: Sequence[str],
    faces: Sequence[Face],
    *,
    tagged: bool,
) -> str:
    """Return one HTML file of parts of manuals; where ``tagged``, each text has its colour."""
    out = ["<!doctype html><html lang='en'><head><meta charset='utf-8'><style>"]
    out += [f"@font-face{{font-family:'{f.family}';src:url('{f.path.as_uri()}')}}" for f in faces]
    out += [*looks, "</style></head><body>"]
    first = 0
    for k, (manual, parts) in enumerate(windows):
        text = "".join(p.markup for p in parts)

        def colour(match: re.Match[str], first: int = first) -> str:
            return f"style='color:#{tag_hex(first + int(match[1]))}'" if tagged else ""

        out.append(f"<div class='m{k}'>{_NUMBER.sub(colour, text)}</div>")
        first += len(manual.texts)
    return "".join([*out, "</body></html>"])


def find_manual_truth(plain: bytes, tagged: bytes, manuals: Sequence[Manual]) -> list[PressPage]:
    """Return the truth of each page; a table that is cut by its end is two."""
    firsts = np.cumsum([0, *[len(m.texts) for m in manuals]])
    found = []
    with closing(pdfium.PdfDocument(plain)) as a, closing(pdfium.PdfDocument(tagged)) as b:
        if len(a) != len(b):
            return []
        for number in range(len(b)):
            marked, bare = read_chars(b[number]), read_chars(a[number])
            known = marked.tags[(marked.tags >= 0) & (marked.tags < firsts[-1])]
            if (
                len(known) < _LEAST_CHARACTERS
                or len(bare.text) != len(marked.text)
                or np.abs(bare.boxes - marked.boxes).max() > _MOST_OFF_PT
            ):
                continue
            own = int(np.bincount(np.searchsorted(firsts, known, side="right") - 1).argmax())
            page = _make_truth(manuals[own], marked, int(firsts[own]), number)
            if page is not None:
                found.append(page)
    return found


def _make_truth(manual: Manual, chars: PageChars, first: int, number: int) -> PressPage | None:
    texts: list[TextTruth] = []
    place: dict[int, int] = {}
    for own in np.unique(chars.tags).tolist():
        if not first <= own < first + len(manual.texts):
            continue
        role, said = manual.texts[own - first]
        lines = lines_of(chars.boxes[chars.tags == own], turned=False)
        places = np.array(lines)
        if places[:, :2].min() < 0 or (places[:, 2:] > chars.size).any():
            return None
        place[own - first] = len(texts)
        texts.append(TextTruth(role, said, tuple(lines)))
    if lie_over([line for t in texts for line in t.lines]):
        return None
    tables = []
    for table in manual.tables:
        cells = [replace(c, text=place[c.text]) for c in table.cells if c.text in place]
        if not cells:
            continue
        left = _keep_filled(table, cells)
        if min(left.rows, left.cols) >= _LEAST_LINES:
            tables.append(left)
            continue
        for cell in cells:  # nobody could tell that it is a part of a table
            texts[cell.text] = replace(texts[cell.text], role="unknown")
    return PressPage("manual", number, chars.size, tuple(texts), tuple(tables))


def _keep_filled(table: TableGrid, cells: Sequence[CellPlace]) -> TableGrid:
    """Return what is left of a table: the rows and columns in which some cell begins."""
    rows, cols = (sorted({getattr(c, n) for c in cells}) for n in ("row", "col"))
    moved = []
    for c in cells:
        high = sum(c.row <= r < c.row + c.row_span for r in rows)
        wide = sum(c.col <= k < c.col + c.col_span for k in cols)
        place = (rows.index(c.row), cols.index(c.col), high, wide)
        moved.append(CellPlace(*place, c.text, free=False))
    heads = sum(r < table.header_rows for r in rows)
    if table.header_rows < 0 and 0 in rows:
        heads = -1
    return TableGrid(len(rows), len(cols), heads, tuple(moved), -1)


def print_pages(seed: int, *, held: bool) -> tuple[bytes, list[PressPage]]:
    """Print parts of manuals by chance; return the PDF and the truth of its pages.

    Raises
    ------
    SettingError
        When the browser fails.
    """
    rng = np.random.default_rng([739, seed])
    every = load_faces("val" if held else "train")
    faces = tuple(every[int(k)] for k in rng.permutation(len(every))[:_FACES])
    listed = _Listed.load(held=held)
    windows: list[tuple[Manual, list[_Part]]] = []
    for _ in range(_BATCH * _TRIES):
        path = listed.choose(rng)
        manual = None if path is None else _load_manual(path)
        if manual is None:
            continue
        parts = take_window(manual, rng, bare=not manual.tables or rng.random() < _BARE)
        if parts:
            windows.append((manual, parts))
        if len(windows) == _BATCH:
            break
    looks = [choose_look(rng, f"m{k}", faces) for k in range(len(windows))]
    plain, tagged = (
        print_html(write_manuals(windows, looks, faces, tagged=t)) for t in (False, True)
    )
    return plain, find_manual_truth(plain, tagged, [m for m, _ in windows])


def render(seed: int, *, ink_share: float) -> Iterator[dict[str, NDArray[Any]]]:
    """Print parts of manuals by chance, and yield what is kept of each page."""
    try:
        plain, pages = print_pages(seed, held=False)
    except SettingError as error:
        sys.stdout.write(f"{error}\n")
        return
    yield from keep_printed(plain, pages, seed, ink_share)


@dataclass(frozen=True)
class _Listed:
    """Files by package, and how many columns the widest table of each has."""

    packages: tuple[dict[str, int], ...]

    @classmethod
    def load(cls, *, held: bool) -> _Listed:
        """Load what :func:`list_files` wrote: the packages to train on, or those held out."""
        listed = json.loads(_INDEX.read_text(encoding="utf-8"))
        return cls(tuple(f for f in listed if f and _is_held(next(iter(f))) == held))

    def choose(self, rng: np.random.Generator) -> Path | None:
        """Return a file by chance: of any package alike, those with wider tables more often."""
        least, most = _choose(rng, *[(4, 99)] * 7, *[(3, 3)] * 6, *[(2, 2)] * 3, *[(0, 0)] * 4)
        fitting = [
            [path for path, cols in files.items() if least <= cols <= most]
            for files in self.packages
        ]
        fitting = [files for files in fitting if files]
        return Path(_choose(rng, *_choose(rng, *fitting))) if fitting else None


def _is_held(path: str) -> bool:
    return zlib.crc32(Path(path).relative_to(FOLDER).parts[0].encode()) % _HELD == 0


def list_files() -> None:
    """Read some files of each package, and write down how wide their tables are."""
    folders = sorted(p for p in FOLDER.iterdir() if p.is_dir())
    with ProcessPoolExecutor(_PROCESSES) as pool:
        listed = list(pool.map(_list_folder, folders, chunksize=4))
    _INDEX.write_text(json.dumps(listed), encoding="utf-8")


def _list_folder(folder: Path) -> dict[str, int]:
    files = [f for f in sorted(folder.rglob("*.htm*")) if f.is_file() and "00Index" not in f.name]
    np.random.default_rng(1).shuffle(files)  # type: ignore[arg-type]
    out = {}
    for path in files[:_MOST_FILES]:
        manual = _load_manual(path)
        if manual is not None:
            out[str(path)] = max((t.cols for t in manual.tables), default=0)
    return out


def _load_manual(path: Path) -> Manual | None:
    """Return what a file says; None if it says little, or in other letters."""
    data = path.read_bytes()
    if len(data) > _MOST_BYTES:
        return None
    try:
        manual = read_manual(data)
    except (etree.ParserError, ValueError, RecursionError):
        return None
    said = "".join(t for _, t in manual.texts)
    strange = sum(c not in CHARACTERS and not c.isspace() for c in said)
    return manual if len(said) > _LEAST_SAID and strange <= _MOST_STRANGE * len(said) else None


def fetch() -> None:
    """Fetch the packages that are listed, and keep their files of HTML."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    for name in _NAMES.read_text(encoding="utf-8").split():
        tree = FOLDER / name
        if tree.exists():
            continue
        subprocess.run(["apt-get", "download", "-q", name], cwd=FOLDER, check=False)  # noqa: S603, S607
        for package in FOLDER.glob("*.deb"):
            beside = FOLDER / "part"
            subprocess.run(["dpkg-deb", "--extract", package, beside], check=True)  # noqa: S603, S607
            for path in beside.rglob("*"):
                if path.is_file() and not path.name.endswith((".html", ".htm", ".xhtml")):
                    path.unlink()
            beside.rename(tree)
            package.unlink()


def main() -> None:
    """Fetch manuals, or print parts of them."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("action", choices=("fetch", "list", "render"))
    parser.add_argument("first", type=int, nargs="?", default=0)
    parser.add_argument("last", type=int, nargs="?", default=40)
    parser.add_argument("--ink", type=float, default=0.5)
    args = parser.parse_args()
    if args.action != "render":
        (fetch if args.action == "fetch" else list_files)()
        return
    cv2.setNumThreads(1)
    for seed in range(args.first, args.last):
        write_pages(f"manual{seed:04d}", render(seed, ink_share=args.ink))


if __name__ == "__main__":
    main()
