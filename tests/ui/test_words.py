"""Every text on screen is short, plain, and in the list that is read from top to bottom."""

from __future__ import annotations

import re

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QLabel, QWidget

from keel_line.model.table import TableState
from keel_line.settings import say_tolerance
from keel_line.ui.overview import PURPOSES
from keel_line.ui.proof.station import say_confidence
from keel_line.ui.widgets.line import STATIONS
from keel_line.ui.window import Window
from tests.ui.qtest import QTest
from tools.words import MOST_CHARACTERS, PLACEHOLDER, RETIRED, collect_words

WORDS = collect_words()


def test_no_text_is_too_long_to_be_read_at_a_glance() -> None:
    long = [
        (w.module, w.line, line)
        for w in WORDS
        for line in w.text.split("\n")
        if len(line.replace(PLACEHOLDER, "")) > MOST_CHARACTERS
    ]
    assert long == []


def test_retired_phrases_stay_away() -> None:
    found = [
        (w.module, w.line, phrase) for w in WORDS for phrase in RETIRED if phrase in w.text.lower()
    ]
    assert found == []


def patterns() -> list[re.Pattern[str]]:
    """A pattern for each collected text."""
    texts = {part for w in WORDS for part in w.text.split("\n")}
    return [re.compile(re.escape(t.strip()).replace(re.escape(PLACEHOLDER), ".*")) for t in texts]


def is_collected(text: str, known: list[re.Pattern[str]]) -> bool:
    """Return whether a text, or each of the pieces that it is put together of, was collected."""
    pieces = [p.strip(" .") for p in re.split(r"\n| · |\. |  +|\N{NO-BREAK SPACE}", text)]
    return all(
        not re.search(r"[^\W\d_]{2}", piece)
        or any(p.fullmatch(piece) or p.fullmatch(f"{piece}.") for p in known)
        for piece in pieces
    )


def shown_by(window: QWidget) -> set[str]:
    texts = set()
    for widget in window.findChildren(QWidget):
        if isinstance(widget, QLabel | QAbstractButton):
            texts.add(widget.text())
        texts |= {widget.accessibleName(), widget.toolTip()}
    return {re.sub(r"<[^>]*>|&nbsp;", "", t) for t in texts if t and not t.startswith("qt_")}


def names_in(window: Window) -> set[str]:
    """What is no text of ours: names and values of the docket."""
    desk, out = window.session.desk, set[str]()
    for table in window.session.tables:
        out |= {table.name, table.caption, table.notes, *values_of(table)}
    path = desk.docket.path
    return out | {p.source_name for p in desk.pages()} | {path.stem if path else ""}


def values_of(table: TableState) -> set[str]:
    return {c.text for c in table.cells}


def test_every_text_of_the_window_is_in_the_list(window: Window) -> None:
    known, stations = patterns(), {"1", "2", "3", "4", "6"}
    missing = set()
    for key in sorted(stations):
        QTest.keyClick(window, getattr(Qt.Key, f"Key_{key}"), Qt.KeyboardModifier.ControlModifier)
        names = names_in(window)
        missing |= {t for t in shown_by(window) if t not in names and not is_collected(t, known)}
    assert missing == set()


def test_each_station_says_what_it_is_for_until_something_waits(empty_window: Window) -> None:
    assert tuple(PURPOSES) == STATIONS
    said = empty_window.line.accessibleDescription()
    assert said.startswith("Gather: add pages; Square: straighten pages; Rule: check the grid")
    assert "Tidy: tidy columns" in said
    assert said.endswith("Send: write files")


def test_confidence_never_shows_100_percent() -> None:
    assert say_confidence(1.0) == "Confidence above 99.9%."
    assert say_confidence(0.9996) == "Confidence above 99.9%."
    assert say_confidence(0.5) == "Confidence 50.0%."


def test_tolerance_says_what_it_counts() -> None:
    assert say_tolerance(0.2) == "1 wrong cell in 5,000"
    assert say_tolerance(1) == "1 wrong cell in 1,000"
    assert say_tolerance(3) == "3 wrong cells in 1,000"
