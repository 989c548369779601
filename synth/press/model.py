"""A page before a program sets it: its blocks, its tables and how they look."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Literal

Role = Literal[
    "cell", "caption", "subtitle", "note", "paragraph", "heading", "list", "running", "code"
]
Align = Literal["l", "c", "r"]
Lines = Literal["none", "all", "groups", "five"]


@dataclass(frozen=True)
class Look:
    """How a table is set.

    Attributes
    ----------
    frame
        ``none``, ``single``, ``thick``, ``double`` (thick and thin) or ``sides`` (left and right).
    top, below_heading, foot
        Rules above the table, below its heading and at its foot: 0 none, 1 thin, 2 thick, 3 double.
    rows, cols
        Which rules stand between body rows and between columns; ``groups`` of columns are those
        under one spanner, ``five`` is after every five rows.
    after_stub
        A rule down after the first column.
    spanners
        Short rules below spanning headings.
    line
        ``solid``, ``dotted`` or ``dashed``; ``weight_pt`` its thickness, ``level`` its grey (0 is
        black, 255 white).
    band, band_level
        Every ``band`` rows a row is shaded (0 for never) in this grey level.
    heading_band
        ``none``, ``grey``, or ``dark`` with light letters.
    total
        Rule above a total: 0 none, 1 single, 2 single and a double one below.
    blank_after
        A blank line after every so many rows or after each group; 0 for none.
    pad_pt
        White around text, across and down.
    wide
        The table is as wide as the page's text.
    bold_heading, italic_heading
        How headings are set.
    valign
        ``top``, ``middle`` or ``bottom``: where short cells stand beside wrapped ones.
    heading_valign
        The same for headings beside headings of several levels.
    rule_pt
        White that is added between a rule across and the text beside it.
    trim_pt
        By how much short rules end before their columns do.
    scale
        Size of the table's letters, 1 for that of the page's.
    place
        ``left`` or ``centre`` of the page.
    blank_share
        Height of blank lines, 1 for that of the page's letters.
    natural
        Cells without widths of their own never wrap.
    justified
        The lines of text that wraps fill their column.
    """

    frame: str = "none"
    top: int = 0
    below_heading: int = 0
    foot: int = 0
    rows: Lines = "none"
    cols: Lines = "none"
    after_stub: bool = False
    spanners: bool = True
    line: str = "solid"
    weight_pt: float = 0.5
    level: int = 0
    band: int = 0
    band_level: int = 225
    heading_band: str = "none"
    total: int = 0
    blank_after: int = 0
    pad_pt: tuple[float, float] = (4.0, 2.0)
    wide: bool = False
    bold_heading: bool = True
    italic_heading: bool = False
    valign: str = "top"
    heading_valign: str = "bottom"
    rule_pt: float = 0.0
    trim_pt: float = 2.0
    scale: float = 1.0
    place: str = "left"
    blank_share: float = 1.0
    natural: bool = True
    justified: bool = False

    @property
    def is_full(self) -> bool:
        """Whether every cell is ruled on all sides."""
        return self.rows == "all" and self.cols == "all" and self.frame != "none"


@dataclass(frozen=True)
class Cell:
    """A cell with text.

    ``free`` says that nothing on paper shows how far it spans: any part of its span is right.
    ``indent`` counts steps; ``turned`` text runs upwards; ``typed`` has letters of one width;
    ``word_gap`` is the white that is added between words, in em. A line ends after each of the
    words in ``breaks`` (counted from 1). In a ``formula`` figures after letters stand low and
    small. Only the browser sets both.
    """

    row: int
    col: int
    text: str
    row_span: int = 1
    col_span: int = 1
    align: Align = "l"
    bold: bool = False
    italic: bool = False
    indent: int = 0
    turned: bool = False
    free: bool = False
    typed: bool = False
    word_gap: float = 0.0
    breaks: tuple[int, ...] = ()
    formula: bool = False


@dataclass(frozen=True)
class Table:
    """A table: cells with text, in reading order; all other places are blank.

    ``widths`` are shares of the page's text width for columns that wrap; empty for natural ones.
    ``group_rows`` are the body rows that begin a group, ``total_rows`` hold totals, ``bar_rows``
    hold a section's name over all columns. ``col_groups`` are (first, after last) columns under
    one spanner. A table in ``parts`` goes on beside itself: each part is a table of its own. One
    with ``typed`` is a machine's listing in letters of one width; only the browser sets it.
    """

    cells: tuple[Cell, ...]
    rows: int
    cols: int
    header_rows: int
    look: Look
    aligns: tuple[Align, ...]
    widths: tuple[float, ...] = ()
    group_rows: tuple[int, ...] = ()
    total_rows: tuple[int, ...] = ()
    bar_rows: tuple[int, ...] = ()
    col_groups: tuple[tuple[int, int], ...] = ()
    parts: int = 1
    typed: Typed | None = None

    def at(self, row: int, col: int) -> Cell | None:
        """Return the cell that covers a place, None where it is blank."""
        for cell in self.cells:
            if (
                cell.row <= row < cell.row + cell.row_span
                and cell.col <= col < cell.col + cell.col_span
            ):
                return cell
        return None

    def ruled_below(self, row: int) -> bool:
        """Return whether a rule stands below a body row, other than the table's foot."""
        if row < self.header_rows or row + 1 >= self.rows:
            return False
        body = row - self.header_rows + 1
        return (
            self.look.rows == "all"
            or (self.look.rows == "five" and body % 5 == 0)
            or (self.look.rows == "groups" and row + 1 in self.group_rows)
            or (self.look.total > 0 and row + 1 in self.total_rows)
        )

    def ruled_right(self, col: int) -> bool:
        """Return whether a rule stands right of a column, other than the frame."""
        if col + 1 >= self.cols:
            return False
        ends = {last - 1 for _, last in self.col_groups} | {
            first - 1 for first, _ in self.col_groups
        }
        return (
            self.look.cols == "all"
            or (self.look.cols == "groups" and col in ends)
            or (self.look.after_stub and col == 0)
        )

    def blank_below(self, row: int) -> bool:
        """Return whether a blank line stands below a body row."""
        every = self.look.blank_after
        if not every or row < self.header_rows or row + 1 >= self.rows:
            return False
        if self.group_rows:
            return row + 1 in self.group_rows
        return (row - self.header_rows + 1) % every == 0

    def is_banded(self, row: int) -> bool:
        """Return whether a body row is shaded."""
        band = self.look.band
        body = row - self.header_rows
        return bool(band) and body >= 0 and (body // max(1, band - 1)) % 2 == 1


@dataclass(frozen=True)
class Text:
    """A piece of text outside tables.

    ``align`` may be ``j`` for justified; ``indent`` and ``inset`` (on both sides) are in em. The
    first ``lead`` words may be bold, with a gap of ``gap`` em after them.
    """

    role: Role
    text: str
    align: str = "l"
    bold: bool = False
    italic: bool = False
    size: float = 1.0
    indent: float = 0.0
    inset: float = 0.0
    lead: int = 0
    gap: float = 0.0
    lead_bold: bool = False


@dataclass(frozen=True)
class Row:
    """Blocks that stand beside each other, with their shares of the width."""

    blocks: tuple[Block, ...]
    shares: tuple[float, ...]


@dataclass(frozen=True)
class Stack:
    """Blocks below each other, as one column of a :class:`Row`."""

    blocks: tuple[Block, ...]


@dataclass(frozen=True)
class Drawing:
    """What is no table and is not read, as markup. Only the browser sets it."""

    markup: str


Block = Text | Table | Row | Stack | Drawing


@dataclass(frozen=True)
class Typed:
    """How a page is typed with letters of one width.

    Attributes
    ----------
    gap
        Spaces between columns.
    rule, bar, cross
        The letters of rules across, of rules between columns (none where empty), and where the two
        meet.
    whole
        The rule under a heading runs over the whole table, not under each column.
    framed
        Rules around the table.
    double
        A blank line after each row.
    margin
        Spaces before each line.
    underlined
        Bold texts are underlined.
    spaced
        A blank line after captions.
    """

    gap: int = 2
    rule: str = "-"
    bar: str = ""
    cross: str = "-"
    whole: bool = False
    framed: bool = False
    double: bool = False
    margin: int = 0
    underlined: bool = False
    spaced: bool = False


@dataclass(frozen=True)
class Document:
    """A page: blocks from the top down. Lengths in mm, ``point`` the size of its text.

    Only the browser sets ``typed`` pages.
    """

    blocks: tuple[Block, ...]
    face: str
    point: float = 10.0
    leading: float = 1.25
    size_mm: tuple[float, float] = (210.0, 297.0)
    margin_mm: tuple[float, float] = (22.0, 22.0)
    gap_pt: float = 8.0
    design: str = ""
    typed: Typed | None = None
    ids: dict[int, int] = field(default_factory=dict, compare=False)

    def __post_init__(self) -> None:
        for number, item in enumerate(walk_texts(self.blocks)):
            self.ids[id(item)] = number

    def number(self, item: Cell | Text) -> int:
        """Return the number by which a text is known in the truth."""
        return self.ids[id(item)]

    def tables(self) -> list[Table]:
        """Return the page's tables in order."""
        return [b for b in walk_blocks(self.blocks) if isinstance(b, Table)]


def walk_blocks(blocks: tuple[Block, ...]) -> Iterator[Block]:
    """Yield all blocks, those within rows and stacks after them."""
    for block in blocks:
        yield block
        if isinstance(block, (Row, Stack)):
            yield from walk_blocks(block.blocks)


def walk_texts(blocks: tuple[Block, ...]) -> Iterator[Cell | Text]:
    """Yield all cells and texts of blocks."""
    for block in walk_blocks(blocks):
        if isinstance(block, Table):
            yield from block.cells
        elif isinstance(block, Text):
            yield block


def tag_colour(number: int) -> tuple[int, int, int]:
    """Return the colour (0 to 255 each) that stands for a text's number in a tagged page.

    Steps of five keep numbers apart where a program rounds colours.
    """
    number += 1
    return (number % 50 * 5, number // 50 % 50 * 5, number // 2500 * 5)


def colour_tag(red: int, green: int, blue: int) -> int:
    """Return the number that a colour stands for; -1 for none."""
    a, b, c = (round(v / 5) for v in (red, green, blue))
    return a + 50 * b + 2500 * c - 1


def tag_hex(number: int) -> str:
    """Return a text's colour as six hexadecimal figures."""
    return "{:02X}{:02X}{:02X}".format(*tag_colour(number))
