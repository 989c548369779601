"""What a PDF carries as real text, and what only looks so."""

from __future__ import annotations

import io

import numpy as np
import pypdfium2 as pdfium
import pytest
from PIL import Image

from keel_line.gather.sources import load_page
from keel_line.model.page import UNKNOWN, PageText
from synth.pdf import draw_line, write_pdf, write_words

PX = 300 / 72
HIGH = 842


def text_of(drawings: list[str], size: tuple[int, int] = (595, HIGH)) -> PageText | None:
    return load_page(write_pdf([drawings], size), "rota.pdf", 1).text


def test_characters_come_with_their_places() -> None:
    text = text_of([write_words("Marigold N 4", 100, 700, 12), write_words("1,284.50", 300, 680)])
    assert text is not None
    assert text.chars == "MarigoldN41,284.50"
    assert [c for c, s in zip(text.chars, text.spaced, strict=True) if s] == ["M", "N", "4", "1"]
    x0, y0, x1, y1 = text.boxes[0].tolist()
    assert x0 == pytest.approx(100 * PX, abs=6)
    assert y1 == pytest.approx((HIGH - 700) * PX, abs=2)
    assert y1 - y0 == pytest.approx(0.72 * 12 * PX, abs=2)
    assert x0 < x1 < text.boxes[1, 2]


def set_apart(words: str, step: float, y: float = 700) -> list[str]:
    """Return a line whose letters stand each by itself, a step from the one before."""
    return [write_words(c, 60 + step * k, y, 10) for k, c in enumerate(words) if c != " "]


@pytest.mark.parametrize("step", [9.0, 12.0, 20.0])
def test_letters_that_are_set_apart_are_words_all_the_same(step: float) -> None:
    text = text_of(set_apart("Return of fish landed", step))
    assert text is not None
    starts = [k for k, s in enumerate(text.spaced) if s]
    assert starts == [0, 6, 8, 12]


def test_a_space_that_the_file_only_moves_by_is_one() -> None:
    lines = [write_words("Rockhopper khaki kgb", 60, y, 10) for y in (700, 680, 660)]
    # “Lock” is 21.12 points wide, a space 2.8.
    near = [write_words("Lock", 60, 640, 10), write_words("gates", 81.12 + 1.9, 640, 10)]
    text = text_of([*lines, *near])
    assert text is not None
    at = text.chars.index("Lockgates")
    assert text.spaced[at : at + 9].tolist() == [True, *[False] * 3, True, *[False] * 4]


def test_a_letter_that_always_stands_before_a_moved_space_does_so() -> None:
    # “k” is 5 points wide, and stands nowhere on the page without a space after it.
    codes = [(write_words("k", 60, y, 10), write_words(n, 65 + 1.9, y, 10))
             for y, n in ((640, "661"), (620, "702"), (600, "118"))]  # fmt: skip
    text = text_of(
        [write_words("Register of vessels", 60, 700, 10), *(w for c in codes for w in c)]
    )
    assert text is not None
    for code in ("k661", "k702", "k118"):
        at = text.chars.index(code)
        assert text.spaced[at : at + 4].tolist() == [True, True, False, False]


def test_figures_a_little_apart_are_one_number() -> None:
    thousands = [write_words("12", 60, 640, 10), write_words("345", 71.12 + 2.0, 640, 10)]
    text = text_of([write_words("Paid 22 and 25 of 1225", 60, 700, 10), *thousands])
    assert text is not None
    at = text.chars.index("12345")
    assert text.spaced[at : at + 5].tolist() == [True, False, False, False, False]


def test_words_beside_a_leader_of_points_stay_apart() -> None:
    points = [write_words(".", 240 + 8 * k, 700) for k in range(30)]
    text = text_of(
        [
            write_words("Dues", 60, 700),
            write_words("at", 92, 700),
            write_words("quay", 108, 700),
            *points,
        ]
    )
    assert text is not None
    assert [k for k, s in enumerate(text.spaced[:10]) if s] == [0, 4, 6]


def test_the_boxes_lie_on_the_ink() -> None:
    page = load_page(write_pdf([[write_words("HHHHHHHHHHHH", 90, 400, 20)]]), "h.pdf", 1)
    assert page.text is not None
    ink = np.argwhere(page.pixels < 128)
    (top, left), (low, right) = ink.min(axis=0), ink.max(axis=0)
    boxes = page.text.boxes
    assert boxes[:, 0].min() == pytest.approx(left, abs=3)
    assert boxes[:, 2].max() == pytest.approx(right, abs=3)
    assert boxes[:, 1].min() == pytest.approx(top, abs=4)
    assert boxes[:, 3].max() == pytest.approx(low, abs=4)


def test_lines_are_joined_where_they_touch() -> None:
    pieces = [draw_line(50 + 40 * i, 500, 90 + 40 * i, 500) for i in range(4)]
    box = "0.6 w 300 300 100 60 re S"
    ground = "0.9 g 50 100 200 80 re f"
    thin = "0 g 50 90 200 0.8 re f"
    words = write_words("twelve letters or more", 60, 600)
    text = text_of([*pieces, box, ground, thin, words])
    assert text is not None
    across = [r for r in text.rules if r.direction == "across"]
    down = [r for r in text.rules if r.direction == "down"]
    lengths = sorted(round(r.length / PX) for r in across)
    assert lengths == [100, 100, 160, 200]
    assert [round(r.length / PX) for r in down] == [60, 60]
    longest = max(across, key=lambda r: r.length)
    assert longest.position == pytest.approx((HIGH - 90.4) * PX, abs=3)


def test_lines_drawn_together_or_as_pictures_of_a_point_are_rules() -> None:
    both = "0 g 50 500 200 0.8 re 50 480 200 0.8 re f"
    point = "q 200 0 0 0.5 50 450 cm BI /W 1 /H 1 /CS /G /BPC 8 ID 0 EI Q"
    text = text_of([both, point, write_words("twelve letters or more", 60, 600)])
    assert text is not None
    heights = sorted(HIGH - r.position / PX for r in text.rules if r.direction == "across")
    assert heights == pytest.approx([450.25, 480.4, 500.4], abs=1)
    assert all(round(r.length / PX) == 200 for r in text.rules)


def put_into(page: bytes, drawing: bytes, by: float, right: float, up: float) -> bytes:
    """Return a PDF of a page that holds another file's first page as a drawing, moved (pt)."""
    with pdfium.PdfDocument(page) as pdf, pdfium.PdfDocument(drawing) as other:
        held = other.page_as_xobject(0, pdf).as_pageobject()
        held.set_matrix(pdfium.PdfMatrix(by, 0, 0, by, right, up))
        first = pdf[0]
        first.insert_obj(held)
        first.gen_content()
        out = io.BytesIO()
        pdf.save(out)
        return out.getvalue()


def test_lines_of_drawings_on_a_page_lie_where_they_are_seen() -> None:
    graph = write_pdf([[draw_line(100, 200, 300, 200, 4), "100 200 3 100 re f"]])
    words = write_pdf([[write_words("Tons of herring landed", 72, 700)]])
    nested = put_into(words, put_into(write_pdf([[]]), graph, 0.5, 40, 60), 0.8, 100, 200)
    page = load_page(nested, "graph.pdf", 1)
    assert page.text is not None
    across, down = sorted(page.text.rules, key=lambda r: r.direction)
    left, foot = 100 + 0.8 * (40 + 0.5 * 100), HIGH - (200 + 0.8 * (60 + 0.5 * 200))
    assert (across.start, across.end) == pytest.approx((left * PX, (left + 80) * PX), abs=3)
    assert across.position == pytest.approx(foot * PX, abs=3)
    assert down.position == pytest.approx((left + 0.6) * PX, abs=3)
    assert page.pixels[round(across.position), round(across.end) - 9] < 99
    assert page.pixels[round(down.start) + 9, round(down.position)] < 99


def test_a_slanted_line_is_no_rule() -> None:
    text = text_of([draw_line(50, 500, 300, 520), write_words("twelve letters or more", 60, 600)])
    assert text is not None
    assert text.rules == ()


def test_a_page_of_few_letters_has_no_text() -> None:
    assert text_of([write_words("p. 3", 60, 600)]) is None


def test_hidden_text_is_not_believed() -> None:
    hidden = write_words("what another program made of a scan", 60, 600).replace("BT", "BT 3 Tr")
    assert text_of([hidden]) is None


def test_text_on_its_side_is_read_as_ink() -> None:
    turned = "BT /F1 12 Tf 0 1 -1 0 200 200 Tm (twelve letters or more) Tj ET"
    assert text_of([turned]) is None


def test_a_scan_in_a_pdf_has_no_text() -> None:
    out = io.BytesIO()
    Image.new("L", (1240, 1754), 230).save(out, "PDF", resolution=150)
    page = load_page(out.getvalue(), "scan.pdf", 1)
    assert page.text is None
    assert page.kind == "scan"


def test_a_character_without_a_letter_is_told_and_can_be_kept() -> None:
    text = text_of([write_words("a page of thirty letters or more, and one\x01", 60, 600)])
    assert text is not None
    assert text.chars.replace(UNKNOWN, "").isprintable()
    text.chars.encode()


def test_letters_are_as_high_as_they_are_drawn() -> None:
    """Some programs set a size and then draw all of it larger or smaller."""
    drawn = "BT /F1 24 Tf 0.5 0 0 0.5 100 700 Tm (HHHHHHHHHHHHHH) Tj ET"
    text = text_of([drawn])
    assert text is not None
    high = text.boxes[:, 3] - text.boxes[:, 1]
    assert high == pytest.approx(0.72 * 12 * PX, abs=1)


def test_a_few_turned_letters_are_known_for_what_they_are() -> None:
    turned = "BT /F1 12 Tf 0 1 -1 0 200 200 Tm (Tons) Tj ET"
    text = text_of([turned, write_words("twenty letters or more along the page", 60, 600)])
    assert text is not None
    assert text.is_turned.sum() == 4
    boxes = text.boxes[text.is_turned]
    assert (np.diff(boxes[:, 1]) < 0).all()  # the next stands above


def test_typed_rules_come_as_lines() -> None:
    words = [write_words("Vessel  Tons  Dues", 60, 600, face="F4")]
    rules = write_words("------  ----  ----", 60, 588, face="F4")
    text = text_of([*words, rules])
    assert text is not None
    assert text.chars == "VesselTonsDues"
    assert len(text.rules) == 3
