"""What made pages say: tables of a harbour office, their captions and notes, and prose."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from synth.press.model import Align, Cell, Look, Table, Text
from synth.press.technical import make_formula_column, make_technical
from synth.press.words import WORDS, Column, Rng, make_sentence, pick
from synth.text import make_code, make_date, make_name, make_number, make_phrase

_MOST_LEVELS = 3
_EMPTY, _NARROW = (0.0, 0.0, 0.3, 0.7, 0.9), 0.6
_DOUBLED = 0.3
_REMARKED, _OFTEN, _MOSTLY = 0.15, 0.5, 0.8
_LONG_TEXTS = ("Remarks", "Particulars", "Work done", "Conditions")

_HEADS, _UNITS, _PLACES = WORDS["heads"], WORDS["units"], WORDS["places"]


def make_paragraph(rng: Rng, least: int = 2, most: int = 6) -> str:
    """Return a paragraph of some sentences."""
    return " ".join(make_sentence(rng) for _ in range(int(rng.integers(least, most + 1))))


def make_title(rng: Rng) -> str:
    """Return the words of a table's caption."""
    title = pick(rng, WORDS["titles"])
    if rng.random() < 0.6:
        title += pick(rng, (", 1974", ", quarter to June 1971", " in 1968", ", by station"))
    return title


def make_note(rng: Rng) -> str:
    """Return a note as it stands under a table."""
    return pick(rng, WORDS["notes"])


def _money(rng: Rng, marks: str) -> Callable[[], str]:
    top = float(rng.choice([90, 900, 9000, 250_000]))
    places = int(rng.choice([0, 2, 2]))

    def make() -> str:
        value = f"{rng.uniform(0, top):,.{places}f}"
        chance = rng.random()
        return {
            "brackets": f"({value})" if chance < 0.15 else value,
            "signs": ("+" if chance < 0.6 else "\u2013") + value,
            "currency": f"£{value}",
            "credit": f"{value} {'CR' if chance < 0.3 else 'DR'}",
            "notes": value + pick(rng, ("*", "†", "a")) if chance < 0.12 else value,
            "dashes": pick(rng, ("\u2013", "-", "..", "nil")) if chance < 0.2 else value,
        }.get(marks, value)

    return make


def make_column(rng: Rng, marks: str = "") -> Column:
    """Return a column of figures, dates, codes or short words."""
    kind = int(rng.integers(10))
    heading = pick(rng, _HEADS)
    unit = pick(rng, _UNITS)
    if kind < 5:
        return Column(heading, unit, _money(rng, marks), "r", adds_up=True)
    if kind == 5:
        top = int(rng.choice([9, 60, 400, 20_000]))
        return Column(heading, unit, lambda: f"{int(rng.integers(0, top)):,}", "r", adds_up=True)
    if kind == 6:
        return Column("Date", "", lambda: make_date(rng), pick(rng, ("l", "c", "r")))  # type: ignore[arg-type]
    if kind == 7:
        return Column("Ref.", "", lambda: make_code(rng), "l")
    if kind == 8:
        return Column("Place", "", lambda: pick(rng, _PLACES), "l")
    return Column(heading, unit, lambda: make_number(rng), "r", adds_up=True)


@dataclass(frozen=True)
class Features:
    """What a table holds.

    ``levels`` of headings (0 to 3); ``groups``: ``none``, ``once`` (a name in the first row),
    ``merged`` (over its rows), ``bars`` (a row over all columns), ``indent`` (a name's row, its
    items indented); ``totals``; ``wrap``: number of columns with text that wraps; ``turned``
    headings; ``units`` row; ``leaders``; ``blanks``: share of empty cells; ``marks`` at figures;
    ``squeeze``: the table takes this share of the width, and its cells wrap (0 for natural widths);
    ``long_heads`` of several words; ``centred`` columns; ``long_caption`` of several sentences;
    number of ``notes``, where there are any; ``over_stub``: titles may stand over the first column;
    ``partial``: rules across leave merged names out; ``wide_heads``: one heading for two columns;
    ``among``: what else stands on the page; ``technical`` columns, as handbooks have them;
    ``under``: each row has another below it, of figures in brackets; ``open_stub``: share of rows
    whose first cell is empty; ``set_captions``: captions are set as books set them; ``sparse``:
    each column has a share of empty cells of its own; ``narrow_stub``: the first column is narrower
    than what stands in it asks for; ``stacked``: share of columns whose cells hold two or three
    values below each other; ``formulas``: share of columns of formulas; ``stub_last``: the column
    of names stands last.
    """

    rows: tuple[int, int] = (6, 22)
    cols: tuple[int, int] = (3, 7)
    levels: int = 1
    groups: str = "none"
    totals: bool = False
    wrap: int = 0
    turned: bool = False
    units: bool = False
    leaders: bool = False
    blanks: float = 0.0
    marks: str = ""
    pounds: bool = False
    blank_col: bool = False
    twin: int = 1
    stub: str = ""
    squeeze: float = 0.0
    long_heads: bool = False
    centred: bool = False
    long_caption: bool = False
    notes: int = 1
    over_stub: bool = False
    partial: bool = False
    wide_heads: bool = False
    among: str = ""
    technical: bool = False
    under: bool = False
    open_stub: float = 0.0
    set_captions: bool = False
    sparse: bool = False
    narrow_stub: bool = False
    stacked: float = 0.0
    formulas: float = 0.0
    stub_last: bool = False


def make_table(rng: Rng, features: Features, look: Look) -> Table:
    """Make up a table with some features."""
    f = features
    count = int(rng.integers(f.cols[0], f.cols[1] + 1))
    columns = [
        make_technical(rng) if f.technical and rng.random() < _MOSTLY else make_column(rng, f.marks)
        for _ in range(count)
    ]
    if f.formulas:
        columns = [make_formula_column(rng) if rng.random() < f.formulas else c for c in columns]
    if f.pounds:
        columns = [
            *columns[: max(1, count - 3)],
            Column("£", "", lambda: f"{int(rng.integers(0, 900))}", "r"),
            Column("s.", "", lambda: f"{int(rng.integers(0, 20))}", "r"),
            Column("d.", "", lambda: f"{int(rng.integers(0, 12))}", "r"),
        ]
    kind = f.stub or pick(rng, ("vessels", "places", "items"))
    names = WORDS[kind]
    stub_head = kind.rstrip("s").capitalize()
    if rng.random() < 0.2 and f.groups in ("none", "bars"):
        stub_head = ""
    stub = Column(stub_head, "", lambda: pick(rng, names), "l")
    if f.technical and rng.random() < _MOSTLY:
        stub = replace(make_technical(rng), align="l")
    if f.groups in ("once", "merged"):
        columns = [Column("Group", "", lambda: "", "l"), stub, *columns]
    else:
        columns = [*columns, stub] if f.stub_last else [stub, *columns]
    for k in range(f.wrap):
        at = len(columns) if k == 0 else int(rng.integers(1, len(columns)))
        wide = Column(
            pick(rng, _LONG_TEXTS),
            "",
            lambda: pick(rng, WORDS["remarks"]) if rng.random() < 0.8 else make_phrase(rng),
            "l",
        )
        columns.insert(at, wide)
    if f.blank_col:
        columns.append(Column("Checked", "", lambda: "", "l"))
    if f.twin > 1:
        columns = columns[: max(2, 6 // f.twin)]
    if f.centred:
        columns = [replace(c, align="c") if k else c for k, c in enumerate(columns)]
    columns = [
        replace(c, unit="") if k == 0 or (k == 1 and f.groups in ("once", "merged")) else c
        for k, c in enumerate(columns)
    ]
    return _fill(rng, f, look, columns)


def _fill(rng: Rng, f: Features, look: Look, columns: list[Column]) -> Table:
    cells: list[Cell] = []
    base = len(columns)
    stubs = 2 if f.groups in ("once", "merged") else 1
    head, col_groups = _make_heading(rng, f, look, columns, stubs)
    header_rows = max((c.row + c.row_span for c in head), default=0)
    row = header_rows
    group_rows: list[int] = []
    total_rows: list[int] = []
    bar_rows: list[int] = []
    wanted = int(rng.integers(f.rows[0], f.rows[1] + 1))
    grouped = f.groups != "none"
    left_in_group = 0
    used: set[str] = set()
    empty = [float(rng.choice(_EMPTY)) if f.sparse else f.blanks for _ in columns]
    while row - header_rows < wanted:
        if grouped and left_in_group == 0:
            left_in_group = int(rng.integers(2, 6))
            group_rows.append(row)
            name = next(
                (g for g in rng.permutation(WORDS["groups"]).tolist() if g not in used), "Other"
            )
            used.add(name)
            cells.append(_name_group(rng, f, look, Cell(row, 0, name), base, left_in_group))
            if f.groups == "bars":
                bar_rows.append(row)
            row += f.groups in ("bars", "indent")
        cells += _make_row(rng, f, columns, empty, row, stubs)
        row += 1
        if f.under:
            cells += _make_under(rng, columns, row, stubs)
            row += 1
        left_in_group -= 1
    # A merged group ends with its rows.
    cells = [replace(c, row_span=min(c.row_span, row - c.row)) for c in cells]
    if f.stacked:
        cells = _stack_values(rng, f, look, columns, cells)
    if f.totals:
        total_rows.append(row)
        name = pick(rng, ("Total", "Totals", "Sum", "Total for the year"))
        cells.append(Cell(row, 0, name, bold=rng.random() < 0.5))
        for k, column in enumerate(columns):
            if column.adds_up and k >= stubs:
                cells.append(Cell(row, k, column.make(), align=column.align))
        row += 1
    cells = [*head, *sorted(cells, key=lambda c: (c.row, c.col))]
    aligns: tuple[Align, ...] = tuple(c.align for c in columns)
    widths = _choose_widths(f, columns, cells)
    table = Table(
        tuple(cells),
        row,
        base,
        header_rows,
        look,
        aligns,
        widths,
        tuple(group_rows[1:]),
        tuple(total_rows),
        tuple(bar_rows),
        tuple(col_groups),
    )
    return _set_side_by_side(table, f.twin) if f.twin > 1 else table


def _name_group(rng: Rng, f: Features, look: Look, name: Cell, cols: int, rows: int) -> Cell:
    """Return the cell with a group's name, where ``name`` stands, of ``rows`` rows."""
    if f.groups == "bars":
        ruled = look.rows == "all"
        align: Align = "c" if rng.random() < 0.3 and ruled else "l"
        bold = rng.random() < 0.7
        return replace(name, col_span=cols, align=align, bold=bold, free=not ruled)
    if f.groups == "indent":
        return replace(name, bold=rng.random() < 0.5)
    if f.groups == "merged" and (look.is_full or (f.partial and look.rows == "all")):
        return replace(name, row_span=rows)
    return name


def _choose_widths(f: Features, columns: list[Column], cells: list[Cell]) -> tuple[float, ...]:
    """Return the columns' shares of the page's width; none where they have their natural ones."""
    if f.wrap:
        shares = [2.4 if c.heading in _LONG_TEXTS else 1.0 for c in columns]
        shares[0] *= _NARROW if f.narrow_stub else 1.0
        return tuple(s / sum(shares) for s in shares)
    if f.squeeze:
        single = [c for c in cells if c.col_span == 1]
        shares = [
            max([4, *(len(c.text) for c in single if c.col == k)]) ** 0.6
            for k in range(len(columns))
        ]
        shares[0] *= _NARROW if f.narrow_stub else 1.0
        return tuple(f.squeeze * s / sum(shares) for s in shares)
    return ()


def _make_row(
    rng: Rng, f: Features, columns: list[Column], empty: list[float], row: int, stubs: int
) -> list[Cell]:
    out = []
    for k, column in enumerate(columns):
        if k == 0 and stubs == 2:
            continue
        text = column.make()
        if k == stubs - 1 and f.leaders:
            text = text + " " + ". " * int(rng.integers(6, 14))
        if k >= stubs and rng.random() < empty[k]:
            continue
        if k < stubs and f.open_stub and rng.random() < f.open_stub:
            continue
        if text.strip():
            indent = 1 if k == 0 and f.groups == "indent" else 0
            out.append(
                Cell(
                    row,
                    k,
                    text.strip(),
                    align=column.align,
                    indent=indent,
                    typed=column.typed,
                    word_gap=column.word_gap,
                    formula=column.formula,
                )
            )
    return out


def _stack_values(
    rng: Rng, f: Features, look: Look, columns: list[Column], cells: list[Cell]
) -> list[Cell]:
    """Return cells, some columns of which hold several values below each other.

    Where no rules part the rows, the first column keeps one line: it tells the rows apart.
    """
    first = 0 if look.rows == "all" else 1
    several = {k for k in range(first, len(columns)) if rng.random() < f.stacked}
    if first and len(several) == len(columns) - 1:
        several.pop()
    out = []
    for cell in cells:
        texts = [cell.text]
        if cell.col in several and cell.col_span == 1 and not cell.indent:
            texts += [columns[cell.col].make().strip() for _ in range(int(rng.integers(0, 3)))]
            texts = [t for t in texts if t]
        ends = np.cumsum([len(t.split(" ")) for t in texts[:-1]])
        out.append(replace(cell, text=" ".join(texts), breaks=tuple(ends.tolist())))
    return out


def _make_under(rng: Rng, columns: list[Column], row: int, stubs: int) -> list[Cell]:
    """Return a row of figures in brackets, as errors stand below what was measured."""
    return [
        Cell(row, k, f"({rng.uniform(0, 2):.{int(rng.integers(2, 4))}f})", align=column.align)
        for k, column in enumerate(columns)
        if k >= stubs and rng.random() < _MOSTLY
    ]


def _make_heading(
    rng: Rng, f: Features, look: Look, columns: list[Column], stubs: int
) -> tuple[list[Cell], list[tuple[int, int]]]:
    """Return the heading's cells and the columns under each spanner."""
    if f.levels == 0:
        return [], []
    bold, italic = look.bold_heading, look.italic_heading
    grouped = f.levels > 1 or look.cols == "groups"
    first = 0 if f.over_stub and stubs == 1 else stubs
    groups = _choose_groups(rng, first, len(columns)) if grouped else []
    cells: list[Cell] = []
    levels = f.levels if groups else 1
    spanned = {c for a, b in groups for c in range(a, b)}
    ruled = look.rows == "all" and look.cols == "all"
    lowest = levels - 1
    doubled = _choose_doubled(rng, stubs, len(columns)) if f.wide_heads and levels == 1 else set()
    for k, column in enumerate(columns):
        if k - 1 in doubled:
            continue
        under = k in spanned and levels > 1
        span = 1 if under else levels
        align: Align = column.align if column.align != "l" else pick(rng, ("l", "c"))  # type: ignore[assignment]
        if k < stubs:
            align = "l"
        text = column.heading
        if f.long_heads and text and rng.random() < 0.7:
            text += pick(rng, WORDS["more_heads"])
        if text:
            cells.append(
                Cell(
                    lowest if under else 0,
                    k,
                    text,
                    span,
                    2 if k in doubled else 1,
                    "c" if k in doubled else align,
                    bold,
                    italic,
                    turned=f.turned and k >= stubs,
                    free=span > 1 and not ruled,
                )
            )
    for level in range(levels - 1):
        whole = level == 0 and levels == _MOST_LEVELS
        cells += [
            Cell(level, a, pick(rng, WORDS["spanners"]), 1, b - a, "c", bold, italic)
            for a, b in ([(groups[0][0], groups[-1][1])] if whole else groups)
        ]
    if f.units:
        cells += [
            Cell(levels, k, c.unit, 1, 1, c.align, italic=True)
            for k, c in enumerate(columns)
            if c.unit
        ]
    return sorted(cells, key=lambda c: (c.row, c.col)), groups


def _choose_doubled(rng: Rng, first: int, cols: int) -> set[int]:
    """Return the columns that share their heading with the next one."""
    out: set[int] = set()
    for col in range(first, cols - 1):
        if col - 1 not in out and rng.random() < _DOUBLED:
            out.add(col)
    return out


def _choose_groups(rng: Rng, first: int, cols: int) -> list[tuple[int, int]]:
    """Return runs of two columns or more that stand under one spanner each."""
    groups: list[tuple[int, int]] = []
    at = first
    while at < cols:
        size = min(int(rng.integers(2, 4)), cols - at)
        if size == 1 and groups:
            groups[-1] = (groups[-1][0], at + 1)
        else:
            groups.append((at, at + size))
        at += size
    return [g for g in groups if g[1] - g[0] > 1]


def _set_side_by_side(table: Table, times: int) -> Table:
    """Return a table whose rows go on in further columns beside the first ones."""
    body = table.rows - table.header_rows
    high = -(-body // times)
    cells = []
    for cell in table.cells:
        if cell.row < table.header_rows:
            cells += [replace(cell, col=cell.col + k * table.cols) for k in range(times)]
        else:
            part, row = divmod(cell.row - table.header_rows, high)
            cells.append(
                replace(cell, row=table.header_rows + row, col=cell.col + part * table.cols)
            )
    cells.sort(key=lambda c: (c.row, c.col))
    groups = tuple((k * table.cols, (k + 1) * table.cols) for k in range(times))
    return replace(
        table,
        cells=tuple(cells),
        rows=table.header_rows + high,
        cols=table.cols * times,
        aligns=table.aligns * times,
        group_rows=(),
        total_rows=(),
        col_groups=groups,
        parts=times,
    )


def make_list(rng: Rng, count: int) -> list[Text]:
    """Return the items of a list, numbered or with dashes."""
    numbered = rng.random() < 0.5
    return [
        Text("list", f"{f'{k + 1}.' if numbered else '–'} {make_sentence(rng)}")
        for k in range(count)
    ]


def make_address(rng: Rng) -> list[Text]:
    """Return the lines of an address."""
    lines = (make_name(rng), pick(rng, _PLACES), f"{int(rng.integers(1, 90))} Quay Street")
    return [Text("paragraph", line) for line in (*lines, "Brannock Sound")]


def make_contents(rng: Rng, count: int) -> list[Text]:
    """Return the lines of a table of contents."""
    page = 1
    out = []
    for k in range(count):
        page += int(rng.integers(1, 9))
        dots = ". " * int(rng.integers(8, 20))
        out.append(Text("list", f"{k + 1}. {make_title(rng)} {dots}{page}"))
    return out


def make_form_lines(rng: Rng, count: int) -> list[Text]:
    """Return the fields of a form: a name and what was filled in."""
    names = ("Vessel", "Master", "Owner", "Port", "Date", "Berth", "Agent", "Voyage", "Cargo")
    return [
        Text("paragraph", f"{n}: {make_phrase(rng)}")
        for n in rng.permutation(names)[:count].tolist()
    ]


def make_program(rng: Rng, count: int) -> list[Text]:
    """Return lines of a program: indented, with signs, at times with a remark after white."""
    words = ("berth", "tons", "dues", "quay", "open", "rate", "total", "day", "list", "ledger")
    out = []
    depth = 0
    for _ in range(count):
        a, b, c = (pick(rng, words) for _ in range(3))
        number = int(rng.integers(0, 900))
        line = pick(
            rng,
            (
                f"{a} = {b}[{number}]",
                f"{a}({b}, {c})",
                f"if {a} > {number}:",
                f"for {a} in {b}:",
                f"{a}.{b} <- {c} + {number}",
                f"> summary({a}, {b} = {number})",
                f"[{number}] {number * 7 % 1000} {number * 3 % 97} {number % 53}",
                f"return {a} * {number}",
                f"# {make_sentence(rng)[:40]}",
            ),
        )
        if rng.random() < _REMARKED:
            line += f" # {a} of {b}"
        out.append(Text("code", line, indent=1.6 * depth))
        depth = min(4, max(0, depth + int(rng.integers(-1, 2))))
    return out


def make_definitions(rng: Rng, count: int) -> list[Text]:
    """Return words, each with what it means below it, further in."""
    out = []
    bold = rng.random() < _OFTEN
    for _ in range(count):
        out.append(Text("list", make_phrase(rng), bold=bold))
        out.append(Text("list", make_paragraph(rng, 1, 2), indent=3.0))
    return out


def make_formulas(rng: Rng, count: int) -> list[Text]:
    """Return sums set by themselves between sentences, some with a number at the right."""
    out = []
    for k in range(count):
        a, b = (int(rng.integers(2, 99)) for _ in range(2))
        said = pick(rng, (f"x + {a} = {b} y", f"D = {a} t / {b}", f"({a} + n) / {b} = r, n > {a}"))
        if rng.random() < _OFTEN:
            said += f"    ({k + 1}.{a})"
        out.append(Text("paragraph", said, "c"))
        if rng.random() < _OFTEN:
            out.append(Text("paragraph", make_sentence(rng)))
    return out


def make_index(rng: Rng, count: int) -> list[Text]:
    """Return the lines of an index: words with the numbers of their pages."""
    out = []
    for _ in range(count):
        pages = ", ".join(str(int(p)) for p in np.sort(rng.integers(1, 400, rng.integers(1, 4))))
        text = f"{make_phrase(rng).split()[0]}, {pages}"
        out.append(Text("list", text, indent=float(rng.choice([0.0, 0.0, 1.2]))))
    return out


def make_bullets(rng: Rng, count: int) -> list[Text]:
    """Return the points of a slide, of two levels."""
    return [
        Text(
            "list",
            ("\u2022 " if inner == 0 else "\u2013 ")
            + make_sentence(rng)[: int(rng.integers(20, 70))],
            size=1.3 - 0.2 * inner,
            indent=1.5 * inner + 0.5,
        )
        for inner in rng.integers(0, 2, count).tolist()
    ]
