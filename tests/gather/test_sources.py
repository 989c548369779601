from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from keel_line.errors import InputError
from keel_line.gather.pictures import find_resolution
from keel_line.gather.sources import find_scans, load_page, make_source, read_file
from keel_line.model.page import Page


def encode(image: Image.Image, kind: str, **options: object) -> bytes:
    out = io.BytesIO()
    image.save(out, kind, **options)
    return out.getvalue()


def halves(mode: str = "L") -> Image.Image:
    """Left half black, right half white."""
    grey = np.full((60, 80), 255, np.uint8)
    grey[:, :40] = 0
    return Image.fromarray(grey).convert(mode)


def load(data: bytes, name: str = "scan") -> Page:
    return load_page(data, name, 1)


@pytest.mark.parametrize("kind", ["PNG", "TIFF", "WEBP", "BMP", "PPM"])
def test_formats_come_in_as_grey(kind: str) -> None:
    page = load(encode(halves("RGB" if kind == "WEBP" else "L"), kind))
    assert page.pixels.shape == (60, 80)
    assert page.pixels[:, :36].max() < 30
    assert page.pixels[:, 44:].min() > 225


@pytest.mark.parametrize("mode", ["1", "P", "RGB", "RGBA", "LA", "CMYK", "I;16"])
def test_modes_come_in_as_grey(mode: str) -> None:
    if mode == "I;16":
        image = Image.fromarray(np.asarray(halves(), np.uint16) * 257)
    else:
        image = halves(mode)
    page = load(encode(image, "TIFF"))
    assert page.pixels.dtype == np.uint8
    assert page.pixels[:, :36].max() < 40
    assert page.pixels[:, 44:].min() > 215


def test_clear_parts_are_paper() -> None:
    clear = Image.new("RGBA", (40, 40), (0, 0, 0, 0))
    assert load(encode(clear, "PNG")).pixels.min() == 255


def test_camera_turn_is_taken_out() -> None:
    exif = Image.Exif()
    exif[0x0112] = 6  # turned by a quarter
    exif[0x010F] = "Camera"
    page = load(encode(halves(), "JPEG", exif=exif, dpi=(150, 150)))
    assert page.pixels.shape == (80, 60)
    assert page.pixels[:30].mean() < 60
    assert page.kind == "photo"


def test_fax_keeps_both_resolutions() -> None:
    data = encode(Image.new("1", (1728, 1143), 1), "TIFF", compression="group4", dpi=(204, 98))
    page = load(data)
    assert page.kind == "fax"
    assert (round(page.resolution.x_dpi), round(page.resolution.y_dpi)) == (204, 98)


def test_pages_of_a_tiff() -> None:
    frames = [Image.new("L", (50, 40), shade) for shade in (0, 120, 255)]
    out = io.BytesIO()
    frames[0].save(out, "TIFF", save_all=True, append_images=frames[1:])
    source = make_source("three.tif", out.getvalue())
    assert source.pages == 3
    shades = [int(load_page(source.data, source.name, n).pixels.mean()) for n in (1, 2, 3)]
    assert shades == [0, 120, 255]


def test_pdf_pages_are_drawn_at_300_dpi() -> None:
    data = encode(halves("RGB"), "PDF", resolution=72.0)
    source = make_source("two.pdf", data)
    page = load_page(source.data, source.name, 1)
    assert source.pages == 1
    assert page.resolution.x_dpi == 300
    np.testing.assert_allclose(page.pixels.shape, (250, 333), atol=2)


def test_implausible_resolution_is_estimated() -> None:
    found = find_resolution((72, 72), (2480, 3508))
    assert found.estimated
    assert found.x_dpi == pytest.approx(300, abs=2)
    assert not find_resolution((200, 100), (1654, 1169)).estimated


def _cut(data: bytes) -> bytes:
    return data[: len(data) // 2]


def _locked_pdf() -> bytes:
    """A PDF of one empty page whose security handler no empty password opens."""
    hidden = "<" + "AB" * 32 + ">"
    return f"""%PDF-1.4
1 0 obj <</Type/Catalog/Pages 2 0 R>> endobj
2 0 obj <</Type/Pages/Kids[3 0 R]/Count 1>> endobj
3 0 obj <</Type/Page/Parent 2 0 R/MediaBox[0 0 200 200]>> endobj
4 0 obj <</Filter/Standard/V 1/R 2/O {hidden}/U {hidden}/P -4>> endobj
trailer <</Root 1 0 R/Encrypt 4 0 R/ID[<01><01>]>>
%%EOF""".encode()


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "empty"),
        (b"not a picture at all", "not a picture"),
        (_cut(encode(Image.effect_noise((200, 200), 80), "PNG")), "damaged or cut short"),
        (_cut(encode(Image.effect_noise((200, 200), 80), "JPEG")), "damaged or cut short"),
        (b"%PDF-1.4 nothing follows", "damaged PDF"),
        (_locked_pdf(), "locked with a password"),
        (encode(Image.new("L", (3, 900)), "PNG"), "no page in it"),
        (b"P5 60000 60000 255\n" + bytes(64), "too large"),
        (b"P5 0 10 255\n", "not a picture"),
    ],
)
def test_bad_files_are_told_in_one_sentence(data: bytes, says: str) -> None:
    with pytest.raises(InputError) as caught:
        load_page(make_source("bad.bin", data).data, "bad.bin", 1)
    assert says in str(caught.value)
    assert "bad.bin" in str(caught.value)
    assert "\n" not in str(caught.value)


def test_scans_of_a_folder_come_in_the_order_of_their_numbers(tmp_path: Path) -> None:
    (tmp_path / "more").mkdir()
    for name in ("page 10.png", "page 2.PNG", "Page 1.tif", "notes.txt", "more/page 3.pdf"):
        (tmp_path / name).touch()
    found = [str(p.relative_to(tmp_path)) for p in find_scans(tmp_path)]
    assert found == ["more/page 3.pdf", "Page 1.tif", "page 2.PNG", "page 10.png"]
    (tmp_path / "empty").mkdir()
    with pytest.raises(InputError, match="The folder empty holds no pictures"):
        find_scans(tmp_path / "empty")


def test_folder_and_missing_file(tmp_path: Path) -> None:
    with pytest.raises(InputError, match="is a folder"):
        read_file(tmp_path)
    with pytest.raises(InputError, match="does not exist"):
        read_file(tmp_path / "none.png")
