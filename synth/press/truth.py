"""The truth of a typeset page: where each text stands, found by the colours of a tagged copy."""

from __future__ import annotations

import ctypes
import unicodedata
from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from difflib import SequenceMatcher

import msgspec
import numpy as np
import pypdfium2 as pdfium
import pypdfium2.raw as pdfium_c

from synth.press.model import Cell, Document, Table, Text, colour_tag, walk_texts

Box = tuple[float, float, float, float]
_LEAST_ALIKE = 0.98
_MOST_OFF_PT = 0.6
_MOST_OVERLAP = 0.4


@dataclass(frozen=True)
class TextTruth:
    """A text: its role, its words, and a box (pt, from the upper left) around each of its lines."""

    role: str
    text: str
    lines: tuple[Box, ...]


@dataclass(frozen=True)
class CellPlace:
    """A cell of the truth; ``text`` is its number among the page's texts."""

    row: int
    col: int
    row_span: int
    col_span: int
    text: int
    free: bool


@dataclass(frozen=True)
class TableGrid:
    """A table of the truth: its cells with text; ``caption`` is a text's number, -1 for none."""

    rows: int
    cols: int
    header_rows: int
    cells: tuple[CellPlace, ...]
    caption: int


@dataclass(frozen=True)
class PressPage:
    """A page of a PDF (``number`` from 0) with its truth; lengths in pt."""

    design: str
    number: int
    size_pt: tuple[float, float]
    texts: tuple[TextTruth, ...]
    tables: tuple[TableGrid, ...]


@dataclass(frozen=True)
class PageChars:
    """A page's characters: their text, boxes (pt, from the upper left) and colour tags."""

    text: list[str]
    boxes: np.ndarray
    tags: np.ndarray
    angles: np.ndarray
    size: tuple[float, float]


def find_truth(
    plain: bytes, tagged: bytes, documents: Sequence[Document]
) -> tuple[list[PressPage], list[str]]:
    """Return the truth of each document that stands whole on one page, and why others do not.

    Parameters
    ----------
    plain, tagged
        PDFs of the same documents; in the second each text has the colour of its number.
    """
    with closing(pdfium.PdfDocument(plain)) as a, closing(pdfium.PdfDocument(tagged)) as b:
        if len(a) != len(b):
            return [], ["the tagged copy has other pages"]
        firsts = np.cumsum([0, *[len(d.ids) for d in documents]])
        found, trouble = [], []
        for number in range(len(b)):
            marked, bare = read_chars(b[number]), read_chars(a[number])
            owners = np.searchsorted(firsts, marked.tags[marked.tags >= 0], side="right") - 1
            if not len(owners):
                continue
            owner = int(np.bincount(owners).argmax())
            if owner >= len(documents):
                trouble.append("unknown colours")
                continue
            document = documents[owner]
            if len(bare.text) != len(marked.text) or (
                len(bare.text) and np.abs(bare.boxes - marked.boxes).max() > _MOST_OFF_PT
            ):
                trouble.append(f"{document.design}: the tagged copy is laid out otherwise")
                continue
            page = _make_page(document, marked, int(firsts[owner]), number)
            if isinstance(page, str):
                trouble.append(f"{document.design}: {page}")
            else:
                found.append(page)
        return found, trouble


def read_chars(page: pdfium.PdfPage) -> PageChars:
    """Return a page's characters that are printed, with the numbers their colours stand for."""
    width, height = page.get_size()
    with closing(page.get_textpage()) as text:
        chars, boxes, tags, angles = [], [], [], []
        for i in range(text.count_chars()):
            char = chr(pdfium_c.FPDFText_GetUnicode(text, i))
            if char.isspace() or pdfium_c.FPDFText_IsGenerated(text, i) == 1 or char == "\x00":
                continue
            colour = [ctypes.c_uint() for _ in range(4)]
            pdfium_c.FPDFText_GetFillColor(text, i, *(ctypes.byref(c) for c in colour))
            left, low, right, top = text.get_charbox(i)
            chars.append(char)
            boxes.append((left, height - top, right, height - low))
            tags.append(colour_tag(*(c.value for c in colour[:3])))
            angles.append(pdfium_c.FPDFText_GetCharAngle(text, i))
    return PageChars(
        chars,
        np.array(boxes, float).reshape(-1, 4),
        np.array(tags, int),
        np.array(angles, float),
        (width, height),
    )


def _make_page(document: Document, chars: PageChars, first: int, number: int) -> PressPage | str:
    texts: dict[int, TextTruth] = {}
    items = _items(document)
    for own, item in items.items():
        inside = np.flatnonzero(chars.tags == first + own)
        said = "".join(chars.text[i] for i in inside)
        if not _are_alike(said, item.text):
            return f"“{item.text[:40]}” reads “{said[:40]}”"
        turned = isinstance(item, Cell) and item.turned
        lines = lines_of(chars.boxes[inside], turned=turned)
        if any(
            x0 < 0 or y0 < 0 or x1 > chars.size[0] or y1 > chars.size[1] for x0, y0, x1, y1 in lines
        ):
            return f"“{item.text[:40]}” runs off the page"
        role = "cell" if isinstance(item, Cell) else item.role
        texts[own] = TextTruth(role, item.text, tuple(lines))
    if lie_over([line for t in texts.values() for line in t.lines]):
        return "texts lie over each other"
    return PressPage(
        document.design,
        number,
        chars.size,
        tuple(texts[k] for k in range(len(texts))),
        tuple(g for t in document.tables() for g in _make_grids(document, t)),
    )


def lie_over(lines: Sequence[Box]) -> bool:
    """Return whether the lines of two texts lie over each other."""
    if not lines:
        return False
    x0, y0, x1, y1 = np.array(lines).T
    wide = np.minimum(x1[:, None], x1) - np.maximum(x0[:, None], x0)
    high = np.minimum(y1[:, None], y1) - np.maximum(y0[:, None], y0)
    shared = np.clip(wide, 0, None) * np.clip(high, 0, None)
    area = np.minimum.outer((x1 - x0) * (y1 - y0), (x1 - x0) * (y1 - y0))
    np.fill_diagonal(shared, 0.0)
    return bool((shared > _MOST_OVERLAP * np.maximum(area, 1e-6)).any())


def _items(document: Document) -> dict[int, Cell | Text]:
    return {document.number(i): i for i in walk_texts(document.blocks)}


def _make_grids(document: Document, table: Table) -> list[TableGrid]:
    """Return a table's truth; of one that goes on beside itself each part is a table."""
    wide = table.cols // table.parts
    whole = _make_grid(document, table)
    out = []
    for part in range(table.parts):
        cells = tuple(
            replace(c, col=c.col - part * wide) for c in whole.cells if c.col // wide == part
        )
        rows = 1 + max((c.row + c.row_span - 1 for c in cells), default=-1)
        out.append(replace(whole, cells=cells, rows=rows, cols=wide))
    return out if table.parts > 1 else [whole]


def _make_grid(document: Document, table: Table) -> TableGrid:
    cells = tuple(
        CellPlace(c.row, c.col, c.row_span, c.col_span, document.number(c), c.free)
        for c in table.cells
    )
    own = [document.number(c) for c in table.cells]
    caption = -1
    if own:  # the caption stands next to its table in the order of texts
        items = _items(document)
        before, after = min(own) - 1, max(own) + 1
        for number in (before, before - 1, after):
            item = items.get(number)
            if isinstance(item, Text) and item.role == "caption":
                caption = number
                break
    return TableGrid(table.rows, table.cols, table.header_rows, cells, caption)


def _are_alike(said: str, wanted: str) -> bool:
    a, b = (_bare(s) for s in (said, wanted))
    if a == b:
        return True
    return SequenceMatcher(None, a, b, autojunk=False).ratio() >= _LEAST_ALIKE


def _bare(text: str) -> str:
    plain = unicodedata.normalize("NFKC", text)
    for quote in "†‡":
        plain = plain.replace(quote, "*")
    plain = plain.replace("•", "o")
    for dash in "\u2010\u2011\u2012\u2013\u2014\u2212\u00ad\x02":
        plain = plain.replace(dash, "-")
    for quote in '\u2018\u2019\u02bc\u00b4`\u201c\u201d"':
        plain = plain.replace(quote, "'")
    return "".join(c for c in plain if not c.isspace())


def lines_of(boxes: np.ndarray, *, turned: bool) -> list[Box]:
    """Return the box around each line of characters, from the first on."""
    if not len(boxes):
        return []
    if turned:
        x0, y0 = boxes[:, :2].min(axis=0)
        x1, y1 = boxes[:, 2:].max(axis=0)
        return [(float(x0), float(y0), float(x1), float(y1))]
    lines: list[list[float]] = []
    for x0, y0, x1, y1 in boxes.tolist():
        if lines:
            last = lines[-1]
            shared = min(last[3], y1) - max(last[1], y0)
            back = x0 < last[2] - 4.0 and x1 < last[2]
            level = shared > 0 or min(abs(y0 - last[3]), abs(y1 - last[1])) < 3.0
            if level and not back:
                last[0], last[1] = min(last[0], x0), min(last[1], y0)
                last[2], last[3] = max(last[2], x1), max(last[3], y1)
                continue
        lines.append([x0, y0, x1, y1])
    return [(a, b, c, d) for a, b, c, d in lines]


def encode_pages(pages: Sequence[PressPage]) -> bytes:
    """Return pages as JSON, lengths to a hundredth of a point."""
    return msgspec.json.encode([_rounded(p) for p in pages])


def _rounded(page: PressPage) -> PressPage:
    texts = tuple(
        replace(t, lines=tuple(tuple(round(v, 2) for v in box) for box in t.lines))  # type: ignore[misc]
        for t in page.texts
    )
    return replace(page, texts=texts)


def decode_pages(data: bytes) -> list[PressPage]:
    """Return pages from JSON."""
    return msgspec.json.decode(data, type=list[PressPage])
