from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from keel_line._shared.texts import is_lone_mark
from keel_line.read.prepare import LineRecipe
from keel_line.rule.survey import find_grids
from keel_line.square.straighten import square_page
from synth import faces
from synth.lines import LINES_A_SHEET, make_sheet
from synth.nils import make_nils
from synth.pages import Style, make_page, make_table
from synth.paper import CONDITIONS, add_specks, compress, fade, spread_ink
from synth.registers import make_register
from synth.text import (
    DASHES,
    GROUP_SHARES,
    LONE_MARK_SHARES,
    LOOK_ALIKE_SHARES,
    make_lone_mark,
    make_look_alikes,
    make_pseudo_word,
    make_symbols,
)
from tests.conftest import as_page, inter
from training.config import ALPHABET

ALLOWED = frozenset(ALPHABET)


def test_sheet_lines_carry_their_truth() -> None:
    samples = make_sheet(
        np.random.default_rng(2), (inter(), inter(bold=True)), ALLOWED, LineRecipe()
    )
    assert len(samples) == LINES_A_SHEET
    for sample in samples:
        assert sample.image.shape[0] == LineRecipe().height
        assert sample.spans.shape == (len(sample.text), 2)
        assert (np.diff(sample.spans[:, 0]) >= -0.01).all()
        assert sample.spans[0, 0] >= -4
        assert sample.spans[-1, 1] <= sample.image.shape[1] + 4
        assert set(sample.text) <= ALLOWED


def test_sheets_follow_from_the_seed() -> None:
    a, b = (
        make_sheet(np.random.default_rng(3), (inter(),), ALLOWED, LineRecipe()) for _ in range(2)
    )
    for left, right in zip(a, b, strict=True):
        assert left.text == right.text
        np.testing.assert_array_equal(left.image, right.image)


@pytest.mark.parametrize("condition", [*CONDITIONS, "fax", "fax-coarse"])
def test_pages_of_every_condition(condition: str) -> None:
    page = make_page(
        np.random.default_rng(8), [inter(), inter(bold=True)], ALLOWED, condition=condition, dpi=120
    )
    assert page.condition == condition
    assert page.grey.dtype == np.uint8
    for table in page.tables:
        covered = np.zeros((table.rows, table.cols), int)
        for cell in table.cells:
            covered[cell.row : cell.row + cell.row_span, cell.col : cell.col + cell.col_span] += 1
        assert (covered == 1).all()


def test_made_tables_fit_their_room() -> None:
    style = Style(inter(), inter(bold=True), 10)
    for seed in range(12):
        content = make_table(np.random.default_rng(seed), style, ALLOWED, (6.0, 5.0))
        assert sum(content.widths_in) == pytest.approx(6.0)
        assert 3 <= len(content.widths_in) <= 8
        assert content.header_rows in {1, 2}


def test_machines_of_one_bit_get_lines_that_they_can_see(monkeypatch: pytest.MonkeyPatch) -> None:
    faint = Style(inter(), inter(bold=True), 10, rule_level=190, rule_pt=0.3)
    monkeypatch.setattr("synth.pages.choose_style", lambda _rng, _faces: faint)
    page = make_page(np.random.default_rng(8), [inter()], ALLOWED, condition="fax", most_skew_deg=0)
    squared = square_page(as_page(page))
    assert len(find_grids(squared.pixels, squared.dpi)) == len(page.tables)


def test_ink_spreads_and_thins() -> None:
    grey = np.full((60, 60), 255, np.uint8)
    grey[20:40, 28:32] = 0
    thick, thin = spread_ink(grey, 1.5, 0.8), spread_ink(grey, -1.2, 0.8)
    assert (thick < 128).sum() > (grey < 128).sum() > (thin < 128).sum()


def test_fade_brings_paper_and_ink_to_their_levels() -> None:
    grey = np.array([[0, 255]], np.uint8)
    assert fade(grey, np.random.default_rng(1), 220, 60).tolist() == [[60, 220]]


def test_specks_and_compression_leave_most_of_the_page() -> None:
    grey = np.full((300, 300), 240, np.uint8)
    rng = np.random.default_rng(1)
    assert 0 < (add_specks(grey, rng, 400, 1.0) != 240).mean() < 0.05
    assert np.abs(compress(grey, 60).astype(int) - 240).max() < 4


def test_registers_repeat_themselves_and_are_found() -> None:
    rng = np.random.default_rng(6)
    pages = [make_register(rng, [inter(), inter(bold=True)], ALLOWED) for _ in range(3)]
    repeats = columns = 0
    for page in pages:
        (table,) = page.tables
        grids = find_grids(page.grey, page.x_dpi)
        assert {(c.row, c.col) for g in grids for c in g.cells} == {
            (c.row, c.col) for c in table.cells
        }
        for col in range(table.cols):
            texts = [c.text for c in table.cells if c.col == col and c.row and c.text]
            assert all(set(text) <= ALLOWED for text in texts)
            repeats += len(texts) - len(set(texts)) > len(texts) / 3
            columns += 1
    assert repeats > columns / 4


def test_nils_stand_alone_in_their_columns_and_are_found() -> None:
    rng = np.random.default_rng(8)
    kinds, blank = [], 0
    for _ in range(4):
        page = make_nils(rng, [inter(), inter(bold=True)], ALLOWED)
        (table,) = page.tables
        grids = find_grids(page.grey, page.x_dpi)
        assert {(c.row, c.col) for g in grids for c in g.cells} == {
            (c.row, c.col) for c in table.cells
        }
        for col in range(1, table.cols - 1):
            texts = [c.text for c in table.cells if c.col == col and c.row]
            blank += texts.count("")
            kinds.append({text for text in texts if is_lone_mark(text)})
    assert blank > 100
    assert max(map(len, kinds)) == 1
    assert set() in kinds
    assert len(set.union(*kinds)) > 2


def test_lone_marks_are_mostly_dashes_and_of_the_alphabet() -> None:
    rng = np.random.default_rng(9)
    marks = [make_lone_mark(rng) for _ in range(2000)]
    assert set("".join(marks)) <= set(ALPHABET)
    assert 0.4 < sum(mark in DASHES for mark in marks) / len(marks) < 0.6


def test_look_alikes_stand_for_each_other_evenly() -> None:
    rng = np.random.default_rng(7)
    signs = "".join(make_look_alikes(rng) for _ in range(4000))
    assert signs.count("’") == pytest.approx(signs.count("'"), rel=0.25)
    assert signs.count("–") == pytest.approx(signs.count("-"), rel=0.25)
    assert min(signs.count(sign) for sign in "O0Il1—") > 100


def test_shares_of_text_add_up() -> None:
    assert sum(GROUP_SHARES.values()) == pytest.approx(1.0)
    assert sum(LOOK_ALIKE_SHARES.values()) == pytest.approx(1.0)
    assert sum(LONE_MARK_SHARES.values()) == pytest.approx(1.0)
    rng = np.random.default_rng(5)
    assert all(make_pseudo_word(rng).isalpha() for _ in range(50))
    assert all(0 < len(make_symbols(rng)) < 20 for _ in range(50))


def test_faces_that_were_not_fetched_are_missed(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(faces, "INDEX_FILE", tmp_path / "none.json")
    faces.load_faces.cache_clear()
    with pytest.raises(FileNotFoundError):
        faces.load_faces("train")
