"""Two readings never look the same, and what is offered says where it differs."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QFont, QImage, QPainter
from PyQt6.QtWidgets import QApplication

from keel_line.desk.signs import find_differing, name_signs
from keel_line.ui.app import make_app
from keel_line.ui.proof.doubt_panel import DoubtPanel, DoubtView, offer_readings
from keel_line.ui.theme import make_theme

PAIRS = """
l1 lI 1I O0 o0 OQ -– –— ’' ‘’ ‘' S5 B8 Z2 G6 I| l| 1| 17 ”" “” “" .,
,‚ :; ce eé uü nñ oô sš cç ií il ×x ·. •. º° ªa µu vy 0D CG 38 69 tf KX ½¼ ¼¾ £E §S
Oo Cc Ss Vv Ww Zz Uu Pp Kk Xx
"""
LONGER = (("rn", "m"), ("cl", "d"), ("vv", "w"), ("nn", "m"), ("li", "h"), ("1 2", "12"))
ALL = [*((p[0], p[1]) for p in PAIRS.split()), *LONGER]


@pytest.fixture
def app() -> QApplication:
    return make_app()


def draw(text: str, font: QFont) -> np.ndarray:
    image = QImage(160, 60, QImage.Format.Format_Grayscale8)
    image.fill(255)
    painter = QPainter(image)
    painter.setFont(font)
    painter.drawText(QPointF(10, 40), text)
    painter.end()
    bits = image.constBits()
    assert bits is not None
    bits.setsize(image.sizeInBytes())
    rows = np.frombuffer(bits.asstring(), np.uint8).reshape(60, image.bytesPerLine())
    return 255.0 - rows[:, :160]


@pytest.mark.parametrize("bold", [False, True])
def test_no_two_readings_look_the_same(app: QApplication, *, bold: bool) -> None:
    assert len(set(ALL)) >= 60
    theme = make_theme("light")
    font = theme.bold_reading() if bold else theme.reading()
    alike = {}
    for one, other in ALL:
        a, b = draw(one, font), draw(other, font)
        differs = np.abs(a - b).sum() / max(a.sum(), b.sum())
        if differs < 0.1:
            alike[one, other] = round(float(differs), 3)
    assert alike == {}


def test_figures_of_readings_have_one_width(app: QApplication) -> None:
    font = make_theme("light").reading()
    widths = {np.flatnonzero(draw(f"{n}|", font).sum(axis=0))[-1] for n in "0123456789"}
    assert len(widths) == 1


def test_where_readings_differ_is_named_where_it_could_be_confused() -> None:
    first, second, third = offer_readings([("N I2", "as read"), ("N l2", ""), ("N 1Z", "")])
    assert (first.differs, first.signs) == ((2,), "capital I")
    assert (second.differs, second.signs) == ((2,), "small L")
    assert (third.differs, third.signs) == ((2, 3), "figure 1, capital Z")
    (alone,) = offer_readings([("N I2", "as read")])
    assert (alone.differs, alone.signs) == ((), "")


def test_what_cannot_be_confused_is_not_named() -> None:
    assert name_signs("Marigold", find_differing("Marigold", "Harigold")) == ""
    assert name_signs("1–2", find_differing("1–2", "1-2")) == "en dash"
    assert name_signs("OIlS", find_differing("OIlS", "0115")) == "", "too many to be told"


def test_the_character_that_differs_is_marked(app: QApplication) -> None:
    theme = make_theme("light")
    panel = DoubtPanel(theme)
    panel.resize(520, 260)

    def brass(readings: list[tuple[str, str]]) -> int:
        view = DoubtView("Doubt 1 of 1", "", "Dues", "Read.", False, offer_readings(readings))
        panel.show_view(view)
        image = panel.grab().toImage()
        wanted = theme.color("brass").rgb()
        return sum(
            image.pixel(x, y) == wanted for x in range(image.width()) for y in range(image.height())
        )

    assert brass([("N 12", "as read"), ("N l2", "")]) > 20
    assert brass([("N 12", "as read")]) == 0
