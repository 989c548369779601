"""Pages as a document: paragraphs joined over the ends of lines, and tables as tables."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from statistics import median

from odf import style
from odf import table as odf_table
from odf import text as odf_text
from odf.element import Element
from odf.opendocument import OpenDocumentText

from keel_line.send.names import clean_text
from keel_line.send.opendocument import repack
from keel_line.send.safely import write_safely
from keel_line.send.sent import SendOptions, SentBlock, SentPage, SentTable
from keel_line.send.separated import as_rows

_NEW_PITCH, _MOST_PITCH, _MOST_APART = 1.3, 3.5, 2.6
_INDENT_CAPS, _SHORT_CAPS = 1.2, 5.0
_ITEM = re.compile(r"(?:\d{1,3} ?[.)]|[•*–-]) ")
_OTHER_SIZE = 1.2  # of a heading's letters
_ENDS = frozenset('.:;?!”"')


@dataclass(frozen=True)
class Paragraph:
    """A paragraph of running text, or a table."""

    text: str = ""
    table: SentTable | None = None


def find_paragraphs(page: SentPage) -> list[Paragraph]:
    """Return a page's paragraphs and tables in their order.

    A line goes on with the one before where it stands as close below it as the page's lines do,
    unless it is indented, is an item of a list or of another size, or the line before ends a
    sentence well before the column does.
    """
    out: list[Paragraph] = []
    pitch = _find_pitch(page.blocks)
    before: SentBlock | None = None
    for block in page.blocks:
        if block.table is not None:
            out.append(Paragraph(table=block.table))
            before = None
            continue
        if before is not None and out and _goes_on(before, block, pitch):
            out[-1] = Paragraph(_join(out[-1].text, block.text))
        else:
            out.append(Paragraph(block.text))
        before = block
    return out


def _find_pitch(blocks: Sequence[SentBlock]) -> float:
    """Return how far (px) lines of text stand below each other, most of them; 0 without any."""
    lines = [b for b in blocks if b.table is None]
    below = [
        b.low - a.low
        for a, b in zip(lines, lines[1:], strict=False)
        if 0 < b.low - a.low <= _MOST_PITCH * max(a.cap_px, 1.0)
    ]
    return median(below) if below else 0.0


def _goes_on(before: SentBlock, block: SentBlock, pitch: float) -> bool:
    cap = max(before.cap_px, 1.0)
    below = block.low - before.low
    beside = min(before.right, block.right) - max(before.left, block.left) > 0
    close = 0 < below <= min(_NEW_PITCH * pitch, _MOST_APART * cap)
    if not beside or not close or _ITEM.match(block.text):
        return False
    sizes = sorted((before.cap_px, block.cap_px))
    if sizes[1] > _OTHER_SIZE * sizes[0]:
        return False
    indented = block.left - before.left > _INDENT_CAPS * cap
    short = before.right < block.right - _SHORT_CAPS * cap and before.text[-1:] in _ENDS
    return not indented and not short


def _join(text: str, more: str) -> str:
    """Join two lines; a word that was parted at the end of the first is whole again."""
    if text.endswith("-") and more[:1].islower() and text[-2:-1].isalpha():
        return text[:-1] + more
    return f"{text} {more}"


def write_plain_text(pages: Sequence[SentPage], target: Path, options: SendOptions) -> list[str]:
    """Write pages as text in UTF-8: a paragraph a line, tables with tabs.

    Raises
    ------
    OutputError
        When the target cannot be written.
    """
    lines: list[str] = []
    for page in pages:
        for part in find_paragraphs(page):
            if part.table is None:
                lines += [clean_text(part.text), ""]
            else:
                lines += ["\t".join(_flat(c) for c in row) for row in as_rows(part.table)]
                lines.append("")
    encoding = "utf-8-sig" if options.signature else "utf-8"
    data = "\n".join(lines).encode(encoding, "replace")
    write_safely(target, lambda part: part.write_bytes(data))
    return []


def _flat(text: str) -> str:
    return " ".join(clean_text(text).split())


def write_text_document(pages: Sequence[SentPage], target: Path, options: SendOptions) -> list[str]:
    """Write pages as ODT: paragraphs, and tables as tables; each page begins a new one.

    Raises
    ------
    OutputError
        When the target cannot be written.
    """
    del options
    book = OpenDocumentText()
    fresh = style.Style(name="page", family="paragraph", parentstylename="Standard")
    fresh.addElement(style.ParagraphProperties(breakbefore="page"))
    gap = style.Style(name="gap", family="paragraph", parentstylename="Standard")
    gap.addElement(style.ParagraphProperties(marginbottom="2.5mm"))
    bold = style.Style(name="bold", family="paragraph", parentstylename="Standard")
    bold.addElement(style.TextProperties(fontweight="bold"))
    frame = style.Style(name="frame", family="table-cell")
    frame.addElement(style.TableCellProperties(padding="1mm", border="0.3pt solid #CFC9BD"))
    for own in (fresh, gap, bold, frame):
        book.automaticstyles.addElement(own)
    number = 0
    for at, page in enumerate(pages):
        if at:
            book.text.addElement(odf_text.P(stylename=fresh))
        for part in find_paragraphs(page):
            if part.table is None:
                book.text.addElement(odf_text.P(stylename=gap, text=clean_text(part.text)))
            else:
                number += 1
                for element in _make_table(part.table, f"Table{number}", bold, frame):
                    book.text.addElement(element)
                book.text.addElement(odf_text.P(stylename=gap))
    made = repack(book)
    write_safely(target, lambda part: part.write_bytes(made))
    return []


def _make_table(table: SentTable, name: str, bold: Element, frame: Element) -> Iterator[Element]:
    if not table.columns:
        return
    out = odf_table.Table(name=name)
    out.addElement(odf_table.TableColumn(numbercolumnsrepeated=len(table.columns)))
    covered = table.covered()
    heading = bool(table.names) + table.heading_rows
    for row, texts in enumerate(as_rows(table)):
        line = odf_table.TableRow()
        for col, text in enumerate(texts):
            place = (row - bool(table.names), col)
            if place in covered:
                line.addElement(odf_table.CoveredTableCell())
                continue
            high, wide = table.spans.get(place, (1, 1))
            about = {"stylename": frame, "valuetype": "string"}
            if high > 1 or wide > 1:
                about |= {"numberrowsspanned": high, "numbercolumnsspanned": wide}
            cell = odf_table.TableCell(**about)
            for part in clean_text(text).split("\n"):
                own = {"stylename": bold} if row < heading else {}
                cell.addElement(odf_text.P(text=part, **own))
            line.addElement(cell)
        out.addElement(line)
    yield out
