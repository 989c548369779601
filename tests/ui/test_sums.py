"""Sums drawn, kept, dropped and undone with real keys in the interline."""

from __future__ import annotations

from PyQt6.QtCore import Qt

from keel_line.model.table import TableState
from keel_line.ui.proof.station import ProofStation
from keel_line.ui.window import Window
from tests.ui.conftest import Keys

Key = Qt.Key


def ledger(window: Window) -> TableState:
    return window.session.tables[0]


def go_to_total(window: Window) -> tuple[int, int]:
    table = ledger(window)
    number = table.grid.number_at(table.grid.rows - 1, table.grid.cols - 1)
    assert number is not None
    window.session.go_to(0, number)
    return (table.grid.rows - 1, table.grid.cols - 1)


def sums_at(window: Window, place: tuple[int, int]) -> list[str]:
    findings = ledger(window).findings
    return [f.says for f in findings if f.kind == "sum" and f.places[-1] == place]


def test_the_found_sum_is_shown_and_kept(window: Window, press: Keys) -> None:
    total = go_to_total(window)
    press(Key.Key_F9)
    held = window.station(ProofStation).interline.sum_in_hand
    assert held is not None
    assert held.total == total
    assert len(held.addends) == ledger(window).grid.rows - 2
    view = window.station(ProofStation).panel.view
    assert view is not None
    assert "cells add up to" in view.reason
    press(Key.Key_Return)
    assert window.station(ProofStation).interline.sum_in_hand is None
    assert [s.total for s in ledger(window).sums.drawn] == [total]
    window.actions_by_id["undo"].trigger()
    assert ledger(window).sums.drawn == ()


def test_removing_an_addend_breaks_the_sum(window: Window, press: Keys) -> None:
    total = go_to_total(window)
    press(Key.Key_F9)
    press(Key.Key_Up)
    press(Key.Key_Space)
    held = window.station(ProofStation).interline.sum_in_hand
    assert held is not None
    assert (total[0] - 1, total[1]) not in held.addends
    view = window.station(ProofStation).panel.view
    assert view is not None
    assert ", but this cell says" in view.reason
    press(Key.Key_Return)
    assert "chosen cells add up to" in sums_at(window, total)[0]
    assert (window.session.cell.cell.row, window.session.cell.cell.col) == total
    assert window.session.cell.broken


def test_a_false_total_is_dropped(window: Window, press: Keys) -> None:
    total = go_to_total(window)
    assert sums_at(window, total)
    press(Key.Key_F9)
    press(Key.Key_Delete)
    assert sums_at(window, total) == []
    window.actions_by_id["undo"].trigger()
    assert sums_at(window, total)


def test_escape_cancels_the_sum_and_types_nothing(window: Window, press: Keys) -> None:
    go_to_total(window)
    before = window.session.cell
    press(Key.Key_F9)
    press("7")
    assert not window.station(ProofStation).editor.isVisible()
    press(Key.Key_Escape)
    assert window.station(ProofStation).interline.sum_in_hand is None
    assert window.session.cell == before
    press("7")
    assert window.station(ProofStation).editor.isVisible()
