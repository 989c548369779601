"""Whole pages: searchable PDFs over untouched pictures, and running text as documents."""

from __future__ import annotations

import io
from collections.abc import Sequence
from contextlib import closing
from pathlib import Path

import numpy as np
import pikepdf
import pypdfium2 as pdfium
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray
from odf import teletype
from odf.opendocument import load
from odf.table import Table
from odf.text import P
from PIL import Image

from keel_line._shared.reading_order import find_column_starts, order_boxes
from keel_line.desk.desk import Desk
from keel_line.desk.sending import prepare_words
from keel_line.errors import OutputError
from keel_line.model.geometry import Transform
from keel_line.model.reading import CharReading
from keel_line.send.paragraphs import find_paragraphs, write_plain_text, write_text_document
from keel_line.send.searchable import make_searchable, write_searchable
from keel_line.send.sent import Corners, SendOptions, SentBlock, SentPage, SentWord
from tests.conftest import DEMO_PAGES
from tests.remembering import RememberingExecutor
from tests.send.test_tidied import KINDS, NAMES, ROWS, typed


def corners(x0: float, y0: float, x1: float, y1: float) -> Corners:
    return ((x0, y0), (x1, y0), (x1, y1), (x0, y1))


def picture(kind: str, size: tuple[int, int] = (400, 600), **more: object) -> bytes:
    grey = np.random.default_rng(1).integers(0, 255, size[::-1], np.uint8)
    out = io.BytesIO()
    image = Image.fromarray(grey)
    if kind == "RGBA":
        image.convert("RGBA").save(out, "PNG")
    else:
        image.save(out, kind, dpi=(100, 100), **more)
    return out.getvalue()


def page(data: bytes, *words: SentWord, size: tuple[int, int] = (400, 600)) -> SentPage:
    block = SentBlock(words, " ".join(w.text for w in words))
    return SentPage(data, "a", 1, size, (100.0, 100.0), real=False, blocks=(block,))


def places(data: bytes) -> list[tuple[str, tuple[float, float]]]:
    """Return each word of a PDF's first page, and where it begins (pt, from the upper left)."""
    with closing(pdfium.PdfDocument(data)) as document:
        text = document[0].get_textpage()
        high = document[0].get_size()[1]
        found = []
        for k in range(text.count_rects()):
            left, low, right, top = text.get_rect(k)
            said = text.get_text_bounded(left, low, right, top).strip()
            found.append((said, (left, high - (low + top) / 2)))
        return found


@pytest.mark.parametrize("kind", ["JPEG", "PNG", "TIFF", "WEBP", "BMP", "RGBA"])
def test_words_lie_over_their_ink(kind: str) -> None:
    words = [
        SentWord("Skerry", corners(100, 200, 200, 240)),
        SentWord("(4\\5)", corners(220, 200, 300, 240)),
    ]
    made = make_searchable([page(picture(kind), *words)], "Log")
    (first, at), (second, beside) = places(made)
    assert (first, second) == ("Skerry", "(4\\5)")
    assert at == pytest.approx((72.0, 158.0), abs=6.0)
    assert beside[0] == pytest.approx(158.4, abs=6.0)
    assert make_searchable([page(picture(kind), *words)], "Log") == made


def test_the_pictures_bytes_are_untouched() -> None:
    data = picture("JPEG", quality=60)
    made = make_searchable([page(data, SentWord("a", corners(0, 0, 9, 9)))], "Log")
    with closing(pikepdf.open(io.BytesIO(made))) as document:
        images = document.pages[0].get_images()
        raw = [i.read_raw_bytes() for i in images.values()]
        assert raw == [data]
        assert document.Root.Lang == "en"
        assert str(document.docinfo["/Title"]) == "Log"
    assert len(made) <= 1.15 * len(data)


@pytest.mark.parametrize("turn", [0, 90, 180, 270])
def test_words_follow_a_page_that_is_shown_turned(turn: int) -> None:
    plain = make_searchable([page(picture("PNG"))], "Log")
    with closing(pikepdf.open(io.BytesIO(plain))) as document:
        document.pages[0].rotate(turn, relative=False)
        out = io.BytesIO()
        document.save(out)
    size = (400, 600) if turn % 180 == 0 else (600, 400)
    made = make_searchable(
        [page(out.getvalue(), SentWord("Skerry", corners(100, 200, 200, 240)), size=size)], "Log"
    )
    with closing(pdfium.PdfDocument(made)) as document:
        shown = document[0].render(scale=1.0).to_pil().size
        assert shown == pytest.approx((size[0] * 0.72, size[1] * 0.72), abs=2)
        text = document[0].get_textpage()
        found = [text.get_charbox(k) for k in range(6)]
    across, up = (np.ptp([b[k] for b in found]) for k in (0, 1))
    assert (across > up) == (turn % 180 == 0)


def test_a_pdf_that_one_library_refuses_is_put_in_order_first(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    source = make_searchable([page(picture("PNG"))], "Log")
    word = SentWord("Wren", corners(20, 50, 90, 70))
    opened: list[bytes] = []
    whole = pikepdf.open

    def refuse(file: io.BytesIO, **more: object) -> pikepdf.Pdf:
        opened.append(file.getvalue())
        if opened[-1] == source:
            raise pikepdf.PdfError("damaged")
        return whole(file, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(pikepdf, "open", refuse)
    made = make_searchable([page(source, word)], "Log")
    assert [said for said, _ in places(made)] == ["Wren"]
    assert len(opened) == 2
    target = tmp_path / "log.pdf"
    target.write_bytes(b"before")
    with pytest.raises(OutputError, match="The pages of a cannot be taken over"):
        write_searchable([page(b"%PDF-1.4 and no more", word)], target, SendOptions())
    assert target.read_bytes() == b"before"


def test_a_docket_becomes_a_searchable_pdf(demo_desk: Desk, tmp_path: Path) -> None:
    ledger = next(t for t in demo_desk.tables() if t.name.startswith("Berth dues"))
    demo_desk.replace(ledger.cells[8], "Corrected by hand")
    target = tmp_path / "demo.pdf"
    demo_desk.send(target, executor=RememberingExecutor())
    with closing(pdfium.PdfDocument(target)) as document:
        said = [document[k].get_textpage().get_text_bounded() for k in range(len(document))]
    assert len(said) == 7
    whole = " ".join(" ".join(said).split())
    for words in (
        "Berth dues, March 1974",
        "Corrected by hand",
        "BRANNOCK SOUND HARBOUR",
        "Sandpiper III",
    ):
        assert words in whole
    before = sum(p.stat().st_size for p in DEMO_PAGES.iterdir())
    assert target.stat().st_size <= 1.15 * before


def test_running_text_and_tables_become_documents(demo_desk: Desk, tmp_path: Path) -> None:
    executor = RememberingExecutor()
    demo_desk.send(tmp_path / "demo.txt", executor=executor)
    lines = (tmp_path / "demo.txt").read_text(encoding="utf-8-sig").splitlines()
    assert "Tide gauge, Skerry Head" in lines
    assert any(line.startswith("Marigold\tBS 114\tN 4") for line in lines)
    demo_desk.send(tmp_path / "demo.odt", executor=executor)
    document = load(tmp_path / "demo.odt")
    assert len(document.text.getElementsByType(Table)) == len(demo_desk.tables())
    said = [teletype.extractText(p) for p in document.text.getElementsByType(P)]
    assert "BRANNOCK SOUND HARBOUR" in said


# --- order and paragraphs ---


def test_columns_are_read_one_after_another() -> None:
    heading = (0.0, 0.0, 600.0, 20.0)
    left = [(0.0, 40.0 + 24 * k, 280.0, 60.0 + 24 * k) for k in range(5)]
    right = [(320.0, 45.0 + 24 * k, 600.0, 65.0 + 24 * k) for k in range(5)]
    foot = (0.0, 220.0, 300.0, 240.0)
    boxes = [foot, *right, heading, *left]
    found = [boxes[k] for k in order_boxes(boxes)]
    assert found == [heading, *left, *right, foot]


@given(
    st.lists(
        st.tuples(st.integers(0, 500), st.integers(0, 500), st.integers(1, 90), st.integers(1, 30)),
        max_size=25,
    )
)
def test_every_box_is_read_once(spans: list[tuple[int, int, int, int]]) -> None:
    boxes = [(x, y, x + w, y + h) for x, y, w, h in spans]
    assert sorted(order_boxes(boxes)) == list(range(len(boxes)))


def line(text: str, top: float, left: float = 0.0, right: float = 500.0) -> SentBlock:
    return SentBlock((), text, None, left, top, right, top + 20, 14.0)


def test_lines_are_joined_to_paragraphs(tmp_path: Path) -> None:
    table = typed(ROWS, NAMES, KINDS)
    blocks = (
        line("The boats were char-", 0),
        line("tered in March by the", 26),
        line("office.", 52, right=80),
        line("Then came April.", 78),
        line("A new part", 104, left=30),
        SentBlock((), table=table),
        line("After the table", 300),
    )
    made = SentPage(b"", "a", 1, (600, 800), (100.0, 100.0), real=False, blocks=blocks)
    said = [p.text for p in find_paragraphs(made)]
    assert said == [
        "The boats were chartered in March by the office.",
        "Then came April.",
        "A new part",
        "",
        "After the table",
    ]
    write_plain_text([made], tmp_path / "a.txt", SendOptions(signature=False))
    lines = (tmp_path / "a.txt").read_text(encoding="utf-8").splitlines()
    assert lines[6] == "\t".join(NAMES)
    write_text_document([made, made], tmp_path / "a.odt", SendOptions())
    assert len(load(tmp_path / "a.odt").text.getElementsByType(Table)) == 2


def test_words_without_places_share_their_box() -> None:
    chars = tuple(
        CharReading(c, 0.9, (10.0 * k, 0.0, 10.0 * k + 9, 20.0)) for k, c in enumerate("ab")
    )
    box = (0.0, 0.0, 110.0, 20.0)
    known = list(prepare_words("ab", chars, box, Transform()))
    assert known[0].corners[1][0] == pytest.approx(19.0)
    laid = list(prepare_words("two words a", (), box, Transform()))
    assert [w.text for w in laid] == ["two", "words", "a"]
    assert [w.corners[0][0] for w in laid] == pytest.approx([0.0, 40.0, 100.0])
    twice = list(prepare_words("a a", (), box, Transform()))
    assert twice[0].corners != twice[1].corners


def test_two_parts_of_one_picture_are_one_page() -> None:
    data = picture("PNG")
    left = page(data, SentWord("left", corners(20, 200, 120, 240)))
    right = page(data, SentWord("right", corners(220, 200, 320, 240)))
    made = make_searchable([left, right], "Log")
    with closing(pdfium.PdfDocument(made)) as document:
        assert len(document) == 1
    assert [said for said, _ in places(made)] == ["left", "right"]


def _set_columns(starts: Sequence[float], wide: float, rows: int) -> NDArray[np.float64]:
    """Return lines 18 apart, their letters 10 high, a piece in each column."""
    return np.array(
        [(x, 18.0 * row, x + wide, 18.0 * row + 10) for row in range(rows) for x in starts]
    )


def test_a_narrow_gutter_parts_columns_of_text() -> None:
    boxes = _set_columns((0.0, 216.0, 432.0), 200.0, 8)
    lines = np.repeat(np.arange(8), 3)
    assert find_column_starts(boxes, lines, 10.0).tolist() == [False, True, True] * 8


def test_the_numbers_of_a_list_are_no_column() -> None:
    boxes = _set_columns((0.0, 22.0), 200.0, 8)
    boxes[::2, 2] = 8.0
    assert not find_column_starts(boxes, np.repeat(np.arange(8), 2), 10.0).any()


def test_a_space_in_one_loose_line_parts_nothing() -> None:
    boxes = np.vstack([_set_columns((0.0,), 416.0, 8), [(0, 144, 200, 154), (216, 144, 416, 154)]])
    lines = np.array([*range(8), 8, 8])
    assert not find_column_starts(boxes, lines, 10.0).any()
