"""The line along the top of a fax: found where it stands by itself, and taken apart."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from keel_line.read.reader import Reader
from keel_line.read.strip import find_strip, parse_strip, read_strip
from tests.conftest import inter

DPI = 204.0


def fax_top(text: str, *, at_in: float = 0.2, more: str = "") -> NDArray[np.uint8]:
    """The top inch of a fax with a line of the machine's, and perhaps a line of the page's."""
    face = inter()
    font = ImageFont.truetype(str(face.path), 22 / face.cap_ratio)
    image = Image.new("L", (round(8.27 * DPI), round(DPI)), 255)
    draw = ImageDraw.Draw(image)
    draw.text((150, round(at_in * DPI)), text, font=font, fill=0, anchor="ls")
    if more:
        draw.text((200, round(0.85 * DPI)), more, font=font, fill=0, anchor="ls")
    return np.array(image)


def test_the_machines_line_is_read() -> None:
    top = fax_top("14 Nov 1988  09:32   01632 960961   Brannock Sound   P. 02", more="Cargo tally")
    strip = read_strip(top, DPI, Reader())
    assert strip is not None
    assert strip.page == "2"
    assert strip.number == "01632 960961"
    assert strip.describe() == "Sent from 01632 960961, 14 Nov 1988 09:32, page 2"


@pytest.mark.parametrize(
    "top",
    [
        np.full((204, 1687), 255, np.uint8),
        np.zeros((204, 1687), np.uint8),
        fax_top("P. 2"),  # too short to be the machine's line
        fax_top("A line of the page itself, so far down that no machine prints there", at_in=0.8),
    ],
)
def test_other_tops_have_none(top: NDArray[np.uint8]) -> None:
    assert find_strip(top, DPI) is None or read_strip(top, DPI, Reader()) is None


@pytest.mark.parametrize(
    ("text", "number", "date", "page"),
    [
        (
            "21/10/1988 14:05 +44 1632 960 112 HARBOUR OFFICE PAGE 01/03",
            "+44 1632 960 112",
            "21/10/1988 14:05",
            "1 of 3",
        ),
        (
            "Oct 21 1988 2:05 pm (01632) 960112 2/3",
            "(01632) 960112",
            "Oct 21 1988 2:05 pm",
            "2 of 3",
        ),
        ("BRANNOCK SOUND HARBOUR OFFICE", "", "", ""),
        ("1988-10-21 14:05 P.7", "", "1988-10-21 14:05", "7"),
    ],
)
def test_a_line_is_taken_apart(text: str, number: str, date: str, page: str) -> None:
    strip = parse_strip(text)
    assert (strip.number, strip.date, strip.page) == (number, date, page)
    assert strip.text == text


def test_what_is_not_understood_is_kept_whole() -> None:
    assert parse_strip("BRANNOCK SOUND").describe() == "Fax line: BRANNOCK SOUND"
