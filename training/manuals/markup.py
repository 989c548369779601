"""What a file of HTML says: its blocks in order, its texts with their roles, its tables."""

from __future__ import annotations

import html
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import lxml.html

from synth.press.truth import CellPlace, TableGrid

_MOST_CELL, _MOST_MEAN, _MOST_ROWS, _MOST_COLS = 700, 140, 90, 14
_LEAST_FILLED = 0.55
_MOST_BLOCK = 4000

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
_BLANKS = re.compile(r"\s+")


@dataclass(frozen=True)
class MarkedCell:
    """A cell: its place, its text's number (-1 where it is empty), and the markup within it."""

    row: int
    col: int
    row_span: int = 1
    col_span: int = 1
    text: int = -1
    inner: str = ""
    name: str = "td"

    def write(self) -> str:
        """Return its markup."""
        spans = f" rowspan={self.row_span}" * (self.row_span > 1)
        spans += f" colspan={self.col_span}" * (self.col_span > 1)
        figures = " class='n'" if self.inner and is_figures(_bare(self.inner)) else ""
        return f"<{self.name}{spans}{figures}>{self.inner}</{self.name}>"


@dataclass(frozen=True)
class MarkedTable:
    """A table: its cells in order, heading rows (-1 where nobody knows), caption (-1 for none).

    ``above`` is the markup of the caption; ``kinds`` are the classes of rows that have one.
    """

    rows: int
    cols: int
    heading: int
    cells: tuple[MarkedCell, ...]
    caption: int = -1
    above: str = ""
    kinds: tuple[tuple[int, str], ...] = ()

    @property
    def grid(self) -> TableGrid:
        """Return the truth of it: its cells with a text."""
        cells = tuple(
            CellPlace(c.row, c.col, c.row_span, c.col_span, c.text, free=False)
            for c in self.cells
            if c.text >= 0
        )
        return TableGrid(self.rows, self.cols, self.heading, cells, self.caption)

    def write(self) -> str:
        """Return its markup."""
        rows = [""] * self.rows
        for cell in sorted(self.cells, key=lambda c: (c.row, c.col)):
            rows[cell.row] += cell.write()
        kinds = dict(self.kinds)
        marked = [f"<tr class='{kinds[k]}'>{r}</tr>" if k in kinds else f"<tr>{r}</tr>"
                  for k, r in enumerate(rows)]  # fmt: skip
        head = max(0, self.heading)
        top, rest = "".join(marked[:head]), "".join(marked[head:])
        return f"<table>{self.above}<thead>{top}</thead><tbody>{rest}</tbody></table>"


@dataclass(frozen=True)
class Part:
    """A block of a manual: its markup, how many characters it has, and its table if it is one.

    A table that has no markup of its own is written as it is.
    """

    markup: str
    size: int
    table: MarkedTable | None = None

    def write(self) -> str:
        """Return its markup."""
        return self.table.write() if self.table is not None and not self.markup else self.markup


@dataclass
class Manual:
    """What a file says: its blocks in order, and its texts with their roles."""

    parts: list[Part] = field(default_factory=list)
    texts: list[tuple[str, str]] = field(default_factory=list)

    @property
    def tables(self) -> list[TableGrid]:
        """Return the truth of its tables."""
        return [p.table.grid for p in self.parts if p.table is not None]

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


def is_figures(text: str) -> bool:
    """Return whether a text is a number, with signs and units of money at most."""
    return bool(_FIGURES.match(text))


def words_of(markup: str) -> str:
    """Return what markup says, on one line."""
    return _BLANKS.sub(" ", _bare(markup)).strip()


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
            manual.parts.append(Part(markup, len(said)))

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
        if made is not None:
            manual.parts.append(Part("", len(element.text_content()), made))
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
        manual.parts.append(Part(f"<{name}{more}>{inner}</{name}>", size))


# --- tables ---------------------------------------------------------------------------------


def _read_table(manual: Manual, table: Any) -> MarkedTable | None:
    """Return a table; None for what is only laid out as one."""
    if _NOT_DATA.search(_class_of(table)) or table.find(".//table") is not None:
        return None
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
        return None
    heading = _count_headings(table, rows)
    cells = []
    for (cell, row, col, high, wide), text in zip(placed, said, strict=True):
        number, inner = -1, ""
        if text:
            number = manual.add("cell", text)
            inner = _read_runs(manual, cell, number, "cell")
        name = "th" if row < heading or cell.tag == "th" else "td"
        cells.append(MarkedCell(row, col, high, wide, number if inner else -1, inner, name))
    caption, above = -1, ""
    said_above = table.find("caption")
    if said_above is not None and (said_above.text_content() or "").strip():
        caption = manual.add("caption", said_above.text_content())
        above = f"<caption>{_read_runs(manual, said_above, caption, 'caption')}</caption>"
    return MarkedTable(len(rows), cols, heading, tuple(cells), caption, above)


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
