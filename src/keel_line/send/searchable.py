"""Pages as a searchable PDF: each page's own picture, untouched, with its text behind the ink."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import img2pdf
import numpy as np
import pikepdf
import pypdfium2 as pdfium
from numpy.typing import NDArray
from PIL import Image

from keel_line._shared.pulse import pulse
from keel_line.errors import OutputError
from keel_line.send.names import clean_text
from keel_line.send.safely import write_safely
from keel_line.send.sent import SendOptions, SentPage, SentWord

_LETTER_EM = 0.6  # of Courier, which is on every machine
_SIZE, _BASELINE = 1.1, 0.22  # so that what is selected lies over the ink
_LEAST_PT = 1.0
_NOT_PLAIN = str.maketrans(
    {"\u2212": "-", "\u2033": '"', "\u2032": "'", "\u2010": "-", "\u2011": "-"}
)


def write_searchable(pages: Sequence[SentPage], target: Path, options: SendOptions) -> list[str]:
    """Write pages as PDF; return what is to be said about it.

    Raises
    ------
    OutputError
        When the target cannot be written.
    """
    del options
    made = make_searchable(pages, target.stem)
    write_safely(target, lambda part: part.write_bytes(made))
    return []


def make_searchable(pages: Sequence[SentPage], title: str) -> bytes:
    """Return pages as a PDF with their text behind the pictures.

    Raises
    ------
    OutputError
        When the pages of a source cannot be taken over.
    """
    out = io.BytesIO()
    with closing(pikepdf.new()) as made:
        sources: dict[bytes, pikepdf.Pdf] = {}
        font = made.make_indirect(
            pikepdf.Dictionary(
                Type=pikepdf.Name.Font,
                Subtype=pikepdf.Name.Type1,
                BaseFont=pikepdf.Name.Courier,
                Encoding=pikepdf.Name.WinAnsiEncoding,
            )
        )
        try:
            for page in _join_parts(pages):
                pulse()
                if page.data not in sources:
                    sources[page.data] = _open(page)
                made.pages.append(sources[page.data].pages[page.number - 1])
                if not page.real:
                    _add_text(made, made.pages[-1], font, page)
            made.docinfo["/Title"] = clean_text(title)
            made.docinfo["/Producer"] = "Keel Line"
            made.Root.Lang = "en"
            made.save(out, deterministic_id=True, linearize=False)
        finally:
            for source in sources.values():
                source.close()
    return out.getvalue()


def _join_parts(pages: Sequence[SentPage]) -> list[SentPage]:
    """Return each page of a source once, with the text of all parts that it was read in.

    Two pages in one picture are parts of it, and so is a table that was moved to its own page.
    """
    out: dict[tuple[bytes, int], SentPage] = {}
    for page in pages:
        key = (page.data, page.number)
        first = out.get(key)
        blocks = page.blocks if first is None else (*first.blocks, *page.blocks)
        out[key] = replace(first or page, blocks=blocks)
    return list(out.values())


def _open(page: SentPage) -> pikepdf.Pdf:
    """Open a page's source as a PDF; one that is damaged is put in order first.

    Raises
    ------
    OutputError
        When its pages cannot be taken over.
    """
    data = _as_pdf(page)
    for mend in (False, True):
        try:
            found = pikepdf.open(io.BytesIO(_mend(data) if mend else data))
            if len(found.pages) >= page.number:
                return found
        except (pikepdf.PdfError, pdfium.PdfiumError):
            continue
    raise OutputError(
        f"The pages of {page.name} cannot be taken over: it is damaged or locked. "
        "Print it to a new PDF."
    )


def _mend(data: bytes) -> bytes:
    """Return a PDF written anew."""
    out = io.BytesIO()
    with closing(pdfium.PdfDocument(data)) as document:
        document.save(out)
    return out.getvalue()


def _as_pdf(page: SentPage) -> bytes:
    """Return a page's source as a PDF; pictures keep their compressed bytes."""
    if b"%PDF-" in page.data[:1024]:
        return page.data
    lay = img2pdf.get_fixed_dpi_layout_fun(page.dpi)
    if _is_translucent(page.data):
        return bytes(img2pdf.convert(_pack(page.data), layout_fun=lay, nodate=True) or b"")
    try:
        made = img2pdf.convert(
            page.data, layout_fun=lay, nodate=True, rotation=img2pdf.Rotation.ifvalid
        )
    except (img2pdf.ImageOpenError, img2pdf.AlphaChannelError, ValueError, TypeError):
        made = img2pdf.convert(_pack(page.data), layout_fun=lay, nodate=True)
    return bytes(made or b"")


def _is_translucent(data: bytes) -> bool:
    with Image.open(io.BytesIO(data)) as image:
        return image.mode in {"RGBA", "LA", "PA"} or "transparency" in image.info


def _pack(data: bytes) -> list[bytes]:
    """Return a picture file's pages as PNG, for formats that a PDF does not hold as they are."""
    out = []
    with Image.open(io.BytesIO(data)) as image:
        for number in range(getattr(image, "n_frames", 1)):
            image.seek(number)
            plain = image.copy()
            if image.mode not in {"1", "L"}:
                over = image.convert("RGBA")
                plain = Image.new("RGBA", over.size, "white")
                plain.alpha_composite(over)
                plain = plain.convert("RGB")
            packed = io.BytesIO()
            plain.save(packed, "PNG")
            out.append(packed.getvalue())
    return out


def _add_text(made: pikepdf.Pdf, page: pikepdf.Page, font: pikepdf.Object, sent: SentPage) -> None:
    """Add a page's words behind its picture, invisible, in the order of reading."""
    place = _find_map(page, sent)
    lines = [b"q BT 3 Tr"]
    for block in sent.blocks:
        for word in block.words:
            lines += _say_word(word, place)
    lines.append(b"ET Q\n")
    name = page.add_resource(font, pikepdf.Name.Font, pikepdf.Name("/KeelText"))
    stream = b"\n".join(lines).replace(b"/KeelText", str(name).encode())
    page.contents_add(made.make_stream(b"q\n"), prepend=True)
    page.contents_add(made.make_stream(b"\nQ\n" + stream))


def _find_map(page: pikepdf.Page, sent: SentPage) -> NDArray[np.float64]:
    """Return the map from px of the page as it came to points of the PDF's page, shape (2, 3)."""
    box = [float(v) for v in page.cropbox]
    wide, high = box[2] - box[0], box[3] - box[1]
    turned = int(page.obj.get("/Rotate", 0)) % 360
    shown = (wide, high) if turned % 180 == 0 else (high, wide)
    x, y = shown[0] / sent.size_px[0], shown[1] / sent.size_px[1]
    ways = {
        0: [[x, 0, 0], [0, -y, high]],
        90: [[0, y, 0], [x, 0, 0]],
        180: [[-x, 0, wide], [0, y, 0]],
        270: [[0, -y, wide], [-x, 0, high]],
    }
    out = np.array(ways.get(turned, ways[0]), float)
    out[:, 2] += box[:2]
    return out


def _say_word(word: SentWord, place: NDArray[np.float64]) -> Iterator[bytes]:
    """Yield a word's text with the matrix that lays it over its ink."""
    text = clean_text(word.text).translate(_NOT_PLAIN)
    encoded = text.encode("cp1252", "replace")
    if not encoded.strip():
        return
    corners = np.array(word.corners, float) @ place[:, :2].T + place[:, 2]
    along, up = corners[2] - corners[3], corners[0] - corners[3]
    wide, high = float(np.hypot(*along)), float(np.hypot(*up))
    if wide < _LEAST_PT / 4 or high < _LEAST_PT:
        return
    cos, sin = along / wide
    size = _SIZE * high
    scale = wide / (_LETTER_EM * size * len(encoded))
    quoted = encoded.replace(b"\\", b"\\\\").replace(b"(", b"\\(").replace(b")", b"\\)")
    quoted = quoted.replace(b"\r", b" ").replace(b"\n", b" ")
    x, y = corners[3] + _BASELINE * up
    yield f"/KeelText {size:.2f} Tf {100 * scale:.2f} Tz".encode()
    yield f"{cos:.5f} {sin:.5f} {-sin:.5f} {cos:.5f} {x:.2f} {y:.2f} Tm".encode()
    yield b"(" + quoted + b" ) Tj"
