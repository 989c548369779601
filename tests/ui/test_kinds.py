"""The sheet of doubts of a kind, driven by keys."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from keel_line.desk.kinds import Kind
from keel_line.model.reading import Reading, RunnerUp
from keel_line.model.reason import Reason
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.window import Window
from tests.ui.conftest import Keys, read_as
from tests.ui.qtest import QTest

Key = Qt.Key


@pytest.fixture
def sheet_press(window: Window, press: Keys) -> Callable[..., None]:
    """Open the sheet; press keys on it."""
    press(Key.Key_F4)
    assert window.station(ProofStation).at_kinds

    def act(key: Qt.Key, times: int = 1) -> None:
        for _ in range(times):
            QTest.keyClick(window.station(ProofStation).kinds, key)

    return act


def turn_to_many(window: Window, sheet_press: Callable[..., None]) -> Kind:
    """Turn to a kind of three doubts or more, at the first of them.

    The sheet opens at the doubt at hand, which may be any of its kind.
    """
    sheet = window.station(ProofStation).kinds
    for _ in sheet.kinds:
        sheet_press(Key.Key_PageDown)
        if sheet.kind is not None and len(sheet.kind.places) >= 3:
            return sheet.kind
    raise AssertionError("the demo has no kind of three doubts")


def settled_ids(window: Window) -> set[int]:
    return {c.id for t in window.session.desk.tables() for c in t.cells if c.settled is not None}


def test_opens_at_the_kind_of_the_doubt_at_hand(window: Window, press: Keys) -> None:
    here = (window.session.table_index, window.session.cell_index)
    press(Key.Key_F4)
    kind = window.station(ProofStation).kinds.kind
    assert kind is not None
    assert here in {(p.table, p.cell) for p in kind.places}


def test_cells_misread_alike_are_corrected_on_one_sheet(window: Window, press: Keys) -> None:
    session, sheet = window.session, window.station(ProofStation).kinds
    session.desk.set_tolerance(5.0)
    ids = [s.id for s in session.tables[0].cells if s.cell.col == 1 and s.cell.row > 2][:4]
    read_as(window, {i: Reading(f"04-{i}", 1.0, (), (RunnerUp(f"O4-{i}", 0.01),)) for i in ids})

    def texts() -> list[str]:
        return [s.text for s in session.tables[0].cells if s.id in ids]

    def at(cell_id: int) -> int:
        return next(i for i, s in enumerate(session.tables[0].cells) if s.id == cell_id)

    session.go_to(0, at(ids[0]))
    press(f"O4-{ids[0]}")
    press(Key.Key_Return)
    session.go_to(0, at(ids[1]))
    press(Key.Key_F4)
    assert sheet.kind is not None
    assert sheet.kind.says == "Similar to a corrected cell"
    assert [sheet.value(p) for p in sheet.kind.places] == [f"O4-{i}" for i in ids[1:]]
    QTest.keyClick(sheet, Key.Key_Right)
    QTest.keyClick(sheet, Key.Key_O)  # the second of them is as it was read
    QTest.keyClick(sheet, Key.Key_Return)
    assert texts() == [f"O4-{ids[0]}", f"O4-{ids[1]}", f"04-{ids[2]}", f"O4-{ids[3]}"]
    QTest.keyClick(window, Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert texts() == [f"O4-{ids[0]}", *(f"04-{i}" for i in ids[1:])]


def test_one_key_settles_the_kind_but_for_what_was_taken_out(
    window: Window, sheet_press: Callable[..., None]
) -> None:
    kind = turn_to_many(window, sheet_press)
    ids = [window.session.tables[p.table].cells[p.cell].id for p in kind.places]
    before = len(window.session.doubts())
    sheet_press(Key.Key_Right)
    sheet_press(Key.Key_Space)
    sheet_press(Key.Key_Return)
    assert settled_ids(window) == {ids[0], *ids[2:]}
    assert len(window.session.doubts()) <= before - len(ids) + 1
    # Taking it back brings the whole sheet back.
    window.actions_by_id["undo"].trigger()
    assert settled_ids(window) == set()
    assert len(window.session.doubts()) == before
    window.actions_by_id["redo"].trigger()
    assert settled_ids(window) == {ids[0], *ids[2:]}


def test_another_reading_is_taken_for_one_of_them(
    window: Window, sheet_press: Callable[..., None]
) -> None:
    kind = turn_to_many(window, sheet_press)
    doubt = kind.places[0]
    state = window.session.tables[doubt.table].cells[doubt.cell]
    sheet_press(Key.Key_O)
    assert window.station(ProofStation).kinds.value(doubt) == doubt.others[0]
    sheet_press(Key.Key_Return)
    after = window.session.desk.cell(state.id)
    assert after.text == doubt.others[0]
    assert after.settled is not None
    assert after.settled.by_hand
    (record,) = window.session.desk.history(state.id)
    assert record.reason == Reason("kind", kind.says)


def test_what_is_taken_out_of_all_settles_nothing(
    window: Window, sheet_press: Callable[..., None]
) -> None:
    kind = turn_to_many(window, sheet_press)
    sheet_press(Key.Key_Space, times=len(kind.places) - 1)
    sheet_press(Key.Key_Space)
    sheet_press(Key.Key_Return)
    assert settled_ids(window) == set()
    assert window.station(ProofStation).at_kinds


def test_escape_goes_back_to_the_cell_at_hand(
    window: Window, sheet_press: Callable[..., None], qtbot: QtBot
) -> None:
    kind = turn_to_many(window, sheet_press)
    sheet_press(Key.Key_Right, times=2)
    sheet_press(Key.Key_Escape)
    doubt = kind.places[2]
    assert (window.session.table_index, window.session.cell_index) == (doubt.table, doubt.cell)
    assert not window.station(ProofStation).at_kinds
    qtbot.waitUntil(window.station(ProofStation).interline.hasFocus)


def test_every_doubt_can_be_settled_kind_by_kind(
    window: Window, sheet_press: Callable[..., None]
) -> None:
    for _ in range(60):
        if not window.session.doubts():
            break
        sheet_press(Key.Key_Return)
    assert window.session.doubts() == []
    assert not window.station(ProofStation).at_kinds


def test_the_sheet_shows_ink_and_values(window: Window, sheet_press: Callable[..., None]) -> None:
    kind = turn_to_many(window, sheet_press)
    sheet = window.station(ProofStation).kinds
    for page in {window.session.tables[p.table].page_id for p in kind.places}:
        image = window.session.picture(page)
        if image is not None:
            sheet.take_picture(page, image)
    shot = sheet.grab().toImage()
    dark = sum(
        shot.pixelColor(x, y).lightness() < 90
        for x in range(0, shot.width(), 3)
        for y in range(90, shot.height() - 60, 3)
    )
    assert dark > 40


def test_another_docket_begins_with_its_rows(
    window: Window, sheet_press: Callable[..., None]
) -> None:
    sheet_press(Key.Key_Space)
    window.new_docket()
    assert not window.station(ProofStation).at_kinds
    assert window.station(ProofStation).focusProxy() is window.station(ProofStation).interline
