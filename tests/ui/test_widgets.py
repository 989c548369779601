from __future__ import annotations

import os
from collections import Counter
from dataclasses import replace
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QHelpEvent, QImage, QWheelEvent
from PyQt6.QtWidgets import QToolTip, QWidget
from pytestqt.qtbot import QtBot

from keel_line.model.grid import Cell, Grid
from keel_line.model.reading import CharReading, Reading, RunnerUp
from keel_line.model.table import CellState, Settled, TableState, column_name
from keel_line.ui.app import make_app
from keel_line.ui.dockets import earlier_dockets, last_change, new_docket_path
from keel_line.ui.gather.station import GatherStation, describe_state
from keel_line.ui.proof.doubt_panel import DoubtPanel, DoubtView, offer_readings
from keel_line.ui.proof.interline import Interline
from keel_line.ui.proof.lens import Lens
from keel_line.ui.proof.soundings import Soundings
from keel_line.ui.theme import Theme, apply_theme, make_theme
from keel_line.ui.widgets.line import LineBar, Stop
from keel_line.ui.widgets.page_view import PageView
from keel_line.ui.widgets.ribbon import PageRibbon, RibbonPage
from keel_line.ui.window import Window
from tests.ui.qtest import QTest

Key = Qt.Key


@pytest.fixture
def theme(qtbot: QtBot) -> Theme:
    del qtbot
    app = make_app()
    made = make_theme("light")
    apply_theme(app, made)
    return made


def shown(qtbot: QtBot, widget: QWidget, size: tuple[int, int]) -> QImage:
    qtbot.addWidget(widget)
    widget.resize(*size)
    widget.show()
    return widget.grab().toImage()


def count_color(image: QImage, color: QColor, *, tolerance: int = 8) -> int:
    """Count pixels of (nearly) one colour, over every second pixel."""
    found = 0
    for y in range(0, image.height(), 2):
        for x in range(0, image.width(), 2):
            p = image.pixelColor(x, y)
            found += (
                abs(p.red() - color.red()) < tolerance
                and abs(p.green() - color.green()) < tolerance
                and abs(p.blue() - color.blue()) < tolerance
            )
    return found


def make_interline(theme: Theme) -> Interline:
    """One that paints all of its ink in a frame, however busy the machine is."""
    interline = Interline(theme)
    interline.budget_s = 5.0
    return interline


def state(
    text: str = "12",
    *,
    row: int = 0,
    col: int = 0,
    chances: tuple[float, ...] = (),
    settled: Settled | None = None,
    flagged: bool = False,
    confidence: float = 0.5,
) -> CellState:
    chars = tuple(
        CharReading(c, p, (10.0 + 20 * i, 10.0, 28.0 + 20 * i, 40.0))
        for i, (c, p) in enumerate(zip(text, chances, strict=False))
    )
    cell = Cell(row, col, 1, 1, (100.0 * col, 50.0 * row, 100.0 * col + 100, 50.0 * row + 50))
    reading = Reading(text, confidence, chars, (RunnerUp("72", 0.2),))
    return CellState(row * 10 + col, cell, reading, settled, flagged)


def table(rows: int = 30, cols: int = 3, flags: tuple[int, ...] = ()) -> TableState:
    cells = tuple(
        state(f"{r}.{c}" if r else f"Head {c}", row=r, col=c, flagged=r * cols + c in flags)
        for r in range(rows)
        for c in range(cols)
    )
    grid = Grid(
        (0, 0, 100.0 * cols, 50.0 * rows),
        tuple(100.0 * i for i in range(cols + 1)),
        tuple(50.0 * i for i in range(rows + 1)),
        tuple(c.cell for c in cells),
    )
    return TableState(1, "Dues", 1, 1, "scan.png", grid, 1, "", cells)


def page_image() -> QImage:
    image = QImage(300, 1500, QImage.Format.Format_Grayscale8)
    image.fill(230)
    return image


# --- lens ---


def test_lens_shows_doubtful_characters_in_brass(qtbot: QtBot, theme: Theme) -> None:
    lens = Lens(theme)
    lens.show_cell(state(chances=(0.99, 0.99)), page_image())
    sure = count_color(shown(qtbot, lens, (600, 240)), theme.color("brass"))
    lens.show_cell(state(chances=(0.99, 0.3)), page_image())
    doubtful = count_color(lens.grab().toImage(), theme.color("brass"))
    assert sure == 0
    assert doubtful > 20


def test_lens_says_blank(qtbot: QtBot, theme: Theme) -> None:
    lens = Lens(theme)
    lens.show_cell(state(""), page_image())
    shown(qtbot, lens, (600, 240))
    assert lens.accessibleDescription() == "Reading: blank"
    lens.show_cell(None, None)
    assert lens.grab().toImage().pixelColor(300, 100) == theme.color("sheet")


# --- interline ---


def test_interline_scrolls_to_the_cell_at_hand(qtbot: QtBot, theme: Theme) -> None:
    interline = make_interline(theme)
    shown(qtbot, interline, (500, 300))
    own = table()
    for index in (0, 45, 89, 3):
        interline.show_table(own, page_image(), index)
        box = interline.cell_box(own.cells[index].cell)
        assert interline.view.rect().contains(box.center().toPoint())


def test_reading_stands_below_its_ink(qtbot: QtBot, theme: Theme) -> None:
    interline = make_interline(theme)
    shown(qtbot, interline, (500, 300))
    own = table()
    interline.show_table(own, page_image(), 0)
    for cell in (own.cells[0].cell, own.cells[4].cell):
        whole, reading = interline.cell_box(cell), interline.reading_box(cell)
        assert whole.top() < reading.top() < reading.bottom() == whole.bottom()
        assert (whole.left(), whole.right()) == (reading.left(), reading.right())


def test_doubt_and_settled_are_told_by_marks(qtbot: QtBot, theme: Theme) -> None:
    interline = make_interline(theme)
    shown(qtbot, interline, (500, 300))
    interline.show_table(table(flags=(4,)), page_image(), 0)
    doubtful = interline.grab().toImage()
    interline.show_table(table(), page_image(), 0)
    plain = interline.grab().toImage()
    brass = theme.color("brass")
    assert count_color(doubtful, brass) > count_color(plain, brass)
    own = table()
    cells = list(own.cells)
    cells[4] = state("9", row=1, col=1, settled=Settled("9", by_hand=True))
    settled = TableState(1, "Dues", 1, 1, "scan.png", own.grid, 1, "", tuple(cells))
    interline.show_table(settled, page_image(), 0)
    teal = theme.color("teal")
    assert count_color(interline.grab().toImage(), teal) > count_color(plain, teal)


def test_column_names_come_from_the_headings() -> None:
    own = table()
    assert column_name(own, 2) == "Head 2"
    bare = TableState(1, "x", 1, 1, "s", own.grid, 0, "", own.cells)
    assert [column_name(bare, c) for c in (0, 1, 25, 26, 27)] == ["A", "B", "Z", "AA", "AB"]


def test_a_tall_table_paints_only_what_is_in_sight(qtbot: QtBot, theme: Theme) -> None:
    interline = make_interline(theme)
    shown(qtbot, interline, (500, 300))
    own = table(rows=400)
    image = QImage(300, 20_000, QImage.Format.Format_Grayscale8)
    image.fill(220)
    interline.show_table(own, image, 600)
    interline.grab()
    assert 0 < len(interline._cuttings) < 12


# --- soundings and panel ---


def test_soundings_tick_where_the_doubts_lie(qtbot: QtBot, theme: Theme) -> None:
    soundings = Soundings(theme)
    soundings.show_table(table(flags=(85,)), 0)
    image = shown(qtbot, soundings, (26, 600))
    rows = Counter(
        y * 4 // image.height()
        for y in range(image.height())
        for x in range(4, 22)
        if image.pixelColor(x, y) == theme.color("brass")
    )
    assert rows
    assert set(rows) == {3}
    with qtbot.waitSignal(soundings.chosen) as caught:
        QTest.mouseClick(soundings, Qt.MouseButton.LeftButton, pos=QPoint(12, 300))
    assert caught.args == [85]


DOUBT = DoubtView(
    "Doubt 1 of 2",
    "",
    "Dues · row 3",
    "The third figure is unclear.",
    True,
    offer_readings([("12", "as read"), ("72", "")]),
)


@pytest.mark.parametrize("larger", [1.0, 1.5, 2.0])
def test_two_readings_can_be_chosen_however_large_the_face(
    qtbot: QtBot, theme: Theme, larger: float
) -> None:
    panel = DoubtPanel(theme)
    panel.set_theme(replace(theme, point=larger * theme.point))
    panel.show_view(DOUBT)
    shown(qtbot, panel, (380, panel.minimumHeight()))
    panel.grab()
    with qtbot.waitSignal(panel.taken) as caught:
        place = QPoint(100, panel.height() - round(0.8 * panel.height() / 9))
        QTest.mouseClick(panel, Qt.MouseButton.LeftButton, pos=place)
    assert caught.args == [1]


def test_pressing_a_reading_takes_it(qtbot: QtBot, theme: Theme) -> None:
    panel = DoubtPanel(theme)
    panel.show_view(DOUBT)
    shown(qtbot, panel, (460, 260))
    panel.grab()
    with qtbot.waitSignal(panel.taken) as caught:
        QTest.mouseClick(panel, Qt.MouseButton.LeftButton, pos=panel._boxes[1].center().toPoint())
    assert caught.args == [1]
    assert "Doubt 1 of 2" in panel.accessibleName()


# --- line and ribbon ---


def test_line_fills_as_far_as_the_docket_has_come(qtbot: QtBot, theme: Theme) -> None:
    line = LineBar(theme)
    names = ("gather", "square", "rule", "proof", "tidy", "send")

    def stops(reached: int) -> tuple[Stop, ...]:
        return tuple(Stop(n, n.title(), reached=i < reached) for i, n in enumerate(names))

    line.show_stops(stops(1), "gather")
    short = count_color(shown(qtbot, line, (900, 80)), theme.color("ink"))
    line.show_stops(stops(4), "gather")
    assert count_color(line.grab().toImage(), theme.color("ink")) > short + 100


def test_ribbon_tells_a_pages_state_in_words(qtbot: QtBot, theme: Theme) -> None:
    ribbon = PageRibbon(theme)
    shown(qtbot, ribbon, (600, 80))
    ribbon.show_pages(
        (
            RibbonPage(7, "done", "scan.png, page 1: no doubts", None),
            RibbonPage(9, "waiting", "cut.png, page 1: not read yet", None),
        )
    )
    ribbon.go_to(7)
    ribbon.show_page(RibbonPage(9, "failed", "cut.png, page 1: damaged", None))
    strip = ribbon._strip
    at = strip.box(1).center().toPoint()
    strip.event(QHelpEvent(QHelpEvent.Type.ToolTip, at, strip.mapToGlobal(at)))
    assert QToolTip.text() == "cut.png, page 1: damaged"
    QToolTip.hideText()
    with qtbot.waitSignal(ribbon.chosen) as caught:
        QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=at)
    assert caught.args == [9]


# --- page view ---


def test_page_view_zooms_and_moves_by_key_and_wheel(qtbot: QtBot, theme: Theme) -> None:
    view = PageView(theme)
    shown(qtbot, view, (400, 500))
    image = page_image()
    image.setPixelColor(150, 750, QColor("black"))
    view.show_page(image, [table()], 0)
    fit = view._scale
    QTest.keyClick(view, Key.Key_Plus)
    QTest.keyClick(view, Key.Key_Plus)
    assert view._scale > fit * 1.8
    before = view._origin()
    QTest.keyClick(view, Key.Key_Down)
    assert view._origin().y() < before.y()
    wheel = QWheelEvent(
        QPointF(10, 10),
        QPointF(10, 10),
        QPoint(0, 0),
        QPoint(0, 120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    view.wheelEvent(wheel)
    assert view._origin().y() > before.y() - 90
    for _ in range(20):
        QTest.keyClick(view, Key.Key_Minus)
    assert view._scale == pytest.approx(fit)


def test_pressing_a_table_on_the_page_chooses_it(qtbot: QtBot, theme: Theme) -> None:
    view = PageView(theme)
    shown(qtbot, view, (400, 900))
    view.show_page(page_image(), [table(rows=4)], 0)
    origin, scale = view._origin(), view._scale
    with qtbot.waitSignal(view.table_chosen) as caught:
        QTest.mouseClick(
            view,
            Qt.MouseButton.LeftButton,
            pos=QPointF(origin.x() + 50 * scale, origin.y() + 60 * scale).toPoint(),
        )
    assert caught.args == [0]


def test_page_view_says_what_it_waits_for(qtbot: QtBot, theme: Theme) -> None:
    view = PageView(theme)
    view.show_page(None, [], 0, "This page is not read yet.")
    image = shown(qtbot, view, (400, 300))
    assert count_color(image, theme.color("well")) > 20_000


# --- dockets, manifest, window ---


def test_new_dockets_overwrite_no_other(tmp_path: Path) -> None:
    folder = tmp_path / "dockets"
    first = new_docket_path(folder, "Berth dues/March: 1974")
    first.touch()
    second = new_docket_path(folder, "Berth dues/March: 1974")
    assert first.name == "Berth dues March 1974.keel"
    assert second.name == "Berth dues March 1974 2.keel"
    assert new_docket_path(folder, "///").name == "Docket.keel"
    assert earlier_dockets(folder) == [first]
    assert earlier_dockets(tmp_path / "none") == []


def test_a_docket_that_was_left_open_is_as_late_as_its_last_change(tmp_path: Path) -> None:
    left_open, closed = tmp_path / "Quay.keel", tmp_path / "Mole.keel"
    beside = tmp_path / "Quay.keel-wal"
    for path, when in ((left_open, 100), (closed, 200), (beside, 300)):
        path.write_bytes(b"")
        os.utime(path, (when, when))
    assert earlier_dockets(tmp_path) == [left_open, closed]
    assert last_change(left_open) == 300


def test_the_list_shows_the_state_of_each_page(window: Window) -> None:
    model = window.station(GatherStation).model
    texts = [[model.index(r, c).data() for c in range(7)] for r in range(model.rowCount())]
    assert [t[1] for t in texts] == [
        "1-berth-dues-ledger.jpg",
        "2-buoy-inspections.png",
        "3-cargo-tally-fax.tif",
        "4-tide-register-photo.jpg",
        "5-pilotage-rota.pdf",
        "6-stores-log.tif",
        "6-stores-log.tif",
    ]
    assert [t[3] for t in texts] == [
        "scan",
        "scan",
        "fax",
        "photograph",
        "real text",
        *["scan"] * 2,
    ]
    assert texts[2][5] == "204 × 196 dpi"
    assert texts[0][6] == "1 table, straightened by 2.3°"
    assert texts[1][6] == "2 tables"
    assert texts[3][6] == "1 table, cropped to the sheet"
    assert describe_state(window.session.desk.pages()[1]) == "2 tables"


def test_enter_on_a_page_shows_its_lines(window: Window) -> None:
    window.go_to("gather")
    window.station(GatherStation).table.selectRow(2)
    window.station(GatherStation).table.setFocus()
    QTest.keyClick(window.station(GatherStation).table, Key.Key_Return)
    assert window._at == "rule"
    assert window._page_id == window.session.desk.pages()[2].id


def test_new_docket_clears_the_desk_and_keeps_the_old(window: Window) -> None:
    path = window.session.desk.docket.path
    assert path is not None
    window.actions_by_id["new-docket"].trigger()
    assert window.session.tables == []
    assert window.station(GatherStation).begin_button.isVisible()
    window.open_docket(path)
    assert len(window.session.tables) == 8


def test_demo_docket_opens_and_is_read_once(empty_window: Window) -> None:
    empty_window.station(GatherStation).demo_button.click()
    assert len(empty_window.session.tables) == 8
    empty_window.session.replace_text("mine")
    cell = empty_window.session.cell.id
    empty_window.new_docket()
    empty_window.open_demo()
    assert empty_window.session.desk.cell(cell).text == "mine"
    empty_window.open_demo(fresh=True)
    assert all(c.settled is None for t in empty_window.session.tables for c in t.cells)
