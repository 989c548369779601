"""Manuals in HTML become pages with a truth."""

from __future__ import annotations

import html
import re
import shutil
from io import BytesIO
from pathlib import Path

import numpy as np
import pikepdf
import pytest

pytest.importorskip("docutils")

from synth.faces import Face, Kind
from synth.press.model import tag_colour
from training.manuals import asides, results
from training.manuals.asides import add_asides, add_notes
from training.manuals.captions import give_captions
from training.manuals.changes import CHANGES, Change, change_tables, set_beside
from training.manuals.listings import choose_listing_look, list_tables, write_listing
from training.manuals.looks import choose_look
from training.manuals.markup import MarkedTable, read_manual
from training.manuals.pages import (
    cut_first_table,
    find_manual_truth,
    take_window,
    write_manuals,
)
from training.manuals.sources import from_latex, to_html

_KINDS: dict[str, Kind] = {"Plain": "sans", "Even": "mono"}
NAMES = "schooner lugger smack drifter trawler pilot ferry barge tender yawl ketch cutter packet"
FACES = tuple(
    Face(name, kind, "train", Path("/face.ttf"), frozenset("a"), 0.7, bold=False, italic=False)
    for name, kind in _KINDS.items()
)
PAGE = b"""<html><body><div class="navbar">Next</div>
<table><tr><td><p>Buoys are <b>painted</b> in May.</p>
<table><caption>Table 2. Buoys</caption>
<thead><tr><th rowspan=2>Buoy</th><th colspan=2>Seen</th></tr>
<tr><th>May</th><th>June</th></tr></thead>
<tr><td>Skerry</td><td>4</td><td></td></tr>
<tr><td>Harrow <p>North</p></td><td>12</td><td>9</td></tr></table>
</td></tr></table>
<pre>a    1
b    2</pre><pre>ring the bell</pre>
<table><tr><td>Berth</td><td>Dues</td></tr><tr><td>N 2</td><td>7</td></tr></table>
</body></html>"""


def test_texts_have_roles_and_cells_have_places() -> None:
    manual = read_manual(PAGE)
    roles = {" ".join(text.split()): role for role, text in manual.texts}
    assert roles["Buoys are painted in May."] == "text"
    assert roles["Table 2. Buoys"] == "caption"
    assert roles["a 1 b 2"] == "unknown"  # it may be a table
    assert roles["ring the bell"] == "code"
    assert "Next" not in roles  # it leads to another file
    first, second = manual.tables
    assert (first.rows, first.cols, first.header_rows) == (4, 3, 2)
    assert second.header_rows == -1  # the markup does not tell
    said = {(c.row, c.col, c.row_span, c.col_span): manual.texts[c.text][1] for c in first.cells}
    assert said[0, 0, 2, 1] == "Buoy"
    assert said[0, 1, 1, 2] == "Seen"
    assert said[3, 0, 1, 1] == "Harrow North"
    assert (2, 2, 1, 1) not in said


def test_a_window_holds_a_table_or_none() -> None:
    manual = read_manual(PAGE)
    rng = np.random.default_rng(3)
    assert any(part.table for part in take_window(manual, rng, bare=False))
    assert take_window(read_manual(b"<p>Ring the bell.</p>"), rng, bare=False) == []


def test_only_the_tagged_copy_has_a_colour_for_each_text() -> None:
    manual = read_manual(PAGE)
    look = choose_look(np.random.default_rng(5), "m0", FACES)
    plain, tagged = (
        write_manuals([(manual, manual.parts)], [look], FACES, tagged=t) for t in (False, True)
    )
    assert "style='color:" not in plain
    colours = {piece[:7] for piece in tagged.split("style='color:")[1:]}
    assert len(colours) == len(manual.texts)


def _print(words: list[tuple[str, int, int, int]], *, tagged: bool) -> bytes:
    """Return a PDF with words, each with its number and its place."""
    content = []
    for text, number, x, y in words:
        colour = " ".join(f"{v / 255:.3f}" for v in tag_colour(number)) if tagged else "0 0 0"
        content.append(f"BT /F1 11 Tf {colour} rg {x} {y} Td ({text}) Tj ET")
    pdf = pikepdf.new()
    page = pdf.add_blank_page(page_size=(400, 400))
    font = pikepdf.Dictionary(
        Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1, BaseFont=pikepdf.Name.Helvetica
    )
    page.Resources = pikepdf.Dictionary(Font=pikepdf.Dictionary(F1=font))
    page.Contents = pdf.make_stream("\n".join(content).encode())
    out = BytesIO()
    pdf.save(out)
    return out.getvalue()


def test_what_a_page_holds_of_a_table_is_its_truth() -> None:
    manual = read_manual(PAGE)
    numbers = {" ".join(text.split()): k for k, (_, text) in enumerate(manual.texts)}
    words = [("Skerry", 40, 200), ("4", 140, 200), ("Harrow North", 40, 180), ("12", 140, 180),
             ("9", 200, 180), ("ring the bell until the tide has turned and all boats are in",
              40, 90)]  # fmt: skip
    at = [(t, numbers[t if t in numbers else "ring the bell"], x, y) for t, x, y in words]
    plain, tagged = (_print(at, tagged=t) for t in (False, True))
    (page,) = find_manual_truth(plain, tagged, [manual])
    (table,) = page.tables
    assert (table.rows, table.cols, table.header_rows) == (2, 3, 0)  # the heading is not on it
    assert {(page.texts[c.text].text, c.row, c.col) for c in table.cells} == {
        ("Skerry", 0, 0), ("4", 0, 1), ("Harrow North", 1, 0), ("12", 1, 1), ("9", 1, 2),
    }  # fmt: skip
    assert find_manual_truth(plain, _print(at[:-1], tagged=True), [manual]) == []


def test_a_table_without_a_caption_is_given_one() -> None:
    said = set()
    for seed in range(30):
        manual = read_manual(PAGE)
        give_captions(manual, np.random.default_rng(seed))
        own, other = (p.write() for p in manual.parts if p.table)
        assert own.count("<caption>") == 1
        assert "Table 2. Buoys" in own
        assert other.count("<caption>") <= 1
        said |= {text for role, text in manual.texts if role == "caption"} - {"Table 2. Buoys"}
    assert any(text.endswith("Buoys are painted in May.") for text in said)


def _berths(rows: int, cols: int) -> str:
    heading = "".join(f"<th>Head {k}</th>" for k in range(cols))
    body = "".join(
        "<tr>" + "".join(f"<td>R{row} c{col}</td>" for col in range(cols)) + "</tr>"
        for row in range(rows)
    )
    return f"<p>Boats lie here.</p><table><thead><tr>{heading}</tr></thead>{body}</table>"


def _check(table: MarkedTable) -> None:
    """Check that cells fill their own places, and each text stands in one of them."""
    places = [
        (cell.row + down, cell.col + over)
        for cell in table.cells
        for down in range(cell.row_span)
        for over in range(cell.col_span)
    ]
    assert len(set(places)) == len(places) == table.rows * table.cols
    assert max(places) == (table.rows - 1, table.cols - 1)
    texts = [cell.text for cell in table.cells if cell.text >= 0]
    assert len(set(texts)) == len(texts)
    assert all(f'k="{cell.text}"' in cell.inner for cell in table.cells if cell.text >= 0)
    assert len({cell.row for cell in table.cells if cell.text >= 0}) == table.rows


@pytest.mark.parametrize("change", CHANGES, ids=lambda change: change.__name__)
def test_a_changed_table_is_a_whole_one(change: Change) -> None:
    made = 0
    for seed, (rows, cols) in enumerate([(4, 3), (9, 2), (7, 5), (12, 4), (2, 8)] * 3):
        manual = read_manual(_berths(rows, cols).encode())
        (table,) = [p.table for p in manual.parts if p.table]
        changed = change(table, manual, np.random.default_rng(seed))
        if changed is not None:
            _check(changed)
            made += changed != table
    assert made >= 3


def test_tables_set_beside_each_other_keep_each_row_together() -> None:
    manual = read_manual(_berths(6, 2).encode())
    (table,) = [p.table for p in manual.parts if p.table]
    made = set_beside(table, manual, np.random.default_rng(1))
    assert made is not None
    said = {(c.row, c.col): manual.texts[c.text][1] for c in made.cells if c.text >= 0}
    panels = made.cols // 2
    assert [said[0, 2 * k] for k in range(panels)] == ["Head 0"] * panels
    for (row, col), text in said.items():
        if row and col % 2 == 0:
            assert said[row, col + 1] == text.replace("c0", "c1")


def test_changes_follow_each_other_on_many_tables() -> None:
    for seed in range(60):
        manual = read_manual(PAGE + _berths(8, 4).encode())
        change_tables(manual, np.random.default_rng(seed))
        for part in manual.parts:
            if part.table is not None:
                assert all(c.row + c.row_span <= part.table.rows for c in part.table.cells)
                assert all(c.col + c.col_span <= part.table.cols for c in part.table.cells)
                assert part.write().count("<tr") == part.table.rows


@pytest.mark.skipif(shutil.which("pandoc") is None, reason="pandoc turns LaTeX into HTML")
def test_papers_are_read_with_their_tables() -> None:
    paper = rb"""\documentclass{article}\begin{document}\begin{tabular}{lr}
    Berth & Dues \\ \hline N 2 & 7 \\ \end{tabular}
    <<hidden>>=
    a & b
    @
    \end{document}"""
    manual = read_manual(from_latex(paper).encode())
    (table,) = manual.tables
    assert [manual.texts[c.text][1] for c in table.cells] == ["Berth", "Dues", "N 2", "7"]
    assert from_latex(rb"\documentclass{article}No table.") == ""


def test_descriptions_are_read_in_the_markup_their_writers_chose() -> None:
    berths = "| Berth | Dues |\n|---|---|\n| N 2 | 7 |\n"
    grid = "+---+---+\n| a | b |\n+===+===+\n| 1 | 2 |\n+---+---+\n"
    for text, marked in ((berths, "text/markdown"), (grid, "text/x-rst"), (grid, "")):
        (table,) = read_manual(to_html(text, marked).encode()).tables
        assert (table.rows, table.cols, table.header_rows) == (2, 2, 1)
    assert read_manual(to_html(berths, "text/plain").encode()).tables == []


def test_a_description_reads_no_file_of_this_machine(tmp_path: Path) -> None:
    kept = tmp_path / "kept.txt"
    kept.write_text("the harbour's own", encoding="utf-8")
    for text in (f".. include:: {kept}\n", f".. raw:: html\n   :file: {kept}\n"):
        assert "harbour" not in to_html(text, "text/x-rst")


LEDGER = b"""<html><body><table><tr><th>Vessel</th><th>Tons</th><th>Remarks</th></tr>
<tr><td>Quest</td><td>1,250</td><td>Paid in two parts</td></tr>
<tr><td>Elspeth Rowan</td><td>87</td><td></td></tr></table></body></html>"""


def test_a_listing_says_what_its_table_says_column_under_column() -> None:
    for seed in range(40):
        manual = read_manual(LEDGER)
        table = manual.parts[0].table
        assert table is not None
        look = choose_listing_look(np.random.default_rng(seed))
        markup = write_listing(table, manual, look, np.random.default_rng(seed + 1))
        assert markup is not None
        (listing,) = re.findall(r"<pre[^>]*>(.*)</pre>", markup, re.DOTALL)
        spans = re.findall(r'<span k="(\d+)">([^<]*)</span>', listing)
        said: dict[str, str] = {}
        for number, text in spans:
            said[number] = f"{said.get(number, '')} {text}".strip()
        for number, text in said.items():
            role, wanted = manual.texts[int(number)]
            assert role != "cell" or text == wanted
        assert {"Quest", "1,250", "Elspeth Rowan", "87"} <= set(said.values())
        lines = re.sub(r"<[^>]*>", "", listing).splitlines()
        (one,) = (re.search("1,250", line) for line in lines if "Quest" in line and "," in line)
        (other,) = (re.search("87", line) for line in lines if "Rowan" in line and "87" in line)
        assert one is not None
        assert other is not None
        assert one.start() == other.start() or one.end() == other.end()


def test_what_spans_is_not_listed() -> None:
    manual = read_manual(PAGE)
    table = manual.parts[1].table
    assert table is not None
    rng = np.random.default_rng(1)
    assert write_listing(table, manual, choose_listing_look(rng), rng) is None
    for seed in range(20):
        list_tables(manual, np.random.default_rng(seed))
    assert "<table>" in manual.parts[1].write()
    assert any("<pre style" in part.write() for part in manual.parts)


LONG = (
    "<html><body>"
    + "".join(f"<p>Each {w} has its own berth and mooring dues.</p>" for w in NAMES.split())
    + "</body></html>"
).encode()


def test_asides_of_manuals_have_texts_and_no_tables() -> None:
    kinds = set()
    for seed in range(60):
        manual = read_manual(LONG)
        parts = list(manual.parts)
        add_asides(manual, parts, np.random.default_rng(seed))
        assert manual.tables == []
        added = [p.markup for p in parts if p not in manual.parts]
        told = {int(k) for markup in added for k in re.findall(r'k="(\d+)"', markup)}
        assert all(manual.texts[k][0] in {"text", "code"} for k in told)
        kinds |= {markup.split(">")[0] for markup in added}
    assert len(kinds) > 4


@pytest.mark.parametrize("maker", sorted({m.__name__ for m in asides._MAKERS}))
def test_every_aside_shows_the_texts_it_tells(maker: str) -> None:
    for seed in range(4):
        manual = read_manual(LONG)
        before = len(manual.texts)
        markup = getattr(asides, maker)(manual, NAMES.split(), np.random.default_rng(seed))
        shown: dict[int, str] = {}
        for key, said in re.findall(r'<span k="(\d+)">(.*?)</span>', markup):
            shown[int(key)] = f"{shown.get(int(key), '')} {html.unescape(said)}"
        assert sorted(shown) == list(range(before, len(manual.texts)))
        for key, said in shown.items():
            role, told = manual.texts[key]
            assert role in {"text", "code"}
            assert set(told.split()) <= set(said.split())


def test_notes_stand_right_under_their_tables(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(asides, "_NOTED", 1.0)
    seen = 0
    for seed in range(12):
        manual = read_manual(LONG.replace(b"</body>", _berths(4, 3).encode() + b"</body>"))
        parts = list(manual.parts)
        add_notes(manual, parts, np.random.default_rng(seed))
        (at,) = [k for k, p in enumerate(parts) if p.table]
        assert len(parts) - len(manual.parts) == len(parts) - at - 1
        for part in parts[at + 1 :]:
            told = [int(k) for k in re.findall(r'k="(\d+)"', part.markup)]
            assert {manual.texts[k][0] for k in told} == {"note"}
            seen += len(told)
    assert seen > 6


def test_a_table_that_goes_on_has_its_last_rows_and_no_heading() -> None:
    for seed in range(20):
        manual = read_manual(LONG.replace(b"</body>", _berths(9, 3).encode() + b"</body>"))
        (whole,) = [p.table for p in manual.parts if p.table]
        parts = cut_first_table(manual.parts, np.random.default_rng(seed))
        assert len(parts) == 1  # nothing stands above it
        rest = parts[0].table
        assert rest is not None
        assert 2 <= rest.rows < whole.rows
        assert rest.heading == 0
        below = [c.text for c in whole.cells if c.row >= whole.rows - rest.rows]
        assert [c.text for c in rest.cells] == below


def test_results_are_tables_of_which_every_figure_is_known(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(results, "_SHARE", 1.0)
    seen = 0
    for seed in range(12):
        manual = read_manual(LONG)
        parts = list(manual.parts)
        results.add_results(manual, parts, np.random.default_rng(seed))
        for part in parts:
            if part.table is None:
                continue
            seen += 1
            assert part.table.grid in manual.tables
            assert part.table.heading == 1
            told = {int(k) for k in re.findall(r'k="(\d+)"', part.markup)}
            assert told >= {c.text for c in part.table.cells}
    assert seen > 12
