"""Only the promised formats are opened, and whatever is wrong with a file is said in a sentence."""

from __future__ import annotations

import io
import os
import random
import struct
from contextlib import suppress
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from benchmarks.torture import damage
from keel_line.errors import InputError
from keel_line.gather.sources import ENDINGS, count_pages, find_scans, load_page, read_file
from keel_line.gather.tiff import find_tiff_pages
from synth.pdf import write_pdf

POSTSCRIPT = (
    b"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 40 40\n"
    b"(%s) (w) file dup (ran) writestring closefile\nshowpage\n%%EOF\n"
)


def save(kind: str, mode: str = "RGB", **options: object) -> bytes:
    out = io.BytesIO()
    Image.new(mode, (64, 48), 255 if mode == "L" else "white").save(out, kind, **options)
    return out.getvalue()


def fits() -> bytes:
    cards = ("SIMPLE  = T", "BITPIX  = 8", "NAXIS   = 2", "NAXIS1  = 64", "NAXIS2  = 48", "END")
    return "".join(c.ljust(80) for c in cards).ljust(2880).encode() + bytes(2880)


def wmf() -> bytes:
    placed = struct.pack("<IHhhhhHI", 0x9AC6CDD7, 0, 0, 0, 640, 480, 1440, 0)
    return placed + b"\0\0" + struct.pack("<HHHIHIH", 1, 9, 0x300, 12, 0, 3, 0) + bytes(6)


OTHERS = {
    "postscript": POSTSCRIPT,
    "fits": fits(),
    "wmf": wmf(),
    "gif": save("GIF"),
    "ico": save("ICO"),
    "pcx": save("PCX"),
    "tga": save("TGA"),
    "xbm": b"#define a_width 8\n#define a_height 8\nstatic char a_bits[] = {0,0,0,0,0,0,0,0};\n",
    "svg": b"<svg xmlns='http://www.w3.org/2000/svg' width='64' height='48'/>",
}


@pytest.mark.parametrize("ending", ENDINGS)
@pytest.mark.parametrize("kind", OTHERS)
def test_no_other_format_is_opened_under_any_ending(
    kind: str, ending: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    ran = tmp_path / "ran"
    monkeypatch.setenv("TMPDIR", str(tmp_path))
    data = OTHERS[kind].replace(b"%s", str(ran).encode())
    name = f"scan{ending}"
    for attempt in (count_pages, lambda d, n: load_page(d, n, 1)):
        with pytest.raises(InputError, match=r"cannot? be read|can be read"):
            attempt(data, name)
    assert list(tmp_path.iterdir()) == []


def test_a_file_of_many_pages_is_counted_by_its_own_chain() -> None:
    out = io.BytesIO()
    frames = [Image.new("L", (40, 30), n) for n in range(5)]
    frames[0].save(out, "TIFF", save_all=True, append_images=frames[1:])
    data = out.getvalue()
    assert count_pages(data, "five.tif") == 5
    shades = [int(load_page(data, "five.tif", n).pixels[0, 0]) for n in range(1, 6)]
    assert shades == [0, 1, 2, 3, 4]
    with pytest.raises(InputError, match=r"five\.tif has no page 6"):
        load_page(data, "five.tif", 6)


def test_a_chain_that_comes_back_to_itself_ends() -> None:
    out = io.BytesIO()
    Image.new("L", (40, 30)).save(
        out, "TIFF", save_all=True, append_images=[Image.new("L", (40, 30))]
    )
    data = bytearray(out.getvalue())
    first, second = find_tiff_pages(bytes(data))
    (entries,) = struct.unpack_from("<H", data, second)
    struct.pack_into("<I", data, second + 2 + 12 * entries, first)
    assert find_tiff_pages(bytes(data)) == [first, second]
    assert find_tiff_pages(bytes(data[: first + 1])) == []


def test_a_moving_picture_is_one_page() -> None:
    frames = [Image.new("L", (64, 48), shade) for shade in (255, 0)]
    for kind in ("PNG", "WEBP"):
        out = io.BytesIO()
        frames[0].save(out, kind, save_all=True, append_images=frames[1:])
        assert count_pages(out.getvalue(), "moving") == 1


@pytest.mark.parametrize("size", [(0.001, 500.0), (0.5, 0.5)])
def test_a_pdf_page_of_no_size_is_told(size: tuple[float, float]) -> None:
    data = write_pdf([["0 0 m 1 1 l S"]]).replace(
        b"[0 0 595 842]", f"[0 0 {size[0]} {size[1]}]".encode()
    )
    with pytest.raises(InputError, match=r"Page 1 of thin\.pdf (is too small|is damaged)"):
        load_page(data, "thin.pdf", 1)


def test_a_picture_far_too_large_is_told_before_it_is_unpacked() -> None:
    head = save("PNG", "L")
    huge = head[:16] + struct.pack(">II", 19_900, 19_900) + bytes([8, 6]) + head[26:]
    with pytest.raises(InputError, match="19,900 by 19,900 pixels, too large"):
        load_page(_with_checksum(huge), "huge.png", 1)


def _with_checksum(png: bytes) -> bytes:
    from zlib import crc32  # noqa: PLC0415 - only here

    return png[:29] + struct.pack(">I", crc32(png[12:29])) + png[33:]


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "TIFF", "WEBP", "BMP", "PPM", "PDF"])
def test_damaged_files_raise_nothing_but_a_sentence(kind: str) -> None:
    rng = random.Random(3)
    noise = np.random.default_rng(1).integers(0, 255, (48, 64), np.uint8)
    out = io.BytesIO()
    many = {"save_all": True, "append_images": [Image.fromarray(noise)]} if kind == "TIFF" else {}
    Image.fromarray(noise).save(out, kind, **many)
    for _ in range(150):
        data = damage(out.getvalue(), rng)
        with suppress(InputError):
            for number in range(1, min(count_pages(data, "scan"), 2) + 1):
                load_page(data, "scan", number)


def test_what_is_no_file_is_told(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe.png")
    with pytest.raises(InputError, match="is not a file"):
        read_file(tmp_path / "pipe.png")
    with pytest.raises(InputError, match="holds no pictures"):
        find_scans(tmp_path)
