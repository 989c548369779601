"""The press room: what it makes up, how it is written, and the truth of what programs set."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from synth.press.contents import Features, make_table
from synth.press.designs import (
    PROSE,
    load_designs,
    make_document,
    rng_of,
    sample_design,
    sample_listed,
    sample_slip,
    sample_typed,
)
from synth.press.drawings import DRAWINGS
from synth.press.edges import DOUBLE, THIN, Edges, edges_of, ground_of, has_short_rule, is_light
from synth.press.html import write_html
from synth.press.latex import write_latex
from synth.press.listing import write_listing
from synth.press.model import (
    Cell,
    Document,
    Drawing,
    Look,
    Table,
    Text,
    Typed,
    colour_tag,
    tag_colour,
    tag_hex,
    walk_texts,
)
from synth.press.office import write_spreadsheet, write_text_document
from synth.press.store import each_page, load_pressed, load_truth
from synth.press.technical import make_technical
from synth.press.troff import write_troff
from synth.press.truth import decode_pages, encode_pages, find_truth
from synth.press.typed import lay_typed
from synth.press.typst import write_typst

PRESS = Path(__file__).resolve().parents[2] / "benchmarks" / "press"
FULL = Look(frame="single", below_heading=1, rows="all", cols="all")


def small_table(look: Look) -> Table:
    cells = (
        Cell(0, 0, "Vessel"),
        Cell(0, 1, "Dues", 1, 2, "c"),
        Cell(1, 1, "in"),
        Cell(1, 2, "out"),
        Cell(2, 0, "Wren & Son"),
        Cell(2, 1, "1,250", align="r"),
    )
    return Table(cells, 3, 3, 2, look, ("l", "r", "r"))


def small_document(look: Look = FULL) -> Document:
    return Document((Text("caption", "Table 1. Dues"), small_table(look)), "T")


@given(st.integers(0, 100_000))
def test_a_colour_stands_for_its_number(number: int) -> None:
    assert colour_tag(*tag_colour(number)) == number


@settings(deadline=None, max_examples=60)
@given(st.integers(0, 10_000))
def test_cells_of_any_made_table_cover_no_place_twice(seed: int) -> None:
    rng = np.random.default_rng(seed)
    design = sample_design(rng, ("Lora",))
    for table in make_document(rng, design).tables():
        taken: set[tuple[int, int]] = set()
        for cell in table.cells:
            places = {
                (r, c)
                for r in range(cell.row, cell.row + cell.row_span)
                for c in range(cell.col, cell.col + cell.col_span)
            }
            assert not taken & places
            assert max(r for r, _ in places) < table.rows
            assert max(c for _, c in places) < table.cols
            taken |= places


def test_designs_are_split_by_program() -> None:
    designs = load_designs()
    names = [d.name for d in designs]
    assert len(set(names)) == len(names) >= 80
    splits = {p: {d.split for d in designs if d.program == p} for p in {d.program for d in designs}}
    assert all(len(s) == 1 for s in splits.values())
    held = [d for d in designs if d.split == "benchmark"]
    assert len({d.program for d in held}) >= 2
    assert len(held) >= 30


def test_a_page_follows_from_its_design_and_number() -> None:
    design = load_designs()[0]
    first, again, other = (make_document(rng_of(design, n), design) for n in (1, 1, 2))
    assert first.blocks == again.blocks
    assert first.blocks != other.blocks


def test_pages_of_prose_have_no_table() -> None:
    design = next(d for d in load_designs() if d.page in PROSE)
    assert make_document(rng_of(design, 0), design).tables() == []


def test_a_table_beside_itself_is_a_table_for_each_part() -> None:
    rng = np.random.default_rng(4)
    table = make_table(rng, Features(twin=2, rows=(8, 8), cols=(1, 1)), Look())
    assert table.parts == 2
    assert table.cols % 2 == 0


def test_each_inner_rule_belongs_to_one_cell() -> None:
    table = small_table(FULL)
    assert edges_of(table, 2, 0) == replace(
        edges_of(table, 2, 0), bottom=THIN, left=THIN, right=THIN
    )
    assert edges_of(table, 1, 1).top == 0
    double = small_table(Look(total=2))
    double = replace(double, total_rows=(2,))
    assert edges_of(double, 2, 1).bottom == DOUBLE


def test_a_short_rule_stands_under_a_spanner_where_rows_are_not_ruled() -> None:
    spanner = small_table(Look()).cells[1]
    assert has_short_rule(small_table(Look()), spanner)
    assert not has_short_rule(small_table(FULL), spanner)


def test_dark_heading_bands_have_light_letters() -> None:
    table = small_table(Look(heading_band="dark", band=2))
    assert is_light(table, 0)
    assert not is_light(table, 2)
    assert ground_of(table, 0) == 60


@pytest.mark.parametrize(
    "write",
    [
        lambda d: write_html(d, {}, tagged=False),
        lambda d: write_latex(d, tagged=False),
        lambda d: write_troff(d, tagged=False),
        lambda d: write_typst(d, tagged=False),
        lambda d: write_text_document(d, tagged=False),
        lambda d: write_spreadsheet(d, tagged=False),
        lambda d: write_listing(d, tagged=False).decode("latin-1"),
    ],
    ids=["html", "latex", "troff", "typst", "writer", "calc", "listing"],
)
def test_every_program_gets_every_text(write: object) -> None:
    source = write([small_document()])  # type: ignore[operator]
    assert "Vessel" in source
    assert "Wren" in source
    assert "& Son" not in source or "\\&" in source or "Wren & Son" in source


def test_a_tagged_source_has_a_colour_for_each_text() -> None:
    document = small_document()
    plain, tagged = (write_html([document], {}, tagged=t) for t in (False, True))
    assert plain.count("color:#") == 0
    assert tagged.count("color:#") == len(list(walk_texts(document.blocks)))


def test_the_truth_of_kept_pages_reads_back_and_is_what_they_say() -> None:
    truth = load_truth(PRESS, "latex-booktabs-decked")
    assert len(truth) == 3
    assert decode_pages(encode_pages(truth)) == truth
    page = truth[0]
    (table,) = page.tables
    assert table.header_rows == 2
    assert page.texts[table.caption].role == "caption"
    assert all(page.texts[c.text].role == "cell" for c in table.cells)


def test_tags_find_each_text_of_a_page() -> None:
    # A page that is its own tagged copy: its texts are all black, and none is found.
    pdf = (PRESS / "troff-bare.pdf").read_bytes()
    pages, trouble = find_truth(pdf, pdf, [small_document()])
    assert pages == []
    assert trouble == []


def test_a_page_through_a_machine_keeps_its_texts_where_its_map_says() -> None:
    pdf, truth = next(each_page(PRESS))
    loaded = load_pressed(pdf, truth, "clean", 1)
    dark = loaded.page.pixels < 128
    inked = 0
    for text in truth.texts:
        for x0, y0, x1, y1 in text.lines:
            x, y = loaded.to_px @ ((x0 + x1) / 2, (y0 + y1) / 2, 1.0)
            half = 12
            around = dark[int(y) - half : int(y) + half, int(x) - half : int(x) + half]
            inked += bool(around.any())
    assert inked > 0.9 * sum(len(t.lines) for t in truth.texts)


def test_a_digital_page_brings_its_own_text() -> None:
    pdf, truth = next(each_page(PRESS))
    assert load_pressed(pdf, truth, "digital", 1).page.text is not None


@settings(deadline=None, max_examples=40)
@given(st.integers(0, 10_000))
def test_typed_pages_hold_every_text_and_none_over_another(seed: int) -> None:
    rng = np.random.default_rng(seed)
    design = sample_typed(rng, ("Go Mono",))
    assert design.typed is not None
    document = make_document(rng, design)
    lines = lay_typed(document, design.typed)
    said: dict[int, str] = {}
    for line in lines:
        end = 0
        for piece in line:
            assert piece.start >= end
            end = piece.start + len(piece.text)
            if piece.item is not None:
                own = document.number(piece.item)
                said[own] = f"{said.get(own, '')} {piece.text}".strip()
    wanted = {document.number(i): " ".join(i.text.split()) for i in walk_texts(document.blocks)}
    assert {k: " ".join(v.split()) for k, v in said.items()} == wanted


@settings(deadline=None, max_examples=20)
@given(st.integers(0, 10_000))
def test_listings_stand_as_lines_in_a_page_set_otherwise(seed: int) -> None:
    document = make_document(
        np.random.default_rng(seed), sample_listed(np.random.default_rng(seed), ("Go",))
    )
    assert document.typed is None
    assert document.tables()
    page = write_html([document], {}, tagged=True)
    assert page.count("<pre") == len(document.tables())
    assert "<table" not in page
    for cell in document.tables()[0].cells:
        assert f"#{tag_hex(document.number(cell))}" in page


@settings(deadline=None, max_examples=20)
@given(st.integers(0, 10_000))
def test_slips_have_small_tables_without_rules(seed: int) -> None:
    design = sample_slip(np.random.default_rng(seed), ("Go",))
    document = make_document(np.random.default_rng(seed), design)
    assert document.tables()
    for table in document.tables():
        assert 2 <= table.cols <= 4
        assert table.rows <= 12
        assert all(edges_of(table, c.row, c.col) == Edges() for c in table.cells)


def test_a_typed_page_is_written_with_its_rules() -> None:
    typed = Typed(bar="|", cross="+", framed=True)
    html = write_html([replace(small_document(), typed=typed)], {}, tagged=False)
    assert "+--" in html
    assert html.count("|") > 6


@pytest.mark.parametrize("kind", sorted(DRAWINGS))
def test_what_is_no_table_is_well_formed(kind: str) -> None:
    for seed in range(12):
        rng = np.random.default_rng([31, seed])
        markup = DRAWINGS[kind](rng, 300.0)
        found = ElementTree.fromstring(markup)  # noqa: S314 - our own
        assert len(list(found.iter())) > 1 or (found.text or "").strip()
        assert DRAWINGS[kind](np.random.default_rng([31, seed]), 300.0) == markup


def test_only_the_browser_sets_drawings() -> None:
    document = Document((Text("heading", "Berths"), Drawing("<svg/>")), "Noto Sans")
    assert "<svg/>" in write_html([document], {}, tagged=False)
    assert len(document.ids) == 1
    for write in (write_latex, write_troff, write_typst):
        with pytest.raises(TypeError):
            write([document], tagged=False)


@given(seed=st.integers(0, 2**32 - 1))
def test_a_technical_column_always_has_something_to_say(seed: int) -> None:
    column = make_technical(np.random.default_rng(seed))
    assert column.heading
    assert column.align in "lcr"
    assert all(column.make().strip() for _ in range(5))


def test_rows_may_lack_their_first_cell_or_have_another_row_below() -> None:
    rng = np.random.default_rng(5)
    stubs = make_table(rng, Features(open_stub=1.0), FULL)
    assert not [c for c in stubs.cells if c.col == 0 and c.row >= stubs.header_rows]
    under = make_table(rng, Features(under=True, rows=(4, 4)), FULL)
    body = [c for c in under.cells if c.row >= under.header_rows]
    below = [c for c in body if (c.row - under.header_rows) % 2]
    assert below
    assert all(c.text.startswith("(") and c.col > 0 for c in below)


def test_a_caption_set_as_in_books_says_the_same() -> None:
    text = Text("caption", "Table 4. Dues", lead=2, gap=0.7, lead_bold=True, inset=2.0)
    said = write_html([Document((text,), "Noto Sans")], {}, tagged=True)
    words = ElementTree.fromstring(  # noqa: S314 - our own
        said.partition("<body>")[2].partition("</body>")[0]
    )
    assert " ".join("".join(words.itertext()).split()) == "Table 4. Dues"
    assert "padding-right:0.7em;font-weight:bold" in said
