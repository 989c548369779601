"""The measures on real documents: two grids of one page, and a grid against one written down."""

from __future__ import annotations

import numpy as np

from benchmarks.documents import (
    DAMAGES,
    WrittenGrid,
    are_same,
    load_catalogue,
    load_written,
    places_of,
    score_tables,
)
from keel_line.rule.mend import make_plain_grid
from synth.pdf import draw_line, write_pdf, write_words

BOXES = np.array(
    [(x, y, x + 8, y + 12) for y in (10, 60) for x in (*range(10, 90, 10), *range(110, 190, 10))],
    float,
)


def test_the_same_grid_is_the_same_wherever_it_lies() -> None:
    grid = make_plain_grid((0, 0, 200, 100), 2, 2)
    moved = make_plain_grid((50, 30, 250, 130), 2, 2)
    shift = np.array([50.0, 30.0, 50.0, 30.0])
    assert are_same(places_of(BOXES, grid), places_of(BOXES + shift, moved))


def test_another_number_of_rows_is_another_grid() -> None:
    one, other = (make_plain_grid((0, 0, 200, 100), rows, 2) for rows in (2, 1))
    assert not are_same(places_of(BOXES, one), places_of(BOXES, other))


def test_a_table_that_ends_earlier_is_another_grid() -> None:
    whole = make_plain_grid((0, 0, 200, 100), 2, 2)
    upper = make_plain_grid((0, 0, 200, 50), 1, 2)
    assert not are_same(places_of(BOXES, whole), places_of(BOXES, upper))


def test_the_catalogue_names_packages_with_their_versions() -> None:
    catalogue = load_catalogue()
    assert len(catalogue) >= 20
    assert all(d.version and d.path.endswith(".pdf") for d in catalogue)
    assert all(set(d.pages).isdisjoint(d.none) and (d.pages or d.none) for d in catalogue)


def test_grids_written_down_are_whole() -> None:
    written = load_written()
    assert len(written) >= 60
    for w in written:
        assert all((np.diff(lines) > 0).all() and lines[0] > 0 for lines in (w.x, w.y))
        assert max(*w.x, *w.y) < 1
        assert 0 <= w.heading_rows < len(w.y)
        assert w.caption is None or len(w.caption) in (0, 4)
        for row, col, high, wide, _ in w.spans:
            assert row + high < len(w.y)
            assert col + wide < len(w.x)


XS, WIDE, HIGH, STEP = (80, 220, 330), 595, 842, 20
ROWS = [("Vessel", "Tons", "Dues"), *[(f"Gannet {k}", f"{k * 37}", f"{k}.50") for k in range(1, 9)]]


def made_page() -> bytes:
    words = [write_words("Table 1. Dues of the boats", 80, 730)]
    words += [
        write_words(text, x, 700 - STEP * k)
        for k, row in enumerate(ROWS)
        for x, text in zip(XS, row, strict=True)
    ]
    across = [draw_line(75, y, 420, y) for y in (716, 696, 700 - STEP * 8 - 6)]
    return write_pdf([[*across, *words]], (WIDE, HIGH))


def written_grid(rows: int) -> WrittenGrid:
    x = tuple(v / WIDE for v in (75, 200, 310, 420))
    y = tuple((HIGH - 714 + STEP * k) / HIGH for k in range(rows + 1))
    caption = (70 / WIDE, 98 / HIGH, 400 / WIDE, 118 / HIGH)
    return WrittenGrid("made", "1", "page.pdf", 1, x, y, 1, caption=caption)


def test_a_table_is_compared_with_what_was_written_down() -> None:
    results = score_tables(made_page(), "page.pdf", [written_grid(9), written_grid(8)])
    pictures = [d for _ in range(3) for d in DAMAGES]
    assert [r.damage for r in results] == [d for d in ("digital", *pictures) for _ in range(2)]
    right, short = results[:2]
    assert right.found
    assert right.exact
    assert right.headed
    assert right.captioned
    assert short.found
    assert not short.exact
